"""Computes a statement and writes it as JSON, CSV, workbook, PDF or HTML."""

from __future__ import annotations

from argparse import ArgumentParser
from typing import Any

from rulka.core.errors import RulkaError
from rulka.ledger.commanding import RulkaCommand, fence_asked, person_asked
from rulka.ledger.reading.queries import find_ledger
from rulka.statements.library.opening import definitions_for
from rulka.statements.output.exports import TYPES, Maker, export, leave
from rulka.statements.output.statement_templates import subject_for
from rulka.statements.output.templates import template_asked
from rulka.statements.running.runs import PAGES, run_pages


class Command(RulkaCommand):
    help = __doc__

    def add_arguments(self, parser: ArgumentParser) -> None:
        super().add_arguments(parser)
        parser.add_argument("name", help="the statement")
        parser.add_argument("--period", required=True, help="the reporting period, such as 2027-P07")
        parser.add_argument("--node", default="", help="entity code, or group; the first entity when left out")
        parser.add_argument(
            "--pages", choices=PAGES, default="node", help="the node alone, with its children, or with all below it"
        )
        parser.add_argument("--template", default="", help="the template that the workbook is filled into")
        parser.add_argument("--format", choices=sorted(TYPES), default="json")

    def run(self, **options: Any) -> None:
        ledger = find_ledger(options["ledger"])
        fence = fence_asked(options["person"], ledger)
        person = person_asked(options["person"])
        definitions = definitions_for(ledger, options["name"], person)
        outcomes = run_pages(
            definitions,
            options["period"],
            options["node"],
            fence,
            person=person,
            pages=options["pages"],
            in_depth=True,
        )
        template = template_asked(
            subject_for(definitions["statement"], person), options["template"], options["format"], person
        )
        if template and not options["out"]:
            raise RulkaError("A filled template is a file.", hint="Say where it goes: --out.", subject="--template")
        if not options["out"]:  # what is read by a program at once is no file that leaves
            return self.deliver(export(outcomes, ledger, options["format"]), options)
        maker = Maker(options["person"], number=person.pk if person else None)
        self.deliver(leave(outcomes, ledger, options["format"], maker, template), options)
