"""Calculates a worksheet and writes it as JSON, CSV of its first sheet, HTML, PDF, or a workbook."""

from __future__ import annotations

from argparse import ArgumentParser
from typing import Any

from django.utils import timezone

from rulka.core.compute.nodes import first_node
from rulka.core.errors import NotFound, RulkaError, one_of
from rulka.core.sheet.parameters import check_pairs, checked_value, parameter_from
from rulka.ledger.commanding import RulkaCommand, fence_asked, person_asked
from rulka.ledger.reading.queries import find_ledger, view_of
from rulka.ledger.seat import latest_period
from rulka.statements.library.shelves import depth_on
from rulka.statements.output.templates import template_asked
from rulka.worksheets.library.opening import open_worksheet
from rulka.worksheets.output.files import as_file
from rulka.worksheets.output.leaving import leave
from rulka.worksheets.output.runs import FORMATS
from rulka.worksheets.output.templates import subject_for
from rulka.worksheets.running.live import WorksheetReader, opened
from rulka.worksheets.running.options import listed_for


class Command(RulkaCommand):
    help = __doc__

    def add_arguments(self, parser: ArgumentParser) -> None:
        super().add_arguments(parser)
        parser.add_argument("name", help="the worksheet")
        parser.add_argument("--period", default="", help="the reporting period; the last one with anything booked")
        parser.add_argument("--node", default="", help="the worksheet's node; the first entity when left out")
        parser.add_argument("--set", dest="values", action="append", default=[], metavar="NAME=VALUE",
                            help="a parameter's value; may be given several times")  # fmt: skip
        parser.add_argument("--format", choices=FORMATS, default="json")
        parser.add_argument("--template", default="", help="the template that the workbook is filled into")
        parser.add_argument(
            "--formulas", action="store_true", help="in a workbook: formulas live, the ledger's in notes"
        )

    def run(self, **options: Any) -> None:
        ledger = find_ledger(options["ledger"])
        person = person_asked(options["person"])
        worksheet = open_worksheet(ledger, options["name"], person=person)
        fence = fence_asked(options["person"], ledger)
        view = view_of(ledger, fence.down_to(depth_on(person, worksheet.shelf_id)) if person else fence)
        period = view.frame.calendar.period(options["period"]) if options["period"] else latest_period(view)
        reader = WorksheetReader(ledger, view, period, options["node"] or first_node(view).code, person)
        parameters = {raw["name"]: parameter_from(raw) for raw in worksheet.parameters}
        chosen = {}
        for given in options["values"]:
            name, sign, value = given.partition("=")
            if not sign:
                raise RulkaError(f"'{given}' sets nothing.", hint="Write NAME=VALUE.", subject="--set")
            if name not in parameters:
                raise NotFound(f"There is no parameter '{name}'.", hint=one_of(name, parameters), subject="--set")
            chosen[name] = value
        with opened(worksheet, reader, {}) as live:
            for name, value in chosen.items():
                listed = listed_for(live, parameters[name])
                chosen[name] = checked_value(parameters[name], value, view, period, listed)
        with opened(worksheet, reader, chosen) as live:
            check_pairs(live.parameters, live.values, view, period)
            form, mode, at = options["format"], "formulas" if options["formulas"] else "values", timezone.localtime()
            template = template_asked(subject_for(worksheet, person), options["template"], form, person)
            mode = template.layout["mode"] if template else mode
            if template and not options["out"]:
                raise RulkaError("A filled template is a file.", hint="Say where it goes: --out.", subject="--template")
            if options["out"]:
                content: str | bytes = leave(
                    live, form, lambda stamp: as_file(live, form, at, mode, stamp), mode=mode, template=template
                )
            else:
                content = as_file(live, form, at, mode)
        self.deliver(content, options)
