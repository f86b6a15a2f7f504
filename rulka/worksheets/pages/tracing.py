"""A trace of a worksheet's figures on the whole page and as files, and rows of any trace as a worksheet."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from urllib.parse import urlencode

from django.http import HttpRequest, HttpResponse, HttpResponseRedirect
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from rulka.core.books.book import View
from rulka.core.compute.computed import Computed
from rulka.core.errors import NotFound, RulkaError
from rulka.core.sheet.addresses import MOST_ROWS, Key, read_cell
from rulka.core.sheet.workbook import Sheet
from rulka.core.values import key_in
from rulka.ledger.models import Ledger, Revision
from rulka.ledger.pages.taking import taken_file
from rulka.ledger.reading.history import latest_revision
from rulka.ledger.reading.trace_address import Address, said_in
from rulka.ledger.reading.trace_levels import Crumb, TracePanel
from rulka.ledger.reading.trace_taking import rows_of
from rulka.ledger.seat import Seat, SeatedPage, seat_of
from rulka.screen import PanelBody
from rulka.statements.library.opening import definitions_for, open_statement
from rulka.statements.running.runs import node_asked, run
from rulka.worksheets.editing.taking import TOP, worksheet_of_rows
from rulka.worksheets.models import Worksheet
from rulka.worksheets.pages.panel import figure_state, traced_question, worksheet_panel
from rulka.worksheets.pages.readers import asked_for, sheet_asked
from rulka.worksheets.running.live import Live, opened


def _key(request: HttpRequest, live: Live) -> Key:
    at = read_cell(request.GET.get("cell", "A1")) or (0, 0)
    return (sheet_asked(live, request).number, *at)


@dataclass(frozen=True, kw_only=True)
class WholeTrace(SeatedPage):
    """A trace of a cell on the whole page, or why there is none; `agrees` whether it gives the figure it splits, None
    where that was not judged."""

    html = "worksheets/trace.html"
    where: str = "worksheets"
    worksheet: Worksheet
    sheet: Sheet
    cell: str
    body: PanelBody | None
    refused: RulkaError | None
    crumbs: Sequence[Crumb]
    agrees: bool | None
    trace_base: str
    panel_url: str
    page_url: str
    cell_query: str
    revision: int
    latest: Revision | None


@require_GET
def whole_page(request: HttpRequest, name: str) -> HttpResponse:
    """A trace of a cell on the whole page."""
    asked = asked_for(request, name)
    address = request.GET.copy()
    address["panel"], address["room"] = "trace", "yes"
    with opened(asked.worksheet, asked.reader) as live:
        panel = worksheet_panel(asked, live, sheet_asked(live, request), address)
        revision = live.source.around.view.revision
    body = panel.body
    return WholeTrace(
        seat=asked.seat,
        worksheet=asked.worksheet,
        sheet=panel.sheet,
        cell=panel.cell,
        body=body,
        refused=panel.refused,
        crumbs=panel.crumbs,
        agrees=body.trace.agrees if isinstance(body, TracePanel) else None,
        trace_base=panel.trace_base,
        panel_url=reverse("worksheet-trace", args=[name]),
        page_url=reverse("worksheet", args=[name]),
        cell_query=urlencode({key: request.GET[key] for key in ("sheet", "cell") if key in request.GET}),
        revision=revision,
        latest=latest_revision(asked.seat.ledger),
    ).answer(request)


@require_GET
def take(request: HttpRequest, name: str, form: str) -> HttpResponse:
    """What a trace of a cell shows, as a file."""
    asked = asked_for(request, name)
    with opened(asked.worksheet, asked.reader) as live:
        number = key_in(request.GET.get("ask", ""))
        ledger, view, computed = traced_question(asked.seat, live, _key(request, live), number)
        worksheet, person = asked.worksheet, asked.seat.person
        of = ("worksheet", worksheet.name, worksheet.pk, worksheet.shelf_id)
        return taken_file(ledger, view, computed, figure_state(request.GET), form, person=person, of=of)


@require_POST
def from_trace(request: HttpRequest, of: str, name: str) -> HttpResponse:
    """A new worksheet of the rows that a trace of a statement's or a worksheet's figure shows."""
    if of == "statement":
        seat = seat_of(request)
        open_statement(seat.ledger, name, person=seat.person)
        definitions = definitions_for(seat.ledger, name, seat.person)
        node = node_asked(definitions["statement"], node=seat.node, of=seat.of)
        computed = run(definitions, seat.period.code, node, seat.view.fence, seat.person).computed
        made = _made(request, seat, seat.ledger, seat.view, computed, Address.of(said_in(request.GET)))
    elif of == "worksheet":
        asked = asked_for(request, name)
        with opened(asked.worksheet, asked.reader) as live:
            number = key_in(request.GET.get("ask", ""))
            ledger, view, computed = traced_question(asked.seat, live, _key(request, live), number)
            address = Address.of(figure_state(request.GET))
            made = _made(request, asked.seat, ledger, view, computed, address)
    else:
        raise NotFound(f"Nothing of '{of[:20]}' is traced.", hint="Trace a statement or a worksheet.", subject="trace")
    return made


def _made(
    request: HttpRequest, seat: Seat, ledger: Ledger, view: View, computed: Computed, address: Address
) -> HttpResponse:
    taken = rows_of(ledger, view, computed, address, MOST_ROWS - TOP)
    worksheet = worksheet_of_rows(seat.ledger, taken, request.build_absolute_uri(request.path), person=seat.person)
    return HttpResponseRedirect(f"{reverse('worksheet', args=[worksheet.name])}?{seat.query}")
