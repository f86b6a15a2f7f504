"""The last step of a trace: the journal lines and budget rows behind a figure, in any order, filtered and paged.

What was found for one order and filter is kept with the view: a deep page, the count and the sum cost nothing more.
"""

from __future__ import annotations

import json
import math
from collections import OrderedDict
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date
from fractions import Fraction
from hashlib import blake2b
from itertools import accumulate
from threading import RLock
from typing import Any

import numpy as np
from django.db import connection

from rulka.core.books.book import View
from rulka.core.books.calendar import period_code, period_number
from rulka.core.books.chart import IntArray
from rulka.core.books.own_calendar import first_day, last_day, periods_of_group
from rulka.core.errors import NotFound, RulkaError
from rulka.core.money import QUANTITY_DIGITS
from rulka.core.proof.pools import Pool, Slice, closed_value
from rulka.core.proof.splits import OpenedFigure
from rulka.ledger.models import Ledger
from rulka.ledger.reading.line_reader import KeyPiece, condition
from rulka.ledger.reading.trace_columns import (
    AMOUNTS,
    LIST_COLUMNS,
    OWN_COLUMNS,
    SEARCHED,
    TEXT_COLUMNS,
    KeyCodes,
    columns_of,
    keyed,
    labels_of,
    places,
    stored,
    written,
)

PAGE = 40
MOST_KEPT_ROWS = 2_000_000
MOST_SUMS = 2_000
MOST_TICKS = 200
FIRST = 400
"""Lines up to which the store is asked for the first ones only; whoever goes further gets the whole list, which is
kept."""
LARGEST = 2**62
ORDERED = ("date", "period", "status", "revision", "debit", "credit", "amount")
"""Columns besides texts that the store can order lines by."""


@dataclass(frozen=True)
class LineQuery:
    """How lines are filtered and ordered: texts anywhere, amounts and days between two ends, ticked values by column,
    a column to order by (`-date` is the newest first)."""

    search: str = ""
    least: Fraction | None = None
    most: Fraction | None = None
    first: date | None = None
    last: date | None = None
    ticks: tuple[tuple[str, tuple[str, ...]], ...] = ()
    sort: str = "-date"

    @property
    def filters(self) -> bool:
        return bool(self.search or self.ticks) or None not in (self.least, self.most) or bool(self.first or self.last)

    def without_ticks_of(self, column: str) -> LineQuery:
        """The same, but for what was ticked in a column."""
        kept = tuple(tick for tick in self.ticks if tick[0] != column)
        return LineQuery(self.search, self.least, self.most, self.first, self.last, kept, self.sort)


@dataclass(frozen=True)
class ShownLine:
    """A journal line or budget row: its cells by column as text or exact amounts, what it counts in the figure, and the
    decimals of its amounts. `entity` and `entry` lead on to the entry, empty for budget rows."""

    cells: Mapping[str, Any]
    value: Fraction
    digits: int
    entity: str = ""
    entry: str = ""


@dataclass(frozen=True, eq=False)
class LineList:
    """Lines in order: their ids, the pool each is of, and what each counts in the figure as multiples of its pool's
    factor."""

    ids: IntArray
    pool: IntArray
    amounts: IntArray
    factors: tuple[Fraction, ...]

    def __len__(self) -> int:
        return len(self.ids)

    def values(self, start: int = 0, stop: int | None = None) -> list[Fraction]:
        """What lines count in the figure."""
        span = slice(start, stop)
        pairs = zip(self.pool[span].tolist(), self.amounts[span].tolist(), strict=True)
        return [self.factors[pool] * amount for pool, amount in pairs]

    def sum_to(self, stop: int | None = None) -> Fraction:
        """What the lines before a place come to."""
        pool, amounts = self.pool[:stop], self.amounts[:stop]
        parts = (factor * plain(amounts[pool == at].sum()) for at, factor in enumerate(self.factors))
        return sum(parts, Fraction(0))


def plain(value: Any) -> Fraction:
    return value if isinstance(value, Fraction) else Fraction(int(value))


