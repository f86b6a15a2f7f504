"""Pages of statements: parse, call a service, render. Each region has its own address and one partial."""

from __future__ import annotations

from time import perf_counter
from typing import Any

from django.http import HttpRequest, HttpResponse, QueryDict
from django.shortcuts import render
from django.urls import reverse
from django.utils.http import content_disposition_header
from django.views.decorators.http import require_GET

from rulka.core.edits.placing import suggestions
from rulka.core.errors import NotFound, one_of
from rulka.core.marks import marks
from rulka.formats.present import show
from rulka.ledger.seat import Seat, seat_of
from rulka.statements import editing, library, services
from rulka.statements.assemble import find_definition
from rulka.statements.exports import TYPES, export, file_name
from rulka.statements.models import Definition
from rulka.statements.panel import panel_context


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


def statement_context(
    request: HttpRequest, seat: Seat, name: str, asked: QueryDict | None = None, outcome: services.Outcome | None = None, **extra: Any
) -> dict[str, Any]:
    """What the page of a statement shows; `outcome` is a run that was made already."""
    before = perf_counter()
    definitions = editing.definitions_of(seat.ledger, find_definition(seat.ledger, "statement", name).name)
    name = definitions["statement"].name
    outcome = outcome or _outcome(seat, name)
    panel = panel_context(seat, outcome, request.GET if asked is None else asked, definitions, **extra)
    open_ones = panel.get("suggested") or suggestions(outcome.computed)
    may_edit = seat.person.may_edit
    if request.GET.get("hidden") in ("yes", "no"):
        request.session["hidden"] = request.GET["hidden"]
    hidden = request.session.get("hidden") == "yes"
    return {
        **panel,
        **_node_choices(seat, outcome),
        "where": "statements",
        "name": name,
        "stamp": editing.stamp_of(definitions),
        "begun": definitions["statement"].body.get("begun"),
        "show_hidden": hidden,
        "shown": show(outcome.computed, hidden=hidden),
        "unplaced": next((check for check in outcome.checks if check.check == "Every account is placed"), None),
        "failing": [check for check in outcome.checks if not check.ok],
        "latest": seat.ledger.revisions.first(),
        "marks": marks(outcome.computed, outcome.checks, open_ones),
        "taken": f"{(perf_counter() - before) * 1000:.0f}",
        "undoable": editing.last_edit(seat.ledger, name, seat.person) if may_edit else None,
        "redoable": editing.next_edit(seat.ledger, name, seat.person) if may_edit else None,
        "forms": [("xlsx", "Workbook (.xlsx)"), ("pdf", "PDF"), ("html", "HTML page"), ("csv", "CSV"), ("json", "JSON")],
    }


@require_GET
def part_list(request: HttpRequest) -> HttpResponse:
    """All spines, spans and scopes with where they are used."""
    seat = seat_of(request)
    return render(request, "statements/parts.html", {"seat": seat, "parts": library.parts_with_users(seat.ledger), "where": "statements"})


@require_GET
def statement_page(request: HttpRequest, name: str) -> HttpResponse:
    """The statement with its side panel."""
    return render(request, "statements/page.html", statement_context(request, seat_of(request), name))


@require_GET
def statement_work(request: HttpRequest, name: str) -> HttpResponse:
    """Statement, panel, period and status line, to be put in place of what is shown."""
    seat = seat_of(request)
    response = render(request, "statements/_work.html", {**statement_context(request, seat, name), "fragment": True})
    response["HX-Push-Url"] = f"{reverse('statement', args=[name])}?{seat.query}"
    return response


@require_GET
def statement_panel(request: HttpRequest, name: str) -> HttpResponse:
    """Only the side panel."""
    return render(request, "statements/_panel.html", statement_context(request, seat_of(request), name))


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
