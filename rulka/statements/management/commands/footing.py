"""Tells the checks of a statement; exit code 3 when one fails, 4 when none fails but one warns or was not judged."""

from __future__ import annotations

import sys
from argparse import ArgumentParser
from typing import Any

from rulka.ledger.commanding import RulkaCommand, fence_asked, person_asked
from rulka.ledger.reading.queries import find_ledger
from rulka.statements.library.opening import definitions_for
from rulka.statements.running.runs import run


class Command(RulkaCommand):
    help = __doc__

    def add_arguments(self, parser: ArgumentParser) -> None:
        super().add_arguments(parser)
        parser.add_argument("name", help="the statement")
        parser.add_argument("--period", required=True, help="the reporting period, such as 2027-P07")
        parser.add_argument("--node", default="", help="entity code, or group; the first entity when left out")

    def run(self, **options: Any) -> None:
        ledger = find_ledger(options["ledger"])
        fence, person = fence_asked(options["person"], ledger), person_asked(options["person"])
        definitions = definitions_for(ledger, options["name"], person)
        outcome = run(definitions, options["period"], options["node"], fence, person)
        told = [
            f"{check.state:10}  {check.code:14}  {check.check}" + (f": {check.detail}" if check.detail else "")
            for check in outcome.checks
        ]
        verdict = outcome.verdict
        self.deliver("\n".join([*told, verdict.text]) + "\n", options)
        if verdict.exit_code:
            sys.exit(verdict.exit_code)
