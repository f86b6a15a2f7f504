"""The record: who did what, when, to what. It is added to and never changed; old entries go once they are as old as
set."""

from __future__ import annotations

import csv
import io
import json
from collections.abc import Iterable, Iterator
from contextvars import ContextVar
from datetime import date, datetime, time, timedelta

from django.conf import settings
from django.db import transaction
from django.db.models import Q, QuerySet
from django.utils import timezone

from rulka.core.errors import RulkaError
from rulka.formats.figures import plain_text
from rulka.people.models import Person, Recorded

KINDS = {
    "signed in": "somebody signed in",
    "signed out": "somebody signed out",
    "refused": "signing in was refused",
    "looked": "somebody looked through another person's eyes",
    "people": "people, groups, rights and bounds were changed",
    "changed": "a definition, master data or an entry was changed",
    "closed": "a period was closed or opened again",
    "loaded": "a load was accepted or dropped",
    "took": "figures left as a file",
    "kept": "an edition was kept",
    "sent": "figures were sent to others",
    "explained": "a variance was explained, accepted or sent back",
    "judged": "a finding was dismissed, a rule tuned",
}
"""What is recorded, by the word that the record uses."""

ADDRESS: ContextVar[str] = ContextVar("address", default="")
"""Where the request at hand came from."""


def note(
    person: Person | None, what: str, *, ledger: str = "", thing: str = "", detail: str = "", name: str = ""
) -> None:
    """Add to the record, once what is under way is committed: what is taken back was never done. `thing` names what it
    is about as kind and name (`statement income-statement`). Raises where it can't be written."""
    if what not in KINDS:
        raise ValueError(f"'{what}' is no kind of the record")
    looker = person.looked_by if person is not None else None
    row = Recorded(
        person=person.pk if person is not None else None,
        person_name=(person.username if person is not None else name)[:150],
        looked_by=looker.username if looker is not None else "",
        what=what,
        ledger=ledger,
        thing=thing[:250],
        detail=detail[:4_000],
        address=ADDRESS.get()[:60],
    )
    transaction.on_commit(row.save)


def record_for(reader: Person, ledgers: Iterable[str]) -> QuerySet[Recorded]:
    """What somebody may read of the record: administrators all but what is about ledgers that they don't see as a
    whole, others what they did themselves, and what was done to ledgers that they see as a whole and may change."""
    whole = list(ledgers)
    if reader.administers:
        return Recorded.objects.filter(Q(ledger="") | Q(ledger__in=whole))
    own = Q(person=reader.pk)
    return Recorded.objects.filter(own | Q(ledger__in=whole) if reader.may_change and whole else own)


def check_day(text: str) -> None:
    """Refuse what is no day; nothing is fine."""
    try:
        if text:
            date.fromisoformat(text)
    except ValueError:
        raise RulkaError(f"'{text[:20]}' is no day.", hint="Write 2026-11-06.", subject="since") from None


def searched(found: QuerySet[Recorded], given: dict[str, str]) -> QuerySet[Recorded]:
    """Narrowed by person, kind, thing, text and day."""
    if given.get("person"):
        found = found.filter(Q(person_name=given["person"]) | Q(looked_by=given["person"]))
    if given.get("what"):
        found = found.filter(what=given["what"])
    if given.get("thing"):
        found = found.filter(thing=given["thing"])
    if given.get("text"):
        text = given["text"]
        found = found.filter(Q(thing__icontains=text) | Q(detail__icontains=text) | Q(person_name__icontains=text))
    if given.get("since"):
        day = datetime.combine(date.fromisoformat(given["since"]), time.min)
        found = found.filter(at__gte=timezone.make_aware(day))
    return found


def forget_old() -> int:
    """Take out what is older than set (`RULKA_RECORD_DAYS`, at least 90); how many that were."""
    days, gone = max(int(settings.RECORD_DAYS), LEAST_DAYS), 0
    old = Recorded.objects.filter(at__lt=timezone.now() - timedelta(days=days)).order_by("pk")
    while numbers := list(old.values_list("pk", flat=True)[:A_TIME]):
        gone += Recorded.objects.filter(pk__in=numbers).delete()[0]
    return gone


LEAST_DAYS, A_TIME = 90, 10_000


NAMES = ("at", "person", "looked by", "what", "ledger", "thing", "detail", "address")


def lines_of(found: QuerySet[Recorded], form: str) -> Iterator[str]:
    """What was found as JSON or CSV, piece by piece: it may be millions of entries."""
    rows = (_row(one) for one in found.iterator(chunk_size=2_000))
    if form == "json":
        mark = "["
        for row in rows:
            yield mark + "\n" + json.dumps(row, ensure_ascii=False)
            mark = ","
        yield "[]\n" if mark == "[" else "\n]\n"
        return
    target = io.StringIO()
    writer = csv.writer(target, lineterminator="\n")
    writer.writerow(NAMES)
    for row in rows:
        writer.writerow([plain_text(value) for value in row.values()])
        if target.tell() > 60_000:
            yield target.getvalue()
            target.seek(0)
            target.truncate()
    yield target.getvalue()


def _row(one: Recorded) -> dict[str, str]:
    at = one.at.isoformat(timespec="seconds")
    told = (at, one.person_name, one.looked_by, one.what, one.ledger, one.thing, one.detail, one.address)
    return dict(zip(NAMES, told, strict=True))
