"""The journal browser: any filter over all lines, a page at a time by key, with count and sums."""

from __future__ import annotations

import json
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field, fields
from fractions import Fraction
from typing import Any

import numpy as np
from django.db import connection

from rulka.core.books.book import View
from rulka.core.books.calendar import period_code, period_number
from rulka.core.books.chart import BoolArray, CodeList, IntArray
from rulka.core.books.overview import ALL_EFFECTS, counted
from rulka.core.books.selection import select
from rulka.core.errors import RulkaError, one_of
from rulka.core.money import QUANTITY_DIGITS, exact_text
from rulka.core.values import amount, is_whole, quoted
from rulka.ledger.models import JournalLine, Ledger
from rulka.ledger.reading.queries import snapshot
from rulka.ledger.reading.trace_columns import places

PAGE = 100
MOST_COMPARED = 10**12
"""What an amount that lines are compared with may be at most, so that no product leaves 64 bits."""
KINDS = {"normal": 0, "opening": 1, "closing": 2}
"""Effects by the word that a person chooses; adjusting entries are normal ones in adjusting periods."""


@dataclass(frozen=True)
class JournalFilter:
    """What to look for; empty fields look for anything. `accounts`, `entities` and members are selections."""

    entities: str = ""
    accounts: str = ""
    members: Mapping[str, str] = field(default_factory=dict)
    first: str = ""
    last: str = ""
    document: str = ""
    counterparty: str = ""
    entry: str = ""
    search: str = ""
    source: str = ""
    user: str = ""
    batch: str = ""
    partner: str = ""
    status: str = ""
    kind: str = ""
    least: str = ""
    most: str = ""
    attribute: str = ""  # name=value of a kept column

    @classmethod
    def from_query(cls, query: Mapping[str, str], dimensions: list[str]) -> JournalFilter:
        """As an address asks for it."""
        values = {one.name: query.get(one.name, "").strip() for one in fields(cls) if one.name != "members"}
        return cls(
            members={key: query[f"m-{key}"].strip() for key in dimensions if query.get(f"m-{key}", "").strip()},
            **values,
        )

    @property
    def is_simple(self) -> bool:
        """Whether balances alone know count and sums."""
        return not any(
            (
                self.document,
                self.counterparty,
                self.entry,
                self.search,
                self.source,
                self.user,
                self.batch,
                self.least,
                self.most,
                self.attribute,
            )
        )


@dataclass(frozen=True)
class JournalRow:
    """One line as shown; amounts exact."""

    entity: str
    entry: str
    line: str
    date: str
    period: str
    account: str
    account_name: str
    members: tuple[str, ...]
    partner: str
    debit: Fraction
    credit: Fraction
    digits: int
    description: str
    document: str
    counterparty: str
    counterparty_name: str
    source: str
    user: str
    batch: str
    status: str
    kind: str
    attributes: dict[str, str]


@dataclass(frozen=True)
class JournalPage:
    """A page of lines; `after` and `before` are keys to go on and back from, sums are by currency (None is
    quantities). `sealed` says that sealed accounts are among those asked for: their lines are in no page, and whether
    there are any isn't told."""

    rows: tuple[JournalRow, ...]
    count: int
    sums: tuple[tuple[str, Fraction, Fraction, int], ...]
    before: str
    after: str
    sealed: bool


