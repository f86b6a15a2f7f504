"""Writes a folio's outline as text."""

from __future__ import annotations

from rulka.folios.library.opening import open_folio
from rulka.formats.folio_file import FOLIOS
from rulka.ledger.commanding import DumpCommand
from rulka.ledger.models import Ledger
from rulka.people.models import Person


class Command(DumpCommand):
    help = __doc__
    what = "folio"

    def text(self, ledger: Ledger, name: str, person: Person | None) -> str:
        return FOLIOS.write(open_folio(ledger, name, person=person).body)
