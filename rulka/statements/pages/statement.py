"""Pages of statements: parse, call a service, render. Each region has its own address and one partial."""

from __future__ import annotations

import secrets
from collections.abc import Hashable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from time import perf_counter
from urllib.parse import urlencode

from django.http import HttpRequest, HttpResponse, QueryDict
from django.urls import reverse
from django.views.decorators.http import require_GET

from rulka.core.errors import NotFound, RulkaError
from rulka.core.proof.checks import Check
from rulka.core.proof.marks import Mark, marks
from rulka.formats.output.page import ShownRow, ShownStatement, show
from rulka.ledger.models import Revision
from rulka.ledger.pages.taking import taken_file
from rulka.ledger.reading.history import latest_revision
from rulka.ledger.reading.trace_address import said_in
from rulka.ledger.reading.trace_levels import Crumb, TracePanel
from rulka.ledger.seat import Seat, seat_of
from rulka.screen import Screen
from rulka.statements.editing import edit as editing
from rulka.statements.library import shelves
from rulka.statements.library.assemble import Definitions, Known
from rulka.statements.library.leads import Lead, leads
from rulka.statements.library.opening import open_statement
from rulka.statements.models import Definition, Edit, Template
from rulka.statements.output.exports import TITLES
from rulka.statements.output.printing import preview_page
from rulka.statements.output.statement_templates import subject_for
from rulka.statements.output.templates import names_of
from rulka.statements.pages.blocks import Block, Blocks
from rulka.statements.pages.explain_panel import ExplainPanel, explain_panel, waiting
from rulka.statements.pages.panel import Panel, Said, State, panel_of
from rulka.statements.pages.sent import remember, shown_in
from rulka.statements.running import runs
from rulka.statements.running.compared import compared
from rulka.statements.running.explained import asks_anything, explained_of
from rulka.statements.running.nodes import NodeChoices, beside_of, shown_with_beside


@dataclass(frozen=True, kw_only=True)
class StatementPage(Screen):
    """A statement with its panel (`aside`), head and status line. `fragment` where it is put in place of what is shown,
    `rows_only` where only the `changed` rows are. `blocks` are those of a large statement, `window` and `sent` say what
    a window shows from here on, `paper_pages` the pages of a preview."""

    html = "statements/page.html"
    where: str = "statements"
    aside: Panel
    show_hidden: bool
    paper: bool
    window: str
    sent: str
    changed: Sequence[ShownRow] | None
    paper_pages: Sequence[int]
    repeat: str
    shown: ShownStatement
    blocks: Sequence[Block]
    marks: Mapping[str, Sequence[Mark]]
    waiting: int
    taken: str
    statement: Definition
    fragment: bool = False
    rows_only: bool = False

    @property
    def seat(self) -> Seat:
        return self.aside.seat

    @property
    def outcome(self) -> runs.RunOutcome:
        return self.aside.outcome

    @property
    def name(self) -> str:
        return self.statement.name

    @property
    def undoable(self) -> Edit | None:
        """The edit of the person that can be taken back."""
        return editing.last_edit(self.statement, self.seat.person) if self.seat.person.may_edit else None

    @property
    def redoable(self) -> Edit | None:
        return editing.next_edit(self.statement, self.seat.person) if self.seat.person.may_edit else None

    @property
    def templates(self) -> Sequence[Template]:
        """Templates that a file of it can be filled into."""
        return names_of(subject_for(self.statement, self.seat.person), self.seat.person)

    @property
    def nodes(self) -> NodeChoices:
        return self.aside.nodes

    @property
    def panel_url(self) -> str:
        return self.aside.panel_url

    @property
    def nodes_address(self) -> str:
        return _nodes_address(self.seat, self.name, self.nodes)

    @property
    def state(self) -> Mapping[str, str]:
        return self.aside.state

    @property
    def stamp(self) -> str:
        return self.aside.stamp

    @property
    def translated_part(self) -> bool:
        """Whether a part of the ledger is translated by itself."""
        return self.outcome.computed.plan.translated and self.seat.view.is_part

    @property
    def unplaced(self) -> Check | None:
        return next((check for check in self.outcome.checks if check.code == "placed"), None)

    @cached_property
    def latest(self) -> Revision | None:
        return latest_revision(self.seat.ledger)

    @property
    def forms(self) -> Iterable[tuple[str, str]]:
        return TITLES.items()

    @property
    def paged_forms(self) -> Sequence[tuple[str, str]]:
        """Forms of a file that has each node on a page."""
        return [(form, TITLES[form]) for form in ("xlsx", "pdf", "html")]

    @property
    def leads(self) -> Sequence[Lead]:
        return leads()


