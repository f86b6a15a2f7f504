"""From a figure down: its parts by line, column or account, and an account's amounts by period."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from typing import Literal

import numpy as np

from rulka.core.books.balances import Balances, Source
from rulka.core.books.calendar import FiscalCalendar, Period
from rulka.core.books.chart import IntArray
from rulka.core.compute.columns import Column
from rulka.core.compute.comparing import Comparer
from rulka.core.compute.computed import Computed
from rulka.core.compute.leaves import Leaf
from rulka.core.compute.rows import Row
from rulka.core.definitions.expressions import Value, evaluate
from rulka.core.definitions.naming import tree_of
from rulka.core.errors import NotFound, RulkaError

PartKind = Literal["row", "column", "account", "component", "rolled account", "rest"]
ComponentKind = Literal["period", "opening", "year", "rolled", "days", "balance", "translation"]


@dataclass(frozen=True)
class Part:
    """One part of a figure, in presented sign and major units.

    `kind` is row, column, account or a component of an account (period, opening, year, rolled, days, balance); `row`,
    `column`, `account` and `component` are the address that opens it further.
    """

    kind: PartKind
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
    """Open a cell: a column that works on others into these, a total or calculation into lines, a line into
    accounts."""
    row, column = computed.row(row_key), computed.column(column_key)
    place = computed.place(column_key)
    if not row.has_figures or column.kind == "text":
        raise NotFound(f"{row.label} shows no figures.", hint="Open a line below it.", subject="line")
    value = row.values[place]
    comparer = Comparer(computed.columns)
    if place in row.sealed_at:
        raise RulkaError(
            f"{row.label} is sealed here: it would tell apart what shows together only.",
            hint="Whoever may open the seal sees it; a column that is cut less finely shows it to all.",
            subject="trace",
            code="sealed",
        )
    if column.is_empty:
        return Trace(row.label, value, (), None, row.unit, "The column lies outside the calendar.")
    if column.kind == "figures" or (comparer.is_base[place] and row.kind in ("calculation", "total", "check")):
        if row.kind == "calculation":
            return _calculation(computed, row, column, value)
        if row.kind == "total":
            parts = tuple(
                Part("row", part.label, part.values[place], row=part.key, column=column.key)
                for part in computed.rows_of_total(row, column)
                if part.values[place] is not None or place not in part.blank
            )
            total = (
                _sum(parts) if parts or value is not None else None
            )  # where nothing has a meaning, nothing is added up
            return Trace(row.label, value, parts, total, row.unit, "lines of the section added up")
        if row.kind == "check":
            return Trace(row.label, value, (), value, row.unit, "how far apart the two sides are")
        if row.kind in ("entry", "counterparty") or row.sealed:
            told = "; ".join(f"{name} {text}" for name, text in row.texts.items() if text)
            closed = "its author closed its detail" if computed.line(row.line).is_closed else "its detail is sealed"
            return Trace(row.label, value, (), value, row.unit, closed if row.sealed else told)
        return _accounts(computed, row, column, value)
    return _comparison(computed, row, column, value, comparer)


def _sum(parts: tuple[Part, ...]) -> Value:
    values = [part.value for part in parts]
    return (
        None
        if None in values
        else sum((v * p.adds for v, p in zip(values, parts, strict=True) if v is not None), Fraction(0))
    )


def _comparison(computed: Computed, row: Row, column: Column, value: Value, comparer: Comparer) -> Trace:
    operands = [computed.column(key) for key in column.of]
    parts = tuple(
        Part(
            "column",
            _column_label(part),
            row.values[computed.place(part.key)],
            row=row.key,
            column=part.key,
            adds=-1
            if (at and column.kind == "difference") or (column.kind == "check" and at == len(operands) - 1)
            else 1,
        )
        for at, part in enumerate(operands)
    )
    if column.kind == "share":
        whole = computed.plan.names.find(column.asked.line)
        of_line = computed.cells[whole.key]
        again = comparer.share(column, row.values.__getitem__, of_line.__getitem__)
        key = f"{whole.key}.total" if f"{whole.key}.total" in computed.rows_by_key else whole.key
        parts = (
            *parts,
            Part("row", whole.label, of_line[computed.place(operands[0].key)], row=key, column=operands[0].key),
        )
        return Trace(row.label, value, parts, again, "percent", f"{row.label} as a part of {column.asked.line}", False)
    sign = computed.readings.line_sign(computed.leaf(row.key), column) if row.key in computed.leaves else 1
    again = comparer.value(column, row.values.__getitem__, sign)
    if column.kind == "difference":
        a, b = operands
        adds_up = _sum(parts) == again
        return Trace(row.label, value, parts, again, row.unit, f"{a.heading} less {b.heading}", adds_up)
    if column.kind == "check":
        return Trace(
            row.label,
            value,
            parts,
            again,
            row.unit,
            f"columns added up, less {operands[-1].heading}",
            _sum(parts) == again,
        )
    if column.kind == "sum":
        return Trace(row.label, value, parts, again, row.unit, "columns added up")
    if column.kind == "formula":
        return Trace(
            row.label,
            value,
            parts,
            again,
            row.unit,
            column.asked.formula.written if column.asked.formula else "",
            False,
        )
    a, b = operands
    base = computed.column(column.base).heading if column.base else b.heading
    return Trace(
        row.label, value, parts, again, "percent", f"{a.heading} less {b.heading}, per {base} taken positive", False
    )


def _column_label(column: Column) -> str:
    if column.window is None or column.window.title in column.heading:
        return column.heading
    return f"{column.heading}, {column.window.title}"


def _calculation(computed: Computed, row: Row, column: Column, value: Value) -> Trace:
    place, names = computed.place(column.key), computed.plan.names
    line = computed.line(row.line)
    tree = tree_of(line)
    parts = []
    for named in names.operands(tree):
        key = f"{named.key}.total" if named.kind == "section" and named.total else named.key
        opens = key if key in computed.rows_by_key and computed.rows_by_key[key].kind != "section" else ""
        parts.append(
            Part(
                "row" if opens else "rest",
                named.total or named.label,
                computed.cells[named.key][place],
                row=opens,
                column=column.key,
            )
        )
    again = evaluate(
        tree,
        lambda name: computed.cells[names.find(name).key][place],
        lambda first, last: [computed.cells[between.key][place] for between in names.between(first, last)],
    )
    return Trace(row.label, value, tuple(parts), again, row.unit, row.detail, False)


def _accounts(computed: Computed, row: Row, column: Column, value: Value) -> Trace:
    leaf = computed.leaf(row.key)
    vector = computed.readings.vector(leaf, column)
    if vector is None:
        return Trace(row.label, value, (), None, row.unit, "Nothing can be read here.")
    totals = computed.readings.by_account(leaf, column)
    keys = computed.readings.keys_behind(leaf, column)
    booked = np.zeros(len(totals), dtype=bool)
    booked[computed.view.keys.account[keys & vector.booked]] = True
    items, parts = computed.view.frame.accounts.items, []
    for place in np.flatnonzero(booked | (totals != 0)):
        amount = _in_units(computed, leaf, column, int(totals[place]), vector.divisor)
        parts.append(
            Part(
                "account",
                f"{items[place].code} {items[place].name}",
                amount,
                row=row.key,
                column=column.key,
                account=items[place].code,
            )
        )
    how = f"accounts behind {_column_label(column)}, {computed.readings.reading(leaf, column).measure}"
    return Trace(row.label, value, tuple(parts), _sum(tuple(parts)), row.unit, how)


def _in_units(computed: Computed, leaf: Leaf, column: Column, amount: int, divisor: int = 1) -> Fraction:
    return Fraction(
        amount * computed.readings.sign(leaf, column), divisor * 10 ** computed.readings.digits(leaf, column)
    )


def sealed_rows(computed: Computed) -> set[str]:
    """Keys of the rows of account lines with any account whose detail is sealed for the reader, or closed by the
    author."""
    view = computed.view
    codes = {item.code for item, sealed in zip(view.frame.accounts.items, view.sealed, strict=True) if sealed}
    return {row.key for row in computed.rows if row.key in computed.leaves and (row.sealed or codes & set(row.codes))}


@dataclass(frozen=True)
class Component:
    """A slice of an account's balance in time: an address such as `period:2027-P07`.

    `kind` is period (activity), opening (opening entries), year (everything of a former year, closing entries
    included), rolled (the residual result of a former year), days (between two days), balance (one of the balances of
    a mean) or translation (what restating a balance at another rate changed). `amount` is debit positive, minor units.
    """

    kind: ComponentKind
    code: str
    label: str
    amount: int
    count: int = 0

    @property
    def address(self) -> str:
        return f"{self.kind}:{self.code}" if self.kind not in ("balance", "translation") else ""


def _account_leaf(computed: Computed, row_key: str, account: str) -> Leaf:
    row = computed.row(row_key)
    if account not in row.codes or row_key not in computed.leaves:
        raise NotFound(f"Account '{account}' does not stand behind {row.label}.", subject="account")
    return computed.leaf(row_key)


def trace_account(computed: Computed, row_key: str, column_key: str, account: str) -> Trace:
    """Open an account behind a cell into periods, former years, opening entries and rolled results."""
    leaf, column = _account_leaf(computed, row_key, account), computed.column(column_key)
    vector = computed.readings.vector(leaf, column) if column.has_figures else None
    if vector is None:
        raise NotFound(f"{column.heading} shows no ledger figures of its own.", subject="column")
    place, part = computed.view.frame.accounts.index[account], computed.readings.part_sign(leaf, column)
    parts = tuple(
        Part(
            "component",
            c.label,
            _in_units(computed, leaf, column, c.amount * part, vector.divisor),
            row_key,
            column.key,
            account,
            c.address,
        )
        for c in components(computed, leaf, column, place)
    )
    amount = int(computed.readings.by_account(leaf, column)[place])
    unit = "quantity" if computed.view.frame.accounts[account].type == "statistical" else "money"
    title = f"{account} {computed.view.frame.accounts[account].name}"
    measure = computed.readings.reading(leaf, column).measure
    return Trace(
        title,
        _in_units(computed, leaf, column, amount, vector.divisor),
        parts,
        _sum(parts),
        unit,
        f"{measure} by period, {_column_label(column)}",
    )


def components(computed: Computed, leaf: Leaf, column: Column, account: int) -> list[Component]:
    """The slices in time whose amounts add up to an account's measure."""
    reading = computed.readings.reading(leaf, column)
    window, measure = reading.window, reading.measure
    assert window is not None
    keys = account_keys(computed, leaf, column, account)
    balances, calendar = computed.view.balances_of(reading.source), computed.plan.calendar_of(column)
    whole = int(computed.readings.by_account(leaf, column)[account]) * computed.readings.part_sign(leaf, column)
    if window.by_day:
        assert window.start and window.end
        kind: ComponentKind = "days" if measure in ("activity", "debits", "credits") else "balance"
        return [Component(kind, f"{window.start}/{window.end}", window.title, whole)]
    if measure == "average":
        return _balances_of_mean(balances, keys, calendar.periods[window.first : window.last + 1])
    if measure in ("activity", "debits", "credits"):
        periods = calendar.periods[window.first : window.last + 1]
        found = [_activity(balances, keys, period, measure) for period in periods]
        return [c for c in found if c.amount or c.count]
    at = window.first if measure == "opening" else window.last
    found = _through(computed, reading.source, keys, at, whole=measure == "closing", account=account, calendar=calendar)
    restated = whole - sum(component.amount for component in found)
    return (
        [*found, Component("translation", "", "Translated at another rate", restated)]
        if restated and computed.plan.translated
        else found
    )


