"""Loads folios from text (.yaml); one that bears the name is replaced. With `--open` each is open for writing then."""

from __future__ import annotations

from argparse import ArgumentParser
from pathlib import Path
from typing import Any

from django.db import transaction

from rulka.core.books.fence import NO_FENCE
from rulka.folios.editing.acting import open_for_writing
from rulka.folios.editing.outlining import store
from rulka.folios.models import Folio
from rulka.formats.folio_file import FOLIOS
from rulka.ledger.commanding import RulkaCommand
from rulka.ledger.reading.queries import find_ledger


class Command(RulkaCommand):
    help = __doc__
    writes_output = False

    def add_arguments(self, parser: ArgumentParser) -> None:
        super().add_arguments(parser)
        parser.add_argument("files", nargs="+", type=Path)
        parser.add_argument("--open", action="store_true", help="open them for writing")

    def run(self, **options: Any) -> None:
        ledger = find_ledger(options["ledger"])
        bodies = [body for file in options["files"] for body in FOLIOS.read(file.read_bytes(), file.name)]
        with transaction.atomic():
            for body in bodies:
                folio, moved = store(ledger, body, NO_FENCE)
                if options["open"] and folio.state == Folio.State.OUTLINE:
                    open_for_writing(folio, None)
                self.stdout.write(f"{folio.name}: version {folio.version}{'' if moved else ', as it was'}")
