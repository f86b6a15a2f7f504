"""Balances in arrays: movements by posting key and period to opening, activity and closing, with the year-end roll."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Hashable, Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property
from threading import RLock
from typing import TypeVar, cast

import numpy as np

from rulka.core.calendar import FiscalCalendar, Window
from rulka.core.chart import CARRYING, BoolArray, CodeList, IntArray
from rulka.core.details import JournalReader, NoJournal
from rulka.core.errors import NotFound, RulkaError, one_of
from rulka.core.money import QUANTITY_DIGITS
from rulka.core.narrowing import Clause, KeyMask, Narrowing, key_mask, matches_text
from rulka.core.rates import Rates
from rulka.core.selection import select

ACTIVITY, OPENING, CLOSING = 0, 1, 2
"""Effects of a movement: in its period, in its period's opening balance, or after its year's last period."""

POSTED, PENDING = 0, 1
STATUSES = {"posted": (POSTED,), "with pending": (POSTED, PENDING), "pending only": (PENDING,)}
QUANTITIES = {
    "quantity": "activity",
    "opening quantity": "opening",
    "closing quantity": "closing",
    "average quantity": "average",
}
"""Measures of statistical accounts only, and what each is of them."""

MEASURES = ("activity", "opening", "closing", "debits", "credits", "average", *QUANTITIES)
"""What a column shows; `average` is the mean balance."""


@dataclass(frozen=True)
class Frame:
    """What stands still under the figures: codes, calendar and currencies of a ledger."""

    name: str
    group_currency: str
    calendar: FiscalCalendar
    entities: CodeList
    accounts: CodeList
    dimensions: Mapping[str, CodeList]
    retained_earnings: str
    scenarios: Mapping[str, str]
    currencies: tuple[str, ...]
    digits: IntArray
    first_entity: str
    group_digits: int = 2
    translation_reserve: str = ""
    rates: Rates = field(default_factory=Rates)
    calendars: Mapping[str, FiscalCalendar] = field(default_factory=dict)
    """Further calendars by name; `entity_calendars` says by entity which it keeps, empty for the group's."""
    entity_calendars: tuple[str, ...] = ()

    def carrying(self) -> BoolArray:
        """Mask of the accounts that carry their balance over a year end."""
        return self.accounts.of_type(*CARRYING)


@dataclass(frozen=True)
class Keys:
    """Posting keys as indices into the frame: `members` is (keys, dimensions), partner -1 is none, id 0 is made by the
    roll."""

    ids: IntArray
    entity: IntArray
    account: IntArray
    partner: IntArray
    members: IntArray

    def __len__(self) -> int:
        return len(self.ids)


@dataclass(frozen=True)
class Movements:
    """Sums of journal or budget lines, one row each; amounts are minor units, both not negative."""

    key: IntArray
    period: IntArray
    status: IntArray
    effect: IntArray
    debit: IntArray
    credit: IntArray
    count: IntArray

    def only(self, chosen: BoolArray) -> Movements:
        """The chosen rows."""
        return Movements(*(getattr(self, name)[chosen] for name in MOVEMENT_FIELDS))

    def beside(self, others: Movements) -> Movements:
        """These rows and others."""
        return Movements(*(np.concatenate([getattr(self, name), getattr(others, name)]) for name in MOVEMENT_FIELDS))


MOVEMENT_FIELDS = ("key", "period", "status", "effect", "debit", "credit", "count")


