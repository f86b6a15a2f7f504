"""Balances in arrays: movements by posting key and period to opening, activity and closing, with the year-end roll."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Hashable, Mapping
from dataclasses import dataclass, replace
from functools import cached_property
from threading import RLock
from typing import TypeVar, cast

import numpy as np

from rulka.core.books.balances import Balances, Source, accumulate, with_reserve_keys, with_roll_keys
from rulka.core.books.chart import BoolArray, CodeList, IntArray
from rulka.core.books.fence import Fence
from rulka.core.books.frame import NO_MOVEMENTS, STATUSES, Frame, Keys, Movements
from rulka.core.books.journal import JournalReader, NoJournal
from rulka.core.books.narrowing import KeyMask, Narrowing, key_mask, matches_text
from rulka.core.books.own_calendar import in_calendar
from rulka.core.books.selection import select
from rulka.core.books.translation import translate
from rulka.core.errors import NotFound, one_of
from rulka.core.money import QUANTITY_DIGITS

MOST_BALANCES = 16
MOST_KEPT = 2_000
Made = TypeVar("Made")


class Book:
    """A ledger's balances at one revision; scenarios are accumulated when first asked for."""

    def __init__(
        self,
        frame: Frame,
        keys: Keys,
        movements: Mapping[str, Movements],
        revision: int,
        journal: JournalReader | None = None,
    ) -> None:
        self.frame = frame
        self.keys, self.rolls_into = with_roll_keys(with_reserve_keys(keys, frame), frame)
        self.revision = revision
        self.journal = journal or NoJournal()
        self._movements = movements
        self._balances: OrderedDict[Source, Balances] = OrderedDict()
        self._kept: OrderedDict[Hashable, object] = OrderedDict()
        self._lock = RLock()  # requests share a book: what is kept is made by one of them

    def balances(self, scenario: str, *, pending: bool = False) -> Balances:
        """One scenario's balances over all keys."""
        return self.balances_of(Source(scenario, "with pending" if pending else "posted"))

    def balances_of(self, source: Source) -> Balances:
        """The balances of a source over all keys; kept, since every column and node reads the same ones."""
        if source.calendar:
            return self.in_calendar(source.calendar).balances_of(replace(source, calendar=""))
        for scenario in filter(None, (source.scenario, source.then)):
            if scenario not in self.frame.scenarios:
                raise NotFound(
                    f"Scenario '{scenario}' does not exist.",
                    hint=one_of(scenario, self.frame.scenarios),
                    subject="scenario",
                )
        with self._lock:
            found = self._balances.get(source)
            if found is None:
                found = self._balances[source] = self._read(source)
                if len(self._balances) > MOST_BALANCES:
                    self._balances.popitem(last=False)
            self._balances.move_to_end(source)
            return found

    def in_calendar(self, name: str) -> Book:
        """These books by a calendar that entities name, of those that do; by the group's for an empty name."""
        return self.kept(("calendar", name), lambda: self._by(name)) if name else self

    def _by(self, name: str) -> Book:
        own = in_calendar(name, self.frame, self.keys, self.movements, self.journal)
        return Book(own.frame, self.keys, own.movements, self.revision, own.journal)

    def _read(self, source: Source) -> Balances:
        if source.translated:
            return self._translated(source)
        return accumulate(self.movements_of(source), self.rolls_into, self.frame, statuses=STATUSES[source.status])

    def _translated(self, source: Source) -> Balances:
        local = self.balances_of(replace(source, translated=False))
        return translate(
            self.frame,
            self.keys,
            self.rolls_into,
            local,
            source,
            lambda: self.kept("historical", self.journal.historical),
        )

    def movements_of(self, source: Source) -> Movements:
        """The movements of a source, of every status."""
        movements = self.lines_of(source) if source.lines else self.movements(source.scenario)
        if source.then:
            later = NO_MOVEMENTS if source.lines else self.movements(source.then)  # a plan holds no journal lines
            movements = movements.only(movements.period <= source.until).beside(later.only(later.period > source.until))
        return movements

    def lines_of(self, source: Source) -> Movements:
        """Sums of the journal lines that pass the clauses of a source; budgets hold no lines, so they give none."""
        if source.scenario != "actual":
            return NO_MOVEMENTS
        fields = tuple(sorted({clause.name for clause in source.lines}))
        grouped = self.kept(
            ("grouped", fields), lambda: self.journal.grouped(fields, 0, len(self.frame.calendar.periods) - 1)
        )
        chosen = np.ones(len(grouped.movements.key), dtype=bool)
        for name in fields:
            chosen &= matches_text(source.lines, name, grouped.labels[name])[grouped.codes[name]]
        return grouped.movements.only(chosen)

    @cached_property
    def was_booked(self) -> BoolArray:
        """Mask of the posting keys that anything was ever booked on, in any scenario, or that results of such keys roll
        into."""
        booked = np.zeros(len(self.keys), dtype=bool)
        for movements in self._movements.values():
            booked[movements.key] = True
        rolled = self.rolls_into[booked & (self.rolls_into >= 0)]
        booked[rolled] = True
        return booked

    def ever_booked(self, scenario: str, *, translated: bool) -> BoolArray:
        """Like `was_booked`; translated, the reserve's keys that hold what translation leaves too."""
        if not translated or not self.frame.translation_reserve or scenario not in self.frame.scenarios:
            return self.was_booked
        balances = self.balances_of(Source(scenario, translated=True))
        left = (balances.opening != 0).any(axis=1) | (balances.closing != 0).any(axis=1)
        booked: BoolArray = self.was_booked | left & (
            self.keys.account == self.frame.accounts.index[self.frame.translation_reserve]
        )
        return booked

    def mask(self, narrowing: Narrowing) -> KeyMask:
        """What a narrowing means in this book."""
        return self.kept(("mask", narrowing), lambda: key_mask(narrowing, self.keys, self.frame))

    def kept(self, name: Hashable, make: Callable[[], Made]) -> Made:
        """Something derived from this book, made once; the book never changes."""
        with self._lock:
            if name not in self._kept:
                self._kept[name] = make()
                if len(self._kept) > MOST_KEPT:
                    self._kept.popitem(last=False)
            self._kept.move_to_end(name)
            return cast(Made, self._kept[name])

    def movements(self, scenario: str) -> Movements:
        """One scenario's sums of lines as stored, of every period, status and effect."""
        return self._movements.get(scenario, NO_MOVEMENTS)

    def within(self, fence: Fence) -> View:
        """The only way to figures: the book seen through a fence."""
        inside = fence.mask(self.keys, self.frame)
        sealed = (
            select(fence.sealed, self.frame.accounts).mask
            if fence.sealed
            else np.zeros(len(self.frame.accounts), dtype=bool)
        )
        return View(self, inside, sealed, fence)


