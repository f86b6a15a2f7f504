"""Days and times: numbers that count days."""

from __future__ import annotations

import calendar
from collections.abc import Iterable
from datetime import date, timedelta
from decimal import Decimal
from typing import Any

from rulka.core.sheet.environment import Environment
from rulka.core.sheet.registry import Flag, Given, Number, Text, Whole, sheet_function
from rulka.core.sheet.values import (
    DIVIDED,
    NUM,
    VALUE,
    Fault,
    Value,
    array_of,
    as_number,
    day_in,
    day_of,
    moment_of,
    serial,
)


def months_on(day: date, months: int) -> date:
    """The same day so many months on, or the last of a shorter month."""
    place = day.year * 12 + day.month - 1 + months
    year, month = place // 12, place % 12 + 1
    if not 1900 <= year <= 9999:
        raise Fault(NUM, "The year lies outside of 1900 to 9999.")
    return date(year, month, min(day.day, calendar.monthrange(year, month)[1]))


def _serial(day: date) -> Decimal:
    number = serial(day)
    if number < 0:
        raise Fault(NUM, "The day lies before 1900.")
    return number


@sheet_function("dates", "DATE")
def date_(year: Whole, month: Whole, day: Whole) -> Value:
    """A day. `=DATE(2026, 10, 31)`"""
    year = year + 1900 if 0 <= year < 1900 else year
    place = year * 12 + month - 1
    year, month = place // 12, place % 12 + 1
    if not 1900 <= year <= 9999 or abs(day) > 100_000:
        raise Fault(NUM, "The year lies outside of 1900 to 9999.")
    try:
        return _serial(date(year, month, 1) + timedelta(days=day - 1))
    except OverflowError:
        raise Fault(NUM, "The year lies outside of 1900 to 9999.") from None


@sheet_function("dates", volatile=True, needs=True)
def TODAY(environment: Environment) -> Value:
    """The server's day. `=TODAY()`"""
    calculation: Any = environment.calculation
    return serial(calculation.today)


@sheet_function("dates")
def DATEVALUE(text: Text) -> Value:
    """The day that a text reads as: 2026-10-31. `=DATEVALUE("2026-10-31")`"""
    day = day_in(text)
    if day is None:
        raise Fault(VALUE, f"'{text[:40]}' is not a day; write 2026-10-31.")
    return _serial(day)


@sheet_function("dates")
def YEAR(day: Number) -> Value:
    """The year of a day. `=YEAR(DATE(2026, 10, 31))` is 2026"""
    return Decimal(day_of(day).year)


@sheet_function("dates")
def MONTH(day: Number) -> Value:
    """The month of a day. `=MONTH(DATE(2026, 10, 31))` is 10"""
    return Decimal(day_of(day).month)


@sheet_function("dates", "DAY")
def day_(day: Number) -> Value:
    """The day of the month. `=DAY(DATE(2026, 10, 31))` is 31"""
    return Decimal(day_of(day).day)


WEEK_STARTS = {1: 6, 2: 0, 3: 0, 11: 0, 12: 1, 13: 2, 14: 3, 15: 4, 16: 5, 17: 6}


@sheet_function("dates")
def WEEKDAY(day: Number, kind: Whole = 1) -> Value:
    """The day of the week; kind 2 counts from Monday. `=WEEKDAY(DATE(2026, 10, 31), 2)` is 6"""
    if kind not in WEEK_STARTS:
        raise Fault(NUM, "Kind is 1, 2, 3 or 11 to 17.")
    return Decimal((day_of(day).weekday() - WEEK_STARTS[kind]) % 7 + (kind != 3))


