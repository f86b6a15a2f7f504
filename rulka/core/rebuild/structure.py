"""Which rows add up to which: from the figures alone, by a stack of rows that stand open."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import product
from typing import Literal

import numpy as np

from rulka.core.books.chart import BoolArray, IntArray

Kind = Literal["line", "total", "calculation", "words"]
LONG = 1_000
"""Steps from which on two equal figures are told apart from small ones that are equal by chance."""

MOST_SIGNED = 4
"""Open rows whose signed combinations are tried."""


@dataclass(frozen=True)
class Part:
    """A row's part in the whole: `of` are the rows that it adds up with their signs, by place."""

    kind: Kind
    of: tuple[tuple[int, int], ...] = ()


def structure_of(
    numbers: IntArray, shown: BoolArray, *, exact: bool, plain: frozenset[int] = frozenset()
) -> list[Part]:
    """What each row is; those that are `plain` are lines, whatever they come to. Figures are in steps of their last
    decimal; `exact` ones were not rounded, so that totals have to agree to the step, others within half a step for each
    part."""
    found: list[Part] = []
    stack: list[int] = []
    for row in range(len(numbers)):
        if not shown[row].any():
            found.append(Part("words"))
            continue
        part = None
        if row not in plain:
            part = _total(numbers, shown, stack, row, exact) or _signed(numbers, shown, stack, row, exact)
        part = part or Part("line")
        found.append(part)
        for place, _ in part.of:
            stack.remove(place)
        stack.append(row)
    return found


def _agrees(numbers: IntArray, shown: BoolArray, parts: list[tuple[int, int]], row: int, exact: bool) -> bool:
    columns = shown[row]
    summed = sum((sign * numbers[place] for place, sign in parts), np.zeros(numbers.shape[1], dtype=np.int64))
    loose = 0 if exact else (len(parts) + 1) // 2
    close = np.abs(summed[columns] - numbers[row][columns]) <= loose
    return bool(close.all()) and bool(numbers[row][columns].any())


def _total(numbers: IntArray, shown: BoolArray, stack: list[int], row: int, exact: bool) -> Part | None:
    """The last rows that stand open, added up; one alone where its figures are too long to be equal by chance."""
    least = 1 if (np.abs(numbers[row][shown[row]]) >= LONG).sum() > 1 else 2
    for count in range(least, len(stack) + 1):
        parts = [(place, 1) for place in stack[-count:]]
        if _agrees(numbers, shown, parts, row, exact):
            return Part("total", tuple(parts))
    return None


def _signed(numbers: IntArray, shown: BoolArray, stack: list[int], row: int, exact: bool) -> Part | None:
    """The last rows that stand open, some of them taken away."""
    for count in range(2, min(MOST_SIGNED, len(stack)) + 1):
        places = stack[-count:]
        for signs in product((1, -1), repeat=count - 1):
            parts = list(zip(places, (1, *signs), strict=True))
            if -1 in signs and _agrees(numbers, shown, parts, row, exact):
                return Part("calculation", tuple(parts))
    return None