def _repeated(seat: Seat, name: str, last: Mapping[str, str]) -> str:
    """Where the file that was taken last is taken again, of this statement; empty where none was."""
    if not last:
        return ""
    address = f"{reverse('download', args=[name, last['form']])}?{seat.query}"
    return f"{address}&{urlencode({key: value for key, value in last.items() if key != 'form'})}"


def _nodes_address(seat: Seat, name: str, nodes: NodeChoices) -> str:
    """Where the statement is asked for another node, which the choice adds; one of its own scope stands in a node."""
    node = {"node": seat.node} if nodes.field == "of" else {}
    query = urlencode({"ledger": seat.ledger.code, "period": seat.period.code, **node})
    return f"{reverse('statement-work', args=[name])}?{query}"


def _window_of(request: HttpRequest, seat: Seat, name: str) -> tuple[QueryDict, str, Hashable]:
    """What a request sends, the window that sends it, and what is remembered for that window."""
    sent = request.POST if request.method == "POST" else request.GET
    window = sent.get("window") or secrets.token_hex(6)
    return sent, window, (seat.person.pk, request.session.session_key, window[:20], name)


def statement_screen(
    request: HttpRequest,
    seat: Seat,
    definitions: Definitions,
    asked: QueryDict,
    said: Said | None = None,
    outcome: runs.RunOutcome | None = None,
    known: Known | None = None,
) -> StatementPage:
    """What the page of a statement shows; `asked` is the panel's address, `outcome` a run that was made already."""
    before = perf_counter()
    statement = definitions["statement"]
    outcome = outcome or editing.outcome_of(definitions, editing.edit_sight(seat, statement))
    aside = panel_of(seat, outcome, asked, definitions, said or Said(), known)
    hidden, paper = _switched(request, statement.name)
    sent, window, place = _window_of(request, seat, statement.name)
    blocks = Blocks(outcome.computed, hidden=hidden, asked=sent.get("blocks", ""), row=aside.state.get("row", ""))
    explained = explained_of(seat.ledger, outcome.computed, seat.readers)
    shown = shown_with_beside(seat, outcome, hidden=hidden, within=blocks.holds)
    marked = marks(outcome.computed, outcome.checks, outcome.suggested, [one.item for one in explained])
    cut, former = [] if beside_of(seat) else blocks.cut(shown.rows), shown_in(place, sent.get("sent", ""))
    now = remember(place, shown, marked, cut, (seat.query, hidden, paper))
    return StatementPage(
        aside=aside,
        show_hidden=hidden,
        paper=paper,
        window=window,
        sent=now.number,
        changed=None if former is None or paper else now.changed_since(former, sent.get("blocks", "")),
        paper_pages=range(1, preview_page(seat, definitions, 1)[1] + 1) if paper else (),
        repeat=_repeated(seat, statement.name, request.session.get("last-export") or {}),
        shown=shown,
        blocks=cut,
        marks=marked,
        waiting=waiting(explained),
        taken=f"{(perf_counter() - before) * 1000:.0f}",
        statement=statement,
    )


def _switched(request: HttpRequest, name: str) -> tuple[bool, bool]:
    """Whether hidden rows show and whether the preview does, as it was switched on in this visit."""
    if request.GET.get("hidden") in ("yes", "no"):
        request.session["hidden"] = request.GET["hidden"]
    if request.GET.get("paper") in (
        "yes",
        "no",
    ):  # the preview is of this statement; another one opens with its figures
        request.session["paper"] = name if request.GET["paper"] == "yes" else ""
    return request.session.get("hidden") == "yes", request.session.get("paper") == name


@require_GET
def statement_page(request: HttpRequest, name: str) -> HttpResponse:
    """The statement with its side panel."""
    seat = seat_of(request)
    definitions = open_statement(seat.ledger, name, person=seat.person)
    screen = statement_screen(request, seat, definitions, request.GET)
    shelves.remember_visit(seat.person, definitions["statement"])
    return screen.response(request)


@require_GET
def statement_work(request: HttpRequest, name: str) -> HttpResponse:
    """Statement, panel, period and status line, to be put in place of what is shown."""
    seat = seat_of(request)
    definitions = open_statement(seat.ledger, name, person=seat.person)
    screen = replace(statement_screen(request, seat, definitions, request.GET), fragment=True)
    response = screen.response(request, template="statements/_work.html")
    response["HX-Push-Url"] = f"{reverse('statement', args=[name])}?{seat.query}"
    return response


@dataclass(frozen=True, kw_only=True)
class BlockOfRows(Screen):
    """One block of rows of a large statement; nothing is chosen on it."""

    html = "statements/_block.html"
    seat: Seat
    shown: ShownStatement
    block: Block
    marks: Mapping[str, Sequence[Mark]]
    state: Mapping[str, str] = field(default_factory=State)
    chosen: Sequence[str] = ()


