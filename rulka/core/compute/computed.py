"""A computed statement: its rows and columns, what was judged, and the plan and readings that explain each figure."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from fractions import Fraction
from functools import cached_property

import numpy as np

from rulka.core.books.book import View
from rulka.core.books.calendar import Period
from rulka.core.books.chart import BoolArray, IntArray
from rulka.core.compute.columns import Column
from rulka.core.compute.judging import JudgedCheck
from rulka.core.compute.leaves import Leaf
from rulka.core.compute.nodes import Node
from rulka.core.compute.plan import Plan
from rulka.core.compute.readings import FLOWS, Readings
from rulka.core.compute.rows import Row
from rulka.core.definitions.expressions import Value
from rulka.core.definitions.spines import LineDef
from rulka.core.definitions.statements import StatementDef
from rulka.core.errors import NotFound, one_of
from rulka.core.money import QUANTITY_DIGITS, grouped, round_half_away


@dataclass(frozen=True, eq=False)
class Computed:
    """A statement's figures for one node, and what explains each of them.

    `columns` are those of the plan, with the ones marked that hide; `leaves` the plan's by the key of their row, and
    those that stand for several; `amounts` `(leaves, columns)` what each leaf of the plan sums, debit positive minor
    units; `cells` and `booked` the values of every line and row by column, whether shown or not, and what was booked.
    """

    plan: Plan
    readings: Readings
    columns: tuple[Column, ...]
    rows: tuple[Row, ...]
    checks: tuple[JudgedCheck, ...]
    roundings: tuple[str, ...]
    leaves: Mapping[str, Leaf]
    amounts: IntArray
    cells: Mapping[str, Sequence[Value]]
    booked: Mapping[str, Sequence[bool]]
    units: Mapping[str, str]
    """What each line counts: money, quantity, ratio, rate or plain."""

    @property
    def statement(self) -> StatementDef:
        return self.plan.statement

    @property
    def view(self) -> View:
        return self.plan.view

    @property
    def period(self) -> Period:
        return self.plan.period

    @property
    def node(self) -> Node:
        return self.plan.node

    def line(self, key: str) -> LineDef:
        return self.plan.line(key)

    def column(self, key: str) -> Column:
        return self.columns[self.plan.place(key)]

    def place(self, key: str) -> int:
        """Where a column stands, from 0."""
        return self.plan.place(key)

    def row(self, key: str) -> Row:
        found = self.rows_by_key.get(key)
        if found is None:
            raise NotFound(f"Line '{key}' does not exist.", hint=one_of(key, self.rows_by_key), subject="line")
        return found

    @cached_property
    def rows_by_key(self) -> Mapping[str, Row]:
        return {row.key: row for row in self.rows}

    def leaf(self, row_key: str) -> Leaf:
        """The leaf behind a row; NotFound for totals and calculations."""
        found = self.leaves.get(row_key)
        if found is None:
            raise NotFound(f"'{row_key}' is no line of accounts.", subject="line")
        return found

    def rows_of_total(self, total: Row, column: Column | None = None) -> list[Row]:
        """The rows that a total adds up.

        A line that expands stands among them as its outermost rows: by department they are the departments, not the
        accounts below each. In a column of quantities lines of money show quantities, so that they are added up, too.
        """
        every = column is not None and column.shows_quantities
        rows: list[Row] = []
        for key in self._parts_of(self.line(total.line)) if every else total.parts:
            if key in self.rows_by_key:
                rows.append(self.rows_by_key[key])
                continue
            depth = min((row.depth for row in self.rows if row.line == key), default=0)
            rows += [
                row for row in self.rows if row.line == key and row.depth == depth and (every or row.unit == total.unit)
            ]
        return rows

    def _parts_of(self, section: LineDef) -> Iterator[str]:
        for inner in section.lines:
            if inner.kind == "section" and not inner.total:
                yield from self._parts_of(inner)
            elif inner.kind in ("line", "section"):
                yield f"{inner.key}.total" if inner.kind == "section" else inner.key

    def figure(self, minor: int, digits: int) -> str:
        """Minor units as this statement's page writes figures, in full."""
        return grouped(minor, digits, self.statement.grouping, self.statement.decimal_mark)

    def exact_figure(self, value: Fraction, digits: int) -> str:
        """A value as this statement's page writes figures, with as many decimals as it has, ten at most."""
        needed = next((more for more in range(digits, 10) if (value * 10**more).denominator == 1), 10)
        return self.figure(round_half_away(value, needed), needed)

    @property
    def has_anything(self) -> bool:
        """Whether any line shows a figure, or anything was booked on the node in the window of any column."""
        return bool(self.amounts.any()) or any(
            self._has_entries(column) for column in self.columns if column.has_figures
        )

    def _has_entries(self, column: Column) -> bool:
        reading, vector = self.readings.plain(column)
        if vector is None or reading.window is None:
            return False
        keys = self.plan.keys_of(column)
        if self.readings.is_fine(column, reading):
            keys = keys & ~self.view.coarse[self.view.keys.account]
        if reading.measure not in FLOWS:
            return bool(vector.booked[keys].any())
        counts = self.view.balances_of(reading.source).counts
        moved = counts[keys, reading.window.last + 1] != counts[keys, reading.window.first]
        return bool(moved.any() if not reading.window.by_day else vector.amounts[keys].any())

    def booked_in(self, period: Period, column: Column) -> bool:
        """Whether the node has posted lines in a period of a column's calendar."""
        counts = self.view.in_calendar(column.calendar).balances("actual").counts
        return bool((counts[self.node.keys, period.index + 1] != counts[self.node.keys, period.index]).any())

    def digits_of(self, row: Row, column: Column) -> int:
        """Decimals of the minor unit of a row of money or quantities in a column."""
        return (
            QUANTITY_DIGITS if row.unit == "quantity" or column.shows_quantities else self.plan.node_of(column).digits
        )

    @cached_property
    def booked_accounts(self) -> BoolArray:
        """Accounts of the node with anything booked in a shown column, judged by posting key before summing."""
        keys = np.zeros(len(self.view.keys), dtype=bool)
        for column in self.columns:
            if column.has_figures and not column.hidden and (vector := self.readings.plain(column)[1]) is not None:
                own = vector.booked & self.plan.node_of(column).keys
                if self.readings.is_fine(column, self.readings.plain(column)[0]):
                    own = own & ~self.view.coarse[self.view.keys.account]
                keys |= own
        accounts = np.zeros(len(self.view.frame.accounts), dtype=bool)
        accounts[self.view.keys.account[keys]] = True
        return accounts
