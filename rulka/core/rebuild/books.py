"""Every column that a table could have, as a vector by account: node, scenario, measure and window."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from rulka.core.books.balances import MovementSource
from rulka.core.books.book import View
from rulka.core.books.calendar import Period, Window
from rulka.core.books.chart import CodeList, IntArray
from rulka.core.compute.nodes import Node, find_node, nodes_of
from rulka.core.errors import RulkaError
from rulka.core.later import later

if TYPE_CHECKING:
    from scipy import sparse
else:
    sparse = later("scipy.sparse")

MOST = 20_000
"""Columns that are tried."""


@dataclass(frozen=True)
class TableReading:
    """One column that a table could have: `first` and `last` are periods of the calendar, both included."""

    node: str
    scenario: str
    measure: str
    first: int
    last: int

    @property
    def window(self) -> Window:
        return Window(self.first, self.last, "")


@dataclass(frozen=True, eq=False)
class TriedReading:
    """All of them: `amounts` `(accounts, readings)` in minor units with `digits` decimals, debit positive."""

    accounts: CodeList
    readings: tuple[TableReading, ...]
    amounts: IntArray
    digits: IntArray
    passed: tuple[str, ...] = ()
    """Nodes and scenarios that could not be read, as for want of a rate."""

    @property
    def nodes(self) -> list[str]:
        return list(dict.fromkeys(one.node for one in self.readings))

    def of_node(self, node: str) -> IntArray:
        """The places of a node's readings."""
        return np.flatnonzero([one.node == node for one in self.readings])


def tried_in(view: View, only: str = "", period: Period | None = None) -> TriedReading:
    """What the ledger holds, column by column; months, years to date, years and closing balances of each scenario and
    node (`only` one of them where it is named), in the node's currency, those of several in the group's. Of a
    statement of a known period those that end when its columns may: then, a month before, at ends of years, and the
    same in other years."""
    periods = [one for one in view.frame.calendar.periods if not one.adjusting and _may_end(one, period, view)]
    readings: list[TableReading] = []
    blocks, digits = [], []
    passed: list[str] = []
    for node in [find_node(view, only)] if only else nodes_of(view):
        for scenario in view.frame.scenarios:
            try:
                found = list(_of_node(view, node, scenario, [one.index for one in periods]))
            except RulkaError as error:  # without a rate there is nothing to show in the group's currency
                passed.append(f"{node.code}, {scenario} ({error.message})")
                continue
            for reading, amounts in found:
                if amounts.any():
                    readings.append(reading)
                    blocks.append(amounts)
                    digits.append(node.digits)
                if len(readings) > MOST:
                    raise RulkaError("The ledger has too many columns to try.", hint="Name a node or a year.")
    every = np.stack(blocks, axis=1) if blocks else np.zeros((len(view.frame.accounts), 0), dtype=np.int64)
    return TriedReading(view.frame.accounts, tuple(readings), every, np.array(digits, dtype=np.int64), tuple(passed))


def _may_end(one: Period, period: Period | None, view: View) -> bool:
    if period is None:
        return True
    last = max(other.number for other in view.frame.calendar.periods if other.year == one.year and not other.adjusting)
    return one.number in (period.number, last) or one.index in (period.index - 1, period.index + 1)


def _of_node(view: View, node: Node, scenario: str, periods: list[int]) -> Iterator[tuple[TableReading, IntArray]]:
    balances = view.balances_of(MovementSource(scenario, translated=node.is_mixed))
    keys = np.flatnonzero(node.keys)
    shape = (len(view.frame.accounts), len(keys))
    gather = sparse.csr_matrix(
        (np.ones(len(keys), dtype=np.int64), (view.keys.account[keys], np.arange(len(keys)))), shape
    )
    starts = view.frame.calendar.first_of_year()
    years = view.frame.calendar.years
    year_of = {one.index: years.index(one.year) for one in view.frame.calendar.periods}

    def summed(amounts: IntArray) -> IntArray:
        found: IntArray = np.asarray(gather @ amounts[keys], dtype=np.int64)
        return found

    for place in periods:
        first = int(starts[year_of[place]])
        windows = [("activity", place, place)] + ([("activity", first, place)] if first != place else [])
        for measure, begins, ends in [*windows, ("closing", place, place)]:
            amounts = summed(balances.measure(measure, Window(begins, ends, "")))
            yield TableReading(node.code, scenario, measure, begins, ends), amounts
