"""Pages of statements: parse, call a service, render. Each region has its own address and one partial."""

from __future__ import annotations

import secrets
from dataclasses import replace
from time import perf_counter
from typing import Any

from django.http import HttpRequest, HttpResponse, QueryDict
from django.shortcuts import render
from django.urls import reverse
from django.views.decorators.http import require_GET

from rulka.core.errors import NotFound
from rulka.core.proof.marks import marks
from rulka.core.proof.placing import suggestions
from rulka.formats.output.page import show
from rulka.ledger.pages.taking import taken_file
from rulka.ledger.reading.history import latest_revision
from rulka.ledger.reading.trace_address import said_in
from rulka.ledger.seat import Seat, seat_of
from rulka.statements.editing import edit as editing
from rulka.statements.library import shelves
from rulka.statements.library.assemble import Definitions
from rulka.statements.library.leads import leads
from rulka.statements.library.opening import open_statement
from rulka.statements.output.exports import TITLES
from rulka.statements.output.printing import preview_page
from rulka.statements.output.statement_templates import subject_for
from rulka.statements.output.templates import names_of
from rulka.statements.pages.blocks import Blocks
from rulka.statements.pages.explain_panel import explain_context, waiting
from rulka.statements.pages.panel import State, panel_context
from rulka.statements.pages.sent import remember, shown_in
from rulka.statements.running import runs
from rulka.statements.running.compared import compared
from rulka.statements.running.explained import asks_anything, explained_of
from rulka.statements.running.nodes import beside_of, node_choices, shown_with_beside


def statement_context(
    request: HttpRequest,
    seat: Seat,
    name: str,
    asked: QueryDict | None = None,
    outcome: runs.Outcome | None = None,
    definitions: Definitions | None = None,
    **extra: Any,
) -> dict[str, Any]:
    """What the page of a statement shows; `outcome` is a run that was made already."""
    before = perf_counter()
    definitions = definitions or open_statement(seat.ledger, name, person=seat.person)
    opened = _opened(request, seat, request.GET if asked is None else asked, outcome, definitions, **extra)
    name, outcome, state = opened["name"], opened["outcome"], opened["state"]
    open_ones = opened["suggested"] if "suggested" in opened else suggestions(outcome.computed)
    may_edit = seat.person.may_edit
    hidden = opened["show_hidden"]
    sent = request.POST if request.method == "POST" else request.GET
    blocks = Blocks(outcome.computed, hidden=hidden, asked=sent.get("blocks", ""), row=state.get("row", ""))
    explained = explained_of(seat.ledger, outcome.computed, seat.readers)
    shown = shown_with_beside(seat, outcome, hidden=hidden, within=blocks.holds)
    marked = marks(outcome.computed, outcome.checks, open_ones, [one.item for one in explained])
    window = sent.get("window") or secrets.token_hex(6)
    cut = [] if beside_of(seat) else blocks.cut(shown.rows)
    place = (seat.person.pk, request.session.session_key, window[:20], name)
    former = shown_in(place, sent.get("sent", ""))
    now = remember(place, shown, marked, cut, (seat.query, hidden, opened["paper"]))
    return {
        **opened,
        "window": window,
        "sent": now.number,
        "changed": None if former is None or opened["paper"] else now.changed_since(former, sent.get("blocks", "")),
        "paper_pages": range(1, preview_page(seat, definitions, 1)[1] + 1) if opened["paper"] else (),
        "last_export": request.session.get("last-export"),
        "shown": shown,
        "translated_part": outcome.computed.plan.translated and seat.view.is_part,
        "blocks": cut,
        "unplaced": next((check for check in outcome.checks if check.code == "placed"), None),
        "latest": latest_revision(seat.ledger),
        "marks": marked,
        "waiting": waiting(explained),
        "taken": f"{(perf_counter() - before) * 1000:.0f}",
        "undoable": editing.last_edit(definitions["statement"], seat.person) if may_edit else None,
        "redoable": editing.next_edit(definitions["statement"], seat.person) if may_edit else None,
        "forms": TITLES.items(),
        "templates": names_of(subject_for(definitions["statement"], seat.person), seat.person),
        "leads": leads(),
        "paged_forms": [(form, title) for form, title in TITLES.items() if form in ("xlsx", "pdf", "html")],
    }


