"""Writes an overview as text."""

from __future__ import annotations

from argparse import ArgumentParser
from typing import Any

from rulka.formats.overview_file import OVERVIEWS
from rulka.ledger.commanding import RulkaCommand, person_asked
from rulka.ledger.reading.queries import find_ledger
from rulka.overviews.library.opening import open_overview


class Command(RulkaCommand):
    help = __doc__

    def add_arguments(self, parser: ArgumentParser) -> None:
        super().add_arguments(parser)
        parser.add_argument("name", help="the overview")

    def run(self, **options: Any) -> None:
        overview = open_overview(
            find_ledger(options["ledger"]), options["name"], person=person_asked(options["person"])
        )
        self.deliver(OVERVIEWS.write(overview.body), options)
