"""Live links: read-only keys by which a desktop spreadsheet fetches figures of one worksheet, behind its owner's fence
as that is at the moment. Keys expire, can be revoked, are not stored, and may ask only so often."""

from __future__ import annotations

import hashlib
import secrets
import time
from collections import deque
from collections.abc import Mapping
from datetime import timedelta
from functools import lru_cache
from threading import Lock

from django.db.models import QuerySet
from django.utils import timezone

from rulka.core.errors import NotFound, RulkaError
from rulka.core.sheet.remap import Remap
from rulka.people.library import record
from rulka.people.library.rights import LedgerAccess, accesses_of
from rulka.people.models import Person
from rulka.statements.library.shelves import RUN
from rulka.work.services.waiting import aside
from rulka.worksheets.library.opening import required
from rulka.worksheets.models import LiveLink, SheetStep, Worksheet

MOST_DAYS = 400
MOST_LINKS = 50
A_MINUTE = 20_000
"""Figures that one link may ask for in a minute."""

WRONG_A_MINUTE = 60
"""Keys that don't exist that may be tried in a minute, from everywhere together."""


class LinkRefused(RulkaError):
    """A key that opens nothing (any more)."""

    code = "link"


class TooOften(RulkaError):
    """More was asked in a minute than is answered."""

    code = "too-often"


class Pace:
    """Counts by name what was asked in the last minute."""

    def __init__(self, most: int) -> None:
        self.most = most
        self._asked: dict[object, deque[float]] = {}
        self._guard = Lock()

    def count(self, name: object) -> bool:
        """Count one more; whether that is still within the pace."""
        now = time.monotonic()
        with self._guard:
            asked = self._asked.setdefault(name, deque())
            while asked and asked[0] < now - 60:
                asked.popleft()
            if len(asked) >= self.most:
                return False
            asked.append(now)
            if len(self._asked) > 1_000:
                self._asked = {key: times for key, times in self._asked.items() if times and times[-1] > now - 60}
            return True


_PACE, _WRONG = Pace(A_MINUTE), Pace(WRONG_A_MINUTE)


def digest_of(key: str) -> str:
    """What is kept of a key."""
    return hashlib.sha256(key.encode()).hexdigest()


def make_link(
    worksheet: Worksheet, *, person: Person, period: str, node: str, values: Mapping[str, str], days: int, follows: bool
) -> str:
    """A new key to the figures that somebody sees on a worksheet; it is told once."""
    required(person, worksheet, RUN)
    if not 1 <= days <= MOST_DAYS:
        raise RulkaError(f"A link lasts 1 to {MOST_DAYS} days.", hint="Choose another number.", subject="days")
    if links_of(worksheet, person).filter(revoked=None, expires__gt=timezone.now()).count() >= MOST_LINKS:
        raise RulkaError(f"There are {MOST_LINKS} links already.", hint="Revoke some of them.", subject="links")
    key = secrets.token_urlsafe(32)
    LiveLink.objects.create(
        worksheet=worksheet,
        person=person,
        digest=digest_of(key),
        period=period,
        node=node,
        values=dict(values),
        version=worksheet.version,
        follows=follows,
        expires=timezone.now() + timedelta(days=days),
    )
    told = f"live link made for {days} days, {period}, {node}"
    record.note(person, "took", ledger=worksheet.ledger.code, thing=f"worksheet {worksheet.name}", detail=told)
    return key


def links_of(worksheet: Worksheet, person: Person) -> QuerySet[LiveLink]:
    """The links of a worksheet that somebody made; administrators see all."""
    every = LiveLink.objects.filter(worksheet=worksheet).select_related("person")
    return every if person.administers else every.filter(person=person)


@lru_cache(maxsize=256)
def _remaps(worksheet: int, since: int, version: int) -> tuple[tuple[int, Remap], ...] | None:
    """Rows and columns that moved on the sheets of a worksheet from one version to another, in order; None where not
    all of it is known any more. What was undone since doesn't count, nor does its undoing."""
    steps = SheetStep.objects.filter(worksheet=worksheet, version__gt=since, version__lte=version)
    later = list(steps.select_related("of").order_by("version"))
    if len(later) < version - since:
        return None
    counted = [one for one in later if (one.of.version <= since if one.of else not one.undone)]
    return tuple(
        (step["sheet"], Remap(*step["remap"])) for one in counted for step in one.steps if step["kind"] == "remap"
    )


def cell_now(link: LiveLink, version: int, sheet: int, row: int, column: int) -> tuple[int, int] | None:
    """Where a cell stands at a version of the worksheet that a link's workbook means by its address of then; None where
    it was taken out. Refused where that can't be told any more."""
    remaps = _remaps(link.worksheet_id, link.version, version)
    if remaps is None:
        raise LinkRefused("The worksheet was changed too much since this workbook was made.", hint="Export it again.")
    place: tuple[int, int] | None = (row, column)
    for number, remap in remaps:
        if number == sheet and place is not None:
            found = remap.place(place[0] if remap.axis == "rows" else place[1])
            place = None if found is None else (found, place[1]) if remap.axis == "rows" else (place[0], found)
    return place


def revoke_link(worksheet: Worksheet, number: int, *, person: Person) -> None:
    """Let a link open nothing any more."""
    found = links_of(worksheet, person).filter(pk=number).first()
    if found is None:
        raise NotFound("This link isn't there.", hint="Load the page again.", subject="link")
    if found.revoked is None:
        found.revoked = timezone.now()
        found.save(update_fields=["revoked"])
        record.note(person, "changed", ledger=worksheet.ledger.code, thing=f"worksheet {worksheet.name}",
                    detail="live link revoked")  # fmt: skip


def after_restore() -> list[str]:
    """Keys of a restored copy open nothing: the original may still answer to them."""
    ended = LiveLink.objects.filter(revoked__isnull=True).update(revoked=timezone.now())
    return [f"{ended} live links ended: make new ones."] if ended else []


def count_asked(link: LiveLink) -> None:
    """Count one more figure that a link was asked for; refused beyond its pace."""
    if not _PACE.count(link.pk):
        raise TooOften(f"A link answers {A_MINUTE:,} times a minute.", hint="Wait a minute.")


def open_link(key: str) -> tuple[LiveLink, LedgerAccess]:
    """The link of a key with its owner's access to the ledger as it is now; refused where it was revoked, has expired,
    or where its owner may not see the ledger or the worksheet any more."""
    found = (
        LiveLink.objects.filter(digest=digest_of(key)).select_related("worksheet__ledger", "worksheet__shelf", "person")
    ).first()
    if found is None:
        if not _WRONG.count("wrong"):
            raise TooOften("Too many keys were tried.", hint="Wait a minute.")
        raise LinkRefused("This link opens nothing.", hint="Ask for a new one.")
    count_asked(found)
    if found.revoked or found.expires <= timezone.now():
        raise LinkRefused("This link has ended.", hint="Ask for a new one.")
    person = found.person
    ledger = found.worksheet.ledger_id
    access = next((one for one in accesses_of(person) if one.ledger_id == ledger), None)
    if not person.is_active or access is None:
        raise LinkRefused("Whoever made this link may not see these figures any more.", hint="Ask for a new one.")
    try:
        required(person, found.worksheet, RUN)
    except RulkaError:
        raise LinkRefused(
            "Whoever made this link may not see these figures any more.", hint="Ask for a new one."
        ) from None
    if found.used is None or found.used < timezone.now() - timedelta(minutes=1):
        found.used = timezone.now()
        with aside():
            LiveLink.objects.filter(pk=found.pk).update(used=found.used)
    return found, access
