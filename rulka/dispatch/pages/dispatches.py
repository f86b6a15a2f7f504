"""The list of dispatches: what waits for its reader, what goes to whom, what was sent to them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

from django.http import HttpRequest, HttpResponse
from django.views.decorators.http import require_GET, require_POST

from rulka.core.errors import RulkaError
from rulka.dispatch.library.storing import begin as begin_dispatch
from rulka.dispatch.library.storing import dispatches_of, read
from rulka.dispatch.models import Delivery, Dispatch, Sending
from rulka.dispatch.pages.common import DispatchPage, to
from rulka.dispatch.running.delivering import BAD, links_for, may_release
from rulka.dispatch.running.planning import recipients_of
from rulka.dispatch.running.schedule import comes_next
from rulka.ledger.models import Ledger
from rulka.ledger.seat import Seat, seat_of
from rulka.people.models import Person

MOST = 50


@dataclass(frozen=True)
class ListedDispatch:
    """A dispatch as the list shows it."""

    dispatch: Dispatch
    ways: str
    recipients: int
    rules: list[str]
    next: datetime | None
    last: Sending | None


def _listed(dispatch: Dispatch) -> ListedDispatch:
    coming = comes_next(dispatch)
    moments = [moment for _, moment in coming if moment is not None]
    last = Sending.objects.filter(
        ledger=dispatch.ledger.code, dispatch=dispatch.name, rehearsal=False
    ).first()  # fmt: skip
    ways = [way.get("name") or way["way"] for way in dispatch.body["ways"] if way.get("off") != "yes"]
    people = recipients_of(dispatch.ledger, read(dispatch.body))
    return ListedDispatch(
        dispatch, ", ".join(ways), len(people), [rule.text for rule, _ in coming], min(moments, default=None), last
    )


@dataclass(frozen=True)
class Waiting:
    """What waits for somebody: to be released, to be decided, to be read because it failed or did not arrive."""

    to_release: Sequence[Sending]
    to_decide: Sequence[Sending]
    failed: Sequence[Sending]
    bad: Sequence[Delivery]


def waiting_for(ledger: Ledger, person: Person, own: list[Dispatch]) -> Waiting:
    """What waits for somebody: to be released, to be decided, to be read because it did not arrive."""
    names = [one.name for one in own]
    mine = Sending.objects.filter(ledger=ledger.code, dispatch__in=names, rehearsal=False)
    held = Sending.objects.filter(ledger=ledger.code, state=Sending.State.HELD)
    states = Sending.State
    bad = Delivery.objects.filter(sending__in=mine.values("pk"), state__in=BAD, noted=False)
    return Waiting(
        to_release=[one for one in held if may_release(one, person)],
        to_decide=list(mine.filter(state=states.WAITS)),
        failed=list(mine.filter(state__in=(states.FAILED, states.DECLINED))[:10]),
        bad=list(bad.select_related("sending").order_by("-pk")[:MOST]),
    )


@dataclass(frozen=True, kw_only=True)
class DispatchesPage(DispatchPage):
    """One's dispatches, what waits for one, and what was sent to one by link."""

    html = "dispatch/list.html"
    listed: Sequence[ListedDispatch]
    waiting: Waiting
    links: Sequence[Delivery]
    title: str


@require_GET
def dispatches(request: HttpRequest) -> HttpResponse:
    """All dispatches of somebody's, and what waits for them."""
    return _list(request, seat_of(request))


def _list(request: HttpRequest, seat: Seat, problem: RulkaError | None = None) -> HttpResponse:
    ledger = seat.ledger
    own = dispatches_of(ledger, seat.person) if seat.person.may_edit or seat.person.administers else []
    return DispatchesPage(
        seat=seat,
        problem=problem,
        listed=[_listed(one) for one in own],
        waiting=waiting_for(ledger, seat.person, own),
        links=links_for(ledger, seat.person)[:MOST],
        title=request.POST.get("title", ""),
    ).answer(request)


@require_POST
def begin(request: HttpRequest) -> HttpResponse:
    """A new dispatch."""
    seat = seat_of(request)
    try:
        made = begin_dispatch(seat.ledger, request.POST.get("title", ""), person=seat.person)
    except RulkaError as error:
        return _list(request, seat, error)
    return to(seat, "dispatch", made.name)
