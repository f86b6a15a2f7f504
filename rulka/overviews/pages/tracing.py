"""Figures of an overview, traced on the whole page and as files."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from urllib.parse import urlencode

from django.http import HttpRequest, HttpResponse
from django.urls import reverse
from django.views.decorators.http import require_GET

from rulka.core.compute.computed import Computed
from rulka.core.errors import RulkaError
from rulka.core.overviews.reading import OverviewReading
from rulka.ledger.models import Revision
from rulka.ledger.pages.taking import taken_file
from rulka.ledger.reading.history import latest_revision
from rulka.ledger.reading.trace_address import said_in
from rulka.ledger.reading.trace_levels import Crumb, TraceAddresses, TracePanel
from rulka.ledger.reading.trace_panel import known_crumbs, leading, trace_panel
from rulka.ledger.seat import Seat
from rulka.overviews.models import Overview
from rulka.overviews.pages.readers import OverviewRequest, asked_for
from rulka.screen import Screen


def _reading(asked: OverviewRequest, request: HttpRequest) -> tuple[OverviewReading, str]:
    """The reading that a figure stands in, and what an address has to carry for it."""
    statement, source = request.GET.get("statement", ""), request.GET.get("source", "")
    return asked.readings.sourced(statement, source), urlencode({"statement": statement, "source": source})


@require_GET
def trace(request: HttpRequest, name: str) -> HttpResponse:
    """A figure of an overview, step by step down to its journal lines."""
    asked = asked_for(request, name)
    reading, own = _reading(asked, request)
    computed = reading.computed
    state = {**said_in(request.GET), "panel": "trace", "room": "yes"}
    page, whole = reverse("overview", args=[name]), reverse("overview-trace", args=[name])
    base = f"{asked.query()}&{own}"
    trace, refused = None, None
    try:
        shown = trace_panel(asked.seat.ledger, computed.view, computed, state)
        places = TraceAddresses(
            page,
            whole,
            lambda form: reverse("overview-take", args=[name, form]),
            lambda taker: reverse(taker, args=["overview", name]),
        )
        trace = leading(shown, base, places, room=True, may_take=False)
        trace = replace(trace, whole=("Back to the overview", f"{page}?{asked.query()}"))
    except RulkaError as error:
        refused = error
    return OverviewTrace(
        seat=asked.seat, overview=asked.overview, computed=computed, page_url=page, back_query=asked.query(),
        panel_url=whole, trace_base=base, state=state, latest=latest_revision(asked.seat.ledger), trace=trace,
        agrees=trace.trace.agrees if trace else None, refused=refused,
        crumbs=known_crumbs(computed, state) if refused else (),
    ).response(request)  # fmt: skip


@dataclass(frozen=True, kw_only=True)
class OverviewTrace(Screen):
    """A trace of a figure of an overview, on the whole page."""

    html = "overviews/trace.html"
    where: str = "overviews"
    seat: Seat
    overview: Overview
    computed: Computed
    page_url: str
    back_query: str
    panel_url: str
    trace_base: str
    state: Mapping[str, str]
    latest: Revision | None
    trace: TracePanel | None
    agrees: bool | None
    refused: RulkaError | None
    crumbs: Sequence[Crumb]


@require_GET
def take(request: HttpRequest, name: str, form: str) -> HttpResponse:
    """What a trace shows, as a file."""
    asked = asked_for(request, name)
    reading, _ = _reading(asked, request)
    of = ("overview", asked.overview.name, asked.overview.pk, asked.overview.shelf_id)
    return taken_file(
        asked.seat.ledger, reading.computed.view, reading.computed, said_in(request.GET), form,
        person=asked.seat.person, of=of,
    )  # fmt: skip
