"""Loads a plain ledger folder; says what was new, changed, same, refused and why."""

from __future__ import annotations

from argparse import ArgumentParser
from pathlib import Path
from typing import Any

from rulka.core.errors import RulkaError
from rulka.ledger.commanding import RulkaCommand
from rulka.ledger.intake import load_folder


class Command(RulkaCommand):
    help = __doc__
    writes_output = False

    def add_arguments(self, parser: ArgumentParser) -> None:
        super().add_arguments(parser)
        parser.add_argument("path", type=Path, help="the ledger folder")
        parser.add_argument("--dry-run", action="store_true", help="check and report, change nothing")

    def run(self, **options: Any) -> None:
        if not options["ledger"]:
            raise RulkaError("No ledger is named.", hint="Add --ledger CODE; it is made when it is new.", subject="load_ledger")
        self.stdout.write(load_folder(options["ledger"], options["path"], dry_run=options["dry_run"]).as_text())
