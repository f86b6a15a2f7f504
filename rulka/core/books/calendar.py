"""The fiscal calendar: years, periods, and the windows of time a column looks through."""

from __future__ import annotations

import calendar as months
import itertools
import re
from bisect import bisect_right
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from functools import cached_property

from rulka.core.errors import NotFound, RulkaError

MONTH_CODE = re.compile(r"([0-9]{4})-([0-9]{2})", re.ASCII)


@dataclass(frozen=True)
class Period:
    """One fiscal period; `index` is its place in the calendar, both dates are included."""

    year: int
    number: int
    start: date
    end: date
    name: str = ""
    adjusting: bool = False
    index: int = -1

    @property
    def code(self) -> str:
        return f"{self.year}-P{self.number:02d}"

    @property
    def is_month(self) -> bool:
        """Whether it is a calendar month."""
        ends_month = (self.end + timedelta(days=1)).day == 1
        return not self.adjusting and self.start.day == 1 and ends_month and self.start.month == self.end.month

    @property
    def title(self) -> str:
        """What a person calls it: `October 2026` for a calendar month, otherwise its own name."""
        if self.name:
            return self.name
        if self.adjusting:
            return f"Adjusting period {self.number}, FY{self.year}"
        if self.is_month:
            return f"{months.month_name[self.start.month]} {self.start.year}"
        return f"Period {self.number}, FY{self.year}"


@dataclass(frozen=True)
class Window:
    """A run of periods, first and last index included, with what a person calls it.

    With `start` and `end` (both included) it is a run of days inside of these periods instead.
    """

    first: int
    last: int
    title: str
    start: date | None = None
    end: date | None = None

    @property
    def by_day(self) -> bool:
        return self.start is not None


def _begins(title: Sequence[str], words: Sequence[str]) -> bool:
    """Whether each word begins the word of a title in its place; a year may be written by its last two digits."""
    pairs = zip(title, words, strict=True) if len(title) == len(words) else ()
    return (
        bool(words)
        and len(title) == len(words)
        and all(
            own.startswith(word) or (len(own) == 4 and own.isdigit() and len(word) == 2 and own.endswith(word))
            for own, word in pairs
        )
    )


