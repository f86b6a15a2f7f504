"""The list of overviews, those last opened first, and new ones."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse, HttpResponseRedirect
from django.shortcuts import render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from rulka.ledger.seat import seat_of
from rulka.overviews.editing.starting import begin_overview
from rulka.overviews.library.opening import own_overview, seen_overviews, visits_of
from rulka.overviews.library.storing import TEXTS
from rulka.statements.library.opening import seen_definitions
from rulka.statements.library.shelves import RUN


@require_GET
def overview_list(request: HttpRequest) -> HttpResponse:
    """The overviews of the ledger."""
    seat = seat_of(request)
    visits = visits_of(seat.ledger, seat.person)
    seen = sorted(seen_overviews(seat.ledger, seat.person), key=lambda one: one.title.casefold())
    seen.sort(key=lambda one: -visits[one.pk].timestamp() if one.pk in visits else 0)
    own = own_overview(seat.ledger, seat.person)
    statements = []
    if seat.person.may_edit:
        known = seen_definitions(seat.ledger, seat.person, "statement", level=RUN)
        statements = [(one.name, one.title) for one in known]
    context = {
        "where": "overviews", "seat": seat, "overviews": [(one, visits.get(one.pk), one == own) for one in seen],
        "statements": statements,
    }  # fmt: skip
    return render(request, "overviews/list.html", context)


@require_POST
def begin(request: HttpRequest) -> HttpResponse:
    """A new overview of a statement, with the tiles that most need."""
    seat = seat_of(request)
    TEXTS.required_maker(seat.person)
    made = begin_overview(seat, request.POST.get("of", ""), request.POST.get("title", ""))
    return HttpResponseRedirect(f"{reverse('overview', args=[made.name])}?{seat.query}&arrange=yes")
