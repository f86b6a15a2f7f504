"""Cells as sums over arrays: lines are sets of posting keys, columns amounts by key, nodes sets of keys again.

Everything is int64 minor units, debit positive. `sums` gives all cells of all nodes at once in two sparse steps: keys
that no line tells apart form a class; S sums keys to (node, class), L sums classes to lines.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from datetime import date
from typing import TYPE_CHECKING

import numpy as np

from rulka.core.books.balances import MovementSource
from rulka.core.books.book import View
from rulka.core.books.calendar import Period, Window
from rulka.core.books.chart import BoolArray, IntArray
from rulka.core.books.frame import ACTIVITY, CLOSING, OPENING, STATUS_CHOICES, Movements
from rulka.core.books.journal import Grouped
from rulka.core.books.narrowing import matches_text
from rulka.core.compute.columns import ColumnReading
from rulka.core.errors import RulkaError
from rulka.core.later import later

if TYPE_CHECKING:
    from scipy import sparse
else:
    sparse = later("scipy.sparse")


@dataclass(frozen=True)
class Vector:
    """One amount for each posting key and whether anything was booked there; the figure is the sum over `divisor`."""

    amounts: IntArray
    booked: BoolArray
    divisor: int = 1


def read_vector(view: View, reading: ColumnReading, by_day: str) -> Vector | None:
    """What a reading gives for every posting key; None where the calendar has no such time or a budget no such
    detail."""
    window, source = reading.window, reading.source
    if source.calendar:
        own = view.in_calendar(source.calendar)
        return read_vector(own, replace(reading, source=replace(source, calendar="")), by_day)
    if window is None or (source.lines and source.scenario != "actual"):
        return None
    if window.by_day:
        return view.kept(("days", reading, by_day), lambda: _by_day(view, reading, window, by_day))
    return view.kept_arrays(("vector", reading), lambda: _whole_periods(view, reading, window), _size)


def _size(vector: Vector) -> int:
    return vector.amounts.nbytes + vector.booked.nbytes


def _whole_periods(view: View, reading: ColumnReading, window: Window) -> Vector:
    """A measure over whole periods."""
    balances = view.balances_of(reading.source)
    booked = balances.booked(window)
    if reading.measure != "average":
        return Vector(balances.measure(reading.measure, window), booked)
    ordinary = [p.index for p in view.frame.calendar.periods[window.first : window.last + 1] if not p.adjusting]
    balances.measure("closing", window)  # says when a rate is missing
    total = balances.opening[:, window.first] + balances.closing[:, ordinary].sum(axis=1)
    return Vector(total, booked, len(ordinary) + 1)


# days ---------------------------------------------------------------------------------------------------------------


def _by_day(view: View, reading: ColumnReading, window: Window, by_day: str) -> Vector:
    """Amounts between two days: from journal lines, or a budget spread evenly over the days of its periods."""
    source, measure = reading.source, reading.measure
    if source.translated and len({*view.frame.currencies, view.frame.group_currency}) > 1:
        raise RulkaError(
            "Weekly and dated columns can't be translated.",
            hint="Show an entity in its own currency, or use whole periods.",
            code="by-day",
        )
    if measure == "average":
        raise RulkaError("A mean balance has no weekly or dated form.", hint="Use opening or closing.", code="by-day")
    assert window.start is not None and window.end is not None
    periods = view.frame.calendar.periods
    first, last = periods[window.first], periods[window.last]
    balances = view.balances_of(source)
    debits, credits, divisor = _days(view, source, window, window.start, window.end, by_day)
    before_debits, before_credits, before = _days(
        view, source, Window(first.index, first.index, ""), first.start, window.start, by_day, open_end=True
    )
    after_debits, after_credits, after = _days(
        view, source, Window(last.index, last.index, ""), last.start, window.end, by_day
    )
    common = math.lcm(divisor, before, after)
    opening = balances.opening[:, first.index] * common + (before_debits - before_credits) * (common // before)
    closing = balances.opening[:, last.index] * common + (after_debits - after_credits) * (common // after)
    booked = (debits != 0) | (credits != 0) | (opening != 0) | (closing != 0)
    debits, credits = debits * (common // divisor), credits * (common // divisor)
    chosen = {"debits": debits, "credits": credits, "opening": opening, "closing": closing}.get(
        measure, debits - credits
    )
    return Vector(chosen, booked, common)


def _days(
    view: View, source: MovementSource, window: Window, start: date, end: date, by_day: str, *, open_end: bool = False
) -> tuple[IntArray, IntArray, int]:
    """Debits and credits by key from `start` to `end` (left out where `open_end`), and what both are to be divided
    by."""
    until = source.until if source.then else len(view.frame.calendar.periods)
    by_line = source.scenario == "actual"
    planned = [period for period in _ordinary(view, window) if not by_line or period.index > until]
    debits, credits = np.zeros(len(view.keys), dtype=np.int64), np.zeros(len(view.keys), dtype=np.int64)
    if by_line:
        debits, credits = _days_of_lines(view, source, window, start, end, open_end)
    if not planned or source.lines:  # what only journal lines carry has no plan
        return debits, credits, 1
    if by_day != "spread":
        raise RulkaError(
            f"'{source.then or source.scenario}' is held by period, not by day.",
            hint="Set 'by day: spread' on the column to spread each period evenly over its days, or show whole "
            "periods.",
            code="by-day",
        )
    balances = view.balances_of(source)
    parts: list[tuple[int, int, int]] = []
    for period in planned:
        low, high = max(start, period.start), min(end, period.end)
        days = (high - low).days + (0 if open_end and high == end else 1)
        if days > 0:
            parts.append((period.index, days, (period.end - period.start).days + 1))
    common = math.lcm(*(length for _, _, length in parts))
    debits, credits = debits * common, credits * common
    for index, days, length in parts:
        share = days * (common // length)
        debits += (balances.debits[:, index + 1] - balances.debits[:, index]) * share
        credits += (balances.credits[:, index + 1] - balances.credits[:, index]) * share
    return debits, credits, common


def _ordinary(view: View, window: Window) -> list[Period]:
    return [period for period in view.frame.calendar.periods[window.first : window.last + 1] if not period.adjusting]


def _days_of_lines(
    view: View, source: MovementSource, window: Window, start: date, end: date, open_end: bool
) -> tuple[IntArray, IntArray]:
    fields = tuple(sorted({"day", *(clause.name for clause in source.lines)}))
    grouped = view.grouped(fields, window.first, window.last)
    days = [date.fromisoformat(text) for text in grouped.labels["day"]]
    inside = np.array([start <= day <= end and not (open_end and day == end) for day in days], dtype=bool)
    moved = grouped.movements
    adjusting = np.array([period.adjusting for period in view.frame.calendar.periods])
    chosen = (
        (moved.effect == ACTIVITY) & np.isin(moved.status, STATUS_CHOICES[source.status]) & ~adjusting[moved.period]
    )
    chosen &= inside[grouped.codes["day"]] if len(days) else False
    chosen &= _passes(grouped, source)
    debits, credits = np.zeros(len(view.keys), dtype=np.int64), np.zeros(len(view.keys), dtype=np.int64)
    np.add.at(debits, moved.key[chosen], moved.debit[chosen])
    np.add.at(credits, moved.key[chosen], moved.credit[chosen])
    return debits, credits


def _on_days(view: View, grouped: Grouped, window: Window) -> BoolArray:
    """The movements of ordinary periods between a window's days, both included."""
    assert window.start is not None and window.end is not None
    inside = np.array([window.start <= date.fromisoformat(text) <= window.end for text in grouped.labels["day"]])
    ordinary = np.array([not period.adjusting for period in view.frame.calendar.periods])[grouped.movements.period]
    on_days: BoolArray = inside[grouped.codes["day"]] & ordinary if len(inside) else np.zeros(len(ordinary), dtype=bool)
    return on_days


