"""An entity's balances by a calendar of its own: the same lines, put into other periods by their dates."""

from __future__ import annotations

from dataclasses import replace
from datetime import date, datetime
from functools import lru_cache

import numpy as np
from django.db import connection

from rulka.core.book import Book, Movements
from rulka.core.calendar import FiscalCalendar, Period
from rulka.core.errors import NotFound, RulkaError
from rulka.formats.ledger_folder import calendar_from
from rulka.ledger.models import Ledger, Revision
from rulka.ledger.queries import book_of, snapshot


def own_calendar_book(ledger: Ledger, entity: str) -> Book:
    """One entity's book in the calendar that it names; the other entities are not in it."""
    found = ledger.entities.filter(code=entity).first()
    if found is None:
        raise NotFound(f"Entity '{entity}' does not exist.", subject="entity")
    if not found.calendar:
        raise RulkaError(f"{entity} names no calendar of its own.", hint="Its calendar is the group's.", subject="calendar")
    newest = Revision.objects.filter(ledger=ledger).latest("number")
    return _book(ledger.pk, newest.at, found.pk, found.calendar)


@lru_cache(maxsize=8)
def _book(ledger_id: int, at: datetime, entity_id: int, name: str) -> Book:
    with snapshot():
        ledger = Ledger.objects.get(pk=ledger_id)
        book = book_of(ledger)
        calendar = calendar_from(ledger.calendars[name])
        place = {int(key): at for at, key in enumerate(book.keys.ids) if key}
        group = {int(period.code[:4]) * 100 + period.number: period for period in book.frame.calendar.periods}
        with connection.cursor() as cursor:
            cursor.execute(
                "SELECT l.key_id, l.date, l.period, l.status, l.effect, SUM(l.debit), SUM(l.credit), COUNT(*) FROM ledger_journalline l "
                "JOIN ledger_postingkey k ON k.id = l.key_id WHERE k.entity_id = %s GROUP BY 1, 2, 3, 4, 5",
                [entity_id],
            )
            rows = cursor.fetchall()
            cursor.execute(
                "SELECT s.code, b.key_id, b.period, b.status, b.effect, b.debit, b.credit, b.count FROM ledger_balance b JOIN ledger_scenario s "
                "ON s.id = b.scenario_id JOIN ledger_postingkey k ON k.id = b.key_id WHERE s.ledger_id = %s AND s.code <> 'actual' AND k.entity_id = %s",
                [ledger_id, entity_id],
            )
            budgets = cursor.fetchall()
    parts: dict[str, list[tuple[int, ...]]] = {"actual": []}
    for key, day, number, *rest in rows:
        own = own_period(calendar, group[number], day if isinstance(day, date) else date.fromisoformat(day))
        parts["actual"].append((place[key], own.index, *rest))
    for code, key, number, *rest in budgets:  # a budget's period has no days of its own: it falls where its last day does
        own = own_period(calendar, group[number], group[number].end)
        parts.setdefault(code, []).append((place[key], own.index, *rest))
    movements = {code: Movements(*np.array(found, dtype=np.int64).reshape(-1, 7).T) for code, found in parts.items()}
    return Book(replace(book.frame, calendar=calendar), book.keys, movements, book.revision)


def own_period(calendar: FiscalCalendar, of_group: Period, day: date) -> Period:
    """The period of another calendar that a line falls into: by its date, an adjusting one into the same year's first adjusting period."""
    period = calendar.on(day)
    if period is None:
        raise RulkaError(f"{day} lies outside the entity's own calendar.", hint="Make that calendar longer.", subject="calendar")
    if of_group.adjusting:
        own = [one for one in calendar.of_year(period.year) if one.adjusting]
        if own:
            return own[0]
    return period
