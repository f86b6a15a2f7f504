"""Writes a filing as text that `load_filing` reads."""

from __future__ import annotations

from argparse import ArgumentParser
from typing import Any

from rulka.filings.library.opening import open_filing
from rulka.formats.filing_file import FILINGS
from rulka.ledger.commanding import RulkaCommand, person_asked
from rulka.ledger.reading.queries import find_ledger


class Command(RulkaCommand):
    help = __doc__

    def add_arguments(self, parser: ArgumentParser) -> None:
        super().add_arguments(parser)
        parser.add_argument("name", help="the filing")

    def run(self, **options: Any) -> None:
        ledger = find_ledger(options["ledger"])
        filing = open_filing(ledger, options["name"], person=person_asked(options["person"]))
        self.deliver(FILINGS.write(filing.body), options)
