"""An occasion: what went to whom and what the other side answered; released, resent, called back."""

from __future__ import annotations

from collections.abc import Callable, Collection, Sequence
from dataclasses import dataclass

from django.http import HttpRequest, HttpResponse
from django.utils.http import content_disposition_header
from django.views.decorators.http import require_GET, require_POST

from rulka.core.errors import NotFound, RulkaError, one_of
from rulka.core.sending.dispatches import Link
from rulka.core.values import key_in
from rulka.dispatch.library.storing import read
from rulka.dispatch.models import Delivery, Dispatch, Sending
from rulka.dispatch.pages.common import DispatchPage, to
from rulka.dispatch.pages.dispatch import DeliveryRow, people_in, rows_of
from rulka.dispatch.running.delivering import (
    content_of,
    decide,
    decline,
    find_delivery,
    find_sending,
    may_read,
    may_release,
    note_read,
    recall,
    release,
    required_still,
    send_again,
)
from rulka.dispatch.running.tasks import call
from rulka.ledger.seat import Seat, seat_of
from rulka.people.library import record
from rulka.statements.output.sendable import SENT_AS


@require_GET
def sending(request: HttpRequest, number: int) -> HttpResponse:
    """An occasion with its deliveries."""
    seat = seat_of(request)
    return _page(request, seat, *find_sending(seat.ledger, number, seat.person))


@dataclass(frozen=True, kw_only=True)
class SendingPage(DispatchPage):
    """An occasion with its deliveries, the one that is `chosen`, and what may be done; `moves` while it goes on by
    itself. `kept` is the dispatch that it is of, where that still stands."""

    html = "dispatch/sending.html"
    one: Sending
    kept: Dispatch | None
    title: str
    rows: Sequence[DeliveryRow]
    links: Collection[str]
    chosen: DeliveryRow | None
    may_read: bool
    may_release: bool
    moves: bool
    arrived_all: bool
    reason: str


def _page(
    request: HttpRequest, seat: Seat, one: Sending, kept: Dispatch | None, problem: RulkaError | None = None
) -> HttpResponse:
    rows = rows_of(one, people_in([one]))
    links = {way.name for way in read(one.body).ways if isinstance(way, Link)}
    chosen = next((row for row in rows if str(row.one.pk) == request.GET.get("to")), None) or next(iter(rows), None)
    states = Sending.State
    moves = one.state in (states.ASKED, states.MADE) or (
        one.state == states.GOES and any(row.one.state in ("waits", "under way") and not row.one.again for row in rows)
    )
    if request.headers.get("HX-Request") and not moves and problem is None:  # what was looked after has come to its end
        response = HttpResponse(status=204)
        response["HX-Refresh"] = "true"
        return response
    arrived = (Delivery.State.DELIVERED, Delivery.State.RECALLED)
    return SendingPage(
        seat=seat,
        problem=problem,
        one=one,
        kept=kept,
        title=one.body.get("title") or one.dispatch,
        rows=rows,
        links=links,
        chosen=chosen,
        may_read=chosen is not None and may_read(chosen.one, seat.person),
        may_release=one.state == states.HELD and may_release(one, seat.person),
        moves=moves,
        arrived_all=bool(rows) and all(row.one.state in arrived for row in rows),
        reason=request.POST.get("reason", ""),
    ).answer(request)


Doing = Callable[[Seat, Sending, Dispatch | None, HttpRequest], None]


def _own(kept: Dispatch | None) -> Dispatch:
    if kept is None:
        raise NotFound("There is no such dispatch.", subject="dispatch")
    return kept


def _delivery(seat: Seat, one: Sending, request: HttpRequest) -> Delivery:
    found, _ = find_delivery(seat.ledger, key_in(request.POST.get("delivery", "")), seat.person)
    if found.sending_id != one.pk:
        raise NotFound("There is no such delivery.", subject="dispatch")
    return found


def _release(seat: Seat, one: Sending, kept: Dispatch | None, request: HttpRequest) -> None:
    release(one, person=seat.person)
    call()


def _decide(goes: bool) -> Doing:
    def done(seat: Seat, one: Sending, kept: Dispatch | None, request: HttpRequest) -> None:
        decide(one, _own(kept), goes=goes, person=seat.person)
        call()

    return done


DOING: dict[str, Doing] = {
    "release": _release,
    "decline": lambda seat, one, kept, request: decline(one, request.POST.get("reason", ""), person=seat.person),
    "late": _decide(goes=True),
    "drop": _decide(goes=False),
    "again": lambda seat, one, kept, request: send_again(
        _delivery(seat, one, request), _own(kept), person=seat.person, now=False
    ),
    "recall": lambda seat, one, kept, request: recall(_delivery(seat, one, request), _own(kept), person=seat.person),
    "noted": lambda seat, one, kept, request: note_read(_delivery(seat, one, request), _own(kept), person=seat.person),
}


@require_POST
def act(request: HttpRequest, number: int) -> HttpResponse:
    """Release, decide, send again, call back."""
    seat = seat_of(request)
    one, kept = find_sending(seat.ledger, number, seat.person)
    what = request.POST.get("do", "")
    try:
        if what not in DOING:
            raise NotFound(f"Nothing is called '{what[:40]}'.", hint=one_of(what, DOING), subject="dispatch")
        DOING[what](seat, one, kept, request)
    except RulkaError as error:
        one.refresh_from_db()
        return _page(request, seat, one, kept, error)
    if what == "again":
        call()
    if kept is None or request.POST.get("back") == "list":
        return to(seat, "dispatches")
    return to(seat, "sending", number)


@require_GET
def file(request: HttpRequest, number: int, at: int) -> HttpResponse:
    """A file of a delivery as it was kept, for who may read what its recipient reads."""
    seat = seat_of(request)
    found, _ = find_delivery(seat.ledger, number, seat.person)
    if not may_read(found, seat.person):
        raise RulkaError("You don't see all that they see, so this isn't yours to open.",
                         hint="Ask somebody who sees as much.", code="rights")  # fmt: skip
    return handed_out(seat, found, at)


def handed_out(seat: Seat, found: Delivery, at: int) -> HttpResponse:
    """A file of a delivery as a download, recorded."""
    if not 0 <= at < len(found.files):
        raise NotFound("There is no such file.", subject="file")
    kept = found.files[at]
    required_still(found, kept, seat.person)
    content = content_of(kept)
    record.note(seat.person, "took", ledger=seat.ledger.code, thing=f"dispatch {found.sending.dispatch}",
                detail=f"{kept['name']}, as sent to {found.person_name}")  # fmt: skip
    response = HttpResponse(content, content_type=SENT_AS[kept["name"].rpartition(".")[2]])
    response["Content-Disposition"] = content_disposition_header(True, kept["name"]) or "attachment"
    return response
