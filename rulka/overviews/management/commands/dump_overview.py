"""Writes an overview as text."""

from __future__ import annotations

from rulka.formats.overview_file import OVERVIEWS
from rulka.ledger.commanding import DumpCommand
from rulka.ledger.models import Ledger
from rulka.overviews.library.opening import open_overview
from rulka.people.models import Person


class Command(DumpCommand):
    help = __doc__
    what = "overview"

    def text(self, ledger: Ledger, name: str, person: Person | None) -> str:
        return OVERVIEWS.write(open_overview(ledger, name, person=person).body)
