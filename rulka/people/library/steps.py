"""Signing in with a second step: a code of six digits that changes every half minute.

The key from which codes are made is encrypted with one derived from the server's secret key, so that neither the
database nor a backup of it opens anything. Codes that a clock makes that is off by a minute are taken; none is taken
twice.
"""

from __future__ import annotations

import hmac
import time

import pyotp
import segno
from django.db import transaction
from django.utils import timezone

from rulka.core.errors import RulkaError
from rulka.people.library import record
from rulka.people.library.sealing import opened, sealed
from rulka.people.library.signing import count_failure, forget_failures, refuse_locked
from rulka.people.models import Person, TimeCode, UsedCode

SECONDS = 30
OFF = 2
"""How many places in time a clock may be off, before and after."""


KEYS = "keys of time codes"


def _key_of(kept: TimeCode) -> str | None:
    """The key of somebody's codes; None where it was encrypted with another secret key."""
    return opened(kept.sealed, KEYS)


def _kept(person: Person) -> TimeCode | None:
    return TimeCode.objects.filter(person=person).first()


def has_steps(person: Person) -> bool:
    """Whether somebody signs in with two steps."""
    return TimeCode.objects.filter(person=person, confirmed__isnull=False).exists()


def begin(person: Person) -> None:
    """Make a new key, which counts once a code of it was typed; refused where one counts already."""
    if has_steps(person):
        raise RulkaError("You sign in with two steps already.", hint="Switch it off first.", subject="code")
    kept = sealed(pyotp.random_base32(), KEYS)
    TimeCode.objects.update_or_create(person=person, defaults={"sealed": kept, "confirmed": None})
    UsedCode.objects.filter(person=person.pk).delete()  # the codes of another key


def begun(person: Person) -> tuple[str, str] | None:
    """The key that waits for its first code, and a picture of it to scan as the address of an SVG; None without one."""
    kept = _kept(person)
    key = _key_of(kept) if kept is not None and kept.confirmed is None else None
    if key is None:
        return None
    address = pyotp.TOTP(key).provisioning_uri(name=person.username, issuer_name="Rulka")
    picture: str = segno.make(address, error="m").svg_data_uri(scale=4, border=2)
    return " ".join(key[at : at + 4] for at in range(0, len(key), 4)), picture


def confirm(person: Person, code: str) -> None:
    """Let the new key count, with a code of it."""
    kept = _kept(person)
    if kept is None or kept.confirmed is not None:
        raise RulkaError("There is no key to confirm.", hint="Begin anew.", subject="code")
    check(person, code, kept)
    TimeCode.objects.filter(pk=kept.pk).update(confirmed=timezone.now())
    record.note(person, "people", thing=f"person {person.username}", detail="signs in with two steps from now on")


def switch_off(person: Person, code: str) -> None:
    """Sign in with the password alone again, with a code."""
    kept = _kept(person)
    if kept is None:
        raise RulkaError("You sign in with one step.", subject="code")
    if kept.confirmed is not None:
        check(person, code, kept)
    kept.delete()
    record.note(person, "people", thing=f"person {person.username}", detail="signs in with one step again")


def check_step(person: Person, code: str) -> None:
    """Refuse a code that isn't somebody's of this moment."""
    kept = _kept(person)
    if kept is not None and kept.confirmed is not None:
        check(person, code, kept)


def check(person: Person, code: str, kept: TimeCode) -> None:
    """Refuse a code that its key doesn't make now, or that was used; tried no more often than passwords are."""
    refuse_locked("code", str(person.pk))
    key = _key_of(kept)
    if key is None:
        raise RulkaError(
            "Your codes can't be checked: the server's secret key is another one.",
            hint="Ask an administrator to switch your second step off.",
            subject="code",
        )
    place = _place_of(key, "".join(code.split()))
    with transaction.atomic(using="work"):
        used = UsedCode.objects.filter(person=person.pk).first()
        if place is None or (used is not None and used.place >= place):
            again = place is not None
        else:
            UsedCode.objects.update_or_create(person=person.pk, defaults={"place": place})
            forget_failures("code", str(person.pk))
            return
    count_failure("code", str(person.pk))
    raise RulkaError(
        "This code was used already." if again else "This isn't the code of this moment.",
        hint="Wait for the next one." if again else "Look whether the clock of what makes it is right.",
        subject="code",
    )


def _place_of(key: str, code: str) -> int | None:
    """The place in time of a code, the latest that fits; None where it is of none."""
    codes, now = pyotp.TOTP(key), int(time.time()) // SECONDS
    return next(
        (now + off for off in range(OFF, -OFF - 1, -1) if hmac.compare_digest(codes.generate_otp(now + off), code)),
        None,
    )


def drop(person: Person) -> bool:
    """Take somebody's second step away, for who keeps people; whether there was one."""
    gone, _ = TimeCode.objects.filter(person=person).delete()
    return bool(gone)


def unreadable() -> list[str]:
    """Who signs in with a second step whose key can't be read with the server's secret key."""
    every = TimeCode.objects.filter(confirmed__isnull=False).select_related("person").order_by("person__username")
    return [kept.person.username for kept in every if _key_of(kept) is None]
