"""What the forms of a filing do: tags, taxonomy, settings, shelf, text."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse, HttpResponseRedirect
from django.urls import reverse
from django.views.decorators.http import require_POST

from rulka.core.errors import NotFound, RulkaError
from rulka.core.values import whole
from rulka.filings.editing.tagging import change
from rulka.filings.library.storing import TEXTS
from rulka.filings.pages.filing import page_of
from rulka.filings.pages.readers import asked_for, back
from rulka.formats.filing_file import FILINGS

GOES_ON = ("tag", "leave out")


@require_POST
def change_tags(request: HttpRequest, name: str) -> HttpResponse:
    """Change a tag or a setting; on to the page as it is then."""
    asked, sent = asked_for(request, name, edit=True), request.POST.dict()
    try:
        seen = whole(sent["version"], "version") if sent.get("version") else None
        request.session["filing-told"] = change(asked.reading, sent.get("do", ""), sent, seen)
    except RulkaError as error:
        return page_of(request, asked, error)
    if sent.get("do") in GOES_ON and sent.get("following"):
        return back(asked, line=sent["following"], column="")
    return back(asked)


@require_POST
def undo(request: HttpRequest, name: str) -> HttpResponse:
    """Take the last change back, or do it again."""
    asked = asked_for(request, name, edit=True)
    try:
        redo = request.POST.get("redo") == "yes"
        told = TEXTS.undo(asked.filing, asked.seat.person, redo=redo)
    except RulkaError as error:
        return page_of(request, asked, error)
    request.session["filing-told"] = f"{'Again' if redo else 'Taken back'}: {told}"
    return back(asked)


@require_POST
def manage(request: HttpRequest, name: str) -> HttpResponse:
    """Copy a filing, put it on a shelf, replace its text, or delete it."""
    sent = request.POST
    asked = asked_for(request, name, edit=sent.get("do") != "copy")
    filing, person = asked.filing, asked.seat.person
    try:
        match sent.get("do"):
            case "copy":
                made = TEXTS.copy(filing, sent.get("title") or f"{filing.title} 2", person)
                return HttpResponseRedirect(f"{reverse('filing', args=[made.name])}?{asked.seat.query}")
            case "shelf":
                TEXTS.put_on_shelf(filing, sent.get("shelf", ""), person)
            case "text":
                body = TEXTS.only_body(FILINGS.read(sent.get("text", ""), "text"), filing)
                TEXTS.change(filing, body, "its text", person)
            case "delete":
                TEXTS.delete_typed(filing, filing.title, sent.get("title", ""), person)
                return HttpResponseRedirect(f"{reverse('filings')}?{asked.seat.query}")
            case _:
                raise NotFound("Nothing is called so here.", hint="Load the page again.", subject="action")
    except RulkaError as error:
        return page_of(request, asked, error)
    return back(asked, panel="about")
