"""Loads filings from text (.yaml); one that bears the name is replaced. Folio and taxonomy have to be there."""

from __future__ import annotations

from typing import Any

from rulka.filings.editing.tagging import store
from rulka.filings.models import Filing
from rulka.formats.filing_file import FILINGS
from rulka.ledger.commanding import LoadCommand
from rulka.ledger.models import Ledger


class Command(LoadCommand):
    help = __doc__
    texts = FILINGS

    def keep(self, ledger: Ledger, body: dict[str, Any], options: dict[str, Any]) -> tuple[Filing, bool]:
        return store(ledger, body, None)
