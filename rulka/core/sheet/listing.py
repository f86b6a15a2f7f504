"""Lists that spill: accounts, members, entities, periods and scenarios; and the journal lines of a selection."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import contextmanager
from decimal import Decimal
from typing import Any, NamedTuple

import numpy as np

from rulka.core.books.book import View
from rulka.core.books.calendar import Window
from rulka.core.books.chart import BoolArray, CodeList
from rulka.core.books.frame import ACTIVITY, POSTED, STATUS_CHOICES
from rulka.core.books.journal import EntryLine
from rulka.core.books.narrowing import LINE_FIELDS, Narrowing, passes, read_narrowing
from rulka.core.errors import NotFound, RulkaError, one_of
from rulka.core.sheet.addresses import MOST_ROWS
from rulka.core.sheet.amounts import argument, meant_codes, narrowed_keys, node_of, visible_accounts, visible_codes
from rulka.core.sheet.inputs import DAY_LOOK
from rulka.core.sheet.surroundings import Surroundings
from rulka.core.sheet.values import NA, VALUE, ZERO, Array, Scalar, SheetError, Value, rank, serial

AMOUNT_LOOK = '#,##0.00;-#,##0.00;"–"'
"""Amounts with two decimals, a dash where one is exactly zero."""
MOST_LINES = 250_000
"""Journal lines that one formula may read; more are refused in words."""


def columns_in(text: str, known: Sequence[str], default: Sequence[str], what: str = "columns") -> list[str]:
    """The columns that a text names with commas between them; raises NotFound for others."""
    names = [" ".join(name.split()).casefold() for name in text.split(",") if name.strip()]
    for name in names:
        if name not in known:
            raise NotFound(f"'{name[:40]}' is no column.", hint=one_of(name, known), subject=what)
    return names or list(default)


# codes ------------------------------------------------------------------------------------------------------------

LISTED = {"accounts": "account", "entities": "entity", "periods": "period", "scenarios": "scenario"}
CODE_COLUMNS = ("code", "name", "level", "parent", "type", "category", "currency")


def list_codes(view: View, of: str, selection: str, columns: str, header: bool) -> Value:
    """The visible codes of a selection with what was asked of each, heads before what stands below them."""
    kind = LISTED.get(of.casefold(), of)
    try:
        names = columns_in(columns, PERIOD_COLUMNS if kind == "period" else CODE_COLUMNS, ("code",))
        if kind == "period":
            rows = list(_periods(view, selection, names))
        elif kind == "scenario":
            rows = [
                [_scenario(code, of_kind, name) for name in names]
                for code, of_kind in view.frame.scenarios.items()
                if not selection or code in [part.strip() for part in selection.split(",")]
            ]
        else:
            rows = list(_codes(view, kind, selection, names))
    except RulkaError as error:
        return argument(error.subject if error.subject in ("columns", "selection", "period") else "of", error)
    if not rows:
        return SheetError(NA.code, "The list is empty.")
    looks = tuple(DAY_LOOK if name in ("first day", "last day") else "" for name in names)
    return Array([[*names], *rows] if header else rows, looks)


def _scenario(code: str, kind: str, name: str) -> Scalar:
    known: dict[str, Scalar] = {"code": code, "name": code, "type": kind, "level": Decimal(1)}
    return known.get(name, "")


def _codes(view: View, kind: str, selection: str, names: Sequence[str]) -> Iterator[list[Scalar]]:
    name = kind if kind in ("account", "entity") or kind in view.frame.dimensions else kind.removesuffix("s")
    if name not in ("account", "entity") and name not in view.frame.dimensions:
        known = [*LISTED, *view.frame.dimensions]
        raise NotFound(f"'{kind[:40]}' can't be listed.", hint=one_of(kind, known), subject="of")
    codes: CodeList = (
        view.frame.accounts
        if name == "account"
        else (view.frame.entities if name == "entity" else view.frame.dimensions[name])
    )
    visible = visible_codes(view, name)
    if selection:
        mask = meant_codes(codes, visible, selection)
        if isinstance(mask, SheetError):
            raise NotFound(mask.note, subject="selection")
    else:
        mask = visible.copy()
        if name not in ("account", "entity"):
            mask[codes.index["-"]] = False
    levels = _levels(codes)
    for place in np.flatnonzero(mask):
        item = codes.items[place]
        row: dict[str, Scalar] = {
            "code": item.code,
            "name": item.name,
            "level": Decimal(levels[place]),
            "parent": item.parent,
            "type": item.type,
            "category": item.category,
            "currency": view.frame.currencies[place] if name == "entity" else "",
        }
        yield [row[column] for column in names]


def _levels(codes: CodeList) -> list[int]:
    found: dict[str, int] = {}

    def level(code: str) -> int:
        way = []
        while code in codes.index and code not in found:
            way.append(code)
            code = codes[code].parent
        depth = found.get(code, 0)
        for own in reversed(way):
            depth += 1
            found[own] = depth
        return found[way[0]] if way else depth

    return [level(item.code) for item in codes.items]


PERIOD_COLUMNS = ("code", "name", "level", "year", "number", "first day", "last day")


def _periods(view: View, selection: str, names: Sequence[str]) -> Iterator[list[Scalar]]:
    from rulka.core.sheet.periods import read_time

    calendar = view.frame.calendar
    periods = calendar.periods
    if selection:
        try:
            window = read_time(calendar, selection, periods[0]).window
        except RulkaError as error:
            error.subject = "selection"
            raise
        periods = periods[window.first : window.last + 1]
    for period in periods:
        row: dict[str, Scalar] = {
            "code": period.code,
            "name": period.title,
            "level": Decimal(1),
            "year": Decimal(period.year),
            "number": Decimal(period.number),
            "first day": serial(period.start),
            "last day": serial(period.end),
        }
        yield [row[column] for column in names]


# journal lines ----------------------------------------------------------------------------------------------------


class ListedLines(NamedTuple):
    """A question for journal lines, as the formula's arguments say it."""

    accounts: str
    period: str = ""
    columns: str = ""
    where: str = ""
    sort: str = ""
    limit: int = 0
    header: bool = True
    node: str = ""
    narrow: str = ""
    entries: str = ""
    ledger: str = ""
    room: int = MOST_ROWS
    """How many rows the sheet has from the formula on."""


