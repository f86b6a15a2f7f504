"""Rows of a ledger for one person: each set read through their view, at one revision, in one consistent state.

What lies outside of a fence and lines of sealed accounts can't come: journal and budget lines are reached only through
a temporary table of the posting keys that the view shows, all other sets are written from the view.
"""

from __future__ import annotations

import itertools
import json
import time
from collections.abc import Callable, Hashable, Iterable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, replace
from typing import Any, Final

import numpy as np
from django.db import connection
from django.db.utils import DatabaseError

from rulka.core.books.book import View
from rulka.core.books.calendar import period_number
from rulka.core.books.chart import BoolArray, CodeList
from rulka.core.books.fence import Fence
from rulka.core.errors import RulkaError, first_of
from rulka.core.extracting.conditions import Between, ChosenCodes, Condition, Not
from rulka.core.extracting.fields import RowKind
from rulka.core.extracting.pivots import AskedPivot, Groups, Pivot, ordered_down, pivot_from
from rulka.core.extracting.query import CURRENCY, Query, QuerySums, ResultColumn, adds_money, summable
from rulka.ledger.models import Ledger
from rulka.ledger.reading import row_kinds, row_tables
from rulka.ledger.reading.beside import inside, tables_of
from rulka.ledger.reading.found import line_keys
from rulka.ledger.reading.history import view_at
from rulka.ledger.reading.queries import snapshot
from rulka.ledger.reading.row_kinds import BY_LINE, RowSource
from rulka.ledger.reading.row_sql import Conditions, Sql, mask_of

BLOCK = 2_000
"""Rows that are fetched at once."""
FEW = 500
"""Rows up to which the first ones are found by what orders them."""
NEWEST = 50_000
"""Lines that are looked at for what further columns there are."""
MOST_KEPT = 40
MANY = 20_000
"""Lines beyond which rows by date are read period by period."""
NUMBERS = itertools.count(1)
LINE_FIELDS: Final = (
    "id, entry_id, line, key_id, period, date, status, effect, debit, credit, description, source, document, "
    'counterparty, counterparty_name, "user", batch, transaction_currency, transaction_amount, attributes'
)
TOO_LONG = "It takes too long."


@dataclass(frozen=True)
class GivenRows:
    """A set that an app above has rows of: its fields, and the rows in their order."""

    rows: RowKind
    made: Callable[[], Iterable[Sequence[Any]]]


