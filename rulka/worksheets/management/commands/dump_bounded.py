"""Writes a bounded table as YAML that `load_bounded` reads back the same."""

from __future__ import annotations

import yaml

from rulka.ledger.commanding import DumpCommand
from rulka.ledger.models import Ledger
from rulka.people.models import Person
from rulka.worksheets.library.tables import open_table


class Command(DumpCommand):
    help = __doc__
    what = "bounded table"

    def text(self, ledger: Ledger, name: str, person: Person | None) -> str:
        table = open_table(ledger, name, person=person)
        return yaml.safe_dump({"table": table.name, **table.body}, sort_keys=False, allow_unicode=True, width=4_000)
