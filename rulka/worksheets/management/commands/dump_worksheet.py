"""Writes a worksheet as text."""

from __future__ import annotations

from rulka.formats.worksheet_file import write_worksheet
from rulka.ledger.commanding import DumpCommand
from rulka.ledger.models import Ledger
from rulka.people.models import Person
from rulka.worksheets.library.opening import open_worksheet
from rulka.worksheets.library.storing import read_workbook


class Command(DumpCommand):
    help = __doc__
    what = "worksheet"

    def text(self, ledger: Ledger, name: str, person: Person | None) -> str:
        worksheet = open_worksheet(ledger, name, person=person)
        return write_worksheet(worksheet.name, worksheet.title, read_workbook(worksheet))
