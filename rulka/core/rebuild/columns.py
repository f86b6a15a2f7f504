"""What each column of a table is: the readings in whose sums its figures are found, weighed by how rare such sums are;
columns that compare others are told from those."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace
from itertools import permutations
from typing import TYPE_CHECKING, Literal

import numpy as np
import numpy.typing as npt

from rulka.core.books.chart import BoolArray, IntArray
from rulka.core.later import later
from rulka.core.rebuild.books import TriedReading
from rulka.core.rebuild.features import LONGEST, Features
from rulka.core.rebuild.few import sets_of
from rulka.core.rebuild.given import SCALES, Given
from rulka.core.rebuild.telling import Tell, silent

if TYPE_CHECKING:
    from scipy import sparse
else:
    sparse = later("scipy.sparse")

MISS = 0.4
"""What a figure that no sum gives takes away."""

LEAST = 4.0
"""The points that a column has to make to be looked at."""

WEAK = 0.5
"""The part of a column's figures below which sums of a few accounts are looked at as well."""

LONG = 10_000
"""What amounts of money come to, and percents don't."""

PLENTY = 6
"""Rows with figures that agree, from which on one in ten may be mistyped."""

DEEP, WIDE = 80, 300
"""Accounts up to which sums of three of them are looked through, and of two."""

SEEDS = 8
"""Columns and readings, the likeliest at a node, from which the others are looked for."""

MOST_HITS = 100
"""Sets that give a figure, more than which say nothing."""

LIKELY = 3
"""Nodes and scales that are looked at so."""

NEARBY = 20
"""How many times farther than a hit sums are counted to tell how dense they lie."""

