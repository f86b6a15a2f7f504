"""Filings found by search."""

from __future__ import annotations

from collections.abc import Iterator

from django.urls import reverse

from rulka.filings.library.opening import seen_filings
from rulka.ledger.finding import FoundKind, FoundThing, matching, shown
from rulka.ledger.seat import Seat


def found_filings(seat: Seat, text: str) -> Iterator[FoundKind]:
    """Filings by title or name."""
    yield shown(
        "Filings",
        matching(seen_filings(seat.ledger, seat.person), text, lambda one: (one.name, one.title)),
        lambda one: FoundThing(one.title, "filing", f"{reverse('filing', args=[one.name])}?{seat.query}"),
    )
