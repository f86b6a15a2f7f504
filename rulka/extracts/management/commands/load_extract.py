"""Loads extracts from text (.yaml); one that bears the name is replaced."""

from __future__ import annotations

from typing import Any

from rulka.core.books.fence import NO_FENCE
from rulka.extracts.library.storing import store_extract
from rulka.extracts.models import Extract
from rulka.extracts.running.checking import check_in
from rulka.formats.extract_file import EXTRACTS
from rulka.ledger.commanding import LoadCommand
from rulka.ledger.models import Ledger


class Command(LoadCommand):
    help = __doc__
    texts = EXTRACTS

    def keep(self, ledger: Ledger, body: dict[str, Any], options: dict[str, Any]) -> tuple[Extract, bool]:
        check_in(ledger, NO_FENCE, None, body)
        return store_extract(ledger, body)
