"""Writes an extract as text."""

from __future__ import annotations

from argparse import ArgumentParser
from typing import Any

from rulka.extracts.library.opening import open_extract
from rulka.formats.extract_file import EXTRACTS
from rulka.ledger.commanding import RulkaCommand, person_asked
from rulka.ledger.reading.queries import find_ledger


class Command(RulkaCommand):
    help = __doc__

    def add_arguments(self, parser: ArgumentParser) -> None:
        super().add_arguments(parser)
        parser.add_argument("name", help="the extract")

    def run(self, **options: Any) -> None:
        extract = open_extract(find_ledger(options["ledger"]), options["name"], person=person_asked(options["person"]))
        self.deliver(EXTRACTS.write(extract.body), options)
