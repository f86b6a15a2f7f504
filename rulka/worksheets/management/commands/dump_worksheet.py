"""Writes a worksheet as text."""

from __future__ import annotations

from argparse import ArgumentParser
from typing import Any

from rulka.formats.worksheet_file import write_worksheet
from rulka.ledger.commanding import RulkaCommand, person_asked
from rulka.ledger.reading.queries import find_ledger
from rulka.worksheets.library.opening import open_worksheet
from rulka.worksheets.library.storing import read_workbook


class Command(RulkaCommand):
    help = __doc__

    def add_arguments(self, parser: ArgumentParser) -> None:
        super().add_arguments(parser)
        parser.add_argument("name", help="the worksheet")

    def run(self, **options: Any) -> None:
        ledger = find_ledger(options["ledger"])
        worksheet = open_worksheet(ledger, options["name"], person=person_asked(options["person"]))
        self.deliver(write_worksheet(worksheet.name, worksheet.title, read_workbook(worksheet)), options)