@require_GET
def statement_block(request: HttpRequest, name: str, number: int) -> HttpResponse:
    """One block of rows of a large statement."""
    seat = seat_of(request)
    definitions = open_statement(seat.ledger, name, person=seat.person)
    outcome = editing.outcome_of(definitions, editing.edit_sight(seat, definitions["statement"]))
    hidden = request.session.get("hidden") == "yes"
    blocks = Blocks(outcome.computed, hidden=hidden, asked=str(number))
    shown = show(outcome.computed, hidden=hidden, within=blocks.holds)
    block = next((one for one in blocks.cut(shown.rows) if one.number == number), None)
    if block is None:
        raise NotFound(f"There is no block {number}.", hint="Load the page again.", subject="rows")
    explained = explained_of(seat.ledger, outcome.computed, seat.readers)
    marked = marks(outcome.computed, outcome.checks, outcome.suggested, [one.item for one in explained])
    return BlockOfRows(seat=seat, shown=shown, block=block, marks=marked).response(request)


@require_GET
def statement_panel(request: HttpRequest, name: str) -> HttpResponse:
    """Only the side panel; `at` is another node than the page's, whose figures stand beside it."""
    seat = seat_of(request)
    definitions = open_statement(seat.ledger, name, person=seat.person)
    if at := request.GET.get("at", ""):
        own = runs.node_asked(definitions["statement"], node="", of="own")
        seat = replace(seat, of=at) if own else replace(seat, node=at)
    outcome = editing.outcome_of(definitions, editing.edit_sight(seat, definitions["statement"]))
    panel = panel_of(seat, outcome, request.GET, definitions, Said())
    response = panel.response(request)
    if not at:
        # a step of a trace is a step of the browser's history; other panels stand in place of what was shown
        header = "HX-Push-Url" if panel.panel == "trace" else "HX-Replace-Url"
        response[header] = f"{reverse('statement', args=[name])}?{request.GET.urlencode()}"
    return response


@require_GET
def statement_trace(request: HttpRequest, name: str) -> HttpResponse:
    """A trace on the whole page."""
    seat = seat_of(request)
    return trace_room(request, seat, open_statement(seat.ledger, name, person=seat.person), request.GET, Said())


@dataclass(frozen=True, kw_only=True)
class TraceRoom(Screen):
    """A trace on the whole page, with what is to be explained beside it; `aside` is the panel that it would be in."""

    html = "statements/trace.html"
    where: str = "statements"
    seat: Seat
    name: str
    title: str
    page_url: str
    panel_url: str
    trace_base: str
    state: Mapping[str, str]
    outcome: runs.RunOutcome
    latest: Revision | None
    trace: Screen | None
    agrees: bool | None
    refused: RulkaError | None
    crumbs: Sequence[Crumb]
    explaining: ExplainPanel | None
    problem: RulkaError | None
    entered: Mapping[str, str]


def trace_room(
    request: HttpRequest, seat: Seat, definitions: Definitions, given: QueryDict, said: Said
) -> HttpResponse:
    """The whole page of a trace, with what is to be explained beside it where the statement asks for that."""
    statement = definitions["statement"]
    asked = given.copy()
    asked["panel"], asked["room"] = "trace", "yes"
    looked_at = compared(definitions, asked.get("compare", ""), seat.view)
    outcome = editing.outcome_of(looked_at, editing.edit_sight(seat, statement))
    aside = panel_of(seat, outcome, asked, looked_at, said)
    asks = not asked.get("compare") and asks_anything(outcome.computed)
    return TraceRoom(
        seat=seat,
        name=statement.name,
        title=statement.title,
        page_url=reverse("statement", args=[statement.name]),
        panel_url=reverse("statement-trace", args=[statement.name]),
        trace_base=aside.trace_base,
        state=aside.state,
        outcome=outcome,
        latest=latest_revision(seat.ledger),
        trace=aside.body,
        agrees=aside.body.trace.agrees if isinstance(aside.body, TracePanel) else None,
        refused=aside.refused,
        crumbs=aside.crumbs,
        explaining=explain_panel(seat, outcome.computed, aside.state, room=True) if asks else None,
        problem=said.problem,
        entered=said.entered,
    ).response(request, status=422 if said.problem else 200)


@require_GET
def statement_take(request: HttpRequest, name: str, form: str) -> HttpResponse:
    """What a trace shows, as a file."""
    seat = seat_of(request)
    definitions = open_statement(seat.ledger, name, person=seat.person)
    looked_at = compared(definitions, request.GET.get("compare", ""), seat.view)
    outcome = editing.outcome_of(looked_at, editing.edit_sight(seat, definitions["statement"]))
    statement = definitions["statement"]
    of = ("statement", statement.name, statement.pk, statement.shelf_id)
    return taken_file(seat.ledger, seat.view, outcome.computed, said_in(request.GET), form, person=seat.person, of=of)
