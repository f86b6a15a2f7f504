"""Books made in memory from plain lines: for cases, for the brute force and for random statements."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date
from decimal import Decimal
from fractions import Fraction
from typing import Any

import numpy as np

from rulka.core.books.book import Book
from rulka.core.books.calendar import FiscalCalendar, monthly_calendar
from rulka.core.books.chart import Item, code_list
from rulka.core.books.frame import ACTIVITY, CLOSING, OPENING, PENDING, POSTED, Frame, Keys, Movements
from rulka.core.books.journal import EntryLine, Grouped, Historical, LinesAsked, LineSums
from rulka.core.books.rates import Rates
from rulka.core.errors import RulkaError

EFFECTS = {"normal": ACTIVITY, "adjusting": ACTIVITY, "opening": OPENING, "closing": CLOSING}


@dataclass(frozen=True)
class Line:
    """One journal line or budget row as a source writes it; `amount` is debit positive."""

    entity: str
    account: str
    amount: Decimal
    day: date
    members: Mapping[str, str] = field(default_factory=dict)
    period: str = ""
    entry: str = ""
    partner: str = ""
    kind: str = "normal"
    status: str = "posted"
    source: str = ""
    counterparty: str = ""
    historical: Decimal | None = None
    scenario: str = "actual"
    description: str = ""
    document: str = ""
    revision: int = 0


@dataclass(frozen=True)
class Works:
    """A small ledger in plain values, read by the core through `book_of` and by the brute force directly."""

    calendar: Mapping[str, Any]
    entities: Sequence[Mapping[str, str]]
    accounts: Sequence[Mapping[str, str]]
    members: Sequence[Mapping[str, str]]
    lines: Sequence[Line]
    rates: Sequence[tuple[str, str, str, str, str]] = ()
    dimensions: Sequence[str] = ("department",)
    kept: str = "30"
    reserve: str = "39"
    currency: str = "EUR"
    scenarios: Sequence[tuple[str, str]] = (("actual", "actual"), ("budget", "budget"), ("forecast", "forecast"))
    calendars: Mapping[str, Mapping[str, Any]] = field(default_factory=dict)
    digits: Mapping[str, int] = field(default_factory=lambda: {"EUR": 2, "SEK": 2, "JPY": 0})
    called: Mapping[str, str] = field(default_factory=dict)  # counterparties

    def fiscal_calendar(self) -> FiscalCalendar:
        return monthly_calendar(**self.calendar)

    def digits_of(self, line: Line) -> int:
        if next(row["type"] for row in self.accounts if row["code"] == line.account) == "statistical":
            return 2
        return self.digits[next(row["currency"] for row in self.entities if row["code"] == line.entity)]


def _frame_of(works: Works) -> Frame:
    entities = code_list(
        "entity", [Item(row["code"], row.get("name", row["code"]), row.get("parent", "")) for row in works.entities]
    )
    accounts = code_list("account", [_account(row) for row in works.accounts])
    dimensions = {
        name: code_list(
            name,
            [
                Item("-", "none"),
                *(Item(m["code"], m["name"], m.get("parent", "")) for m in works.members if m["dimension"] == name),
            ],
        )
        for name in works.dimensions
    }
    currency = {row["code"]: row["currency"] for row in works.entities}
    currencies = tuple(currency[item.code] for item in entities.items)
    rates = {
        (p, a, b): (Fraction(average) if average else None, Fraction(closing))
        for p, a, b, average, closing in works.rates
    }
    return Frame(
        "Works",
        works.currency,
        works.fiscal_calendar(),
        entities,
        accounts,
        dimensions,
        works.kept,
        dict(works.scenarios),
        currencies,
        np.array([works.digits[name] for name in currencies], dtype=np.int64),
        works.entities[0]["code"],
        works.digits[works.currency],
        works.reserve,
        Rates(rates),
        {name: monthly_calendar(**one) for name, one in works.calendars.items()},
        tuple(row.get("calendar", "") for row in sorted(works.entities, key=lambda row: entities.index[row["code"]])),
    )


def book_of(works: Works) -> Book:
    """The book of a small ledger, with a reader of its journal."""
    frame = _frame_of(works)
    entities, calendar = frame.entities, frame.calendar
    places: dict[tuple[int, ...], int] = {}
    rows: list[tuple[Line, int, int]] = []
    for line in works.lines:
        key = (
            entities.index[line.entity],
            frame.accounts.index[line.account],
            entities.index[line.partner] if line.partner else -1,
            *(frame.dimensions[name].index[line.members.get(name, "-")] for name in works.dimensions),
        )
        period = calendar.period(line.period) if line.period else calendar.on(line.day)
        assert period is not None, line
        rows.append((line, places.setdefault(key, len(places)), period.index))
    table = np.array(list(places), dtype=np.int64).reshape(len(places), 3 + len(works.dimensions))
    keys = Keys(np.arange(1, len(places) + 1), table[:, 0], table[:, 1], table[:, 2], table[:, 3:])
    journal = Journal(works, frame, rows)
    movements = {
        name: journal.movements([row for row in rows if row[0].scenario == name]) for name, _ in works.scenarios
    }
    return Book(frame, keys, movements, 1, journal)


def _account(row: Mapping[str, str]) -> Item:
    return Item(
        row["code"],
        row.get("name", row["code"]),
        row.get("parent", ""),
        row["type"],
        row.get("category", ""),
        unit=row.get("unit", ""),
        intercompany=row.get("intercompany", "") == "1",
        rate=row.get("rate", ""),
    )


class Journal:
    """A reader over lines in memory."""

    def __init__(self, works: Works, frame: Frame, rows: list[tuple[Line, int, int]]) -> None:
        self.works, self.frame, self.rows = works, frame, rows

    def minor(self, line: Line) -> int:
        return int(line.amount.scaleb(self.works.digits_of(line)))

    def movements(self, rows: list[tuple[Line, int, int]]) -> Movements:
        found = []
        for line, key, period in rows:
            amount = self.minor(line)
            status = PENDING if line.status == "pending" else POSTED
            found.append((key, period, status, EFFECTS[line.kind], max(amount, 0), max(-amount, 0), 1))
        return Movements(*np.array(found, dtype=np.int64).reshape(-1, 7).T)

    def grouped(self, fields: tuple[str, ...], first: int, last: int) -> Grouped:
        rows = [row for row in self.rows if first <= row[2] <= last and row[0].scenario == "actual"]
        labels, codes = {}, {}
        for name in fields:
            texts = [row[0].day.isoformat() if name == "day" else str(getattr(row[0], name)) for row in rows]
            labels[name] = tuple(sorted(set(texts)))
            codes[name] = np.array([labels[name].index(text) for text in texts], dtype=np.int64)
        return Grouped(self.movements(rows), codes, labels)

    def lines(
        self, keys: np.ndarray, first: int, last: int, most: int, texts: tuple[tuple[str, tuple[str, ...]], ...] = ()
    ) -> list[EntryLine]:
        chosen = set(keys.tolist())
        found = []
        for at, (line, key, period) in enumerate(self.rows):
            if any(getattr(line, name) not in wanted for name, wanted in texts):
                continue
            if key in chosen and first <= period <= last and line.scenario == "actual":
                amount = self.minor(line)
                found.append(
                    EntryLine(
                        self.frame.entities.index[line.entity],
                        line.entry,
                        str(at),
                        line.day,
                        key,
                        period,
                        PENDING if line.status == "pending" else POSTED,
                        EFFECTS[line.kind],
                        max(amount, 0),
                        max(-amount, 0),
                        line.description,
                        line.document,
                        line.counterparty,
                        line.source,
                        line.kind,
                        line.revision,
                    )
                )
        if len(found) > most:
            raise RulkaError(f"More than {most} journal lines stand behind it.")
        return sorted(found, key=lambda line: (line.day, line.number))

    def sums(self, asked: LinesAsked, fields: tuple[str, ...], *, by_key: bool) -> LineSums:
        chosen, pieces = set(asked.keys.tolist()), {(e, p) for e, places in asked.pieces for p in places}
        found: dict[Any, list[int]] = {}
        for line, key, period in self.rows:
            status, effect = PENDING if line.status == "pending" else POSTED, EFFECTS[line.kind]
            if line.scenario != "actual" or key not in chosen or (effect, period) not in pieces:
                continue
            if status not in asked.statuses or (asked.start and not asked.start <= line.day <= asked.end):
                continue
            if any(self.text(line, name) not in texts for name, texts in asked.texts):
                continue
            if not all(getattr(line, name) for name in asked.filled):
                continue
            name = ((key, period, effect) if by_key else (-1, -1, -1), tuple(self.text(line, n) for n in fields))
            row, amount = found.setdefault(name, [0, 0, 0]), self.minor(line)
            row[0] += max(amount, 0)
            row[1] += max(-amount, 0)
            row[2] += 1
        table = np.array([[*fixed, *sums] for (fixed, _), sums in found.items()], dtype=np.int64).reshape(-1, 6)
        texts = {name: [each[at] for _, each in found] for at, name in enumerate(fields)}
        called = {code: self.works.called.get(code, "") for code in texts.get("counterparty", ())}
        return LineSums(*table.T, texts, called)

    @staticmethod
    def text(line: Line, name: str) -> str:
        """A field of a line as the store holds it; documents and users aren't kept here: the entry stands for them."""
        return {"day": line.day.isoformat(), "document": line.document or line.entry, "user": line.entry}.get(
            name
        ) or str(getattr(line, name, ""))

    def historical(self) -> Historical:
        rows = [
            (
                key,
                period,
                PENDING if line.status == "pending" else POSTED,
                EFFECTS[line.kind],
                self.minor(line),
                int(line.historical.scaleb(2)),
            )
            for line, key, period in self.rows
            if line.historical is not None
        ]
        return Historical(*np.array(rows, dtype=np.int64).reshape(-1, 6).T)