@sheet_function("dates")
def WEEKNUM(day: Number, kind: Whole = 1) -> Value:
    """The week of the year. `=WEEKNUM(DATE(2026, 10, 31))`"""
    found = day_of(day)
    if kind == 21:
        return Decimal(found.isocalendar().week)
    if kind not in WEEK_STARTS or kind == 3:
        raise Fault(NUM, "Kind is 1, 2, 11 to 17 or 21.")
    first = date(found.year, 1, 1)
    return Decimal(((found - first).days + (first.weekday() - WEEK_STARTS[kind]) % 7) // 7 + 1)


@sheet_function("dates")
def ISOWEEKNUM(day: Number) -> Value:
    """The week of the year by ISO 8601. `=ISOWEEKNUM(DATE(2026, 10, 31))` is 44"""
    return Decimal(day_of(day).isocalendar().week)


def _months(months: int) -> int:
    if abs(months) > 120_000:
        raise Fault(NUM)
    return months


@sheet_function("dates")
def EDATE(day: Number, months: Whole) -> Value:
    """The same day so many months on. `=EDATE(DATE(2026, 1, 31), 1)`"""
    return _serial(months_on(day_of(day), _months(months)))


@sheet_function("dates")
def EOMONTH(day: Number, months: Whole) -> Value:
    """The last day of the month so many months on. `=EOMONTH(DATE(2026, 10, 5), 0)`"""
    found = months_on(day_of(day), _months(months))
    return _serial(found.replace(day=calendar.monthrange(found.year, found.month)[1]))


@sheet_function("dates")
def DAYS(end: Number, start: Number) -> Value:
    """How many days lie between. `=DAYS(DATE(2026, 10, 31), DATE(2026, 10, 1))` is 30"""
    return serial(day_of(end)) - serial(day_of(start))


def days360(start: date, end: date, *, european: bool = False) -> int:
    """Days between two days with months of 30."""
    first, last = start.day, end.day
    if european:
        first, last = min(first, 30), min(last, 30)
    else:
        if _ends_month(start):
            first = 30
        if last == 31:
            if first < 30:
                return (end.year - start.year) * 360 + (end.month + 1 - start.month) * 30 + 1 - first
            last = 30
    return (end.year - start.year) * 360 + (end.month - start.month) * 30 + last - first


def _ends_month(day: date) -> bool:
    return day.day == calendar.monthrange(day.year, day.month)[1]


@sheet_function("dates", "DAYS360")
def days360_(start: Number, end: Number, european: Flag = False) -> Value:
    """How many days lie between with months of 30. `=DAYS360(DATE(2026, 1, 1), DATE(2026, 12, 31))`"""
    return Decimal(days360(day_of(start), day_of(end), european=european))


@sheet_function("dates")
def YEARFRAC(start: Number, end: Number, basis: Whole = 0) -> Value:
    """A time as a part of a year. `=YEARFRAC(DATE(2026, 1, 1), DATE(2026, 7, 1))` is 0.5"""
    first, last = sorted((day_of(start), day_of(end)))
    if basis not in range(5):
        raise Fault(NUM, "Basis is 0 to 4.")
    actual = Decimal((last - first).days)
    if basis == 0:
        if first.month == last.month == 2 and _ends_month(first) and _ends_month(last):
            return DIVIDED.divide(Decimal((last.year - first.year) * 360), Decimal(360))
        return DIVIDED.divide(Decimal(days360(first, last)), Decimal(360))
    if basis == 1:
        return DIVIDED.divide(actual, _year_length(first, last))
    if basis == 4:
        return DIVIDED.divide(Decimal(days360(first, last, european=True)), Decimal(360))
    return DIVIDED.divide(actual, Decimal(360 if basis == 2 else 365))


def _year_length(first: date, last: date) -> Decimal:
    if first.year == last.year:
        return Decimal(365 + calendar.isleap(first.year))
    within = (last.month, last.day) <= (first.month, first.day)
    if last.year == first.year + 1 and within:
        leap = (calendar.isleap(first.year) and first <= date(first.year, 2, 29)) or (
            calendar.isleap(last.year) and last >= date(last.year, 2, 29)
        )
        return Decimal(365 + leap)
    years = range(first.year, last.year + 1)
    return DIVIDED.divide(Decimal(sum(365 + calendar.isleap(year) for year in years)), Decimal(len(years)))


def _free(holidays: Value) -> set[date]:
    if holidays is None:
        return set()
    return {day_of(as_number(cell)) for cell in array_of(holidays).flat() if cell is not None}


def _workdays(start: date, end: date, free: Iterable[date]) -> int:
    """Mondays to Fridays from a day to a later one, both included, without free ones."""
    whole, rest = divmod((end - start).days + 1, 7)
    count = whole * 5 + sum((start.weekday() + step) % 7 < 5 for step in range(rest))
    return count - sum(start <= day <= end and day.weekday() < 5 for day in set(free))


@sheet_function("dates")
def NETWORKDAYS(start: Number, end: Number, holidays: Given = None) -> Value:
    """How many working days from one day to another, both included. `=NETWORKDAYS(B2, B3)`"""
    first, last = day_of(start), day_of(end)
    free = _free(holidays)
    return Decimal(_workdays(first, last, free) if first <= last else -_workdays(last, first, free))


@sheet_function("dates")
def WORKDAY(start: Number, days: Whole, holidays: Given = None) -> Value:
    """The day so many working days on. `=WORKDAY(B2, 10)`"""
    day, free = day_of(start), _free(holidays)
    if abs(days) > 100_000:
        raise Fault(NUM)
    step = 1 if days > 0 else -1
    for _ in range(abs(days)):
        day += timedelta(days=step)
        while day.weekday() >= 5 or day in free:
            day += timedelta(days=step)
    return _serial(day)


@sheet_function("dates")
def DATEDIF(start: Number, end: Number, unit: Text) -> Value:
    """Whole years (Y), months (M) or days (D) between two days. `=DATEDIF(B2, B3, "M")`"""
    first, last = day_of(start), day_of(end)
    if first > last:
        raise Fault(NUM, "The end lies before the start.")
    months = (last.year - first.year) * 12 + last.month - first.month - (last.day < first.day)
    match unit.upper():
        case "D":
            return Decimal((last - first).days)
        case "M":
            return Decimal(months)
        case "Y":
            return Decimal(months // 12)
        case "YM":
            return Decimal(months % 12)
        case "MD":
            return Decimal((last - months_on(first, months)).days)
        case "YD":
            return Decimal((last - months_on(first, months // 12 * 12)).days)
    raise Fault(NUM, "Unit is Y, M, D, YM, MD or YD.")


@sheet_function("dates")
def TIME(hour: Whole, minute: Whole, second: Whole) -> Value:
    """A time as a part of a day. `=TIME(12, 0, 0)` is 0.5"""
    seconds = hour * 3600 + minute * 60 + second
    if seconds < 0:
        raise Fault(NUM)
    return DIVIDED.divide(Decimal(seconds % 86_400), Decimal(86_400))


@sheet_function("dates")
def HOUR(moment: Number) -> Value:
    """The hour of a time. `=HOUR(0.5)` is 12"""
    return Decimal(moment_of(moment).hour)


@sheet_function("dates")
def MINUTE(moment: Number) -> Value:
    """The minute of a time. `=MINUTE(0.51)`"""
    return Decimal(moment_of(moment).minute)


@sheet_function("dates")
def SECOND(moment: Number) -> Value:
    """The second of a time. `=SECOND(0.5001)`"""
    return Decimal(moment_of(moment).second)
