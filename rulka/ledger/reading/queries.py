"""Reads of a ledger: the book of balances, kept per process by revision, and the lines behind a figure."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from fractions import Fraction
from functools import lru_cache
from typing import Any

import numpy as np
from django.db import connection, transaction
from django.db.models import Count
from django.db.models.expressions import RawSQL

from rulka.core.books.book import Book, View
from rulka.core.books.calendar import FiscalCalendar, period_code, period_number
from rulka.core.books.chart import IntArray, Item, code_list
from rulka.core.books.fence import Fence
from rulka.core.books.frame import Frame, Keys, Movements
from rulka.core.books.rates import Rates
from rulka.core.errors import NotFound, one_of
from rulka.formats.currencies import minor_digits
from rulka.formats.intake.ledger_folder import calendar_from
from rulka.ledger.models import (
    Account,
    BalanceChunk,
    BudgetLine,
    Entity,
    Ledger,
    Member,
    PostingKey,
    Scenario,
)
from rulka.ledger.reading.line_reader import LineReader


@contextmanager
def snapshot() -> Iterator[None]:
    """One consistent state for several reads, without waiting for a load that is writing."""
    if connection.in_atomic_block:
        yield
        return
    connection.ensure_connection()
    backend: Any = connection  # the transaction mode is SQLite's own, known once it is connected
    former = backend.transaction_mode
    backend.transaction_mode = "DEFERRED"
    try:
        with transaction.atomic():
            yield
    finally:
        backend.transaction_mode = former


def find_ledger(code: str = "") -> Ledger:
    """A ledger by its code; the only one when none is named."""
    ledgers = {ledger.code: ledger for ledger in Ledger.objects.order_by("code")}
    if not code and len(ledgers) == 1:
        return next(iter(ledgers.values()))
    if code not in ledgers:
        message = f"Ledger '{code}' does not exist." if code else "No ledger is named."
        raise NotFound(message, hint=one_of(code, ledgers), subject="ledger")
    return ledgers[code]


_BOOKS: dict[int, tuple[object, Book]] = {}


def view_of(ledger: Ledger, fence: Fence) -> View:
    """The ledger through a fence, as it is now; read again only when its revision moved."""
    return _book_of(ledger).within(fence)


def views_of(ledger: Ledger) -> Callable[[Fence], View]:
    """The ledger as it is now through any fence, read once for several."""
    return _book_of(ledger).within


def frame_of(ledger: Ledger) -> Frame:
    """What stands still under the ledger's figures; none of them."""
    return _book_of(ledger).frame


def _book_of(ledger: Ledger) -> Book:
    with snapshot():
        ledger = Ledger.objects.get(pk=ledger.pk)
        # the moment tells a ledger from another one that once had its place in the database
        state = (ledger.code, ledger.revision, ledger.revisions.values_list("at", flat=True).first())
        kept = _BOOKS.get(ledger.pk)
        if kept and kept[0] == state:
            return kept[1]
        book = _read_book(ledger)
    _BOOKS[ledger.pk] = (state, book)
    return book


@dataclass(frozen=True)
class MasterRows:
    """The coded things of a ledger, as stored or as they were."""

    entities: list[Entity]
    accounts: list[Account]
    members: list[Member]
    scenarios: list[Scenario]


def _read_book(ledger: Ledger) -> Book:
    rows = MasterRows(
        list(ledger.entities.all()),
        list(ledger.accounts.all()),
        list(ledger.members.all()),
        list(ledger.scenarios.order_by("pk")),
    )
    frame = build_frame(ledger, rows)
    keys, ids = build_keys(ledger, frame, rows)
    movements = movements_from(balance_chunks(ledger), ids, frame, rows.scenarios)
    return Book(frame, keys, movements, ledger.revision, LineReader(ledger, frame, ids))


@lru_cache(maxsize=32)
def _calendar(text: str) -> FiscalCalendar:
    return calendar_from(json.loads(text))


def calendar_of(ledger: Ledger) -> FiscalCalendar:
    """The ledger's fiscal calendar."""
    return _calendar(json.dumps(ledger.calendar, sort_keys=True))


def build_frame(ledger: Ledger, rows: MasterRows) -> Frame:
    """The frame of a book from settings and coded things."""
    by_code = {entity.code: entity.currency for entity in rows.entities}
    own = {entity.code: entity.calendar for entity in rows.entities}
    codes = code_list("entity", (Item(e.code, e.name, e.parent) for e in rows.entities))
    members: dict[str, list[Item]] = {key: [] for key in ledger.dimensions}
    for member in rows.members:
        if member.dimension in members:
            members[member.dimension].append(Item(member.code, member.name, member.parent))
    currencies = tuple(by_code[item.code] for item in codes.items)
    return Frame(
        name=ledger.name,
        group_currency=ledger.group_currency,
        calendar=calendar_of(ledger),
        entities=codes,
        accounts=code_list(
            "account",
            (
                Item(a.code, a.name, a.parent, a.type, a.category, a.active, a.unit, a.intercompany, a.rate)
                for a in rows.accounts
            ),
        ),
        dimensions={key: code_list(key, items) for key, items in members.items()},
        retained_earnings=ledger.retained_earnings,
        scenarios={
            scenario.code: scenario.kind for scenario in sorted(rows.scenarios, key=lambda scenario: scenario.pk)
        },
        currencies=currencies,
        digits=np.array([minor_digits(currency) for currency in currencies], dtype=np.int64),
        first_entity=rows.entities[0].code if rows.entities else "",
        group_digits=minor_digits(ledger.group_currency),
        translation_reserve=ledger.translation_reserve,
        rates=rates_of(ledger),
        calendars={name: _calendar(json.dumps(raw, sort_keys=True)) for name, raw in ledger.calendars.items()},
        entity_calendars=tuple(own[item.code] for item in codes.items),
    )