@dataclass(frozen=True)
class View:
    """A book through a fence: statements, traces, commands and exports all read this, never the book."""

    book: Book
    inside: BoolArray
    sealed: BoolArray
    fence: Fence

    @property
    def frame(self) -> Frame:
        return self.book.frame

    def in_calendar(self, name: str) -> View:
        """The same bounds over the books by another calendar."""
        return replace(self, book=self.book.in_calendar(name)) if name else self

    @cached_property
    def is_part(self) -> bool:
        """Whether the fence hides anything of this ledger."""
        return not (self.inside.all() and self.visible_entities().all() and self.visible_accounts().all())

    @cached_property
    def part(self) -> str:
        """What a fence leaves, in words: `department Ships`; empty without one."""
        fence, frame = self.fence, self.frame
        words = [f"entity {_outermost(fence.entities, frame.entities)}"] if fence.entities else []
        words += [f"accounts {fence.accounts}"] if fence.accounts else []
        for name, codes in frame.dimensions.items():
            if fence.members.get(name):
                words.append(f"{name} {_outermost(fence.members[name], codes)}")
        return "; ".join(words)

    def digits_of(self, key: int) -> int:
        """Decimals of the amounts on a posting key (by place)."""
        keys = self.book.keys
        quantity = self.frame.accounts.items[keys.account[key]].type == "statistical"
        return QUANTITY_DIGITS if quantity else int(self.frame.digits[keys.entity[key]])

    def node_keys(self, entities: BoolArray) -> BoolArray:
        """Mask of the visible keys that belong to a node's entities."""
        return self.inside & entities[self.book.keys.entity]

    def by_account(self, amounts: IntArray, keys: BoolArray) -> IntArray:
        """Sum amounts `(keys,)` over the visible keys chosen, to `(accounts,)`."""
        chosen = keys & self.inside
        totals = np.zeros(len(self.frame.accounts), dtype=np.int64)
        np.add.at(totals, self.book.keys.account[chosen], amounts[chosen])
        return totals

    def visible_entities(self) -> BoolArray:
        """Mask of the entities that the fence lets a person see at all."""
        if self.fence.entities:
            return select(self.fence.entities, self.frame.entities).mask
        return np.ones(len(self.frame.entities), dtype=bool)

    def visible_accounts(self) -> BoolArray:
        """Mask of the accounts that the fence lets a person see at all."""
        if self.fence.accounts:
            return select(self.fence.accounts, self.frame.accounts).mask
        return np.ones(len(self.frame.accounts), dtype=bool)


MOST_NAMES = 4


def _outermost(selection: str, codes: CodeList) -> str:
    """What a selection means, by the names of those that stand in no other it means; the text itself where that are
    many."""
    mask = select(selection, codes).mask
    chosen = {item.code for item, inside in zip(codes.items, mask, strict=True) if inside}
    names = [item.name for item in codes.items if item.code in chosen and item.parent not in chosen]
    return ", ".join(names) if 0 < len(names) <= MOST_NAMES else selection
