"""Loads spines, spans and statements from definition files, all or none."""

from __future__ import annotations

from argparse import ArgumentParser
from pathlib import Path
from typing import Any

from rulka.core.errors import NotFound, RulkaError
from rulka.formats.definition_file import read_definitions
from rulka.ledger.commanding import RulkaCommand
from rulka.ledger.reading.queries import find_ledger
from rulka.statements.library.storing import load_definitions


class Command(RulkaCommand):
    help = __doc__
    writes_output = False

    def add_arguments(self, parser: ArgumentParser) -> None:
        super().add_arguments(parser)
        parser.add_argument("files", nargs="+", type=Path, metavar="FILE")

    def run(self, **options: Any) -> None:
        ledger = find_ledger(options["ledger"])
        texts = [text for path in options["files"] for text in read_definitions(_text(path), path.name)]
        for told in load_definitions(ledger, texts):
            self.stdout.write(told)


def _text(path: Path) -> str:
    if not path.is_file():
        raise NotFound(f"{path} does not exist.", hint="Name a definition file.", subject="file")
    try:
        return path.read_text(encoding="utf-8-sig")
    except UnicodeDecodeError:
        raise RulkaError("The file is not UTF-8.", hint="Save it as UTF-8.", subject=path.name) from None
