"""Folios and their sections found by search."""

from __future__ import annotations

from collections.abc import Iterator
from urllib.parse import urlencode

from django.urls import reverse

from rulka.folios.library.opening import readable, seen_folios
from rulka.folios.library.storing import outline_of
from rulka.ledger.finding import FoundKind, FoundThing, matching, shown
from rulka.ledger.seat import Seat


def found_folios(seat: Seat, text: str) -> Iterator[FoundKind]:
    """Folios by title or name, sections by their title."""
    yield shown(
        "Folios",
        matching(seen_folios(seat.ledger, seat.person), text, lambda one: (one.name, one.title)),
        lambda one: FoundThing(one.title, "folio", f"{reverse('folio', args=[one.name])}?{seat.query}"),
    )
    sections = [
        (folio, section) for folio in readable(seat.ledger, seat.person) for section in outline_of(folio).sections
    ]
    yield shown(
        "Sections",
        matching(sections, text, lambda pair: (pair[1].key, pair[1].title)),
        lambda pair: FoundThing(
            pair[1].title, f"section of {pair[0].title}",
            f"{reverse('folio', args=[pair[0].name])}?{seat.query}&{urlencode({'section': pair[1].key})}",
        ),
    )  # fmt: skip
