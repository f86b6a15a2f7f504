"""Reads of a ledger: the book of balances, kept per process by revision, and the lines behind a figure."""

from __future__ import annotations

import json
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np
from django.db import connection, transaction
from django.db.models import QuerySet, Sum
from django.db.models.expressions import RawSQL

from rulka.core.book import PENDING, POSTED, Book, Frame, Keys, Movements
from rulka.core.calendar import FiscalCalendar
from rulka.core.chart import Item, code_list
from rulka.core.errors import NotFound, one_of
from rulka.formats.currencies import minor_digits
from rulka.formats.ledger_folder import calendar_from
from rulka.ledger.staging import period_number
from rulka.ledger.models import BalanceChunk, BudgetLine, JournalEntry, JournalLine, Ledger, PostingKey


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


def book_of(ledger: Ledger) -> Book:
    """The ledger's balances in arrays, read again only when its revision moved."""
    with snapshot():
        ledger = Ledger.objects.get(pk=ledger.pk)
        # the moment tells a ledger from another one that once had its place in the database
        state = (ledger.code, ledger.revision, ledger.revisions.values_list("at", flat=True).first())
        kept = _BOOKS.get(ledger.pk)
        if kept and kept[0] == state:
            return kept[1]
        frame = _frame(ledger)
        book = Book(frame, _keys(ledger, frame), _movements(ledger, frame), ledger.revision)
    _BOOKS[ledger.pk] = (state, book)
    return book


@lru_cache(maxsize=32)
def _calendar(text: str) -> FiscalCalendar:
    return calendar_from(json.loads(text))


def calendar_of(ledger: Ledger) -> FiscalCalendar:
    """The ledger's fiscal calendar."""
    return _calendar(json.dumps(ledger.calendar, sort_keys=True))


def _frame(ledger: Ledger) -> Frame:
    entities = list(ledger.entities.all())
    by_code = {entity.code: entity.currency for entity in entities}
    codes = code_list("entity", (Item(e.code, e.name, e.parent) for e in entities))
    members: dict[str, list[Item]] = {key: [] for key in ledger.dimensions}
    for member in ledger.members.all():
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
            (Item(a.code, a.name, a.parent, a.type, a.category, a.active, a.unit, a.intercompany) for a in ledger.accounts.all()),
        ),
        dimensions={key: code_list(key, items) for key, items in members.items()},
        retained_earnings=ledger.retained_earnings,
        scenarios={scenario.code: scenario.kind for scenario in ledger.scenarios.order_by("pk")},
        currencies=currencies,
        digits=np.array([minor_digits(currency) for currency in currencies], dtype=np.int64),
        first_entity=entities[0].code if entities else "",
        group_digits=minor_digits(ledger.group_currency),
    )


def _keys(ledger: Ledger, frame: Frame) -> Keys:
    entity = {e.pk: frame.entities.index[e.code] for e in ledger.entities.all()}
    account = {a.pk: frame.accounts.index[a.code] for a in ledger.accounts.all()}
    member = {str(m.pk): frame.dimensions[m.dimension].index[m.code] for m in ledger.members.all() if m.dimension in frame.dimensions}
    rows = list(PostingKey.objects.filter(ledger=ledger).order_by("pk").values_list("pk", "entity", "account", "partner", "members"))
    width = len(frame.dimensions)
    return Keys(
        ids=np.array([row[0] for row in rows], dtype=np.int64),
        entity=np.array([entity[row[1]] for row in rows], dtype=np.int64),
        account=np.array([account[row[2]] for row in rows], dtype=np.int64),
        partner=np.array([-1 if row[3] is None else entity[row[3]] for row in rows], dtype=np.int64),
        members=np.array([[member[code] for code in row[4].split(",")] if width else [] for row in rows], dtype=np.int64).reshape(len(rows), width),
    )


def _movements(ledger: Ledger, frame: Frame) -> dict[str, Movements]:
    ids = np.array(PostingKey.objects.filter(ledger=ledger).order_by("pk").values_list("pk", flat=True), dtype=np.int64)
    place = {period_number(period.code): period.index for period in frame.calendar.periods}
    parts: dict[str, list[tuple[Any, ...]]] = {}
    for chunk in BalanceChunk.objects.filter(scenario__ledger=ledger).select_related("scenario"):
        keys = np.searchsorted(ids, np.frombuffer(chunk.keys, dtype=np.int64))
        amounts = [np.frombuffer(data, dtype=np.int64) for data in (chunk.debits, chunk.credits, chunk.counts)]
        fixed = [np.full(len(keys), value, dtype=np.int64) for value in (place[chunk.period], chunk.status, chunk.effect)]
        parts.setdefault(chunk.scenario.code, []).append((keys, *fixed, *amounts))
    return {code: Movements(*(np.concatenate(columns) for columns in zip(*rows, strict=True))) for code, rows in parts.items()}


def within(field: str, ids: Sequence[int]) -> dict[str, Any]:
    """A filter for any number of ids, passed as one parameter."""
    return {f"{field}__in": RawSQL("SELECT value FROM json_each(%s)", [json.dumps(list(ids))])}


@dataclass(frozen=True)
class LineFilter:
    """Which journal lines: posting keys, stored period numbers, effects (None is all), pending ones too or not."""

    keys: Sequence[int]
    periods: Sequence[int]
    effect: int | None = None
    pending: bool = False
    side: str = ""  # debits, credits: only lines on that side
    search: str = ""


def lines_behind(wanted: LineFilter) -> QuerySet[JournalLine]:
    """The journal lines behind a figure."""
    lines = JournalLine.objects.filter(
        **within("key", wanted.keys), period__in=wanted.periods, status__in=[POSTED, PENDING] if wanted.pending else [POSTED]
    )
    if wanted.effect is not None:
        lines = lines.filter(effect=wanted.effect)
    if wanted.side == "debits":
        lines = lines.exclude(debit=0)
    if wanted.side == "credits":
        lines = lines.exclude(credit=0)
    if wanted.search:
        from django.db.models import Q

        found = Q()
        for name in ("description", "document", "counterparty", "counterparty_name", "source", "entry__number"):
            found |= Q(**{f"{name}__icontains": wanted.search})
        lines = lines.filter(found)
    return lines


def totals(lines: QuerySet[JournalLine]) -> tuple[int, int, int]:
    """Count, debit and credit of some lines, in minor units."""
    found = lines.aggregate(debit=Sum("debit"), credit=Sum("credit"))
    return lines.count(), found["debit"] or 0, found["credit"] or 0


def budget_rows(scenario: str, ledger: Ledger, keys: Sequence[int], periods: Sequence[int]) -> QuerySet[BudgetLine]:
    """The budget rows behind a figure."""
    return BudgetLine.objects.filter(scenario__ledger=ledger, scenario__code=scenario, **within("key", keys), period__in=periods).select_related(
        "key__entity", "scenario"
    )


def find_entry(ledger: Ledger, entity: str, number: str) -> JournalEntry:
    """One journal entry by entity and number."""
    entry = JournalEntry.objects.filter(ledger=ledger, entity__code=entity, number=number).select_related("entity").first()
    if entry is None:
        raise NotFound(f"Entry '{number}' of {entity} does not exist.", subject="entry")
    return entry
