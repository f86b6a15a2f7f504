"""A computed statement: its rows and columns, and what is needed to explain each figure."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from fractions import Fraction

import numpy as np

from rulka.core.books.balances import Balances
from rulka.core.books.book import View
from rulka.core.books.calendar import FiscalCalendar, Period
from rulka.core.books.chart import BoolArray, IntArray
from rulka.core.books.frame import QUANTITIES
from rulka.core.compute import elimination
from rulka.core.compute.amounts import Vector, read_vector
from rulka.core.compute.columns import Column, Reading, period_in, reading_of
from rulka.core.compute.leaves import Leaf, Planned, sign_of
from rulka.core.compute.nodes import Node
from rulka.core.definitions.expressions import Value
from rulka.core.definitions.looks import PLAIN, Look
from rulka.core.definitions.spines import LineDef, Override
from rulka.core.definitions.statements import StatementDef
from rulka.core.errors import NotFound, RulkaError, one_of
from rulka.core.money import QUANTITY_DIGITS, grouped, round_half_away

NO_OVERRIDE = Override()
Values = tuple[Value, ...]
GROSS = ("debits", "credits")
FLOWS = ("activity", *GROSS)
"""Measures of what moved; the others read what stands."""

FIGURELESS = ("section", "heading", "text", "spacer", "page break")


def shows(line: LineDef, column: Column) -> bool:
    """Whether a line is shown in a column: one that is limited to some, only in these, by their keys or their
    series'."""
    return (
        not line.columns
        or column.key in line.columns
        or column.asked.key in line.columns
        or column.series in line.columns
    )


@dataclass(frozen=True)
class Row:
    """One computed row.

    `values` are in major units and presented sign, exact, None where a figure has no meaning; `blank` are the columns
    where the row shows nothing at all. `unit` is money, quantity, ratio, rate or plain; `directions` by column: 1
    where more is better, -1 where less is. `line` is the key of the spine's line it came from, `account` and `member`
    the codes of an expanded row, `texts` what journal lines say. `parts` are the rows it is made of.
    """

    key: str
    label: str
    kind: str
    depth: int
    codes: tuple[str, ...]
    values: Values
    unit: str = "money"
    hidden: bool = False
    ruling: str = ""
    directions: tuple[int, ...] = ()
    line: str = ""
    account: str = ""
    member: str = ""
    detail: str = ""
    parts: tuple[str, ...] = ()
    blank: frozenset[int] = frozenset()
    look: Look = PLAIN
    panel: int = 1
    texts: dict[str, str] = field(default_factory=dict)
    shown: tuple[Value, ...] | None = None
    """Rounded values, where the statement rounds so that it foots."""

    @property
    def has_figures(self) -> bool:
        return self.kind not in FIGURELESS

    @property
    def is_total(self) -> bool:
        return self.kind in ("total", "calculation", "subtotal")

    @property
    def direction(self) -> int:
        """The direction in the first column."""
        return self.directions[0] if self.directions else 0

    @property
    def above(self) -> str:
        """The ruling above its figures: its own, else single over totals."""
        return self.look.above or ("single" if self.ruling else "none")

    @property
    def below(self) -> str:
        """The ruling below its figures."""
        return self.look.below or ("double" if self.ruling == "double" else "none")


@dataclass(frozen=True)
class Judged:
    """What a check found: how far apart it is in each column that was judged, and whether that is within its
    tolerance."""

    line: LineDef
    apart: tuple[tuple[Column, Fraction], ...]
    judged: int

    @property
    def holds(self) -> bool:
        return not self.apart


