"""Pairs of sums that come to a row's figures together, found without trying each with each."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import numpy.typing as npt

from rulka.core.books.chart import IntArray
from rulka.core.rebuild.chance import WantedFigures

BLOCK = 1_000_000
"""Pairs that are held against a row at a time."""

HashArray = npt.NDArray[np.uint64]


def meeting(sums: IntArray, others: IntArray, wanted: WantedFigures) -> Iterator[tuple[IntArray, IntArray]]:
    """Places in `sums` and `others` (each `(sets, columns)`) whose sums add up to the figures or to their opposite, in
    blocks."""
    columns = np.flatnonzero(wanted.shown)
    if not len(columns):
        return
    exact = not wanted.loose[columns].any()
    keys, least, most = _hashed(sums, others, wanted, columns) if exact else _along(sums, others, wanted, columns)
    order = np.argsort(keys, kind="stable")
    for sign, low, high in zip((1, -1), least, most, strict=True):
        begins, ends = np.searchsorted(keys[order], low), np.searchsorted(keys[order], high, side="right")
        counts = ends - begins
        some = np.flatnonzero(counts)
        for block in np.array_split(some, max(int(counts.sum()) // BLOCK, 1)):
            own = counts[block]
            first = np.repeat(block, own)
            offset = np.arange(int(own.sum())) - np.repeat(np.cumsum(own) - own, own)
            second = order[np.repeat(begins[block], own) + offset]
            hit = wanted.hits(sign * (sums[first] + others[second]))
            yield first[hit], second[hit]


def _hashed(
    sums: IntArray, others: IntArray, wanted: WantedFigures, columns: IntArray
) -> tuple[HashArray, list[HashArray], list[HashArray]]:
    """By a number that adds up as the figures do."""
    weights = np.random.default_rng(7).integers(1, 2**63, len(columns), dtype=np.uint64) | np.uint64(1)

    def hashed(rows: IntArray) -> HashArray:
        return np.asarray((rows.astype(np.uint64) * weights).sum(axis=-1, dtype=np.uint64))

    own = hashed(sums[:, columns])
    needed = [hashed(sign * wanted.figures[columns]) - own for sign in (1, -1)]
    return hashed(others[:, columns]), needed, needed


def _along(
    sums: IntArray, others: IntArray, wanted: WantedFigures, columns: IntArray
) -> tuple[IntArray, list[IntArray], list[IntArray]]:
    """Along the column that tells sums apart best."""
    spread = others[:, columns].std(axis=0) / np.maximum(wanted.loose[columns], 1)
    best = int(columns[int(np.argmax(spread))])
    loose = int(wanted.loose[best])
    needed = [sign * int(wanted.figures[best]) - sums[:, best] for sign in (1, -1)]
    return others[:, best], [one - loose for one in needed], [one + loose for one in needed]
