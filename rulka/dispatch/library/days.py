"""The days of a ledger: its time zone and its holidays, as a table in the application."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

from django.conf import settings

from rulka.core.errors import RulkaError
from rulka.core.sending.occasions import WorkDays
from rulka.dispatch.models import Days
from rulka.ledger.models import Ledger
from rulka.people.library import record
from rulka.people.models import Person

MOST_HOLIDAYS = 500


def days_of(ledger: Ledger) -> WorkDays:
    """A ledger's zone and holidays; the server's zone without holidays where none are set."""
    kept = Days.objects.filter(ledger=ledger).first()
    holidays = frozenset(date.fromisoformat(day) for day in kept.holidays) if kept else frozenset()
    return WorkDays(ZoneInfo((kept.zone if kept else "") or settings.TIME_ZONE), holidays)


def set_zone(ledger: Ledger, zone: str, *, person: Person) -> None:
    """Set the zone in which a ledger's days are; empty for the server's."""
    _required(person)
    if zone:
        try:
            ZoneInfo(zone)
        except (ZoneInfoNotFoundError, ValueError, OSError):
            raise RulkaError(f"'{zone[:60]}' is no time zone.", hint="Write it as Europe/Dublin.",
                             subject="zone") from None  # fmt: skip
    Days.objects.update_or_create(ledger=ledger, defaults={"zone": zone})
    record.note(person, "changed", ledger=ledger.code, thing="days", detail=f"zone {zone or 'of the server'}")


def set_holidays(ledger: Ledger, holidays: Mapping[str, str], *, person: Person) -> None:
    """Set the holidays of a ledger, by day with what they are."""
    _required(person)
    if len(holidays) > MOST_HOLIDAYS:
        raise RulkaError(f"These are more than {MOST_HOLIDAYS} holidays.", subject="holidays")
    kept = {}
    for day, name in holidays.items():
        try:
            kept[date.fromisoformat(day).isoformat()] = name.strip()[:80]
        except ValueError:
            raise RulkaError(f"There is no day '{day[:20]}'.", hint="Write it as 2026-12-25.",
                             subject="holidays") from None  # fmt: skip
    Days.objects.update_or_create(ledger=ledger, defaults={"holidays": dict(sorted(kept.items()))})
    record.note(person, "changed", ledger=ledger.code, thing="days", detail=f"{len(kept)} holidays")


def holidays_from(text: str) -> dict[str, str]:
    """Holidays as they are typed: a day a line, its name behind it."""
    found = {}
    for line in filter(None, (line.strip() for line in text.splitlines())):
        day, _, name = line.partition(" ")
        found[day] = name.strip()
    return found


def _required(person: Person) -> None:
    if not person.may_edit:
        raise RulkaError("You may read this, not change it.", hint="Ask an accountant.", code="rights")
