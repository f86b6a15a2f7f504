"""Files of overviews: they name their origin as those of statements do, and are held against the overview as it is
now."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from datetime import datetime
from typing import Any

from rulka.core.books.fence import Fence
from rulka.core.errors import RulkaError
from rulka.core.proof.origin import figures_altered
from rulka.ledger.leaving import leave_as
from rulka.ledger.models import Ledger
from rulka.overviews.library.storing import checked
from rulka.overviews.models import Overview
from rulka.overviews.output.making import Run, made, plain, run_of
from rulka.overviews.output.shown import NOWHERE, Ways
from rulka.overviews.running.readings import OverviewReader, StatementReadings
from rulka.people.models import Person
from rulka.statements.library.shelves import RUN
from rulka.statements.output.origins import OriginKind, Page, Since
from rulka.statements.output.row_origins import TRACE
from rulka.work.models import LeftFile
from rulka.work.services.leaving import Left


def leave(
    run: Run, form: str, overview: Overview, *, at: datetime, person: Person | None, ways: Ways = NOWHERE
) -> bytes:
    """A file of an overview as somebody sees it, with its origin."""
    ledger = overview.ledger

    def write(stamp: Any) -> bytes:
        return made(run, form, ledger=ledger.name, at=at, ways=ways, stamp=stamp)

    return leave_as(_left(run, overview, person), form, write, by_digest=form == "png")


def _left(run: Run, overview: Overview, person: Person | None) -> Left:
    readings = run.readings
    page = {
        "overview": overview.name, "shelf": overview.shelf_id, "period": readings.period.code,
        "node": readings.node.code, "window": run.switch, "line": run.chosen.code if run.chosen else "",
        "lines": readings.view.fence.shows_lines, "bodies": overview.body,
        "run": {"lines": [list(pair) for pair in _figures(run)]},
    }  # fmt: skip
    return Left(
        overview.ledger.code, "overview", overview.name, readings.period.code, readings.node.code,
        readings.view.revision, readings.view.fence.all_the_way_down.digest, [page],
        person.pk if person else None, person.called if person else "",
    )  # fmt: skip


def _figures(run: Run) -> Iterator[tuple[str, str]]:
    """Every figure of a run, by where it stands."""
    for page in plain(run)["pages"]:
        for tile in page["tiles"]:
            for row in tile.get("rows", ()):
                for name, value in row.items():
                    if name != "line" and value is not None:
                        yield f"{tile['tile']}, {row['line']}, {name}", value
            for table in tile.get("tables", ()):
                for row in table["rows"]:
                    for head, value in zip(table["columns"], row["values"], strict=False):
                        if value is not None:
                            yield f"{tile['tile']}, {table['of']}, {row['label']}, {head}", value


def _shelf(ledger: Ledger, page: Page) -> int | None:
    name = page.get("overview") or page.get("name")
    found = Overview.objects.filter(ledger=ledger, name=name).first()
    shelf: int | None = found.shelf_id if found else page["shelf"]
    return shelf


def _since(left: LeftFile, page: Page, ledger: Ledger, fence: Fence, person: Person | None) -> Since:
    """What of its figures is another one now."""
    named = page["overview"], page["node"]
    overview = Overview.objects.filter(ledger=ledger, name=page["overview"]).first()
    if overview is None:
        return Since(*named, why="The overview was deleted.")
    if overview.body != page["bodies"]:
        return Since(*named, why="The overview was changed since.")
    try:
        reader = OverviewReader(ledger, fence, person, page["period"], page["node"], page["node"])
        run = run_of(StatementReadings(checked(overview.body), reader), page["window"], page["line"])
        now = dict(_figures(run))
    except RulkaError as error:
        return Since(*named, why=str(error))
    return Since(*named, cells=figures_altered(dict(page["run"]["lines"]), now))


KIND = OriginKind(_shelf, lambda page: RUN, lambda page: bool(page["lines"]), _since)
OF_TRACE = replace(TRACE, shelf=_shelf)
"""Rows of a trace of an overview's figure."""
