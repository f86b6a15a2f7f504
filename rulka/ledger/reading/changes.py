"""What a revision moved, summed from the arrays that it kept."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

import numpy as np

from rulka.core.books.chart import IntArray


def sum_changes(changes: Iterable[tuple[Any, ...]]) -> dict[tuple[int, int, int, int], IntArray]:
    """Changes (scenario, period, status, effect, keys, debits, credits, counts) added up by chunk: rows (key, debit,
    credit, count)."""
    parts: dict[tuple[int, int, int, int], list[IntArray]] = {}
    for *place, keys, debits, credits, counts in changes:
        arrays = [np.frombuffer(data, dtype=np.int64) for data in (keys, debits, credits, counts)]
        parts.setdefault(tuple(place), []).append(np.stack(arrays, axis=1))
    return {at: merged(rows) for at, rows in parts.items()}


def merged(parts: list[IntArray]) -> IntArray:
    """Rows (key, debit, credit, count) added up by key, keys rising."""
    both = np.concatenate(parts)
    keys, at = np.unique(both[:, 0], return_inverse=True)
    total = np.zeros((len(keys), 4), dtype=np.int64)
    np.add.at(total, at, both)
    total[:, 0] = keys
    return total
