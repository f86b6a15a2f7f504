"""Pages of revisions: the log, and what changed between two of them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from django.http import HttpRequest, HttpResponse
from django.views.decorators.http import require_GET

from rulka.core.errors import RulkaError
from rulka.core.values import whole as whole_number
from rulka.ledger.models import Revision
from rulka.ledger.pages.common import LedgerPage, frame_of
from rulka.ledger.reading.history import Changes, changes_between
from rulka.ledger.seat import seat_of


def _told(revision: Revision) -> list[tuple[str, dict[str, int]]]:
    return [
        (what, counts)
        for what, counts in revision.counts.items()
        if counts["new"] or counts["changed"] or counts["withdrawn"]
    ]


@dataclass(frozen=True, kw_only=True)
class RevisionsPage(LedgerPage):
    """The latest revisions, each with how much of what came where somebody sees the `whole`, and what changed from one
    to another."""

    html = "ledger/revisions.html"
    listed: Sequence[tuple[Revision, Sequence[tuple[str, Mapping[str, int]]]]]
    found: Changes | None
    first: str
    last: str
    whole: bool


@require_GET
def revisions(request: HttpRequest) -> HttpResponse:
    """Every load that changed something, and two revisions compared."""
    seat = seat_of(request)
    whole = seat.view.fence.is_open  # how many lines came is finer than a seal's grain
    listed = [
        (one, _told(one) if whole else []) for one in seat.ledger.revisions.select_related("person", "feed")[:100]
    ]
    first, last = request.GET.get("from", ""), request.GET.get("to", "")
    problem, found = None, None
    if first or last:
        try:
            numbers = [whole_number(text, "revisions", hint="0 is before the first.") for text in (first, last)]
            found = changes_between(seat.view, seat.ledger, *numbers)
        except RulkaError as error:
            problem = error
    newest = seat.ledger.revision
    return RevisionsPage(
        seat=seat,
        frame=frame_of(seat, "revisions"),
        problem=problem,
        listed=listed,
        found=found,
        first=first or str(max(0, newest - 1)),
        last=last or str(newest),
        whole=whole,
    ).answer(request)
