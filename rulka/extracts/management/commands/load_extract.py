"""Loads extracts from text (.yaml); one that bears the name is replaced."""

from __future__ import annotations

from argparse import ArgumentParser
from pathlib import Path
from typing import Any

from django.db import transaction

from rulka.core.books.fence import NO_FENCE
from rulka.extracts.library.storing import store_extract
from rulka.extracts.running.checking import check_in
from rulka.formats.extract_file import EXTRACTS
from rulka.ledger.commanding import RulkaCommand
from rulka.ledger.reading.queries import find_ledger


class Command(RulkaCommand):
    help = __doc__
    writes_output = False

    def add_arguments(self, parser: ArgumentParser) -> None:
        super().add_arguments(parser)
        parser.add_argument("files", nargs="+", type=Path)

    def run(self, **options: Any) -> None:
        ledger = find_ledger(options["ledger"])
        bodies = [body for file in options["files"] for body in EXTRACTS.read(file.read_bytes(), file.name)]
        with transaction.atomic():
            for body in bodies:
                check_in(ledger, NO_FENCE, None, body)
                extract, moved = store_extract(ledger, body)
                self.stdout.write(f"{extract.name}: version {extract.version}{'' if moved else ', as it was'}")
