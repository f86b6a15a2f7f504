"""Writes a bounded table as YAML that `load_bounded` reads back the same."""

from __future__ import annotations

from argparse import ArgumentParser
from typing import Any

import yaml

from rulka.ledger.commanding import RulkaCommand, person_asked
from rulka.ledger.reading.queries import find_ledger
from rulka.worksheets.library.tables import open_table


class Command(RulkaCommand):
    help = __doc__

    def add_arguments(self, parser: ArgumentParser) -> None:
        super().add_arguments(parser)
        parser.add_argument("name", help="the bounded table")

    def run(self, **options: Any) -> None:
        table = open_table(find_ledger(options["ledger"]), options["name"], person=person_asked(options["person"]))
        body = {"table": table.name, **table.body}
        self.deliver(yaml.safe_dump(body, sort_keys=False, allow_unicode=True, width=4_000), options)