PLAIN = (
    "date",
    "period",
    "entity",
    "entry",
    "line",
    "account",
    "name",
    "amount",
    "debit",
    "credit",
    "description",
    "document",
    "counterparty",
    "counterparty name",
    "source",
    "kind",
    "status",
    "partner",
)
DEFAULT = ("date", "entry", "account", "description", "document", "amount")
CONDITION = re.compile(r"(?P<name>[^<>=]+?)\s*(?P<sign><=|>=|<>|=|<|>)\s*(?P<value>.*)", re.DOTALL)
NUMBERS = ("amount", "debit", "credit")


def _booked_within(lines: Iterable[EntryLine], window: Window, narrow: Narrowing) -> Iterator[EntryLine]:
    """Those that moved an account on a window's days and meet what a narrowing says of a line itself."""
    clauses = {name: narrow.of(name) for name in LINE_FIELDS if narrow.of(name)}
    for line in lines:
        inside = window.start is None or (window.start <= line.day and (window.end is None or line.day <= window.end))
        fits = all(passes(own, name, getattr(line, name)) for name, own in clauses.items())
        if line.effect == ACTIVITY and inside and fits:
            yield line


class _Refused(Exception):
    """An argument that can't be read, as a cell shows it."""

    def __init__(self, shown: SheetError) -> None:
        self.shown = shown


@contextmanager
def _reading(argument_name: str) -> Iterator[None]:
    """Says of which argument a refusal is."""
    try:
        yield
    except RulkaError as error:
        raise _Refused(argument(argument_name, error)) from error


def lines_of(around: Surroundings, question: ListedLines) -> Value:
    """The journal lines of a selection: chosen columns, conditions, order; what doesn't fit is counted and summed in
    the last row."""
    try:
        return _listed(around, question)
    except _Refused as refused:
        return refused.shown


def _listed(around: Surroundings, question: ListedLines) -> Value:
    with _reading("ledger"):
        view = around.view_of(question.ledger)
    found = _Found(view, around)
    known = (*PLAIN, *view.frame.dimensions)
    with _reading("columns"):
        names = columns_in(question.columns, known, DEFAULT)
    with _reading("where"):
        conditions = [(found.value(name), test) for name, test in conditions_in(question.where, known)]
    with _reading("sort"):
        order = _order(question.sort, known)
    with _reading("limit"):
        if question.limit < 0:
            raise RulkaError("A limit is not negative.", hint="Leave it out for all lines.", subject="limit")
    with _reading("accounts"):
        accounts = visible_accounts(view, question.accounts)
    if isinstance(accounts, SheetError):
        return accounts
    lines = _booked_lines(around, view, question, accounts)
    kept = [line for line in lines if all(test(value(line)) for value, test in conditions)]
    if (accounts & view.sealed).any():
        found.note = "and lines of sealed accounts, which aren't shown"
    for name, direction in reversed(order):
        kept.sort(key=found.key(name), reverse=direction < 0)
    return found.table(kept, names, question)


