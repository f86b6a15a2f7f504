"""A period as formulas write it, to the run of periods or days it means: `2027-P07`, `2027-Q3`, `ytd 2027-P07`,
`last 12 to 2027-P07`, `2027-P01 to 2027-P07`, `this - 1 year`, `2026-10-15` (up to that
day), `year of this - 1 year`."""

from __future__ import annotations

import re
from dataclasses import dataclass, replace
from datetime import date
from decimal import Decimal

from rulka.core.books.calendar import FiscalCalendar, Period, Window
from rulka.core.definitions.windows import days_title, read_shift, read_window, shifted, window_at
from rulka.core.errors import NotFound, RulkaError
from rulka.core.sheet.values import FIRST_SERIAL, LAST_SERIAL, Scalar, day_of

EXPECTED = (
    "Write 2027-P07, 2026-10, 2027-Q3, 2027, a day, 2027-P01 to 2027-P07, ytd 2027-P07, last 12 to 2027-P07, "
    "year of 2027-P07, this or this - 1 year."
)
OWN = re.compile(r"own\s+", re.IGNORECASE)
TO_DATE = re.compile(r"(?:ytd|year to date)\b\s*", re.IGNORECASE)
QUARTER_TO_DATE = re.compile(r"(?:qtd|quarter to date)\b\s*", re.IGNORECASE)
WHOLE = re.compile(r"(year|quarter)\s+of\b\s*", re.IGNORECASE)
LAST = re.compile(r"last\s+([1-9][0-9]{0,2})(?:\s+periods?)?(?:\s+to\s+(?P<to>.+))?", re.IGNORECASE | re.ASCII)
RANGE = re.compile(r"(?P<first>.+?)\s+to\s+(?P<last>.+)", re.IGNORECASE)
MOVED = re.compile(
    r"(?P<base>.+?)\s*(?P<sign>[+\-\u2212])\s*(?P<count>[0-9]{1,3})\s+(?P<unit>year|quarter|period|month)s?",
    re.IGNORECASE | re.ASCII,
)
CODE = re.compile(r"(?:FY\s*)?([0-9]{4})\s*[-/. ]?\s*P\s*([0-9]{1,2})", re.IGNORECASE | re.ASCII)
CODE_FIRST = re.compile(r"P\s*([0-9]{1,2})\s*[-/., ]?\s*(?:FY\s*)?([0-9]{4})", re.IGNORECASE | re.ASCII)
MONTH = re.compile(r"([0-9]{4})[-/.]([0-9]{1,2})", re.ASCII)
MONTH_FIRST = re.compile(r"([0-9]{1,2})[-/.]([0-9]{4})", re.ASCII)
QUARTER = re.compile(r"(?:FY\s*)?([0-9]{4})\s*[-/. ]?\s*Q\s*([1-4])", re.IGNORECASE | re.ASCII)
QUARTER_FIRST = re.compile(r"Q\s*([1-4])\s*[-/., ]?\s*(?:FY\s*)?([0-9]{4})", re.IGNORECASE | re.ASCII)
YEAR = re.compile(r"(?:FY\s*)?([0-9]{4})", re.IGNORECASE | re.ASCII)
DAY = re.compile(r"([0-9]{4})-([0-9]{2})-([0-9]{2})", re.ASCII)


@dataclass(frozen=True)
class SheetTime:
    """What a period argument means: its window, the period it ends in, and whether it is by the entity's own
    calendar."""

    window: Window
    period: Period
    own: bool = False


def period_text(value: Scalar) -> str:
    """A period argument as text: a number is a year, or from 10,000 on a day."""
    if value is None:
        return ""
    if isinstance(value, Decimal):
        if value == value.to_integral_value() and 1000 <= value <= 9999:
            return str(int(value))
        if FIRST_SERIAL <= value <= LAST_SERIAL and value >= 10_000:
            return day_of(value).isoformat()
        raise RulkaError(f"{value:f} is neither a year nor a day.", hint=EXPECTED, subject="period")
    if isinstance(value, str):
        return " ".join(value.split())
    raise RulkaError("It is no period.", hint=EXPECTED, subject="period")


