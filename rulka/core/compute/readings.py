"""What a plan reads: vectors of amounts by posting key for each line and column, masks of keys, presented signs."""

from __future__ import annotations

from collections.abc import Hashable

import numpy as np

from rulka.core.books.balances import Balances, MovementSource
from rulka.core.books.book import View
from rulka.core.books.calendar import Window
from rulka.core.books.chart import BoolArray, IntArray
from rulka.core.books.narrowing import Clause, Narrowing
from rulka.core.compute import elimination
from rulka.core.compute.amounts import Vector, read_vector
from rulka.core.compute.columns import Column, ColumnReading, reading_of
from rulka.core.compute.leaves import Leaf, sign_of
from rulka.core.compute.plan import Plan
from rulka.core.definitions.spines import Override
from rulka.core.errors import RulkaError
from rulka.core.money import QUANTITY_DIGITS

NO_OVERRIDE = Override()
GROSS = ("debits", "credits")
FLOWS = ("activity", *GROSS)
"""Measures of what moved; the others read what stands."""


def finer_than_seal(view: View, by: frozenset[str], source: MovementSource, window: Window | None) -> bool:
    """Whether figures are finer than the grain of the reader's seal: told apart `by` more than it names, or read from
    what only lines tell; False without a seal."""
    seal = view.seal
    if seal is None:
        return False
    return bool(
        not seal.is_whole
        or not by <= seal.grain
        or source.status != "posted"
        or source.lines
        or source.calendar
        or (window is not None and window.by_day)
    )