def _passes(grouped: Grouped, source: MovementSource) -> BoolArray:
    """The movements that pass the clauses of a source on source, kind and counterparty, up to where another scenario
    takes over."""
    chosen = np.ones(len(grouped.movements.key), dtype=bool)
    if source.then:
        chosen &= grouped.movements.period <= source.until
    for name in {clause.name for clause in source.lines}:
        chosen &= matches_text(source.lines, name, grouped.labels[name])[grouped.codes[name]]
    return chosen


# groups of lines ----------------------------------------------------------------------------------------------------


def sums_by_group(
    view: View, reading: ColumnReading, field_name: str, keys: BoolArray
) -> tuple[list[str], IntArray, BoolArray]:
    """Labels of a field of journal lines (code and name), the amount of each over some keys, and whether anything was
    booked there.

    Opening and closing leave out what a year's result rolled: it has no counterparty.
    """
    source, window = reading.source, reading.window
    if source.calendar:
        view = view.in_calendar(source.calendar)
    fields = tuple(
        sorted({field_name, *(("day",) if window and window.by_day else ()), *(clause.name for clause in source.lines)})
    )
    if window is None or source.scenario != "actual":
        return [], np.zeros(0, dtype=np.int64), np.zeros(0, dtype=bool)
    grouped = view.grouped(fields)
    moved, labels = grouped.movements, grouped.labels[field_name]
    counted = np.isin(moved.status, STATUS_CHOICES[source.status]) & keys[moved.key] & _passes(grouped, source)
    chosen, amount = _of_measure(view, moved, reading.measure, window)
    if window.by_day:
        chosen &= _on_days(view, grouped, window)
    totals, touched = np.zeros(len(labels), dtype=np.int64), np.zeros(len(labels), dtype=bool)
    at = counted & chosen
    np.add.at(totals, grouped.codes[field_name][at], amount[at])
    in_window = (
        _on_days(view, grouped, window)
        if window.by_day
        else (moved.period >= window.first) & (moved.period <= window.last)
    )
    touched[grouped.codes[field_name][counted & (in_window | chosen)]] = True
    return [f"{label} {grouped.names.get(label, '')}".strip() for label in labels], totals, touched