class RowReader:
    """Reads sets of rows of a ledger through a view; made by `reading`, within one snapshot."""

    def __init__(self, ledger: Ledger, view: View, given: Iterable[GivenRows] = (), since: int | None = None) -> None:
        self.ledger, self.view, self.since = ledger, view, since
        self.given = {one.rows.name: one for one in given}
        self.scale = row_kinds.scale_of(view, ledger)
        self.warnings: list[str] = []
        self._made: dict[Hashable, str] = {}
        self._tables: list[str] = []
        self._sources: dict[tuple[str, str], RowSource] = {}
        self._functions: dict[int, str] = {}
        self._only_lines: list[int] | None = None

    # sets -----------------------------------------------------------------------------------------------------------

    def names(self) -> list[tuple[str, str]]:
        """The sets that there are, with their titles; tables beside the ledger by their names."""
        own = [(name, title) for name, title in row_kinds.TITLES.items()]
        return own + [(f"table {one.name}", one.name) for one in tables_of(self.ledger)]

    def row_kind(self, name: str, of: str = "") -> RowKind:
        """A set of rows with all its fields."""
        return self._source(name, of).rows

    def _source(self, name: str, of: str = "") -> RowSource:
        if (name, of) not in self._sources:
            source = self._own_source(name, of)
            if name in BY_LINE and not self.view.fence.shows_lines:
                raise RulkaError(
                    f"You see accounts, not {source.rows.title.lower()}.", hint="Ask for balances.", code="depth"
                )
            self._sources[name, of] = self._beside(row_kinds.with_rates(source, self.view.frame.group_currency))
        return self._sources[name, of]

    def _own_source(self, name: str, of: str) -> RowSource:
        view, scale, ledger = self.view, self.scale, self.ledger
        match name:
            case "journal lines":
                return row_kinds.journal_lines(view, scale, view.kept(("kept columns",), self._kept_columns))
            case "entries":
                return row_kinds.entries(view, scale)
            case "budgets":
                return row_kinds.budgets(view, scale)
            case "balances":
                return row_kinds.of_table(row_tables.balances_set(view, scale), lambda: ())
            case "accounts":
                rows = row_tables.accounts_set()
                return row_kinds.of_table(rows, lambda: row_tables.account_rows(view, ledger))
            case "members":
                return row_kinds.of_table(row_tables.members_set(), lambda: row_tables.member_rows(view))
            case "counterparties":
                rows = row_tables.counterparties_set()
                return row_kinds.of_table(rows, lambda: row_tables.counterparty_rows(view, ledger))
            case "rates":
                return row_kinds.of_table(row_tables.rates_set(), lambda: row_tables.rate_rows(view, ledger))
            case "revisions":
                return row_kinds.of_table(row_tables.revisions_set(), lambda: row_tables.revision_rows(view, ledger))
            case "documents":
                return replace(row_kinds.of_table(row_tables.documents_set(), lambda: ()), by_line=True)
            case "table":
                return self._side_set(of)
        if name in self.given:
            return row_kinds.of_table(self.given[name].rows, self.given[name].made)
        raise row_kinds.unknown_set(name, [known for known, _ in self.names()])

    def _kept_columns(self) -> list[str]:
        """The further columns that the newest lines which show have kept, by name."""
        sql = Sql(
            "SELECT DISTINCT j.key FROM ledger_journalline l, json_each(l.attributes) j WHERE l.id > (SELECT MAX(id) "
            "FROM ledger_journalline) - %s AND l.attributes <> '' AND +l.key_id IN (SELECT value FROM json_each(%s)) "
            "ORDER BY 1 LIMIT %s",
            (NEWEST, line_keys(self.view), MOST_KEPT),
        )
        return [str(row[0]) for row in self._fetched(sql) if row_kinds.PLAIN_NAME.fullmatch(str(row[0]))]

    def _known_fields(self) -> list[str]:
        return ["account", "entity", "partner", *self.view.frame.dimensions, "counterparty", "scenario"]

    def _side_set(self, name: str) -> RowSource:
        from rulka.ledger.reading.beside import find_table

        table = find_table(self.ledger, name)
        rows = inside(self.view, table)
        fields = row_tables.side_fields(table.columns, rows, self._known_fields())
        found = RowKind("table", name, tuple(replace(one, group=name) for one in fields), ())
        return row_kinds.of_table(found, lambda: row_tables.side_rows(fields, rows))

    def _beside(self, source: RowSource) -> RowSource:
        """A set with the tables beside the ledger that share a column of codes, a document or an entry with it."""
        shared_with = {one.name for one in source.rows.fields if one.kind == "code"} & set(self._known_fields())
        shared_with |= {"document", "entry"} & {one.name for one in source.rows.fields}
        for position, table in enumerate(tables_of(self.ledger)):
            names = [" ".join(str(title).split()).casefold() for title in table.columns]
            shared = [name for name in names if name in shared_with]
            if not shared or (source.rows.name == "table" and source.rows.title == table.name):
                continue
            try:
                rows = inside(self.view, table)
            except RulkaError:
                continue  # it says nothing that this person's bounds could go by
            fields = row_tables.side_fields(table.columns, rows, self._known_fields())
            source = row_kinds.with_side(source, table.name, fields, shared, position)
        return source

    def known(self, of: str) -> dict[str, str] | None:
        """The codes that there are of something, with their names, as far as this person sees them; None where any text
        will do."""
        codes = self.codes(of)
        if codes is not None:
            inside_of = (
                self.view.fence.codes_inside("entity" if of == "partner" else of, codes)
                if (of != "scenario")
                else np.ones(len(codes), dtype=bool)
            )
            return {item.code: item.name for item, seen in zip(codes.items, inside_of, strict=True) if seen}
        if of == "counterparty":
            grouped = self.view.grouped(("counterparty",))
            seen = [label for label in grouped.labels["counterparty"] if label]
            own = {code: grouped.names.get(code, "") for code in seen}
            if self.view.fence.is_open:
                own |= dict(self.ledger.counterparties.values_list("code", "name"))
            return dict(sorted(own.items()))
        return None

    def codes(self, of: str) -> CodeList | None:
        """The codes that fields of some kind take; None for free texts."""
        frame = self.view.frame
        if of == "account":
            return frame.accounts
        if of in ("entity", "partner"):
            return frame.entities
        if of == "scenario":
            from rulka.core.books.chart import Item

            return CodeList("scenario", tuple(Item(code, code) for code in frame.scenarios))
        return frame.dimensions.get(of)

    # answers --------------------------------------------------------------------------------------------------------

    def rows(
        self, query: Query, limit: int | None = None, *, within: float | None = None, first: int | None = None
    ) -> Iterator[tuple[Any, ...]]:
        """The rows of a query in its order, at most `limit`; stored values, a column each. With `first` those with one
        value of a column stand together. Refused after `within` seconds where that is said."""
        most = min(filter(None, (limit, query.top or None)), default=None)
        if first is None:
            query = replace(query, top=0)  # the first rows in order are the top ones
        taken = 0
        early = self._numbered(query) and most is not None and most <= FEW and first is None and not query.keep
        with self._in_time(within):
            for sql in self._ordered(query, first, (most or 0) if early else 0):
                for row in self._fetched(sql if most is None else sql + Sql(" LIMIT %s", (most - taken,))):
                    yield row
                    taken += 1
                if most is not None and taken >= most:
                    return

    def sums(self, query: Query, *, different: bool = False, within: float | None = None) -> QuerySums:
        """How many rows there are, what their numbers come to by currency, and of codes and texts how many different
        ones."""
        places = [at for at, column in enumerate(query.columns) if summable(column)]
        told = [at for at, column in enumerate(query.columns) if different and column.shows.kind in ("code", "text")]
        quick = None if query.top or query.keep or query.is_grouped else self._quick_count(query)
        if quick is not None and not places and not told:
            return QuerySums(quick, {}, {})
        by = self._unit(query)
        parts = [by or "''", "COUNT(*)", *(f"SUM(c{at})" for at in places)]
        sql = Sql(f"SELECT {', '.join(parts)} FROM (") + self._selected(query) + Sql(")")
        sql += Sql(f" GROUP BY {by}") if by else Sql("")
        count, sums = 0, dict[int, dict[str, int]]()
        only = self._only_currency(query) if not by else ""
        with self._in_time(within):
            for unit, rows, *values in self._fetched(sql):
                count += int(rows)
                for at, value in zip(places, values, strict=True):
                    if query.columns[at].shows.kind == "amount":
                        if unit or only is not None:
                            sums.setdefault(at, {})[unit or only or ""] = int(value or 0)
                    else:
                        own = sums.setdefault(at, {})
                        own[""] = own.get("", 0) + int(value or 0)
            different_ones = {}
            if told:
                names = ", ".join(f"COUNT(DISTINCT NULLIF(c{at}, ''))" for at in told)
                sql = Sql(f"SELECT {names} FROM (") + self._selected(query) + Sql(")")
                different_ones = dict(zip(told, next(iter(self._fetched(sql))), strict=True))
        return QuerySums(count, sums, different_ones)

    def count(self, query: Query, *, within: float | None = None) -> int:
        """How many rows a query has; where balances know it they say it."""
        quick = None if query.top or query.keep or query.is_grouped else self._quick_count(query)
        if quick is not None:
            return quick
        sql = Sql("SELECT COUNT(*) FROM (") + self._selected(query) + Sql(")")
        with self._in_time(within):
            return int(next(iter(self._fetched(sql)))[0])

    def grouped(self, query: Query, by: Sequence[int], how: str, value: int, *, also: Sequence[int] = ()) -> Groups:
        """The rows of a query put together by some columns: labels, and what a column comes to; of numbers the sums of
        `also` stand behind it."""
        names = [f"c{at}" for at in by]
        text = ", ".join([*names, self._total(how, f"c{value}"), *(f"SUM(c{at})" for at in also)])
        sql = Sql(f"SELECT {text} FROM (") + self._selected(query) + Sql(")")
        if names:
            sql += Sql(f" GROUP BY {', '.join(names)} ORDER BY {', '.join(names)}")
        width = len(by)
        found = []
        for row in self._fetched(sql):
            if names or row[width] is not None:
                found.append((tuple(row[:width]), row[width] if not also else tuple(row[width:])))
        return found

    def values(self, query: Query, place: int, most: int) -> list[tuple[Any, int]]:
        """The different values of a column in order, each with its number of rows; at most so many and one more."""
        sql = Sql(f"SELECT c{place}, COUNT(*) FROM (") + self._selected(query)
        sql += Sql(f") GROUP BY c{place} ORDER BY c{place} LIMIT %s", (most + 1,))
        return [(row[0], int(row[1])) for row in self._fetched(sql)]

    def different(self, query: Query, place: int) -> int:
        """How many different values a column has."""
        sql = Sql(f"SELECT COUNT(DISTINCT c{place}) FROM (") + self._selected(query) + Sql(")")
        return int(next(iter(self._fetched(sql)))[0])

    def sums_by(self, query: Query, place: int, sums: Sequence[int]) -> Iterator[tuple[Any, ...]]:
        """By the values of a column and by currency, what some columns come to."""
        unit = self._unit(query) or "''"
        told = "".join(f", SUM(c{at})" for at in sums)
        sql = Sql(f"SELECT c{place}, {unit}{told} FROM (") + self._selected(query)
        return self._fetched(sql + Sql(f") GROUP BY c{place}, {unit} ORDER BY c{place}"))

    def pivot(self, query: Query, asked: AskedPivot) -> Pivot:
        """A pivot of a query's rows; sums of both axes are asked apart, since means and different ones don't add up."""
        self.check_pivot(query, asked)
        both = (*asked.down, *asked.across)
        rows = self.grouped(query, asked.down, asked.how, asked.value)
        cells = self.grouped(query, both, asked.how, asked.value) if asked.across else [(one, v) for one, v in rows]
        columns = self.grouped(query, asked.across, asked.how, asked.value) if asked.across else [
            ((), value) for _, value in self.grouped(query, (), asked.how, asked.value)
        ]  # fmt: skip
        total = next((value for _, value in self.grouped(query, (), asked.how, asked.value)), None)
        rest: Groups = ()
        rest_total = None
        down = ordered_down(asked, dict(rows))
        if asked.top and len(down) > asked.top:
            others = self._only(query, asked.down, down[asked.top :])
            across = asked.across
            rest = self._grouped_in(others, query, across, asked)
            rest_total = next((value for _, value in self._grouped_in(others, query, (), asked)), None)
        return pivot_from(asked, cells, rows, columns, total, rest, rest_total)

    def _only(self, query: Query, places: Sequence[int], labels: Sequence[tuple[Any, ...]]) -> Sql:
        """The rows of a query whose columns have one of some combinations of values."""
        match = " AND ".join(f"json_extract(value, '$[{at}]') IS c{place}" for at, place in enumerate(places))
        values = json.dumps([list(one) for one in labels])
        sql = Sql("SELECT * FROM (") + self._selected(query)
        return sql + Sql(f") WHERE EXISTS (SELECT 1 FROM json_each(%s) WHERE {match})", (values,))

    def _grouped_in(self, rows: Sql, query: Query, by: Sequence[int], asked: AskedPivot) -> Groups:
        names = [f"c{at}" for at in by]
        text = ", ".join([*names, self._total(asked.how, f"c{asked.value}")])
        sql = Sql(f"SELECT {text} FROM (") + rows + Sql(")")
        if names:
            sql += Sql(f" GROUP BY {', '.join(names)}")
        return [(tuple(row[:-1]), row[-1]) for row in self._fetched(sql)]

    def expected(self, query: Query) -> int | None:
        """How many journal lines stand behind a query at most, as balances know it; None for sets of other rows."""
        counts = self._counts(query)
        return None if counts is None else int(counts.sum())

    def has_sealed(self, query: Query) -> bool:
        """Whether accounts that a query asks for are sealed for this person: their lines are in no row."""
        view = self.view
        if not query.rows.name or query.rows.name not in BY_LINE or not view.seal:
            return False
        asked = view.sealed & view.visible_accounts()
        for one in query.where:
            inner = one.of if isinstance(one, Not) else one
            if isinstance(inner, ChosenCodes) and inner.field.name == "account":
                mask = mask_of(inner.selection, view.frame.accounts, [])
                asked = asked & (~mask if isinstance(one, Not) else mask)
        return bool(asked.any())

    # currencies -----------------------------------------------------------------------------------------------------

    def currencies(self, query: Query) -> list[str]:
        """What the amounts of a query's rows are in: currencies, and units of quantities; none where nothing says
        it."""
        source = self._source_of(query)
        if CURRENCY not in source.sql:
            return []
        if source.table is None:
            chosen = self._keys_chosen([one for one in query.where if self._tells_keys(source, one)])
            known = {unit for unit, on in zip(row_tables.currencies_by_key(self.view), chosen, strict=True) if on}
            if len(known) == 1:
                return list(known)
        used = self._fields_used(query) | {CURRENCY}
        sql = Sql(f"SELECT DISTINCT {source.sql[CURRENCY]} FROM ") + self._from(source, query, used)
        return sorted(str(row[0]) for row in self._fetched(sql))

    def check_pivot(self, query: Query, asked: AskedPivot) -> None:
        """Refuse a pivot that would add or compare amounts of several currencies."""
        value = query.columns[asked.value]
        if asked.counts or value.shows.kind != "amount":
            return
        found = self.currencies(query)
        if len(found) > 1:
            raise RulkaError(
                f"The pivot would add amounts in {', '.join(found[:5])}.",
                hint="Ask for one of them: add the condition currency.", subject="pivot", code="currencies",
            )  # fmt: skip

    def _has_currency(self, query: Query) -> bool:
        return not query.is_grouped and CURRENCY in self._source_of(query).sql

    def _unit(self, query: Query) -> str:
        """What says of each row of a query what its amounts are in; empty where nothing does."""
        if self._has_currency(query):
            return "u"
        shown = (at for at, one in enumerate(query.columns) if one.field and one.field.name == CURRENCY)
        return next((f"c{at}" for at in shown if not query.columns[at].total), "")

    def _only_currency(self, query: Query) -> str | None:
        """The one currency of rows that don't say theirs, empty where there is none to say; None where they have
        several, each by itself."""
        found = self.currencies(query)
        return None if len(found) > 1 else found[0] if found else ""

    def check_currencies(self, query: Query) -> None:
        """Refuse rows that would add amounts of several currencies, or money and quantities."""
        if not query.is_grouped or not adds_money(query):
            return
        groups = [column for column in query.columns if not column.total and not column.after]
        if any(column.field is not None and column.field.name == CURRENCY for column in groups):
            return
        found = self.currencies(query)
        if len(found) < 2:
            return
        source = self._source_of(query)
        texts = self._expressions(source, query)
        by = [texts[at] for at, column in enumerate(query.columns) if not column.total and not column.after]
        used = self._fields_used(query) | {CURRENCY}
        sql = Sql("SELECT 1 FROM ") + self._from(source, query, used)
        sql += Sql(
            f"{' GROUP BY ' + ', '.join(by) if by else ''} HAVING COUNT(DISTINCT {source.sql[CURRENCY]}) > 1 LIMIT 1"
        )
        if next(iter(self._fetched(sql)), None) is not None:
            told = first_of(found, 5)
            raise RulkaError(
                f"It would add amounts in {told}.",
                hint="Add the column currency, or ask for one: currency EUR.", subject="columns", code="currencies",
            )  # fmt: skip

    # SQL ------------------------------------------------------------------------------------------------------------

    def _ordered(self, query: Query, first: int | None, few: int = 0) -> Iterator[Sql]:
        """The rows of a query in order; those by date or period, where they are many, block of periods by block. Where
        only a few are asked for, these are found by what orders them before all else of them is read."""
        order, names = self._order(query, first), ", ".join(f"c{at}" for at in range(len(query.columns)))
        for block in self._blocks(query) if first is None else [None]:
            narrowed = query if block is None else replace(query, where=(*query.where, block))
            if few:
                self._only_lines = [int(row[0]) for row in self._fetched(self._first_lines(narrowed, few))]
            yield Sql(f"SELECT {names} FROM (") + self._selected(narrowed) + Sql(f") {order}")

    @staticmethod
    def _numbered(query: Query) -> bool:
        """Whether each row is a journal line with its number."""
        return query.rows.name == "journal lines" and not query.is_grouped

    def _first_lines(self, query: Query, few: int) -> Sql:
        """The numbers of the first lines of a query."""
        source = self._source_of(query)
        texts = self._expressions(source, query)
        sort = query.sort or ((0, False),)
        names = {name for at, _ in sort for name in _read_by(query.columns[at])}
        used = {name for one in query.where for name in _fields_of(one)} | names
        order = ", ".join(f"{texts[at]}{' DESC' if falling else ''}" for at, falling in sort)
        inner = self._from(source, query, used)
        return Sql("SELECT l.id FROM ") + inner + Sql(f" ORDER BY {order}, l.id LIMIT %s", (few,))

    def _order(self, query: Query, first: int | None = None) -> str:
        """By what is asked for, lines then by their number, other rows by all that tells them apart, so that files come
        out the same each time."""
        if self._numbered(query):
            sort = query.sort or ((0, False),)
            sort = sort if first is None else ((first, False), *(one for one in sort if one[0] != first))
            return f"ORDER BY {', '.join(_falls(at, falling) for at, falling in sort)}, o"
        sort = query.sort if first is None else ((first, False), *(one for one in query.sort if one[0] != first))
        places = [_falls(at, falling) for at, falling in sort]
        known = {at for at, _ in sort}
        rest = [at for at in range(len(query.columns)) if at not in known]
        return f"ORDER BY {', '.join([*places, *(f'c{at}' for at in rest)])}" if places or rest else ""

    def _blocks(self, query: Query) -> list[Condition | None]:
        """Conditions on the period, one after the other in the order of the rows; one without a condition where rows
        aren't by date or are few."""
        first = query.columns[query.sort[0][0]] if query.sort else next(iter(query.columns))
        falling = bool(query.sort and query.sort[0][1])
        by_time = first.field is not None and first.field.name in ("date", "period") and not first.total
        if not self._numbered(query) or not by_time or query.keep or _by_index(query):
            return [None]
        counts = self._counts(query)
        if counts is None or counts.sum() < MANY:
            return [None]
        periods = self.view.frame.calendar.periods
        if any(counts[one.index] for one in periods if one.adjusting):
            return [None]  # their lines may be of any day of the year
        field = query.rows.field("period")
        found: list[list[int]] = []
        for period in self.view.frame.calendar.periods:
            number = period_number(period.code)
            if period.adjusting and found:
                found[-1].append(number)  # its days are those of the period before
            else:
                found.append([number])
        place = {period_number(period.code): period.index for period in self.view.frame.calendar.periods}
        wanted = [block for block in found if any(counts[place[number]] for number in block)]
        if falling:
            wanted.reverse()
        return [Between(field, block[0], block[-1]) for block in wanted]

    def _selected(self, query: Query) -> Sql:
        """The rows of a query, columns `c0`, `c1` ..., put together where it says so, without order."""
        source = self._source_of(query)
        expressions = self._expressions(source, query)
        with_currency = self._has_currency(query)
        used = self._fields_used(query) | ({CURRENCY} if with_currency else set())
        inner = self._from(source, query, used)
        shown, groups = [], []
        for at, column in enumerate(query.columns):
            if column.after:
                continue
            text = expressions[at]
            if column.total:
                text = self._total(column.total, text)
            else:
                groups.append(text)
            shown.append(f"{text} AS c{at}")
        also = []
        if with_currency:
            shown.append(f"{source.sql[CURRENCY]} AS u")
            also.append("u")
        if self._numbered(query):
            shown.append("l.id AS o")
            also.append("o")
        sql = Sql(f"SELECT {', '.join(shown)} FROM ") + inner
        if query.is_grouped and groups:
            sql += Sql(f" GROUP BY {', '.join(groups)}")
        if any(column.after for column in query.columns):
            sql = Sql(f"SELECT {', '.join([*self._after(query), *also])} FROM (") + sql + Sql(")")
        if query.keep:
            writer = Conditions(lambda field: f"c{field.name}", self.codes)
            kept = writer.every(query.keep)
            self._warn(writer.warnings)
            sql = Sql("SELECT * FROM (") + sql + Sql(") WHERE ") + kept
        if query.top:
            sql = Sql("SELECT * FROM (") + sql + Sql(f") {self._order(query)} LIMIT %s", (query.top,))
        return sql

    def _after(self, query: Query) -> list[str]:
        """The columns with those that are made of others; each may read those before it."""
        texts: dict[str, str] = {}
        for at, column in enumerate(query.columns):
            if column.after and column.formula is not None:
                inputs = ", ".join(texts[name] for name in column.formula.reads)
                texts[column.key] = f"{self._function(column)}({inputs})"
            else:
                texts[column.key] = f"c{at}"
        return [f"{texts[column.key]} AS c{at}" for at, column in enumerate(query.columns)]

    def _expressions(self, source: RowSource, query: Query) -> list[str]:
        texts = []
        for column in query.columns:
            if column.formula is not None and not column.after:
                inputs = ", ".join(self._expression(source, name) for name in column.formula.reads)
                texts.append(f"{self._function(column)}({inputs})")
            elif column.field is not None:
                texts.append(self._expression(source, column.field.name))
            else:
                texts.append("NULL")
        return texts

    @staticmethod
    def _expression(source: RowSource, name: str) -> str:
        return source.sql[name]

    def _function(self, column: ResultColumn) -> str:
        """A computed column as a function of the connection; the same one each time."""
        formula = column.formula
        assert formula is not None  # asked of computed columns only
        if id(formula) not in self._functions:
            name = f"rulka_formula_{next(NUMBERS)}"
            run = formula.run
            _raw().create_function(name, -1, lambda *values: run(values), deterministic=True)
            self._functions[id(formula)] = name
        return self._functions[id(formula)]

    @staticmethod
    def _total(how: str, text: str) -> str:
        match how:
            case "sum":
                return f"SUM({text})"
            case "count":
                return f"COUNT(NULLIF({text}, ''))"
            case "distinct":
                return f"COUNT(DISTINCT NULLIF({text}, ''))"
            case "average":
                _raw().create_function("rulka_mean", 2, _mean, deterministic=True)
                return f"rulka_mean(SUM({text}), COUNT({text}))"
            case "least":
                return f"MIN(NULLIF({text}, ''))"
            case _:
                return f"MAX(NULLIF({text}, ''))"

    def _source_of(self, query: Query) -> RowSource:
        return self._source(query.rows.name, query.rows.title if query.rows.name == "table" else "")

    def _from(self, source: RowSource, query: Query, used: set[str]) -> Sql:
        """What a query selects from and under which conditions."""
        writer = Conditions(lambda field: source.raw.get(field.name, source.sql[field.name]), self.codes)
        by_key = [one for one in query.where if self._tells_keys(source, one)]
        others = [one for one in query.where if one not in by_key]
        if source.table is not None:
            return self._from_table(source, query, used, writer)
        chosen = self._keys_chosen(by_key)
        keys = self._key_table(chosen)
        base = self._placed(source, keys, query, chosen)
        aliases = self._aliases(source, used)
        joins = self._joins(source, aliases)
        where = writer.every(others)
        self._warn(writer.warnings)
        values: tuple[Any, ...] = ()
        if "{inner}" in base:
            pushed = [one for one in others if isinstance(one, Between) and one.field.name in source.inner]
            inner = Conditions(lambda field: source.inner[field.name], self.codes).every(pushed)
            base, values = base.replace("{inner}", inner.text), inner.values
        numbers, self._only_lines = self._only_lines, None
        if numbers is not None:
            where += Sql(" AND l.id IN (SELECT value FROM json_each(%s))", (json.dumps(numbers),))
        return Sql(f"{base}{joins} WHERE ", values) + where + self._of_days(source, query) + self._news(source)

    def _of_days(self, source: RowSource, query: Query) -> Sql:
        """The periods that days can lie in, which an index knows."""
        numbers = self._periods_of_days(query)
        if numbers is None or "{inner}" in source.base or query.rows.name != "journal lines":
            return Sql("")
        return Sql(" AND l.period IN (SELECT value FROM json_each(%s))", (json.dumps(numbers),))

    def _periods_of_days(self, query: Query) -> list[int] | None:
        """The stored numbers of the periods that lines of a query's days can be in, adjusting ones of their years too;
        None where no days bound it."""
        days = [one for one in query.where if isinstance(one, Between) and one.field.name == "date"]
        if not days:
            return None
        low = max(str(one.low or "") for one in days)
        high = min(str(one.high or "9999") for one in days)
        periods = self.view.frame.calendar.periods
        inside = [one for one in periods if one.end.isoformat() >= low and one.start.isoformat() <= high]
        years = {one.year for one in inside}
        return [period_number(one.code) for one in periods if one in inside or (one.adjusting and one.year in years)]

    def _news(self, source: RowSource) -> Sql:
        """Only rows of entries that moved after a revision, where that is asked for."""
        if self.since is None or source.rows.name not in ("journal lines", "entries"):
            return Sql("")
        return Sql(
            " AND l.entry_id IN (SELECT id FROM ledger_journalentry WHERE ledger_id = %s AND revision > %s UNION "
            "SELECT entry_id FROM ledger_journalline WHERE revision > %s)",
            (self.ledger.pk, self.since, self.since),
        )

    def _placed(self, source: RowSource, keys: str, query: Query, chosen: BoolArray) -> str:
        """A set's tables with the names they have here; the few are walked through to the many."""
        lines = self._lines_table("ledger_journalline")
        few = self._only_lines is None and self._is_small(query, chosen)
        # without its name an index is made for each query, which reads all lines
        index = " INDEXED BY line_covering" if lines == "ledger_journalline" else ""
        by_key = f"{keys} k CROSS JOIN {lines} l{index} ON l.key_id = k.id"
        by_line = f"{lines} l CROSS JOIN {keys} k ON k.id = l.key_id"
        base = source.base.replace("{keys_and_lines}", by_key if few else by_line)
        return base.replace("{keys}", keys).replace("{budget}", self._budget_table())

    def _is_small(self, query: Query, chosen: BoolArray) -> bool:
        """Whether the posting keys lead to a smaller part of the lines than reading them all would."""
        if _by_index(query):
            return False
        moved = self.view.movements("actual")
        total = int(moved.count.sum())
        counts = self._counts(query)
        wanted = int(moved.count[chosen[moved.key]].sum()) if counts is None else int(counts.sum())
        return wanted * 3 < total

    def _lines_table(self, name: str) -> str:
        """Journal lines at the revision that is read."""
        if self.view.revision == self.ledger.revision:
            return name
        now = self.view.revision
        return (
            f"(SELECT {LINE_FIELDS}, revision FROM ledger_journalline WHERE revision <= {now} UNION ALL SELECT "
            f"{LINE_FIELDS.replace('id, entry_id', '-id, entry_id', 1)}, since_revision FROM ledger_journallineformer "
            f"WHERE since_revision <= {now} AND until_revision >= {now})"
        )

    def _budget_table(self) -> str:
        fields = "scenario_id, key_id, period, amount, note"
        if self.view.revision == self.ledger.revision:
            return f"(SELECT {fields}, revision FROM ledger_budgetline)"
        now = self.view.revision
        return (
            f"(SELECT {fields}, revision FROM ledger_budgetline WHERE revision <= {now} UNION ALL SELECT {fields}, "
            f"since_revision FROM ledger_budgetlineformer WHERE since_revision <= {now} AND until_revision >= {now})"
        )

    @staticmethod
    def _fields_used(query: Query) -> set[str]:
        used: set[str] = set()
        for column in query.columns:
            if column.field is not None:
                used.add(column.field.name)
            elif column.formula is not None and not column.after:
                used.update(column.formula.reads)
        for one in query.where:
            used |= _fields_of(one)
        return used

    def _aliases(self, source: RowSource, used: Iterable[str]) -> list[str]:
        return list(dict.fromkeys(alias for name in used for alias in source.needs.get(name, ())))

    def _joins(self, source: RowSource, aliases: Sequence[str]) -> str:
        order = {**row_kinds.LINE_JOINS, **row_kinds.BUDGET_JOINS}
        wanted = set(aliases)
        if source.rows.name in ("journal lines", "entries") and "{inner}" not in source.base:
            wanted.add("e") if {"r", "c"} & wanted else None
        found = [order[alias].replace("{ledger}", str(self.ledger.pk)) for alias in order if alias in wanted]
        for alias in sorted(wanted - set(order)):
            attribute = row_kinds.attribute_join(source, alias)
            if alias == "x_rates":
                match = f"x_rates.period = {source.sql['period']} AND x_rates.currency = {source.sql['currency']}"
                found.append(f"LEFT JOIN {self._rates()} x_rates ON {match}")
            elif attribute is not None:
                name, of = attribute
                found.append(f"LEFT JOIN {self._attributes(of)} {alias} ON {alias}.code = {source.sql[name]}")
            else:
                found.append(self._side_join(source, alias))
        return "".join(f" {one}" for one in found)

    # temporary tables -----------------------------------------------------------------------------------------------

    def _keys_chosen(self, conditions: Sequence[Condition]) -> BoolArray:
        """The posting keys whose lines a person sees, and that some conditions let through."""
        view = self.view
        chosen = (view.keys.ids > 0) & ~view.sealed_keys
        for one in conditions:
            chosen = chosen & self._key_mask(one)
        return chosen

    def _key_mask(self, condition: Condition) -> BoolArray:
        """Which posting keys a condition on what tells them lets through."""
        if isinstance(condition, Not):
            return ~self._key_mask(condition.of)
        assert isinstance(condition, ChosenCodes)
        view, name = self.view, condition.field.name
        codes = self.codes(condition.field.of)
        assert codes is not None
        mask = mask_of(condition.selection, codes, self.warnings)
        keys = view.keys
        if name == "account":
            return mask[keys.account]
        if name == "entity":
            return mask[keys.entity]
        if name == "partner":
            found: BoolArray = (keys.partner >= 0) & mask[np.maximum(keys.partner, 0)]
            return found
        return keys.with_member(list(view.frame.dimensions).index(name), mask)

    @staticmethod
    def _tells_keys(source: RowSource, condition: Condition) -> bool:
        inner = condition.of if isinstance(condition, Not) else condition
        return isinstance(inner, ChosenCodes) and inner.field.name in source.keyed

    def _key_table(self, chosen: BoolArray) -> str:
        """A table of posting keys by their stored ids, with their codes and what brings amounts to one scale."""
        name = ("keys", chosen.tobytes())
        if name in self._made:
            return self._made[name]
        view = self.view
        places = np.flatnonzero(chosen).tolist()
        columns = row_tables.codes_by_key(view)
        by, ids = row_tables.factors(view, self.scale).tolist(), view.keys.ids.tolist()
        units, money = row_tables.currencies_by_key(view), view.frame.accounts.of_type("statistical")[view.keys.account]
        rows = [
            (ids[at], by[at], units[at], "" if money[at] else units[at], *(column[at] for column in columns))
            for at in places
        ]
        members = [f"d{at} TEXT" for at in range(len(view.frame.dimensions))]
        columns_sql = [
            "id INTEGER PRIMARY KEY",
            "factor INTEGER",
            "currency TEXT",
            "money TEXT",
            "entity TEXT",
            "account TEXT",
            "partner TEXT",
        ]
        self._made[name] = self._written([*columns_sql, *members], rows)
        return self._made[name]

    def _attributes(self, of: str) -> str:
        """What the codes of something are called, as a table by code."""
        name = ("codes", of)
        if name not in self._made:
            columns, rows = self._attribute_rows(of)
            kind = "INTEGER" if of == "period" else "TEXT"
            self._made[name] = self._written([f"code {kind} PRIMARY KEY", *columns], rows)
        return self._made[name]

    def _attribute_rows(self, of: str) -> tuple[list[str], list[tuple[Any, ...]]]:
        frame = self.view.frame
        if of == "period":
            calendar = frame.calendar
            quarters = [
                calendar.quarter_of(one) if calendar.has_quarters(one.year) else None for one in calendar.periods
            ]
            return ["title", "year", "quarter", "start", '"end"', "adjusting"], [
                (period_number(one.code), one.title, one.year, quarter, one.start.isoformat(), one.end.isoformat(),
                 int(one.adjusting)) for one, quarter in zip(calendar.periods, quarters, strict=True)
            ]  # fmt: skip
        if of == "scenario":
            names = dict(self.ledger.scenarios.values_list("code", "name"))
            return ["name", "kind"], [(code, names.get(code, code), kind) for code, kind in frame.scenarios.items()]
        if of == "counterparty":
            # joined by the codes of rows that show: what no row names is told to nobody
            stored = self.ledger.counterparties.values_list("code", "name", "kind", "address")
            return ["name", "kind", "address"], list(stored)
        codes = self.codes(of)
        assert codes is not None
        called = {item.code: item.name for item in codes.items}
        if of == "account":
            columns = ["name", "type", "category", "parent", "parent_name", "unit", "intercompany", "active", "rate"]
            return columns, [
                (item.code, item.name, item.type, item.category, item.parent, called.get(item.parent, ""), item.unit,
                 int(item.intercompany), int(item.active), item.rate) for item in codes.items
            ]  # fmt: skip
        if of in ("entity", "partner"):
            return ["name", "parent"], [(item.code, item.name, item.parent) for item in codes.items]
        return ["name", "parent", "parent_name"], [
            (item.code, item.name, item.parent, called.get(item.parent, "")) for item in codes.items
        ]

    def _rates(self) -> str:
        """The rates into the group's currency by period and currency; its own is one."""
        if ("rates",) not in self._made:
            group, one = self.view.frame.group_currency, 10**row_kinds.RATE_DIGITS
            rows = [
                (period, source, average, closing)
                for period, source, target, average, closing in row_tables.rate_rows(self.view, self.ledger)
                if target == group
            ]
            periods = [period_number(period.code) for period in self.view.frame.calendar.periods]
            rows += [(period, group, one, one) for period in periods]
            made = self._written(["period INTEGER", "currency TEXT", "average", "closing"], rows)
            self._indexed(made, ["period", "currency"])
            self._made["rates",] = made
        return self._made["rates",]

    def _side_join(self, source: RowSource, alias: str) -> str:
        """A table beside the ledger by what it shares; refused where several of its rows fit one."""
        tables = tables_of(self.ledger)
        table = tables[int(alias.removeprefix("y_"))]
        from rulka.ledger.reading.beside import find_table

        whole = find_table(self.ledger, table.name)
        rows = inside(self.view, whole)
        fields = row_tables.side_fields(whole.columns, rows, self._known_fields())
        known = {one.name for one in source.rows.fields}
        shared = [at for at, one in enumerate(fields) if one.name in known and one.name in source.sql]
        shared = [at for at in shared if fields[at].kind == "code" or fields[at].name in ("document", "entry")]
        seen: dict[tuple[Any, ...], int] = {}
        stored = list(row_tables.side_rows(fields, rows))
        for row in stored:
            key = tuple(row[at] for at in shared)
            seen[key] = seen.get(key, 0) + 1
        several = next((key for key, count in seen.items() if count > 1), None)
        names = ", ".join(fields[at].title for at in shared)
        if several is not None:
            raise RulkaError(
                f"'{table.name}' has {seen[several]} rows for {names} {', '.join(map(str, several))}: amounts would "
                "count more than once.", hint=f"Ask for the rows of {table.name} itself, or load it with one row each.",
                subject=table.name,
            )  # fmt: skip
        made = self._written([f"c{at}" for at in range(len(fields))], stored)
        self._indexed(made, [f"c{at}" for at in shared])
        match = " AND ".join(f"{alias}.c{at} = {source.sql[fields[at].name]}" for at in shared)
        return f"LEFT JOIN {made} {alias} ON {match}"

    def _from_table(self, source: RowSource, query: Query, used: set[str], writer: Conditions) -> Sql:
        assert source.table is not None
        name = query.rows.name
        made = self._balances(query) if name == "balances" else self._documents(query) if name == "documents" else None
        if made is None:
            key = ("rows", name, query.rows.title)
            if key not in self._made:
                own = [one for one in source.rows.fields if source.sql[one.name].startswith("t.")]
                self._made[key] = self._written([f"c{at}" for at in range(len(own))], source.table())
            made = self._made[key]
        where = writer.every(query.where)
        self._warn(writer.warnings)
        joins = self._joins(source, self._aliases(source, used))
        return Sql(f"{source.base.replace('{table}', made)}{joins} WHERE ") + where

    def _balances(self, query: Query) -> str:
        """Balances of what a query may ask for, written out."""
        view = self.view
        chosen = np.ones(len(view.keys), dtype=bool)
        periods = np.ones(len(view.frame.calendar.periods), dtype=bool)
        scenarios = list(view.frame.scenarios)
        numbers = np.array([period_number(one.code) for one in view.frame.calendar.periods])
        for one in query.where:
            if isinstance(one, ChosenCodes) and one.field.name in (
                "account",
                "entity",
                "partner",
                *view.frame.dimensions,
            ):
                chosen &= self._key_mask(one)
            elif isinstance(one, Between) and one.field.name == "period":
                low = one.low if isinstance(one.low, int) else 0
                high = one.high if isinstance(one.high, int) else 10**9
                periods &= (numbers >= low) & (numbers <= high)
            elif isinstance(one, ChosenCodes) and one.field.name == "scenario":
                codes = self.codes("scenario")
                assert codes is not None
                mask = mask_of(one.selection, codes, self.warnings)
                scenarios = [code for code, on in zip(scenarios, mask, strict=True) if on]
        key = ("balances", chosen.tobytes(), periods.tobytes(), tuple(scenarios))
        if key not in self._made:
            width = 11 + len(view.frame.dimensions)
            rows = row_tables.balance_rows(view, self.scale, chosen, periods, scenarios)
            self._made[key] = self._written([f"c{at}" for at in range(width)], rows)
        return self._made[key]

    def _documents(self, query: Query) -> str:
        """Document numbers of the lines that show, of the days that a query bounds, with the gaps between them."""
        days = [one for one in query.where if isinstance(one, Between) and one.field.name == "date"]
        key = ("documents", tuple((one.low, one.high) for one in days))
        if key not in self._made:
            keys = self._key_table(self._keys_chosen(()))
            where = Conditions(lambda field: "l.date", self.codes).every(days)
            sql = Sql(
                "SELECT k.entity, l.document, MIN(l.source), MIN(l.date) || '', COUNT(*) FROM "
                f"{self._lines_table('ledger_journalline')} l CROSS JOIN {keys} k ON k.id = l.key_id WHERE l.document "
                "<> '' AND "
            )
            found = list(self._fetched(sql + where + Sql(" GROUP BY k.entity, l.document")))
            rows = row_tables.document_rows(found)
            self._made[key] = self._written([f"c{at}" for at in range(11)], rows)
        return self._made[key]

    def _written(self, columns: Sequence[str], rows: Iterable[Sequence[Any]]) -> str:
        name = f"temp.rulka_rows_{next(NUMBERS)}"
        with connection.cursor() as cursor:
            cursor.execute(f"CREATE TEMP TABLE {name.removeprefix('temp.')} ({', '.join(columns)})")
            self._tables.append(name)
            holders = ", ".join(["%s"] * len(columns))
            rest = iter(rows)
            while block := list(itertools.islice(rest, BLOCK * 5)):
                cursor.executemany(f"INSERT INTO {name} VALUES ({holders})", block)
        return name

    @staticmethod
    def _indexed(name: str, columns: Sequence[str]) -> None:
        with connection.cursor() as cursor:
            short = name.removeprefix("temp.")
            cursor.execute(f"CREATE INDEX temp.{short}_by ON {short} ({', '.join(columns)})")

    def close(self) -> None:
        """Take the tables away."""
        with connection.cursor() as cursor:
            for name in self._tables:
                cursor.execute(f"DROP TABLE IF EXISTS {name}")
        self._tables.clear()
        self._made.clear()

    # what balances know -----------------------------------------------------------------------------------------------

    def _counts(self, query: Query) -> Any:
        """How many lines there are by period, `(periods,)`, as far as balances know: at least as many as the query has;
        None where the set is none of lines."""
        if query.rows.name not in ("journal lines", "entries"):
            return None
        source = self._source(query.rows.name)
        chosen = self._keys_chosen([one for one in query.where if self._tells_keys(source, one)])
        moved = self.view.movements("actual")
        numbers = np.array([period_number(one.code) for one in self.view.frame.calendar.periods])
        inside_of = chosen[moved.key]
        for one in query.where:
            if isinstance(one, Between) and one.field.name == "period":
                low = one.low if isinstance(one.low, int) else 0
                high = one.high if isinstance(one.high, int) else 10**9
                at = numbers[moved.period]
                inside_of = inside_of & (at >= low) & (at <= high)
        of_days = self._periods_of_days(query)
        if of_days is not None:
            inside_of = inside_of & np.isin(numbers[moved.period], of_days)
        counts = np.zeros(len(numbers), dtype=np.int64)
        np.add.at(counts, moved.period[inside_of], moved.count[inside_of])
        return counts

    def _quick_count(self, query: Query) -> int | None:
        """The number of journal lines where posting keys and periods alone are asked for."""
        if query.rows.name != "journal lines" or self.since is not None:
            return None
        source = self._source(query.rows.name)
        plain = all(
            self._tells_keys(source, one) or (isinstance(one, Between) and one.field.name == "period")
            for one in query.where
        )
        return int(self._counts(query).sum()) if plain else None

    # running --------------------------------------------------------------------------------------------------------

    def _fetched(self, sql: Sql) -> Iterator[tuple[Any, ...]]:
        try:
            with connection.cursor() as cursor:
                cursor.execute(sql.text, sql.values)
                while block := cursor.fetchmany(BLOCK):
                    yield from block
        except DatabaseError as error:
            raise _in_words(error) from error

    @contextmanager
    def _in_time(self, seconds: float | None) -> Iterator[None]:
        """Stop what takes longer."""
        if seconds is None:
            yield
            return
        until = time.monotonic() + seconds
        _raw().set_progress_handler(lambda: int(time.monotonic() > until), 50_000)
        try:
            yield
        finally:
            _raw().set_progress_handler(None, 0)

    def _warn(self, warnings: Iterable[str]) -> None:
        self.warnings += [one for one in warnings if one not in self.warnings]