class Readings:
    """What each leaf reads in each column of a plan. All of it follows from the plan; what was read once is kept."""

    def __init__(self, plan: Plan) -> None:
        self.plan = plan
        self._readings: dict[tuple[Hashable, str], ColumnReading] = {}
        self._vectors: dict[tuple[Hashable, str], Vector | None] = {}
        self._plain: dict[str, tuple[ColumnReading, Vector | None]] = {}
        self._parts: dict[tuple[str, str], tuple[BoolArray, int]] = {}
        self._signs: dict[tuple[str, Narrowing | None], int] = {}
        self._sealed: dict[tuple[str, str], bool] = {}
        self._kinds: dict[tuple[Hashable, bool], tuple[list[int], list[int]]] = {}
        self._narrowed_alike: list[int] = []

    def reading(self, leaf: Leaf, column: Column) -> ColumnReading:
        """What a leaf reads in a column: scenario, entries, window and measure.

        The column says it; what the leaf's line says itself goes before: a line with `scenario: budget` shows the
        budget in a column of actuals, too.
        """
        name = (leaf.group, column.key)
        if name not in self._readings:
            self._readings[name] = self._reading_of(leaf.line.override, column, leaf.clauses)
        return self._readings[name]

    def _reading_of(self, override: Override, column: Column, lines: tuple[Clause, ...] = ()) -> ColumnReading:
        plan = self.plan
        return reading_of(column, override, plan.view, plan.period, translated=plan.translated, lines=lines)

    def balances(self, leaf: Leaf, column: Column) -> Balances:
        return self.plan.view.balances_of(self.reading(leaf, column).source)

    def vector(self, leaf: Leaf, column: Column) -> Vector | None:
        """The amounts `(keys,)` that a leaf's line reads in a column; None where it reads nothing.

        They are narrowed by the column, by elimination too, and not yet by the node or to the leaf's own keys. Leaves
        of one line share them.
        """
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
                vector, self.plan.view, self.plan.node_of(column), column, difference=bool(leaf.line.intercompany)
            )
        return vector

    def of_quantities(self, leaf: Leaf, column: Column) -> bool:
        """Whether a leaf shows its statistical accounts in a column, not its money.

        It does where the measure is one of quantities, and where the column selects statistical accounts alone and the
        line selects none.
        """
        return self.reading(leaf, column).quantities or (column.is_statistical and not leaf.names_accounts)

    def plain(self, column: Column) -> tuple[ColumnReading, Vector | None]:
        """What a column reads by itself: of the whole book, not narrowed by line, column or node."""
        if column.key not in self._plain:
            reading = self._reading_of(NO_OVERRIDE, column)
            self._plain[column.key] = reading, self._read(reading, column)
        return self._plain[column.key]

    def is_judged(self, column: Column, accounts: BoolArray) -> bool:
        """Whether a check may look at what a column reads over some accounts, given as a mask `(accounts,)`.

        It may not where the sum would tell apart what a seal keeps together.
        """
        return not (accounts & self.plan.view.coarse).any() or not self.is_fine(column, self.plain(column)[0])

    def _read(self, reading: ColumnReading, column: Column) -> Vector | None:
        """What a reading gives; what it refuses names the column."""
        try:
            return read_vector(self.plan.view, reading, column.asked.by_day)
        except RulkaError as error:
            error.subject = error.subject or f"column {column.key}"
            raise

    def is_sealed(self, leaf: Leaf, column: Column) -> bool:
        """Whether a cell would tell apart what a seal keeps together: then nothing of it shows."""
        if self.plan.view.seal is None or not column.has_figures:
            return False
        name = (leaf.key, column.key)
        if name not in self._sealed:
            self._sealed[name] = self._tells_sealed(leaf, column)
        return self._sealed[name]

    def _tells_sealed(self, leaf: Leaf, column: Column) -> bool:
        view = self.plan.view
        accounts = leaf.accounts & view.coarse
        if column.accounts is not None:
            accounts = accounts & column.accounts
        statistical = view.frame.accounts.of_type("statistical")
        accounts = accounts & (statistical if leaf.is_quantity or self.of_quantities(leaf, column) else ~statistical)
        if not accounts.any():
            return False
        if self.is_fine(column, self.reading(leaf, column), leaf.line.accounts.names):
            return True
        own = np.fromiter((item.intercompany for item in view.frame.accounts.items), dtype=bool, count=len(accounts))
        by_partner = leaf.line.intercompany or column.asked.part in ("eliminations", "after elimination")
        return bool(by_partner and "partner" not in view.seal.grain and (accounts & own).any()) if view.seal else False

    def is_fine(self, column: Column, reading: ColumnReading, names: frozenset[str] = frozenset()) -> bool:
        """Whether what is read in a column is finer than the grain of the reader's seal; False without a seal."""
        by = names | column.by | self.plan.node_of(column).by
        return finer_than_seal(self.plan.view, by, reading.source, reading.window)

    def mask_of(self, leaf: Leaf, column: Column) -> BoolArray:
        """The posting keys a leaf sums in a column: those of its statistical accounts where the column shows
        quantities."""
        return leaf.quantities if self.of_quantities(leaf, column) else leaf.mask

    def keys_behind(self, leaf: Leaf, column: Column) -> BoolArray:
        """Mask of the visible posting keys behind a cell."""
        keys = self.mask_of(leaf, column) & self.plan.keys_of(column)
        return keys & self._part(leaf, column)[0] if column.asked.part or leaf.line.intercompany else keys

    def _part(self, leaf: Leaf, column: Column) -> tuple[BoolArray, int]:
        name = (column.key, leaf.line.intercompany)
        if name not in self._parts:
            self._parts[name] = elimination.kept_keys(
                self.plan.view, self.plan.node_of(column), column, difference=bool(leaf.line.intercompany)
            )
        return self._parts[name]

    def part_sign(self, leaf: Leaf, column: Column) -> int:
        """-1 where a column shows what elimination takes away."""
        return self._part(leaf, column)[1] if column.asked.part or leaf.line.intercompany else 1

    def by_account(self, leaf: Leaf, column: Column) -> IntArray:
        """The amounts behind a cell by account, debit positive, to be divided by its vector's divisor."""
        vector = self.vector(leaf, column)
        return (
            self.plan.view.by_account(vector.amounts, self.keys_behind(leaf, column))
            if vector
            else np.zeros(len(self.plan.view.frame.accounts), np.int64)
        )

    def sign(self, leaf: Leaf, column: Column) -> int:
        """What turns a debit positive amount of a leaf into what the reader sees in a column."""
        measure = self.reading(leaf, column).measure
        if measure in GROSS:
            return -1 if measure == "credits" and column.asked.credits == "negative" else 1
        if self.of_quantities(leaf, column):
            return -1 if leaf.line.sign == "flipped" else 1
        return self.line_sign(leaf, column)

    def signs(self, leaf: Leaf) -> tuple[int, ...]:
        """`sign` in each column that has figures, 1 in the others."""
        kind_of, samples = self._kinds_of(leaf)
        told = [self.sign(leaf, self.plan.columns[at]) if at >= 0 else 1 for at in samples]
        return tuple([told[kind] for kind in kind_of])

    def _kinds_of(self, leaf: Leaf) -> tuple[list[int], list[int]]:
        """Columns in kinds that turn a leaf alike, which leaves of one group agree on: each column's kind, and a column
        of each kind, -1 for those without figures."""
        name = (leaf.group, leaf.is_quantity)
        if name not in self._kinds:
            known: dict[Hashable, int] = {}
            samples: list[int] = []
            kind_of = []
            for place, column in enumerate(self.plan.columns):
                kind: Hashable = None
                if column.has_figures:
                    measure = self.reading(leaf, column).measure
                    alike = self.of_quantities(leaf, column)
                    kind = (measure, column.asked.credits, alike, self.narrowed_alike[place])
                if kind not in known:
                    known[kind] = len(samples)
                    samples.append(place if column.has_figures else -1)
                kind_of.append(known[kind])
            self._kinds[name] = kind_of, samples
        return self._kinds[name]

    @property
    def narrowed_alike(self) -> list[int]:
        """By column a number for how it narrows accounts, by which lines take their sign."""
        if not self._narrowed_alike:
            known: dict[Narrowing | None, int] = {}
            self._narrowed_alike = [known.setdefault(column.names_accounts, len(known)) for column in self.plan.columns]
        return self._narrowed_alike

    def line_sign(self, leaf: Leaf, column: Column) -> int:
        """The presented sign of a leaf's line in a column, whatever the measure."""
        name = (leaf.line.key, column.names_accounts)
        if name not in self._signs:
            self._signs[name] = sign_of(leaf, column.accounts, self.plan.statement.spine.signs, self.plan.view)
        return self._signs[name]

    def digits(self, leaf: Leaf, column: Column) -> int:
        """Decimals of the minor unit of a cell."""
        return (
            QUANTITY_DIGITS
            if leaf.is_quantity or self.of_quantities(leaf, column)
            else self.plan.node_of(column).digits
        )
