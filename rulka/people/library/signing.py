"""Signing in: how often it may be tried, and how many passwords are worked on at once.

What is counted stands in the second database, so that signing in waits for no load. A name is kept as a digest only:
people type passwords into the wrong field.
"""

from __future__ import annotations

import math
from datetime import timedelta
from hashlib import blake2b
from threading import BoundedSemaphore

from django.contrib.auth import authenticate
from django.db.models import F
from django.utils import timezone

from rulka.core.errors import RulkaError
from rulka.people.models import Person, SignInFailures

WINDOW = timedelta(minutes=15)
MOST_OF_NAME, MOST_OF_ADDRESS = 8, 40
"""Failures within the window after which a name, or an address, is locked for as long."""

HASHING = BoundedSemaphore(2)
"""Passwords are hashed slowly on purpose: more at once would fill the server's threads."""
PATIENCE = 4.0


class TooMany(RulkaError):
    """Signing in is not tried at all now."""

    code = "locked"


def sign_in(username: str, password: str, address: str) -> Person | None:
    """The person with this name and password; None where there is none. Raises TooMany after too many failures, by name
    or by address, and while too many try at once."""
    keys = {_key("name", username.casefold()): MOST_OF_NAME, _key("address", address): MOST_OF_ADDRESS}
    _refuse_locked(keys)
    if not HASHING.acquire(timeout=PATIENCE):
        raise TooMany("Many people sign in at this moment.", hint="Try again in a minute.")
    try:
        person = authenticate(username=username, password=password)
    finally:
        HASHING.release()
    if isinstance(person, Person):
        SignInFailures.objects.filter(key=_key("name", username.casefold())).delete()
        return person
    for key in keys:
        _count(key)
    return None


def refuse_locked(kind: str, what: str, most: int = MOST_OF_NAME) -> None:
    """Raise TooMany where something of a kind failed too often of late."""
    _refuse_locked({_key(kind, what): most})


def count_failure(kind: str, what: str) -> None:
    """Count that it failed."""
    _count(_key(kind, what))


def forget_failures(kind: str, what: str) -> None:
    """Begin to count anew."""
    SignInFailures.objects.filter(key=_key(kind, what)).delete()


def _key(kind: str, what: str) -> str:
    return f"{kind} {blake2b(what.encode(), digest_size=16).hexdigest()}"


def _refuse_locked(keys: dict[str, int]) -> None:
    since = timezone.now() - WINDOW
    for found in SignInFailures.objects.filter(key__in=keys, last__gt=since):
        if found.count >= keys[found.key]:
            minutes = max(1, math.ceil((found.last - since).total_seconds() / 60))
            raise TooMany(
                "There were too many tries.",
                hint=f"Try again in {minutes} minute{'s' if minutes > 1 else ''}, or ask an administrator.",
            )


def _count(key: str) -> None:
    now = timezone.now()
    fresh = SignInFailures.objects.filter(key=key, last__gt=now - WINDOW)
    if not fresh.update(count=F("count") + 1, last=now):
        SignInFailures.objects.filter(last__lte=now - WINDOW).delete()
        SignInFailures.objects.update_or_create(key=key, defaults={"count": 1, "last": now})
