"""Overviews that are sent: run for each recipient, behind their fence, at one revision."""

from __future__ import annotations

from rulka.core.books.fence import DEPTHS
from rulka.core.errors import RulkaError
from rulka.ledger.models import Ledger
from rulka.overviews.library.opening import open_overview, runnable
from rulka.overviews.library.storing import checked
from rulka.overviews.output.leaving import leave
from rulka.overviews.output.making import FORMS, made, run_of
from rulka.overviews.running.readings import OverviewReader, StatementReadings
from rulka.people.models import Person
from rulka.statements.library.shelves import depth_on, level_on
from rulka.statements.output.sendable import SendRequest, SentFile

WINDOW = "date"
"""The time that an overview shows where it is sent: the year to date."""


class Overviews:
    """Overviews as a kind of thing that can be sent: all their pages, the year to date, the first line to choose."""

    def pieces(self, asked: SendRequest) -> list[SentFile]:
        overview = open_overview(asked.ledger, asked.name, person=asked.person)
        fence = asked.fence.down_to(depth_on(asked.person, overview.shelf_id))
        reader = OverviewReader(asked.ledger, fence, asked.person, asked.period, asked.node, asked.node, asked.revision)
        readings = StatementReadings(checked(overview.body), reader)
        names = {
            "statement": overview.title, "node": readings.node.name, "node.code": readings.node.code,
            "period": readings.period.title, "period.code": readings.period.code, "currency": readings.node.currency,
            "ledger": asked.ledger.name, "revision": str(readings.view.revision),
            "date": f"{asked.at.day} {asked.at:%B %Y}", "time": f"{asked.at:%H:%M %Z}".strip(),
        }  # fmt: skip

        def content(form: str) -> bytes:
            if form not in FORMS or form == "png":
                raise RulkaError(
                    f"'{overview.title}' is drawn: it goes as PDF, HTML or JSON.", hint="Choose one of these.",
                    subject="sends",
                )  # fmt: skip
            run = run_of(readings, WINDOW, "")
            if asked.leaves:
                return leave(run, form, overview, at=asked.at, person=asked.person)
            return made(run, form, ledger=asked.ledger.name, at=asked.at)

        return [SentFile(names, content)]

    def edition(self, ledger: Ledger, name: str, period: str) -> int | None:
        return None

    def check(self, ledger: Ledger, name: str, person: Person | None) -> None:
        open_overview(ledger, name, person=person)

    def level(self, ledger: Ledger, name: str, person: Person) -> tuple[int, int]:
        shelf = open_overview(ledger, name, person=None).shelf_id
        return level_on(person, shelf), DEPTHS.index(depth_on(person, shelf))

    def names(self, ledger: Ledger, person: Person) -> list[tuple[str, str]]:
        return sorted(((one.name, one.title) for one in runnable(ledger, person)), key=lambda pair: pair[1])