NEAR = 0.75
"""Of the best reading's points what another one has that finds the same part of a column: both fit."""

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
    open: bool = False
    """Whether others fit not only as well, but suit the other columns as well too."""


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
    one. Beside columns that are written to the minor unit, one of whole amounts is exact."""
    power = scale + digits - given.decimals[at]
    if power <= 0:
        return 1, 0
    most = given.largest
    beside = scale == 0 and any(
        decimals == digits and most[other] >= max(LONG, most[at] / 1000)
        for other, decimals in enumerate(given.decimals)
    )
    return 10**power, 0 if beside else 10**power // 2


def found_columns(given: Given, tried: TriedReading, features: Features, tell: Tell = silent) -> list[FoundColumns]:
    """What the columns may be, the likeliest node and scale first."""
    if not tried.readings:
        return []
    comparing = {one.at: one for one in _comparisons(given)}
    least = int(tried.digits.min())
    plain = [decimals for decimals in given.decimals if decimals <= least + max(SCALES)]
    scales = [scale for scale in SCALES if any(decimals <= least + scale for decimals in plain)]
    points, shares = _scores(given, tried, features, scales, tell)
    found = sorted(_at_nodes(given, tried, scales, comparing, points, shares), key=lambda one: -one.score)
    strong = bool(found) and all(one.share >= WEAK for one in found[0].read)
    if strong and len(found[0].read) + len(comparing) == len(given.headings):
        return found
    again = sorted(_together(given, tried, features, scales, comparing, points, tell), key=lambda one: -one.score)
    return again if again and (not strong or len(again[0].read) > len(found[0].read)) else found


def _at_nodes(
    given: Given,
    tried: TriedReading,
    scales: list[int],
    comparing: dict[int, FoundColumn],
    points: FloatArray,
    shares: FloatArray,
) -> Iterator[FoundColumns]:
    for at_scale, scale in enumerate(scales):
        for node in tried.nodes:
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
                elif own.max() >= LEAST:
                    columns.append(FoundColumn(at, best, share, tuple(ties)))
                    total += float(own.max())
                else:
                    columns.append(FoundColumn(at))
            if any(one.reading >= 0 for one in columns):
                yield FoundColumns(node, scale, tuple(_settled(columns, tried)), total)


def _scores(
    given: Given, tried: TriedReading, features: Features, scales: list[int], tell: Tell
) -> tuple[FloatArray, FloatArray]:
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

    def score(place: int, kinds: list[IntArray]) -> None:
        for at_scale, scale in enumerate(scales):
            for at, own in enumerate(figures):
                if len(own) and given.decimals[at] <= scale + int(tried.digits[place]):
                    step, loose = steps_of(given, at, scale, int(tried.digits[place]))
                    weighed = [_rare(sums, own * step, loose) for sums in kinds]
                    rare = np.max([np.where(hit, rare, -MISS) for rare, hit in weighed], axis=0)
                    hit = np.any([hit for _, hit in weighed], axis=0)
                    points[at_scale, at, place] = rare.sum()
                    shares[at_scale, at, place] = hit.mean()

    for place in range(count):
        if place % 100 == 0:
            tell(10 + 10 * place // count, 100, "looking for the columns")
        along = np.concatenate([[0], np.cumsum(tried.amounts[runs.order, place])])
        score(place, [np.sort(named[:, place]), np.sort(np.abs(along[runs.ends] - along[runs.begins]))])
    return points, shares


def _rare(sums: IntArray, wanted: IntArray, loose: int) -> tuple[FloatArray, BoolArray]:
    """For each figure how rare it is that some sum gives it, and whether one does."""
    low, high = np.searchsorted(sums, wanted - loose), np.searchsorted(sums, wanted + loose, side="right")
    around = np.searchsorted(sums, wanted * 2) - np.searchsorted(sums, wanted // 2)
    chance = (around + 1) * (2 * loose + 1) / (1.5 * wanted)
    return np.clip(-np.log10(np.maximum(chance, 1e-8)), 0.0, 8.0), high > low


def columns_again(
    given: Given, tried: TriedReading, found: FoundColumns, lines: Mapping[int, IntArray]
) -> FoundColumns:
    """The columns once lines are known, by row as `(accounts,)` of 1, -1 and 0: where another reading gives more of a
    column's figures by them than the one that was found, it is that one."""
    rows = np.array(list(lines), dtype=np.int64)
    places = tried.of_node(found.node)
    if not len(rows):
        return found
    sums = np.stack(list(lines.values())) @ tried.amounts[:, places]
    columns = []
    for column in found.columns:
        at = column.at
        own = rows[given.shown[rows, at] & (given.numbers[rows, at] != 0)]
        if column.compares is not None or not len(own):
            columns.append(column)
            continue
        step, loose = steps_of(given, at, found.scale, int(tried.digits[places[0]]))
        off = np.abs(sums[np.isin(rows, own)] - (given.numbers[own, at] * step)[:, None])
        hits = (off <= loose).sum(axis=0)
        now = int(hits[places == column.reading].max(initial=0))
        best = int(np.argmax(hits))
        if hits[best] <= now or hits[best] * 2 < len(own):
            columns.append(column)
            continue
        ties = tuple(int(one) for one in places[hits == hits[best]] if one != places[best])
        columns.append(FoundColumn(at, int(places[best]), float(hits[best]) / len(own), ties))
    return replace(found, columns=tuple(_settled(columns, tried)))


# columns that are weak alone ------------------------------------------------------------------------------------------


def _together(
    given: Given, tried: TriedReading, features: Features, scales: list[int], comparing: dict[int, FoundColumn],
    points: FloatArray, tell: Tell,
) -> Iterator[FoundColumns]:  # fmt: skip
    """Columns found from one of them: the few accounts that give its figures have to give those of the others too."""
    own = [column for column in range(len(given.headings)) if column not in comparing]
    likely = [
        (float(points[number][own][:, tried.of_node(node)].max(axis=1).sum()), scale, node)
        for number, scale in enumerate(scales) for node in tried.nodes
    ]  # fmt: skip
    for _, scale, node in sorted(likely, reverse=True)[:LIKELY] if own else ():
        readings = tried.of_node(node)
        sets = _sets(tried, features, readings)
        weighed = points[scales.index(scale)]
        seeds = sorted(
            ((weighed[column, seed], column, int(seed)) for column in own for seed in readings), reverse=True
        )
        best: FoundColumns | None = None
        for _, first, seed in seeds[:SEEDS]:
            tell(20, 100, "looking for the columns by their lines")
            if given.decimals[first] > scale + int(tried.digits[seed]):
                continue
            fitting = _from(given, tried, readings, sets, scale, first, seed, own)
            total = sum(score for _, score, _, _ in fitting.values())
            if fitting and (best is None or total > best.score):
                columns = []
                for column in range(len(given.headings)):
                    if column in comparing:
                        columns.append(comparing[column])
                    else:
                        reading, _, fit, ties = fitting.get(column, (-1, 0.0, 0.0, ()))
                        columns.append(FoundColumn(column, reading, fit, ties))
                best = FoundColumns(node, scale, tuple(_settled(columns, tried)), total)
        if best is not None and best.score >= LEAST:
            yield best


