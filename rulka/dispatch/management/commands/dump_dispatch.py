"""Writes a dispatch as YAML that `load_dispatch` reads back the same."""

from __future__ import annotations

from argparse import ArgumentParser
from typing import Any

from rulka.dispatch.library.storing import find_dispatch
from rulka.formats.dispatch_file import write_dispatch
from rulka.ledger.commanding import RulkaCommand, person_asked
from rulka.ledger.reading.queries import find_ledger


class Command(RulkaCommand):
    help = __doc__

    def add_arguments(self, parser: ArgumentParser) -> None:
        super().add_arguments(parser)
        parser.add_argument("name", help="the dispatch")

    def run(self, **options: Any) -> None:
        person = person_asked(options["person"])
        found = find_dispatch(find_ledger(options["ledger"]), options["name"], person=person)
        self.deliver(write_dispatch(found.body), options)
