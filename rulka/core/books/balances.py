"""Balances in arrays: movements by posting key and period to opening, activity and closing, with the year-end roll."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from rulka.core.books.calendar import Window
from rulka.core.books.chart import BoolArray, IntArray
from rulka.core.books.frame import ACTIVITY, CLOSING, MEASURES, OPENING, POSTED, Frame, Keys, Movements
from rulka.core.books.narrowing import Clause
from rulka.core.errors import RulkaError


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

    def only(self, keys: IntArray) -> Balances:
        """The balances of some keys."""
        return Balances(
            np.asfortranarray(self.opening[keys]),
            np.asfortranarray(self.closing[keys]),
            np.asfortranarray(self.debits[keys]),
            np.asfortranarray(self.credits[keys]),
            np.asfortranarray(self.counts[keys]),
            np.asfortranarray(self.opened[keys]),
            self.closed[keys],
            self.residual[keys],
            self.missing,
        )

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
class MovementSource:
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
    keys, periods = len(rolls_into), len(frame.calendar.periods)
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
    opening, closing, residual = _rolled(opened, debits - credits, closed, starts, rolls_into)
    return Balances(
        opening, closing, accumulated(debits), accumulated(credits), accumulated(counts), opened, closed, residual
    )


def _rolled(
    opened: IntArray, moved: IntArray, closed: IntArray, starts: Sequence[int], rolls_into: IntArray
) -> tuple[IntArray, IntArray, IntArray]:
    """Opening and closing `(keys, periods)`, and what each year left `(keys, years)`, which begins the next one."""
    keys, periods = moved.shape
    opening, closing = np.zeros_like(moved), np.zeros_like(moved)
    residual = np.zeros((keys, len(starts)), dtype=np.int64)
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
            balance += moved[:, period]
            closing[:, period] = balance
    return opening, closing, residual


def accumulated(table: IntArray) -> IntArray:
    result = np.zeros((table.shape[0], table.shape[1] + 1), dtype=np.int64, order="F")
    np.cumsum(table, axis=1, out=result[:, 1:])
    return result
