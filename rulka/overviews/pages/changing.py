"""What the forms of an overview's page do."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse, HttpResponseRedirect
from django.urls import reverse
from django.views.decorators.http import require_POST

from rulka.core.errors import NotFound, RulkaError
from rulka.formats.overview_file import OVERVIEWS
from rulka.overviews.editing.actions import act
from rulka.overviews.library.opening import choose_own
from rulka.overviews.library.storing import TEXTS
from rulka.overviews.pages.overview import page_of
from rulka.overviews.pages.readers import asked_for, back
from rulka.overviews.running.checking import check_in


@require_POST
def edit(request: HttpRequest, name: str) -> HttpResponse:
    """Change the overview; on to its page as it is then."""
    asked = asked_for(request, name, edit=True)
    sent = request.POST.dict()
    try:
        key = act(asked.overview, sent.get("do", ""), sent, fence=asked.seat.view.fence, person=asked.seat.person)
    except RulkaError as error:
        return page_of(request, asked, error)
    tab = "about" if sent.get("do") in ("about", "add-page", "remove-page") else "tile"
    return back(asked, tile="" if sent.get("do") == "remove" else key, tab=tab)


@require_POST
def undo(request: HttpRequest, name: str) -> HttpResponse:
    """Take the last change back, or do it again."""
    asked = asked_for(request, name, edit=True)
    try:
        TEXTS.undo(asked.overview, asked.seat.person, redo=request.POST.get("redo") == "yes")
    except RulkaError as error:
        return page_of(request, asked, error)
    return back(asked)


@require_POST
def choose(request: HttpRequest, name: str) -> HttpResponse:
    """Make an overview one's own, or let it be none."""
    asked = asked_for(request, name)
    choose_own(asked.seat.person, asked.overview, chosen=request.POST.get("own") == "yes")
    return back(asked)


@require_POST
def manage(request: HttpRequest, name: str) -> HttpResponse:
    """Copy an overview, put it on a shelf, replace its text, or delete it."""
    sent = request.POST
    asked = asked_for(request, name, edit=sent.get("do") != "copy")
    seat, overview = asked.seat, asked.overview
    try:
        match sent.get("do"):
            case "copy":
                made = TEXTS.copy(overview, sent.get("title") or f"{overview.title} 2", seat.person)
                return HttpResponseRedirect(f"{reverse('overview', args=[made.name])}?{seat.query}")
            case "shelf":
                TEXTS.put_on_shelf(overview, sent.get("shelf", ""), seat.person)
                return back(asked, tab="about")
            case "text":
                body = TEXTS.only_body(OVERVIEWS.read(sent.get("text", ""), "text"), overview)
                check_in(seat.ledger, seat.view.fence, seat.person, body)
                TEXTS.change(overview, body, "its text", seat.person)
                return back(asked, tab="text")
            case "delete":
                TEXTS.delete_typed(overview, overview.title, sent.get("title", ""), seat.person)
                return HttpResponseRedirect(f"{reverse('overviews')}?{seat.query}")
            case _:
                raise NotFound("Nothing is called so here.", hint="Load the page again.", subject="action")
    except RulkaError as error:
        return page_of(request, asked, error)
