"""Pages of the library: statements, parts, shelves."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from rulka.ledger.seat import Seat, seat_of
from rulka.screen import Screen
from rulka.statements.library import catalogue, shelves
from rulka.statements.library.opening import open_definition
from rulka.statements.models import Definition, Edition, Shelf
from rulka.statements.output import editions


@dataclass(frozen=True, kw_only=True)
class LibraryPage(Screen):
    """The statements that somebody may see, by shelf, as far as a search and a tag let through; editions of those that
    are gone."""

    html = "statements/list.html"
    where: str = "statements"
    seat: Seat
    library: shelves.Library
    search: str
    tag: str
    shelves: Sequence[Shelf]
    gone: Sequence[Edition]


@require_GET
def statement_list(request: HttpRequest) -> HttpResponse:
    """All statements of the ledger."""
    seat = seat_of(request)
    search, tag = (request.GET.get(name, "") for name in ("search", "tag"))
    screen = LibraryPage(
        seat=seat,
        library=shelves.library_of(seat.ledger, seat.person, search=search, tag=tag),
        search=search,
        tag=tag,
        shelves=shelves.shelves_seen(seat.ledger, seat.person),
        gone=editions.of_gone_statements(seat.ledger, seat.view, seat.person),
    )
    return screen.response(request, template="statements/_library.html" if request.headers.get("HX-Request") else "")


@dataclass(frozen=True, kw_only=True)
class PartsPage(Screen):
    """The spines, spans and scopes that somebody may see, with where each is used."""

    html = "statements/parts.html"
    where: str = "statements"
    seat: Seat
    parts: Sequence[catalogue.UsedPart]
    shelves: Sequence[Shelf]


@require_GET
def part_list(request: HttpRequest) -> HttpResponse:
    """All spines, spans and scopes with where they are used."""
    seat = seat_of(request)
    parts = catalogue.parts_with_users(seat.ledger, seat.person)
    seen = shelves.shelves_seen(seat.ledger, seat.person)
    return PartsPage(seat=seat, parts=parts, shelves=seen).response(request)


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


@dataclass(frozen=True, kw_only=True)
class ShelfPage(Screen):
    """A shelf's rights, who may be given one, and whom it reaches; `question` where a right would close it to others,
    with what was `asked`."""

    html = "statements/shelf.html"
    where: str = "statements"
    seat: Seat
    shelf: Shelf
    rights: Sequence[tuple[str, str, str]]
    who: Sequence[tuple[str, str]]
    reach: Sequence[shelves.ShelfReader]
    levels: Sequence[str]
    question: shelves.FirstRestriction | None
    asked: Mapping[str, str]


def _shelf_page(
    request: HttpRequest, seat: Seat, found: Shelf, question: shelves.FirstRestriction | None = None
) -> HttpResponse:
    return ShelfPage(
        seat=seat,
        shelf=found,
        rights=shelves.rights_of(found),
        who=shelves.who_may_be_given(seat.ledger),
        reach=shelves.reach_of(seat.ledger, found),
        levels=list(shelves.LEVELS.values()),
        question=question,
        asked=request.POST if question else {},
    ).response(request, status=409 if question else 200)


@dataclass(frozen=True, kw_only=True)
class ReachPage(Screen):
    """Whom an item reaches."""

    html = "statements/reach.html"
    where: str = "statements"
    seat: Seat
    definition: Definition
    title: str
    reach: Sequence[shelves.ShelfReader]


@require_GET
def reach(request: HttpRequest, kind: str, name: str) -> HttpResponse:
    """Who reaches an item, what they may do with it, and why."""
    seat = seat_of(request)
    definition = open_definition(seat.ledger, kind, name, person=seat.person, level=shelves.EDIT)
    found = shelves.reach_of(seat.ledger, definition.shelf)
    return ReachPage(seat=seat, definition=definition, title=definition.title, reach=found).response(request)


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
