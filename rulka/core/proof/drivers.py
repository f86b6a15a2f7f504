"""What drives a variance: the few accounts, members or counterparties that make up most of it, what works against them,
and the rest. Drivers and rest add up to the variance."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from fractions import Fraction

from rulka.core.definitions.expressions import Value
from rulka.core.proof.splits import TEXTS, OpenedFigure, SplitPart, directions, split, step_into

ENOUGH = Fraction(4, 5)
"""The part of a variance that its drivers make up."""

UNTOLD = Fraction(1, 5)
"""What may be told apart by no code at most, for a direction to be chosen by itself."""

WORTH_MORE = Fraction(1, 4)
"""Drivers of so much of a variance are told apart further."""

MOST_INNER = 6


@dataclass(frozen=True)
class Driver:
    """One part of a variance, in presented sign and major units; `share` is its part of the whole variance, None where
    that is zero. `parts` tell it apart further where few do; what they leave is a part without a code."""

    by: str
    code: str
    label: str
    value: Fraction
    share: Value
    sides: tuple[Fraction, Fraction]
    reason: str = ""
    parts: tuple[Driver, ...] = ()

    @property
    def works_against(self) -> bool:
        return self.share is not None and self.share < 0


@dataclass(frozen=True)
class Drivers:
    """A variance by the direction that says most in fewest words: drivers largest first, and what all others come
    to."""

    variance: Fraction
    by: str
    drivers: tuple[Driver, ...]
    rest: Fraction
    count: int

    @property
    def total(self) -> Fraction:
        return sum((driver.value for driver in self.drivers), Fraction(0))

    @property
    def agrees(self) -> bool:
        return self.total + self.rest == self.variance

    @property
    def others(self) -> int:
        """How many parts are no drivers."""
        return self.count - len(self.drivers)


def drivers_of(opened: OpenedFigure, by: str = "") -> Drivers:
    """The drivers of a figure, by a direction where one is named, else by the one that needs the fewest."""
    whole = opened.value or Fraction(0)
    parts, chosen = _parts(opened, by) if by else _best(opened)
    few = taken(parts, whole)
    drivers = [_driver(part, chosen, whole) for part in few]
    drivers = [_told_further(opened, driver, whole) for driver in drivers]
    rest = whole - sum((driver.value for driver in drivers), Fraction(0))
    return Drivers(whole, chosen, tuple(drivers), rest, len(parts))


def taken(parts: Sequence[SplitPart], whole: Fraction) -> list[SplitPart]:
    """The fewest parts, largest first, that make up four fifths of the whole, with what works against them: what is
    left of either side is no more than a fifth of it. Of a whole of nothing, those that move four fifths of all."""
    upwards = sorted((part for part in parts if part.value > 0), key=_size)
    downwards = sorted((part for part in parts if part.value < 0), key=_size)
    size = abs(whole) or _sizes(parts)
    found: list[SplitPart] = []
    for side in (upwards, downwards):
        left = _sizes(side)
        while side and left > size * (1 - ENOUGH):
            left -= abs(side[0].value)
            found.append(side.pop(0))
    return sorted(found, key=_size)


def _sizes(parts: Iterable[SplitPart]) -> Fraction:
    """What parts come to, whatever their signs."""
    return sum((abs(part.value) for part in parts), Fraction(0))


def _size(part: SplitPart) -> tuple[Fraction, str]:
    return -abs(part.value), part.code


def _parts(opened: OpenedFigure, by: str) -> tuple[list[SplitPart], str]:
    return [part for part in split(opened, by, lowest=True).parts if part.value], by


def _best(opened: OpenedFigure) -> tuple[list[SplitPart], str]:
    """The direction in which the fewest parts make up a figure; the first, where none tells it apart by several."""
    whole = opened.value or Fraction(0)
    found: list[tuple[int, list[SplitPart], str]] = []
    first: tuple[list[SplitPart], str] = [], ""
    for by in _candidates(opened):
        parts, _ = _parts(opened, by)
        first = first if first[1] else (parts, by)
        untold = _sizes(part for part in parts if part.reason not in ("", "none"))
        if len(parts) > 1 and untold <= UNTOLD * (abs(whole) or _sizes(parts)):
            found.append((len(taken(parts, whole)), parts, by))
    if not found:
        return first
    few = min(found, key=lambda one: one[0])
    return few[1], few[2]


def _candidates(opened: OpenedFigure) -> list[str]:
    """The directions that are tried, in the order in which people think of them; by what only lines tell where all of
    it has lines."""
    with_lines = all(pool.has_lines(one) for pool in opened.pools or () for one in pool.slices)
    texts = {"counterparty"} if with_lines else set()
    left_out = {"period", "line", *TEXTS} - texts
    return [by for by in directions(opened) if by not in left_out]


def _driver(part: SplitPart, by: str, whole: Fraction) -> Driver:
    share = part.value / whole if whole else None
    return Driver(by, part.code, part.label, part.value, share, part.sides, part.reason)


def _told_further(opened: OpenedFigure, driver: Driver, whole: Fraction) -> Driver:
    """A driver of much of the whole by what makes it up, where few do."""
    if driver.reason or driver.works_against or (whole and abs(driver.value) < WORTH_MORE * abs(whole)):
        return driver
    inner = step_into(opened, driver.by, driver.code)
    parts, by = _best(inner)
    few = taken(parts, driver.value)
    if not few or len(few) > MOST_INNER or (len(few) == 1 and few[0].value == driver.value):
        return driver
    told = [_driver(part, by, whole) for part in few]
    left = driver.value - sum((part.value for part in told), Fraction(0))
    if left:
        share = left / whole if whole else None
        sides = [driver.sides[side] - sum((one.sides[side] for one in told), Fraction(0)) for side in (0, 1)]
        label = f"{len(parts) - len(few)} others"
        told.append(Driver(by, "", label, left, share, (sides[0], sides[1]), "rest"))
    return replace(driver, parts=tuple(told))
