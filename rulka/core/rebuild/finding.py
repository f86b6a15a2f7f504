"""What a row may add up: sets that the chart names and runs, two of them together or one less another, a few accounts
in no order, and the same where one column speaks against it."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np

from rulka.core.books.chart import BoolArray, CodeList, IntArray
from rulka.core.rebuild.chance import SURE, WantedFigures, expected_hits
from rulka.core.rebuild.features import Features, features_of
from rulka.core.rebuild.few import FewMonths, few_of, met
from rulka.core.rebuild.lines import MOST, LineChoice, best_text, codes_text, nearest_name
from rulka.core.rebuild.meeting import meeting

SIDES = (("revenue",), ("expense",), ("asset",), ("liability", "equity"), ("revenue", "expense"),
         ("asset", "liability", "equity"), ("statistical",))  # fmt: skip
"""Types of accounts that lines are looked for in, the narrow ones first."""

OFFERED = 0.5
"""Chance hits that are expected of a set at most to be offered, where nothing but figures speaks for it."""

LIKELY_NAME = 0.6
"""Likeness from which on a name is offered for a row of zeros."""

SAMPLES = 20_000


@dataclass(frozen=True, eq=False)
class Search:
    """The columns of a table as the ledger has them: `amounts` `(accounts, columns)`, and the sets looked through."""

    accounts: CodeList
    amounts: IntArray
    features: Features
    sums: IntArray
    pools: dict[bytes, FewMonths] = field(default_factory=dict)

    @property
    def used(self) -> BoolArray:
        return np.asarray(self.amounts.any(axis=1))

    @cached_property
    def income(self) -> BoolArray:
        return self.accounts.of_type("revenue") | self.accounts.of_type("expense")

    def is_income(self, mask: BoolArray) -> bool | None:
        """Whether all of some accounts are income or costs, none of them (False), or some."""
        inside = self.income[mask]
        return True if inside.all() else False if not inside.any() else None

    def named(self, caption: str, wanted: WantedFigures, odd: int | None = None) -> list[LineChoice]:
        """Sets that the chart names, and runs."""
        if wanted.is_nothing:
            return []
        expected = expected_hits(self.sums, wanted)
        few = expected_hits(self.sums[: self.features.named], wanted)
        found = []
        for sign in (1, -1):
            for place in np.flatnonzero(wanted.hits(sign * self.sums)):
                text, near = best_text(caption, self.features, int(place), self.accounts)
                named = place < self.features.named
                speaks = near + (1.0 if named else 0.4)
                mask = self.features.masks[place]
                chance = few if named else expected
                found.append(LineChoice(text, sign, mask, near, speaks, chance, odd, is_named=bool(named)))
        return _best(found)

    def joined(self, caption: str, wanted: WantedFigures) -> list[LineChoice]:
        """Two of those sets together, or one less another."""
        found: list[LineChoice] = []
        every = [(1, first, second) for first, second in meeting(self.sums, self.sums, wanted)]
        every += [(-1, first, second) for first, second in meeting(self.sums, -self.sums, wanted)]
        expected = self._of_two(wanted)
        for sign, firsts, seconds in every:
            for first, second in list(zip(firsts, seconds, strict=True))[: 40 * MOST]:
                choice = self._two(caption, wanted, int(first), int(second), sign, expected)
                if choice is not None:
                    found.append(choice)
        return _best(found)

    def _two(
        self, caption: str, wanted: WantedFigures, first: int, second: int, sign: int, expected: float
    ) -> LineChoice | None:  # fmt: skip
        one, other = self.features.masks[first], self.features.masks[second]
        shared = one & other
        if sign > 0 and (first >= second or shared.any()):
            return None
        if sign < 0 and ((shared != other).any() or first == second):
            return None
        mask = one | other if sign > 0 else one & ~other
        if not mask.any():
            return None
        texts = [best_text(caption, self.features, place, self.accounts)[0] for place in (first, second)]
        near = nearest_name(caption, mask, self.accounts)
        own = 1 if wanted.hits((self.sums[first] + sign * self.sums[second])[None])[0] else -1
        text = (", " if sign > 0 else " except ").join(texts)
        both = first < self.features.named and second < self.features.named
        return LineChoice(text, own, mask, near, near + (0.5 if both else 0.1), expected)

    def _of_two(self, wanted: WantedFigures) -> float:
        count = len(self.sums)
        chance = np.random.default_rng(2)
        first, second = chance.integers(0, count, SAMPLES), chance.integers(0, count, SAMPLES)
        return expected_hits(self.sums[first] + self.sums[second], wanted, times=max(count**2 / SAMPLES, 1.0))

    def few(self, caption: str, wanted: WantedFigures, free: BoolArray, odd: int | None = None) -> list[LineChoice]:
        """A few of some accounts, of one type first, then of one side."""
        found: list[LineChoice] = []
        for types in SIDES:
            own = free & self.used & np.any([self.accounts.of_type(one) for one in types], axis=0)
            if not own.any():
                continue
            met_here = met(self._pool(own), wanted)
            for places, expected in zip(met_here.sets, met_here.expected, strict=True):
                mask = np.zeros(len(self.accounts), dtype=bool)
                mask[list(places)] = True
                if any((one.mask == mask).all() for one in found):
                    continue
                near = nearest_name(caption, mask, self.accounts)
                sign = 1 if wanted.hits(self.amounts[mask].sum(axis=0)[None])[0] else -1
                chance = expected * (len(met_here.sets) if met_here.cut else 1)
                text = codes_text(places, self.accounts)
                found.append(LineChoice(text, sign, mask, near, near - 0.02 * len(places), chance, odd))
        return _best(found)

    def called(self, caption: str, most: bool | None) -> list[LineChoice]:
        """Sets without figures that are called like a caption, those on the table's side of the books first: nothing
        else tells what a row of zeros adds up."""
        features = features_of(self.accounts, ~self.used, runs=False)
        found = []
        for place in range(features.named):
            text, near = best_text(caption, features, place, self.accounts)
            if near >= LIKELY_NAME:
                on_side = most is None or self.is_income(features.masks[place]) is most
                found.append(LineChoice(text, 1, features.masks[place], near, near + on_side, float("inf")))
        return _best(found)

    def _pool(self, own: BoolArray) -> FewMonths:
        key = own.tobytes()
        if key not in self.pools:
            self.pools[key] = few_of(self.amounts, np.flatnonzero(own))
        return self.pools[key]

    def rest(
        self, caption: str, wanted: WantedFigures, whole: BoolArray, others: Iterable[BoolArray]
    ) -> list[LineChoice]:
        """What a total's accounts leave when the other lines' are taken away."""
        mask = whole & self.used
        for other in others:
            if (other & ~mask & self.used).any():
                return []
            mask &= ~other
        summed = self.amounts[mask].sum(axis=0)[None]
        for sign in (1, -1):
            if mask.any() and wanted.hits(sign * summed)[0]:
                near = nearest_name(caption, mask, self.accounts)
                chance = expected_hits(self.sums[: self.features.named], wanted)
                return [
                    LineChoice(
                        codes_text([int(one) for one in np.flatnonzero(mask)], self.accounts),
                        sign,
                        mask,
                        near,
                        near,
                        chance,
                    )
                ]
        return []

    def but_one(self, caption: str, wanted: WantedFigures, free: BoolArray) -> list[LineChoice]:
        """What gives all figures but one, where chance would not."""
        found: list[LineChoice] = []
        columns = np.flatnonzero(wanted.shown)
        for column in columns if len(columns) > 1 else ():
            less = wanted.without(int(column))
            own = [one for one in self.named(caption, less, int(column)) if is_no_chance(one)]
            found += own or [one for one in self.few(caption, less, free, int(column)) if is_no_chance(one)]
        return _best(found)


def is_no_chance(choice: LineChoice) -> bool:
    """Whether so few such sets were to be expected that it is none by chance; a name counts for a lot."""
    return choice.expected * (0.02 if choice.is_called_so else 1.0) <= SURE


def offered(choices: Iterable[LineChoice]) -> Iterator[LineChoice]:
    """Those that more than figures or more than chance speaks for."""
    return (one for one in choices if one.expected <= OFFERED or one.is_called_so)


def _best(found: list[LineChoice]) -> list[LineChoice]:
    unlike: list[LineChoice] = []
    for choice in sorted(found, key=lambda one: (-one.speaks, one.expected, len(one.text))):
        if not any(one.sign == choice.sign and (one.mask == choice.mask).all() for one in unlike):
            unlike.append(choice)
        if len(unlike) == MOST:
            break
    return unlike
