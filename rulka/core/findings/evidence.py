"""What rules look at: a month of a ledger and its year before, by entity and account, and the month's journal lines."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date
from functools import cached_property

import numpy as np

from rulka.core.books.balances import Balances
from rulka.core.books.book import View
from rulka.core.books.calendar import Period
from rulka.core.books.chart import BoolArray, IntArray
from rulka.core.books.frame import ACTIVITY
from rulka.core.books.journal import EntryLine
from rulka.core.findings.finding import EntryName, Tuning

BEFORE = 12
"""Periods before the month that say what is usual."""

MOST_LINES = 600_000
MOST_ENTRIES = 20
"""Entries that a finding names at most."""

ENOUGH_HISTORY = 6


@dataclass(frozen=True)
class Arrivals:
    """When entries came: by revision, the place of the last period that had anything before it (-1 for the first
    load's); `closed` are the (entity, period) places that were closed, with the first revision after that."""

    booked_before: Mapping[int, int] = field(default_factory=dict)
    closed: Mapping[tuple[int, int], int] = field(default_factory=dict)


@dataclass(frozen=True, eq=False)
class Evidence:
    """A month as a view has it. Arrays by `pair` have one row for each entity and account that was ever booked."""

    view: View
    period: Period
    tuning: Tuning = field(default_factory=Tuning)
    arrivals: Arrivals = field(default_factory=Arrivals)

    @property
    def at(self) -> int:
        return self.period.index

    @cached_property
    def balances(self) -> Balances:
        return self.view.balances("actual")

    @cached_property
    def before(self) -> list[int]:
        """The places of the ordinary periods before, the nearest first, that the ledger has anything of."""
        ordinary = [p.index for p in self.view.frame.calendar.periods[: self.at] if not p.adjusting]
        return [at for at in reversed(ordinary[-BEFORE:]) if at >= self.first_booked]

    @cached_property
    def booked(self) -> BoolArray:
        """By period whether anything was booked."""
        counts = self.balances.counts
        found: BoolArray = (counts[:, 1:] != counts[:, :-1]).any(axis=0)
        return found

    @cached_property
    def first_booked(self) -> int:
        """The first period with anything booked; after the last where there is none."""
        places = np.flatnonzero(self.booked)
        return int(places[0]) if len(places) else len(self.booked)

    @property
    def has_history(self) -> bool:
        return len(self.before) >= ENOUGH_HISTORY

    # by entity and account

    @cached_property
    def pairs(self) -> tuple[IntArray, IntArray, IntArray]:
        """Entity and account of each pair, and the pair of each posting key."""
        keys = self.view.keys
        codes = keys.entity * (len(self.view.frame.accounts) + 1) + keys.account
        found, of_key = np.unique(codes, return_inverse=True)
        width = len(self.view.frame.accounts) + 1
        return found // width, found % width, of_key

    def by_pair(self, values: IntArray) -> IntArray:
        """Values `(keys, periods)` summed to pairs."""
        entity, _, of_key = self.pairs
        summed = np.zeros((len(entity), *values.shape[1:]), dtype=np.int64)
        np.add.at(summed, of_key, values)
        return summed

    @cached_property
    def activity(self) -> IntArray:
        """Activity `(keys, periods)`, debit positive."""
        found: IntArray = np.diff(self.balances.debits - self.balances.credits, axis=1)
        return found

    @cached_property
    def pair_activity(self) -> IntArray:
        return self.by_pair(self.activity)

    @cached_property
    def pair_closing(self) -> IntArray:
        return self.by_pair(self.balances.closing)

    @cached_property
    def pair_counts(self) -> IntArray:
        """Lines `(pairs, periods)`."""
        return self.by_pair(np.diff(self.balances.counts, axis=1))

    @cached_property
    def scales(self) -> list[int]:
        """By entity what matters in it: a part of its usual monthly income and costs, minor units, at least 1."""
        frame = self.view.frame
        results = frame.accounts.of_type("revenue", "expense")[self.view.keys.account]
        found = []
        for place in range(len(frame.entities)):
            own = np.abs(self.activity[results & (self.view.keys.entity == place)][:, self.before])
            usual = int(np.median(own.sum(axis=0))) if own.size else 0
            found.append(max(usual // 200, 1))
        return found

    def digits(self, entity: int) -> int:
        return int(self.view.frame.digits[entity])

    def named(self, pair: int) -> tuple[str, str]:
        """An account's code and its name."""
        item = self.view.frame.accounts.items[int(self.pairs[1][pair])]
        return item.code, f"{item.code} {item.name}".strip()

    # lines

    @cached_property
    def lines(self) -> Sequence[EntryLine]:
        """The month's journal lines that show."""
        moved = self.balances.counts[:, self.at + 1] != self.balances.counts[:, self.at]
        keys = np.flatnonzero(moved)
        return self.view.lines(keys, self.at, self.at, MOST_LINES)

    @cached_property
    def lines_by_pair(self) -> Mapping[int, list[EntryLine]]:
        found: dict[int, list[EntryLine]] = {}
        for line in self.lines:
            if line.effect == ACTIVITY:
                found.setdefault(int(self.pairs[2][line.key]), []).append(line)
        return found

    def entries_of(self, lines: Iterable[EntryLine]) -> tuple[EntryName, ...]:
        """The entries of some lines, those with the largest amounts first."""
        sums: dict[tuple[int, str], int] = {}
        for line in lines:
            sums[(line.entity, line.number)] = sums.get((line.entity, line.number), 0) + abs(line.debit - line.credit)
        largest = sorted(sums, key=lambda name: (-sums[name], name))[:MOST_ENTRIES]
        return tuple(EntryName(self.view.frame.entities.items[entity].code, number) for entity, number in largest)

    def days_outside(self, day: date) -> int:
        """How many days a day lies outside of the month."""
        return max((self.period.start - day).days, (day - self.period.end).days, 0)