def _booked_lines(around: Surroundings, view: View, question: ListedLines, accounts: BoolArray) -> Iterator[EntryLine]:
    """The lines of some accounts, of the entries, period, node and narrowing asked for; none of sealed accounts."""
    with _reading("entries"):
        statuses = STATUS_CHOICES.get(question.entries or "posted")
        if statuses is None:
            raise NotFound(f"'{question.entries}' is no entries.", hint=one_of(question.entries, STATUS_CHOICES))
    with _reading("period"):
        window = around.time(view, question.period).window
    with _reading("node"):
        node = node_of(view, question.node or (around.node if view is around.view else ""), False)
    with _reading("narrow"):
        narrow = read_narrowing(question.narrow)
        keys = narrowed_keys(view, narrow) & node.keys & accounts[view.keys.account]
    if (accounts & view.sealed).any():
        if not (accounts & ~view.sealed).any():
            raise _Refused(SheetError(NA.code, "Sealed: the lines show only to those who may open the seal."))
        keys = keys & ~view.sealed_keys
    with _reading(""):
        lines = view.lines(np.flatnonzero(keys), window.first, window.last, MOST_LINES)
    return (line for line in _booked_within(lines, window, narrow) if line.status in statuses)


def _order(text: str, known: Sequence[str]) -> list[tuple[str, int]]:
    found = []
    for part in text.split(","):
        words = part.split()
        if not words:
            continue
        direction = -1 if words[-1].casefold() in ("down", "falling") else 1
        if words[-1].casefold() in ("down", "falling", "up", "rising") and len(words) > 1:
            words = words[:-1]
        found.append((columns_in(" ".join(words), known, (), "sort")[0], direction))
    return found


def read_condition(text: str, known: Sequence[str]) -> tuple[str, Callable[[Any], bool]]:
    """The column that a condition is about, and whether a value fulfils it."""
    from rulka.core.sheet.functions.criteria import condition  # the functions' package registers on import

    read = CONDITION.fullmatch(text.strip())
    if read is None:
        raise RulkaError(
            f"'{text.strip()[:60]}' is no condition.",
            hint="Write a column, one of = <> < > <= >=, and a value; semicolons between several.",
        )
    name = columns_in(read["name"], known, ())[0]
    return name, condition(("" if read["sign"] == "=" else read["sign"]) + read["value"].strip())


def conditions_in(text: str, known: Sequence[str]) -> list[tuple[str, Callable[[Any], bool]]]:
    """Conditions with semicolons between them."""
    return [read_condition(part, known) for part in text.split(";") if part.strip()]


