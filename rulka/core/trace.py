"""From a figure down: its parts by line, column or account, and an account's amounts by period."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction

import numpy as np

from rulka.core.book import Balances, View
from rulka.core.calendar import Period
from rulka.core.chart import BoolArray, IntArray
from rulka.core.errors import NotFound, RulkaError
from rulka.core.expressions import evaluate, parse_formula
from rulka.core.money import QUANTITY_DIGITS
from rulka.core.statement import Column, Computed, Row, Value, percent


@dataclass(frozen=True)
class Part:
    """One part of a figure, in presented sign and major units.

    `kind` is row, column, account or a component of an account (period, opening, year, rolled); `row`,
    `column`, `account` and `component` are the address that opens it further.
    """

    kind: str
    label: str
    value: Value
    row: str = ""
    column: str = ""
    account: str = ""
    component: str = ""
    adds: int = 1


@dataclass(frozen=True)
class Trace:
    """A figure and what it is made of; `agrees` says that the parts give the figure again."""

    title: str
    value: Value
    parts: tuple[Part, ...]
    total: Value
    unit: str
    how: str = ""
    adds_up: bool = True

    @property
    def agrees(self) -> bool:
        return self.total == self.value


def trace_cell(computed: Computed, row_key: str, column_key: str) -> Trace:
    """Open a cell: a comparison into its columns, a total or calculation into lines, a line into accounts."""
    row, column = computed.row(row_key), computed.column(column_key)
    if not row.has_figures:
        raise NotFound(f"{row.label} shows no figures.", hint="Open a line below it.", subject="line")
    value = row.values[computed.place(column_key)]
    if column.kind != "figures":
        return _comparison(computed, row, column, value)
    if column.window is None:
        return Trace(row.label, value, (), None, row.unit, "The column lies outside the calendar.")
    if row.kind == "calculation":
        return _calculation(computed, row, column, value)
    if row.kind == "total":
        parts = tuple(
            Part("row", part.label, part.values[computed.place(column_key)], row=part.key, column=column.key) for part in _total_rows(computed, row)
        )
        return Trace(row.label, value, parts, _sum(parts), row.unit, "lines of the section added up")
    return _accounts(computed, row, column, value)


def _sum(parts: tuple[Part, ...]) -> Value:
    values = [part.value for part in parts]
    return None if None in values else sum((v * p.adds for v, p in zip(values, parts, strict=True) if v is not None), Fraction(0))


def _total_rows(computed: Computed, total: Row) -> list[Row]:
    """The rows a total adds up; an expanding line stands as its account rows."""
    rows = []
    for key in total.parts:
        line = next((row for row in computed.rows if row.key == key), None)
        rows += [line] if line else [row for row in computed.rows if row.line == key and row.kind == "account" and row.unit == total.unit]
    return rows


def _comparison(computed: Computed, row: Row, column: Column, value: Value) -> Trace:
    a, b = (computed.column(key) for key in column.asked.of)
    parts = tuple(
        Part("column", _column_label(part), row.values[computed.place(part.key)], row=row.key, column=part.key, adds=adds)
        for part, adds in ((a, 1), (b, -1))
    )
    if column.kind == "difference":
        return Trace(row.label, value, parts, _sum(parts), row.unit, f"{a.heading} less {b.heading}")
    again = percent(parts[0].value, parts[1].value)
    return Trace(row.label, value, parts, again, "percent", f"{a.heading} less {b.heading}, per {b.heading} taken positive", False)


def _column_label(column: Column) -> str:
    if column.window is None or column.window.title in column.heading:
        return column.heading
    return f"{column.heading}, {column.window.title}"


def _calculation(computed: Computed, row: Row, column: Column, value: Value) -> Trace:
    place = computed.place(column.key)
    by_label: dict[str, Value] = {}
    parts: list[Part] = []
    for key in row.parts:
        part = next((found for found in computed.rows if found.key == key), None)
        if part is None or not part.has_figures:
            raise RulkaError(f"{computed.line(key).label} has no row of its own to open.", hint="Give its section a total.", subject="trace")
        by_label[part.label.casefold()] = part.values[place]
        by_label.setdefault(computed.line(part.line).label.casefold(), part.values[place])
        parts.append(Part("row", part.label, part.values[place], row=part.key, column=column.key))
    line = computed.line(row.line)
    again = evaluate(parse_formula(line.formula), lambda name: by_label[name.casefold()])
    return Trace(row.label, value, tuple(parts), again, row.unit, line.formula, False)


def _accounts(computed: Computed, row: Row, column: Column, value: Value) -> Trace:
    line = computed.line(row.line)
    measure = computed.measure_of(line, column)
    totals = computed.account_totals(column, measure)
    frame, booked = computed.view.frame, computed.booked_accounts()
    parts = []
    for code in row.codes:
        place = frame.accounts.index[code]
        if totals[place] or booked[place]:
            amount = Fraction(int(totals[place]) * _sign(computed, row, measure), 10 ** _digits(computed, code))
            parts.append(Part("account", f"{code} {frame.accounts[code].name}", amount, row=row.key, column=column.key, account=code))
    how = f"accounts behind {_column_label(column)}, {measure}"
    return Trace(row.label, value, tuple(parts), _sum(tuple(parts)), row.unit, how)


def _sign(computed: Computed, row: Row, measure: str) -> int:
    return 1 if measure in ("debits", "credits") else computed.signs[row.line]


def _digits(computed: Computed, account: str) -> int:
    statistical = computed.view.frame.accounts[account].type == "statistical"
    return QUANTITY_DIGITS if statistical else computed.node.digits


def sealed_rows(computed: Computed) -> set[str]:
    """Keys of the rows of account lines with any account whose detail is sealed for the reader."""
    view = computed.view
    codes = {item.code for item, sealed in zip(view.frame.accounts.items, view.sealed, strict=True) if sealed}
    return {row.key for row in computed.rows if row.kind in ("line", "account") and codes & set(row.codes)}


@dataclass(frozen=True)
class Component:
    """A slice of an account's balance in time: an address such as `period:2027-P07`.

    `kind` is period (activity), opening (opening entries), year (everything of a former year, closing entries
    included) or rolled (the residual result of a former year). `amount` is debit positive, in minor units.
    """

    kind: str
    code: str
    label: str
    amount: int
    count: int = 0

    @property
    def address(self) -> str:
        return f"{self.kind}:{self.code}"


def _account_row(computed: Computed, row_key: str, account: str) -> Row:
    row = computed.row(row_key)
    if account not in row.codes or row.kind not in ("line", "account"):
        raise NotFound(f"Account '{account}' does not stand behind {row.label}.", subject="account")
    return row


def trace_account(computed: Computed, row_key: str, column_key: str, account: str) -> Trace:
    """Open an account behind a cell into periods, former years, opening entries and rolled results."""
    row, column = _account_row(computed, row_key, account), computed.column(column_key)
    if column.window is None:
        raise NotFound(f"{column.heading} shows no ledger figures of its own.", subject="column")
    measure = computed.measure_of(computed.line(row.line), column)
    place = computed.view.frame.accounts.index[account]
    sign, digits = _sign(computed, row, measure), _digits(computed, account)
    parts = tuple(
        Part("component", c.label, Fraction(c.amount * sign, 10**digits), row.key, column.key, account, c.address)
        for c in components(computed, column, measure, place)
    )
    amount = int(computed.account_totals(column, measure)[place])
    unit = "quantity" if computed.view.frame.accounts[account].type == "statistical" else "money"
    title = f"{account} {computed.view.frame.accounts[account].name}"
    return Trace(title, Fraction(amount * sign, 10**digits), parts, _sum(parts), unit, f"{measure} by period, {_column_label(column)}")


def components(computed: Computed, column: Column, measure: str, account: int) -> list[Component]:
    """The slices in time whose amounts add up to an account's measure."""
    assert column.window is not None
    keys = account_keys(computed.view, computed.node.entities, account)
    balances, calendar = computed.balances(column), computed.view.frame.calendar
    first, last = column.window.first, column.window.last
    if measure in ("activity", "debits", "credits"):
        periods = calendar.periods[first : last + 1]
        found = [_activity(balances, keys, period, measure) for period in periods]
        return [c for c in found if c.amount or c.count]
    at = first if measure == "opening" else last
    return _through(computed, balances, keys, at, whole=measure == "closing", account=account)


