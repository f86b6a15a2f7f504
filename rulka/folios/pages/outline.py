"""What the forms of an outline do: sections, settings, masters, shelf, copy, text."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse, HttpResponseRedirect
from django.urls import reverse
from django.views.decorators.http import require_POST

from rulka.core.errors import NotFound, RulkaError
from rulka.core.folios.edits import set_about
from rulka.folios.editing.outlining import change, next_one, set_body, set_owner
from rulka.folios.editing.outlining import undo as take_back
from rulka.folios.library.masters import FIELDS, set_master
from rulka.folios.library.storing import TEXTS, outline_of
from rulka.folios.pages.folio import page_of
from rulka.folios.pages.readers import asked_for, back
from rulka.formats.folio_file import FOLIOS
from rulka.formats.writing.checking import MOST_BYTES


@require_POST
def change_outline(request: HttpRequest, name: str) -> HttpResponse:
    """Change the outline; on to its page as it is then."""
    asked, sent = asked_for(request, name, edit=True), request.POST.dict()
    try:
        key = change(asked.folio, sent.get("do", ""), sent, fence=asked.seat.view.fence, person=asked.seat.person)
    except RulkaError as error:
        return page_of(request, asked, error)
    if sent.get("do") == "about":
        return back(asked, panel="about" if asked.arranging else asked.panel)
    return back(asked, section=key, panel="outline")


@require_POST
def undo(request: HttpRequest, name: str) -> HttpResponse:
    """Take the last change of the outline back, or do it again."""
    asked = asked_for(request, name, edit=True)
    try:
        redo = request.POST.get("redo") == "yes"
        take_back(asked.folio, fence=asked.seat.view.fence, person=asked.seat.person, redo=redo)
    except RulkaError as error:
        return page_of(request, asked, error)
    known = [one.key for one in outline_of(asked.folio).sections]
    return back(asked, section=asked.key if asked.key in known else "")


@require_POST
def manage(request: HttpRequest, name: str) -> HttpResponse:
    """Begin the next one, copy a folio, put it on a shelf, replace its text, or delete it."""
    sent = request.POST
    asked = asked_for(request, name, edit=sent.get("do") not in ("copy", "next"))
    seat, folio = asked.seat, asked.folio
    try:
        match sent.get("do"):
            case "next":
                made = next_one(folio, sent.get("period", ""), sent.get("title", ""), seat.view.fence, seat.person)
                return HttpResponseRedirect(f"{reverse('folio', args=[made.name])}?{seat.query}")
            case "copy":
                made = TEXTS.copy(folio, sent.get("title") or f"{folio.title} 2", seat.person)
                set_owner(made, seat.person.username)
                return HttpResponseRedirect(f"{reverse('folio', args=[made.name])}?{seat.query}&arrange=yes")
            case "shelf":
                TEXTS.put_on_shelf(folio, sent.get("shelf", ""), seat.person)
                return back(asked, panel="about")
            case "text":
                body = set_about(TEXTS.only_body(FOLIOS.read(sent.get("text", ""), "text"), folio), {})
                set_body(folio, body, "its text", fence=seat.view.fence, person=seat.person)
                known = [one.key for one in outline_of(folio).sections]
                return back(asked, panel="text", section=asked.key if asked.key in known else "")
            case "delete":
                TEXTS.delete_typed(folio, folio.title, sent.get("title", ""), seat.person)
                return HttpResponseRedirect(f"{reverse('folios')}?{seat.query}")
            case _:
                raise NotFound("Nothing is called so here.", hint="Load the page again.", subject="action")
    except RulkaError as error:
        return page_of(request, asked, error)


@require_POST
def master(request: HttpRequest, name: str, form: str) -> HttpResponse:
    """Give the folio another master, or Rulka's own again."""
    asked = asked_for(request, name)
    try:
        if form not in FIELDS:
            raise NotFound("There is no such master.", hint="Choose a word file or slides.", subject="master")
        file = request.FILES.get("file")
        if request.POST.get("do") == "own":
            set_master(asked.folio, None, "", form, asked.seat.person)
        elif file is None or not file.name or (file.size or 0) > MOST_BYTES:
            raise RulkaError("No file came, or it is too large.", hint="Choose one.", subject="master")
        else:
            set_master(asked.folio, file.read(), file.name, form, asked.seat.person)
    except RulkaError as error:
        return page_of(request, asked, error)
    return back(asked, panel="master", arrange="yes")
