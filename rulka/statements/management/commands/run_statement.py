"""Computes a statement and writes it as JSON, CSV, workbook, PDF or HTML."""

from __future__ import annotations

from argparse import ArgumentParser
from typing import Any

from rulka.ledger.commanding import RulkaCommand, fence_of
from rulka.ledger.queries import find_ledger
from rulka.statements.exports import TYPES, export, export_pages
from rulka.statements.services import PAGES, run, run_pages


class Command(RulkaCommand):
    help = __doc__

    def add_arguments(self, parser: ArgumentParser) -> None:
        super().add_arguments(parser)
        parser.add_argument("name", help="the statement")
        parser.add_argument("--period", required=True, help="the reporting period, such as 2027-P07")
        parser.add_argument("--node", default="", help="entity code, or group; the first entity when left out")
        parser.add_argument("--pages", choices=PAGES, default="node", help="the node alone, with its children, or with all below it (json and html)")
        parser.add_argument("--format", choices=sorted(TYPES), default="json")

    def run(self, **options: Any) -> None:
        ledger = find_ledger(options["ledger"])
        if options["pages"] != "node":
            fence = fence_of(options["person"], ledger)
            outcomes = run_pages(ledger, options["name"], options["period"], options["node"], fence, pages=options["pages"])
            self.deliver(export_pages(outcomes, ledger, options["format"]), options)
            return
        outcome = run(ledger, options["name"], options["period"], options["node"], fence_of(options["person"], ledger))
        self.deliver(export(outcome, ledger, options["format"]), options)