def rates_of(ledger: Ledger) -> Rates:
    """The ledger's rates, exactly as its source wrote them."""
    given = {}
    for period, source, target, average, closing in ledger.rates.values_list(
        "period", "source", "target", "average", "closing"
    ):
        given[period_code(period), source, target] = (Fraction(average) if average else None, Fraction(closing))
    return Rates(given)


def build_keys(ledger: Ledger, frame: Frame, rows: MasterRows) -> tuple[Keys, IntArray]:
    """The posting keys that the frame knows, and their ids; members of dimensions that came later are left off."""
    entity = {e.pk: frame.entities.index[e.code] for e in rows.entities}
    account = {a.pk: frame.accounts.index[a.code] for a in rows.accounts}
    member = {
        str(m.pk): frame.dimensions[m.dimension].index[m.code] for m in rows.members if m.dimension in frame.dimensions
    }
    width = len(frame.dimensions)
    stored = (
        PostingKey.objects.filter(ledger=ledger)
        .order_by("pk")
        .values_list("pk", "entity", "account", "partner", "members")
    )
    found, members = [], []
    for pk, of_entity, of_account, partner, codes in stored:
        if of_entity not in entity or of_account not in account or (partner is not None and partner not in entity):
            continue
        places = [member.get(code, -1) for code in codes.split(",")[:width]] if width else []
        if -1 in places:
            continue
        found.append((pk, entity[of_entity], account[of_account], -1 if partner is None else entity[partner]))
        members.append(places)
    table = np.array(found, dtype=np.int64).reshape(-1, 4)
    keys = Keys(
        table[:, 0], table[:, 1], table[:, 2], table[:, 3], np.array(members, dtype=np.int64).reshape(len(found), width)
    )
    return keys, table[:, 0]


def balance_chunks(ledger: Ledger) -> list[tuple[Any, ...]]:
    """The ledger's balances as stored: scenario, period, status, effect, then arrays of bytes."""
    fields = ("scenario_id", "period", "status", "effect", "keys", "debits", "credits", "counts")
    return list(BalanceChunk.objects.filter(scenario__ledger=ledger).values_list(*fields))


def movements_from(
    chunks: Sequence[tuple[Any, ...]], ids: IntArray, frame: Frame, scenarios: Sequence[Scenario]
) -> dict[str, Movements]:
    """Movements by scenario from chunks; `ids` are the posting keys in the order of the book's, rising."""
    place = {period_number(period.code): period.index for period in frame.calendar.periods}
    code = {scenario.pk: scenario.code for scenario in scenarios}
    if not len(ids):
        return {}
    at = np.full(int(ids[-1]) + 2, -1, dtype=np.int64)  # the place of each key by its id: quicker than searching
    at[ids] = np.arange(len(ids))
    parts: dict[str, list[tuple[Any, ...]]] = {}
    for chunk in chunks:
        if chunk[0] in code and chunk[1] in place:
            parts.setdefault(code[chunk[0]], []).append(chunk)
    return {name: _movements(rows, at, place) for name, rows in parts.items()}


def _movements(chunks: Sequence[tuple[Any, ...]], at: IntArray, place: Mapping[int, int]) -> Movements:
    sizes = [len(chunk[4]) // 8 for chunk in chunks]
    fixed = [
        np.repeat(np.array(values, dtype=np.int64), sizes)
        for values in (
            [place[chunk[1]] for chunk in chunks],
            [chunk[2] for chunk in chunks],
            [chunk[3] for chunk in chunks],
        )
    ]
    stored, *amounts = (
        np.frombuffer(b"".join(chunk[column] for chunk in chunks), dtype=np.int64) for column in range(4, 8)
    )
    keys = at[np.minimum(stored, len(at) - 1)]
    known = keys >= 0
    columns = [keys, *fixed, *amounts]
    if not known.all():
        columns = [column[known] for column in columns]
    return Movements(*columns)


def within(field: str, ids: Sequence[int]) -> dict[str, Any]:
    """A filter for any number of ids, passed as one parameter."""
    return {f"{field}__in": RawSQL("SELECT value FROM json_each(%s)", [json.dumps(list(ids))])}


def scenario_titles(ledger: Ledger) -> dict[str, str]:
    """What scenarios are called, by code."""
    return dict(Scenario.objects.filter(ledger=ledger).values_list("code", "name"))


def budget_counts(ledger: Ledger, view: View) -> dict[str, int]:
    """How many budget rows each scenario has; nothing for whoever sees a part."""
    if not view.fence.hides_nothing:
        return {}
    rows = BudgetLine.objects.filter(scenario__ledger=ledger).values_list("scenario__code").annotate(n=Count("pk"))
    return dict(rows)
