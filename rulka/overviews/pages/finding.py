"""Overviews found by search."""

from __future__ import annotations

from collections.abc import Iterator

from django.urls import reverse

from rulka.ledger.finding import FoundKind, FoundThing, matching, shown
from rulka.ledger.seat import Seat
from rulka.overviews.library.opening import seen_overviews


def found_overviews(seat: Seat, text: str) -> Iterator[FoundKind]:
    """Overviews by title or name."""
    seen = seen_overviews(seat.ledger, seat.person)
    yield shown(
        "Overviews",
        matching(seen, text, lambda one: (one.name, one.title)),
        lambda one: FoundThing(one.title, "overview", f"{reverse('overview', args=[one.name])}?{seat.query}"),
    )