class LineLists:
    """Lists that were asked for last, as many as fit."""

    def __init__(self) -> None:
        self.kept: OrderedDict[str, LineList] = OrderedDict()
        self.sums: OrderedDict[str, tuple[int, Fraction]] = OrderedDict()
        self.lock = RLock()

    def find(self, name: str) -> LineList | None:
        with self.lock:
            if name in self.kept:
                self.kept.move_to_end(name)
            return self.kept.get(name)

    def sum_of(self, name: str, add: Callable[[], tuple[int, Fraction]]) -> tuple[int, Fraction]:
        """How many lines fit a query, and what they come to; those asked for last are kept."""
        with self.lock:
            if name not in self.sums:
                self.sums[name] = add()
                if len(self.sums) > MOST_SUMS:
                    self.sums.popitem(last=False)
            return self.sums[name]

    def keep(self, name: str, found: LineList) -> LineList:
        with self.lock:
            self.kept[name] = found
            while sum(map(len, self.kept.values())) > MOST_KEPT_ROWS and len(self.kept) > 1:
                self.kept.popitem(last=False)
        return found


@dataclass(frozen=True)
class ValueTick:
    """A value that occurs in a column, with how many lines have it and what these come to."""

    value: str
    label: str
    count: int
    total: Fraction
    is_on: bool


@dataclass(frozen=True)
class LinesPage:
    """A page of lines of one side; `count` and `total` are of all that fit the filter, `behind` what all lines and rows
    come to, `figure` what they should; `untold` is what has no lines, by why."""

    lines: tuple[ShownLine, ...]
    number: int
    pages: int
    count: int
    total: Fraction
    behind: Fraction
    figure: Fraction
    untold: tuple[tuple[str, Fraction], ...]
    currencies: tuple[str, ...] = ()

    @property
    def agrees(self) -> bool:
        return self.behind + sum((value for _, value in self.untold), Fraction(0)) == self.figure


# which lines --------------------------------------------------------------------------------------------------------


