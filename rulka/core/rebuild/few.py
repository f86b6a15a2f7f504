"""Sums of accounts grouped by no order: sums of up to three met with sums of up to three; of few accounts those of one
half of them with those of the other."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from itertools import combinations
from math import comb

import numpy as np

from rulka.core.books.chart import IntArray
from rulka.core.rebuild.chance import WantedFigures, expected_hits
from rulka.core.rebuild.meeting import meeting

TRIPLES, PAIRS = 120, 700
"""Accounts of which sums of three, of two are made."""

MOST = 24
"""Sets that are looked at for a row."""

HALVED = 32
"""Accounts up to which all their sets are looked through, half with half."""

CHECKED = 4_000_000
"""Pairs of sums that are held against a row at most."""

SAMPLES = 20_000


@dataclass(frozen=True, eq=False)
class FewMonths:
    """Sets of some accounts to be met in pairs: `left` and `right` `(sets, size)` hold places among `accounts`, -1 for
    none; sums `(sets, columns)`."""

    accounts: IntArray
    amounts: IntArray
    left: IntArray
    right: IntArray
    left_sums: IntArray
    right_sums: IntArray


@dataclass(frozen=True)
class Met:
    """Sets of accounts (by place) whose sums are a row's figures, the smallest first, and how many were to be expected
    by chance of each one's size and smaller ones; `cut` when there were too many to look at all."""

    sets: tuple[tuple[int, ...], ...]
    expected: tuple[float, ...]
    cut: bool


def few_of(amounts: IntArray, accounts: IntArray) -> FewMonths:
    """Sets of some accounts (by place) and their sums: each half's where they are few, else sets of up to three, two or
    one."""
    count = len(accounts)
    own = np.vstack([amounts[accounts], np.zeros((1, amounts.shape[1]), dtype=np.int64)])
    if count <= HALVED:
        left, right = _subsets(0, count // 2), _subsets(count // 2, count)
    else:
        left = right = sets_of(count, 3 if count <= TRIPLES else 2 if count <= PAIRS else 1)
    return FewMonths(accounts, amounts, left, right, _sums(own, left), _sums(own, right))


def _sums(own: IntArray, sets: IntArray) -> IntArray:
    total = np.zeros((len(sets), own.shape[1]), dtype=np.int64)
    for at in range(sets.shape[1]):
        total += own[sets[:, at]]
    return total


@lru_cache(maxsize=32)
def _subsets(first: int, last: int) -> IntArray:
    """All subsets of the places from one up to another, as rows padded with -1."""
    bits = (np.arange(2 ** (last - first))[:, None] >> np.arange(last - first)) & 1
    return np.where(bits.astype(bool), np.arange(first, last), -1)


@lru_cache(maxsize=8)
def sets_of(count: int, size: int) -> IntArray:
    """All sets of up to `size` of so many things, `(sets, size)`, -1 for none; none at all is one of them."""
    found = [np.full((1, size), -1, dtype=np.int64)]
    for taken in range(1, size + 1):
        own = np.full((comb(count, taken), size), -1, dtype=np.int64)
        own[:, :taken] = np.fromiter(
            (place for one in combinations(range(count), taken) for place in one), dtype=np.int64
        ).reshape(-1, taken)
        found.append(own)
    return np.concatenate(found)


def met(few: FewMonths, wanted: WantedFigures) -> Met:
    """Which sets that two of these make give a row's figures, each of them without a smaller one inside."""
    if not len(few.accounts) or wanted.is_nothing:
        return Met((), (), False)
    sets: set[tuple[int, ...]] = set()
    checked, cut = 0, False
    for first, second in meeting(few.left_sums, few.right_sums, wanted):
        checked += len(first)
        ahead = (first <= second) | (few.left is not few.right)
        for left, right in zip(few.left[first[ahead]], few.right[second[ahead]], strict=True):
            places = [int(place) for place in (*left, *right) if place >= 0]
            if len(set(places)) == len(places):
                sets.add(tuple(sorted(int(few.accounts[place]) for place in places)))
        if checked > CHECKED or len(sets) > 50 * MOST:
            cut = True
            break
    least: list[tuple[int, ...]] = []
    for entry in sorted(sets, key=lambda accounts: (len(accounts), accounts)):
        if not any(set(smaller) <= set(entry) for smaller in least):
            least.append(entry)
        if len(least) == MOST:
            cut = True
            break
    by_size: dict[int, float] = {}
    for size in range(1, max(map(len, least), default=0) + 1):
        by_size[size] = by_size.get(size - 1, 0.0) + _expected(few, wanted, size)
    return Met(tuple(least), tuple(by_size[len(accounts)] for accounts in least), cut)


def _expected(few: FewMonths, wanted: WantedFigures, size: int) -> float:
    """Chance hits among all sets of a size, told from some of them."""
    count = len(few.accounts)
    every = comb(count, size)
    if every <= SAMPLES:
        sets: Sequence[Sequence[int]] = list(combinations(range(count), size))
        chosen = np.array(sets, dtype=np.int64)
    else:
        chosen = np.argsort(np.random.default_rng(size).random((SAMPLES, count)), axis=1)[:, :size]
    sums = few.amounts[few.accounts][chosen].sum(axis=1)
    return expected_hits(np.asarray(sums), wanted, times=every / len(chosen))
