"""Lists what looks wrong in a month of a ledger, the most serious first; what was dismissed is left out."""

from __future__ import annotations

import csv
import io
import json
from argparse import ArgumentParser
from typing import Any

from rulka.core.money import minor_text
from rulka.formats.figures import plain_text
from rulka.ledger.commanding import RulkaCommand, fence_asked
from rulka.ledger.reading.queries import find_ledger, view_of
from rulka.ledger.reading.suspects import suspects


class Command(RulkaCommand):
    help = __doc__

    def add_arguments(self, parser: ArgumentParser) -> None:
        super().add_arguments(parser)
        parser.add_argument("--period", required=True, help="the month, such as 2027-P07")
        parser.add_argument("--all", action="store_true", help="those that were dismissed too")
        parser.add_argument("--format", choices=("json", "csv"), default="json")

    def run(self, **options: Any) -> None:
        ledger = find_ledger(options["ledger"])
        view = view_of(ledger, fence_asked(options["person"], ledger))
        found = suspects(ledger, view, view.frame.calendar.period(options["period"]))
        told = []
        for one in found:
            finding = one.finding
            if one.stands or options["all"]:
                told.append(
                    {
                        "rule": finding.rule,
                        "score": round(float(finding.score), 4),
                        "title": finding.title,
                        "amount": minor_text(finding.amount, finding.digits),
                        "entries": [{"entity": name.entity, "entry": name.number} for name in finding.entries],
                        "currency": finding.currency,
                        "detail": finding.detail,
                        "subject": finding.subject,
                        **({"dismissed": one.dismissed.reason} if one.dismissed and not one.stands else {}),
                    }
                )
        self.deliver(_written(told, options["format"]), options)


def _written(told: list[dict[str, Any]], form: str) -> str:
    if form == "json":
        return json.dumps(told, ensure_ascii=False, indent=1) + "\n"
    target = io.StringIO()
    writer = csv.writer(target, lineterminator="\n")
    writer.writerow(["rule", "score", "title", "amount", "currency", "entries"])
    for one in told:
        entries = " ".join(f"{entry['entity']}/{entry['entry']}" for entry in one["entries"])
        row = [one[name] for name in ("rule", "score", "title", "amount", "currency")]
        writer.writerow([*(plain_text(str(value)) for value in row), plain_text(entries)])
    return target.getvalue()
