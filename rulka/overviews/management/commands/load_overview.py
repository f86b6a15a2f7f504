"""Loads overviews from text (.yaml); one that bears the name is replaced. Each is opened once, so that it names nothing
that isn't there."""

from __future__ import annotations

from argparse import ArgumentParser
from pathlib import Path
from typing import Any

from django.db import transaction

from rulka.core.books.fence import NO_FENCE
from rulka.formats.overview_file import OVERVIEWS
from rulka.ledger.commanding import RulkaCommand
from rulka.ledger.reading.queries import find_ledger
from rulka.overviews.library.storing import TEXTS
from rulka.overviews.running.checking import check_in


class Command(RulkaCommand):
    help = __doc__
    writes_output = False

    def add_arguments(self, parser: ArgumentParser) -> None:
        super().add_arguments(parser)
        parser.add_argument("files", nargs="+", type=Path)

    def run(self, **options: Any) -> None:
        ledger = find_ledger(options["ledger"])
        bodies = [body for file in options["files"] for body in OVERVIEWS.read(file.read_bytes(), file.name)]
        with transaction.atomic():
            for body in bodies:
                check_in(ledger, NO_FENCE, None, body)
                overview, moved = TEXTS.store(ledger, body, None)
                self.stdout.write(f"{overview.name}: version {overview.version}{'' if moved else ', as it was'}")
