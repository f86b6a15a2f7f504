"""Runs an overview and writes it as JSON, an HTML page, a PDF or pictures."""

from __future__ import annotations

from argparse import ArgumentParser
from typing import Any

from django.utils import timezone

from rulka.ledger.commanding import RulkaCommand, fence_asked, person_asked
from rulka.ledger.reading.queries import find_ledger, view_of
from rulka.ledger.seat import latest_period
from rulka.overviews.library.opening import open_overview
from rulka.overviews.library.storing import checked
from rulka.overviews.output.leaving import leave
from rulka.overviews.output.making import FORMS, STATES, made, run_of
from rulka.overviews.running.readings import OverviewReader, StatementReadings
from rulka.statements.library.shelves import depth_on


class Command(RulkaCommand):
    help = __doc__

    def add_arguments(self, parser: ArgumentParser) -> None:
        super().add_arguments(parser)
        parser.add_argument("name", help="the overview")
        parser.add_argument("--period", default="", help="the reporting period; the last one with anything booked")
        parser.add_argument("--node", default="", help="whose figures; the first node without it")
        parser.add_argument("--window", choices=STATES, default="date", help="month, year to date, year, or all three")
        parser.add_argument("--line", default="", help="the line that the drawings show; the first without it")
        parser.add_argument("--format", choices=FORMS, default="json")

    def run(self, **options: Any) -> None:
        ledger, person = find_ledger(options["ledger"]), person_asked(options["person"])
        overview = open_overview(ledger, options["name"], person=person)
        fence = fence_asked(options["person"], ledger)
        fence = fence.down_to(depth_on(person, overview.shelf_id)) if person else fence
        period = options["period"] or latest_period(view_of(ledger, fence)).code
        reader = OverviewReader(ledger, fence, person, period, options["node"], options["node"])
        run = run_of(StatementReadings(checked(overview.body), reader), options["window"], options["line"])
        at, form = timezone.localtime(), options["format"]
        if options["out"]:
            data = leave(run, form, overview, at=at, person=person)
        else:
            data = made(run, form, ledger=ledger.name, at=at)
        self.deliver(data.decode() if form in ("json", "html") else data, options)
