"""Short-lived rights by which a desktop program opens and saves one held section: made for whoever holds it, good as
long as they do."""

from __future__ import annotations

import secrets
from datetime import timedelta
from hashlib import sha256

from django.utils import timezone

from rulka.core.errors import RulkaError
from rulka.folios.models import DeskKey, Section
from rulka.people.library.rights import accesses_of
from rulka.people.models import Person

LASTS = timedelta(hours=8)


class NoRight(RulkaError):
    """Nobody gets anything by this key, or not any more."""


def digest_of(key: str) -> str:
    """What is kept of a key."""
    return sha256(key.encode()).hexdigest()


def make_key(row: Section, person: Person) -> str:
    """A key to a section that somebody holds; it is shown once."""
    if row.holder_id != person.pk:
        raise RulkaError("You don't hold it.", hint="Hold it first.", subject="section", code="refused")
    key = secrets.token_urlsafe(24)
    row.desk_keys.filter(until__lt=timezone.now()).delete()
    DeskKey.objects.create(digest=digest_of(key), section=row, person=person, until=timezone.now() + LASTS)
    return key


def open_key(key: str) -> DeskKey:
    """What a key opens; NoRight where it ended, its person left or lost the ledger, or the section isn't theirs to
    write now."""
    found = (
        DeskKey.objects.filter(digest=digest_of(key), until__gt=timezone.now())
        .select_related("person", "section", "section__folio", "section__folio__ledger", "section__folio__shelf")
        .first()
    )
    if found is None or not found.person.is_active or found.section.holder_id != found.person_id:
        raise NoRight("This right has ended.", hint="Make another one on the section's page.", code="rights")
    ledger = found.section.folio.ledger
    if all(access.ledger.pk != ledger.pk for access in accesses_of(found.person)):
        raise NoRight("You don't see this ledger any more.", hint="Ask an administrator.", code="rights")
    return found
