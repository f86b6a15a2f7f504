"""What was sent to somebody by link: opened by them alone, until it is called back."""

from __future__ import annotations

from dataclasses import dataclass

from django.http import HttpRequest, HttpResponse
from django.views.decorators.http import require_GET

from rulka.core.errors import NotFound
from rulka.dispatch.models import Delivery
from rulka.dispatch.pages.common import DispatchPage
from rulka.dispatch.pages.sendings import handed_out
from rulka.dispatch.running.delivering import link_for
from rulka.ledger.seat import Seat, seat_of


def _seated(request: HttpRequest, identity: str) -> Seat:
    seat = seat_of(request)
    found = link_for(identity, seat.person)
    if found.sending.ledger != seat.ledger.code:
        raise NotFound("There is no such link.", hint="Open the ledger that it is of.", subject="link")
    return seat


@dataclass(frozen=True, kw_only=True)
class ReceivedPage(DispatchPage):
    """What was sent to somebody by one link."""

    html = "dispatch/received.html"
    one: Delivery
    title: str


@require_GET
def sent(request: HttpRequest, identity: str) -> HttpResponse:
    """What a link leads to."""
    seat = _seated(request, identity)
    found = link_for(identity, seat.person)
    return ReceivedPage(seat=seat, one=found, title=found.sending.body.get("title", "")).answer(request)


@require_GET
def take(request: HttpRequest, identity: str, at: int) -> HttpResponse:
    """A file of a link."""
    seat = _seated(request, identity)
    return handed_out(seat, link_for(identity, seat.person), at)