class _Found:
    """What columns say of a journal line."""

    def __init__(self, view: View, around: Surroundings) -> None:
        self.view, self.frame, self.around = view, view.frame, around
        self.note = ""
        self.digits = [
            2 if self.frame.accounts.items[account].type == "statistical" else int(self.frame.digits[entity])
            for account, entity in zip(view.keys.account.tolist(), view.keys.entity.tolist(), strict=True)
        ]
        self.account = view.keys.account.tolist()
        self.partner = view.keys.partner.tolist()

    def value(self, name: str) -> Callable[[EntryLine], Any]:
        """How a column is read from a line."""
        accounts, entities, periods = self.frame.accounts.items, self.frame.entities.items, self.frame.calendar.periods
        digits, account, partner = self.digits, self.account, self.partner
        if name in self.frame.dimensions:
            codes = self.frame.dimensions[name].items
            members = self.view.keys.members[:, list(self.frame.dimensions).index(name)].tolist()
            return lambda line: codes[members[line.key]].code
        readers: dict[str, Callable[[EntryLine], Any]] = {
            "date": lambda line: serial(line.day),
            "period": lambda line: periods[line.period].code,
            "entity": lambda line: entities[line.entity].code,
            "entry": lambda line: line.number,
            "line": lambda line: str(line.line),
            "account": lambda line: accounts[account[line.key]].code,
            "name": lambda line: accounts[account[line.key]].name,
            "amount": lambda line: Decimal(line.debit - line.credit).scaleb(-digits[line.key]),
            "debit": lambda line: Decimal(line.debit).scaleb(-digits[line.key]),
            "credit": lambda line: Decimal(line.credit).scaleb(-digits[line.key]),
            "description": lambda line: line.description,
            "document": lambda line: line.document,
            "counterparty": lambda line: line.counterparty,
            "counterparty name": lambda line: self.around.counterparties.get(line.counterparty, ""),
            "source": lambda line: line.source,
            "kind": lambda line: line.kind,
            "status": lambda line: "posted" if line.status == POSTED else "pending",
            "partner": lambda line: entities[partner[line.key]].code if partner[line.key] >= 0 else "",
        }
        return readers[name]

    def key(self, name: str) -> Callable[[EntryLine], Any]:
        value = self.value(name)
        if name in NUMBERS or name == "date":
            return value
        return lambda line: str(value(line)).casefold()

    def table(self, lines: Sequence[EntryLine], names: Sequence[str], question: ListedLines) -> Value:
        """Rows of the chosen columns; the last one says what of the rest was left out, with its sum."""
        room = max(question.room - bool(question.header) - bool(self.note), 1)
        most = min(room, question.limit or room)
        cut = len(lines) > most
        shown = lines[: most - 1] if cut and not question.limit else lines[:most]
        if cut and question.limit:
            shown = lines[: min(question.limit, room - 1)]
        readers = [self.value(name) for name in names]
        rows: list[list[Scalar]] = [[read(line) for read in readers] for line in shown]
        if len(lines) > len(shown):
            rows.append(self._rest(lines[len(shown) :], names))
        if self.note:
            rows.append([self.note, *[""] * (len(names) - 1)])
        if not rows and not question.header:
            return SheetError(NA.code, "No line fits.")
        looks = tuple(DAY_LOOK if name == "date" else AMOUNT_LOOK if name in NUMBERS else "" for name in names)
        heads: list[list[Scalar]] = [list(names)] if question.header else []
        table = [*heads, *rows]
        return Array(table, looks)

    def _rest(self, lines: Sequence[EntryLine], names: Sequence[str]) -> list[Scalar]:
        currencies = {self.frame.currencies[line.entity] for line in lines}
        row: list[Scalar] = []
        told = f"and {len(lines):,} more lines"
        for name in names:
            if name in NUMBERS:
                value = self.value(name)
                if len(currencies) > 1:
                    row.append(SheetError(VALUE.code, f"The rest mixes currencies: {', '.join(sorted(currencies))}."))
                else:
                    row.append(sum((value(line) for line in lines), ZERO))
            else:
                row.append(told)
                told = ""
        if told:
            row[0] = told
        return row


# tables beside the ledger -----------------------------------------------------------------------------------------


class ListedTable(NamedTuple):
    """A question for rows of a table loaded beside the ledger."""

    name: str
    columns: str = ""
    where: str = ""
    sort: str = ""
    limit: int = 0
    header: bool = True
    room: int = MOST_ROWS


def table_of(heads: Sequence[str], rows: Sequence[Sequence[Scalar]], question: ListedTable) -> Value:
    """Rows of a table: chosen columns, conditions, order; what doesn't fit is counted and summed in the last row."""
    known = [name.casefold() for name in heads]
    try:
        with _reading("columns"):
            columns = [known.index(name) for name in columns_in(question.columns, known, known)]
        with _reading("where"):
            tests = [(known.index(name), test) for name, test in conditions_in(question.where, known)]
        with _reading("sort"):
            order = _order(question.sort, known)
    except _Refused as refused:
        return refused.shown
    fitting = [row for row in rows if all(test(row[column]) for column, test in tests)]
    for name, direction in reversed(order):
        fitting = _sorted_by(fitting, known.index(name), falling=direction < 0)
    room = max(question.room - bool(question.header), 1)
    most = min(room, question.limit) if question.limit > 0 else room
    shown = fitting if len(fitting) <= most else fitting[: min(most, room - 1)]
    written: list[list[Scalar]] = [[row[column] for column in columns] for row in shown]
    if len(shown) < len(fitting):
        written.append(_rest_of(fitting[len(shown) :], columns))
    top: list[list[Scalar]] = [[heads[column] for column in columns]] if question.header else []
    if not top and not written:
        return SheetError(NA.code, "No row fits.")
    return Array([*top, *written])


def _sorted_by(rows: Sequence[Sequence[Scalar]], at: int, *, falling: bool) -> list[Sequence[Scalar]]:
    return sorted(rows, key=lambda row: rank(row[at]), reverse=falling)


def _rest_of(rows: Sequence[Sequence[Scalar]], places: Sequence[int]) -> list[Scalar]:
    last: list[Scalar] = []
    for at in places:
        numbers = [row[at] for row in rows]
        every = all(isinstance(number, Decimal) for number in numbers)
        last.append(sum((n for n in numbers if isinstance(n, Decimal)), ZERO) if every else "")
    if not isinstance(last[0], Decimal):
        last[0] = f"and {len(rows):,} more rows"
    return last
