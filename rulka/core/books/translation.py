"""Translation into the group currency: from local balances and rates to balances that sum to zero again.

What is translated how, for each entity and account:

- The opening balance takes the closing rate of the period before. The ledger's first takes the rate of its own period.
- Activity takes each period's average rate.
- The closing balance of an account of rate `closing` takes the closing rate.
- Accounts of rate `average` and `historical` add up period by period. A `historical` one takes what a line says that
  it was worth, where the line does.
- Results that rolled into retained earnings keep the amounts of their years.

An account's opening, activity and closing are rounded once each, to minor units of the group. Its posting keys share
the rounded amount by largest remainder. The translation reserve takes what is left, so that all sum to zero: SEK 1,000
of assets and capital at 0.10 then and 0.11 now are EUR 110 and EUR 100, and EUR 10 in the reserve.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from fractions import Fraction

import numpy as np

from rulka.core.books.balances import Balances, MovementSource, accumulated
from rulka.core.books.chart import BoolArray, IntArray
from rulka.core.books.frame import ACTIVITY, OPENING, STATUS_CHOICES, Frame, Keys
from rulka.core.books.journal import Historical
from rulka.core.errors import NotFound, RulkaError

SAFE = 1 << 62


def rate_of_account(frame: Frame, place: int) -> str:
    """closing, average or historical: as the account says, else by its type; retained earnings never restate."""
    item = frame.accounts.items[place]
    if item.type == "statistical":
        return ""
    found = item.rate or {"asset": "closing", "liability": "closing", "equity": "historical"}.get(item.type, "average")
    return "historical" if item.code == frame.retained_earnings and found == "closing" else found


def convert(amounts: IntArray, rate: Fraction, group: IntArray, groups: int) -> IntArray:
    """Amounts times a rate so that each group's sum is rounded once, half away from zero.

    Inside a group the keys share the rounded sum by largest remainder, earlier keys first where they tie.
    """
    numerator, denominator = rate.numerator, rate.denominator
    whole, rest = np.divmod(amounts, denominator) if denominator < SAFE else _object_divmod(amounts, denominator)
    if numerator * denominator >= SAFE or whole.dtype == object:
        whole, rest = whole.astype(object), rest.astype(object)
    more, remainder = np.divmod(rest * numerator, denominator)
    base = (whole * numerator + more).astype(np.int64)
    remainders = np.zeros(groups, dtype=remainder.dtype)
    floors = np.zeros(groups, dtype=np.int64)
    np.add.at(remainders, group, remainder)
    np.add.at(floors, group, base)
    extra, left = np.divmod(remainders, denominator)
    floors = floors + extra.astype(np.int64)
    up = (2 * left > denominator) | ((2 * left == denominator) & (floors >= 0))
    wanted = extra.astype(np.int64) + up.astype(np.int64)
    if not wanted.any():
        return base
    order = (
        np.lexsort((np.arange(len(group)), -remainder, group))
        if remainder.dtype != object
        else _object_order(group, remainder)
    )
    ordered = group[order]
    rank = np.arange(len(order)) - np.searchsorted(ordered, ordered, side="left")
    base[order[rank < wanted[ordered]]] += 1
    return base


def _object_divmod(amounts: IntArray, denominator: int) -> tuple[IntArray, IntArray]:
    whole, rest = np.divmod(amounts.astype(object), denominator)
    return whole, rest


def _object_order(group: IntArray, remainder: IntArray) -> IntArray:
    return np.array(sorted(range(len(group)), key=lambda at: (int(group[at]), -int(remainder[at]), at)), dtype=np.int64)


@dataclass(frozen=True)
class Translated:
    """What is translated: `local` balances of a source over some keys, `stated` reads what lines say themselves.

    `whole` `(entities,)` says of which entities all keys are there: what translation leaves belongs to a whole entity,
    a part of one has none of it; None where all are.
    """

    frame: Frame
    keys: Keys
    rolls_into: IntArray
    local: Balances
    source: MovementSource
    stated: Callable[[], Historical]
    whole: BoolArray | None = None


def translate(asked: Translated) -> Balances:
    """Balances of a source in the group currency.

    A rate that a booked amount needs and that is missing doesn't stop the periods before it: reading a window that
    reaches it raises NotFound, which names period and pair.
    """
    frame, keys, local = asked.frame, asked.keys, asked.local
    opening, closing, opened, closed, residual = (
        np.array(table, order="F")
        for table in (local.opening, local.closing, local.opened, local.closed, local.residual)
    )
    debits, credits = np.diff(local.debits, axis=1), np.diff(local.credits, axis=1)
    missing: tuple[int, RulkaError] | None = None
    money = ~frame.accounts.of_type("statistical")[keys.account]
    for entity, currency in enumerate(frame.currencies):
        own = np.flatnonzero((keys.entity == entity) & money)
        if currency == frame.group_currency or not len(own):
            continue
        if not frame.translation_reserve:
            raise RulkaError(
                "The ledger names no translation reserve.",
                hint="Add translation_reserve to ledger.json and load it.",
                subject="translation",
            )
        work = _Entity(asked, entity, own)
        work.run()
        opening[own], closing[own], opened[own], closed[own], residual[own] = (
            work.opening,
            work.closing,
            work.opened,
            work.closed,
            work.residual,
        )
        debits[own], credits[own] = work.debits, work.credits
        if work.missing and (missing is None or work.missing[0] < missing[0]):
            missing = work.missing
    return Balances(
        opening, closing, accumulated(debits), accumulated(credits), local.counts, opened, closed, residual, missing
    )


class _Entity:
    """Translates the keys of one entity, period by period, all its accounts together."""

    def __init__(self, whole: Translated, entity: int, keys: IntArray) -> None:
        self.whole, self.frame, self.source, self.local = whole, whole.frame, whole.source, whole.local
        self.keys = keys
        self.currency = self.frame.currencies[entity]
        self.scale = Fraction(10**self.frame.group_digits, 10 ** int(self.frame.digits[entity]))
        self.account = whole.keys.account[keys]
        rate = np.array([rate_of_account(self.frame, place) for place in range(len(self.frame.accounts))])[self.account]
        self.restates = rate == "closing"
        self.historical = rate == "historical"
        self.place = {int(key): at for at, key in enumerate(keys)}
        rolls = whole.rolls_into[keys]
        self.target = np.array([self.place[int(key)] if key >= 0 else -1 for key in rolls], dtype=np.int64)
        self.reserve = self.account == self.frame.accounts.index[self.frame.translation_reserve]
        self.is_part = whole.whole is not None and not whole.whole[entity]
        self.remainder_key = -1 if self.is_part else self._remainder_key()
        periods, years, count = len(self.frame.calendar.periods), len(self.frame.calendar.years), len(keys)
        self.opening, self.closing, self.debits, self.credits, self.opened = (
            np.zeros((count, periods), dtype=np.int64) for _ in range(5)
        )
        self.closed, self.residual = (np.zeros((count, years), dtype=np.int64) for _ in range(2))
        self.missing: tuple[int, RulkaError] | None = None
        self.stated = self._stated()

    def _remainder_key(self) -> int:
        keys = self.whole.keys
        none = [codes.index["-"] for codes in self.frame.dimensions.values()]
        plain = self.reserve & (keys.partner[self.keys] == -1) & (keys.members[self.keys] == none).all(axis=1)
        return int(np.flatnonzero(plain)[0])  # the book makes one for each foreign entity

    def _stated(self) -> dict[tuple[int, int], list[tuple[int, int, int]]]:
        """By (effect, period): (place of the key, local amount, what its lines say it was worth), of historical
        accounts."""
        found: dict[tuple[int, int], list[tuple[int, int, int]]] = {}
        if self.source.scenario != "actual" or self.source.lines:
            return found
        stated = self.whole.stated()
        for at in np.flatnonzero(np.isin(stated.status, STATUS_CHOICES[self.source.status])):
            place = self.place.get(int(stated.key[at]))
            beyond = self.source.then and stated.period[at] > self.source.until
            if place is not None and self.historical[place] and not beyond:
                found.setdefault((int(stated.effect[at]), int(stated.period[at])), []).append(
                    (place, int(stated.local[at]), int(stated.group[at]))
                )
        return found

    def _rate(self, kind: str, period: int) -> Fraction:
        """The rate of a period, an adjusting one's being that of the last ordinary period before it."""
        ordinary = next(p for p in reversed(self.frame.calendar.periods[: period + 1]) if not p.adjusting)
        return self.frame.rates.require(kind, ordinary.code, self.currency, self.frame.group_currency) * self.scale

    def _converted(self, amounts: IntArray, kind: str, period: int) -> IntArray:
        """Amounts of all keys at a rate; zeros, and the period noted, where the rate is missing."""
        if not amounts.any():
            return amounts
        try:
            rate = self._rate(kind, period)
        except NotFound as error:
            if self.missing is None:
                self.missing = (period, error)
            return np.zeros_like(amounts)
        return convert(amounts, rate, self.account, len(self.frame.accounts))

    def _at_average(self, amounts: IntArray, effect: int, period: int) -> IntArray:
        """Amounts at the period's average, but for what lines of historical accounts say themselves."""
        stated = self.stated.get((effect, period), ())
        if not stated:
            return self._converted(amounts, "average", period)
        rest, worth = amounts.copy(), np.zeros_like(amounts)
        for place, own, group in stated:
            rest[place] -= own
            worth[place] += group
        return self._converted(rest, "average", period) + worth

    def run(self) -> None:
        local, keys, calendar = self.local, self.keys, self.frame.calendar
        debits, credits = np.diff(local.debits[keys], axis=1), np.diff(local.credits[keys], axis=1)
        starts = calendar.first_of_year()
        carried = np.zeros(len(keys), dtype=np.int64)
        for year, start in enumerate(starts):
            if year:
                carried = self._rolled(carried, year - 1, start - 1)
            for period in range(start, starts[year + 1] if year + 1 < len(starts) else len(calendar.periods)):
                self.opened[:, period] = self._at_average(local.opened[keys, period], OPENING, period)
                opening = carried + self.opened[:, period]
                before = self._converted(
                    np.where(self.restates, local.opening[keys, period], 0), "closing", max(period - 1, 0)
                )
                self.opening[:, period] = np.where(self.restates, before, opening)
                activity = self._at_average(debits[:, period] - credits[:, period], ACTIVITY, period)
                gross = self._converted(debits[:, period], "average", period)
                gross = np.where(debits[:, period] == 0, 0, np.where(credits[:, period] == 0, activity, gross))
                self.debits[:, period], self.credits[:, period] = gross, gross - activity
                after = self._converted(np.where(self.restates, local.closing[keys, period], 0), "closing", period)
                carried = opening + activity
                self.closing[:, period] = np.where(self.restates, after, carried)
                if not self.source.lines:
                    self._take_remainder(period)

    def _rolled(self, carried: IntArray, year: int, last: int) -> IntArray:
        """What stands at the beginning of the next year.

        A result key leaves its translated amount to retained earnings. Closing entries of result keys are moved to
        retained earnings in local currency first, so that a year that was closed by entries reads as one that was not.
        """
        restarting = self.target >= 0
        own = self.local.closed[self.keys, year].copy()
        np.add.at(own, self.target[restarting], own[restarting])
        own[restarting] = 0
        self.closed[:, year] = self._converted(own, "average", last)
        result = carried + self.closed[:, year]
        left = np.where(self.restates, self.closing[:, last], carried)
        self.residual[restarting, year] = left[restarting]
        result[restarting] = 0
        np.add.at(result, self.target[restarting], left[restarting])
        return result

    def _take_remainder(self, period: int) -> None:
        for table in (self.opening, self.closing):
            table[self.reserve, period] = 0
            if not self.is_part:
                table[self.remainder_key, period] = -int(table[:, period].sum())
        self.debits[self.reserve, period] = self.credits[self.reserve, period] = 0
        if self.is_part:
            return
        activity = int((self.credits[:, period] - self.debits[:, period]).sum())
        self.debits[self.remainder_key, period], self.credits[self.remainder_key, period] = (
            max(activity, 0),
            max(-activity, 0),
        )