class Journal:
    """All lines of a ledger inside a fence that a filter lets through, oldest first."""

    def __init__(self, view: View, ledger: Ledger, wanted: JournalFilter) -> None:
        self.view, self.ledger, self.wanted = view, ledger, wanted
        frame, keys = view.frame, view.keys
        mask = keys.ids > 0
        self.warnings: list[str] = []
        if wanted.entities:
            mask = mask & self._selected(wanted.entities, frame.entities)[keys.entity]
        if wanted.accounts:
            mask = mask & self._selected(wanted.accounts, frame.accounts)[keys.account]
        for at, (dimension, codes) in enumerate(frame.dimensions.items()):
            if wanted.members.get(dimension):
                mask = mask & self._selected(wanted.members[dimension], codes)[keys.members[:, at]]
        if wanted.partner:
            mask = (
                mask & (keys.partner >= 0) & self._selected(wanted.partner, frame.entities)[np.maximum(keys.partner, 0)]
            )
        asked = self._selected(wanted.accounts, frame.accounts) if wanted.accounts else True
        self.sealed = bool((view.sealed & view.visible_accounts() & asked).any())
        periods = np.ones(len(frame.calendar.periods), dtype=bool)
        if wanted.first:
            periods[: frame.calendar.period(wanted.first).index] = False
        if wanted.last:
            periods[frame.calendar.period(wanted.last).index + 1 :] = False
        pending = {"": None, "posted": False, "pending": True}.get(wanted.status, "?")
        if pending == "?":
            raise RulkaError(f"'{wanted.status}' is not a status.", hint="Choose posted or pending.", subject="status")
        if wanted.kind and wanted.kind not in KINDS:
            raise RulkaError(f"'{wanted.kind}' is not a kind.", hint=one_of(wanted.kind, KINDS), subject="kind")
        effects = (KINDS[wanted.kind],) if wanted.kind else ALL_EFFECTS
        self.moved = view.movements("actual")
        self.mask = counted(self.moved, mask, periods, pending=pending, effects=effects)  # type: ignore[arg-type]
        self.numbers = [period_number(period.code) for period in frame.calendar.periods]
        self.statuses = [int(pending)] if pending is not None else [0, 1]
        self.effects = list(effects)
        self.conditions, self.values = self._conditions()
        self.by_index = bool(wanted.document or wanted.counterparty)

    def _selected(self, text: str, codes: CodeList) -> BoolArray:
        """What a filter selects; what of it matches nothing is kept in `warnings`."""
        matched = select(text, codes)
        self.warnings += matched.warnings
        return matched.mask

    def _conditions(self) -> tuple[str, list[Any]]:
        """What balances can't answer, as SQL over `l` and `e`."""
        wanted, parts, values = self.wanted, [], []
        for name in ("document", "counterparty"):
            if getattr(wanted, name):
                parts.append(f"l.{name} = %s AND NOT (l.{name} = '')")
                values.append(getattr(wanted, name))
        for name, column in (("source", "l.source"), ("user", 'l."user"'), ("batch", "l.batch"), ("entry", "e.number")):
            if getattr(wanted, name):
                parts.append(f"{column} = %s")
                values.append(getattr(wanted, name))
        if wanted.search:
            columns = ("l.description", "l.document", "l.counterparty", "l.counterparty_name", "e.number")
            parts.append("(" + " OR ".join(f"{column} LIKE %s ESCAPE '\\'" for column in columns) + ")")
            text = wanted.search.replace("\\", "\\\\").replace("%", "\\%").replace("_", "\\_")
            values += [f"%{text}%"] * len(columns)
        if wanted.attribute:
            name, mark, value = wanted.attribute.partition("=")
            if not mark:
                raise RulkaError("Write the column's name and its value with = between.", subject="kept column")
            parts.append("l.attributes <> '' AND json_extract(l.attributes, %s) = %s")
            values += ['$."' + name.strip().replace('"', "") + '"', value.strip()]
        for name, sign in (("least", ">="), ("most", "<=")):
            text = getattr(wanted, name)
            if text:
                number, parts_of_one = amount(text, "amount").as_integer_ratio()
                parts.append(
                    f"(l.debit + l.credit) * %s {sign} %s * CASE WHEN a.type = 'statistical' THEN 100 ELSE "
                    f"{self._scale()} END"
                )
                if max(parts_of_one, abs(number)) > MOST_COMPARED:
                    raise RulkaError(
                        f"{quoted(text)} is no amount of this ledger.", hint="Write fewer digits.", subject="amount"
                    )
                values += [parts_of_one, number]
        return " AND ".join(parts) or "1", values

    def _scale(self) -> str:
        """Minor units of one whole unit, by entity."""
        frame = self.view.frame
        cases = " ".join(
            f"WHEN {int(pk)} THEN {10 ** int(frame.digits[frame.entities.index[code]])}"
            for pk, code in self.ledger.entities.values_list("pk", "code")
        )
        return f"(CASE e.entity_id {cases} ELSE 100 END)"

    def _from(self) -> str:
        text = "ledger_journalline l CROSS JOIN ledger_journalentry e ON e.id = l.entry_id"
        if self.wanted.least or self.wanted.most:
            text += (
                " CROSS JOIN ledger_postingkey k ON k.id = l.key_id CROSS JOIN ledger_account a ON a.id = k.account_id"
            )
        return text

    # count and sums -------------------------------------------------------------------------------------------------

    def totals(self) -> tuple[int, list[tuple[str, Fraction, Fraction, int]]]:
        """How many lines, and gross debits and credits by currency, quantities apart."""
        keys, moved, frame = self.view.keys, self.moved, self.view.frame
        if self.wanted.is_simple:
            rows = (moved.key[self.mask], moved.count[self.mask], moved.debit[self.mask], moved.credit[self.mask])
        else:
            place_of = places(self.view)
            with connection.cursor() as cursor:
                where, values = self._where(None)
                cursor.execute(
                    f"SELECT l.key_id, COUNT(*), SUM(l.debit), SUM(l.credit) FROM {self._from()} WHERE {where} GROUP "
                    f"BY 1",
                    values,
                )
                summed = [(place_of[row[0]], *row[1:]) for row in cursor.fetchall()]
            rows = tuple(np.array(summed, dtype=np.int64).reshape(-1, 4).T)  # type: ignore[assignment]
        # by currency, quantities last: the sums of money in different currencies can't be one
        codes = [*dict.fromkeys(frame.currencies), ""]
        of_entity = np.array([codes.index(currency) for currency in frame.currencies], dtype=np.int64)
        group = np.where(frame.accounts.of_type("statistical")[keys.account], len(codes) - 1, of_entity[keys.entity])[
            rows[0]
        ]
        totals = np.zeros((3, len(codes)), dtype=np.int64)
        for column, amounts in enumerate(rows[1:]):
            np.add.at(totals[column], group, amounts)
        digits = dict(zip(frame.currencies, frame.digits.tolist(), strict=True)) | {"": QUANTITY_DIGITS}
        by_currency = [
            (
                code,
                Fraction(int(totals[1, column]), 10 ** digits[code]),
                Fraction(int(totals[2, column]), 10 ** digits[code]),
                digits[code],
            )
            for column, code in enumerate(codes)
            if totals[0, column]
        ]
        return int(totals[0].sum()), by_currency

    # pages ----------------------------------------------------------------------------------------------------------

    def _where(self, period: int | None) -> tuple[str, list[Any]]:
        """The whole filter as SQL, for one period (an index) or for all; keys are those with anything in it."""
        mask = self.mask if period is None else self.mask & (self.moved.period == period)
        keys = json.dumps(self.view.keys.ids[_among(self.moved.key[mask], len(self.view.keys))].tolist())
        key = "+l.key_id" if self.by_index else "l.key_id"
        numbers = (
            [self.numbers[period]]
            if period is not None
            else [
                self.numbers[at] for at in np.flatnonzero(_among(self.moved.period[mask], len(self.numbers))).tolist()
            ]
        )
        clauses = [
            f"{key} IN (SELECT value FROM json_each(%s))",
            f"{'+' if self.by_index else ''}l.period IN ({', '.join(['%s'] * len(numbers)) or 'NULL'})",
        ]
        values: list[Any] = [keys, *numbers]
        if len(self.statuses) == 1:
            clauses.append("l.status = %s")
            values += self.statuses
        if len(self.effects) == 1:
            clauses.append("l.effect = %s")
            values += self.effects
        return " AND ".join([*clauses, self.conditions]), [*values, *self.values]

    def _ids(self, period: int, cursor_at: tuple[str, int] | None, limit: int, *, down: bool) -> list[tuple[str, int]]:
        where, values = self._where(period)
        if cursor_at is not None:
            where += f" AND (l.date, l.id) {'<' if down else '>'} (%s, %s)"
            values += list(cursor_at)
        direction = "DESC" if down else "ASC"
        source = self._from() if not self.wanted.is_simple else "ledger_journalline l"
        with connection.cursor() as cursor:
            cursor.execute(
                f"SELECT l.date, l.id FROM {source} WHERE {where} ORDER BY l.date {direction}, l.id {direction} LIMIT "
                f"{limit}",
                values,
            )
            return [(str(date), pk) for date, pk in cursor.fetchall()]

    def _walk(self, start: tuple[int, str, int] | None, limit: int, *, down: bool) -> list[tuple[int, str, int]]:
        """Up to `limit` (period, date, id) from a place on, period by period."""
        if self.by_index:
            return self._at_once(start, limit, down=down)
        periods = np.flatnonzero(_among(self.moved.period[self.mask], len(self.numbers))).tolist()
        if down:
            periods.reverse()
        found: list[tuple[int, str, int]] = []
        for period in periods:
            if start is not None and (period > start[0] if down else period < start[0]):
                continue
            place = (start[1], start[2]) if start is not None and period == start[0] else None
            found += [(period, *row) for row in self._ids(period, place, limit - len(found), down=down)]
            if len(found) >= limit:
                break
        return found

    def _at_once(self, start: tuple[int, str, int] | None, limit: int, *, down: bool) -> list[tuple[int, str, int]]:
        """The same where an index finds the few lines that fit, whatever their period."""
        where, values = self._where(None)
        if start is not None:
            where += f" AND (l.period, l.date, l.id) {'<' if down else '>'} (%s, %s, %s)"
            values += [self.numbers[start[0]], start[1], start[2]]
        direction = "DESC" if down else "ASC"
        order = ", ".join(f"l.{name} {direction}" for name in ("period", "date", "id"))
        with connection.cursor() as cursor:
            cursor.execute(
                f"SELECT l.period, l.date, l.id FROM {self._from()} WHERE {where} ORDER BY {order} LIMIT {limit}",
                values,
            )
            place = {number: at for at, number in enumerate(self.numbers)}
            return [(place[period], str(date), pk) for period, date, pk in cursor.fetchall()]

    def page(self, *, after: str = "", before: str = "", end: bool = False, size: int = PAGE) -> JournalPage:
        """The first page, the one after or before a key, or the last one."""
        with snapshot():
            count, sums = self.totals()
            if before or end:
                rows = self._walk(_place(before) if before else None, size + 1, down=True)
                more_back, rows = len(rows) > size, rows[:size][::-1]
                more_on = bool(before)
            else:
                rows = self._walk(_place(after) if after else None, size + 1, down=False)
                more_on, rows = len(rows) > size, rows[:size]
                more_back = bool(after)
            lines = self._lines([row[2] for row in rows])
        back = _key(rows[0]) if rows and more_back else ""
        on = _key(rows[-1]) if rows and more_on else ""
        return JournalPage(tuple(lines), count, tuple(sums), back, on, self.sealed)

    def _lines(self, ids: list[int]) -> list[JournalRow]:
        found = JournalLine.objects.select_related("entry__entity", "key__account", "key__partner").in_bulk(ids)
        frame, keys = self.view.frame, self.view.keys
        place = places(self.view)
        rows = []
        for pk in ids:
            line = found[pk]
            at = place[line.key_id]
            account = line.key.account
            digits = self.view.digits_of(at)
            members = tuple(codes.items[keys.members[at, n]].code for n, codes in enumerate(frame.dimensions.values()))
            entry = line.entry
            rows.append(
                JournalRow(
                    entry.entity.code,
                    entry.number,
                    line.line,
                    line.date.isoformat(),
                    period_code(line.period),
                    account.code,
                    account.name,
                    members,
                    line.key.partner.code if line.key.partner else "",
                    Fraction(line.debit, 10**digits),
                    Fraction(line.credit, 10**digits),
                    digits,
                    line.description,
                    line.document,
                    line.counterparty,
                    line.counterparty_name,
                    line.source,
                    line.user,
                    line.batch,
                    "pending" if line.status else "posted",
                    entry.kind,
                    json.loads(line.attributes) if line.attributes else {},
                )
            )
        return rows

    def every(self, size: int = 2_000) -> Iterator[JournalRow]:
        """All lines in order, for an export of any size."""
        place: tuple[int, str, int] | None = None
        while True:
            rows = self._walk(place, size, down=False)
            yield from self._lines([row[2] for row in rows])
            if len(rows) < size:
                return
            place = rows[-1]


def _among(places: IntArray, count: int) -> BoolArray:
    """Mask of the places, out of so many, that are named at all."""
    mask = np.zeros(count, dtype=bool)
    mask[places] = True
    return mask


def _key(row: tuple[int, str, int]) -> str:
    return f"{row[0]}_{row[1]}_{row[2]}"


def _place(key: str) -> tuple[int, str, int]:
    period, _, rest = key.partition("_")
    date, _, pk = rest.partition("_")
    if not is_whole(period) or not is_whole(pk) or len(date) != 10:
        raise RulkaError(f"{quoted(key)} is no place in the journal.", hint="Begin at its first page.", subject="page")
    return int(period), date, int(pk)


def came_to(journal: Journal) -> list[list[str]]:
    """What the lines of a filter come to: how many they are, and by currency their debits and credits."""
    count, sums = journal.totals()
    return [["lines", str(count)]] + [
        [code or "quantities", exact_text(debit, digits), exact_text(credit, digits)]
        for code, debit, credit, digits in sums
    ]
