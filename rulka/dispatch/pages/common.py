"""What the pages of dispatches share."""

from __future__ import annotations

from dataclasses import dataclass, field

from django.conf import settings
from django.http import HttpResponseRedirect
from django.urls import reverse

from rulka.ledger.seat import Seat, SeatedPage


@dataclass(frozen=True, kw_only=True)
class DispatchPage(SeatedPage):
    """A page of dispatches; `arrived` is where one sees what arrived, with the stand-ins alone."""

    where: str = "dispatch"
    arrived: str = field(default_factory=lambda: settings.ARRIVED)


def to(seat: Seat, name: str, *arguments: object, more: str = "") -> HttpResponseRedirect:
    """On to a page, with what the seat has to carry."""
    return HttpResponseRedirect(f"{reverse(name, args=arguments)}?{seat.query}{more}")
