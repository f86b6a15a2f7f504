"""The two sides of a difference next to each other: what stands in both, and what in one of them only."""

from __future__ import annotations

from collections.abc import Hashable, Iterable, Sequence
from dataclasses import dataclass
from fractions import Fraction


@dataclass(frozen=True)
class SideRow:
    """A journal line or budget row of one side: `number` tells it from others, `alike` says what it has to share with
    one of the other side to match it, `value` is what it counts on its own side."""

    number: int
    alike: Hashable
    value: Fraction


@dataclass(frozen=True)
class Match:
    """Rows of both sides that belong together; with one side empty they stand on the other only."""

    alike: Hashable
    first: tuple[SideRow, ...]
    second: tuple[SideRow, ...]

    @property
    def of_first(self) -> Fraction:
        return sum((row.value for row in self.first), Fraction(0))

    @property
    def of_second(self) -> Fraction:
        return sum((row.value for row in self.second), Fraction(0))

    @property
    def apart(self) -> Fraction:
        """What it adds to the difference."""
        return self.of_first - self.of_second


@dataclass(frozen=True)
class MatchedEntries:
    """Everything of both sides, once: pairs of the same amount, groups alike with other amounts, and what stands on one
    side only; the largest first."""

    same: tuple[Match, ...]
    other: tuple[Match, ...]
    first_only: tuple[Match, ...]
    second_only: tuple[Match, ...]

    @property
    def every(self) -> tuple[Match, ...]:
        return (*self.same, *self.other, *self.first_only, *self.second_only)


def match(first: Iterable[SideRow], second: Iterable[SideRow]) -> MatchedEntries:
    """Match the rows of two sides: one to one where they are alike and of the same amount, then all that is left alike
    as one group."""
    same, left, right = _same(list(first), list(second))
    other: list[Match] = []
    first_only: list[Match] = []
    second_only: list[Match] = []
    of_first, of_second = _together(left), _together(right)
    for alike in dict.fromkeys([*of_first, *of_second]):
        found = Match(alike, tuple(of_first.get(alike, ())), tuple(of_second.get(alike, ())))
        (other if found.first and found.second else first_only if found.first else second_only).append(found)
    return MatchedEntries(
        tuple(sorted(same, key=lambda one: -abs(one.of_first))),
        tuple(sorted(other, key=lambda one: -abs(one.apart))),
        tuple(sorted(first_only, key=lambda one: -abs(one.apart))),
        tuple(sorted(second_only, key=lambda one: -abs(one.apart))),
    )


def _same(first: Sequence[SideRow], second: Sequence[SideRow]) -> tuple[list[Match], list[SideRow], list[SideRow]]:
    waiting: dict[Hashable, list[SideRow]] = {}
    for row in second:
        waiting.setdefault((row.alike, row.value), []).append(row)
    same, left = [], []
    for row in first:
        others = waiting.get((row.alike, row.value))
        if others:
            same.append(Match(row.alike, (row,), (others.pop(0),)))
        else:
            left.append(row)
    taken = {one.second[0].number for one in same}
    return same, left, [row for row in second if row.number not in taken]


def _together(rows: Iterable[SideRow]) -> dict[Hashable, list[SideRow]]:
    found: dict[Hashable, list[SideRow]] = {}
    for row in rows:
        found.setdefault(row.alike, []).append(row)
    return found
