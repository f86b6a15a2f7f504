"""Turns an expanding line of a statement into a section of fixed lines, as it stands at a period."""

from __future__ import annotations

from argparse import ArgumentParser
from typing import Any

from rulka.ledger.commanding import RulkaCommand
from rulka.ledger.reading.queries import find_ledger
from rulka.statements.editing.edit import freeze_line


class Command(RulkaCommand):
    help = __doc__

    def add_arguments(self, parser: ArgumentParser) -> None:
        super().add_arguments(parser)
        parser.add_argument("name", help="the statement")
        parser.add_argument("line", help="the key of the expanding line")
        parser.add_argument("--period", required=True, help="the reporting period, such as 2027-P07")
        parser.add_argument("--node", default="", help="the node; the first when left out")

    def run(self, **options: Any) -> None:
        ledger = find_ledger(options["ledger"])
        told = freeze_line(ledger, options["name"], options["line"], period=options["period"], node=options["node"])
        self.deliver(told + "\n", options)
