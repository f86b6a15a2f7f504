"""Runs an extract and writes its rows as a workbook, CSV, JSON or Parquet."""

from __future__ import annotations

import tempfile
from argparse import ArgumentParser
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from django.utils import timezone

from rulka.core.errors import NotFound, RulkaError, one_of
from rulka.core.values import whole
from rulka.extracts.output.making import left_of, open_named
from rulka.extracts.output.writing import FORMS, write, write_news
from rulka.extracts.running.asked import ExtractReader, check_bounds, opened
from rulka.extracts.running.news import news
from rulka.ledger.commanding import RulkaCommand, fence_asked, person_asked
from rulka.ledger.leaving import leave_rows
from rulka.ledger.reading.queries import find_ledger, view_of
from rulka.ledger.seat import latest_period
from rulka.statements.library.shelves import depth_on


class Command(RulkaCommand):
    help = __doc__

    def add_arguments(self, parser: ArgumentParser) -> None:
        super().add_arguments(parser)
        parser.add_argument("name", help="the extract")
        parser.add_argument("--period", default="", help="the reporting period; the last one with anything booked")
        parser.add_argument("--set", dest="values", action="append", default=[], metavar="NAME=VALUE",
                            help="a question's answer; may be given several times")  # fmt: skip
        parser.add_argument("--layout", default="", help="the layout; the first one without it")
        parser.add_argument("--format", choices=FORMS, default="csv")
        parser.add_argument("--whole", action="store_true", help="run it even where nothing bounds it")
        parser.add_argument("--since", default="", metavar="REVISION", help="only what is new since that revision")

    def run(self, **options: Any) -> None:
        ledger, person = find_ledger(options["ledger"]), person_asked(options["person"])
        extract, definition = open_named(ledger, options["name"], person)
        fence = fence_asked(options["person"], ledger)
        fence = fence.down_to(depth_on(person, extract.shelf_id)) if person else fence
        view = view_of(ledger, fence)
        period = view.frame.calendar.period(options["period"]) if options["period"] else latest_period(view)
        given = answers_in(options["values"], [one.name for one in definition.asks])
        reader = ExtractReader(ledger, fence, period.code, "", person)
        at, form = timezone.localtime(), options["format"]
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / f"rows.{form}"
            with opened(definition, reader, given, layout=options["layout"]) as asked:
                left = left_of(asked, extract, reader, given)
                if options["since"]:
                    found = news(definition, reader, given, whole(options["since"], "--since", least=0))
                    notes = list(found.notes)

                    def made(stamp: Any) -> int:
                        return write_news(found, form, path, f"{definition.title}, news", stamp).rows
                else:
                    check_bounds(asked, whole=options["whole"])

                    def made(stamp: Any) -> int:
                        return write(asked, form, path, at, stamp=stamp, person=options["person"]).rows

                if options["out"]:
                    leave_rows(left, form, path, made)
                else:
                    made(None)
                notes = list(found.notes) if options["since"] else asked.notes
            for note in notes:
                self.stderr.write(note)
            data = path.read_bytes()
        self.deliver(data.decode() if form in ("csv", "json") else data, options)


def answers_in(given: Sequence[str], known: Sequence[str]) -> dict[str, str]:
    """Answers as NAME=VALUE; several of one name are a list."""
    found: dict[str, str] = {}
    for one in given:
        name, sign, value = one.partition("=")
        if not sign:
            raise RulkaError(f"'{one[:60]}' sets nothing.", hint="Write NAME=VALUE.", subject="--set")
        if name not in known:
            raise NotFound(f"It asks no '{name[:40]}'.", hint=one_of(name, known), subject="--set")
        found[name] = f"{found[name]}\n{value}" if name in found else value
    return found
