"""Loads a plain ledger folder; says what was new, changed, same, refused and why."""

from __future__ import annotations

from argparse import ArgumentParser
from pathlib import Path
from typing import Any

from rulka.core.errors import RulkaError
from rulka.ledger.commanding import RulkaCommand
from rulka.ledger.feeds.asking import hold_draft
from rulka.ledger.loading.load import Loading, alone, load, load_folder


class Command(RulkaCommand):
    help = __doc__
    writes_output = False

    def add_arguments(self, parser: ArgumentParser) -> None:
        super().add_arguments(parser)
        parser.add_argument("path", type=Path, help="the ledger folder")
        parser.add_argument("--draft", action="store_true", help="check it and hold it for a person to accept or drop")
        parser.add_argument("--dry-run", action="store_true", help="check and report, change nothing")

    def run(self, **options: Any) -> None:
        if not options["ledger"]:
            raise RulkaError(
                "No ledger is named.", hint="Add --ledger CODE; it is made when it is new.", subject="load_ledger"
            )
        with alone(options["ledger"], wait=False):
            if options["draft"]:
                outcome = load(Loading(options["ledger"], options["path"], hold=True))
                if outcome.error:
                    raise outcome.error
                job = hold_draft(options["ledger"], options["path"], outcome.report)
                self.stdout.write(
                    f"{outcome.report.as_text()}\nHeld as load {job.pk}: accept or drop it with decide_load, or on "
                    f"the page Feeds."
                )
                return
            self.stdout.write(load_folder(options["ledger"], options["path"], dry_run=options["dry_run"]).as_text())
