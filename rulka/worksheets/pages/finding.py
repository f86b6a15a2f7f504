"""What of worksheets search finds: their titles."""

from __future__ import annotations

from collections.abc import Iterator

from django.urls import reverse

from rulka.ledger.finding import FoundKind, FoundThing, matching, shown
from rulka.ledger.seat import Seat
from rulka.worksheets.library.opening import seen_worksheets


def of_worksheets(seat: Seat, text: str) -> Iterator[FoundKind]:
    """Worksheets by title or name."""
    yield shown(
        "Worksheets",
        matching(seen_worksheets(seat.ledger, seat.person), text, lambda one: (one.name, one.title)),
        lambda one: FoundThing(one.title, "worksheet", f"{reverse('worksheet', args=[one.name])}?{seat.query}"),
    )
