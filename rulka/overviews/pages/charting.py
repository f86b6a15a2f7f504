"""A chart of chosen lines and columns of a statement: looked at, changed by ticks, kept on an overview."""

from __future__ import annotations

from collections.abc import Container, Sequence
from dataclasses import dataclass

from django.http import HttpRequest, HttpResponse, HttpResponseRedirect, QueryDict
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from rulka.core.compute.computed import Computed
from rulka.core.errors import RulkaError
from rulka.core.overviews.filling import TileQuestion
from rulka.core.overviews.parts import lasting, named, pieces_of
from rulka.core.overviews.reading import OverviewReading
from rulka.ledger.seat import Seat, seat_of
from rulka.overviews.editing.charting import chart_of, keep_chart, overview_of
from rulka.overviews.library.opening import may_change, seen_overviews
from rulka.overviews.models import Overview
from rulka.overviews.output.shown import ShownTile, Ways, show_tile
from rulka.overviews.running.readings import OverviewReader, StatementReadings
from rulka.overviews.running.tiles import filled
from rulka.screen import Screen


@dataclass(frozen=True)
class ChartTick:
    """A line or column that may be drawn."""

    key: str
    title: str
    on: bool
    depth: int = 0


@require_GET
def chart(request: HttpRequest, name: str) -> HttpResponse:
    """The chart, with what else could be drawn."""
    return _page(request, seat_of(request), name, request.GET)


@dataclass(frozen=True, kw_only=True)
class ChartPage(Screen):
    """A chart, the lines and columns that it could be drawn of, and the overviews that it could be kept on."""

    html = "overviews/chart.html"
    where: str = "statements"
    seat: Seat
    name: str
    title: str
    node: str
    tile: ShownTile | None
    refused: RulkaError | None
    lines: Sequence[ChartTick]
    heads: Sequence[ChartTick]
    drawn_rows: Sequence[str]
    drawn_columns: Sequence[str]
    given: str
    overviews: Sequence[Overview]
    chosen_overview: str
    arranging: bool = False


def _lines_to_tick(computed: Computed, chosen: Container[str]) -> list[ChartTick]:
    rows = (row for row in computed.rows if row.has_figures and not row.hidden)
    return [ChartTick(row.key, row.label, row.key in chosen, row.depth) for row in rows]


def _columns_to_tick(computed: Computed, chosen: Container[str]) -> list[ChartTick]:
    columns = (one for one in computed.columns if one.kind != "text" and not one.hidden)
    return [ChartTick(one.key, named(one), one.key in chosen or one.series in chosen) for one in columns]


def _page(
    request: HttpRequest, seat: Seat, name: str, sent: QueryDict, problem: RulkaError | None = None
) -> HttpResponse:
    rows, columns = sent.getlist("rows"), sent.getlist("columns")
    reader = OverviewReader(seat.ledger, seat.view.fence, seat.person, seat.period.code, seat.node, seat.of)
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
        tile = show_tile(filled(asked, readings, TileQuestion(("month",), None)), _ways(seat, name), "")
    except RulkaError as error:
        refused = refused or error
    seen = seen_overviews(seat.ledger, seat.person) if seat.person.may_edit else []
    return ChartPage(
        seat=seat,
        name=name,
        title=reading.computed.statement.title,
        node=reading.computed.node.name,
        tile=tile,
        refused=refused,
        lines=_lines_to_tick(reading.computed, rows),
        heads=_columns_to_tick(reading.computed, columns),
        drawn_rows=rows,
        drawn_columns=columns,
        given=sent.get("title", ""),
        overviews=[one for one in seen if may_change(seat.person, one)],
        chosen_overview=sent.get("overview", ""),
    ).response(request, status=422 if problem else 200)


def _usual_rows(reading: OverviewReading) -> list[str]:
    """What is drawn where no line was chosen: the totals."""
    rows = [row for row in reading.computed.rows if row.has_figures and not row.hidden and row.unit == "money"]
    return [row.key for row in rows if row.is_total] or [row.key for row in rows[:8]]


def _usual_columns(reading: OverviewReading) -> list[str]:
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
