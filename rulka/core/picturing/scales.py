"""A figure's place on a drawing: one scale for all that are compared, from zero unless it says that it is cut."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from fractions import Fraction

TENTHS = 10
"""Places are told in tenths of a pixel."""

WORTH_A_CUT = Fraction(1, 3)
"""Levels whose differences are smaller than this part of the largest are drawn on a scale that is cut."""

ROOM_BELOW = Fraction(2, 5)
"""How much of their differences a cut scale leaves below the lowest level."""


@dataclass(frozen=True)
class Scale:
    """Figures from `least` to `most` along `length` pixels. `cut` is the figure that its bars begin at, where that is
    not zero."""

    least: Fraction
    most: Fraction
    length: int
    cut: Fraction | None = None

    @property
    def base(self) -> Fraction:
        """The figure at which bars begin."""
        return Fraction(0) if self.cut is None else self.cut

    def place(self, value: Fraction) -> float:
        """How many pixels from the least figure a value lies, to a tenth; ValueError for one outside of the scale,
        since a mark that is cut off would say another figure."""
        if not self.least <= value <= self.most:
            raise ValueError(f"{value} is not between {self.least} and {self.most}")
        return round((value - self.least) / (self.most - self.least) * self.length * TENTHS) / TENTHS

    def bar(self, begins: Fraction, ends: Fraction) -> tuple[float, float]:
        """Where a bar between two figures begins, from the least one, and how long it is, in pixels."""
        low, high = self.place(min(begins, ends)), self.place(max(begins, ends))
        return low, round(high - low, 1)


def shared(values: Iterable[Fraction | None], length: int) -> Scale:
    """One scale for figures that are compared, zero among them. Nothing at all, or nothing but zero, has room for
    one."""
    known = [value for value in values if value is not None]
    least, most = min([*known, Fraction(0)]), max([*known, Fraction(0)])
    return Scale(least, most if most > least else least + 1, length)


def cut(levels: Iterable[Fraction], length: int) -> Scale:
    """A scale for levels that differ little beside what they are: it begins at a round figure below them and says so.
    Levels of two signs, or ones that differ much, are drawn from zero."""
    known = list(levels)
    whole = shared(known, length)
    if not known or min(known) < 0 < max(known):
        return whole
    sign = -1 if max(known) <= 0 else 1
    near, far = sorted((abs(min(known)), abs(max(known))))
    if far == near or far - near >= far * WORTH_A_CUT:
        return whole
    base = sign * _round_below(near - (far - near) * ROOM_BELOW, far - near)
    return Scale(min(base, sign * far), max(base, sign * far), length, base) if base else whole


def _round_below(value: Fraction, differences: Fraction) -> Fraction:
    """The next figure below that is round as seen from the size of the differences: a multiple of the power of ten that
    goes into them five times at least."""
    step = Fraction(1)
    while step * 50 <= differences:
        step *= 10
    while step * 5 > differences:
        step /= 10
    return max(value // step * step, Fraction(0))
