"""Pages of statements: parse, call a service, render. Each region has its own address and one partial."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from time import perf_counter
from typing import Any

from django.http import HttpRequest, HttpResponse, QueryDict
from django.shortcuts import render
from django.urls import reverse
from django.views.decorators.http import require_GET

from rulka.core.edits.placing import suggestions
from rulka.core.errors import NotFound
from rulka.core.marks import marks
from rulka.core.nodes import find_node
from rulka.core.statement import run_nodes
from rulka.formats.present import ShownStatement, show, side_by_side
from rulka.ledger.seat import Seat, seat_of
from rulka.statements import editing, library, services, shelves
from rulka.statements.assemble import definitions_of, find_definition
from rulka.statements.blocks import Blocks
from rulka.statements.models import Definition
from rulka.statements.panel import panel_context
from rulka.statements.printing import preview_page


@require_GET
def statement_list(request: HttpRequest) -> HttpResponse:
    """All statements of the ledger."""
    seat = seat_of(request)
    asked = {name: request.GET.get(name, "") for name in ("search", "tag")}
    library_shown = shelves.library_of(seat.ledger, seat.person, **asked)
    context = {"seat": seat, "library": library_shown, **asked, "shelves": list(seat.ledger.shelves.all()), "where": "statements"}
    return render(request, "statements/_library.html" if request.headers.get("HX-Request") else "statements/list.html", context)


@dataclass(frozen=True)
class NodeChoice:
    """A node that a page can be shown for; `why` says why it can't."""

    code: str
    name: str
    depth: int
    why: str
    chosen: bool
    beside: bool = False


def _node_choices(seat: Seat, outcome: services.Outcome) -> dict[str, Any]:
    """The nodes to choose from, the way down to the one shown, and its neighbours."""
    statement = outcome.computed.statement
    chosen = outcome.computed.node.code
    beside = seat.beside.split(",") if seat.beside else []
    if services.has_own_nodes(statement):
        nodes = [(node.code, node.name, node.depth, "") for node in services.page_nodes(statement, seat.view)]
    else:
        nodes = [(code, name, 0, why) for code, name, why in seat.nodes]
    choices = [NodeChoice(code, name, depth, why, code == chosen, code in beside) for code, name, depth, why in nodes]
    able = [choice for choice in choices if not choice.why]
    at = next((place for place, choice in enumerate(able) if choice.chosen), 0)
    return {
        "node_field": "of" if services.has_own_nodes(statement) else "node",
        "node_choices": choices,
        "node_path": _path(choices),
        "node_back": able[at - 1].code if at else "",
        "node_on": able[at + 1].code if at + 1 < len(able) else "",
        "several_nodes": len(able) > 1,
        "node_fields": {
            "ledger": seat.ledger.code,
            "period": seat.period.code,
            "node": seat.node,
            **({"of": seat.of} if seat.of else {}),
            "panel": "nodes",
        },
    }


def _path(choices: list[NodeChoice]) -> list[NodeChoice]:
    """The nodes above the chosen one, the outermost first."""
    place = next((at for at, choice in enumerate(choices) if choice.chosen), 0)
    found: list[NodeChoice] = []
    depth = choices[place].depth if choices else 0
    for choice in reversed(choices[:place]):
        if choice.depth < depth:
            found.insert(0, choice)
            depth = choice.depth
    return found


def _shown(seat: Seat, outcome: services.Outcome, blocks: Blocks, *, hidden: bool) -> ShownStatement:
    """The page's texts; with nodes beside it, all of them on one page."""
    first = show(outcome.computed, hidden=hidden, within=None if seat.beside else blocks.holds)
    if not seat.beside:
        return first
    statement, own = outcome.computed.statement, services.has_own_nodes(outcome.computed.statement)
    nodes = {node.code: node for node in services.page_nodes(statement, seat.view)}
    codes = [code for code in seat.beside.split(",")[:MOST_BESIDE] if code in nodes and code != outcome.computed.node.code]
    found = [
        find_node(seat.view, code, statement.scope, translated=statement.currency == "group") if own else find_node(seat.view, code) for code in codes
    ]
    if not found:
        return first
    pages = [first, *(show(computed, hidden=hidden) for computed in run_nodes(statement, seat.view, outcome.computed.period, found))]
    return side_by_side(pages, [outcome.computed.node.code, *(node.code for node in found)])


MOST_BESIDE = 8
"""Nodes that stand beside another at most."""


