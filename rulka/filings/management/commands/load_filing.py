"""Loads filings from text (.yaml); one that bears the name is replaced. Folio and taxonomy have to be there."""

from __future__ import annotations

from argparse import ArgumentParser
from pathlib import Path
from typing import Any

from django.db import transaction

from rulka.filings.editing.tagging import store
from rulka.formats.filing_file import FILINGS
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
        bodies = [body for file in options["files"] for body in FILINGS.read(file.read_bytes(), file.name)]
        with transaction.atomic():
            for body in bodies:
                filing, moved = store(ledger, body, None)
                self.stdout.write(f"{filing.name}: version {filing.version}{'' if moved else ', as it was'}")
