"""What of a ledger's posting keys stands inside a fence: as they are, or under a seal gathered to its grain."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np

from rulka.core.books.balances import Balances
from rulka.core.books.chart import BoolArray, CodeList, IntArray
from rulka.core.books.fence import Fence
from rulka.core.books.frame import POSTED, Frame, Keys, Movements
from rulka.core.books.journal import Historical
from rulka.core.books.selection import select

RESULTS = ("revenue", "expense")


@dataclass(frozen=True, eq=False)
class Seal:
    """Accounts whose detail isn't shown, and what may still be told apart of them.

    `accounts` `(accounts,)` are the sealed ones; `derived` those whose balances hold results of sealed ones (retained
    earnings, the translation reserve): their lines show, their balances no finer than the grain. `grain` names what
    tells posting keys apart besides the account: entity, dimensions, partner. `is_whole` says whether the fence
    itself cuts no finer than that.
    """

    accounts: BoolArray
    derived: BoolArray
    grain: frozenset[str]
    is_whole: bool

    @property
    def coarse(self) -> BoolArray:
        """The accounts whose figures show at the grain only."""
        return self.accounts | self.derived


def seal_of(fence: Fence, frame: Frame) -> Seal | None:
    """The seal that a fence puts on a ledger's accounts; None without one."""
    if not fence.sealed:
        return None
    accounts = select(fence.sealed, frame.accounts).mask
    derived = np.zeros(len(accounts), dtype=bool)
    if (accounts & frame.accounts.of_type(*RESULTS)).any():
        derived[frame.accounts.index[frame.retained_earnings]] = True
    if frame.translation_reserve:
        derived[frame.accounts.index[frame.translation_reserve]] = True
    named = tuple(frame.dimensions)[:1] if fence.grain is None else fence.grain
    grain = frozenset({"entity", *named})
    return Seal(accounts, derived & ~accounts, grain, fence.names - {"account"} <= grain)


@dataclass(frozen=True, eq=False)
class Sight:
    """Which posting keys of a book stand inside a fence, and as what.

    `places` `(seen,)` are the book's keys that count, `at` `(seen,)` what each is of `every`; the first `count` of
    these are inside, the others lie outside and roll their results into keys that are. `gathered` `(every,)` are keys
    that stand for several under a seal; `single` `(every,)` the book's key that one stands for, -1 where it is
    gathered. `whole_entities` are those of which nothing lies outside.
    """

    places: IntArray
    at: IntArray
    every: Keys
    count: int
    gathered: BoolArray
    single: IntArray
    whole_entities: BoolArray
    seal: Seal | None
    is_whole: bool
    """Whether all of the book's keys stand here, as they stand there."""

    def rolls(self, rolls_into: IntArray) -> IntArray:
        """By key of `every`, the one its results roll into, -1 for none; of several gathered keys that of the
        first."""
        found = np.full(len(self.every), -1, dtype=np.int64)
        of_book = self.of_book(len(rolls_into))
        target = rolls_into[self.places]
        found[self.at[::-1]] = np.where(target >= 0, of_book[np.maximum(target, 0)], -1)[::-1]
        return found

    def of_book(self, keys: int) -> IntArray:
        """By key of the book, of which there are so many, what it is of `every`; -1 outside."""
        found = np.full(keys, -1, dtype=np.int64)
        found[self.places] = self.at
        return found

    def balances(self, whole: Balances, *, as_posted: bool) -> Balances:
        """Balances of a book over `every`; what is gathered shows only where posted movements alone are read."""
        if not self.gathered.any():
            return whole.only(self.places)
        size = len(self.every)
        shown = np.ones(len(self.places), dtype=bool) if as_posted else ~self.gathered[self.at]

        def summed(table: IntArray) -> IntArray:
            found = np.zeros((size, table.shape[1]), dtype=np.int64, order="F")
            alone = ~self.gathered[self.at]
            found[self.at[alone]] = table[self.places[alone]]
            several = ~alone & shown
            np.add.at(found, self.at[several], table[self.places[several]])
            return found

        counts = summed(whole.counts)  # how many lines there are is finer: a period has some or none
        counts[self.gathered] = np.cumsum(np.diff(counts[self.gathered], axis=1, prepend=0) != 0, axis=1)
        return Balances(
            summed(whole.opening),
            summed(whole.closing),
            summed(whole.debits),
            summed(whole.credits),
            counts,
            summed(whole.opened),
            summed(whole.closed),
            summed(whole.residual),
            whole.missing,
        )

    def movements(self, moved: Movements, keys: int) -> Movements:
        """Movements of a book over the keys inside: of gathered ones what was posted, summed, counting as one each."""
        key = self.of_book(keys)[moved.key]
        inside = (key >= 0) & (key < self.count)
        moved = replace(moved, key=key).only(inside)
        several = self.gathered[moved.key]
        if not several.any():
            return moved
        apart = moved.only(several & (moved.status == POSTED))
        place = np.stack([apart.key, apart.period, apart.status, apart.effect], axis=1)
        one, group = np.unique(place, axis=0, return_inverse=True)
        debit, credit = (np.zeros(len(one), dtype=np.int64) for _ in range(2))
        np.add.at(debit, group.reshape(-1), apart.debit)
        np.add.at(credit, group.reshape(-1), apart.credit)
        key, period, status, effect = one.T
        sums = Movements(key, period, status, effect, debit, credit, np.ones(len(one), dtype=np.int64))
        return moved.only(~several).beside(sums)

    def historical(self, stated: Historical, keys: int) -> Historical:
        """What lines say they were worth, over `every`."""
        key = self.of_book(keys)[stated.key]
        known = key >= 0
        return Historical(
            key[known], *(getattr(stated, name)[known] for name in ("period", "status", "effect", "local", "group"))
        )