def is_own(text: str) -> bool:
    """Whether a period asks for the entity's own calendar."""
    return OWN.match(text) is not None


def read_time(calendar: FiscalCalendar, text: str, reporting: Period) -> SheetTime:
    """The time that a period argument means, seen from the reporting period; raises RulkaError that says what is
    expected."""
    own = OWN.match(text)
    if own:
        text = text[own.end() :]
    window = _window(calendar, text.strip(), reporting, 0)
    return SheetTime(window, calendar.periods[window.last], own is not None)


def _none(text: str, calendar: FiscalCalendar) -> NotFound:
    first, last = calendar.periods[0], calendar.periods[-1]
    return NotFound(
        f"'{text[:60]}' is not a period of this ledger.",
        hint=f"{EXPECTED} The calendar runs from {first.code} to {last.code}.",
        subject="period",
    )


def _window(calendar: FiscalCalendar, text: str, reporting: Period, depth: int) -> Window:
    if not text or text.casefold() in ("this", "this period"):
        return Window(reporting.index, reporting.index, reporting.title)
    if depth > 4:
        raise _none(text, calendar)
    if found := TO_DATE.match(text):
        return _to_date(calendar, _window(calendar, text[found.end() :], reporting, depth + 1), "year to date")
    if found := QUARTER_TO_DATE.match(text):
        return _to_date(calendar, _window(calendar, text[found.end() :], reporting, depth + 1), "quarter to date")
    if found := WHOLE.match(text):
        end = _window(calendar, text[found.end() :], reporting, depth + 1)
        window = window_at(calendar, read_window(found[1].lower()), calendar.periods[end.last])
        assert window is not None  # a period is always in its year, and quarters are refused in words
        return window
    if found := LAST.fullmatch(text):
        end = _window(calendar, found["to"] or "", reporting, depth + 1)
        _whole(end, text)
        window = window_at(calendar, read_window(f"last {found[1]} periods"), calendar.periods[end.last])
        if window is None:
            raise _none(text, calendar)
        return window
    if found := RANGE.fullmatch(text):
        return _between(
            calendar,
            _window(calendar, found["first"], reporting, depth + 1),
            _window(calendar, found["last"], reporting, depth + 1),
            text,
        )
    simple = _simple(calendar, text, reporting)
    if simple is not None:
        return simple
    if found := MOVED.fullmatch(text):
        return _moved(calendar, found, reporting, depth)
    raise _none(text, calendar)


def _simple(calendar: FiscalCalendar, text: str, reporting: Period) -> Window | None:
    """A period, quarter, year or day; None where it is none of these."""
    if found := DAY.fullmatch(text):
        return _up_to(calendar, text, found)
    if found := QUARTER.fullmatch(text):
        return _quarter(calendar, int(found[1]), int(found[2]), text)
    if found := QUARTER_FIRST.fullmatch(text):
        return _quarter(calendar, int(found[2]), int(found[1]), text)
    if found := YEAR.fullmatch(text):
        of_year = calendar.of_year(int(found[1]))
        if not of_year:
            raise _none(text, calendar)
        return Window(of_year[0].index, of_year[-1].index, f"FY{found[1]}")
    code = text
    if found := CODE.fullmatch(text):
        code = f"{found[1]}-P{int(found[2]):02d}"
    elif found := CODE_FIRST.fullmatch(text):
        code = f"{found[2]}-P{int(found[1]):02d}"
    elif found := MONTH.fullmatch(text):
        code = f"{found[1]}-{int(found[2]):02d}"
    elif found := MONTH_FIRST.fullmatch(text):
        code = f"{found[2]}-{int(found[1]):02d}"
    try:
        period = calendar.period(code)
    except NotFound as error:
        if "may be" in error.message:
            raise
        return None
    return Window(period.index, period.index, period.title)


