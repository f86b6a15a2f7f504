"""Seals accounts of a ledger: their figures show down to a grain, their lines to nobody who may not open the seal."""

from __future__ import annotations

from argparse import ArgumentParser
from typing import Any

from rulka.ledger.commanding import RulkaCommand
from rulka.ledger.editing import set_seal
from rulka.ledger.reading.queries import find_ledger


class Command(RulkaCommand):
    help = __doc__
    writes_output = False

    def add_arguments(self, parser: ArgumentParser) -> None:
        super().add_arguments(parser)
        parser.add_argument("accounts", help="which accounts, as a selection; empty for none")
        parser.add_argument(
            "--grain",
            default=None,
            help="what may be told apart of them besides entity and period: dimensions, partner, with commas between; "
            "'none' for nothing; the first dimension when left out",
        )

    def run(self, **options: Any) -> None:
        ledger = find_ledger(options["ledger"])
        self.stdout.write(set_seal(ledger, options["accounts"], options["grain"]))