def _of_measure(view: View, moved: Movements, measure: str, window: Window) -> tuple[BoolArray, IntArray]:
    """Which movements a measure counts in a window, and with what amount."""
    net = moved.debit - moved.credit
    activity = (moved.effect == ACTIVITY) & (moved.period >= window.first) & (moved.period <= window.last)
    if measure == "activity":
        return activity, net
    if measure in ("debits", "credits"):
        return activity, moved.debit if measure == "debits" else moved.credit
    periods = view.frame.calendar.periods
    at = window.first if measure == "opening" else window.last
    year_of = np.array([period.year for period in periods])[moved.period]
    carrying = view.frame.carrying()[view.keys.account[moved.key]]
    same_year = year_of == periods[at].year
    before = (moved.period < at) if measure == "opening" else (moved.period <= at)
    counted = ((moved.effect == ACTIVITY) & before) | ((moved.effect == OPENING) & (moved.period <= at))
    closed = (moved.effect == CLOSING) & (year_of < periods[at].year)
    return np.where(carrying, counted | closed, counted & same_year), net


# the kernel ---------------------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Classes:
    """Posting keys in classes that no leaf tells apart: `of_key` `(keys,)`, `leaves` sparse `(leaves, classes)`."""

    of_key: IntArray
    leaves: sparse.csr_matrix
    count: int = field(default=0)


def classes_of(held: Sequence[IntArray], keys: int) -> Classes:
    """Group keys by which leaves hold them, of each leaf the places of those; class 0 is held by none."""
    leaf = np.repeat(np.arange(len(held)), [len(own) for own in held])
    key = np.concatenate([np.zeros(0, dtype=np.int64), *held])
    counts = np.bincount(key, minlength=keys)
    of_key = np.zeros(keys, dtype=np.int64)
    if not (counts > 1).any():  # each key has one holder at most, as on most statements: a class for each leaf
        of_key[key] = leaf + 1
        each = np.arange(len(held))
        ones = sparse.csr_matrix((np.ones(len(held), dtype=np.int64), (each, each + 1)), (len(held), len(held) + 1))
        return Classes(of_key, ones, len(held) + 1)
    leaf = leaf[np.argsort(key, kind="stable")]
    starts = np.cumsum(counts) - counts
    rows, columns, classes = [np.zeros(0, dtype=np.int64)], [np.zeros(0, dtype=np.int64)], 1
    for count in np.unique(counts).tolist():
        if not count:
            continue
        alike = np.flatnonzero(counts == count)
        holders = leaf[starts[alike, None] + np.arange(count)]  # which leaves hold each of these keys
        code = np.zeros(len(alike), dtype=np.int64)
        for place in range(count):
            _, first, code = np.unique(code * len(held) + holders[:, place], return_index=True, return_inverse=True)
        of_key[alike] = classes + code
        rows.append(holders[first].ravel())
        columns.append(np.repeat(np.arange(classes, classes + len(first)), count))
        classes += len(first)
    row, column = np.concatenate(rows), np.concatenate(columns)
    shape = (len(held), classes)
    return Classes(of_key, sparse.csr_matrix((np.ones(len(row), dtype=np.int64), (row, column)), shape=shape), classes)


@dataclass(frozen=True)
class NodeReach:
    """Nodes over classes: `keys` are those any node holds, `by_class` sparse `(nodes * classes, keys)` sums them."""

    keys: IntArray
    by_class: sparse.csr_matrix
    nodes: int


def reach_of(classes: Classes, nodes: Sequence[BoolArray]) -> NodeReach:
    """Which keys each node holds, sorted by class."""
    any_node = np.any(np.array(nodes), axis=0) if len(nodes) > 1 else nodes[0]
    keys = np.flatnonzero(any_node)
    place = np.zeros(len(any_node), dtype=np.int64)
    place[keys] = np.arange(len(keys))
    inside = [np.flatnonzero(node) for node in nodes]
    row = np.concatenate([classes.of_key[own] + at * classes.count for at, own in enumerate(inside)])
    column = place[np.concatenate(inside)]
    order = np.argsort(row, kind="stable")
    bounds = np.searchsorted(row[order], np.arange(len(nodes) * classes.count + 1))
    shape = (len(nodes) * classes.count, len(keys))
    return NodeReach(
        keys, sparse.csr_matrix((np.ones(len(order), dtype=np.int64), column[order], bounds), shape=shape), len(nodes)
    )


def sums(classes: Classes, reach: NodeReach, columns: Sequence[IntArray | BoolArray]) -> IntArray:
    """All cells: each column `(keys,)` summed to `(nodes, leaves, columns)`."""
    width, nodes = len(columns), reach.nodes
    if not classes.count:  # nothing at all lies inside of a fence
        return np.zeros((nodes, classes.leaves.shape[0], width), dtype=np.int64)
    table = np.empty((len(reach.keys), width), dtype=np.int64)
    for at, column in enumerate(columns):
        table[:, at] = column[reach.keys]
    summed = np.asarray(reach.by_class @ table).reshape(nodes, classes.count, width)
    spread = summed.transpose(1, 0, 2).reshape(classes.count, nodes * width)
    cells = np.asarray(classes.leaves @ spread)
    return cells.reshape(classes.leaves.shape[0], nodes, width).transpose(1, 0, 2)
