"""Pages of the library: statements, parts, shelves."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from rulka.ledger.seat import Seat, seat_of
from rulka.statements.library import catalogue, shelves
from rulka.statements.library.opening import open_definition
from rulka.statements.models import Shelf
from rulka.statements.output import editions


@require_GET
def statement_list(request: HttpRequest) -> HttpResponse:
    """All statements of the ledger."""
    seat = seat_of(request)
    asked = {name: request.GET.get(name, "") for name in ("search", "tag")}
    library_shown = shelves.library_of(seat.ledger, seat.person, **asked)
    context = {
        "seat": seat,
        "library": library_shown,
        **asked,
        "shelves": shelves.shelves_seen(seat.ledger, seat.person),
        "gone": editions.of_gone_statements(seat.ledger, seat.view, seat.person),
        "where": "statements",
    }
    return render(
        request, "statements/_library.html" if request.headers.get("HX-Request") else "statements/list.html", context
    )


@require_GET
def part_list(request: HttpRequest) -> HttpResponse:
    """All spines, spans and scopes with where they are used."""
    seat = seat_of(request)
    parts = catalogue.parts_with_users(seat.ledger, seat.person)
    return render(
        request,
        "statements/parts.html",
        {
            "seat": seat,
            "parts": parts,
            "shelves": shelves.shelves_seen(seat.ledger, seat.person),
            "where": "statements",
        },
    )


@require_POST
def make_shelf(request: HttpRequest) -> HttpResponse:
    """A new shelf."""
    seat = seat_of(request)
    shelves.make_shelf(seat.ledger, request.POST.get("name", ""), person=seat.person)
    return redirect("statements")


@require_POST
def place(request: HttpRequest, kind: str, name: str) -> HttpResponse:
    """Put a definition on a shelf, give it tags, or mark it as a favourite."""
    seat = seat_of(request)
    definition = open_definition(seat.ledger, kind, name, person=seat.person, level=shelves.SEE)
    if "shelf" in request.POST:
        shelves.put_on_shelf(definition, request.POST["shelf"], person=seat.person)
    if "tags" in request.POST:
        shelves.set_tags(definition, request.POST["tags"], person=seat.person)
    if "favourite" in request.POST:
        shelves.set_favourite(seat.person, definition, favourite=request.POST["favourite"] == "yes")
    return redirect("parts" if request.POST.get("back") == "parts" else "statements")


@require_GET
def shelf(request: HttpRequest, number: str) -> HttpResponse:
    """A shelf's rights."""
    seat = seat_of(request)
    return _shelf_page(request, seat, shelves.find_shelf(seat.ledger, number, person=seat.person))


def _shelf_page(
    request: HttpRequest, seat: Seat, found: Shelf, question: shelves.FirstRestriction | None = None
) -> HttpResponse:
    context = {
        "seat": seat,
        "shelf": found,
        "rights": shelves.rights_of(found),
        "who": shelves.who_may_be_given(seat.ledger),
        "reach": shelves.reach_of(seat.ledger, found),
        "levels": list(shelves.LEVELS.values()),
        "question": question,
        "asked": request.POST if question else {},
        "where": "statements",
    }
    return render(request, "statements/shelf.html", context, status=409 if question else 200)


@require_GET
def reach(request: HttpRequest, kind: str, name: str) -> HttpResponse:
    """Who reaches an item, what they may do with it, and why."""
    seat = seat_of(request)
    definition = open_definition(seat.ledger, kind, name, person=seat.person, level=shelves.EDIT)
    context = {
        "seat": seat,
        "definition": definition,
        "title": definition.title,
        "reach": shelves.reach_of(seat.ledger, definition.shelf),
        "where": "statements",
    }
    return render(request, "statements/reach.html", context)


@require_POST
def set_right(request: HttpRequest, number: str) -> HttpResponse:
    """Give or take back a right on a shelf."""
    seat = seat_of(request)
    found = shelves.find_shelf(seat.ledger, number, person=seat.person)
    who, level = request.POST.get("who", ""), request.POST.get("level", "")
    try:
        shelves.set_right(
            found,
            who,
            level,
            person=seat.person,
            knows=request.POST.get("knows") == "yes",
            depth=request.POST.get("depth", ""),
        )
    except shelves.FirstRestriction as question:
        return _shelf_page(request, seat, found, question)
    return redirect(f"{reverse('shelf', args=[number])}?{seat.query}")
