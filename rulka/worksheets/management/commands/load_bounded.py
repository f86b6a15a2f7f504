"""Loads bounded tables from YAML files, each checked by laying it out once; all scalars are read as text."""

from __future__ import annotations

from argparse import ArgumentParser
from pathlib import Path
from typing import Any

from rulka.core.compute.nodes import first_node
from rulka.formats.worksheet_file import read_texts
from rulka.ledger.commanding import RulkaCommand, fence_asked, person_asked
from rulka.ledger.reading.queries import find_ledger, view_of
from rulka.ledger.seat import latest_period
from rulka.worksheets.library.tables import save_table


class Command(RulkaCommand):
    help = __doc__

    def add_arguments(self, parser: ArgumentParser) -> None:
        super().add_arguments(parser)
        parser.add_argument("files", nargs="+", type=Path, help="YAML files with one or several tables")

    def run(self, **options: Any) -> None:
        ledger, person = find_ledger(options["ledger"]), person_asked(options["person"])
        view = view_of(ledger, fence_asked(options["person"], ledger))
        told = []
        for path in options["files"]:
            for raw in read_texts(path.read_bytes(), path.name):
                table = save_table(ledger, raw, view, latest_period(view), first_node(view).code, person=person)
                told.append(f"table {table.name}: version {table.version}")
        self.deliver("\n".join(told) + "\n", options)
