"""Which periods are closed, and since when."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import datetime

from rulka.core.books.calendar import period_code
from rulka.ledger.models import ClosedPeriod, Entity, Ledger


def closed_since(ledger: Ledger, entity: str = "") -> Iterator[tuple[str, datetime]]:
    """Each period that is closed now for an entity, or for all that have anything booked, with when the last of them
    was closed."""
    every = Entity.objects.filter(ledger=ledger)
    wanted = set(
        every.filter(code__iexact=entity).values_list("pk", flat=True)
        if entity
        else every.filter(postingkey__isnull=False).distinct().values_list("pk", flat=True)
    )
    closed: dict[int, dict[int, datetime]] = {}
    for one in ClosedPeriod.objects.standing().filter(entity__in=wanted):
        closed.setdefault(one.period, {})[one.entity_id] = one.at
    for number, moments in sorted(closed.items()):
        if wanted and wanted <= moments.keys():
            yield period_code(number), max(moments.values())
