"""Writes a query text as text."""

from __future__ import annotations

from argparse import ArgumentParser
from typing import Any

from rulka.extracts.library.queries import open_query
from rulka.formats.query_file import QUERIES
from rulka.ledger.commanding import RulkaCommand, person_asked
from rulka.ledger.reading.queries import find_ledger


class Command(RulkaCommand):
    help = __doc__

    def add_arguments(self, parser: ArgumentParser) -> None:
        super().add_arguments(parser)
        parser.add_argument("name", help="the query")

    def run(self, **options: Any) -> None:
        query = open_query(find_ledger(options["ledger"]), options["name"], person=person_asked(options["person"]))
        self.deliver(QUERIES.write(query.body), options)
