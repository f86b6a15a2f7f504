"""What somebody chose for themselves: how days and figures are written, the time zone, the first page, keys."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from contextvars import ContextVar
from datetime import date, datetime
from functools import cache
from zoneinfo import ZoneInfo, available_timezones

from django.utils import timezone

from rulka.core.errors import NotFound, one_of
from rulka.core.money import READ_AS, USUAL
from rulka.people.models import Person

DATES = {
    "": "26 Nov 2026",
    "iso": "2026-11-26",
    "points": "26.11.2026",
    "slashes": "26/11/2026",
    "month": "Nov 26, 2026",
}
"""How days may be written, each with how the 26th of November looks."""

_FORMS = {"iso": "{0:%Y-%m-%d}", "points": "{0:%d.%m.%Y}", "slashes": "{0:%d/%m/%Y}", "month": "{0:%b} {0.day}, {0:%Y}"}
NUMBERS = {
    "": ("1 234 567.89", USUAL),
    "comma": ("1,234,567.89", ("comma", "point")),
    "point": ("1.234.567,89", ("point", "comma")),
    "gap-comma": ("1 234 567,89", ("space", "comma")),
    "apostrophe": ("1\u2019234\u2019567.89", ("apostrophe", "point")),
}
"""How figures may be written: how one looks, what stands between thousands and before decimals."""

_FIRST: dict[str, str] = {}
_DATES: ContextVar[str] = ContextVar("how days are written", default="")


def opens_first(title: str, address: str) -> None:
    """Register a page that may open first, by its title and the name of its address."""
    _FIRST[address] = title


def first_pages() -> Mapping[str, str]:
    """The pages that may open first, by the names of their addresses."""
    return dict(_FIRST)


def first_page(person: Person) -> str:
    """The address that opens after signing in: what they chose, else the month."""
    return person.first_page if person.first_page in _FIRST else "month"


@cache
def time_zones() -> tuple[str, ...]:
    """The time zones there are."""
    return tuple(sorted(available_timezones()))


def choose(person: Person, *, dates: str, numbers: str, time_zone: str, first: str, letters: bool) -> None:
    """Keep what somebody chose; NotFound on what can't be chosen."""
    for given, known, what in (
        (dates, DATES, "way to write days"),
        (numbers, NUMBERS, "way to write figures"),
        (first, {"", *_FIRST}, "first page"),
        (time_zone, {"", *time_zones()}, "time zone"),
    ):
        if given not in known:
            raise NotFound(f"'{given[:40]}' is no {what}.", hint=one_of(given, filter(None, known)), subject="settings")
    fields = {"dates": dates, "numbers": numbers, "time_zone": time_zone, "first_page": first, "letters": letters}
    Person.objects.filter(pk=person.pk).update(**fields)


def hint_seen(person: Person, name: str) -> None:
    """Keep that somebody needs a newcomer's hint no more."""
    Person.objects.filter(pk=person.pk).update(hints_seen=sorted({*person.hints_seen, name}))


@contextmanager
def read_by(person: Person) -> Iterator[None]:
    """Write days, moments and figures for the screen of somebody; files are written for everybody."""
    zone = person.time_zone if person.time_zone in time_zones() else ""
    numbers = NUMBERS.get(person.numbers, NUMBERS[""])[1]
    figures, days = READ_AS.set(numbers), _DATES.set(person.dates)
    try:
        with timezone.override(ZoneInfo(zone) if zone else None):
            yield
    finally:
        READ_AS.reset(figures)
        _DATES.reset(days)


def day_text(day: date | datetime | None) -> str:
    """A day as its reader chose; nothing for none."""
    if day is None:
        return ""
    if isinstance(day, datetime):
        day = timezone.localtime(day) if timezone.is_aware(day) else day
    form = _FORMS.get(_DATES.get())
    return form.format(day) if form else f"{day.day} {day:%b %Y}"


def moment_text(moment: datetime | None) -> str:
    """A day and the time of day, as its reader chose."""
    if moment is None:
        return ""
    local = timezone.localtime(moment) if timezone.is_aware(moment) else moment
    return f"{day_text(local)}, {local:%H:%M}"
