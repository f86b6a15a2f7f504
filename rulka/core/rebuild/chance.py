"""How many sets of accounts would come to a row's figures by chance: what tells a finding from a coincidence."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from rulka.core.books.chart import BoolArray, IntArray

NEIGHBOURS = 8
"""Sums next to a row's figures that tell how dense they lie there."""

SURE = 0.005
"""Chance hits that are expected of a line at most to call it sure."""


@dataclass(frozen=True, eq=False)
class WantedFigures:
    """A row's figures in minor units by column, debit positive or credit: `loose` is half of what was rounded away,
    `steps` what all amounts of a column are multiples of, `shown` where a figure stands."""

    figures: IntArray
    loose: IntArray
    steps: IntArray
    shown: BoolArray

    def hits(self, sums: IntArray) -> BoolArray:
        """Which sums `(sets, columns)` are the figures, as far as they were rounded."""
        off = np.abs(sums[:, self.shown] - self.figures[self.shown])
        return np.asarray((off <= self.loose[self.shown]).all(axis=1))

    @property
    def is_nothing(self) -> bool:
        """Whether no figure but zeros stands."""
        return not self.figures[self.shown].any()

    def without(self, column: int) -> WantedFigures:
        """The same with a column left out."""
        shown = self.shown.copy()
        shown[column] = False
        return WantedFigures(self.figures, self.loose, self.steps, shown)


def steps_in(amounts: IntArray) -> IntArray:
    """What all amounts `(accounts, columns)` of a column are multiples of: round budgets coincide more often."""
    return np.maximum(np.gcd.reduce(amounts, axis=0), 1) if len(amounts) else np.ones(amounts.shape[1], dtype=np.int64)


def expected_hits(sums: IntArray, wanted: WantedFigures, *, times: float = 1.0) -> float:
    """The hits that chance would give among sets whose sums are `sums` `(sets, columns)`, each standing for `times` of
    them: the nearest ones that are none say how dense sums lie around the figures, in as many directions as the
    columns really have."""
    columns = np.flatnonzero(wanted.shown)
    if not len(sums) or not len(columns):
        return float("inf")
    half = np.maximum(np.maximum(wanted.loose, wanted.steps / 2), 0.5)[columns]
    own = sums[:, columns].astype(np.float64)
    target = wanted.figures[columns].astype(np.float64)
    far = np.concatenate([(np.abs(own - target) / half).max(axis=1), (np.abs(own + target) / half).max(axis=1)])
    far = far[far > 1.0]
    if not len(far):
        return float("inf")
    count = min(NEIGHBOURS, len(far))
    reach = float(np.partition(far, count - 1)[count - 1])
    return float(times * count / reach ** _directions(own))


def _directions(sums: np.ndarray) -> int:
    """Columns that don't follow from others."""
    scaled = sums / np.maximum(np.abs(sums).max(axis=0), 1.0)
    return max(int(np.linalg.matrix_rank(scaled, tol=1e-9 * max(scaled.shape))), 1)
