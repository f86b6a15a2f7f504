"""Makes a filing as inline XBRL or as an XBRL instance, once its checks hold and the validator has nothing against it.
Ends with 3 when a check fails; `--checks` writes the checks alone."""

from __future__ import annotations

import json
import sys
from argparse import ArgumentParser
from typing import Any

from django.utils import timezone

from rulka.core.filings.checking import verdict_on
from rulka.filings.library.opening import open_filing
from rulka.filings.output.leaving import leave
from rulka.filings.output.making import FORMS, NotHeld, filed
from rulka.filings.running.reading import FilingReading
from rulka.ledger.commanding import RulkaCommand, fence_asked, person_asked
from rulka.ledger.reading.queries import find_ledger

FAILS = 3


class Command(RulkaCommand):
    help = __doc__

    def add_arguments(self, parser: ArgumentParser) -> None:
        super().add_arguments(parser)
        parser.add_argument("name", help="the filing")
        parser.add_argument("--period", default="", help="another period than the filing's or its folio's")
        parser.add_argument("--node", default="", help="another node")
        parser.add_argument("--format", choices=FORMS, default="ixbrl")
        parser.add_argument("--checks", action="store_true", help="write its checks as JSON, make nothing")

    def run(self, **options: Any) -> None:
        ledger, person = find_ledger(options["ledger"]), person_asked(options["person"])
        filing = open_filing(ledger, options["name"], person=person)
        fence = fence_asked(options["person"], ledger)
        reading = FilingReading(filing, fence, person, options["period"], options["node"])
        if options["checks"]:
            told = {"filing": filing.name, "period": reading.reading.period.code, "checks": checks_told(reading)}
            self.deliver(json.dumps(told, ensure_ascii=False, indent=2) + "\n", options)
            if verdict_on(reading.checks) in ("fails", "not judged"):
                sys.exit(FAILS)
            return
        try:
            made = leave(reading, options["format"], at=timezone.localtime()) if options["out"] else filed(
                reading, options["format"]
            )  # fmt: skip
        except NotHeld as error:
            self.stderr.write(str(error))
            sys.exit(FAILS)
        for one in made.says:
            self.stderr.write(one)
        self.deliver(made.data.decode(), options)


def checks_told(reading: FilingReading) -> list[dict[str, Any]]:
    """The checks, plain."""
    return [
        {
            "check": one.title, "code": one.code, "state": one.state, "detail": one.detail,
            "problems": [
                {"message": each.message, "hint": each.hint, **{
                    name: value for name, value in vars(each.place).items() if value
                }}
                for each in one.problems
            ],
        }
        for one in reading.checks
    ]  # fmt: skip