def _balances_of_mean(balances: Balances, keys: IntArray, periods: tuple[Period, ...]) -> list[Component]:
    """The balances that a mean is of, each as it stands; the figure divides their sum by their number."""
    found = [
        Component("balance", "", f"Opening, {periods[0].title}", int(balances.opening[keys, periods[0].index].sum()))
    ]
    return found + [
        Component("balance", "", f"Closing, {p.title}", int(balances.closing[keys, p.index].sum()))
        for p in periods
        if not p.adjusting
    ]


def account_keys(computed: Computed, leaf: Leaf, column: Column, account: int) -> IntArray:
    """Places of the visible posting keys of an account behind a cell."""
    return np.flatnonzero(computed.readings.keys_behind(leaf, column) & (computed.view.keys.account == account))


def _activity(balances: Balances, keys: IntArray, period: Period, measure: str = "activity") -> Component:
    at = period.index
    debit = int((balances.debits[keys, at + 1] - balances.debits[keys, at]).sum())
    credit = int((balances.credits[keys, at + 1] - balances.credits[keys, at]).sum())
    count = int((balances.counts[keys, at + 1] - balances.counts[keys, at]).sum())
    amount = {"debits": debit, "credits": credit}.get(measure, debit - credit)
    if not (debit or credit):
        count = 0  # opening entries count in the period too, but are no activity of it
    return Component("period", period.code, period.title, amount, count)


