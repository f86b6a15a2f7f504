"""Pages of statements: parse, call a service, render. Each region has its own address and one partial."""

from __future__ import annotations

from collections.abc import Callable
from time import perf_counter
from typing import Any

from django.http import HttpRequest, HttpResponse, QueryDict
from django.shortcuts import redirect, render
from django.urls import reverse
from django.utils.http import content_disposition_header
from django.views.decorators.http import require_GET, require_POST

from rulka.core.errors import NotFound, RulkaError, one_of
from rulka.core.footing import unplaced_near
from rulka.core.trace import sealed_rows
from rulka.formats.present import show
from rulka.ledger.seat import Seat, seat_of
from rulka.statements import services
from rulka.statements.assemble import find_definition
from rulka.statements.exports import TYPES, export, file_name
from rulka.statements.models import Definition
from rulka.statements.panel import panel_context

LINE_FIELDS = ("label", "accounts", "formula", "sign", "measure", "hide", "total")
COLUMN_FIELDS = ("heading", "scenario", "window", "shift", "measure")


@require_GET
def statement_list(request: HttpRequest) -> HttpResponse:
    """All statements of the ledger."""
    seat = seat_of(request)
    stored = list(Definition.objects.filter(ledger=seat.ledger))
    titles = {(d.kind, d.name): d.body.get("title", d.name) for d in stored}
    statements = [(d, titles["spine", d.body["spine"]], titles["span", d.body["span"]]) for d in stored if d.kind == "statement"]
    statements.sort(key=lambda shown: titles["statement", shown[0].name].casefold())
    return render(request, "statements/list.html", {"seat": seat, "statements": statements, "where": "statements"})


def _outcome(seat: Seat, name: str) -> services.Outcome:
    node = services.node_asked(seat.ledger, name, node=seat.node, of=seat.of)
    return services.run(seat.ledger, name, seat.period.code, node, seat.view.fence)


def _node_choices(seat: Seat, outcome: services.Outcome) -> dict[str, Any]:
    """The nodes to choose from: the statement's own, or the entities."""
    statement = outcome.computed.statement
    if not services.has_own_nodes(statement):
        return {"node_field": "node", "node_choices": [(code, name, why, code == seat.node) for code, name, why in seat.nodes]}
    chosen = outcome.computed.node.code
    nodes = services.page_nodes(statement, seat.view)
    choices = [(node.code, "\u2003" * node.depth + node.name, "", node.code == chosen) for node in nodes]
    return {"node_field": "of", "node_choices": choices}


def _context(request: HttpRequest, seat: Seat, name: str, asked: QueryDict | None = None, **extra: Any) -> dict[str, Any]:
    name = find_definition(seat.ledger, "statement", name).name
    before = perf_counter()
    outcome = _outcome(seat, name)
    panel = panel_context(seat, outcome, request.GET if asked is None else asked, **extra)
    return {
        **panel,
        **_node_choices(seat, outcome),
        "where": "statements",
        "name": name,
        "shown": show(outcome.computed),
        "unplaced": next((check for check in outcome.checks if check.check == "Every account is placed"), None),
        "failing": [check for check in outcome.checks if not check.ok],
        "latest": seat.ledger.revisions.first(),
        "sealed_rows": sealed_rows(outcome.computed),
        "unplaced_near": unplaced_near(outcome.computed),
        "taken": f"{(perf_counter() - before) * 1000:.0f}",
        "undoable": services.last_change(seat.ledger, name, seat.person) if seat.person.may_edit else None,
        "forms": [("xlsx", "Workbook (.xlsx)"), ("pdf", "PDF"), ("html", "HTML page"), ("csv", "CSV"), ("json", "JSON")],
    }


@require_GET
def statement_page(request: HttpRequest, name: str) -> HttpResponse:
    """The statement with its side panel."""
    return render(request, "statements/page.html", _context(request, seat_of(request), name))


@require_GET
def statement_work(request: HttpRequest, name: str) -> HttpResponse:
    """Statement, panel, period and status line, to be put in place of what is shown."""
    seat = seat_of(request)
    response = render(request, "statements/_work.html", {**_context(request, seat, name), "fragment": True})
    response["HX-Push-Url"] = f"{reverse('statement', args=[name])}?{seat.query}"
    return response


@require_GET
def statement_panel(request: HttpRequest, name: str) -> HttpResponse:
    """Only the side panel."""
    return render(request, "statements/_panel.html", _context(request, seat_of(request), name))


def _answer(request: HttpRequest, seat: Seat, name: str, asked: QueryDict, **extra: Any) -> HttpResponse:
    """After an edit: the fragment for a script, the page again for a plain request."""
    if request.headers.get("HX-Request"):
        return render(request, "statements/_work.html", {**_context(request, seat, name, asked, **extra), "fragment": True})
    if extra.get("problem"):
        return render(request, "statements/page.html", _context(request, seat, name, asked, **extra), status=422)
    return redirect(f"{reverse('statement', args=[name])}?{seat.query}&{asked.urlencode()}")


def _posted(request: HttpRequest, fields: tuple[str, ...]) -> dict[str, str]:
    return {field: request.POST[field] for field in fields if field in request.POST}


def _address(panel: str, row: str, column: str) -> QueryDict:
    asked = QueryDict(mutable=True)
    asked.update({name: value for name, value in (("panel", panel), ("row", row), ("column", column)) if value})
    return asked


def _edited(request: HttpRequest, seat: Seat, name: str, asked: QueryDict, edit: Callable[[], str]) -> HttpResponse:
    """Do an edit and show its outcome: what was done, or the problem beside what was typed."""
    try:
        done = edit()
    except RulkaError as error:
        return _answer(request, seat, name, asked, problem=error, entered=request.POST)
    return _answer(request, seat, name, asked, done=done)


@require_POST
def change_line(request: HttpRequest, name: str, key: str) -> HttpResponse:
    """Change a line of the spine."""
    seat = seat_of(request)

    def edit() -> str:
        services.change_line(seat.ledger, name, key, _posted(request, LINE_FIELDS), person=seat.person)
        return "Changed and saved."

    return _edited(request, seat, name, _address("line", request.POST.get("row", key), request.POST.get("column", "")), edit)


@require_POST
def change_column(request: HttpRequest, name: str, key: str) -> HttpResponse:
    """Change a column of the span."""
    seat = seat_of(request)

    def edit() -> str:
        services.change_column(seat.ledger, name, key, _posted(request, COLUMN_FIELDS), person=seat.person)
        return "Changed and saved."

    return _edited(request, seat, name, _address("column", request.POST.get("row", ""), key), edit)


@require_POST
def undo(request: HttpRequest, name: str) -> HttpResponse:
    """Take back the person's latest change."""
    seat = seat_of(request)
    asked = _address(*(request.POST.get(field, "") for field in ("panel", "row", "column")))
    return _edited(request, seat, name, asked, lambda: f"Undone: {services.undo(seat.ledger, name, person=seat.person)}.")


@require_GET
def download(request: HttpRequest, name: str, form: str) -> HttpResponse:
    """The statement as a file."""
    if form not in TYPES:
        raise NotFound(f"There is no export as '{form}'.", hint=one_of(form, TYPES), subject="export")
    seat = seat_of(request)
    outcome = _outcome(seat, name)
    response = HttpResponse(export(outcome, seat.ledger, form), content_type=TYPES[form])
    response["Content-Disposition"] = content_disposition_header(True, file_name(outcome, form)) or "attachment"
    return response
