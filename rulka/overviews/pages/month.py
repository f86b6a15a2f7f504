"""What of a month overviews show: the key figures of the one that somebody chose, and which they opened last."""

from __future__ import annotations

from collections.abc import Iterator

from django.urls import reverse

from rulka.core.errors import RulkaError
from rulka.core.overviews.filling import TileQuestion
from rulka.core.overviews.tiles import Strip
from rulka.ledger.month import Glance, Glanced, Item, Tone, Used
from rulka.ledger.seat import Seat
from rulka.overviews.library.opening import own_overview, runnable, visits_of
from rulka.overviews.library.storing import checked
from rulka.overviews.output.making import UNITS
from rulka.overviews.running.readings import OverviewReader, StatementReadings
from rulka.overviews.running.tiles import filled

MOST_FIGURES = 6


def of_overviews(seat: Seat) -> Iterator[Item]:
    """The key figures of somebody's own overview, for the month; and the overviews that they opened last."""
    overview = own_overview(seat.ledger, seat.person)
    if overview is not None:
        definition = checked(overview.body)
        reader = OverviewReader(seat.ledger, seat.view.fence, seat.person, seat.period.code, seat.node, "")
        readings = StatementReadings(definition, reader)
        tile = next((one for one in definition.tiles if one.kind == "strip"), None)
        found = filled(tile, readings, TileQuestion(("month",), definition.chosen(""))).filled if tile else None
        if isinstance(found, Strip):
            address = f"{reverse('overview', args=[overview.name])}?{seat.query}&window=month"
            try:
                node = readings.node
            except RulkaError:
                return
            unit = f"{UNITS[definition.unit]}{node.currency}, {node.name}"
            yield Glance(overview.title, address, unit[:1].upper() + unit[1:], _rows(found, address), found.has_budget)
    visits = visits_of(seat.ledger, seat.person)
    for one in runnable(seat.ledger, seat.person) if visits else ():
        if one.pk in visits:
            yield Used(one.title, "overview", f"{reverse('overview', args=[one.name])}?{seat.query}", visits[one.pk])


def _rows(strip: Strip, address: str) -> tuple[Glanced, ...]:
    made = []
    for row in strip.rows[:MOST_FIGURES]:
        one = row.windows[0]
        tones: dict[bool | None, Tone] = {True: "good", False: "bad", None: ""}
        made.append(
            Glanced(row.line.title, one.actual.text, one.gap.text, one.gap_part.text, tones[one.gap.good], address)
        )
    return tuple(made)
