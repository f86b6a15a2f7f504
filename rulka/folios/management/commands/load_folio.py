"""Loads folios from text (.yaml); one that bears the name is replaced. With `--open` each is open for writing then."""

from __future__ import annotations

from argparse import ArgumentParser
from typing import Any

from rulka.core.books.fence import NO_FENCE
from rulka.folios.editing.acting import open_for_writing
from rulka.folios.editing.outlining import store
from rulka.folios.models import Folio
from rulka.formats.folio_file import FOLIOS
from rulka.ledger.commanding import LoadCommand
from rulka.ledger.models import Ledger


class Command(LoadCommand):
    help = __doc__
    texts = FOLIOS

    def add_arguments(self, parser: ArgumentParser) -> None:
        super().add_arguments(parser)
        parser.add_argument("--open", action="store_true", help="open them for writing")

    def keep(self, ledger: Ledger, body: dict[str, Any], options: dict[str, Any]) -> tuple[Folio, bool]:
        folio, moved = store(ledger, body, NO_FENCE)
        if options["open"] and folio.state == Folio.State.OUTLINE:
            open_for_writing(folio, None)
        return folio, moved