def _through(
    computed: Computed,
    source: Source,
    keys: IntArray,
    at: int,
    *,
    whole: bool,
    account: int,
    calendar: FiscalCalendar,
) -> list[Component]:
    """Everything that makes up a balance at a period: former years, then this year's periods one by one."""
    frame, balances = computed.view.frame, computed.view.balances_of(source)
    year = calendar.periods[at].year
    found: list[Component] = []
    if frame.carrying()[account]:
        for place, former in enumerate(y for y in calendar.years if y < year):
            of_year = calendar.of_year(former)
            span = slice(of_year[0].index, of_year[-1].index + 1)
            activity = [_activity(balances, keys, period) for period in of_year]
            amount = sum(c.amount for c in activity) + int(
                balances.opened[keys, span].sum() + balances.closed[keys, place].sum()
            )
            found.append(Component("year", str(former), f"All of FY{former}", amount, sum(c.count for c in activity)))
            if frame.accounts.items[account].code == frame.retained_earnings:
                rolled = sum(amount for _, amount in computed.view.rolled_into(keys, source, place))
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


def trace_rolled(computed: Computed, row_key: str, column_key: str, account: str, year: int) -> Trace:
    """Open a rolled year of retained earnings into that year's revenue and expense accounts."""
    leaf, column = _account_leaf(computed, row_key, account), computed.column(column_key)
    frame, calendar = computed.view.frame, computed.plan.calendar_of(column)
    if year not in calendar.years or not column.has_figures:
        raise NotFound(f"FY{year} is not a year of this ledger.", subject="year")
    balances = computed.readings.balances(leaf, column)
    into = account_keys(computed, leaf, column, frame.accounts.index[account])
    parts = []
    for at, amount in computed.view.rolled_into(
        into, computed.readings.reading(leaf, column).source, calendar.years.index(year)
    ):
        share = _in_units(computed, leaf, column, amount)
        if at < 0:
            parts.append(Part("rest", "accounts outside of what you may see", share))
        else:
            item = frame.accounts.items[at]
            parts.append(
                Part(
                    "rolled account", f"{item.code} {item.name}", share, row_key, column.key, item.code, f"year:{year}"
                )
            )
    first = calendar.of_year(year)[-1].index + 1
    value = 0
    if first < len(
        calendar.periods
    ):  # what the account gained over the year's end, less its own closing and opening entries
        own = balances.closed[into, calendar.years.index(year)].sum() + balances.opened[into, first].sum()
        value = int((balances.opening[into, first] - balances.closing[into, first - 1]).sum() - own)
    figure = _in_units(computed, leaf, column, value)
    title = f"Result of FY{year} rolled into {account}"
    return Trace(title, figure, tuple(parts), _sum(tuple(parts)), "money", "what each account held at the year's end")