@dataclass(frozen=True)
class Balances:
    """One scenario in arrays `(keys, periods)`, debit positive, minor units.

    `debits`, `credits` and `counts` are accumulated with a leading zero column, so that any window is one
    difference; `residual` `(keys, years)` is what a year leaves in a revenue or expense key and rolls;
    `closed` `(keys, years)` the year's closing entries; `opened` the opening entries of each period.
    """

    opening: IntArray
    closing: IntArray
    debits: IntArray
    credits: IntArray
    counts: IntArray
    opened: IntArray
    closed: IntArray
    residual: IntArray
    missing: tuple[int, RulkaError] | None = None
    """The first period that translation found no rate for, and the error that says so."""

    def measure(self, name: str, window: Window) -> IntArray:
        """One amount per key: the measure over a window, debit positive (debits and credits are gross).

        `average` is a sum that `average_parts` says how many balances went into.
        """
        first, last = window.first, window.last
        if self.missing and last >= self.missing[0]:
            raise self.missing[1]
        if name == "opening":
            return self.opening[:, first]
        if name == "closing":
            return self.closing[:, last]
        debits = self.debits[:, last + 1] - self.debits[:, first]
        credits = self.credits[:, last + 1] - self.credits[:, first]
        if name == "debits":
            return debits
        if name == "credits":
            return credits
        if name == "activity":
            return debits - credits
        raise RulkaError(f"'{name}' is not a measure.", hint="Use " + ", ".join(MEASURES) + ".", subject="measure")

    @cached_property
    def has_opened(self) -> bool:
        """Whether there are any opening entries."""
        return bool(self.opened.any())

    def booked(self, window: Window) -> BoolArray:
        """Mask of the keys with any count, debit, credit, opening or closing other than zero in the window."""
        moved = self.counts[:, window.last + 1] != self.counts[:, window.first]
        booked: BoolArray = moved | (self.opening[:, window.first] != 0) | (self.closing[:, window.last] != 0)
        return booked


@dataclass(frozen=True)
class Source:
    """Which movements are read: a scenario, from after period `until` on another one (`then`), lines of what status,
    only some journal lines (`lines`: clauses on source, kind or counterparty), translated into the group currency or
    not; `calendar` names another calendar than the group's, whose periods it is read by."""

    scenario: str = "actual"
    status: str = "posted"
    then: str = ""
    until: int = -1
    lines: tuple[Clause, ...] = ()
    translated: bool = False
    calendar: str = ""


def with_reserve_keys(keys: Keys, frame: Frame) -> Keys:
    """Add the keys that take the remainder of translation: one for each entity that keeps another currency."""
    if not frame.translation_reserve:
        return keys
    account = frame.accounts.index[frame.translation_reserve]
    none = [codes.index["-"] for codes in frame.dimensions.values()]
    foreign = [place for place, currency in enumerate(frame.currencies) if currency != frame.group_currency]
    plain = (
        (keys.account == account) & (keys.partner == -1) & (keys.members == none).all(axis=1)
        if len(keys)
        else np.zeros(0, dtype=bool)
    )
    added = [place for place in foreign if place not in keys.entity[plain]]
    if not added:
        return keys
    fresh = np.zeros(len(added), dtype=np.int64)
    return Keys(
        np.concatenate([keys.ids, fresh]),
        np.concatenate([keys.entity, np.array(added, dtype=np.int64)]),
        np.concatenate([keys.account, fresh + account]),
        np.concatenate([keys.partner, fresh - 1]),
        np.concatenate(
            [keys.members.reshape(len(keys), len(none)), np.tile(np.array(none, dtype=np.int64), (len(added), 1))]
        ),
    )


def with_roll_keys(keys: Keys, frame: Frame) -> tuple[Keys, IntArray]:
    """Add the retained earnings keys that the roll needs; also the key that each key rolls into, -1 for none.

    A revenue or expense key rolls into the key of the same entity and members, without partner.
    """
    target_account = frame.accounts.index[frame.retained_earnings]
    carrying = frame.carrying()
    place = {
        (int(keys.entity[k]), int(keys.account[k]), int(keys.partner[k]), *map(int, keys.members[k])): k
        for k in np.flatnonzero(keys.account == target_account)
    }
    target = np.full(len(keys), -1, dtype=np.int64)
    added: list[tuple[int, ...]] = []
    for k in np.flatnonzero(~carrying[keys.account]) if len(keys) else ():
        wanted = (int(keys.entity[k]), target_account, -1, *map(int, keys.members[k]))
        if wanted not in place:
            place[wanted] = np.int64(len(keys) + len(added))
            added.append(wanted)
        target[k] = place[wanted]
    if not added:
        return keys, target
    extra = np.array(added, dtype=np.int64)
    grown = Keys(
        ids=np.concatenate([keys.ids, np.zeros(len(added), dtype=np.int64)]),
        entity=np.concatenate([keys.entity, extra[:, 0]]),
        account=np.concatenate([keys.account, extra[:, 1]]),
        partner=np.concatenate([keys.partner, extra[:, 2]]),
        members=np.concatenate([keys.members, extra[:, 3:]]),
    )
    return grown, np.concatenate([target, np.full(len(added), -1, dtype=np.int64)])


