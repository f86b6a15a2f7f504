"""Loads a taxonomy package (.zip); nothing is ever fetched."""

from __future__ import annotations

from argparse import ArgumentParser
from pathlib import Path
from typing import Any

from rulka.filings.library.taxonomies import concepts_of, load
from rulka.ledger.commanding import RulkaCommand
from rulka.ledger.reading.queries import find_ledger


class Command(RulkaCommand):
    help = __doc__
    writes_output = False

    def add_arguments(self, parser: ArgumentParser) -> None:
        super().add_arguments(parser)
        parser.add_argument("files", nargs="+", type=Path, metavar="FILE.zip")
        parser.add_argument("--entry", default="", help="which entry point, where a package has several")
        parser.add_argument("--name", default="", help="what it is called here; made of its title and version")

    def run(self, **options: Any) -> None:
        ledger = find_ledger(options["ledger"])
        for file in options["files"]:
            taxonomy, is_new = load(
                ledger, file.read_bytes(), file.name, None, entry=options["entry"], name=options["name"]
            )
            count = sum(1 for _ in concepts_of(taxonomy).reportable)
            self.stdout.write(f"{taxonomy.name}: {count} concepts{'' if is_new else ', as it was'}")
