"""What of a month the ledger shows: how each entity stands, loads that wait, what looks wrong."""

from __future__ import annotations

from collections.abc import Iterator
from urllib.parse import urlencode

from django.urls import reverse

from rulka.core.books.calendar import period_number
from rulka.core.books.overview import held_by_period
from rulka.core.errors import RulkaError
from rulka.ledger.models import ClosedPeriod
from rulka.ledger.month import Item, MonthBooks, Waits
from rulka.ledger.reading.suspects import suspects
from rulka.ledger.seat import Seat
from rulka.people.duties import EXPLAIN, LOAD
from rulka.people.library.preferences import day_text
from rulka.work.models import Load
from rulka.work.services import loads

MOST_FINDINGS = 4
MOST_LOADS = 20


def of_books(seat: Seat) -> Iterator[Item]:
    """Each entity's month, for whoever sees what is behind figures."""
    if not seat.view.fence.opens_figures:
        return
    frame, period = seat.view.frame, seat.period
    held, visible = held_by_period(seat.view), seat.view.visible_entities()
    closings = ClosedPeriod.objects.of_ledger(seat.ledger).standing().filter(period=period_number(period.code))
    closed = {one.entity.code: one for one in closings.select_related("entity")}
    year = [one.index for one in frame.calendar.of_year(period.year) if one.index <= period.index]
    for at, entity in enumerate(frame.entities.items):
        if not visible[at]:
            continue
        own = held[at][period.index]
        pending = sum(held[at][index].pending for index in year)
        shut = closed.get(entity.code)
        state = f"closed {day_text(shut.at)}" if shut else "loaded" if own.lines else "nothing booked"
        query = urlencode({"ledger": seat.ledger.code, "period": period.code, "node": entity.code})
        lines = seat.view.fence.shows_lines
        yield MonthBooks(
            entity.code, entity.name, frame.currencies[at], sum(held[at][index].lines for index in year), pending,
            state, f"{reverse('ledger')}?{query}",
            f"{reverse('ledger-journal')}?{query}&{urlencode({'status': 'pending'})}" if lines and pending else "",
        )  # fmt: skip


def of_loads(seat: Seat) -> Iterator[Item]:
    """Loads that wait for a decision, or came to nothing, for whoever may decide."""
    if not seat.person.may(LOAD):
        return
    for load in loads.of_ledger(seat.ledger.code, MOST_LOADS):
        address = f"{reverse('load', args=[load.pk])}?{seat.query}"
        if load.state == Load.State.HELD:
            yield Waits(
                "accept", f"A load from {load.feed_name}", address, f"since {day_text(load.created)}", "open", 2
            )
    for load in loads.of_ledger(seat.ledger.code, 1):
        if load.state in (Load.State.REFUSED, Load.State.FAILED):
            address = f"{reverse('load', args=[load.pk])}?{seat.query}"
            yield Waits("look", f"The last load from {load.feed_name} was {load.state}", address,
                        day_text(load.created), "bad", 1)  # fmt: skip


def of_findings(seat: Seat) -> Iterator[Item]:
    """What looks wrong, for whoever explains and sees the entries."""
    if not seat.person.may(EXPLAIN) or not seat.view.fence.shows_lines:
        return
    try:
        found = [one.finding for one in suspects(seat.ledger, seat.view, seat.period) if one.stands]
    except RulkaError:
        return  # a month of which nothing can be judged has its reason on the page of what looks wrong
    page = reverse("ledger-wrong")
    for one in found[:MOST_FINDINGS]:
        query = urlencode({"rule": one.rule, "subject": one.subject})
        yield Waits("look at", one.title, f"{page}?{seat.query}&{query}", "", "", 6)
    if len(found) > MOST_FINDINGS:
        yield Waits("look at", f"{len(found) - MOST_FINDINGS} more that look wrong", f"{page}?{seat.query}", "", "", 7)
