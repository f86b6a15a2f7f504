"""Loads dispatches from YAML files: what goes to whom, by which ways; all scalars are read as text."""

from __future__ import annotations

from argparse import ArgumentParser
from pathlib import Path
from typing import Any

from rulka.dispatch.library.storing import save_dispatch
from rulka.formats.dispatch_file import read_dispatches
from rulka.ledger.commanding import RulkaCommand, person_asked
from rulka.ledger.reading.queries import find_ledger


class Command(RulkaCommand):
    help = __doc__

    def add_arguments(self, parser: ArgumentParser) -> None:
        super().add_arguments(parser)
        parser.add_argument("files", nargs="+", type=Path, help="YAML files with one or several dispatches")

    def run(self, **options: Any) -> None:
        ledger, person = find_ledger(options["ledger"]), person_asked(options["person"])
        told = []
        for path in options["files"]:
            for body in read_dispatches(path.read_bytes(), path.name):
                kept = save_dispatch(ledger, body, path.name, person=person)
                told.append(f"dispatch {kept.name}: version {kept.version}")
        self.deliver("\n".join(told) + "\n", options)
