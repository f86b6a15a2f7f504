"""Balances in arrays: movements by posting key and period to opening, activity and closing, with the year-end roll."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np

from rulka.core.calendar import FiscalCalendar, Window
from rulka.core.chart import CARRYING, BoolArray, CodeList, IntArray
from rulka.core.errors import NotFound, RulkaError, one_of
from rulka.core.money import QUANTITY_DIGITS
from rulka.core.selection import select

ACTIVITY, OPENING, CLOSING = 0, 1, 2
"""Effects of a movement: in its period, in its period's opening balance, or after its year's last period."""

POSTED, PENDING = 0, 1
MEASURES = ("activity", "opening", "closing", "debits", "credits")


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

    def carrying(self) -> BoolArray:
        """Mask of the accounts that carry their balance over a year end."""
        return self.accounts.of_type(*CARRYING)


@dataclass(frozen=True)
class Keys:
    """Posting keys as indices into the frame: `members` is (keys, dimensions), partner -1 is none, id 0 is made by the roll."""

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

    def measure(self, name: str, window: Window) -> IntArray:
        """One amount per key: the measure over a window, debit positive (debits and credits are gross)."""
        first, last = window.first, window.last
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

    def booked(self, window: Window) -> BoolArray:
        """Mask of the keys with any count, debit, credit, opening or closing other than zero in the window."""
        moved = self.counts[:, window.last + 1] != self.counts[:, window.first]
        booked: BoolArray = moved | (self.opening[:, window.first] != 0) | (self.closing[:, window.last] != 0)
        return booked


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


def accumulate(movements: Movements, rolls_into: IntArray, frame: Frame, *, pending: bool) -> Balances:
    """Turn one scenario's movements into balances, rolling each year's residual as LEDGER_FORMAT.md says.

    `rolls_into` comes from `with_roll_keys`. Pending movements count only where `pending` is set.
    """
    keys, periods, years = len(rolls_into), len(frame.calendar.periods), frame.calendar.years
    counted = np.ones(len(movements.key), dtype=bool) if pending else movements.status == POSTED

    def table(amount: IntArray, effect: int) -> IntArray:
        result = np.zeros((keys, periods), dtype=np.int64)
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
    return Balances(opening, closing, _accumulated(debits), _accumulated(credits), _accumulated(counts), opened, closed, residual)


def _accumulated(table: IntArray) -> IntArray:
    result = np.zeros((table.shape[0], table.shape[1] + 1), dtype=np.int64)
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
            raise RulkaError(f"The fence names {', '.join(sorted(unknown))}, which is no dimension of this ledger.", code="fence")
        return inside


NO_FENCE = Fence()


class Book:
    """A ledger's balances at one revision; scenarios are accumulated when first asked for."""

    def __init__(self, frame: Frame, keys: Keys, movements: Mapping[str, Movements], revision: int) -> None:
        self.frame = frame
        self.keys, self.rolls_into = with_roll_keys(keys, frame)
        self.revision = revision
        self._movements = movements
        self._balances: dict[tuple[str, bool], Balances] = {}

    def balances(self, scenario: str, *, pending: bool = False) -> Balances:
        """One scenario's balances over all keys."""
        if scenario not in self.frame.scenarios:
            raise NotFound(f"Scenario '{scenario}' does not exist.", hint=one_of(scenario, self.frame.scenarios), subject="scenario")
        wanted = (scenario, pending)
        if wanted not in self._balances:
            self._balances[wanted] = accumulate(self._movements.get(scenario, NO_MOVEMENTS), self.rolls_into, self.frame, pending=pending)
        return self._balances[wanted]

    def movements(self, scenario: str) -> Movements:
        """One scenario's sums of lines as stored, of every period, status and effect."""
        return self._movements.get(scenario, NO_MOVEMENTS)

    def within(self, fence: Fence) -> View:
        """The only way to figures: the book seen through a fence."""
        inside = fence.mask(self.keys, self.frame)
        sealed = select(fence.sealed, self.frame.accounts).mask if fence.sealed else np.zeros(len(self.frame.accounts), dtype=bool)
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


@dataclass(frozen=True)
class Node:
    """Whose figures are shown: some entities that share a currency."""

    code: str
    name: str
    entities: BoolArray
    currency: str
    digits: int


def first_node(view: View) -> Node:
    """The first entity that can be shown, in the ledger's own order with the first entity in front."""
    codes = [item.code for item, seen in zip(view.frame.entities.items, view.visible_entities(), strict=True) if seen]
    codes.sort(key=lambda code: code != view.frame.first_entity)
    for code in codes:
        try:
            return find_node(view, code)
        except RulkaError:
            continue
    return find_node(view)


WHOLE = "group"
"""The node that is every entity of the ledger."""


def find_node(view: View, code: str = "") -> Node:
    """An entity with all below it, or the whole group; the first entity when none is named.

    Refused when its entities keep different currencies, or all lie outside the fence.
    """
    frame = view.frame
    seen = view.visible_entities()
    if not code:
        codes = [item.code for item, visible in zip(frame.entities.items, seen, strict=True) if visible]
        code = frame.first_entity if not codes or frame.first_entity in codes else codes[0]
    mask = np.zeros(len(frame.entities), dtype=bool)
    if code in frame.entities.index:
        mask[frame.entities.below[code]] = True
        name = frame.entities[code].name
    elif code == WHOLE:
        mask[:] = True
        name = frame.name
    if not (mask & seen).any():
        known = [item.code for item, visible in zip(frame.entities.items, seen, strict=True) if visible] + [WHOLE]
        raise NotFound(f"Node '{code}' does not exist.", hint=one_of(code, known), subject="node")
    currencies = sorted({frame.currencies[place] for place in np.flatnonzero(mask)})
    if len(currencies) > 1:
        raise RulkaError(
            f"{name} mixes currencies: {', '.join(currencies)}.",
            hint="Amounts in different currencies can't be added before they are translated; choose an entity.",
            subject=f"node {code}",
            code="mixed-currencies",
        )
    return Node(code, name, mask, currencies[0], int(frame.digits[np.flatnonzero(mask)[0]]))
