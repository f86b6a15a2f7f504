"""Writes a trial balance: opening, gross debits and credits, closing by entity and account."""

from __future__ import annotations

import csv
import io
import json
from argparse import ArgumentParser
from typing import Any

from rulka.core.books.trial_balance import TrialBalanceRow, trial_balance
from rulka.core.money import minor_text
from rulka.formats.figures import plain_text
from rulka.ledger.commanding import RulkaCommand, fence_asked
from rulka.ledger.reading.calendars import in_own_calendar
from rulka.ledger.reading.history import view_at
from rulka.ledger.reading.queries import find_ledger, view_of

COLUMNS = ("entity", "account", "name", "opening", "debits", "credits", "closing")


class Command(RulkaCommand):
    help = __doc__

    def add_arguments(self, parser: ArgumentParser) -> None:
        super().add_arguments(parser)
        parser.add_argument("--from", dest="first", required=True, help="first period, such as 2027-P01")
        parser.add_argument("--to", dest="last", required=True, help="last period, such as 2027-P07")
        parser.add_argument("--entity", default="", help="code of one entity")
        parser.add_argument("--scenario", default="actual")
        parser.add_argument("--with-pending", action="store_true", help="count pending entries too")
        parser.add_argument(
            "--calendar",
            choices=["group", "own"],
            default="group",
            help="the group's calendar, or the one that --entity names",
        )
        parser.add_argument(
            "--revision", type=int, default=0, help="as at this revision; the newest when it is not given"
        )
        parser.add_argument("--format", choices=["csv", "json"], default="csv")

    def run(self, **options: Any) -> None:
        ledger = find_ledger(options["ledger"])
        fence = fence_asked(options["person"], ledger)
        view = view_at(ledger, options["revision"], fence) if options["revision"] else view_of(ledger, fence)
        if options["calendar"] == "own":
            view = in_own_calendar(view, options["entity"])
        calendar = view.frame.calendar
        rows = trial_balance(
            view,
            calendar.period(options["first"]),
            calendar.period(options["last"]),
            entity=options["entity"],
            scenario=options["scenario"],
            pending=options["with_pending"],
        )
        cells = [_texts(row) for row in rows.rows()]
        self.deliver(_json(cells) if options["format"] == "json" else _csv(cells), options)


def _texts(row: TrialBalanceRow) -> list[str]:
    amounts = ("sealed" if row.is_sealed else minor_text(amount, row.digits) for amount in row.amounts)
    return [row.entity, row.account, row.name, *amounts]


def _json(rows: list[list[str]]) -> str:
    return json.dumps([dict(zip(COLUMNS, row, strict=True)) for row in rows], ensure_ascii=False, indent=1) + "\n"


def _csv(rows: list[list[str]]) -> str:
    file = io.StringIO()
    writer = csv.writer(file, lineterminator="\n")
    writer.writerow(COLUMNS)
    writer.writerows([*map(plain_text, texts), *amounts] for *texts, a, b, c, d in rows for amounts in [(a, b, c, d)])
    return file.getvalue()
