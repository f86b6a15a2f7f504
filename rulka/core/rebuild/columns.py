"""What each column of a table is: the readings in whose sums its figures are found, weighed by how rare such sums are;
columns that compare others are told from those."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass, replace
from itertools import permutations
from typing import Literal

import numpy as np
import numpy.typing as npt

from rulka.core.books.chart import BoolArray, IntArray
from rulka.core.rebuild.books import Tried
from rulka.core.rebuild.features import Features
from rulka.core.rebuild.given import SCALES, Given

MISS = 0.4
"""What a figure that no sum gives takes away."""

LEAST = 0.25
"""The part of a column's figures that have to be found for it to be looked at."""

NEAR = 0.9
"""Of the best reading's points what another one has that finds the same part of a column: both fit."""

LONGEST = 60
"""Accounts in a run whose sum is looked for."""

FloatArray = npt.NDArray[np.float64]
Comparison = Literal["difference", "percent", "sum"]


@dataclass(frozen=True)
class FoundColumn:
    """A column: which reading it is (by place), how much of it was found, and which others fit as well; or what it
    compares."""

    at: int
    reading: int = -1
    share: float = 0.0
    ties: tuple[int, ...] = ()
    compares: Comparison | None = None
    of: tuple[int, int] = (-1, -1)
    times: int = 100
    """What a percent is written in: hundredths, or 1 for a plain ratio."""


@dataclass(frozen=True)
class FoundColumns:
    """All columns of a table, at one node and scale."""

    node: str
    scale: int
    columns: tuple[FoundColumn, ...]
    score: float

    @property
    def read(self) -> list[FoundColumn]:
        """The columns that the ledger holds."""
        return [one for one in self.columns if one.reading >= 0]