def account_keys(view: View, entities: BoolArray, account: int) -> IntArray:
    """Indices of the visible posting keys of an account in a node."""
    return np.flatnonzero(view.node_keys(entities) & (view.book.keys.account == account))


def _activity(balances: Balances, keys: IntArray, period: Period, measure: str = "activity") -> Component:
    at = period.index
    debit = int((balances.debits[keys, at + 1] - balances.debits[keys, at]).sum())
    credit = int((balances.credits[keys, at + 1] - balances.credits[keys, at]).sum())
    count = int((balances.counts[keys, at + 1] - balances.counts[keys, at]).sum())
    amount = {"activity": debit - credit, "debits": debit, "credits": credit}[measure]
    if not (debit or credit):
        count = 0  # opening entries count in the period too, but are no activity of it
    return Component("period", period.code, period.title, amount, count)


def _through(computed: Computed, balances: Balances, keys: IntArray, at: int, *, whole: bool, account: int) -> list[Component]:
    """Everything that makes up a balance at a period: former years, then this year's periods one by one."""
    frame = computed.view.frame
    calendar, year = frame.calendar, frame.calendar.periods[at].year
    found: list[Component] = []
    if frame.carrying()[account]:
        for place, former in enumerate(y for y in calendar.years if y < year):
            of_year = calendar.of_year(former)
            span = slice(of_year[0].index, of_year[-1].index + 1)
            activity = [_activity(balances, keys, period) for period in of_year]
            amount = sum(c.amount for c in activity) + int(balances.opened[keys, span].sum() + balances.closed[keys, place].sum())
            found.append(Component("year", str(former), f"All of FY{former}", amount, sum(c.count for c in activity)))
            if frame.accounts.items[account].code == frame.retained_earnings:
                rolled = sum(amount for _, amount in _rolled_by_account(computed, balances, place, account))
                found.append(Component("rolled", str(former), f"Result of FY{former} rolled in", rolled))
    for period in calendar.of_year(year):
        if period.index > at:
            break
        opened = int(balances.opened[keys, period.index].sum())
        if opened:
            found.append(Component("opening", period.code, f"Opening entries, {period.title}", opened))
        if period.index < at or whole:
            found.append(_activity(balances, keys, period))
    return [c for c in found if c.amount or c.count]