def sight_of(fence: Fence, frame: Frame, keys: Keys, rolls_into: IntArray, movements: Mapping[str, Movements]) -> Sight:
    """What of a book stands inside a fence."""
    inside = fence.mask(keys, frame)
    seal = seal_of(fence, frame)
    outside = np.zeros(len(keys), dtype=bool)
    rolling = np.flatnonzero(rolls_into >= 0)
    outside[rolling[inside[rolls_into[rolling]]]] = True
    outside &= ~inside
    gathered = _gathered(seal, keys, rolls_into, movements, inside) if seal else np.zeros(len(keys), dtype=bool)
    # a fence that cuts finer than the grain leaves nothing of what is sealed
    told = np.flatnonzero(gathered & (seal is None or seal.is_whole))
    groups, group_of = _groups(seal, frame, keys, told)
    # what was never posted isn't there: that something waits is finer than the grain
    posted = np.unique(group_of[_posted(keys, rolls_into, movements)[told]])
    told, group_of = told[np.isin(group_of, posted)], np.searchsorted(posted, group_of[np.isin(group_of, posted)])
    groups = groups.only(posted)
    alone, beyond = np.flatnonzero(inside & ~gathered), np.flatnonzero(outside)
    places = np.concatenate([alone, told, beyond])
    first_beyond = len(alone) + len(groups)
    at = np.concatenate([np.arange(len(alone)), len(alone) + group_of, first_beyond + np.arange(len(beyond))])
    every = _joined(keys.only(alone), groups, keys.only(beyond))
    stands_alone = np.full(len(every), -1, dtype=np.int64)
    stands_alone[: len(alone)], stands_alone[first_beyond:] = alone, beyond
    hidden = np.zeros(len(frame.entities), dtype=bool)
    hidden[keys.entity[~(inside | outside)]] = True
    return Sight(
        places,
        at,
        every,
        first_beyond,
        _between(len(alone), first_beyond, len(every)),
        stands_alone,
        ~hidden,
        seal,
        len(alone) == len(keys),
    )


def _posted(keys: Keys, rolls_into: IntArray, movements: Mapping[str, Movements]) -> BoolArray:
    """The keys that anything was ever posted on, in any scenario, or whose results roll into them."""
    posted = np.zeros(len(keys), dtype=bool)
    for moved in movements.values():
        posted[moved.key[moved.status == POSTED]] = True
    posted[rolls_into[posted & (rolls_into >= 0)]] = True
    return posted


def _between(first: int, last: int, size: int) -> BoolArray:
    mask = np.zeros(size, dtype=bool)
    mask[first:last] = True
    return mask


def _gathered(
    seal: Seal, keys: Keys, rolls_into: IntArray, movements: Mapping[str, Movements], inside: BoolArray
) -> BoolArray:
    """The keys that only show summed: sealed ones, and those of derived accounts that hold nothing but their
    results."""
    sealed = seal.accounts[keys.account]
    booked = np.zeros(len(keys), dtype=bool)
    for moved in movements.values():
        booked[moved.key] = True
    of_open = booked & ~sealed & (rolls_into >= 0)
    booked[rolls_into[of_open]] = True
    only_results = seal.derived[keys.account] & (keys.ids == 0) & ~booked
    rolled = np.zeros(len(keys), dtype=bool)
    rolled[rolls_into[sealed & (rolls_into >= 0)]] = True
    gathered: BoolArray = inside & (sealed | (only_results & rolled))
    return gathered


def _groups(seal: Seal | None, frame: Frame, keys: Keys, places: IntArray) -> tuple[Keys, IntArray]:
    """The gathered keys and which of them each key is: alike by account, entity and what else the grain names."""
    none = np.zeros(0, dtype=np.int64)
    if seal is None or not len(places):
        return Keys(none, none, none, none, np.zeros((0, keys.members.shape[1]), dtype=np.int64)), none
    kept = [name in seal.grain for name in frame.dimensions]
    members = np.where(kept, keys.members[places], -1)
    partner = keys.partner[places] if "partner" in seal.grain else np.full(len(places), -1, dtype=np.int64)
    table = np.column_stack([keys.entity[places], keys.account[places], partner, members])
    alike, group = np.unique(table, axis=0, return_inverse=True)
    return Keys(np.zeros(len(alike), dtype=np.int64), alike[:, 0], alike[:, 1], alike[:, 2], alike[:, 3:]), (
        group.reshape(-1)
    )


def _joined(*parts: Keys) -> Keys:
    return Keys(
        *(
            np.concatenate([getattr(part, name) for part in parts])
            for name in ("ids", "entity", "account", "partner", "members")
        )
    )


def named_within(frame: Frame, fence: Fence) -> Frame:
    """The frame with names only of what lies inside a fence and of what heads it: places and codes stay, the others
    bear none."""
    if fence.hides_nothing:
        return frame
    return replace(
        frame,
        entities=_named(frame.entities, fence, "entity"),
        accounts=_named(frame.accounts, fence, "account"),
        dimensions={name: _named(codes, fence, name) for name, codes in frame.dimensions.items()},
    )


def _named(codes: CodeList, fence: Fence, name: str) -> CodeList:
    if fence.leaves_open(name):
        return codes
    mask = fence.codes_inside(name, codes)
    for place in np.flatnonzero(mask):
        above = codes.items[place].parent
        while above in codes.index and not mask[codes.index[above]]:
            mask[codes.index[above]] = True
            above = codes[above].parent
    return CodeList(
        codes.kind,
        tuple(item if inside else replace(item, name="") for item, inside in zip(codes.items, mask, strict=True)),
    )