def _sets(tried: TriedReading, features: Features, places: IntArray) -> list[IntArray]:
    """Sets of accounts as rows of places, one behind the last for none: a few, runs, and what the chart names."""
    none = len(tried.accounts)
    used = np.flatnonzero(tried.amounts[:, places].any(axis=1) & ~tried.accounts.of_type("statistical"))
    few = sets_of(len(used), 3 if len(used) <= DEEP else 2 if len(used) <= WIDE else 1)
    blocks = [np.append(used, none)[few]]
    runs = [used[at : at + count] for count in range(4, min(len(used), LONGEST)) for at in range(len(used) - count + 1)]
    named = [np.flatnonzero(mask) for mask in features.masks[: features.named] if mask.sum() > 3]
    for every in (runs, named):
        if every:
            full = np.full((len(every), max(map(len, every))), none, dtype=np.int64)
            for row, one in enumerate(every):
                full[row, : len(one)] = one
            blocks.append(full)
    return blocks


def _summed(amounts: IntArray, blocks: list[IntArray]) -> IntArray:
    """`(sets, columns)`, block after block."""
    padded = np.vstack([amounts, np.zeros((1, amounts.shape[1]), dtype=np.int64)])
    return np.concatenate([
        np.sum([padded[block[:, at]] for at in range(block.shape[1])], axis=0, dtype=np.int64) for block in blocks
    ])  # fmt: skip


def _chosen(blocks: list[IntArray], places: IntArray, none: int) -> IntArray:
    """Sets by place over all blocks, as masks `(sets, accounts)`."""
    masks = np.zeros((len(places), none + 1), dtype=bool)
    start = 0
    for block in blocks:
        own = np.flatnonzero((places >= start) & (places < start + len(block)))
        masks[own[:, None], block[places[own] - start]] = True
        start += len(block)
    return masks[:, :none]


def _from(
    given: Given,
    tried: TriedReading,
    places: IntArray,
    sets: list[IntArray],
    scale: int,
    seed: int,
    place: int,
    own: list[int],
) -> dict[int, tuple[int, float, float, tuple[int, ...]]]:
    """By column (reading, points, part found, ties), as they follow from what gives the figures of one of them."""
    digits = int(tried.digits[place])
    step, loose = steps_of(given, seed, scale, digits)
    sums = _summed(tried.amounts[:, [place]], sets)[:, 0]
    order = np.argsort(sums, kind="stable")
    row_of, hits, sign_of = _meeting(given, seed, sums[order], step, loose)
    if not len(row_of):
        return {}
    masks = _chosen(sets, order[hits], len(tried.accounts))
    every = sparse.csr_matrix(masks, dtype=np.int64) @ tried.amounts[:, places] * sign_of[:, None]
    counted = int((given.shown[:, seed] & (given.numbers[:, seed] != 0)).sum())
    found: dict[int, tuple[int, float, float, tuple[int, ...]]] = {}
    for at in own:
        if at == seed:
            found[at] = (place, 0.0, len(set(row_of.tolist())) / max(counted, 1), ())
            continue
        any_hit, points = _points(given, at, steps_of(given, at, scale, digits), every, row_of)
        best = int(np.argmax(points))
        if points[best] >= 1.0:
            ties = np.flatnonzero((points >= points[best] * NEAR) & (any_hit.sum(axis=0) == any_hit[:, best].sum()))
            part = any_hit[:, best].sum() / max(counted, 1)
            others = tuple(int(places[one]) for one in ties if one != best)
            found[at] = (int(places[best]), float(points[best]), float(part), others)
    return found


def _meeting(given: Given, seed: int, sums: IntArray, step: int, loose: int) -> tuple[IntArray, IntArray, IntArray]:
    """Each row of a column with each of the ascending `sums` that meets it: row, place in `sums`, sign; `(hits,)`."""
    rows, hits, signs = [], [], []
    for row in np.flatnonzero(given.shown[:, seed] & (given.numbers[:, seed] != 0)):
        for sign in (1, -1):
            target = sign * int(given.numbers[row, seed]) * step
            low, high = np.searchsorted(sums, target - loose), np.searchsorted(sums, target + loose, side="right")
            if 0 < high - low <= MOST_HITS:
                rows.append(np.full(high - low, row))
                hits.append(np.arange(low, high))
                signs.append(np.full(high - low, sign))
    none = [np.zeros(0, dtype=np.int64)]
    return np.concatenate(rows or none), np.concatenate(hits or none), np.concatenate(signs or none)


