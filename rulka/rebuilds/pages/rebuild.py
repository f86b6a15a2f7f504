"""The list of tables under way, and a table's page."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest, HttpResponse, HttpResponseRedirect
from django.shortcuts import render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_http_methods

from rulka.core.errors import RulkaError
from rulka.core.rebuild.answering import Question
from rulka.core.rebuild.given import Given
from rulka.core.values import place_in
from rulka.ledger.seat import Seat, seat_of
from rulka.rebuilds.library import keeping
from rulka.rebuilds.models import Rebuild
from rulka.rebuilds.output.finding import ask
from rulka.rebuilds.output.making import Shown, tried
from rulka.rebuilds.pages.shown import (
    SCALE_WORDS,
    asking,
    choosing,
    columns_of,
    node_choices,
    number,
    rows_of,
    scale_choices,
)
from rulka.statements.library.opening import name_of
from rulka.statements.library.shelves import required_editor


@require_http_methods(["GET", "POST"])
def rebuild_list(request: HttpRequest) -> HttpResponse:
    """Give a table; the tables under way."""
    seat, problem = seat_of(request), None
    required_editor(seat.person)
    if request.method == "POST":
        try:
            given, name = table_in(request)
            made = keeping.begin(seat.ledger, seat.person, request.POST.get("title", ""), given, name)
            ask(made)
            return HttpResponseRedirect(f"{reverse('rebuild', args=[made.pk])}?{seat.query}")
        except RulkaError as error:
            problem = error
    context = {
        "where": "statements", "seat": seat, "problem": problem, "text": request.POST.get("text", ""),
        "title": request.POST.get("title", ""), "rebuilds": keeping.rebuilds_of(seat.ledger, seat.person),
    }  # fmt: skip
    return render(request, "rebuilds/list.html", context, status=422 if problem else 200)


def table_in(request: HttpRequest) -> tuple[Given, str]:
    """The table that was sent, as a file or pasted, and what it is called."""
    file = request.FILES.get("file")
    if file is not None and file.name:
        return keeping.table_of(file.read(keeping.MOST_BYTES + 1), file.name), file.name
    text = request.POST.get("text", "")
    if not text.strip():
        raise RulkaError("No table came.", hint="Choose a file, or paste the table.", subject="table")
    return keeping.table_from(text), "pasted table"


@require_GET
def rebuild_page(request: HttpRequest, number: int) -> HttpResponse:
    """A table with its proposal, and what is asked next."""
    seat = seat_of(request)
    found = keeping.find_rebuild(seat.ledger, number, seat.person)
    if request.headers.get("HX-Request"):
        if found.is_open:
            return render(request, "rebuilds/_progress.html", {"seat": seat, "rebuild": found})
        return HttpResponse(headers={"HX-Refresh": "true"})
    return page_of(request, seat, found)


def page_of(request: HttpRequest, seat: Seat, found: Rebuild, problem: RulkaError | None = None) -> HttpResponse:
    """The page as it is, with what was wrong about a request."""
    context: dict[str, Any] = {
        "where": "statements", "seat": seat, "rebuild": found, "problem": problem,
        "query": seat.query, "files": ", ".join(found.files), "made": name_of(found.made),
    }  # fmt: skip
    if found.state == Rebuild.State.READY:
        try:
            context |= _found(request, seat, Shown(found, seat))
        except RulkaError as error:
            context["closed"] = error
    return render(request, "rebuilds/page.html", context, status=422 if problem else 200)


def _found(request: HttpRequest, seat: Seat, shown: Shown) -> dict[str, Any]:
    row = place_in(request.GET.get("row", ""))
    own = (
        row if row is not None and 0 <= row < len(shown.given.rows) and shown.proposal.lines[row].kind == "line" else -1
    )
    now = choosing(shown, own, seat, _asked_of(shown, own)) if own >= 0 else None
    if now is None and shown.questions:
        now = asking(shown, shown.questions[0], seat)
    states, lines = shown.states, shown.proposal.lines
    at = now.question.row if now is not None else -1
    period = shown.bodies.period
    return {
        "shown": shown, "rows": rows_of(shown, at), "columns": columns_of(shown, seat), "now": now, "opened": own >= 0,
        "open": len(shown.questions), "sure": states["sure"], "chosen": states["told"], "doubtful": states["doubtful"],
        "lost": states["not found"], "lines": sum(one.kind == "line" for one in lines),
        "scale": SCALE_WORDS[shown.proposal.found.scale], "node": shown.proposal.found.node, "period": period,
        "nodes": node_choices(seat), "scales": scale_choices(), "wrong": len(shown.odd),
        "scenarios": list(seat.view.frame.scenarios), "periods": [
            one for one in seat.view.frame.calendar.periods if not one.adjusting and abs(one.year - period.year) <= 1
        ],
        "stale": shown.rebuild.revision != seat.view.revision,
    }  # fmt: skip


def _asked_of(shown: Shown, row: int) -> Question:
    line = shown.proposal.lines[row]
    return Question("missing", row, candidates=line.others)


@require_GET
def difference(request: HttpRequest, number: int) -> HttpResponse:
    """What a line's accounts would leave, without keeping them."""
    seat = seat_of(request)
    found = keeping.find_rebuild(seat.ledger, number, seat.person)
    shown = Shown(found, seat)
    row = place_in(request.GET.get("row", ""))
    context: dict[str, Any] = {"problem": None, "figures": []}
    try:
        if not 0 <= row < len(shown.given.rows):
            raise RulkaError("There is no such row.", hint="Load the page again.", subject="row")
        text = selection_in(request.GET)
        context["figures"] = _apart(tried(shown, seat, row, text), row) if text else []
    except RulkaError as error:
        context["problem"] = error
    return render(request, "rebuilds/_difference.html", context)


def selection_in(sent: Any) -> str:
    """A line's accounts: what was written, else what was chosen of those offered, else those that were marked."""
    typed = " ".join(str(sent.get("selection", "") or sent.get("candidate", "")).split())[:2000]
    marked = [code[:80] for code in sent.getlist("account")][:200]
    return typed or ", ".join('"' + code.replace('"', '""') + '"' for code in marked)


def _apart(shown: Shown, row: int) -> list[tuple[str, str, str, str]]:
    """By column: heading, what the table says, what the accounts come to, what is left."""
    off = {cell.column: cell for cell in shown.off if cell.row == row}
    found = []
    for at in shown.given.of_table(0):
        value = shown.given.rows[row].values[at]
        if value is None or shown.proposal.readings[at] is None:
            continue
        decimals, cell = shown.given.decimals[at], off.get(at)
        computed = value if cell is None or cell.computed is None else cell.computed
        left = "" if cell is None else number(value - computed, decimals)
        found.append((shown.given.headings[at], number(value, decimals), number(computed, decimals), left))
    return found
