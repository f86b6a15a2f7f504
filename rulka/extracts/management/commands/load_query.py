"""Loads query texts (.yaml); one that bears the name is replaced."""

from __future__ import annotations

from argparse import ArgumentParser
from pathlib import Path
from typing import Any

from django.db import transaction

from rulka.extracts.library.queries import store_query
from rulka.formats.query_file import QUERIES
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
        bodies = [body for file in options["files"] for body in QUERIES.read(file.read_bytes(), file.name)]
        with transaction.atomic():
            for body in bodies:
                query, moved = store_query(ledger, body, person=None)
                self.stdout.write(f"{query.name}: version {query.version}{'' if moved else ', as it was'}")
