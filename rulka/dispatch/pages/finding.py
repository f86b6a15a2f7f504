"""What of dispatches search finds: their titles."""

from __future__ import annotations

from collections.abc import Iterator

from django.urls import reverse

from rulka.dispatch.library.storing import dispatches_of
from rulka.ledger.finding import FoundKind, FoundThing, matching, shown
from rulka.ledger.seat import Seat


def of_dispatches(seat: Seat, text: str) -> Iterator[FoundKind]:
    """Dispatches of one's own by title or name."""
    yield shown(
        "Dispatches",
        matching(dispatches_of(seat.ledger, seat.person), text, lambda one: (one.name, one.title)),
        lambda one: FoundThing(one.title, "dispatch", f"{reverse('dispatch', args=[one.name])}?{seat.query}"),
    )
