"""Loads bounded tables from YAML files, each checked by laying it out once; all scalars are read as text."""

from __future__ import annotations

from typing import Any

from rulka.core.compute.nodes import first_node
from rulka.formats.worksheet_file import read_texts
from rulka.ledger.commanding import LoadCommand, fence_asked, person_asked
from rulka.ledger.models import Ledger
from rulka.ledger.reading.queries import view_of
from rulka.ledger.seat import latest_period
from rulka.worksheets.library.tables import save_table
from rulka.worksheets.models import BoundedTable


class Command(LoadCommand):
    help = __doc__
    writes_output = True
    what = "table"

    def read(self, data: bytes, where: str) -> list[dict[str, Any]]:
        return read_texts(data, where)

    def keep(self, ledger: Ledger, body: dict[str, Any], options: dict[str, Any]) -> tuple[BoundedTable, bool]:
        person = person_asked(options["person"])
        view = view_of(ledger, fence_asked(options["person"], ledger))
        return save_table(ledger, body, view, latest_period(view), first_node(view).code, person=person), True
