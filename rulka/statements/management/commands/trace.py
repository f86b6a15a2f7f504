"""Splits a figure of a statement in any direction: account, period, entity, a dimension, counterparty, lines ..."""

from __future__ import annotations

from argparse import ArgumentParser
from typing import Any

from rulka.core.errors import RulkaError
from rulka.ledger.commanding import RulkaCommand, fence_asked, person_asked
from rulka.ledger.reading.queries import find_ledger
from rulka.ledger.reading.trace_told import told, told_as
from rulka.statements.library.opening import definitions_for
from rulka.statements.running.runs import run


class Command(RulkaCommand):
    help = __doc__

    def add_arguments(self, parser: ArgumentParser) -> None:
        super().add_arguments(parser)
        parser.add_argument("name", help="the statement")
        parser.add_argument("--period", required=True, help="the reporting period, such as 2027-P07")
        parser.add_argument("--node", default="", help="entity code, or group; the first entity when left out")
        parser.add_argument("--line", required=True, help="the key of the line")
        parser.add_argument("--column", required=True, help="the key of the column")
        parser.add_argument(
            "--in", dest="way", action="append", default=[], metavar="DIRECTION=CODE",
            help="a step into the figure, such as account=6110; several go on from each other",
        )  # fmt: skip
        parser.add_argument("--by", default="account", help="what it is split by; line for the lines themselves")
        parser.add_argument("--format", choices=("json", "csv"), default="json")

    def run(self, **options: Any) -> None:
        ledger = find_ledger(options["ledger"])
        fence, person = fence_asked(options["person"], ledger), person_asked(options["person"])
        definitions = definitions_for(ledger, options["name"], person)
        computed = run(definitions, options["period"], options["node"], fence, person).computed
        way = tuple(_step(text) for text in options["way"])
        found = told(ledger, computed, options["line"], options["column"], way, options["by"])
        self.deliver(told_as(found, options["format"]), options)


def _step(text: str) -> tuple[str, str]:
    direction, mark, code = text.partition("=")
    if not mark or not direction.strip():
        raise RulkaError(f"'{text[:40]}' is no step.", hint="Write --in account=6110.", subject="in")
    return direction.strip(), code.strip()
