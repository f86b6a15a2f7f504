"""Loads query texts (.yaml); one that bears the name is replaced."""

from __future__ import annotations

from typing import Any

from rulka.extracts.library.queries import store_query
from rulka.extracts.models import QueryText
from rulka.formats.query_file import QUERIES
from rulka.ledger.commanding import LoadCommand
from rulka.ledger.models import Ledger


class Command(LoadCommand):
    help = __doc__
    texts = QUERIES

    def keep(self, ledger: Ledger, body: dict[str, Any], options: dict[str, Any]) -> tuple[QueryText, bool]:
        return store_query(ledger, body, person=None)
