"""Pages of the ledger: its revisions and entities."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_GET

from rulka.ledger.models import Revision
from rulka.ledger.seat import seat_of
from rulka.people.queries import accesses_of


def _told(revision: Revision) -> list[tuple[str, dict[str, int]]]:
    return [(what, counts) for what, counts in revision.counts.items() if counts["new"] or counts["changed"] or counts["withdrawn"]]


@require_GET
def ledger_page(request: HttpRequest) -> HttpResponse:
    """Which ledger, its entities and what each load brought."""
    seat = seat_of(request)
    revisions = [(revision, _told(revision)) for revision in seat.ledger.revisions.select_related("person")[:50]]
    seen = seat.view.visible_entities()
    frame = seat.view.frame
    entities = [(item, frame.currencies[at]) for at, item in enumerate(frame.entities.items) if seen[at]]
    return render(
        request,
        "ledger/page.html",
        {"seat": seat, "where": "ledger", "revisions": revisions, "entities": entities, "ledgers": [a.ledger for a in accesses_of(seat.person)]},
    )
