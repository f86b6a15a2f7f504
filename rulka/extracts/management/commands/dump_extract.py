"""Writes an extract as text."""

from __future__ import annotations

from rulka.extracts.library.opening import open_extract
from rulka.formats.extract_file import EXTRACTS
from rulka.ledger.commanding import DumpCommand
from rulka.ledger.models import Ledger
from rulka.people.models import Person


class Command(DumpCommand):
    help = __doc__
    what = "extract"

    def text(self, ledger: Ledger, name: str, person: Person | None) -> str:
        return EXTRACTS.write(open_extract(ledger, name, person=person).body)