@dataclass(frozen=True, eq=False)
class TraceLines:
    """The journal lines behind some pools, by a query."""

    ledger: Ledger
    view: View
    pools: tuple[Pool, ...]
    query: LineQuery = field(default_factory=LineQuery)
    closed: Fraction = Fraction(0)
    """What terms count whose detail is closed: nothing of their lines shows."""

    @classmethod
    def of(cls, ledger: Ledger, opened: OpenedFigure, query: LineQuery, side: int | None = None) -> TraceLines:
        """The lines behind an opened figure, of one of its sides or of all; refused where these are figures of a former
        revision, or nothing behind them but what is sealed."""
        refuse_former(ledger, opened.computed.view)
        refuse_sealed(opened)
        pools = tuple(pool for pool in opened.pools or () if side is None or pool.side == side)
        closed = (closed_value(opened.computed, term) for term in opened.closed if side is None or term.side == side)
        return cls(ledger, opened.computed.view, pools, query, sum(closed, Fraction(0)))

    def untold(self) -> tuple[tuple[str, Fraction], ...]:
        """What of the figure has no lines that show, by why."""
        return (*without_lines(self.pools), *((("closed", self.closed),) if self.closed else ()))

    @property
    def figure(self) -> Fraction:
        """What lines and all that has none have to come to."""
        return sum((pool.value for pool in self.pools), self.closed)

    def whole(self) -> TraceLines:
        """All lines of the pools, whatever is filtered."""
        return TraceLines(self.ledger, self.view, self.pools)

    def found(self) -> LineList:
        """The lines that fit, in order; kept."""
        lists, name = self._lists(), self._name()
        return lists.find(name) or lists.keep(name, self._list(self._read()))

    def sums(self) -> tuple[int, Fraction]:
        """How many lines fit, and what they come to; kept."""
        lists, name = self._lists(), self._name()
        known = lists.find(name)
        if known is not None or self._translated:
            found = known if known is not None else self.found()
            return len(found), found.sum_to()
        return lists.sum_of(name, self._added)

    def _added(self) -> tuple[int, Fraction]:
        count, total = 0, Fraction(0)
        for pool in self.pools:
            if (where := self._where(pool, self.query)) is None:
                continue
            sql = f"SELECT COUNT(*), SUM(l.debit), SUM(l.credit) FROM {self._from(pool)} WHERE {where[0]}"
            with connection.cursor() as cursor:
                cursor.execute(sql, where[1])
                number, debit, credit = cursor.fetchone()
            count += number
            total += pool.factor * {"debits": debit or 0, "credits": credit or 0}.get(
                pool.measure, (debit or 0) - (credit or 0)
            )
        return count, total

    def first(self, count: int) -> LineList:
        """The first lines that fit: as many as that where the store can order them by itself, else all."""
        column = self.query.sort.lstrip("-")
        known = self._lists().find(self._name())
        if known is not None or count > FIRST or self._translated or column not in (*ORDERED, *TEXT_COLUMNS):
            return known if known is not None else self.found()
        found = self._list(self._read(count))
        return LineList(found.ids[:count], found.pool[:count], found.amounts[:count], found.factors)

    def _lists(self) -> LineLists:
        return self.view.kept(("line lists",), LineLists)

    @property
    def _translated(self) -> bool:
        return any(pool.is_translated for pool in self.pools)

    def _name(self) -> str:
        told = blake2b(repr(self.query).encode(), digest_size=16)
        for pool in self.pools:
            told.update(pool.keys.tobytes() + repr((pool.asked, pool.factor, pool.measure)).encode())
            told.update(repr(pool.reading).encode())
        return told.hexdigest()

    def _read(self, most: int = 0) -> list[tuple[Any, ...]]:
        """The place of a pool with (id, key, debit, credit, period, effect, what to order by), in order; the first
        `most` of each pool where that is said."""
        rows: list[tuple[Any, ...]] = []
        for at, pool in enumerate(self.pools):
            rows += [(at, *row) for row in self._rows(pool, most)]
        if len({row[0] for row in rows[:1] + rows[-1:]}) > 1 or self._order_here:
            rows.sort(key=self._order(), reverse=self.query.sort.startswith("-"))
        return rows

    @property
    def _order_here(self) -> bool:
        """Whether the store can't order the lines by itself."""
        return self.query.sort.lstrip("-") not in (*ORDERED, *TEXT_COLUMNS)

    def _list(self, rows: list[tuple[Any, ...]]) -> LineList:
        factors = tuple(pool.factor for pool in self.pools)
        if not rows:
            none = np.zeros(0, dtype=np.int64)
            return LineList(none, none, none, factors)
        pool_of, ids, _, debit, credit, *_ = zip(*rows, strict=True)
        pools = np.array(pool_of, dtype=np.int64)
        amounts = self._amounts(rows, pools, np.array(debit, dtype=np.int64), np.array(credit, dtype=np.int64))
        kept = LineList(np.array(ids, dtype=np.int64), pools, amounts, factors)
        return self._by_amount(kept) if self._translated or len(self.pools) > 1 else kept

    def _amounts(self, rows: Sequence[Any], pools: IntArray, debit: IntArray, credit: IntArray) -> IntArray:
        found = np.zeros(len(pools), dtype=object if self._translated else np.int64)
        for at, pool in enumerate(self.pools):
            mine = np.flatnonzero(pools == at)
            own = pool.amount_of(debit[mine], credit[mine])
            if pool.is_translated and len(mine):
                ratios, place = _Ratios(pool), [rows[int(row)] for row in mine]
                own = own.astype(object) * np.array([ratios.of(row) for row in place], dtype=object)
            found[mine] = own
        return found

    def _by_amount(self, found: LineList) -> LineList:
        """Put lines of several pools in the order of what they count, where that was asked; of translated ones leave
        out amounts that don't fit."""
        query = self.query
        by_amount = query.sort.lstrip("-") == "amount"
        bounded = self._translated and (query.least is not None or query.most is not None)
        if not by_amount and not bounded:
            return found
        sizes = [abs(value) for value in found.values()]
        places: Iterable[int] = range(len(sizes))
        if bounded and query.least is not None:
            places = [at for at in places if sizes[at] >= query.least]
        if bounded and query.most is not None:
            places = [at for at in places if sizes[at] <= query.most]
        if by_amount and (self._translated or len({abs(factor) for factor in found.factors}) > 1):
            places = sorted(places, key=sizes.__getitem__, reverse=query.sort.startswith("-"))
        chosen = np.array(list(places), dtype=np.int64)
        return LineList(found.ids[chosen], found.pool[chosen], found.amounts[chosen], found.factors)

    def _order(self) -> Any:
        column = self.query.sort.lstrip("-")
        if column in ("debit", "credit"):
            at = 4 if column == "debit" else 5
            return lambda row: (row[at - 1], row[1])
        if column == "amount":
            return lambda row: (row[-1], row[1])
        if column in OWN_COLUMNS or column in TEXT_COLUMNS:
            return lambda row: (row[-1], row[1])
        codes = KeyCodes(self.view, column)
        return lambda row: (codes.of(row[2]), row[1])

    def _rows(self, pool: Pool, most: int = 0) -> list[tuple[Any, ...]]:
        """(id, key, debit, credit, period, effect, what to order by) of the lines of a pool that fit, in order where
        the store can tell it."""
        found = self._where(pool, self.query)
        if found is None:
            return []
        where, values = found
        column = self.query.sort.lstrip("-")
        order = {**OWN_COLUMNS, **TEXT_COLUMNS, "debit": "l.debit", "credit": "l.credit", "amount": _size(pool)}.get(
            column, "0"
        )
        by_period = "l.period, l.effect" if pool.is_translated else "0, 0"
        way = "DESC" if self.query.sort.startswith("-") else "ASC"
        limit = f"LIMIT {int(most)}" if most else ""
        ordered = "" if self._order_here else f"ORDER BY {order} {way}, l.id {way} {limit}"
        names = f"l.id, l.key_id, l.debit, l.credit, {by_period}, {order}"
        with connection.cursor() as cursor:
            cursor.execute(f"SELECT {names} FROM {self._from(pool, column)} WHERE {where} {ordered}", values)
            return list(cursor.fetchall())

    def _from(self, pool: Pool, *columns: str) -> str:
        """The tables that a query of a pool's lines needs: entries too where something of them is asked."""
        asked = (*self.query.ticks, *pool.asked.texts)
        named = {*columns, *(name for name, _ in asked), *(SEARCHED if self.query.search else ())}
        joined = " CROSS JOIN ledger_journalentry e ON e.id = l.entry_id" if named & {"entry", "kind"} else ""
        return f"ledger_journalline l{joined}"

    def _where(self, pool: Pool, query: LineQuery) -> tuple[str, list[Any]] | None:
        keys = pool.keys
        for name, wanted in query.ticks:
            if name not in OWN_COLUMNS and name not in TEXT_COLUMNS:
                codes = KeyCodes(self.view, name)
                keys = keys[[codes.of_place(int(key)) in wanted for key in keys]]
        pieces = stored_pieces(pool)
        ids = pool.computed.view.line_ids(keys).tolist()
        if not pieces or not ids:
            return None
        where, values = condition(ids, pieces, pool.asked.statuses, pool.asked.texts)
        parts = [where]
        for name, wanted in query.ticks:
            column = {**OWN_COLUMNS, **TEXT_COLUMNS}.get(name)
            if column:
                parts.append(f"{column} IN (SELECT value FROM json_each(%s))")
                values.append(json.dumps([stored(name, value) for value in wanted]))
        if query.search:
            parts.append("(" + " OR ".join(f"{TEXT_COLUMNS[name]} LIKE %s ESCAPE '\\'" for name in SEARCHED) + ")")
            text = query.search.replace("\\", "\\\\").replace("%", "\\%").replace("_", "\\_")
            values += [f"%{text}%"] * len(SEARCHED)
        if query.first:
            parts.append("l.date >= %s")
            values.append(query.first.isoformat())
        if query.last:
            parts.append("l.date <= %s")
            values.append(query.last.isoformat())
        if not pool.is_translated and query.least is not None:
            parts.append(f"{_size(pool)} >= %s")
            values.append(min(math.ceil(query.least / abs(pool.factor)), LARGEST))
        if not pool.is_translated and query.most is not None:
            parts.append(f"{_size(pool)} <= %s")
            values.append(min(math.floor(query.most / abs(pool.factor)), LARGEST))
        return " AND ".join(parts), values

    # ticks ----------------------------------------------------------------------------------------------------------

    def ticks(self, column: str) -> tuple[list[ValueTick], int]:
        """The values that occur in a column among the lines that fit all but what is ticked in it, the largest sums
        first, and how many there are in all."""
        if column in AMOUNTS or column not in columns_of(self.view) or column in ("so far", "feed", "file", "row"):
            raise NotFound(f"'{column}' has no values to tick.", subject="column")
        asked = self.query.without_ticks_of(column)
        inside = TraceLines(self.ledger, self.view, self.pools, asked)
        totals: dict[str, list[Any]] = {}
        for value, count, total in inside._grouped(column):
            row = totals.setdefault(value, [0, Fraction(0)])
            row[0] += count
            row[1] += total
        on = dict(self.query.ticks).get(column, ())
        labels = labels_of(self.view, column)
        found = [
            ValueTick(value, labels.get(value, value) or "none", count, total, value in on)
            for value, (count, total) in totals.items()
        ]
        found.sort(key=lambda tick: (not tick.is_on, -abs(tick.total), tick.value))
        return found[:MOST_TICKS], len(found)

    def _grouped(self, column: str) -> Iterator[tuple[str, int, Fraction]]:
        needs_lines = self.query.least is not None or self.query.most is not None
        if needs_lines or any(pool.is_translated for pool in self.pools):
            yield from self._grouped_lines(column)
            return
        kept = {**OWN_COLUMNS, **TEXT_COLUMNS}.get(column)
        for pool in self.pools:
            found = self._where(pool, self.query)
            if found is None:
                continue
            where, values = found
            by = kept or "l.key_id"
            with connection.cursor() as cursor:
                cursor.execute(
                    f"SELECT {by}, COUNT(*), SUM(l.debit), SUM(l.credit) FROM {self._from(pool, column)} "
                    f"WHERE {where} GROUP BY 1",
                    values,
                )
                rows = cursor.fetchall()
            codes = None if kept else KeyCodes(self.view, column)
            for value, count, debit, credit in rows:
                sides = {"debits": debit, "credits": credit}
                amount = sides.get(pool.measure, debit - credit)
                text = codes.of(value) if codes else written(column, value)
                yield text, count, pool.factor * amount

    def _grouped_lines(self, column: str) -> Iterator[tuple[str, int, Fraction]]:
        found = self.found()
        for start in range(0, len(found), 5_000):
            stop = start + 5_000
            shown = self._shown(found.ids[start:stop].tolist(), [column])
            for at, value in zip(found.ids[start:stop].tolist(), found.values(start, stop), strict=True):
                yield str(shown[at].cells[column]), 1, value

    # pages ----------------------------------------------------------------------------------------------------------

    def page(self, number: int = 1, columns: Sequence[str] = LIST_COLUMNS, size: int = PAGE) -> LinesPage:
        """A page of the lines that fit, with what all of them come to."""
        count, total = self.sums()
        pages = max(-(-count // size), 1)
        number = min(max(number, 1), pages)
        start = (number - 1) * size
        found = self.first(start + size)
        ids = found.ids[start : start + size].tolist()
        shown, values = self._shown(ids, columns), found.values(start, start + size)
        so_far = accumulate(values, initial=found.sum_to(start)) if "so far" in columns else iter(())
        next(so_far, None)
        lines = []
        for at, value in zip(ids, values, strict=True):
            line = shown[at]
            cells = {**line.cells, "amount": value, "so far": next(so_far, None)}
            lines.append(ShownLine(cells, value, line.digits, line.entity, line.entry))
        return LinesPage(
            tuple(lines),
            number,
            pages,
            count,
            total,
            self.whole().sums()[1] if self.query.filters else total,
            self.figure,
            self.untold(),
            _currencies(self.pools),
        )

    def every(self, columns: Sequence[str], most: int) -> tuple[list[ShownLine], int]:
        """All lines that fit, as many as `most`, and how many there are."""
        found = self.found()
        ids = found.ids[:most].tolist()
        lines: list[ShownLine] = []
        so_far = Fraction(0)
        for start in range(0, len(ids), 2_000):
            stop = min(start + 2_000, len(ids))
            shown = self._shown(ids[start:stop], columns)
            for at, value in zip(ids[start:stop], found.values(start, stop), strict=True):
                so_far += value
                line = shown[at]
                cells = {**line.cells, "amount": value, "so far": so_far}
                lines.append(ShownLine(cells, value, line.digits, line.entity, line.entry))
        return lines, len(found)

    def _shown(self, ids: Sequence[int], columns: Sequence[str]) -> dict[int, ShownLine]:
        codes = {name: KeyCodes(self.view, name) for name in columns if name in keyed(self.view)}
        place, frame = places(self.view), self.view.frame
        told = {"file", "feed"} & set(columns)
        names = ", ".join(name for _, name in SHOWN)
        more = (
            "LEFT JOIN ledger_feed f ON f.id = e.feed_id LEFT JOIN ledger_revision v ON v.ledger_id = e.ledger_id "
            "AND v.number = l.revision"
        )
        sql = (
            f"SELECT {names}, {'f.name, v.source' if told else 'NULL, NULL'} FROM ledger_journalline l JOIN "
            f"ledger_journalentry e ON e.id = l.entry_id {more if told else ''} "
            "WHERE l.id IN (SELECT value FROM json_each(%s))"
        )
        with connection.cursor() as cursor:
            cursor.execute(sql, [json.dumps(list(ids))])
            rows = cursor.fetchall()
        found = {}
        for row in rows:
            cells: dict[str, Any] = dict(zip((name for name, _ in SHOWN), row, strict=False))
            pk, key = cells.pop("id"), cells.pop("key")
            at = place[key]
            digits = self.view.digits_of(at)
            cells |= {
                "date": str(cells["date"]),
                "period": period_code(cells["period"]),
                "status": "pending" if cells["status"] else "posted",
                "debit": Fraction(cells["debit"], 10**digits),
                "credit": Fraction(cells["credit"], 10**digits),
                "revision": str(cells["revision"]),
                "row": "" if cells["row"] is None else str(cells["row"]),
                "feed": row[-2] or "",
                "file": row[-1] or "",
                **{name: own.of(key) for name, own in codes.items()},
            }
            entity = frame.entities.items[self.view.keys.entity[at]].code
            found[pk] = ShownLine(cells, Fraction(0), digits, entity, cells["entry"])
        return found


SHOWN = (
    ("id", "l.id"), ("key", "l.key_id"), ("date", "l.date"), ("period", "l.period"), ("entry", "e.number"),
    ("line", "l.line"), ("document", "l.document"), ("counterparty", "l.counterparty"),
    ("counterparty name", "l.counterparty_name"), ("text", "l.description"), ("source", "l.source"),
    ("user", 'l."user"'), ("kind", "e.kind"), ("status", "l.status"), ("batch", "l.batch"), ("debit", "l.debit"),
    ("credit", "l.credit"), ("revision", "l.revision"), ("row", "e.row"),
)  # fmt: skip
"""What of a line is read for its cells."""

PLANNED = "planned"


def _size(pool: Pool) -> str:
    """What a line counts by a pool's measure, without its sign, as SQL."""
    sides = {"debits": "l.debit", "credits": "l.credit"}
    return sides.get(pool.measure, "ABS(l.debit - l.credit)")


class _Ratios:
    """What a local minor unit of a line counts where its pool is translated."""

    def __init__(self, pool: Pool) -> None:
        self.ratios = pool.ratios()
        numbers = [period_number(period.code) for period in pool.calendar.periods]
        self.slices = {
            (one.effect, numbers[place]): at
            for at, one in enumerate(pool.slices)
            if pool.has_lines(one)
            for place in one.places
        }
        self.keys = {key: at for at, key in enumerate(pool.keys.tolist())}
        self.places = places(pool.computed.view)

    def of(self, row: Sequence[Any]) -> Fraction:
        """By a row of `_rows` with its pool before it."""
        found: Fraction = self.ratios[self.slices[row[6], row[5]], self.keys[self.places[row[2]]]]
        return Fraction(found)


def stored_pieces(pool: Pool) -> list[KeyPiece]:
    """The journal lines behind a pool, by how they are stored."""
    own = pool.reading.source.calendar
    slices = [one for one in pool.slices if pool.has_lines(one)]
    if own:
        return [piece for one in slices for piece in _own_piece(pool, one)]
    numbers = [period_number(period.code) for period in pool.calendar.periods]
    asked = pool.asked
    return [
        KeyPiece(effect, tuple(numbers[place] for place in places), asked.start, asked.end)
        for effect, places in asked.pieces
    ]


def _own_piece(pool: Pool, one: Slice) -> list[KeyPiece]:
    """A slice of a calendar of its own: the group's periods that it may reach, and its days."""
    calendar, asked = pool.calendar, pool.asked
    wanted = [calendar.periods[place] for place in one.places]
    start, end = asked.start or first_day(calendar, wanted), asked.end or last_day(calendar, wanted)
    group = pool.computed.view.frame.calendar
    stored = periods_of_group(group, calendar, wanted, whole=asked.start is None)
    numbers = tuple(period_number(period.code) for period in stored)
    return [KeyPiece(one.effect, numbers, start, end)] if numbers else []


def without_lines(pools: Iterable[Pool]) -> tuple[tuple[str, Fraction], ...]:
    """What of some pools has no journal lines, by why: sealed, rolled, a plan, translated at another rate and so on."""
    found: dict[str, Fraction] = {}
    for pool in pools:
        sealed = pool.computed.view.sealed_keys[pool.keys]
        told = [("beyond", Fraction(pool.beyond))]
        for at, one in enumerate(pool.slices):
            amounts = pool.amounts[at]
            reason = one.kind if one.kind in ("rolled", "translation", "balance", "rest") else PLANNED
            told.append(
                ("sealed", plain(amounts[sealed].sum())) if pool.has_lines(one) else (reason, plain(amounts.sum()))
            )
        for reason, amount in told:
            found[reason] = found.get(reason, Fraction(0)) + pool.factor * amount
    return tuple((reason, value) for reason, value in found.items() if value)


def _currencies(pools: Iterable[Pool]) -> tuple[str, ...]:
    """The currencies that lines stand in where the figure is translated from others."""
    found = set()
    for pool in pools:
        frame = pool.computed.view.frame
        if pool.is_translated:
            found |= {frame.currencies[place] for place in pool.computed.view.keys.entity[pool.keys]}
    return tuple(sorted(found))


# refused ------------------------------------------------------------------------------------------------------------


def is_former(ledger: Ledger, view: View) -> bool:
    """Whether figures are of a former revision: journal lines are kept as the ledger is now."""
    return view.revision < Ledger.objects.values_list("revision", flat=True).get(pk=ledger.pk)


def refuse_former(ledger: Ledger, view: View) -> None:
    """Raise RulkaError below figures of a former revision."""
    if is_former(ledger, view):
        raise RulkaError(
            f"These figures are of revision {view.revision}; the journal has gone on since.",
            hint="Take the newest figures, then open them.",
            subject="trace",
        )


def refuse_sealed(opened: OpenedFigure) -> None:
    """Raise RulkaError where all that stands behind a figure is sealed for the reader."""
    pools = [pool for pool in opened.pools or () if len(pool.keys)]
    view = opened.computed.view
    if pools and all(view.sealed_keys[pool.keys].all() for pool in pools):
        names = sorted({view.keys.account[key] for pool in pools for key in pool.keys})
        item = view.frame.accounts.items[names[0]]
        raise RulkaError(
            f"The detail of {item.code} {item.name} is sealed.",
            hint="Its total counts; its lines show only to those who may open the seal.",
            subject="trace",
            code="sealed",
        )


def quantity_digits(opened: OpenedFigure) -> int:
    """Decimals of an opened figure's amounts."""
    if opened.unit == "quantity":
        return QUANTITY_DIGITS
    return opened.computed.plan.node_of(opened.computed.column(opened.column_key)).digits
