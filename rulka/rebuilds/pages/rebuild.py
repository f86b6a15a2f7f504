"""The list of tables under way, and a table's page."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from django.http import HttpRequest, HttpResponse, HttpResponseRedirect
from django.urls import reverse
from django.views.decorators.http import require_GET, require_http_methods

from rulka.core.books.calendar import Period
from rulka.core.errors import RulkaError
from rulka.core.rebuild.answering import Question
from rulka.core.rebuild.given import Given
from rulka.core.values import place_in
from rulka.ledger.seat import Seat, SeatedPage, seat_of
from rulka.rebuilds.library import keeping
from rulka.rebuilds.models import Rebuild
from rulka.rebuilds.output.finding import ask
from rulka.rebuilds.output.making import ShownRebuild, tried
from rulka.rebuilds.pages.shown import (
    SCALE_WORDS,
    Asking,
    ColumnShown,
    RowShown,
    asking,
    choosing,
    columns_of,
    node_choices,
    number,
    rows_of,
    scale_choices,
)
from rulka.screen import Screen
from rulka.statements.library.opening import name_of
from rulka.statements.library.shelves import required_editor


@dataclass(frozen=True, kw_only=True)
class RebuildsPage(SeatedPage):
    """Where a table is given, with what was entered, and the tables under way."""

    html = "rebuilds/list.html"
    where: str = "statements"
    text: str
    title: str
    rebuilds: Sequence[Rebuild]


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
    return RebuildsPage(
        seat=seat,
        problem=problem,
        text=request.POST.get("text", ""),
        title=request.POST.get("title", ""),
        rebuilds=keeping.rebuilds_of(seat.ledger, seat.person),
    ).answer(request)


def table_in(request: HttpRequest) -> tuple[Given, str]:
    """The table that was sent, as a file or pasted, and what it is called."""
    file = request.FILES.get("file")
    if file is not None and file.name:
        return keeping.table_of(file.read(keeping.MOST_BYTES + 1), file.name), file.name
    text = request.POST.get("text", "")
    if not text.strip():
        raise RulkaError("No table came.", hint="Choose a file, or paste the table.", subject="table")
    return keeping.table_from(text), "pasted table"


@dataclass(frozen=True, kw_only=True)
class Progressing(Screen):
    """How far a table is looked through."""

    html = "rebuilds/_progress.html"
    seat: Seat
    rebuild: Rebuild


@require_GET
def rebuild_page(request: HttpRequest, number: int) -> HttpResponse:
    """A table with its proposal, and what is asked next."""
    seat = seat_of(request)
    found = keeping.find_rebuild(seat.ledger, number, seat.person)
    if request.headers.get("HX-Request"):
        if found.is_open:
            return Progressing(seat=seat, rebuild=found).response(request)
        return HttpResponse(headers={"HX-Refresh": "true"})
    return page_of(request, seat, found)


@dataclass(frozen=True)
class Proposed:
    """What was found of a table: its rows and columns with what they are taken for, how many are in which state, and
    what is asked `now`; `opened` where a row was opened to be chosen anew, `stale` where the ledger went on since."""

    rows: Sequence[RowShown]
    columns: Sequence[ColumnShown]
    now: Asking | None
    opened: bool
    open: int
    wrong: int
    lines: int
    sure: int
    chosen: int
    doubtful: int
    lost: int
    node: str
    scale: str
    period: Period
    periods: Sequence[Period]
    scenarios: Sequence[str]
    stale: bool


@dataclass(frozen=True, kw_only=True)
class RebuildPage(SeatedPage):
    """A table with what was `found` of it; why it can't be shown (`closed`); the name of the statement that was made of
    it. `nodes` and `scales` are for whoever knows better."""

    html = "rebuilds/page.html"
    where: str = "statements"
    rebuild: Rebuild
    query: str
    files: str
    made: str
    found: Proposed | None
    closed: RulkaError | None
    nodes: Sequence[tuple[str, str]]
    scales: Sequence[tuple[int, str]]


def page_of(request: HttpRequest, seat: Seat, rebuild: Rebuild, problem: RulkaError | None = None) -> HttpResponse:
    """The page as it is, with what was wrong about a request."""
    found, closed = None, None
    if rebuild.state == Rebuild.State.READY:
        try:
            found = _proposed(request, seat, ShownRebuild(rebuild, seat))
        except RulkaError as error:
            closed = error
    return RebuildPage(
        seat=seat,
        problem=problem,
        rebuild=rebuild,
        query=seat.query,
        files=", ".join(rebuild.files),
        made=name_of(rebuild.made),
        found=found,
        closed=closed,
        nodes=node_choices(seat),
        scales=scale_choices(),
    ).answer(request)


def _proposed(request: HttpRequest, seat: Seat, shown: ShownRebuild) -> Proposed:
    row = place_in(request.GET.get("row", ""))
    states, lines, period = shown.states, shown.proposal.lines, shown.bodies.period
    own = row if row is not None and 0 <= row < len(lines) and lines[row].kind == "line" else -1
    now = choosing(shown, own, seat, _asked_of(shown, own)) if own >= 0 else None
    if now is None and shown.questions:
        now = asking(shown, shown.questions[0], seat)
    periods = [one for one in seat.view.frame.calendar.periods if not one.adjusting]
    return Proposed(
        rows=rows_of(shown, now.question.row if now is not None else -1),
        columns=columns_of(shown, seat),
        now=now,
        opened=own >= 0,
        open=len(shown.questions),
        wrong=len(shown.odd),
        lines=sum(one.kind == "line" for one in lines),
        sure=states["sure"],
        chosen=states["told"],
        doubtful=states["doubtful"],
        lost=states["not found"],
        node=shown.proposal.found.node,
        scale=SCALE_WORDS[shown.proposal.found.scale],
        period=period,
        periods=[one for one in periods if abs(one.year - period.year) <= 1],
        scenarios=list(seat.view.frame.scenarios),
        stale=shown.rebuild.revision != seat.view.revision,
    )


def _asked_of(shown: ShownRebuild, row: int) -> Question:
    line = shown.proposal.lines[row]
    return Question("missing", row, candidates=line.others)


@dataclass(frozen=True, kw_only=True)
class DifferenceShown(Screen):
    """What a line's accounts would leave, by column: (heading, given, computed, left)."""

    html = "rebuilds/_difference.html"
    figures: Sequence[tuple[str, str, str, str]] = ()
    problem: RulkaError | None = None


@require_GET
def difference(request: HttpRequest, number: int) -> HttpResponse:
    """What a line's accounts would leave, without keeping them."""
    seat = seat_of(request)
    found = keeping.find_rebuild(seat.ledger, number, seat.person)
    shown = ShownRebuild(found, seat)
    row = place_in(request.GET.get("row", ""))
    try:
        if not 0 <= row < len(shown.given.rows):
            raise RulkaError("There is no such row.", hint="Load the page again.", subject="row")
        text = selection_in(request.GET)
        figures = _apart(tried(shown, seat, row, text), row) if text else []
        return DifferenceShown(figures=figures).response(request)
    except RulkaError as error:
        return DifferenceShown(problem=error).response(request)


def selection_in(sent: Any) -> str:
    """A line's accounts: what was written, else what was chosen of those offered, else those that were marked."""
    typed = " ".join(str(sent.get("selection", "") or sent.get("candidate", "")).split())[:2000]
    marked = [code[:80] for code in sent.getlist("account")][:200]
    return typed or ", ".join('"' + code.replace('"', '""') + '"' for code in marked)


def _apart(shown: ShownRebuild, row: int) -> list[tuple[str, str, str, str]]:
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
