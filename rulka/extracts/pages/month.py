"""The extracts that somebody ran last, for their month."""

from __future__ import annotations

from collections.abc import Iterator

from django.urls import reverse

from rulka.extracts.library.opening import runnable
from rulka.extracts.running.runs import last_used
from rulka.ledger.month import Item, Used
from rulka.ledger.seat import Seat


def used_extracts(seat: Seat) -> Iterator[Item]:
    """What of extracts somebody used last."""
    used = last_used(seat.ledger, seat.person)
    for one in runnable(seat.ledger, seat.person) if used else ():
        if one.pk in used:
            yield Used(one.title, "extract", f"{reverse('extract', args=[one.name])}?{seat.query}", used[one.pk])
