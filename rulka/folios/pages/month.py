"""What of a month folios show: sections that wait to be written or reviewed, and words to whoever looks."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import date

from django.urls import reverse
from django.utils import timezone

from rulka.folios.editing.notifying import address_of
from rulka.folios.library.opening import readable, rows_of, standing_of
from rulka.folios.library.storing import outline_of
from rulka.folios.models import Folio, Notice, Section
from rulka.ledger.month import Item, Used, Waits
from rulka.ledger.seat import Seat
from rulka.people.library.preferences import day_text

MOST_NOTICES = 6


def of_folios(seat: Seat) -> Iterator[Item]:
    """What is theirs to write or review in any folio that is open, and what they were told and haven't seen."""
    folios = readable(seat.ledger, seat.person)
    named: set[tuple[int, str]] = set()
    for folio in folios:
        if folio.state == Folio.State.WRITING:
            for item, key in _turns(folio, seat.person.username):
                named.add((folio.pk, key))
                yield item
    told = Notice.objects.filter(folio__in=folios, person=seat.person, seen=False).select_related("folio")
    own = [one for one in told.select_related("folio__ledger") if (one.folio_id, one.section) not in named]
    for one in own[:MOST_NOTICES]:
        yield Waits("read", one.text, address_of(one.folio, one.section), "", "", 5)
    for folio in folios:
        if folio.person_id == seat.person.pk or folio.owner_id == seat.person.pk:
            yield Used(folio.title, "folio", f"{reverse('folio', args=[folio.name])}?{seat.query}", folio.changed)


def _turns(folio: Folio, name: str) -> Iterator[tuple[Item, str]]:
    rows = rows_of(folio)
    for section in outline_of(folio).sections:
        row = rows.get(section.key) or Section(folio=folio, key=section.key)
        now = standing_of(folio, section, row)
        if now.responsible != name:
            continue
        due = now.due if isinstance(now.due, date) else None
        late = due is not None and due < timezone.localdate()
        when = (f"was due {day_text(due)}" if late else f"due {day_text(due)}") if due else ""
        reason = f", sent back: {row.reason}" if now.state == "sent back" and row.reason else ""
        verb = "review" if now.state == "in review" else "write"
        title = f"{section.title} in {folio.title}{reason}"
        yield Waits(verb, title, address_of(folio, section.key), when, "bad" if late else "open", 3), section.key
