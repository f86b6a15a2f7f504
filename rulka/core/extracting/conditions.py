"""What a row must be, in words, to conditions over typed fields: `4*, 5010 to 5099`, `at least 1000`, `2027-P01 to
2027-P07`, `contains fuel`, `not empty`."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from rulka.core.books.calendar import FiscalCalendar, Period, period_number
from rulka.core.books.selection import Selection, SelectionError, parse_selection
from rulka.core.errors import RulkaError
from rulka.core.extracting.fields import Field
from rulka.core.sheet.periods import read_time
from rulka.core.values import quoted, typed_amount

BOUND = re.compile(r"(at least|at most|more than|less than|from|until|before|after)\s+(.+)", re.IGNORECASE)
HELD = re.compile(r"(contains|begins with|ends with)\s+(.+)", re.IGNORECASE)
FLAGS = {"yes": 1, "true": 1, "no": 0, "false": 0}
MOST_NUMBER = 10**17
"""What a number that fields are compared with may be at most, scaled."""


@dataclass(frozen=True)
class ChosenCodes:
    """A field is one of what a selection means; over texts its codes, patterns and ranges."""

    field: Field
    selection: Selection


@dataclass(frozen=True)
class Between:
    """A field lies between two values, both included; None leaves an end open. Numbers are scaled, periods are stored
    numbers, days ISO text."""

    field: Field
    low: int | str | None
    high: int | str | None


@dataclass(frozen=True)
class HoldsText:
    """A text contains, begins with or ends with another one, whatever the capitals."""

    field: Field
    how: str
    text: str


@dataclass(frozen=True)
class Empty:
    field: Field


@dataclass(frozen=True)
class Not:
    of: Condition


@dataclass(frozen=True)
class Either:
    """Any of some conditions; none of none."""

    of: tuple[Condition, ...]


@dataclass(frozen=True)
class Every:
    of: tuple[Condition, ...]


Condition = ChosenCodes | Between | HoldsText | Empty | Not | Either | Every


@dataclass(frozen=True)
class Clock:
    """By which calendar and from which period words of time are read."""

    calendar: FiscalCalendar
    reporting: Period


def read_condition(field: Field, words: str, clock: Clock) -> Condition:
    """What a field must be; raises RulkaError that names the field."""
    try:
        return _read(field, words.strip(), clock)
    except RulkaError as error:
        error.subject = f"{field.title} {quoted(words)}"
        raise


def _read(field: Field, words: str, clock: Clock) -> Condition:
    if not words:
        raise RulkaError("It says nothing.", hint="Say what it must be.")
    first, _, rest = words.partition(" ")
    if first.casefold() == "not" and rest:
        return Not(_read(field, rest.strip(), clock))
    if words.casefold() == "empty":
        return Empty(field)
    if field.kind in ("amount", "number"):
        return _several(field, words, lambda part: _numbers(field, part))
    if field.kind in ("date", "moment"):
        return _several(field, words, lambda part: _days(field, part, clock))
    if field.kind == "period":
        return _several(field, words, lambda part: _periods(field, part, clock))
    if field.kind == "flag":
        if words.casefold() not in FLAGS:
            raise RulkaError("It is yes or no.", hint="Write yes or no.")
        value = FLAGS[words.casefold()]
        return Between(field, value, value)
    if held := HELD.fullmatch(words):
        return HoldsText(field, held[1].casefold(), _unquoted(held[2]))
    return ChosenCodes(field, text_selection(words) if field.kind == "text" else parse_selection(words))


def text_selection(words: str) -> Selection:
    """A selection over free texts: one that can't be read, without quotes, commas or stars, is a text as it stands."""
    try:
        return parse_selection(words)
    except SelectionError:
        if re.search(r'[",*?:]', words):
            raise
        return parse_selection('"' + words + '"')


def _unquoted(text: str) -> str:
    text = text.strip()
    return text[1:-1].replace('""', '"') if len(text) > 1 and text[0] == text[-1] == '"' else text


def _several(field: Field, words: str, read: Callable[[str], Condition]) -> Condition:
    parts = [part.strip() for part in words.split(",")]
    if field.is_numeric and re.fullmatch(r"-?[0-9]{1,3}(,[0-9]{3})+(\.[0-9]+)?", words):
        return read(words)  # 1,000 is a thousand where groups of three follow
    found = tuple(read(part) for part in parts if part)
    if not found:
        raise RulkaError("It says nothing.", hint="Say what it must be.")
    return found[0] if len(found) == 1 else Either(found)