def _up_to(calendar: FiscalCalendar, text: str, found: re.Match[str]) -> Window:
    try:
        day = date(int(found[1]), int(found[2]), int(found[3]))
    except ValueError:
        raise RulkaError(f"'{text}' is not a day.", hint="Write days as 2026-10-15.", subject="period") from None
    period = calendar.on(day)
    if period is None:
        raise _none(text, calendar)
    if day == period.end:
        return Window(period.index, period.index, period.title)
    return Window(period.index, period.index, days_title(period.start, day), period.start, day)


def _quarter(calendar: FiscalCalendar, year: int, number: int, text: str) -> Window:
    of_year = calendar.of_year(year)
    if not of_year:
        raise _none(text, calendar)
    window_at(calendar, read_window("quarter"), of_year[0])  # says where a year has no quarters
    chosen = [period for period in of_year if calendar.quarter_of(period) == number]
    return Window(chosen[0].index, chosen[-1].index, f"Quarter {number}, FY{year}")


def _to_date(calendar: FiscalCalendar, end: Window, kind: str) -> Window:
    """From the beginning of the year or quarter to where another window ends."""
    window = window_at(calendar, read_window(kind), calendar.periods[end.last])
    assert window is not None  # a period is always in its year, and quarters are refused in words
    if end.end is None:
        return window
    start = calendar.periods[window.first].start
    return replace(window, title=days_title(start, end.end), start=start, end=end.end)


def _whole(window: Window, text: str) -> None:
    if window.by_day:
        raise RulkaError(f"'{text}' counts periods up to a day.", hint="Name the period it goes to.", subject="period")


def _between(calendar: FiscalCalendar, first: Window, last: Window, text: str) -> Window:
    starts = first.end if first.by_day else calendar.periods[first.first].start
    if (last.last, last.end or date.max) < (first.first, starts if first.by_day and last.by_day else date.min):
        raise RulkaError(f"'{text}' runs backwards.", hint="Give the earlier one first.", subject="period")
    if not first.by_day and not last.by_day:
        opening, closing = calendar.periods[first.first], calendar.periods[last.last]
        return Window(first.first, last.last, calendar.range_title(opening, closing))
    start = starts or calendar.periods[first.first].start
    end = last.end or calendar.periods[last.last].end
    if end < start:
        raise RulkaError(f"'{text}' runs backwards.", hint="Give the earlier day first.", subject="period")
    return Window(first.first, last.last, days_title(start, end), start, end)


def _moved(calendar: FiscalCalendar, found: re.Match[str], reporting: Period, depth: int) -> Window:
    """A window moved by years, quarters or periods; its ends keep their places."""
    base = _window(calendar, found["base"], reporting, depth + 1)
    _whole(base, found[0])
    sign = "+" if found["sign"] == "+" else "-"
    unit = "period" if found["unit"].lower() == "month" else found["unit"].lower()
    shift = read_shift(f"{sign}{int(found['count'])} {unit}")
    first, last = (shifted(calendar, calendar.periods[place], shift) for place in (base.first, base.last))
    if first is None or last is None:
        raise _none(found[0], calendar)
    if first.index == last.index:
        return Window(first.index, last.index, first.title)
    of_year = calendar.of_year(first.year)
    if (of_year[0].index, of_year[-1].index) == (first.index, last.index):
        return Window(first.index, last.index, f"FY{first.year}")
    return Window(first.index, last.index, calendar.range_title(first, last))


def written_window(calendar: FiscalCalendar, window: Window) -> str:
    """A window as a period argument that means it again."""
    first, last = calendar.periods[window.first], calendar.periods[window.last]
    if window.start is not None and window.end is not None:
        return f"{window.start} to {window.end}" if window.start != first.start or first != last else str(window.end)
    return first.code if first == last else f"{first.code} to {last.code}"
