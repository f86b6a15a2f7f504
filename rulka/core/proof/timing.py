"""When a variance came: both its sides period by period, and hints that it is a matter of time: the compared side has
it in another period, or last year had it in this one."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction
from typing import Literal

import numpy as np

from rulka.core.books.calendar import FiscalCalendar, Window
from rulka.core.compute.computed import Computed
from rulka.core.compute.readings import FLOWS
from rulka.core.proof.pools import factor_of
from rulka.core.proof.splits import OpenedFigure
from rulka.core.proof.terms import Term, sides_of, terms_of

ALIKE = Fraction(15, 100)
"""Amounts that differ by no more than this part are taken for the same thing."""

AROUND = 12
"""Periods before and after a window in which the same amount is looked for."""

WORTH = Fraction(1, 4)
"""The part of a variance that an account must make up for a hint about it."""

MOST_HINTS = 3

STEP = Fraction(4, 100)
"""The least step between periods before and after that is one."""

HintKind = Literal["elsewhere", "ahead", "last year"]


@dataclass(frozen=True)
class TimedMonth:
    """Both sides of a variance in one period, presented sign and major units."""

    period: str
    title: str
    short: str
    shown: Fraction
    compared: Fraction
    inside: bool

    @property
    def difference(self) -> Fraction:
        return self.shown - self.compared


@dataclass(frozen=True)
class Hint:
    """That a part of a variance is a matter of time: the account, how much of the variance it is, the period that has
    the same the other way round (elsewhere), has it planned (ahead), or had it a year before (last year), and how
    much."""

    kind: HintKind
    account: str
    label: str
    value: Fraction
    period: str
    title: str
    other: Fraction


@dataclass(frozen=True)
class Timing:
    """The periods of a variance, hints about it, and the period from which on both sides go apart (`turn`), upwards or
    downwards by the size of what is shown; empty where there is none such."""

    months: tuple[TimedMonth, ...] = ()
    hints: tuple[Hint, ...] = ()
    turn: str = ""
    is_up: bool = False


def timing_of(opened: OpenedFigure) -> Timing:
    """When the difference that was opened came; nothing where its columns show what stands instead of what moved, or
    days, or count periods of different calendars."""
    computed = opened.computed
    sides = sides_of(computed, opened.column_key)
    terms = None if opened.is_narrowed or sides is None else terms_of(computed, opened.row.key, opened.column_key)
    if sides is None or not terms or any(term.is_closed for term in terms):
        return Timing()
    window = _window(computed, terms, 0)
    if window is None or not all(_is_flow(computed, term) for term in terms):
        return Timing()
    calendar = computed.plan.calendar_of(terms[0].column)
    reader = _Reader(computed, calendar, terms, window)
    months = reader.months()
    turn, is_up = turn_of(months)
    return Timing(months, reader.hints(abs(opened.value or Fraction(0))), turn, is_up)


def turn_of(months: Sequence[TimedMonth]) -> tuple[str, bool]:
    """The period from which on what is shown is always more (or always less) of what it is compared with than in any
    period before, by some hundredths; nothing where no such step is."""
    if any(not month.compared or month.shown * month.compared <= 0 for month in months):
        return "", False
    parts = [month.shown / month.compared for month in months]
    best, found = STEP, ("", False)
    for at in range(2, len(parts) - 1):
        before, after = parts[:at], parts[at:]
        for up, step in ((True, min(after) - max(before)), (False, min(before) - max(after))):
            if step >= best:
                best, found = step, (months[at].period, up)
    return found


def _is_flow(computed: Computed, term: Term) -> bool:
    reading = computed.readings.reading(term.leaf, term.column)
    return reading.measure in FLOWS and reading.window is not None and not reading.window.by_day


def _window(computed: Computed, terms: tuple[Term, ...], side: int) -> Window | None:
    """The one window of a side."""
    found = {computed.readings.reading(term.leaf, term.column).window for term in terms if term.side == side}
    calendars = {term.column.calendar for term in terms}
    return found.pop() if len(found) == 1 and len(calendars) == 1 else None


class _Reader:
    def __init__(self, computed: Computed, calendar: FiscalCalendar, terms: tuple[Term, ...], window: Window) -> None:
        self.computed, self.calendar, self.window = computed, calendar, window
        self.accounts: dict[int, tuple[list[Fraction], list[Fraction]]] = {}
        self.last_year: dict[int, list[Fraction]] = {}
        other = _window(computed, terms, 1)
        self.shift = window.first - other.first if other else 0
        for term in terms:
            self._add(term)
        counts = computed.view.in_calendar(terms[0].column.calendar).balances("actual").counts
        moved = np.flatnonzero((counts[:, 1:] != counts[:, :-1]).any(axis=0))
        self.booked = int(moved[-1]) if len(moved) else -1

    def _add(self, term: Term) -> None:
        """A term's amounts by account and period, the compared side's moved to the periods it is compared with."""
        computed = self.computed
        reading = computed.readings.reading(term.leaf, term.column)
        balances = computed.view.balances_of(reading.source)
        keys = np.flatnonzero(computed.readings.keys_behind(term.leaf, term.column))
        debit = balances.debits[keys, 1:] - balances.debits[keys, :-1]
        credit = balances.credits[keys, 1:] - balances.credits[keys, :-1]
        amounts = {"debits": debit, "credits": credit}.get(reading.measure, debit - credit)
        factor = factor_of(computed, term)
        of_key = computed.view.keys.account[keys]
        for account in np.unique(of_key):
            sums = [factor * int(value) for value in amounts[of_key == account].sum(axis=0)]
            own = self.accounts.setdefault(int(account), (self._nothing(), self._nothing()))
            if term.side and self.shift:
                sums = self._moved(sums, self.shift)
            for at, value in enumerate(sums):
                own[term.side][at] += value

    def _nothing(self) -> list[Fraction]:
        return [Fraction(0)] * len(self.calendar.periods)

    def _moved(self, values: list[Fraction], by: int) -> list[Fraction]:
        found = self._nothing()
        for at, value in enumerate(values):
            if 0 <= at + by < len(found):
                found[at + by] = value
        return found

    def months(self) -> tuple[TimedMonth, ...]:
        """The periods of the window, of a single one those of its year so far."""
        window, periods = self.window, self.calendar.periods
        first = window.first
        if window.first == window.last:
            first = self.calendar.of_year(periods[window.last].year)[0].index
        found = []
        for at in range(first, window.last + 1):
            period = periods[at]
            shown = sum((sides[0][at] for sides in self.accounts.values()), Fraction(0))
            compared = -sum((sides[1][at] for sides in self.accounts.values()), Fraction(0))
            if period.adjusting and not shown and not compared:
                continue
            short = f"{period.end:%b}" if period.is_month else f"P{period.number:02d}"
            found.append(TimedMonth(period.code, period.title, short, shown, compared, at >= window.first))
        return tuple(found)

    def hints(self, whole: Fraction) -> tuple[Hint, ...]:
        found = []
        for account, sides in self.accounts.items():
            value = self._sum(sides[0]) + self._sum(sides[1])
            if value and abs(value) >= WORTH * whole and (hint := self._hint(account, sides, value)):
                found.append(hint)
        return tuple(sorted(found, key=lambda hint: -abs(hint.value))[:MOST_HINTS])

    def _sum(self, values: list[Fraction]) -> Fraction:
        return sum(values[self.window.first : self.window.last + 1], Fraction(0))

    def _hint(self, account: int, sides: tuple[list[Fraction], list[Fraction]], value: Fraction) -> Hint | None:
        """The nearest period that has the same amount the other way round; else that last year had it."""
        window, periods = self.window, self.calendar.periods
        item = self.computed.view.frame.accounts.items[account]
        near = [
            at
            for distance in range(1, AROUND + 1)
            for at in (window.first - distance, window.last + distance)
            if 0 <= at < len(periods) and not self._is_itself(at)
        ]
        usual = _usual([sides[0][at] + sides[1][at] for at in near if at <= self.booked])
        for at in near:
            ahead, other = at > self.booked, sides[0][at] + sides[1][at]
            unusual = self._is_single(sides[1], at) if ahead else abs(other) > 3 * usual
            if _alike(value, -other) and unusual and not (ahead and sides[0][at]):
                kind: HintKind = "ahead" if ahead else "elsewhere"
                return Hint(kind, item.code, item.name, value, periods[at].code, periods[at].title, -sides[1][at])
        before = [at - self._year() for at in range(window.first, window.last + 1)]
        if self.shift or min(before) < 0:
            return None
        shown, last = self._sum(sides[0]), sum((sides[0][at] for at in before), Fraction(0))
        if _alike(shown, last) and abs(shown - last) < abs(value) / 2:
            period = periods[before[-1]]
            title = self.calendar.range_title(periods[before[0]], period)
            return Hint("last year", item.code, item.name, value, period.code, title, last)
        return None

    def _is_itself(self, at: int) -> bool:
        """Whether what is compared at a period is what the window shows, or shown there what it is compared with: then
        that it is the other way round says nothing."""
        window = self.window
        return bool(self.shift) and any(window.first <= at + by <= window.last for by in (self.shift, -self.shift))

    def _is_single(self, planned: list[Fraction], at: int) -> bool:
        """Whether the plan of a period to come stands out: much more than in the window that is explained."""
        window = self.window
        mean = abs(self._sum(planned)) / (window.last - window.first + 1)
        return abs(planned[at]) > 2 * mean

    def _year(self) -> int:
        """How many periods a year before is away."""
        periods = self.calendar.periods
        before = self.calendar.moved(periods[self.window.last], years=-1)
        return self.window.last - before.index if before else len(periods)


def _usual(values: list[Fraction]) -> Fraction:
    """The middle one of some sizes."""
    sizes = sorted(abs(value) for value in values)
    return sizes[len(sizes) // 2] if sizes else Fraction(0)


def _alike(one: Fraction, other: Fraction) -> bool:
    """Whether two amounts are the same thing, more or less."""
    larger = max(abs(one), abs(other))
    return bool(larger) and abs(one - other) <= ALIKE * larger
