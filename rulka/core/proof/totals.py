"""Totals once more, by another way than the engine's: from what the whole node holds by account."""

from __future__ import annotations

from collections.abc import Hashable, Iterable, Iterator, Sequence
from fractions import Fraction

import numpy as np

from rulka.core.books.chart import IntArray
from rulka.core.books.few import Few
from rulka.core.compute.columns import Column
from rulka.core.compute.computed import Computed
from rulka.core.compute.figures import Values, shows
from rulka.core.compute.leaves import Leaf
from rulka.core.compute.rows import Row
from rulka.core.definitions.spines import LineDef
from rulka.core.proof.checks import FAILS, HOLDS, NOT_JUDGED, Check
from rulka.core.proof.placed import only_accounts

MOST_STATEMENTS = 16
"""Statements, each at a node and period, of which a view keeps which rows agreed."""


def totals(computed: Computed, why: str) -> Check:
    """Each section total again, straight from the accounts, line sign by line sign; without totals each line."""
    again = _Again(computed)
    totals = [row for row in computed.rows if row.kind == "total"] or [
        row for row in computed.rows if row.kind == "line"
    ]
    totals = [row for row in totals if computed.line(row.line).key in again.known]
    places = [computed.place(column.key) for column in again.columns]
    if why or not totals or not places:
        return Check(
            "totals",
            NOT_JUDGED,
            why or ("It has no totals and no lines." if not totals else "No column shows figures of its own."),
        )
    if all(set(places) <= row.sealed_at for row in totals):
        return Check("totals", NOT_JUDGED, "Its figures are sealed for you.")
    wrong = [row for row in totals if not again.agrees(row, places)]
    again.keep()
    names = ", ".join(row.label for row in wrong)
    return Check(
        "totals",
        FAILS if wrong else HOLDS,
        f"Does not foot: {names}" if wrong else "",
        lines=tuple(row.key for row in wrong),
    )


def _equals(value: Fraction | None, amount: int, scale: int) -> bool:
    """Whether a value is an amount divided by a scale; nothing, where that is 0."""
    if value is None or not scale:
        return value is None and not scale
    return value.numerator * scale == amount * value.denominator


_Told = tuple[Values, frozenset[int], tuple[int, ...], tuple[int, ...], tuple[int, ...]]


def _all_equal(
    values: Values, unseen: frozenset[int], amounts: Iterable[int], scales: Iterable[int], places: Iterable[int]
) -> bool:
    """Whether a row's values are amounts divided by scales, at all places that it shows."""
    cells = zip(places, amounts, scales, strict=True)
    return all(place in unseen or _equals(values[place], amount, scale) for place, amount, scale in cells)


