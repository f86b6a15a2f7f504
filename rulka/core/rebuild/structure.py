"""Which rows add up to which: from the figures alone, by a stack of rows that stand open."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from itertools import product
from typing import Literal

import numpy as np

from rulka.core.books.chart import BoolArray, IntArray

Kind = Literal["line", "total", "calculation", "words"]
LONG = 1_000
"""Steps from which on two equal figures are told apart from small ones that are equal by chance."""

ROUNDED, EXACT = 3, 4
"""Rounded columns that an exact one is worth; how many of them have to agree where one speaks against it."""

MOST_SIGNED = 6
"""Open rows whose signed combinations are tried."""


Within = Sequence[tuple[int, Sequence[int]]]
"""Rows that another one would come of, each with the lines that are below it."""

IsLine = Callable[[int, Within], bool]


@dataclass(frozen=True)
class RowPart:
    """A row's part in the whole: `of` are the rows that it adds up with their signs, by place; `odd` is the one column
    that doesn't agree."""

    kind: Kind
    of: tuple[tuple[int, int], ...] = ()
    odd: int | None = None


@dataclass(frozen=True, eq=False)
class _Table:
    numbers: IntArray
    shown: BoolArray
    rounded: BoolArray


def structure_of(
    numbers: IntArray, shown: BoolArray, *, rounded: BoolArray, is_line: IsLine = lambda row, within: False
) -> list[RowPart]:
    """What each row is. Figures are in steps of their last decimal; in columns that were not `rounded` totals have to
    agree to the step, in others within half a step for each part. A row that `is_line` says to be one (told what it
    would come of) is not taken for a difference of these: the last line before a total is always the total less the
    others."""
    table = _Table(numbers, shown, rounded)
    found: list[RowPart] = []
    stack: list[int] = []
    for row in range(len(numbers)):
        if not shown[row].any():
            found.append(RowPart("words"))
            continue
        part = None
        for tried in (_total, _signed, _but_one):
            part = part or tried(table, stack, row)
            if part is not None and part.kind == "calculation" and is_line(row, _within(found, part)):
                part = None
        part = part or RowPart("line")
        found.append(part)
        for place, _ in part.of:
            stack.remove(place)
        stack.append(row)
    return found


def _within(found: list[RowPart], part: RowPart) -> list[tuple[int, list[int]]]:
    every = []
    for top, _ in part.of:
        rows = [top]
        for row in rows:
            rows.extend(place for place, _ in found[row].of)
        every.append((top, [row for row in rows if found[row].kind == "line"]))
    return every


def _total(table: _Table, stack: list[int], row: int) -> RowPart | None:
    """The last rows that stand open, added up; one alone where its figures are too long to be equal by chance."""
    columns = table.shown[row]
    if not stack or not table.numbers[row][columns].any():
        return None
    least = 1 if (np.abs(table.numbers[row][columns]) >= LONG).sum() > 1 else 2
    sums = np.cumsum(table.numbers[stack[::-1]], axis=0)
    loose = ((np.arange(1, len(stack) + 1) + 1) // 2)[:, None] * table.rounded
    close = (np.abs(sums - table.numbers[row]) <= loose)[:, columns].all(axis=1)
    counts = np.flatnonzero(close[least - 1 :])
    return (
        None if not len(counts) else RowPart("total", tuple((place, 1) for place in stack[-(int(counts[0]) + least) :]))
    )


def _signed(table: _Table, stack: list[int], row: int) -> RowPart | None:
    """The last rows that stand open, some of them taken away."""
    for count in range(2, len(stack) + 1):
        for parts in _combined(stack[-count:]):
            off = _off(table, parts, row)
            if not off.any() and table.numbers[row][table.shown[row]].any():
                return RowPart("calculation", parts)
    return None


def _combined(places: list[int]) -> list[tuple[tuple[int, int], ...]]:
    """The first row, others added or taken away; of many rows all others taken away."""
    rest = [(-1,) * (len(places) - 1)] if len(places) > MOST_SIGNED else list(product((1, -1), repeat=len(places) - 1))
    return [tuple(zip(places, (1, *signs), strict=True)) for signs in rest if -1 in signs]


def _off(table: _Table, parts: tuple[tuple[int, int], ...], row: int) -> BoolArray:
    """In which columns the parts don't add up to a row, of those that it shows."""
    summed = sum((sign * table.numbers[place] for place, sign in parts), np.zeros_like(table.numbers[row]))
    loose = (len(parts) + 1) // 2 * table.rounded
    return np.asarray((np.abs(summed - table.numbers[row]) > loose) & table.shown[row])


def _but_one(table: _Table, stack: list[int], row: int) -> RowPart | None:
    """A total, or a difference, that all columns but one agree with: so many of them, or so long, that it is no
    chance."""
    long = np.abs(table.numbers[row]) >= np.where(table.rounded, 10, LONG)
    least = ROUNDED if len(long) == 2 or table.rounded.all() else EXACT
    for signed in (False, True):
        for count in range(2, min(len(stack), 40) + 1):
            places = stack[-count:]
            every = _combined(places) if signed else [tuple((place, 1) for place in places)]
            for parts in every:
                off = _off(table, parts, row)
                agreeing = table.shown[row] & ~off & long
                if off.sum() == 1 and np.where(table.rounded, 1, ROUNDED)[agreeing].sum() >= least:
                    return RowPart("calculation" if signed else "total", parts, int(np.flatnonzero(off)[0]))
    return None