@dataclass
class Computed:
    """A statement's figures for one node, with what is needed to explain them."""

    statement: StatementDef
    view: View
    period: Period
    node: Node
    columns: tuple[Column, ...]
    planned: Planned
    rows: tuple[Row, ...] = ()
    checks: list[Judged] = field(default_factory=list)
    roundings: list[str] = field(default_factory=list)
    cells: dict[str, list[Value]] = field(default_factory=dict)
    booked: dict[str, list[bool]] = field(default_factory=dict)
    translated: bool = False
    amounts: IntArray = field(default_factory=lambda: np.zeros((0, 0), dtype=np.int64))
    """`(leaves, columns)`: what each leaf of the plan sums in each column, debit positive minor units."""

    def row(self, key: str) -> Row:
        found = self.rows_by_key.get(key)
        if found is None:
            raise NotFound(f"Line '{key}' does not exist.", hint=one_of(key, self.rows_by_key), subject="line")
        return found

    @property
    def rows_by_key(self) -> dict[str, Row]:
        if self._known_rows is not self.rows:
            self._rows_by_key, self._known_rows = {row.key: row for row in self.rows}, self.rows
        return self._rows_by_key

    def column(self, key: str) -> Column:
        return self.columns[self.place(key)]

    def place(self, key: str) -> int:
        """Where a column stands, from 0."""
        found = self._places.get(key)
        if found is None:
            raise NotFound(f"Column '{key}' does not exist.", hint=one_of(key, self._places), subject="column")
        return found

    def __post_init__(self) -> None:
        self._places = {column.key: place for place, column in enumerate(self.columns)}
        self._lines = {line.key: line for line in self.statement.spine.walk()}
        self._leaves = {leaf.key: leaf for leaf in self.planned.walk()}
        self._signs: dict[tuple[str, int], int] = {}

    def line(self, key: str) -> LineDef:
        return self._lines[key]

    @property
    def leaf_keys(self) -> Mapping[str, Leaf]:
        """The rows that sum posting keys."""
        return self._leaves

    def leaf(self, row_key: str) -> Leaf:
        """The leaf behind a row; NotFound for totals and calculations."""
        found = self._leaves.get(row_key)
        if found is None:
            raise NotFound(f"'{row_key}' is no line of accounts.", subject="line")
        return found

    def rows_of_total(self, total: Row, column: Column | None = None) -> list[Row]:
        """The rows a total adds up; an expanding line stands as its outermost rows. In a column of quantities lines of
        money show them too."""
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

    def add_leaf(self, leaf: Leaf) -> None:
        """Make a leaf known that stands for several."""
        self._leaves[leaf.key] = leaf

    def reading(self, leaf: Leaf, column: Column) -> Reading:
        """What a leaf reads in a column."""
        name = (leaf.group, column.key)
        if name not in self._readings:
            self._readings[name] = reading_of(
                column, leaf.line.override, self.view, self.period, translated=self.translated, lines=leaf.clauses
            )
        return self._readings[name]

    def balances(self, leaf: Leaf, column: Column) -> Balances:
        return self.view.balances_of(self.reading(leaf, column).source)

    def vector(self, leaf: Leaf, column: Column) -> Vector | None:
        """Amounts by posting key of what a leaf's line reads in a column, narrowed by the column, not yet by node or
        leaf."""
        name = (leaf.group, column.key)
        if name not in self._vectors:
            vector = self._read(self.reading(leaf, column), column)
            self._vectors[name] = None if vector is None else self._narrowed(vector, leaf, column)
        return self._vectors[name]

    def _narrowed(self, vector: Vector, leaf: Leaf, column: Column) -> Vector:
        if column.keys is not None:
            vector = Vector(np.where(column.keys, vector.amounts, 0), vector.booked & column.keys, vector.divisor)
        if leaf.line.intercompany or column.asked.part:
            return elimination.part_of(
                vector, self.view, self.node_of(column), column, difference=bool(leaf.line.intercompany)
            )
        return vector

    def node_of(self, column: Column) -> Node:
        """Whose figures a column shows: the page's node, or the one that the column names."""
        return column.node or self.node

    def calendar_of(self, column: Column) -> FiscalCalendar:
        """The calendar whose periods a column's window counts."""
        return self.view.in_calendar(column.calendar).frame.calendar

    def period_of(self, column: Column) -> Period:
        """The period a column is seen from, in its own calendar."""
        return period_in(self.view, column.calendar, self.period)

    def keys_of(self, column: Column) -> BoolArray:
        """Mask of the posting keys that a column shows of its node."""
        keys = self.node_of(column).keys
        return keys if column.keys is None else keys & column.keys

    def of_quantities(self, leaf: Leaf, column: Column) -> bool:
        """Whether a leaf shows its statistical accounts in a column: by the measure, or because the column names no
        others and the line none."""
        return self.reading(leaf, column).quantities or (column.is_statistical and not leaf.names_accounts)

    def plain(self, column: Column) -> tuple[Reading, Vector | None]:
        """What a column reads by itself, of the whole book: not narrowed by line, column or node."""
        if column.key not in self._plain:
            reading = reading_of(column, NO_OVERRIDE, self.view, self.period, translated=self.translated)
            self._plain[column.key] = reading, self._read(reading, column)
        return self._plain[column.key]

    def _read(self, reading: Reading, column: Column) -> Vector | None:
        """What a reading gives; what it refuses names the column."""
        try:
            return read_vector(self.view, reading, column.asked.by_day)
        except RulkaError as error:
            error.subject = error.subject or f"column {column.key}"
            raise

    def mask_of(self, leaf: Leaf, column: Column) -> BoolArray:
        """The posting keys a leaf sums in a column: those of its statistical accounts where the column shows
        quantities."""
        return leaf.quantities if self.of_quantities(leaf, column) else leaf.mask

    def keys_behind(self, leaf: Leaf, column: Column) -> BoolArray:
        """Mask of the visible posting keys behind a cell."""
        keys = self.mask_of(leaf, column) & self.keys_of(column)
        return keys & self._part(leaf, column)[0] if column.asked.part or leaf.line.intercompany else keys

    def _part(self, leaf: Leaf, column: Column) -> tuple[BoolArray, int]:
        name = (column.key, leaf.line.intercompany)
        if name not in self._parts:
            self._parts[name] = elimination.kept_keys(
                self.view, self.node_of(column), column, difference=bool(leaf.line.intercompany)
            )
        return self._parts[name]

    def part_sign(self, leaf: Leaf, column: Column) -> int:
        """-1 where a column shows what elimination takes away."""
        return self._part(leaf, column)[1] if column.asked.part or leaf.line.intercompany else 1

    def by_account(self, leaf: Leaf, column: Column) -> IntArray:
        """The amounts behind a cell by account, debit positive, to be divided by its vector's divisor."""
        vector = self.vector(leaf, column)
        return (
            self.view.by_account(vector.amounts, self.keys_behind(leaf, column))
            if vector
            else np.zeros(len(self.view.frame.accounts), np.int64)
        )

    def sign(self, leaf: Leaf, column: Column) -> int:
        """What turns a debit positive amount of a leaf into what the reader sees in a column."""
        measure = self.reading(leaf, column).measure
        if measure in GROSS:
            return -1 if measure == "credits" and column.asked.credits == "negative" else 1
        if self.of_quantities(leaf, column):
            return -1 if leaf.line.sign == "flipped" else 1
        return self.line_sign(leaf, column)

    def line_sign(self, leaf: Leaf, column: Column) -> int:
        """The presented sign of a leaf's line in a column, whatever the measure."""
        name = (leaf.line.key, id(column.accounts))
        if name not in self._signs:
            self._signs[name] = sign_of(leaf, column.accounts, self.statement.spine.signs, self.view)
        return self._signs[name]

    def digits(self, leaf: Leaf, column: Column) -> int:
        """Decimals of the minor unit of a cell."""
        return QUANTITY_DIGITS if leaf.is_quantity or self.of_quantities(leaf, column) else self.node_of(column).digits

    def is_of_quantities(self, line: LineDef) -> bool:
        """Whether a line reads quantities by a measure of its own."""
        return line.override.measure in QUANTITIES

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
        reading, vector = self.plain(column)
        if vector is None or reading.window is None:
            return False
        keys = self.keys_of(column)
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
        return QUANTITY_DIGITS if row.unit == "quantity" or column.shows_quantities else self.node_of(column).digits

    def booked_accounts(self) -> BoolArray:
        """Accounts of the node with anything booked in a shown column, judged by posting key before summing."""
        if self._booked_accounts is None:
            booked = np.zeros(len(self.view.keys), dtype=bool)
            for column in self.columns:
                if column.has_figures and not column.hidden and (vector := self.plain(column)[1]) is not None:
                    booked |= vector.booked & self.node_of(column).keys
            self._booked_accounts = np.zeros(len(self.view.frame.accounts), dtype=bool)
            self._booked_accounts[self.view.keys.account[booked]] = True
        return self._booked_accounts

    _rows_by_key: dict[str, Row] = field(default_factory=dict)
    _known_rows: tuple[Row, ...] | None = None
    _readings: dict[tuple[int, str], Reading] = field(default_factory=dict)
    _vectors: dict[tuple[int, str], Vector | None] = field(default_factory=dict)
    _plain: dict[str, tuple[Reading, Vector | None]] = field(default_factory=dict)
    _parts: dict[tuple[str, str], tuple[BoolArray, int]] = field(default_factory=dict)
    _booked_accounts: BoolArray | None = None