@dataclass(frozen=True)
class FiscalCalendar:
    """All periods of a ledger in order, adjusting ones after the ordinary ones of their year."""

    periods: tuple[Period, ...]

    @cached_property
    def by_code(self) -> Mapping[str, Period]:
        return {period.code: period for period in self.periods}

    @cached_property
    def years(self) -> list[int]:
        return sorted({period.year for period in self.periods})

    @cached_property
    def _by_year(self) -> Mapping[int, list[Period]]:
        found: dict[int, list[Period]] = {}
        for period in self.periods:
            found.setdefault(period.year, []).append(period)
        return found

    def of_year(self, year: int) -> list[Period]:
        return self._by_year.get(year, [])

    def first_of_year(self) -> list[int]:
        """The index of each year's first period, in year order."""
        return [self.of_year(year)[0].index for year in self.years]

    def period(self, text: str) -> Period:
        """Find a period by `2027-P07`, by a calendar month `2026-10` that is one period, or by its name: `October
        2026`, `oct 2026`."""
        text = " ".join(text.split())
        found = self.by_code.get(text.upper())
        if found is None and (month := MONTH_CODE.fullmatch(text)):
            found = self._of_month(int(month[1]), int(month[2]))
        if found is None:
            named = self.named(text)
            found = named[0] if len(named) == 1 else None
            if len(named) > 1:
                told = ", ".join(f"{period.title} ({period.code})" for period in named[:4])
                raise NotFound(
                    f"'{text}' may be {told}.", hint="Write more of its name, or its code.", subject="period"
                )
        if found is None:
            first, last = self.periods[0], self.periods[-1]
            raise NotFound(
                f"'{text}' is not a period of this ledger.",
                hint=f"Its calendar runs from {first.code}, {first.title}, to {last.code}, {last.title}.",
                subject="period",
            )
        return found

    def named(self, text: str) -> list[Period]:
        """The periods whose names begin as the text does, word by word: `oct 26` is October 2026; one that is called
        just so goes first."""
        words = text.casefold().replace(",", " ").split()
        found = (
            [period for period in self.periods if _begins(period.title.casefold().replace(",", " ").split(), words)]
            if words
            else []
        )
        exact = [period for period in found if period.title.casefold() == text.casefold()]
        return exact or found

    def _of_month(self, year: int, month: int) -> Period | None:
        if not 1 <= month <= 12:
            return None
        first = date(year, month, 1)
        last = date(year, month, months.monthrange(year, month)[1])
        return next((p for p in self.periods if not p.adjusting and (p.start, p.end) == (first, last)), None)

    def on(self, day: date) -> Period | None:
        """The ordinary period a date falls into, None outside the calendar."""
        place = bisect_right(self._starts, day) - 1
        return self._ordinary[place] if place >= 0 and day <= self._ordinary[place].end else None

    @cached_property
    def _starts(self) -> list[date]:
        return [period.start for period in self._ordinary]

    @cached_property
    def _ordinary(self) -> list[Period]:
        return [period for period in self.periods if not period.adjusting]

    def has_quarters(self, year: int) -> bool:
        """Whether a year has exactly twelve ordinary periods; others have no quarters."""
        return sum(not period.adjusting for period in self.of_year(year)) == 12

    def quarter_of(self, period: Period) -> int:
        """The fiscal quarter: three periods each, adjusting ones belong to the fourth."""
        if period.adjusting:
            ordinary = [p for p in self.of_year(period.year) if not p.adjusting]
            return self.quarter_of(ordinary[-1])
        return min((period.number - 1) // 3 + 1, 4)

    def moved(self, period: Period, *, years: int = 0, periods: int = 0) -> Period | None:
        """The same-numbered period of another year, or so many ordinary periods on; None outside the calendar."""
        if years:
            target = self.by_code.get(f"{period.year + years}-P{period.number:02d}")
            if target is None:
                return None
            period = target
        if periods:
            ordinary = self._ordinary
            own = period
            if period.adjusting:
                own = [p for p in self.of_year(period.year) if not p.adjusting][-1]
            place = ordinary.index(own) + periods
            if not 0 <= place < len(ordinary):
                return None
            period = ordinary[place]
        return period

    def range_title(self, first: Period, last: Period) -> str:
        """`October 2026`, `April to October 2026`, `November 2026 to January 2027`."""
        if first.index == last.index:
            return first.title
        opening, closing = first.title, last.title
        if opening[-5:] == closing[-5:] and opening[-5:-4] == " " and opening[-4:].isdigit():
            opening = opening[:-5]
        return f"{opening} to {closing}"


def monthly_calendar(
    *, first_month: int, year_label: str, first_year: int, last_year: int, adjusting_periods: int = 0
) -> FiscalCalendar:
    """Twelve calendar months a year from any first month; the label is the year's start or end.

    Computed adjusting periods are P13, P14 ... on the year's last day.
    """
    if not 1 <= first_month <= 12:
        raise RulkaError(
            f"first_month is {first_month}.", hint="Give a month from 1 to 12.", subject="ledger.json, calendar"
        )
    if year_label not in ("start", "end"):
        raise RulkaError(f"year_label is '{year_label}'.", hint="Write start or end.", subject="ledger.json, calendar")
    if last_year < first_year:
        raise RulkaError("last_year is before first_year.", hint="Swap them.", subject="ledger.json, calendar")
    if not 1900 <= first_year <= last_year <= 2999 or last_year - first_year > 200:
        raise RulkaError(
            f"The years {first_year} to {last_year} are out of bounds.",
            hint="Give at most 200 years between 1900 and 2999.",
            subject="ledger.json, calendar",
        )
    if not 0 <= adjusting_periods <= 20:
        raise RulkaError("adjusting_periods is out of bounds.", hint="Give 0 to 20.", subject="ledger.json, calendar")
    periods: list[Period] = []
    for year in range(first_year, last_year + 1):
        begins = year - 1 if year_label == "end" and first_month > 1 else year
        for number in range(1, 13):
            month0 = first_month - 1 + number - 1
            start_year, month = begins + month0 // 12, month0 % 12 + 1
            start = date(start_year, month, 1)
            end = date(start_year, month, months.monthrange(start_year, month)[1])
            periods.append(Period(year, number, start, end, index=len(periods)))
        last_day = periods[-1].end
        for number in range(13, 13 + adjusting_periods):
            periods.append(Period(year, number, last_day, last_day, adjusting=True, index=len(periods)))
    return FiscalCalendar(tuple(periods))


def listed_calendar(rows: Iterable[Period]) -> FiscalCalendar:
    """A calendar from listed periods (4-4-5, 13 periods, short years), checked for gaps and overlaps."""
    given = sorted(rows, key=lambda p: (p.year, p.adjusting, p.number))
    if not given:
        raise RulkaError(
            "periods.csv lists no period.", hint="List every period, or leave the file out.", subject="periods.csv"
        )
    _check_numbers(given)
    _check_days([p for p in given if not p.adjusting])
    for year in {p.year for p in given}:
        _check_year([p for p in given if p.year == year], year)
    return FiscalCalendar(
        tuple(Period(p.year, p.number, p.start, p.end, p.name, p.adjusting, index) for index, p in enumerate(given))
    )


def _check_numbers(given: Sequence[Period]) -> None:
    seen: set[str] = set()
    for period in given:
        if period.code in seen:
            raise RulkaError(f"Period {period.code} is listed twice.", hint="Keep one row.", subject="periods.csv")
        seen.add(period.code)
        if period.end < period.start:
            raise RulkaError(
                f"Period {period.code} ends before it starts.", hint="Swap the dates.", subject="periods.csv"
            )


def _check_days(ordinary: Sequence[Period]) -> None:
    for former, period in itertools.pairwise(ordinary):
        expected = former.end + timedelta(days=1)
        if period.start != expected:
            what = "overlaps" if period.start < expected else "leaves a gap after"
            raise RulkaError(
                f"Period {period.code} {what} {former.code}.",
                hint=f"Let it start on {expected.isoformat()}.",
                subject="periods.csv",
            )


def _check_year(of_year: Sequence[Period], year: int) -> None:
    ordinary = [p for p in of_year if not p.adjusting]
    if not ordinary:
        raise RulkaError(f"FY{year} has no ordinary period.", hint="List its periods.", subject="periods.csv")
    if [p.number for p in ordinary] != list(range(1, len(ordinary) + 1)):
        raise RulkaError(
            f"The ordinary periods of FY{year} are not numbered 1 to {len(ordinary)}.",
            hint="Number them in order, adjusting periods after them.",
            subject="periods.csv",
        )
    for period in of_year:
        if period.adjusting and not (ordinary[0].start <= period.start and period.end <= ordinary[-1].end):
            raise RulkaError(
                f"Adjusting period {period.code} lies outside FY{year}.",
                hint="Put it within the year.",
                subject="periods.csv",
            )
        if period.adjusting and period.number <= len(ordinary):
            raise RulkaError(
                f"Adjusting period {period.code} is numbered among the ordinary ones.",
                hint=f"Number it {len(ordinary) + 1} or higher.",
                subject="periods.csv",
            )


def period_number(code: str) -> int:
    """`2027-P07` as stored: 202707."""
    return int(code[:4]) * 100 + int(code[-2:])


def period_code(number: int) -> str:
    """`202707` as a person writes it: 2027-P07."""
    return f"{number // 100}-P{number % 100:02d}"
