"""A ledger at one revision, and the view of it through a fence, which alone reaches its figures."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Hashable, Iterable, Mapping, Sequence
from dataclasses import replace
from functools import cached_property
from threading import RLock
from typing import TypeVar, cast

import numpy as np

from rulka.core.books.balances import Balances, MovementSource, accumulate, with_reserve_keys, with_roll_keys
from rulka.core.books.chart import BoolArray, CodeList, IntArray
from rulka.core.books.fence import LETS_NOTHING_THROUGH, Bounds, Fence
from rulka.core.books.frame import NO_MOVEMENTS, STATUS_CHOICES, Frame, Keys, Movements
from rulka.core.books.journal import (
    EntryLine,
    Grouped,
    Historical,
    JournalReader,
    LinesAsked,
    LineSums,
    NoJournal,
    Texts,
)
from rulka.core.books.narrowing import Clause, KeyMask, Narrowing, key_mask, matches_text
from rulka.core.books.own_calendar import in_calendar
from rulka.core.books.selection import select
from rulka.core.books.sight import Sight, named_within, sight_of
from rulka.core.books.translation import Translated, translate
from rulka.core.errors import NotFound, one_of
from rulka.core.money import QUANTITY_DIGITS

MOST_BALANCES = 24
MOST_KEPT = 2_000
MOST_BYTES = 128 << 20
"""Bytes of arrays by key that are kept beside balances."""
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
        self._balances: OrderedDict[Hashable, Balances] = OrderedDict()
        self._kept: OrderedDict[Hashable, object] = OrderedDict()
        self._arrays: OrderedDict[Hashable, tuple[object, int]] = OrderedDict()
        self._array_bytes = 0
        self._lock = RLock()  # requests share a book: what is kept is made by one of them

    def balances(self, scenario: str, *, pending: bool = False) -> Balances:
        """One scenario's balances over all keys."""
        return self.balances_of(MovementSource(scenario, "with pending" if pending else "posted"))

    def balances_of(self, source: MovementSource) -> Balances:
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
        return self.kept_balances(source, lambda: self._read(source))

    def kept_balances(self, name: Hashable, make: Callable[[], Balances]) -> Balances:
        """Balances made once; the ones asked for last are kept, whoever's they are."""
        with self._lock:
            if name not in self._balances:
                self._balances[name] = make()
                if len(self._balances) > MOST_BALANCES:
                    self._balances.popitem(last=False)
            self._balances.move_to_end(name)
            return self._balances[name]

    def in_calendar(self, name: str) -> Book:
        """These books by a calendar that entities name, of those that do; by the group's for an empty name."""
        return self.kept(("calendar", name), lambda: self._by(name)) if name else self

    def _by(self, name: str) -> Book:
        own = in_calendar(name, self.frame, self.keys, self.movements, self.journal)
        return Book(own.frame, self.keys, own.movements, self.revision, own.journal)

    def _read(self, source: MovementSource) -> Balances:
        if source.translated:
            return self._translated(source)
        return accumulate(
            self.movements_of(source), self.rolls_into, self.frame, statuses=STATUS_CHOICES[source.status]
        )

    def _translated(self, source: MovementSource) -> Balances:
        local = self.balances_of(replace(source, translated=False))
        return translate(Translated(self.frame, self.keys, self.rolls_into, local, source, self.historical))

    def historical(self) -> Historical:
        """Lines that say what they were worth in the group currency."""
        return self.kept("historical", self.journal.historical)

    def movements_of(self, source: MovementSource) -> Movements:
        """The movements of a source, of every status."""
        movements = self.lines_of(source) if source.lines else self.movements(source.scenario)
        if source.then:
            later = NO_MOVEMENTS if source.lines else self.movements(source.then)  # a plan holds no journal lines
            movements = movements.only(movements.period <= source.until).beside(later.only(later.period > source.until))
        return movements

    def lines_of(self, source: MovementSource) -> Movements:
        """Sums of the journal lines that pass the clauses of a source; budgets hold no lines, so they give none."""
        if source.scenario != "actual":
            return NO_MOVEMENTS
        fields = tuple(sorted({clause.name for clause in source.lines}))
        grouped = self.grouped(fields)
        chosen = np.ones(len(grouped.movements.key), dtype=bool)
        for name in fields:
            chosen &= matches_text(source.lines, name, grouped.labels[name])[grouped.codes[name]]
        return grouped.movements.only(chosen)

    def grouped(self, fields: tuple[str, ...], first: int = 0, last: int | None = None) -> Grouped:
        """Sums of journal lines by some of their fields, over the periods `first` to `last`, both included; kept."""
        until = len(self.frame.calendar.periods) - 1 if last is None else last
        return self.kept(("grouped", fields, first, until), lambda: self.journal.grouped(fields, first, until))

    def kept_arrays(self, name: Hashable, make: Callable[[], Made], size: Callable[[Made], int]) -> Made:
        """Arrays made once; those asked for last are kept, up to a bound of bytes."""
        with self._lock:
            if name not in self._arrays:
                made = make()
                self._arrays[name] = made, size(made)
                self._array_bytes += size(made)
                while self._array_bytes > MOST_BYTES and len(self._arrays) > 1:
                    _, (_, gone) = self._arrays.popitem(last=False)
                    self._array_bytes -= gone
            self._arrays.move_to_end(name)
            return cast(Made, self._arrays[name][0])

    def kept(self, name: Hashable, make: Callable[[], Made]) -> Made:
        """Something derived from this book, made once; the book never changes."""
        with self._lock:
            if name not in self._kept:
                self._kept[name] = make()
                if len(self._kept) > MOST_KEPT:
                    self._kept.popitem(last=False)
            self._kept.move_to_end(name)
            return cast(Made, self._kept[name])

    @property
    def scenarios(self) -> Iterable[str]:
        """The scenarios with anything booked."""
        return self._movements

    def movements(self, scenario: str) -> Movements:
        """One scenario's sums of lines as stored, of every period, status and effect."""
        return self._movements.get(scenario, NO_MOVEMENTS)

    def within(self, fence: Fence) -> View:
        """The only way to figures: the book seen through a fence."""
        return self.kept(("view", fence), lambda: View(self, fence, self._sight(fence)))

    def _sight(self, fence: Fence) -> Sight:
        return sight_of(fence, self.frame, self.keys, self.rolls_into, self._movements)


