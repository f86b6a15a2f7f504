"""Which rows of an expanding line show, in what order, and the one that stands for what the top ones leave."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from fractions import Fraction

import numpy as np

from rulka.core.compute.detail_rows import DetailRow
from rulka.core.compute.figures import Figures, shows, total
from rulka.core.compute.leaves import Leaf
from rulka.core.definitions.expressions import Value
from rulka.core.definitions.spines import LineDef


@dataclass(frozen=True, eq=False)
class Ranked:
    """The leaves that show below a line or leaf, by its key, in order; `others` the leaf that stands for those left
    out, with its `values`, what was `booked` and what is `sealed`; `details` the rows of journal lines in order."""

    shown: Mapping[str, Sequence[Leaf]]
    others: Mapping[str, Leaf]
    details: Mapping[str, Sequence[DetailRow]]
    values: Mapping[str, Sequence[Value]]
    booked: Mapping[str, Sequence[bool]]
    sealed: Mapping[str, frozenset[int]]


def rank(figures: Figures) -> Ranked:
    """Order the rows of every expanding line, and merge what its top rows leave."""
    ranker = _Ranker(figures)
    for line in figures.plan.statement.spine.walk():
        if line.kind == "line":
            ranker.line(line)
    return Ranked(ranker.shown, ranker.others, ranker.details, ranker.values, ranker.booked, ranker.sealed)


@dataclass
class _Ranker:
    figures: Figures
    shown: dict[str, Sequence[Leaf]] = field(default_factory=dict)
    others: dict[str, Leaf] = field(default_factory=dict)
    details: dict[str, Sequence[DetailRow]] = field(default_factory=dict)
    values: dict[str, list[Value]] = field(default_factory=dict)
    booked: dict[str, list[bool]] = field(default_factory=dict)
    sealed: dict[str, frozenset[int]] = field(default_factory=dict)

    def line(self, line: LineDef) -> None:
        leaves = self.figures.plan.leaves.by_line[line.key]
        if line.expand:
            self._below(line, line.key, leaves)
        for leaf in leaves if line.below or line.has_periods else ():
            self._below(line, leaf.key, leaf.inner)

    def _below(self, line: LineDef, above: str, leaves: Sequence[Leaf]) -> None:
        chosen, left = list(leaves), []
        if line.sort == "amount":
            chosen.sort(key=lambda leaf: -self._size(leaf.key))
        if line.top and len(chosen) > line.top:
            kept = {leaf.key for leaf in sorted(chosen, key=lambda leaf: -self._size(leaf.key))[: line.top]}
            chosen, left = (
                [leaf for leaf in chosen if leaf.key in kept],
                [leaf for leaf in chosen if leaf.key not in kept],
            )
        self.shown[above] = chosen
        if left:
            self.others[above] = self._merged(line, left)
        for leaf in chosen:
            if leaf.detail:
                self.details[leaf.key] = self._sorted(line, self.figures.details[leaf.key])
            elif leaf.inner:
                self._below(line, leaf.key, leaf.inner)

    def _size(self, key: str) -> Fraction:
        """By what rows are ranked: the amount in the first shown column of figures, whatever its sign."""
        columns = self.figures.plan.columns
        first = next((at for at, column in enumerate(columns) if column.has_figures and not column.hidden), None)
        return abs(self.figures.values[key][first] or Fraction(0)) if first is not None else Fraction(0)

    def _sorted(self, line: LineDef, rows: Sequence[DetailRow]) -> Sequence[DetailRow]:
        if line.sort != "amount":
            return rows
        return sorted(rows, key=lambda row: (row.kind == "others", -self._size(row.key)))

    def _merged(self, line: LineDef, left: Sequence[Leaf]) -> Leaf:
        """One leaf for several, with their sums; columns that compare do so over these."""
        figures, columns = self.figures, self.figures.plan.columns
        merged = replace(
            left[0],
            key=f"{line.key}:others:{left[0].key}",
            label=line.others,
            kind="others",
            account="",
            member="",
            inner=(),
            mask=np.any([leaf.mask for leaf in left], axis=0),
            quantities=np.any([leaf.quantities for leaf in left], axis=0),
            accounts=np.any([leaf.accounts for leaf in left], axis=0),
        )
        self.sealed[merged.key] = hidden = frozenset().union(
            *(figures.sealed.get(leaf.key, frozenset()) for leaf in left)
        )
        values = [total([figures.values[leaf.key][at] for leaf in left], column) for at, column in enumerate(columns)]
        for at, column in enumerate(columns):
            if column.kind not in ("figures", "text", "share") and shows(line, column) and at not in hidden:
                sign = figures.readings.line_sign(merged, column)
                values[at] = figures.comparer.value(column, values.__getitem__, sign)
        self.values[merged.key] = values
        self.booked[merged.key] = [any(figures.booked[leaf.key][at] for leaf in left) for at in range(len(columns))]
        return merged
