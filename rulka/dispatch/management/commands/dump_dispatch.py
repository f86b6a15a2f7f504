"""Writes a dispatch as YAML that `load_dispatch` reads back the same."""

from __future__ import annotations

from rulka.dispatch.library.storing import find_dispatch
from rulka.formats.dispatch_file import write_dispatch
from rulka.ledger.commanding import DumpCommand
from rulka.ledger.models import Ledger
from rulka.people.models import Person


class Command(DumpCommand):
    help = __doc__
    what = "dispatch"

    def text(self, ledger: Ledger, name: str, person: Person | None) -> str:
        return write_dispatch(find_dispatch(ledger, name, person=person).body)
