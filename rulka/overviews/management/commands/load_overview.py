"""Loads overviews from text (.yaml); one that bears the name is replaced. Each is opened once, so that it names nothing
that isn't there."""

from __future__ import annotations

from typing import Any

from rulka.core.books.fence import NO_FENCE
from rulka.formats.overview_file import OVERVIEWS
from rulka.ledger.commanding import LoadCommand
from rulka.ledger.models import Ledger
from rulka.overviews.library.storing import TEXTS
from rulka.overviews.models import Overview
from rulka.overviews.running.checking import check_in


class Command(LoadCommand):
    help = __doc__
    texts = OVERVIEWS

    def keep(self, ledger: Ledger, body: dict[str, Any], options: dict[str, Any]) -> tuple[Overview, bool]:
        check_in(ledger, NO_FENCE, None, body)
        return TEXTS.store(ledger, body, None)
