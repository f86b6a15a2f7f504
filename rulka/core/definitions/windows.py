"""Windows of time: text such as `last 12 periods` and a period to the run of periods or days a column looks through."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass, replace
from datetime import date, timedelta
from functools import lru_cache
from typing import Final, Literal

from rulka.core.books.calendar import FiscalCalendar, Period, Window
from rulka.core.errors import RulkaError

WINDOWS: Final = (
    "period",
    "quarter",
    "quarter to date",
    "year to date",
    "year",
    "remaining year",
    "from the beginning",
)
"""The windows that are plain words; see `WINDOW_FORMS` for those with numbers."""

WINDOW_FORMS = "last 12 periods, periods 1 to 6, week 2, days 1 to 10, days 16 to last or 2026-10-05 to 2026-10-11"
LAST = re.compile(r"last ([1-9][0-9]{0,2}) periods?", re.ASCII)
NUMBERED = re.compile(r"periods? ([1-9][0-9]?)(?: to ([1-9][0-9]?))?", re.ASCII)
WEEK = re.compile(r"week ([1-9][0-9]?)", re.ASCII)
PART = re.compile(r"days? ([1-9][0-9]{0,2})(?: to ([1-9][0-9]{0,2}|last))?", re.ASCII)
DAYS = re.compile(r"([0-9]{4}-[0-9]{2}-[0-9]{2}) to ([0-9]{4}-[0-9]{2}-[0-9]{2})", re.ASCII)
SHIFT = re.compile(r"(?P<count>[+-]?[0-9]{1,3}) (?P<unit>year|quarter|period)s?", re.ASCII)
WEEKDAYS = ("monday", "tuesday", "wednesday", "thursday", "friday", "saturday", "sunday")


WindowKind = Literal[
    "period",
    "quarter",
    "quarter to date",
    "year to date",
    "year",
    "remaining year",
    "from the beginning",
    "last",
    "numbered",
    "week",
    "days of period",
    "days",
    "piece",
]
BY_DAY = ("week", "days of period", "days")
"""Kinds of windows that may begin and end within a period."""


@dataclass(frozen=True)
class WindowDef:
    """What time a definition asks for: `first` is the number of a `last`, `numbered`, `week` or `days of period`
    window, `last` where a numbered one or some days of the period end (0 for its last day), `start` and `end` the days
    of `days`, both included; `piece` is the piece of a series."""

    written: str
    kind: WindowKind
    first: int = 0
    last: int = 0
    start: date | None = None
    end: date | None = None


PERIOD, PIECE = WindowDef("period", "period"), WindowDef("", "piece")
"""What a column looks through that says nothing: a period, inside of a series through time the piece it stands in."""


@dataclass(frozen=True)
class Stretch:
    """Periods one after the other of the calendar that a statement is run in; `following` is the one that the next
    stretch begins with, `of_all` says that they begin with the books, however far these reach back."""

    periods: tuple[Period, ...]
    following: Period | None = None
    of_all: bool = False


@dataclass(frozen=True)
class Shift:
    """How far a window is moved before it is looked through: years first, then quarters and ordinary periods."""

    years: int = 0
    quarters: int = 0
    periods: int = 0
    written: str = ""

    def __bool__(self) -> bool:
        return bool(self.years or self.quarters or self.periods)


NO_SHIFT = Shift()


def read_shift(text: str) -> Shift:
    """`-1 year`, `-3 periods` or `-1 year, +1 quarter`; raises RulkaError on anything else."""
    shift = Shift(written=text)
    for part in text.split(",") if text else ():
        match = SHIFT.fullmatch(part.strip())
        if match is None:
            raise RulkaError(
                f"'{text}' is not a shift.", hint="Write -1 year, -2 quarters or -3 periods.", code="shift"
            )
        field = match["unit"] + "s"
        shift = replace(shift, **{field: getattr(shift, field) + int(match["count"])})
    return shift


@lru_cache(maxsize=1024)
def read_window(text: str) -> WindowDef:
    """Read a window, whatever the period it will be seen from; raises RulkaError on what is none."""
    for kind in WINDOWS:
        if text == kind:
            return WindowDef(text, kind)
    if last := LAST.fullmatch(text):
        return WindowDef(text, "last", int(last[1]))
    if numbered := NUMBERED.fullmatch(text):
        first, until = int(numbered[1]), int(numbered[2] or numbered[1])
        if first > until:
            raise RulkaError(f"'{text}' runs backwards.", hint="Give the earlier period first.", code="window")
        return WindowDef(text, "numbered", first, until)
    if week := WEEK.fullmatch(text):
        return WindowDef(text, "week", int(week[1]))
    if part := PART.fullmatch(text):
        first, until = int(part[1]), 0 if part[2] == "last" else int(part[2] or part[1])
        if until and first > until:
            raise RulkaError(f"'{text}' runs backwards.", hint="Give the earlier day first.", code="window")
        return WindowDef(text, "days of period", first, until)
    if days := DAYS.fullmatch(text):
        start, end = _day(days[1], text), _day(days[2], text)
        if end < start:
            raise RulkaError(f"'{text}' runs backwards.", hint="Give the earlier day first.", code="window")
        return WindowDef(text, "days", start=start, end=end)
    raise RulkaError(f"'{text}' is not a window.", hint=f"Use {', '.join(WINDOWS)}, {WINDOW_FORMS}.", code="window")


def _day(text: str, where: str) -> date:
    try:
        return date.fromisoformat(text)
    except ValueError:
        raise RulkaError(
            f"'{text}' in '{where}' is not a day.", hint="Write days as 2026-10-05.", code="window"
        ) from None


def shifted(calendar: FiscalCalendar, period: Period, shift: Shift) -> Period | None:
    """The period that many years, quarters and ordinary periods on; None outside the calendar."""
    if shift.quarters:
        _needs_quarters(calendar, period)
    return calendar.moved(period, years=shift.years, periods=shift.quarters * 3 + shift.periods)


def _needs_quarters(calendar: FiscalCalendar, period: Period) -> None:
    if not calendar.has_quarters(period.year):
        raise RulkaError(
            f"FY{period.year} has no quarters.",
            hint="Quarters need a year of twelve ordinary periods; use periods.",
            code="no-quarters",
        )


def window_at(calendar: FiscalCalendar, asked: WindowDef, period: Period, week_start: str = "period") -> Window | None:
    """The periods or days that a window means, seen from a period; None where the calendar doesn't have them.

    `quarter` and `year` are whole, with their adjusting periods; `to date` ends at the period. `last N periods`
    counts ordinary periods and takes in the adjusting ones it passes over.
    """
    of_year = calendar.of_year(period.year)
    match asked.kind:
        case "period":
            return Window(period.index, period.index, period.title)
        case "year":
            return Window(of_year[0].index, of_year[-1].index, f"FY{period.year}")
        case "year to date":
            return _run(calendar, of_year[0], period)
        case "from the beginning":
            return _run(calendar, calendar.periods[0], period)
        case "remaining year":
            later = [p for p in of_year if p.index > period.index]
            return _run(calendar, later[0], later[-1]) if later else None
        case "quarter" | "quarter to date":
            _needs_quarters(calendar, period)
            quarter = calendar.quarter_of(period)
            of_quarter = [p for p in of_year if calendar.quarter_of(p) == quarter]
            if asked.kind == "quarter":
                return Window(of_quarter[0].index, of_quarter[-1].index, f"Quarter {quarter}, FY{period.year}")
            return _run(calendar, of_quarter[0], period)
        case "last":
            return _last_periods(calendar, period, asked.first)
        case "numbered":
            chosen = [p for p in of_year if asked.first <= p.number <= asked.last]
            return _run(calendar, chosen[0], chosen[-1]) if chosen else None
        case "week":
            weeks = list(weeks_of(period, week_start))
            return weeks[asked.first - 1] if asked.first <= len(weeks) else None
        case "days of period":
            return _days_of(period, asked)
        case "days":
            return _between(calendar, asked)
        case "piece":
            raise RulkaError("Only a series through time has pieces.", hint="Say which window.", code="window")


def stretches_of(calendar: FiscalCalendar, asked: WindowDef, period: Period) -> tuple[Stretch, list[Stretch], str]:
    """The whole of a window seen from a period, the stretch of each of its periods, and in words what of it the
    calendar lacks."""
    window, lacks = window_at(calendar, asked, period), ""
    if window is None:
        lacks = f"the calendar has no {asked.written}, seen from {period.code}"
        if asked.kind == "last":
            window = window_at(calendar, read_window("from the beginning"), period)
            lacks += ": only the periods that it has are shown and added up"
    periods = calendar.periods[window.first : window.last + 1] if window else ()
    following = (*periods[1:], None)
    each = [Stretch((own,), after) for own, after in zip(periods, following, strict=False)]
    of_all = bool(periods) and periods[0].index == 0 and (asked.kind == "from the beginning" or bool(lacks))
    return Stretch(tuple(periods), of_all=of_all), each, lacks


def _last_periods(calendar: FiscalCalendar, period: Period, count: int) -> Window | None:
    """That many ordinary periods up to a period, with the adjusting ones that they pass over."""
    own = period if not period.adjusting else [p for p in calendar.of_year(period.year) if not p.adjusting][-1]
    first = calendar.moved(own, periods=1 - count)
    return _run(calendar, first, period) if first else None


def _days_of(period: Period, asked: WindowDef) -> Window | None:
    """Days counted from the period's first one; a period that is shorter ends them, or has none of them."""
    start = period.start + timedelta(days=asked.first - 1)
    end = min(period.start + timedelta(days=asked.last - 1), period.end) if asked.last else period.end
    return Window(period.index, period.index, days_title(start, end), start, end) if start <= period.end else None


