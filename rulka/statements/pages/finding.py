"""What of statements search finds: their titles, and the lines of those that somebody may run."""

from __future__ import annotations

import json
from collections.abc import Iterator
from functools import lru_cache
from urllib.parse import urlencode

from django.urls import reverse

from rulka.core.definitions.spines import spine_from
from rulka.ledger.finding import FoundKind, FoundThing, matching, shown
from rulka.ledger.seat import Seat
from rulka.statements.library.opening import seen_definitions
from rulka.statements.library.shelves import RUN, SEE
from rulka.statements.models import Definition

Line = tuple[str, str, str, str]
"""A statement's name and title, a line's key and label."""


def of_statements(seat: Seat, text: str) -> Iterator[FoundKind]:
    """Statements by title or name, lines by label."""
    seen = seen_definitions(seat.ledger, seat.person, "statement", level=SEE)
    yield shown(
        "Statements",
        matching(seen, text, lambda one: (one.name, one.title)),
        lambda one: FoundThing(one.title, "statement", _address(seat, one.name)),
    )
    runs = seen_definitions(seat.ledger, seat.person, "statement", level=RUN)
    yield shown(
        "Lines",
        matching(_lines(seat, runs), text, lambda line: (line[2], line[3])),
        lambda line: FoundThing(line[3], line[1], _address(seat, line[0], panel="line", row=line[2])),
    )


def _address(seat: Seat, name: str, **query: str) -> str:
    return f"{reverse('statement', args=[name])}?{seat.query}&{urlencode(query)}"


def _lines(seat: Seat, statements: list[Definition]) -> list[Line]:
    spines = Definition.objects.filter(pk__in={one.spine_id for one in statements})
    lines = {spine.pk: _labels(json.dumps(spine.text, sort_keys=True)) for spine in spines}
    return [(one.name, one.title, key, label) for one in statements for key, label in lines.get(one.spine_id or 0, ())]


@lru_cache(maxsize=500)
def _labels(body: str) -> tuple[tuple[str, str], ...]:
    """(key, label) of the lines of a spine."""
    return tuple((line.key, line.label) for line in spine_from(json.loads(body)).walk() if line.label)