class _Again:
    """Amounts of lines once more, by another way than the engine's: from what the whole node holds by account."""

    def __init__(self, computed: Computed) -> None:
        self.computed = computed
        self.columns = [column for column in computed.columns if column.has_figures]
        self.at = [computed.plan.place(column.key) for column in self.columns]
        self.any_quantities = any(column.shows_quantities for column in self.columns)
        self.by_account: dict[Hashable, IntArray] = {}
        self.scales: dict[tuple[Hashable, bool], tuple[int, ...]] = {}
        self.quantities: dict[Hashable, list[int]] = {}
        self.of_leaf: dict[str, list[int]] = {}
        # rows that were compared before and agreed, with all that was compared: most are as they were before an edit
        self.kept: Few[dict[str, _Told]] = computed.view.kept(("rows that agreed",), lambda: Few(MOST_STATEMENTS))
        self.named = (computed.statement.name, computed.node.code, computed.period.code)
        self.before, self.agreed = self.kept.find(self.named) or {}, dict[str, _Told]()
        self.known = {line.key for line in computed.statement.spine.walk() if line.kind in ("line", "section")}
        self.simple = {line.key: only_accounts(line) for line in computed.statement.spine.walk() if line.kind == "line"}

    def agrees(self, row: Row, places: Sequence[int]) -> bool:
        """Whether a total or a line is, in each column that it shows, what its lines' accounts sum to, line sign by
        line sign."""
        line = self.computed.line(row.line)
        own = list(self._leaves(line, row.unit == "quantity"))
        if own and not self.any_quantities and self._read_alike(own):
            told = (row.values, row.blank | row.sealed_at, self._summed(own), self._scales(own[0]), tuple(places))
            if self.before.get(row.key) != told and not _all_equal(*told):
                return False
            self.agreed[row.key] = told
            return True
        every = list(self._leaves(line, None)) if self.any_quantities else own
        for at, (place, column) in enumerate(zip(places, self.columns, strict=True)):
            if (
                place not in row.blank
                and place not in row.sealed_at
                and not self._is(row.values[place], every if column.shows_quantities else own, at, column)
            ):
                return False
        return True

    def keep(self) -> None:
        """Remember the rows that agreed for the next run of the statement."""
        self.kept.put(self.named, self.agreed)

    def _read_alike(self, leaves: list[Leaf]) -> bool:
        """Whether some leaves show in every column, and are divided by the same there."""
        first = leaves[0]
        return all(
            leaf.group == first.group and leaf.is_quantity == first.is_quantity and not leaf.line.columns
            for leaf in leaves
        )

    def _summed(self, leaves: list[Leaf]) -> tuple[int, ...]:
        """By column what leaves come to, each in its sign."""
        signed = [
            [amount * signs[at] for amount, at in zip(self._amounts(leaf), self.at, strict=True)]
            for leaf, signs in ((leaf, self.computed.readings.signs(leaf)) for leaf in leaves)
        ]
        return tuple(sum(amounts) for amounts in zip(*signed, strict=True))

    def _is(self, value: Fraction | None, leaves: list[Leaf], at: int, column: Column) -> bool:
        amounts: dict[int, int] = {}
        for leaf in leaves:
            if not shows(leaf.line, column):
                continue
            scale = self._scales(leaf)[at]
            if not scale:
                return value is None
            amounts[scale] = amounts.get(scale, 0) + self._amounts(leaf)[at] * self.computed.readings.sign(leaf, column)
        if value is None:
            return False
        if len(amounts) == 1:  # integers alone: there are many cells
            ((scale, amount),) = amounts.items()
            return value.numerator * scale == amount * value.denominator
        return value == sum((Fraction(amount, scale) for scale, amount in amounts.items()), Fraction(0))

    def _scales(self, leaf: Leaf) -> tuple[int, ...]:
        """By column what a leaf's amount is divided by, 0 where nothing can be read; leaves of one group read the
        same."""
        name = (leaf.group, leaf.is_quantity)
        if name not in self.scales:
            found = []
            for column in self.columns:
                vector = self.computed.readings.vector(leaf, column)
                found.append(vector.divisor * 10 ** self.computed.readings.digits(leaf, column) if vector else 0)
            self.scales[name] = tuple(found)
        return self.scales[name]

    def _leaves(self, line: LineDef, quantities: bool | None) -> Iterator[Leaf]:
        """The outermost leaves of a line and all below it; of quantities or of money only, or both."""
        for leaf in self.computed.plan.leaves.by_line.get(line.key, ()):
            measured = leaf.is_quantity or leaf.line.reads_quantities
            if quantities is None or measured == quantities:
                yield leaf
        for inner in line.lines:
            yield from self._leaves(inner, quantities)

    def _amounts(self, leaf: Leaf) -> list[int]:
        """A leaf in each column, debit positive minor units."""
        if leaf.key not in self.of_leaf:
            statistical = self.computed.view.frame.accounts.of_type("statistical")
            chosen = leaf.places[statistical[leaf.places] == leaf.is_quantity]
            if self.simple[leaf.line.key] and not leaf.member:
                found = self._table(leaf)[chosen].sum(axis=0).tolist()
                own_way = self._of_quantities(leaf)
            else:
                found, own_way = [0] * len(self.columns), list(range(len(self.columns)))
            for place in own_way:
                found[place] = int(self.computed.readings.by_account(leaf, self.columns[place]).sum())
            self.of_leaf[leaf.key] = found
        return self.of_leaf[leaf.key]

    def _of_quantities(self, leaf: Leaf) -> list[int]:
        """The columns in which a leaf shows its statistical accounts; leaves of one group agree on them."""
        if leaf.group not in self.quantities:
            self.quantities[leaf.group] = [
                place for place, column in enumerate(self.columns) if self.computed.readings.of_quantities(leaf, column)
            ]
        return self.quantities[leaf.group]

    def _table(self, leaf: Leaf) -> IntArray:
        """What the whole node holds by account and column, as the leaf's group reads it."""
        if leaf.group not in self.by_account:
            computed, view = self.computed, self.computed.view
            table = np.zeros((len(view.frame.accounts), len(self.columns)), dtype=np.int64)
            for place, column in enumerate(self.columns):
                vector = computed.readings.vector(leaf, column)
                if vector is not None:
                    table[:, place] = view.by_account(vector.amounts, computed.plan.keys_of(column))
            self.by_account[leaf.group] = table
        return self.by_account[leaf.group]