def _opened(
    request: HttpRequest,
    seat: Seat,
    asked: QueryDict,
    outcome: runs.Outcome | None,
    definitions: Definitions,
    **extra: Any,
) -> dict[str, Any]:
    """What the panel shows, and what both it and the page need: the run, its nodes, what was switched on in this
    visit."""
    statement = definitions["statement"]
    outcome = outcome or editing.outcome_of(definitions, editing.sight_of(seat, statement))
    if request.GET.get("hidden") in ("yes", "no"):
        request.session["hidden"] = request.GET["hidden"]
    if request.GET.get("paper") in (
        "yes",
        "no",
    ):  # the preview is of this statement; another one opens with its figures
        request.session["paper"] = statement.name if request.GET["paper"] == "yes" else ""
    return {
        **panel_context(seat, outcome, asked, definitions, **extra),
        **node_choices(seat, outcome),
        "where": "statements",
        "name": statement.name,
        "show_hidden": request.session.get("hidden") == "yes",
        "paper": request.session.get("paper") == statement.name,
    }


@require_GET
def statement_page(request: HttpRequest, name: str) -> HttpResponse:
    """The statement with its side panel."""
    seat = seat_of(request)
    definitions = open_statement(seat.ledger, name, person=seat.person)
    context = statement_context(request, seat, name, definitions=definitions)
    shelves.remember_visit(seat.person, definitions["statement"])
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
    definitions = open_statement(seat.ledger, name, person=seat.person)
    outcome = editing.outcome_of(definitions, editing.sight_of(seat, definitions["statement"]))
    hidden = request.session.get("hidden") == "yes"
    blocks = Blocks(outcome.computed, hidden=hidden, asked=str(number))
    shown = show(outcome.computed, hidden=hidden, within=blocks.holds)
    block = next((one for one in blocks.cut(shown.rows) if one.number == number), None)
    if block is None:
        raise NotFound(f"There is no block {number}.", hint="Load the page again.", subject="rows")
    context = {
        "seat": seat,
        "shown": shown,
        "block": block,
        "marks": marks(
            outcome.computed,
            outcome.checks,
            suggestions(outcome.computed),
            [one.item for one in explained_of(seat.ledger, outcome.computed, seat.readers)],
        ),
        "state": State(),
        "chosen": [],
    }
    return render(request, "statements/_block.html", context)


@require_GET
def statement_panel(request: HttpRequest, name: str) -> HttpResponse:
    """Only the side panel; `at` is another node than the page's, whose figures stand beside it."""
    seat = seat_of(request)
    definitions = open_statement(seat.ledger, name, person=seat.person)
    if at := request.GET.get("at", ""):
        own = runs.node_asked(definitions["statement"], node="", of="own")
        seat = replace(seat, of=at) if own else replace(seat, node=at)
    context = _opened(request, seat, request.GET, None, definitions)
    response = render(request, "statements/_panel.html", context)
    if not at:
        # a step of a trace is a step of the browser's history; other panels stand in place of what was shown
        header = "HX-Push-Url" if context["panel"] == "trace" else "HX-Replace-Url"
        response[header] = f"{reverse('statement', args=[name])}?{request.GET.urlencode()}"
    return response


@require_GET
def statement_trace(request: HttpRequest, name: str) -> HttpResponse:
    """A trace on the whole page."""
    seat = seat_of(request)
    return trace_room(request, seat, open_statement(seat.ledger, name, person=seat.person), request.GET)


def trace_room(
    request: HttpRequest, seat: Seat, definitions: Definitions, given: QueryDict, **extra: Any
) -> HttpResponse:
    """The whole page of a trace, with what is to be explained beside it where the statement asks for that."""
    name = definitions["statement"].name
    asked = given.copy()
    asked["panel"], asked["room"] = "trace", "yes"
    looked_at = compared(definitions, asked.get("compare", ""), seat.view)
    context = _opened(request, seat, asked, None, looked_at)
    outcome, state = context["outcome"], context["state"]
    if not asked.get("compare") and asks_anything(outcome.computed):
        context["explaining"] = {
            **explain_context(seat, outcome.computed, state, room=True),
            **{"problem": None, "entered": {}},
            **extra,
        }
    own = {"panel_url": reverse("statement-trace", args=[name]), "latest": latest_revision(seat.ledger)}
    context |= {"title": definitions["statement"].title, "page_url": reverse("statement", args=[name]), **own}
    return render(request, "statements/trace.html", context, status=422 if extra.get("problem") else 200)


@require_GET
def statement_take(request: HttpRequest, name: str, form: str) -> HttpResponse:
    """What a trace shows, as a file."""
    seat = seat_of(request)
    definitions = open_statement(seat.ledger, name, person=seat.person)
    looked_at = compared(definitions, request.GET.get("compare", ""), seat.view)
    outcome = editing.outcome_of(looked_at, editing.sight_of(seat, definitions["statement"]))
    statement = definitions["statement"]
    of = ("statement", statement.name, statement.pk, statement.shelf_id)
    return taken_file(seat.ledger, seat.view, outcome.computed, said_in(request.GET), form, person=seat.person, of=of)
