"""A chart of chosen lines and columns of a statement: looked at, changed by ticks, kept on an overview."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from django.http import HttpRequest, HttpResponse, HttpResponseRedirect, QueryDict
from django.shortcuts import render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from rulka.core.errors import RulkaError
from rulka.core.overviews.filling import Asked
from rulka.core.overviews.parts import lasting, named, pieces_of
from rulka.core.overviews.reading import Reading
from rulka.ledger.seat import Seat, seat_of
from rulka.overviews.editing.charting import chart_of, keep_chart, overview_of
from rulka.overviews.library.opening import may_change, seen_overviews
from rulka.overviews.output.shown import ShownTile, Ways, show_tile
from rulka.overviews.running.readings import Reader, StatementReadings
from rulka.overviews.running.tiles import filled


@dataclass(frozen=True)
class Tick:
    """A line or column that may be drawn."""

    key: str
    title: str
    on: bool
    depth: int = 0


@require_GET
def chart(request: HttpRequest, name: str) -> HttpResponse:
    """The chart, with what else could be drawn."""
    return _page(request, seat_of(request), name, request.GET)


def _page(
    request: HttpRequest, seat: Seat, name: str, sent: QueryDict, problem: RulkaError | None = None
) -> HttpResponse:
    rows, columns = sent.getlist("rows"), sent.getlist("columns")
    reader = Reader(seat.ledger, seat.view.fence, seat.person, seat.period.code, seat.node, seat.of)
    whole = StatementReadings(overview_of(chart_of(name, ["?"], ["?"], "")), reader)
    reading = whole.own(name)
    rows, columns = rows or _usual_rows(reading), columns or _usual_columns(reading)
    tile: ShownTile | None = None
    refused = problem
    try:
        columns = lasting(columns, reading.computed.columns)
        found = overview_of(chart_of(name, rows, columns, sent.get("title", "")))
        readings = StatementReadings(found, reader)
        asked = next(iter(found.tiles))
        tile = show_tile(filled(asked, readings, Asked(("month",), None)), _ways(seat, name), "")
    except RulkaError as error:
        refused = refused or error
    statement = reading.computed.statement
    context: dict[str, Any] = {
        "where": "statements", "seat": seat, "name": name, "title": statement.title, "tile": tile,
        "refused": refused, "arranging": False, "node": reading.computed.node.name,
        "lines": [
            Tick(row.key, row.label, row.key in rows, row.depth)
            for row in reading.computed.rows if row.has_figures and not row.hidden
        ],
        "drawn_rows": rows, "drawn_columns": columns,
        "heads": [
            Tick(one.key, named(one), one.key in columns or one.series in columns)
            for one in reading.computed.columns if one.kind != "text" and not one.hidden
        ],
        "given": sent.get("title", ""), "chosen_overview": sent.get("overview", ""),
        "overviews": [
            one for one in seen_overviews(seat.ledger, seat.person) if may_change(seat.person, one)
        ] if seat.person.may_edit else [],
    }  # fmt: skip
    return render(request, "overviews/chart.html", context, status=422 if problem else 200)


def _usual_rows(reading: Reading) -> list[str]:
    """What is drawn where no line was chosen: the totals."""
    rows = [row for row in reading.computed.rows if row.has_figures and not row.hidden and row.unit == "money"]
    return [row.key for row in rows if row.is_total] or [row.key for row in rows[:8]]


def _usual_columns(reading: Reading) -> list[str]:
    """What is drawn where no column was chosen: the first series, else the first of figures."""
    shown = [one for one in reading.computed.columns if one.kind == "figures" and not one.hidden]
    series = next((one.series for one in shown if one.series), "")
    return [one.key for one in pieces_of(series, shown)] if series else [one.key for one in shown[:1]]


def _ways(seat: Seat, name: str) -> Ways:
    """Figures lead to their trace on the statement."""
    page = reverse("statement", args=[name])
    opens = seat.view.fence.opens_figures
    return Ways(lambda statement, query: f"{page}?{seat.query}&panel=trace&{query}" if opens else "", lambda code: "")


@require_POST
def keep(request: HttpRequest, name: str) -> HttpResponse:
    """Keep the chart on an overview."""
    seat = seat_of(request)
    sent = request.POST
    try:
        tile = chart_of(name, sent.getlist("rows"), sent.getlist("columns"), sent.get("title", ""))
        overview, key = keep_chart(seat, tile, sent.get("overview", ""), sent.get("new", ""))
    except RulkaError as error:
        return _page(request, seat, name, sent, error)
    return HttpResponseRedirect(
        f"{reverse('overview', args=[overview.name])}?{seat.query}&arrange=yes&tile={key}#tile-{key}"
    )