def statement_context(
    request: HttpRequest,
    seat: Seat,
    name: str,
    asked: QueryDict | None = None,
    outcome: services.Outcome | None = None,
    definitions: Mapping[str, Definition] | None = None,
    **extra: Any,
) -> dict[str, Any]:
    """What the page of a statement shows; `outcome` is a run that was made already."""
    before = perf_counter()
    definitions = definitions or definitions_of(seat.ledger, name)
    name = definitions["statement"].name
    shelves.required(seat.person, definitions["statement"], 2)
    node = services.node_asked(definitions["statement"], node=seat.node, of=seat.of)
    outcome = outcome or editing.outcome_of(definitions, editing.Sight(seat.view, seat.period, node))
    panel = panel_context(seat, outcome, request.GET if asked is None else asked, definitions, **extra)
    open_ones = panel.get("suggested") or suggestions(outcome.computed)
    may_edit = seat.person.may_edit
    for switch in ("hidden", "paper"):
        if request.GET.get(switch) in ("yes", "no"):
            request.session[switch] = request.GET[switch]
    hidden, paper = (request.session.get(switch) == "yes" for switch in ("hidden", "paper"))
    stamp = editing.stamp_of(definitions)
    sent = request.POST if request.method == "POST" else request.GET
    blocks = Blocks(outcome.computed, hidden=hidden, asked=sent.get("blocks", ""), row=panel["state"].get("row", ""))
    shown = _shown(seat, outcome, blocks, hidden=hidden)
    return {
        **panel,
        **_node_choices(seat, outcome),
        "where": "statements",
        "name": name,
        "stamp": stamp,
        "paper_pages": range(1, preview_page(seat, name, stamp, 1)[1] + 1) if paper else (),
        "last_export": request.session.get("last-export"),
        "begun": definitions["statement"].body.get("begun"),
        "show_hidden": hidden,
        "shown": shown,
        "blocks": [] if seat.beside else blocks.cut(shown.rows),
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
    parts = library.parts_with_users(seat.ledger, seat.person)
    return render(request, "statements/parts.html", {"seat": seat, "parts": parts, "shelves": list(seat.ledger.shelves.all()), "where": "statements"})


@require_GET
def statement_page(request: HttpRequest, name: str) -> HttpResponse:
    """The statement with its side panel."""
    seat = seat_of(request)
    context = statement_context(request, seat, name)
    shelves.remember_visit(seat.person, find_definition(seat.ledger, "statement", context["name"]))
    return render(request, "statements/page.html", context)


@require_GET
def statement_work(request: HttpRequest, name: str) -> HttpResponse:
    """Statement, panel, period and status line, to be put in place of what is shown."""
    seat = seat_of(request)
    response = render(request, "statements/_work.html", {**statement_context(request, seat, name), "fragment": True})
    response["HX-Push-Url"] = f"{reverse('statement', args=[name])}?{seat.query}"
    return response


@require_GET
def statement_block(request: HttpRequest, name: str, number: int) -> HttpResponse:
    """One block of rows of a large statement."""
    seat = seat_of(request)
    definitions = definitions_of(seat.ledger, name)
    shelves.required(seat.person, definitions["statement"], 2)
    node = services.node_asked(definitions["statement"], node=seat.node, of=seat.of)
    outcome = editing.outcome_of(definitions, editing.Sight(seat.view, seat.period, node))
    hidden = request.session.get("hidden") == "yes"
    blocks = Blocks(outcome.computed, hidden=hidden, asked=str(number))
    shown = show(outcome.computed, hidden=hidden, within=blocks.holds)
    block = next((one for one in blocks.cut(shown.rows) if one.number == number), None)
    if block is None:
        raise NotFound(f"There is no block {number}.", hint="Load the page again.", subject="rows")
    found = marks(outcome.computed, outcome.checks, suggestions(outcome.computed))
    return render(request, "statements/_block.html", {"seat": seat, "shown": shown, "block": block, "marks": found, "state": {}})


@require_GET
def statement_panel(request: HttpRequest, name: str) -> HttpResponse:
    """Only the side panel; `at` is another node than the page's, whose figures stand beside it."""
    seat = seat_of(request)
    at = request.GET.get("at", "")
    if at:
        statement = find_definition(seat.ledger, "statement", name)
        seat = replace(seat, of=at) if services.node_asked(statement, node="", of="own") else replace(seat, node=at)
    return render(request, "statements/_panel.html", statement_context(request, seat, name))
