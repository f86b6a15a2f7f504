"""Writes a folio's outline as text."""

from __future__ import annotations

from argparse import ArgumentParser
from typing import Any

from rulka.folios.library.opening import open_folio
from rulka.formats.folio_file import FOLIOS
from rulka.ledger.commanding import RulkaCommand, person_asked
from rulka.ledger.reading.queries import find_ledger


class Command(RulkaCommand):
    help = __doc__

    def add_arguments(self, parser: ArgumentParser) -> None:
        super().add_arguments(parser)
        parser.add_argument("name", help="the folio")

    def run(self, **options: Any) -> None:
        folio = open_folio(find_ledger(options["ledger"]), options["name"], person=person_asked(options["person"]))
        self.deliver(FOLIOS.write(folio.body), options)
