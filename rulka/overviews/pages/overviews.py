"""The list of overviews, those last opened first, and new ones."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

from django.http import HttpRequest, HttpResponse, HttpResponseRedirect
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from rulka.ledger.seat import Seat, seat_of
from rulka.overviews.editing.starting import begin_overview
from rulka.overviews.library.opening import own_overview, seen_overviews, visits_of
from rulka.overviews.library.storing import TEXTS
from rulka.overviews.models import Overview
from rulka.screen import Screen
from rulka.statements.library.opening import seen_definitions
from rulka.statements.library.shelves import RUN


@dataclass(frozen=True, kw_only=True)
class OverviewsPage(Screen):
    """The overviews of a ledger, each with when it was last opened and whether it is one's own; the (name, title) of
    statements that one can be begun of."""

    html = "overviews/list.html"
    where: str = "overviews"
    seat: Seat
    overviews: Sequence[tuple[Overview, datetime | None, bool]]
    statements: Sequence[tuple[str, str]]


@require_GET
def overview_list(request: HttpRequest) -> HttpResponse:
    """The overviews of the ledger."""
    seat = seat_of(request)
    visits = visits_of(seat.ledger, seat.person)
    seen = sorted(seen_overviews(seat.ledger, seat.person), key=lambda one: one.title.casefold())
    seen.sort(key=lambda one: -visits[one.pk].timestamp() if one.pk in visits else 0)
    own = own_overview(seat.ledger, seat.person)
    known = seen_definitions(seat.ledger, seat.person, "statement", level=RUN) if seat.person.may_edit else []
    return OverviewsPage(
        seat=seat,
        overviews=[(one, visits.get(one.pk), one == own) for one in seen],
        statements=[(one.name, one.title) for one in known],
    ).response(request)


@require_POST
def begin(request: HttpRequest) -> HttpResponse:
    """A new overview of a statement, with the tiles that most need."""
    seat = seat_of(request)
    TEXTS.required_maker(seat.person)
    made = begin_overview(seat, request.POST.get("of", ""), request.POST.get("title", ""))
    return HttpResponseRedirect(f"{reverse('overview', args=[made.name])}?{seat.query}&arrange=yes")