def accumulate(
    movements: Movements, rolls_into: IntArray, frame: Frame, *, statuses: tuple[int, ...] = (POSTED,)
) -> Balances:
    """Turn one scenario's movements into balances, rolling each year's residual as LEDGER_FORMAT.md says.

    `rolls_into` comes from `with_roll_keys`. Only movements with one of the statuses count.
    """
    keys, periods, years = len(rolls_into), len(frame.calendar.periods), frame.calendar.years
    counted = np.isin(movements.status, statuses)

    def table(amount: IntArray, effect: int) -> IntArray:
        result = np.zeros((keys, periods), dtype=np.int64, order="F")
        chosen = counted & (movements.effect == effect)
        np.add.at(result, (movements.key[chosen], movements.period[chosen]), amount[chosen])
        return result

    debits, credits = table(movements.debit, ACTIVITY), table(movements.credit, ACTIVITY)
    opened = table(movements.debit, OPENING) - table(movements.credit, OPENING)
    closing_entries = table(movements.debit, CLOSING) - table(movements.credit, CLOSING)
    counts = table(movements.count, ACTIVITY) + table(movements.count, OPENING)
    starts = frame.calendar.first_of_year()
    closed = np.add.reduceat(closing_entries, starts, axis=1) if periods else closing_entries
    opening, closing = np.zeros_like(debits), np.zeros_like(debits)
    residual = np.zeros((keys, len(years)), dtype=np.int64)
    restarting = rolls_into >= 0
    balance = np.zeros(keys, dtype=np.int64)
    for place, start in enumerate(starts):
        if place:
            balance += closed[:, place - 1]
            residual[restarting, place - 1] = balance[restarting]
            balance[restarting] = 0
            np.add.at(balance, rolls_into[restarting], residual[restarting, place - 1])
        end = starts[place + 1] if place + 1 < len(starts) else periods
        for period in range(start, end):
            balance += opened[:, period]
            opening[:, period] = balance
            balance += debits[:, period] - credits[:, period]
            closing[:, period] = balance
    return Balances(
        opening, closing, accumulated(debits), accumulated(credits), accumulated(counts), opened, closed, residual
    )


def accumulated(table: IntArray) -> IntArray:
    result = np.zeros((table.shape[0], table.shape[1] + 1), dtype=np.int64, order="F")
    np.cumsum(table, axis=1, out=result[:, 1:])
    return result


@dataclass(frozen=True)
class Fence:
    """The bounds of what a person may see, as selections; empty means all. `sealed` accounts show totals only."""

    entities: str = ""
    accounts: str = ""
    members: Mapping[str, str] = field(default_factory=dict)
    sealed: str = ""

    @property
    def is_open(self) -> bool:
        return self.hides_nothing and not self.sealed

    @property
    def hides_nothing(self) -> bool:
        """Whether all entities, accounts and members are inside; detail may still be sealed."""
        return not (self.entities or self.accounts or any(self.members.values()))

    def mask(self, keys: Keys, frame: Frame) -> BoolArray:
        """Mask of the posting keys inside the fence."""
        inside = np.ones(len(keys), dtype=bool)
        if self.entities:
            inside &= select(self.entities, frame.entities).mask[keys.entity]
        if self.accounts:
            inside &= select(self.accounts, frame.accounts).mask[keys.account]
        for place, (dimension, codes) in enumerate(frame.dimensions.items()):
            if self.members.get(dimension):
                inside &= select(self.members[dimension], codes).mask[keys.members[:, place]]
        unknown = set(self.members) - set(frame.dimensions)
        if unknown:
            raise RulkaError(
                f"The fence names {', '.join(sorted(unknown))}, which is no dimension of this ledger.", code="fence"
            )
        return inside


NO_FENCE = Fence()


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
        from rulka.core.own_calendar import in_calendar

        return self.kept(("calendar", name), lambda: in_calendar(self, name)) if name else self

    def _read(self, source: Source) -> Balances:
        if source.translated:
            from rulka.core.translation import translate

            return translate(self, source)
        return accumulate(self.movements_of(source), self.rolls_into, self.frame, statuses=STATUSES[source.status])

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


_EMPTY = np.zeros(0, dtype=np.int64)
NO_MOVEMENTS = Movements(_EMPTY, _EMPTY, _EMPTY, _EMPTY, _EMPTY, _EMPTY, _EMPTY)


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