def _between(calendar: FiscalCalendar, asked: WindowDef) -> Window | None:
    assert asked.start is not None and asked.end is not None
    opening, closing = calendar.on(asked.start), calendar.on(asked.end)
    if not opening or not closing:
        return None
    return Window(opening.index, closing.index, days_title(asked.start, asked.end), asked.start, asked.end)


def _run(calendar: FiscalCalendar, first: Period, last: Period) -> Window:
    return Window(first.index, last.index, calendar.range_title(first, last))


def weeks_of(period: Period, week_start: str = "period") -> Iterator[Window]:
    """The weeks of a period, cut at its ends so that they add up to it; from its first day or from a weekday on."""
    start = period.start
    while start <= period.end:
        days = 7 if week_start == "period" else (WEEKDAYS.index(week_start) - start.weekday() - 1) % 7 + 1
        following = start + timedelta(days=days)
        end = min(following - timedelta(days=1), period.end)
        yield Window(period.index, period.index, days_title(start, end), start, end)
        start = following


def days_title(start: date, end: date) -> str:
    """`5 to 11 October 2026`, `28 September to 4 October 2026`, `5 October 2026`."""
    closing = f"{end.day} {end:%B %Y}"
    if start == end:
        return closing
    if start.year != end.year:
        return f"{start.day} {start:%B %Y} to {closing}"
    return f"{start.day} to {closing}" if start.month == end.month else f"{start.day} {start:%B} to {closing}"


