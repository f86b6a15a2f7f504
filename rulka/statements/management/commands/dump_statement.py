"""Writes a statement with its spine and span as a definition file."""

from __future__ import annotations

from argparse import ArgumentParser
from typing import Any

from rulka.formats.definition_file import write_definitions
from rulka.ledger.commanding import RulkaCommand
from rulka.ledger.reading.queries import find_ledger
from rulka.statements.library.assemble import definitions_of, texts_of


class Command(RulkaCommand):
    help = __doc__

    def add_arguments(self, parser: ArgumentParser) -> None:
        super().add_arguments(parser)
        parser.add_argument("name", help="the statement")

    def run(self, **options: Any) -> None:
        definitions = definitions_of(find_ledger(options["ledger"]), options["name"])
        self.deliver(write_definitions(texts_of(definitions)), options)
