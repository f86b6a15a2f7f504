"""Says what drives a variance of a statement: the few accounts, members or counterparties that make up most of it."""

from __future__ import annotations

import json
from argparse import ArgumentParser
from typing import Any

from rulka.core.errors import RulkaError
from rulka.core.money import exact_text
from rulka.core.proof.drivers import drivers_of
from rulka.core.proof.price_volume import price_volume
from rulka.core.proof.splits import open_figure
from rulka.core.proof.terms import sides_of
from rulka.ledger.commanding import RulkaCommand, fence_asked, person_asked
from rulka.ledger.reading.queries import find_ledger
from rulka.ledger.reading.trace_drivers import parts_told, told_drivers
from rulka.ledger.reading.trace_lines import quantity_digits
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
        parser.add_argument("--column", required=True, help="the key of the column, a difference")
        parser.add_argument("--by", default="", help="the direction to look in, such as account; else the best one")

    def run(self, **options: Any) -> None:
        ledger = find_ledger(options["ledger"])
        fence, person = fence_asked(options["person"], ledger), person_asked(options["person"])
        definitions = definitions_for(ledger, options["name"], person)
        computed = run(definitions, options["period"], options["node"], fence, person).computed
        if sides_of(computed, options["column"]) is None:
            raise RulkaError(
                f"Column '{options['column']}' is no difference of two columns.",
                hint="Name one that is.",
                subject="column",
            )
        opened = open_figure(computed, options["line"], options["column"])
        digits = quantity_digits(opened)

        def text(value: Any) -> str:
            return exact_text(value, digits)

        found = told_drivers(drivers_of(opened, options["by"]), text)
        parts = parts_told(price_volume(opened), text)
        told = {
            "statement": computed.statement.name,
            "period": computed.period.code,
            "node": computed.node.code,
            **found,
        }
        if parts is not None:
            told["price and volume"] = parts
        self.deliver(json.dumps(told, ensure_ascii=False, indent=1) + "\n", options)
