"""Writes a query text as text."""

from __future__ import annotations

from rulka.extracts.library.queries import open_query
from rulka.formats.query_file import QUERIES
from rulka.ledger.commanding import DumpCommand
from rulka.ledger.models import Ledger
from rulka.people.models import Person


class Command(DumpCommand):
    help = __doc__
    what = "query"

    def text(self, ledger: Ledger, name: str, person: Person | None) -> str:
        return QUERIES.write(open_query(ledger, name, person=person).body)