def _raw() -> Any:
    """The connection under Django's, for functions and its progress."""
    connection.ensure_connection()
    return connection.connection


def _mean(total: int | None, count: int) -> int | None:
    """A sum shared by a count, half away from zero."""
    if total is None or not count:
        return None
    shared = (2 * abs(total) + count) // (2 * count)
    return -shared if total < 0 else shared


def _in_words(error: DatabaseError) -> RulkaError:
    text = str(error)
    if "integer overflow" in text:
        return RulkaError("A sum is too large for its column.", hint="Put fewer rows together.", code="too-much")
    if "interrupted" in text:
        return RulkaError(TOO_LONG, hint="Bound it by a period.", code="too-long")
    raise error


def _by_index(query: Query) -> bool:
    """Whether an index finds what is asked for: lines of some documents or counterparties."""
    return any(
        isinstance(one, ChosenCodes)
        and one.field.name in ("document", "counterparty")
        and all(part.kind == "code" and part.first for part in one.selection.included)
        for one in query.where
    )


def _falls(at: int, falling: bool) -> str:
    return f"c{at} DESC" if falling else f"c{at}"


def _read_by(column: ResultColumn) -> tuple[str, ...]:
    """The fields that a column is made of."""
    if column.field is not None:
        return (column.field.name,)
    return column.formula.reads if column.formula is not None else ()


def _fields_of(condition: Condition) -> set[str]:
    """The fields that a condition reads."""
    if isinstance(condition, Not):
        return _fields_of(condition.of)
    inner = getattr(condition, "of", None)
    if inner is not None:
        return {name for one in inner for name in _fields_of(one)}
    return {condition.field.name}  # type: ignore[union-attr]


@contextmanager
def reading(
    ledger: Ledger,
    fence: Fence,
    revision: int | None = None,
    *,
    given: Callable[[View], Iterable[GivenRows]] | None = None,
    since: int | None = None,
) -> Iterator[RowReader]:
    """A reader of a ledger's rows behind a fence, at a revision (the newest without one), in one state of the tables
    from its first read to its end."""
    with snapshot():
        ledger = Ledger.objects.get(pk=ledger.pk)
        view = view_at(ledger, ledger.revision if revision is None else revision, fence)
        reader = RowReader(ledger, view, given(view) if given else (), since)
        try:
            yield reader
        finally:
            reader.close()
