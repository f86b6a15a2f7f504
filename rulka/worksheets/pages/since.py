"""How old the figures of a worksheet are, taking newer ones, and what others did to it meanwhile."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from django.http import HttpRequest, HttpResponse, HttpResponseRedirect, JsonResponse
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from rulka.core.errors import NotFound
from rulka.core.values import is_whole, key_in
from rulka.ledger.editing import may
from rulka.ledger.feeds.asking import ask, last_accepted, sources_of
from rulka.ledger.feeds.owning import find_feed
from rulka.ledger.reading.history import find_revision
from rulka.people.duties import LOAD
from rulka.people.models import Person
from rulka.work.services import loads
from rulka.worksheets.models import ReaderMarks, Worksheet
from rulka.worksheets.pages.readers import WorksheetRequest, asked_for, reader_of
from rulka.worksheets.running.revisions import drop_marks, set_opening, take_newest


@dataclass(frozen=True)
class FeedAge:
    """A feed of the ledger: when it was last pulled with success, and whether it is at it now."""

    number: int
    name: str
    at: datetime | None
    is_busy: bool


@dataclass(frozen=True)
class Age:
    """How old what a reader sees is: its revision and when that came, how many are newer, what changed by the last
    step, and the sources that may be asked first."""

    revision: int
    at: datetime | None
    newer: int
    former: int
    changed: int
    opening: str
    stays: bool
    sources: tuple[FeedAge, ...]


def age_of(asked: WorksheetRequest) -> Age:
    """What the head of a worksheet says of its age."""
    revision, newest = asked.reader.view.revision, asked.seat.view.revision
    at = find_revision(asked.seat.ledger, revision).at if revision else None
    marks = ReaderMarks.objects.filter(worksheet=asked.worksheet, person=asked.seat.person).first()
    whole = asked.seat.view.fence.hides_nothing and asked.seat.person.may_load
    feeds = sources_of(asked.seat.ledger, asked.seat.person) if whole else []
    return Age(
        revision,
        at,
        newest - revision,
        marks.former if marks else 0,
        len(marks.changed) if marks else 0,
        asked.worksheet.opening,
        asked.worksheet.opening == Worksheet.Opening.STAYS,
        tuple(FeedAge(feed.pk, feed.name, last_accepted(feed), loads.is_busy(feed.pk)) for feed in feeds),
    )


def done_since(worksheet: Worksheet, version: int, person: Person) -> list[tuple[str, str]]:
    """Who else did what to a worksheet since a version."""
    later = worksheet.steps.filter(version__gt=version).exclude(person=person).select_related("person")
    return [
        ((step.person.title or step.person.username) if step.person else "Somebody", step.what)
        for step in later.order_by("version")
    ]


@require_POST
def refresh(request: HttpRequest, name: str) -> HttpResponse:
    """Take the newest revision, with marks on what changed; or let the marks go."""
    asked = asked_for(request, name)
    if request.POST.get("how") == "seen":
        drop_marks(asked.worksheet, asked.seat.person)
    else:
        take_newest(asked.worksheet, reader_of(asked.seat))
    sheet = request.GET.get("sheet", "")
    where = f"&sheet={sheet}" if is_whole(sheet) else ""
    return HttpResponseRedirect(f"{reverse('worksheet', args=[asked.worksheet.name])}?{asked.seat.query}{where}")


@require_POST
def fetch(request: HttpRequest, name: str) -> JsonResponse:
    """Ask a feed for its news, or all of it; the answer names the load to wait for."""
    asked = asked_for(request, name)
    may(asked.seat.person, LOAD)
    if not asked.seat.view.fence.hides_nothing:
        raise NotFound("There is no such source for you.", subject="source")
    feed = find_feed(asked.seat.ledger, key_in(request.POST.get("feed", "0")), asked.seat.person)
    load = ask(feed, person=asked.seat.person, full=request.POST.get("how") == "all")
    return JsonResponse({"load": load.pk})


@require_GET
def fetching(request: HttpRequest, name: str) -> JsonResponse:
    """How far a load is that was asked for here."""
    asked = asked_for(request, name)
    load = loads.find(key_in(request.GET.get("load", "0")), ledger=asked.seat.ledger.code)
    if load is None or not asked.seat.view.fence.hides_nothing:
        raise NotFound("There is no such load.", hint="Ask again.", subject="source")
    return JsonResponse({"over": not load.is_open, "state": load.get_state_display(), "doing": load.doing})


@require_POST
def opening(request: HttpRequest, name: str) -> HttpResponse:
    """What the worksheet does about new revisions."""
    asked = asked_for(request, name, edit=True)
    given = request.POST.get("revision", "")
    number = key_in(given) if given else asked.reader.view.revision
    set_opening(asked.worksheet, request.POST.get("opening", ""), number, asked.seat.ledger)
    return HttpResponseRedirect(f"{reverse('worksheet', args=[asked.worksheet.name])}?{asked.seat.query}&panel=sheet")