def _points(
    given: Given, at: int, steps: tuple[int, int], every: IntArray, row_of: IntArray
) -> tuple[BoolArray, FloatArray]:
    """Which rows `every` reading meets in a column `(rows, readings)`, and the points of each reading `(readings,)`.

    A row met counts the more, the fewer sums lie near it by chance.
    """
    step, loose = steps
    off = np.abs(every - (given.numbers[row_of, at] * step)[:, None])
    shown = given.shown[row_of, at] & (given.numbers[row_of, at] != 0)
    hit = (off <= loose) & shown[:, None]
    near = (off <= NEARBY * max(loose, 1)) & shown[:, None] & ~hit
    firsts = np.flatnonzero(np.diff(row_of, prepend=-1))
    any_hit = np.logical_or.reduceat(hit, firsts, axis=0)
    chance = np.add.reduceat(near, firsts, axis=0) / NEARBY + 0.01
    return any_hit, np.where(any_hit, np.clip(-np.log10(chance), 0.0, 2.0), -0.05).sum(axis=0)


@dataclass(frozen=True, eq=False)
class _Runs:
    """Runs of accounts by code, not longer than lines are: `order` are the accounts, a run goes from `begins` to
    `ends`."""

    order: IntArray
    begins: IntArray
    ends: IntArray


def _runs(tried: TriedReading) -> _Runs:
    used = tried.amounts.any(axis=1) & ~tried.accounts.of_type("statistical")
    order = np.flatnonzero(used)
    begins, ends = np.triu_indices(len(order) + 1, 1)
    kept = ends - begins <= LONGEST
    return _Runs(order, begins[kept], ends[kept])


def _settled(columns: list[FoundColumn], tried: TriedReading) -> Iterator[FoundColumn]:
    """Where several readings fit a column as well, the one that ends when most columns end, and measures as they do;
    of those that are alike in every account, as when nothing was booked since, the first."""
    clear = [tried.readings[column.reading] for column in columns if column.reading >= 0 and not column.ties]
    clear = clear or [tried.readings[column.reading] for column in columns if column.reading >= 0]
    ends = Counter(reading.last for reading in clear)
    measures = Counter(reading.measure for reading in clear)

    def fits(number: int) -> tuple[int, int, bool, bool]:
        reading = tried.readings[number]
        alike = measures[reading.measure]
        return ends[reading.last], alike, reading.scenario == "actual", reading.measure == "activity"

    for column in columns:
        if not column.ties:
            yield column
            continue
        fitting = (column.reading, *column.ties)
        best = max(fitting, key=lambda number: (*fits(number), -tried.readings[number].last))
        others = tuple(number for number in fitting if number != best)
        unlike = [number for number in others if (tried.amounts[:, number] != tried.amounts[:, best]).any()]
        yield replace(column, reading=best, ties=others, open=any(fits(number) == fits(best) for number in unlike))


def _comparisons(given: Given) -> Iterator[FoundColumn]:
    """Columns that are a difference, sum or percent of two before them in the rows that show all three."""
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
    if _mostly(np.abs(own - (one - other)) <= loose, own):
        return "difference", 1
    if first < second and _mostly(np.abs(own - (one + other)) <= loose, own):
        return "sum", 1
    based = np.abs(other) > 3 * 10.0 ** -decimals[second]
    if based.sum() >= 3:
        whole = np.abs(other[based])
        part = (one[based] - other[based]) / whole
        for times in (100, 1):
            wide = 0.5 * 10.0 ** -decimals[at] + times * loose * (1 + np.abs(part)) / (whole - loose / 3)
            if _mostly(np.abs(own[based] - times * part) <= wide + 1e-6, own[based]):
                return "percent", times
    return None


def _mostly(close: BoolArray, own: FloatArray) -> bool:
    """Whether rows agree: all of them, or so many that the others are mistyped."""
    off = int((~close).sum())
    return off == 0 or (off <= len(close) // 10 and int((close & (own != 0)).sum()) >= PLENTY)