def pieces_of(calendar: FiscalCalendar, window: Window, each: str, week_start: str = "period") -> list[Window]:
    """A window cut into periods (adjusting ones too), quarters, years or weeks."""
    if each == "week":
        return [
            week
            for p in calendar.periods[window.first : window.last + 1]
            if not p.adjusting
            for week in weeks_of(p, week_start)
        ]
    pieces: list[list[Period]] = []
    former: object = None
    for period in calendar.periods[window.first : window.last + 1]:
        if each == "quarter":
            _needs_quarters(calendar, period)
        own = {"period": period.index, "quarter": (period.year, calendar.quarter_of(period)), "year": period.year}[each]
        if pieces and own == former:
            pieces[-1].append(period)
        else:
            pieces.append([period])
        former = own
    return [Window(piece[0].index, piece[-1].index, _piece_title(calendar, piece, each)) for piece in pieces]


def _piece_title(calendar: FiscalCalendar, piece: list[Period], each: str) -> str:
    first = piece[0]
    if each == "year" and len(piece) == len(calendar.of_year(first.year)):
        return f"FY{first.year}"
    if (
        each == "quarter"
        and [p for p in calendar.of_year(first.year) if calendar.quarter_of(p) == calendar.quarter_of(first)] == piece
    ):
        return f"Quarter {calendar.quarter_of(first)}, FY{first.year}"
    ordinary = [p for p in piece if not p.adjusting] or piece
    return calendar.range_title(ordinary[0], ordinary[-1])