def _numbers(field: Field, part: str) -> Condition:
    if bound := BOUND.fullmatch(part):
        value = scaled(bound[2], field)
        match bound[1].casefold():
            case "at least" | "from":
                return Between(field, value, None)
            case "at most" | "until":
                return Between(field, None, value)
            case "more than" | "after":
                return Between(field, value + 1, None)
            case _:
                return Between(field, None, value - 1)
    low, mark, high = part.partition(" to ")
    first = scaled(low, field)
    last = scaled(high, field) if mark else first
    if first > last:
        raise RulkaError(f"{quoted(part)} runs backwards.", hint="Write the smaller one first.")
    return Between(field, first, last)


def scaled(text: str, field: Field) -> int:
    """A number as fields of this kind hold it; more decimals than they have are refused."""
    value = typed_amount(text, field.title)
    number = value.scaleb(field.digits)
    if number != number.to_integral_value():
        raise RulkaError(f"{quoted(text)} has more than {field.digits} decimals.", hint="Write fewer.")
    if abs(number) > MOST_NUMBER:
        raise RulkaError(f"{quoted(text)} is too large.", hint="Write fewer digits.")
    return int(number)


def _days(field: Field, part: str, clock: Clock) -> Condition:
    end = "\uffff" if field.kind == "moment" else ""  # a moment of a day comes after the day's own text
    if bound := BOUND.fullmatch(part):
        first, last = days_of(bound[2], clock)
        match bound[1].casefold():
            case "from" | "at least":
                return Between(field, first.isoformat(), None)
            case "until" | "at most":
                return Between(field, None, last.isoformat() + end)
            case "after" | "more than":
                return Not(Either((Between(field, None, last.isoformat() + end), Empty(field))))
            case _:
                return Not(Either((Between(field, first.isoformat(), None), Empty(field))))
    low, mark, high = part.partition(" to ")
    if mark and re.match(r"[0-9]{4}-[0-9]{2}-[0-9]{2}$", low.strip()):
        first, last = days_of(low, clock)[0], days_of(high, clock)[1]
    else:
        first, last = days_of(part, clock)
    if first > last:
        raise RulkaError(f"{quoted(part)} runs backwards.", hint="Write the earlier day first.")
    return Between(field, first.isoformat(), last.isoformat() + end)


DAY = re.compile(r"[0-9]{4}-[0-9]{2}-[0-9]{2}", re.ASCII)
ENDS = re.compile(r"(first|last) day of\s+(.+)", re.IGNORECASE)


def days_of(text: str, clock: Clock) -> tuple[date, date]:
    """The first and the last day that a text means: a day, `first day of this`, or any run of periods."""
    text = text.strip()
    if DAY.fullmatch(text):
        try:
            day = date.fromisoformat(text)
        except ValueError:
            raise RulkaError(f"{quoted(text)} is no day.", hint="Write days as 2026-10-05.") from None
        return day, day
    if ends := ENDS.fullmatch(text):
        first, last = days_of(ends[2], clock)
        return (first, first) if ends[1].casefold() == "first" else (last, last)
    window = read_time(clock.calendar, text, clock.reporting).window
    periods = clock.calendar.periods
    return window.start or periods[window.first].start, window.end or periods[window.last].end


def periods_of(text: str, clock: Clock) -> tuple[int, int]:
    """The stored numbers of the first and last period that a text means."""
    window = read_time(clock.calendar, text, clock.reporting).window
    if window.by_day:
        raise RulkaError(f"{quoted(text)} are days.", hint="Write periods, or ask by the date.")
    periods = clock.calendar.periods
    return period_number(periods[window.first].code), period_number(periods[window.last].code)


def _periods(field: Field, part: str, clock: Clock) -> Condition:
    if bound := BOUND.fullmatch(part):
        first, last = periods_of(bound[2], clock)
        match bound[1].casefold():
            case "from" | "at least":
                return Between(field, first, None)
            case "until" | "at most":
                return Between(field, None, last)
            case "after" | "more than":
                return Between(field, last + 1, None)
            case _:
                return Between(field, None, first - 1)
    return Between(field, *periods_of(part, clock))


def bounded_by(conditions: Sequence[Condition]) -> set[str]:
    """The fields by which every row is bounded: those that a condition holds to certain values or to both ends."""
    found: set[str] = set()
    for one in conditions:
        match one:
            case ChosenCodes(field, selection):
                if not any(part.kind == "pattern" and not part.first.strip("*?") for part in selection.included):
                    found.add(field.name)
            case Between(field, low, high) if low is not None and high is not None:
                found.add(field.name)
            case Every(of):
                found |= bounded_by(of)
            case Either(of) if of:
                found |= set.intersection(*(bounded_by([each]) for each in of))
            case _:
                pass
    return found


def as_number(value: int, digits: int) -> Decimal:
    """A scaled whole number as the exact number it stands for."""
    return Decimal(value).scaleb(-digits)