def _rolled_by_account(computed: Computed, balances: Balances, year_place: int, into: int) -> list[tuple[int, int]]:
    """What a year's residual result consisted of: (account, amount) of the visible keys of the node."""
    view = computed.view
    target = view.book.rolls_into
    rolling = np.flatnonzero(target >= 0)
    seen = view.node_keys(computed.node.entities)
    chosen = rolling[seen[target[rolling]] & (view.book.keys.account[target[rolling]] == into)]
    totals: dict[int, int] = {}
    for key in chosen:
        # what lies outside the fence still counts in the balance, but only as one nameless rest
        place = int(view.book.keys.account[key]) if seen[key] else -1
        totals[place] = totals.get(place, 0) + int(balances.residual[key, year_place])
    return sorted((place, amount) for place, amount in totals.items() if amount)


def trace_rolled(computed: Computed, row_key: str, column_key: str, account: str, year: int) -> Trace:
    """Open a rolled year of retained earnings into that year's revenue and expense accounts."""
    row, column = _account_row(computed, row_key, account), computed.column(column_key)
    frame = computed.view.frame
    if year not in frame.calendar.years or column.window is None:
        raise NotFound(f"FY{year} is not a year of this ledger.", subject="year")
    balances = computed.balances(column)
    sign, digits = computed.signs[row.line], computed.node.digits
    parts = []
    for at, amount in _rolled_by_account(computed, balances, frame.calendar.years.index(year), frame.accounts.index[account]):
        share = Fraction(amount * sign, 10**digits)
        if at < 0:
            parts.append(Part("rest", "accounts outside of what you may see", share))
        else:
            item = frame.accounts.items[at]
            parts.append(Part("rolled account", f"{item.code} {item.name}", share, row.key, column.key, item.code, f"year:{year}"))
    place = frame.accounts.index[account]
    into = account_keys(computed.view, computed.node.entities, place)
    first = frame.calendar.of_year(year)[-1].index + 1
    later = frame.calendar.periods[first:]
    value = 0
    if later:  # what the account gained over the year's end, less its own closing and opening entries
        own = balances.closed[into, frame.calendar.years.index(year)].sum() + balances.opened[into, first].sum()
        value = int((balances.opening[into, first] - balances.closing[into, first - 1]).sum() - own)
    figure = Fraction(value * sign, 10**digits)
    title = f"Result of FY{year} rolled into {account}"
    return Trace(title, figure, tuple(parts), _sum(tuple(parts)), "money", "what each account held at the year's end")
