"""Loads a worksheet from text (.yaml) or from a workbook (.xlsx); one that bears the name is replaced."""

from __future__ import annotations

from argparse import ArgumentParser
from pathlib import Path
from typing import Any

from rulka.core.definitions.keys import slug
from rulka.core.errors import RulkaError
from rulka.formats.worksheet_file import read_worksheet
from rulka.ledger.commanding import RulkaCommand
from rulka.ledger.reading.queries import find_ledger
from rulka.worksheets.library.storing import store_workbook


class Command(RulkaCommand):
    help = __doc__
    writes_output = False

    def add_arguments(self, parser: ArgumentParser) -> None:
        super().add_arguments(parser)
        parser.add_argument("files", nargs="+", type=Path)
        parser.add_argument("--name", default="", help="what it is called; the file's own name without it")

    def run(self, **options: Any) -> None:
        ledger = find_ledger(options["ledger"])
        files: list[Path] = options["files"]
        if options["name"] and len(files) > 1:
            raise RulkaError("One name is for one file.", hint="Load them one by one.", subject="--name")
        for file in files:
            left: list[str] = []
            if file.suffix.lower() == ".xlsx":
                from rulka.formats.intake.workbook_file import read_workbook_file

                workbook, left = read_workbook_file(file)
                name, title = slug(file.stem), file.stem
            else:
                name, title, workbook = read_worksheet(file.read_bytes(), file.name)
            if options["name"]:
                name, title = slug(options["name"]), options["name"]
            stored = store_workbook(ledger, title, workbook, name=name)
            count = sum(len(sheet.cells) for sheet in workbook.sheets)
            self.stdout.write(f"{stored.name}: {len(workbook.sheets)} sheets, {count} cells, version {stored.version}")
            for line in left:
                self.stdout.write(f"  not taken: {line}")