def steps_of(given: Given, at: int, scale: int, digits: int) -> tuple[int, int]:
    """(minor units in a step of a column's last decimal, half of what was rounded away); a step below a minor unit is
    one."""
    power = scale + digits - given.decimals[at]
    return (10**power, 10**power // 2) if power > 0 else (1, 0)


def found_columns(given: Given, tried: Tried, features: Features) -> list[FoundColumns]:
    """What the columns may be, the likeliest node and scale first."""
    if not tried.readings:
        return []
    comparing = {one.at: one for one in _comparisons(given)}
    least = int(tried.digits.min())
    plain = [decimals for decimals in given.decimals if decimals <= least + max(SCALES)]
    scales = [scale for scale in SCALES if any(decimals <= least + scale for decimals in plain)]
    points, shares = _scores(given, tried, features, scales)
    found = []
    for at_scale, scale in enumerate(scales):
        for node in dict.fromkeys(one.node for one in tried.readings):
            places = tried.of_node(node)
            columns, total = [], 0.0
            for at in range(len(given.headings)):
                own = points[at_scale, at, places]
                best = int(places[np.argmax(own)])
                share = float(shares[at_scale, at, best])
                alike = (own >= own.max() * NEAR) & (shares[at_scale, at, places] == share)
                ties = [int(one) for one in places[alike] if one != best]
                if at in comparing:
                    columns.append(comparing[at])
                elif share >= LEAST:
                    columns.append(FoundColumn(at, best, share, tuple(ties)))
                    total += float(own.max())
                else:
                    columns.append(FoundColumn(at))
            if any(one.reading >= 0 for one in columns):
                found.append(FoundColumns(node, scale, tuple(_settled(columns, tried)), total))
    return sorted(found, key=lambda one: -one.score)


def _scores(given: Given, tried: Tried, features: Features, scales: list[int]) -> tuple[FloatArray, FloatArray]:
    """`(scales, columns, readings)`: how well a column's figures are found among a reading's sums, and which part of
    them."""
    count, width = len(tried.readings), len(given.headings)
    points = np.zeros((len(scales), width, count))
    shares = np.zeros((len(scales), width, count))
    figures = []
    for at in range(width):
        own = np.abs(given.numbers[given.shown[:, at], at])
        figures.append(np.unique(own[own > 0]))
    named = np.abs(features.masks[: features.named].astype(np.int64) @ tried.amounts)
    runs = _runs(tried)
    for place in range(count):
        along = np.concatenate([[0], np.cumsum(tried.amounts[runs.order, place])])
        kinds = (np.sort(named[:, place]), np.sort(np.abs(along[runs.ends] - along[runs.begins])))
        for at_scale, scale in enumerate(scales):
            for at, own in enumerate(figures):
                if len(own) and given.decimals[at] <= scale + int(tried.digits[place]):
                    step, loose = steps_of(given, at, scale, int(tried.digits[place]))
                    weighed = [_rare(sums, own * step, loose) for sums in kinds]
                    rare = np.max([np.where(hit, rare, -MISS) for rare, hit in weighed], axis=0)
                    hit = np.any([hit for _, hit in weighed], axis=0)
                    points[at_scale, at, place] = rare.sum()
                    shares[at_scale, at, place] = hit.mean()
    return points, shares


def _rare(sums: IntArray, wanted: IntArray, loose: int) -> tuple[FloatArray, BoolArray]:
    """For each figure how rare it is that some sum gives it, and whether one does."""
    low, high = np.searchsorted(sums, wanted - loose), np.searchsorted(sums, wanted + loose, side="right")
    around = np.searchsorted(sums, wanted * 2) - np.searchsorted(sums, wanted // 2)
    chance = (around + 1) * (2 * loose + 1) / (1.5 * wanted)
    return np.clip(-np.log10(np.maximum(chance, 1e-8)), 0.0, 8.0), high > low


@dataclass(frozen=True, eq=False)
class _Runs:
    """Runs of accounts by code, not longer than lines are: `order` are the accounts, a run goes from `begins` to
    `ends`."""

    order: IntArray
    begins: IntArray
    ends: IntArray


def _runs(tried: Tried) -> _Runs:
    used = tried.amounts.any(axis=1) & ~tried.accounts.of_type("statistical")
    order = np.flatnonzero(used)
    begins, ends = np.triu_indices(len(order) + 1, 1)
    kept = ends - begins <= LONGEST
    return _Runs(order, begins[kept], ends[kept])


def _settled(columns: list[FoundColumn], tried: Tried) -> Iterator[FoundColumn]:
    """Where several readings fit a column as well, the one that ends when most columns end, and measures as they do."""
    clear = [tried.readings[one.reading] for one in columns if one.reading >= 0 and not one.ties]
    clear = clear or [tried.readings[one.reading] for one in columns if one.reading >= 0]
    ends = Counter(one.last for one in clear)
    measures = Counter(one.measure for one in clear)
    for one in columns:
        if not one.ties:
            yield one
            continue
        every = (one.reading, *one.ties)

        def fits(place: int) -> tuple[int, int, bool]:
            reading = tried.readings[place]
            return ends[reading.last], measures[reading.measure], reading.scenario == "actual"

        best = max(every, key=fits)
        yield replace(one, reading=best, ties=tuple(place for place in every if place != best))


def _comparisons(given: Given) -> Iterator[FoundColumn]:
    """Columns that are a difference, sum or percent of two before them in every row that shows all three."""
    numbers, shown = given.numbers, given.shown
    for at in range(len(given.headings)):
        for first, second in permutations(range(at), 2):
            rows = shown[:, at] & shown[:, first] & shown[:, second]
            if rows.sum() < 3:
                continue
            compares = _compared(numbers[rows], given.decimals, at, first, second)
            if compares is not None:
                yield FoundColumn(at, compares=compares[0], of=(first, second), times=compares[1])
                break


def _compared(
    numbers: IntArray, decimals: tuple[int, ...], at: int, first: int, second: int
) -> tuple[Comparison, int] | None:
    own, one, other = (numbers[:, place] / 10.0 ** decimals[place] for place in (at, first, second))
    loose = sum(0.5 * 10.0 ** -decimals[place] for place in (at, first, second)) + 1e-9
    if not own.any() or (own == one).all() or (own == other).all():
        return None
    if (np.abs(own - (one - other)) <= loose).all():
        return "difference", 1
    if first < second and (np.abs(own - (one + other)) <= loose).all():
        return "sum", 1
    based = other != 0
    if based.sum() >= 3:
        part = (one[based] - other[based]) / np.abs(other[based])
        for times in (100, 1):
            wide = 0.5 * 10.0 ** -decimals[at] + times * loose / np.abs(other[based])
            if (np.abs(own[based] - times * part) <= wide + 1e-6).all():
                return "percent", times
    return None
