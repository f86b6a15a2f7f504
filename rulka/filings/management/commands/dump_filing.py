"""Writes a filing as text that `load_filing` reads."""

from __future__ import annotations

from rulka.filings.library.opening import open_filing
from rulka.formats.filing_file import FILINGS
from rulka.ledger.commanding import DumpCommand
from rulka.ledger.models import Ledger
from rulka.people.models import Person


class Command(DumpCommand):
    help = __doc__
    what = "filing"

    def text(self, ledger: Ledger, name: str, person: Person | None) -> str:
        return FILINGS.write(open_filing(ledger, name, person=person).body)