class View:
    """A ledger through a fence: what lies outside isn't there, and what is sealed stands at its grain. Nothing else
    reaches posting keys, balances, movements and journal lines.

    Posting keys are counted as they stand in `keys`, in all that is asked and answered here. Keys of sealed accounts
    are gathered to the seal's grain: they hold what was posted, have no lines, and no members beyond the grain.
    """

    def __init__(self, book: Book, fence: Fence, sight: Sight, *, by_group: bool = True) -> None:
        self._book, self.fence, self._sight = book, fence, sight
        self.by_group = by_group
        """Whether its periods are those of the group's calendar."""
        self.seal = sight.seal
        self.keys = sight.every.only(np.arange(sight.count))
        self.frame = named_within(book.frame, fence)

    def __repr__(self) -> str:
        return f"<{self.frame.name}, revision {self.revision}, {self.part or 'the whole'}>"

    @property
    def revision(self) -> int:
        return self._book.revision

    @property
    def sealed(self) -> BoolArray:
        """Mask of the accounts whose detail isn't shown."""
        return self.seal.accounts if self.seal else np.zeros(len(self.frame.accounts), dtype=bool)

    @property
    def coarse(self) -> BoolArray:
        """Mask of the accounts whose figures show at the grain of a seal only."""
        return self.seal.coarse if self.seal else np.zeros(len(self.frame.accounts), dtype=bool)

    @property
    def withheld(self) -> BoolArray:
        """Mask of the accounts of which no figure shows at all: the fence cuts finer than the seal's grain."""
        return self.coarse if self.seal and not self.seal.is_whole else np.zeros(len(self.frame.accounts), dtype=bool)

    @cached_property
    def sealed_keys(self) -> BoolArray:
        """Mask of the posting keys whose journal lines don't show: those of sealed accounts, and all where nobody gets
        that deep."""
        if not self.fence.shows_lines:
            return np.ones(len(self.keys), dtype=bool)
        return self.sealed[self.keys.account]

    def in_calendar(self, name: str) -> View:
        """The same bounds over the books by a calendar that entities name, of those that do; the group's without a
        name."""
        if not name:
            return self
        own = self._book.in_calendar(name)
        return own.kept(("view", self.fence), lambda: View(own, self.fence, self._sight, by_group=False))

    def kept(self, name: Hashable, make: Callable[[], Made]) -> Made:
        """Something derived from what is seen here, made once; neither the book nor the fence ever changes."""
        return self._book.kept((name, self.fence), make)

    def kept_arrays(self, name: Hashable, make: Callable[[], Made], size: Callable[[Made], int]) -> Made:
        """The same for arrays by key, up to a bound of bytes."""
        return self._book.kept_arrays((name, self.fence), make, size)

    # figures

    def balances(self, scenario: str, *, pending: bool = False) -> Balances:
        """One scenario's balances over the keys inside."""
        return self.balances_of(MovementSource(scenario, "with pending" if pending else "posted"))

    def balances_of(self, source: MovementSource) -> Balances:
        """The balances of a source over the keys inside; kept, since every column and node reads the same ones."""
        if source.calendar:
            return self.in_calendar(source.calendar).balances_of(replace(source, calendar=""))
        if self._sight.is_whole:
            return self._book.balances_of(source)
        every = self._balances_of(source)
        if len(self._sight.every) == self._sight.count:
            return every
        return self._book.kept_balances(
            ("inside", source, self.fence), lambda: every.only(np.arange(self._sight.count))
        )

    def _balances_of(self, source: MovementSource) -> Balances:
        """Over the keys inside and those outside that roll their results into some inside; translated by itself, so
        that what is rounded shares nothing with what lies outside."""
        return self._book.kept_balances(("every", source, self.fence), lambda: self._read(source))

    def _read(self, source: MovementSource) -> Balances:
        book, sight = self._book, self._sight
        if not source.translated:
            as_posted = source.status == "posted" and not source.lines and self.by_group
            return sight.balances(book.balances_of(source), as_posted=as_posted)
        return translate(
            Translated(
                book.frame,
                sight.every,
                sight.rolls(book.rolls_into),
                self._balances_of(replace(source, translated=False)),
                source,
                lambda: sight.historical(book.historical(), len(book.keys)),
                sight.whole_entities,
            )
        )

    def movements(self, scenario: str) -> Movements:
        """One scenario's sums of lines as stored, of every period, status and effect; of gathered keys the posted ones,
        counting as one."""
        moved = self._book.movements(scenario)
        return moved if self._sight.is_whole else self._sight.movements(moved, len(self._book.keys))

    def rolling_into(self, keys: IntArray) -> IntArray:
        """The keys inside whose results roll into some keys."""
        into = np.zeros(len(self._sight.every), dtype=bool)
        into[keys] = True
        rolling = self._rolling(into)
        return rolling[rolling < self._sight.count]

    def _rolling(self, into: BoolArray) -> IntArray:
        rolls = self._sight.rolls(self._book.rolls_into)
        return np.flatnonzero((rolls >= 0) & into[np.maximum(rolls, 0)])

    def rolled_by_key(self, keys: IntArray, source: MovementSource, year: int) -> IntArray:
        """What a year (by its place) left that rolled into each of some keys, what lies outside the fence included."""
        if source.calendar:
            return self.in_calendar(source.calendar).rolled_by_key(keys, replace(source, calendar=""), year)
        sight = self._sight
        residual = (self._book.balances_of(source) if sight.is_whole else self._balances_of(source)).residual
        rolls = sight.rolls(self._book.rolls_into)
        found = np.zeros(len(sight.every), dtype=np.int64)
        rolling = np.flatnonzero(rolls >= 0)
        np.add.at(found, rolls[rolling], residual[rolling, year])
        return found[keys]

    def rolled_into(self, keys: IntArray, source: MovementSource, year: int) -> list[tuple[int, int]]:
        """What the residual result of a year (by its place) consisted of that rolled into some keys: (account, amount).

        What lies outside the fence counts in the balance too, but only as one nameless rest, account -1.
        """
        if source.calendar:
            return self.in_calendar(source.calendar).rolled_into(keys, replace(source, calendar=""), year)
        sight = self._sight
        residual = (self._book.balances_of(source) if sight.is_whole else self._balances_of(source)).residual
        into = np.zeros(len(sight.every), dtype=bool)
        into[keys] = True
        totals: dict[int, int] = {}
        for key in self._rolling(into):
            account = int(sight.every.account[key]) if key < sight.count else -1
            totals[account] = totals.get(account, 0) + int(residual[key, year])
        return sorted((account, amount) for account, amount in totals.items() if amount)

    @cached_property
    def was_booked(self) -> BoolArray:
        """Mask of the keys that anything was ever booked on, in any scenario, or that their results roll into."""
        booked = np.zeros(len(self._sight.every), dtype=bool)
        for scenario in self._book.scenarios:
            booked[self.movements(scenario).key] = True
        rolls = self._sight.rolls(self._book.rolls_into)
        booked[rolls[booked & (rolls >= 0)]] = True
        return booked[: self._sight.count]

    def ever_booked(self, scenario: str, *, translated: bool) -> BoolArray:
        """Like `was_booked`; translated, the reserve's keys that hold what translation leaves too."""
        if not translated or not self.frame.translation_reserve or scenario not in self.frame.scenarios:
            return self.was_booked
        balances = self.balances_of(MovementSource(scenario, translated=True))
        left = (balances.opening != 0).any(axis=1) | (balances.closing != 0).any(axis=1)
        booked: BoolArray = self.was_booked | left & (
            self.keys.account == self.frame.accounts.index[self.frame.translation_reserve]
        )
        return booked

    def mask(self, narrowing: Narrowing) -> KeyMask:
        """What a narrowing means over the keys inside."""
        return self.kept(("mask", narrowing), lambda: key_mask(narrowing, self.keys, self.frame))

    # journal lines

    def grouped(self, fields: tuple[str, ...], first: int = 0, last: int | None = None) -> Grouped:
        """Sums of journal lines by some of their fields, over the periods `first` to `last`, both included; none of
        what is sealed, and no text that only others have."""
        whole = self._book.grouped(fields, first, last)
        if self._sight.is_whole:
            return whole
        until = len(self.frame.calendar.periods) - 1 if last is None else last
        return self.kept(("grouped", fields, first, until), lambda: self._own(whole))

    def _own(self, whole: Grouped) -> Grouped:
        key = self._single_of[whole.movements.key]
        inside = key >= 0
        codes, labels = {}, {}
        for name, of_line in whole.codes.items():
            used, codes[name] = np.unique(of_line[inside], return_inverse=True)
            labels[name] = tuple(whole.labels[name][place] for place in used)
        told = {text for texts in labels.values() for text in texts}
        names = {code: name for code, name in whole.names.items() if code in told}
        return Grouped(replace(whole.movements, key=key).only(inside), codes, labels, names)

    def lines(self, keys: IntArray, first: int, last: int, most: int, texts: Texts = ()) -> Sequence[EntryLine]:
        """The lines of some keys by day and entry, none of what is sealed; refused when there are more than `most`."""
        single = self._sight.single[keys[~self.sealed_keys[keys]]]
        found = self._book.journal.lines(single[single >= 0], first, last, most, texts)
        return found if self._sight.is_whole else [replace(line, key=int(self._single_of[line.key])) for line in found]

    def sums(self, asked: LinesAsked, fields: tuple[str, ...], *, by_key: bool = False) -> LineSums:
        """Sums of lines of some keys by their texts; none of what is sealed or lies outside."""
        found = self._book.journal.sums(replace(asked, keys=self.own_lines(asked.keys)), fields, by_key=by_key)
        if self._sight.is_whole or not by_key:
            return found
        return replace(found, key=self._single_of[found.key])

    def texts_passing(self, clauses: tuple[Clause, ...]) -> tuple[tuple[str, tuple[str, ...]], ...]:
        """By field, the texts of journal lines that pass some clauses."""
        fields = tuple(sorted({clause.name for clause in clauses}))
        if not fields:
            return ()
        labels = self.grouped(fields).labels
        passing = {name: matches_text(clauses, name, labels[name]) for name in fields}
        return tuple(
            (name, tuple(label for label, passes in zip(labels[name], passing[name], strict=True) if passes))
            for name in fields
        )

    def own_lines(self, keys: IntArray) -> IntArray:
        """The places in the book of the posting keys, of those given, whose journal lines show to the reader.

        Left out are keys of a sealed account, keys that gather others under a seal, and keys that only stand for a
        result that rolled on: nothing was booked on them.
        """
        chosen = keys[~self.sealed_keys[keys]]
        single = self._sight.single[chosen]
        single = single[single >= 0]
        found: IntArray = single[self._book.keys.ids[single] > 0]
        return found

    def line_ids(self, keys: IntArray) -> IntArray:
        """The database's ids of the posting keys, of those given, whose journal lines show to the reader.

        `own_lines` says which show. A key that is made up for a sealed account has no id: no line is read by it.
        """
        found: IntArray = self._book.keys.ids[self.own_lines(keys)]
        return found

    @cached_property
    def _single_of(self) -> IntArray:
        """By key of the book, where it stands inside by itself; -1 where it is gathered or lies outside."""
        found = np.full(len(self._book.keys), -1, dtype=np.int64)
        single = self._sight.single[: self._sight.count]
        found[single[single >= 0]] = np.flatnonzero(single >= 0)
        return found

    # bounds

    @cached_property
    def is_part(self) -> bool:
        """Whether the fence hides anything of this ledger."""
        bounded = self.fence.names - {"entity", "account"}
        hidden = bounded and len(self._sight.places) < len(self._book.keys)
        several = len(self.fence.bounds) > 1 and not self._sight.is_whole
        return bool(hidden or several or not (self.visible_entities().all() and self.visible_accounts().all()))

    @cached_property
    def part(self) -> str:
        """What a fence leaves, in words: `department Ships`; empty without one."""
        return " or ".join(_in_words(one, self.frame) for one in self.fence.bounds)

    def visible_entities(self) -> BoolArray:
        """Mask of the entities that the fence lets a person see at all."""
        return self.fence.codes_inside("entity", self.frame.entities)

    def visible_accounts(self) -> BoolArray:
        """Mask of the accounts that the fence lets a person see at all."""
        return self.fence.codes_inside("account", self.frame.accounts)

    # keys

    def digits_of(self, key: int) -> int:
        """Decimals of the amounts on a posting key (by place)."""
        quantity = self.frame.accounts.items[self.keys.account[key]].type == "statistical"
        return QUANTITY_DIGITS if quantity else int(self.frame.digits[self.keys.entity[key]])

    def keys_of(self, entities: BoolArray) -> BoolArray:
        """Mask of the keys that belong to some entities."""
        chosen: BoolArray = entities[self.keys.entity]
        return chosen

    def by_account(self, amounts: IntArray, keys: BoolArray) -> IntArray:
        """Sum amounts `(keys,)` over the keys chosen, to `(accounts,)`."""
        totals = np.zeros(len(self.frame.accounts), dtype=np.int64)
        np.add.at(totals, self.keys.account[keys], amounts[keys])
        return totals


MOST_NAMES = 4


def _in_words(bounds: Bounds, frame: Frame) -> str:
    if bounds == LETS_NOTHING_THROUGH:
        return "nothing"
    words = [f"entity {_outermost(bounds.entities, frame.entities)}"] if bounds.entities else []
    words += [f"accounts {bounds.accounts}"] if bounds.accounts else []
    for name, codes in frame.dimensions.items():
        if chosen := bounds.of(name):
            words.append(f"{name} {_outermost(chosen, codes)}")
    return "; ".join(words)


def _outermost(selection: str, codes: CodeList) -> str:
    """What a selection means, by the names of those that stand in no other it means; the text itself where that are
    many."""
    mask = select(selection, codes).mask
    chosen = {item.code for item, inside in zip(codes.items, mask, strict=True) if inside}
    names = [item.name for item in codes.items if item.code in chosen and item.parent not in chosen]
    return ", ".join(names) if 0 < len(names) <= MOST_NAMES else selection
