"""What the side panel shows for an address: a line, a column, a trace at any level, or the footing."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from fractions import Fraction
from functools import cached_property
from itertools import islice, permutations
from typing import Any
from urllib.parse import urlencode

import numpy as np
from django.http import QueryDict
from django.urls import reverse

from rulka.core.books.chart import Item
from rulka.core.compute.columns import Column
from rulka.core.compute.computed import Computed
from rulka.core.compute.leaves import sign_of
from rulka.core.compute.rows import Row
from rulka.core.definitions.headings import by_example
from rulka.core.definitions.pages import TOKENS
from rulka.core.definitions.spines import HIDING, SIGNS, LineDef
from rulka.core.edits import columns
from rulka.core.edits.lines import NEW
from rulka.core.edits.nodes import text_of_nodes
from rulka.core.edits.picking import Pick, Picks, picks
from rulka.core.edits.starting import KINDS, WITHIN, patterns_for
from rulka.core.edits.tree import find_line
from rulka.core.errors import RulkaError
from rulka.core.proof.checks import Check
from rulka.core.proof.marks import Mark, marks
from rulka.core.proof.placing import Suggestion
from rulka.formats.figures import figure_text
from rulka.ledger.reading import trace_address
from rulka.ledger.reading.trace_levels import Crumb, TraceAddresses, TracePanel
from rulka.ledger.reading.trace_panel import known_crumbs, leading, trace_panel
from rulka.ledger.seat import Seat
from rulka.screen import PanelBody, Screen
from rulka.statements.library.assemble import Definitions, Known, known_of, users_of
from rulka.statements.library.opening import seen_among, seen_definitions
from rulka.statements.library.shelves import RUN
from rulka.statements.library.storing import stamp_of
from rulka.statements.library.versions import Versions, versions_of
from rulka.statements.models import PARTS, Edition, Picture
from rulka.statements.output.editions import editions_of
from rulka.statements.pages.explain_panel import ExplainPanel, explain_panel, named_explainers, waiting
from rulka.statements.pages.fields import Setting, SettingGroup, column_settings, line_settings, statement_settings
from rulka.statements.running.explained import explained_of
from rulka.statements.running.nodes import NodeChoices, node_choices
from rulka.statements.running.runs import RunOutcome, page_nodes

TABS = ("line", "column", "page", "trace", "footing", "explain")
STATE: tuple[str, ...] = (
    "panel",
    "row",
    "column",
    "lines",
    "columns",
    "search",
    "type",
    "category",
    "only",
    "one",
    "other",
    "compare",
)
STATE = tuple(dict.fromkeys((*STATE, *trace_address.NAMES)))
TITLES = {"start": "Start"}


class State(dict[str, str]):
    """The panel's address, of the names in STATE; one that isn't said reads as empty."""

    def __missing__(self, name: str) -> str:
        if name in STATE:
            return ""
        raise KeyError(name)


@dataclass(frozen=True)
class Said:
    """What an answer says besides the statement: what was done, what was refused or is asked, and what was entered."""

    done: str = ""
    warned: str = ""
    problem: RulkaError | None = None
    question: RulkaError | None = None
    entered: Mapping[str, str] = field(default_factory=dict)
    posted: Sequence[tuple[str, str]] = ()
    stamp_asked: str = ""


def refused(problem: RulkaError, entered: Mapping[str, str]) -> Said:
    """That something was refused, beside what was entered."""
    return Said(problem=problem, entered=entered)


@dataclass(frozen=True, kw_only=True)
class Panel(Screen):
    """The side panel: its tabs (name, title, address), and below them the `body` of one, or why there is none with the
    way back. `panel` is what it shows, `tab` where that belongs, `parts_used` who else uses each part."""

    html = "statements/_panel.html"
    seat: Seat
    name: str
    outcome: RunOutcome
    nodes: NodeChoices
    panel: str
    tab: str
    state: State
    tabs: Sequence[tuple[str, str, str]]
    stamp: str
    panel_url: str
    trace_base: str
    parts_used: Mapping[str, Sequence[tuple[str, str]]]
    body: PanelBody | None
    refused: RulkaError | None
    crumbs: Sequence[Crumb]
    problem_at_field: bool
    done: str
    warned: str
    problem: RulkaError | None
    question: RulkaError | None
    entered: Mapping[str, str]
    posted: Sequence[tuple[str, str]]
    stamp_asked: str

    @property
    def wide(self) -> bool:
        return self.body is not None and self.body.wide


def _shown_kind(state: State, outcome: RunOutcome, begun: bool) -> str:
    """What the panel shows: what its address asks for, or how a statement begins, or what keeps it from standing."""
    if state["panel"] in BODIES:
        return state["panel"]
    return "footing" if not outcome.verdict.stands and not begun else "start"


def _tabs(state: State, begun: bool) -> list[tuple[str, str, str]]:
    """Name, title and address of each tab."""
    kept = {name: state[name] for name in ("row", "column", "lines", "columns") if name in state}
    tabs = [*(["start"] if begun else []), *TABS]
    return [(tab, TITLES.get(tab, tab.capitalize()), urlencode({**kept, "panel": tab})) for tab in tabs]


def _body_of(subject: PanelSubject, kind: str, begun: bool) -> tuple[PanelBody | None, RulkaError | None]:
    """The body of a kind, or why there is none."""
    try:
        return BODIES["footing" if kind == "start" and not begun else kind](subject), None
    except RulkaError as error:
        return None, error


def panel_of(
    seat: Seat,
    outcome: RunOutcome,
    asked: QueryDict,
    definitions: Definitions,
    said: Said,
    known: Known | None = None,
) -> Panel:
    """The panel for an address, which `asked` holds, see STATE. `known` are definitions that were loaded already."""
    state = State({name: ",".join(asked.getlist(name)) for name in STATE if asked.get(name)})
    statement = definitions["statement"]
    begun = "begun" in statement.body
    kind = _shown_kind(state, outcome, begun)
    about = PanelSubject(seat, outcome, state, definitions, known or known_of(definitions), said)
    body, wrong = _body_of(about, kind, begun)
    return Panel(
        seat=seat,
        name=statement.name,
        outcome=outcome,
        nodes=node_choices(seat, outcome),
        panel=kind,
        tab={"accounts": "line"}.get(kind, kind),
        state=state,
        tabs=_tabs(state, begun),
        stamp=stamp_of(definitions),
        panel_url=reverse("statement-panel", args=[statement.name]),
        trace_base=about.base,
        parts_used={kind: about.shared.get(kind, ()) for kind in PARTS},
        body=body,
        refused=wrong,
        crumbs=known_crumbs(outcome.computed, state) if wrong else (),
        problem_at_field=isinstance(body, SettingsBody) and any(about.wrong in one.paths for one in body.groups),
        done=said.done,
        warned=said.warned,
        problem=said.problem,
        question=said.question,
        entered=said.entered,
        posted=said.posted,
        stamp_asked=said.stamp_asked,
    )


@dataclass(frozen=True)
class PanelSubject:
    """What a panel is about: whose seat, which run, which address, which definitions."""

    seat: Seat
    outcome: RunOutcome
    state: dict[str, str]
    definitions: Definitions
    known: Known
    said: Said

    @property
    def wrong(self) -> str:
        """The setting that was refused, none where nothing was."""
        return self.said.entered.get("path", "") if self.said.problem else ""

    def opened(self, groups: Sequence[SettingGroup]) -> list[SettingGroup]:
        """Groups of settings, the one of what was refused unfolded."""
        return [replace(group, open=group.open or self.wrong in group.paths) for group in groups]

    @property
    def computed(self) -> Computed:
        return self.outcome.computed

    @property
    def base(self) -> str:
        """What an address has to carry to show the same figures, what was compared for a look too."""
        compare = self.state.get("compare", "")
        return f"{self.seat.query}&{urlencode({'compare': compare})}" if compare else self.seat.query

    @cached_property
    def shared(self) -> dict[str, list[tuple[str, str]]]:
        """For spine, span and scope the (name, title) of the other statements that use it."""
        statement = self.definitions["statement"]
        used = users_of((self.definitions[kind] for kind in PARTS if kind in self.definitions), self.known)
        seen = {user.pk for user in seen_among(self.seat.person, {one for users in used.values() for one in users})}
        return {
            kind: [(user.name, user.title) for user in users if user.pk in seen and user != statement]
            for kind, users in used.items()
        }


@dataclass(frozen=True, kw_only=True)
class SettingsBody(PanelBody):
    """What shows settings, and says itself what was refused of them."""

    groups: Sequence[SettingGroup] = ()


@dataclass(frozen=True, kw_only=True)
class FootingPanel(PanelBody):
    """Each check with the (key, label) of lines it is about; accounts without a place, and where they could go."""

    html = "statements/_panel_footing.html"
    told: Sequence[tuple[Check, Sequence[tuple[str, str]]]]
    suggested: Sequence[Suggestion]
    lines_by_label: Sequence[tuple[str, str]]


def _footing(about: PanelSubject) -> FootingPanel:
    labels = {row.key: row.label for row in about.computed.rows} | {
        line.key: line.label for line in about.computed.statement.spine.walk()
    }
    return FootingPanel(
        told=[(check, [(key, labels.get(key, key)) for key in check.lines[:5]]) for check in about.outcome.checks],
        suggested=about.outcome.suggested,
        lines_by_label=_account_lines(about.computed),
    )


def _account_lines(computed: Computed) -> list[tuple[str, str]]:
    """(key, label) of the lines that accounts can be put into."""
    return [(line.key, line.label) for line in computed.statement.spine.walk() if line.kind == "line"]


@dataclass(frozen=True, kw_only=True)
class LinesPanel(PanelBody):
    """Several lines that are chosen."""

    html = "statements/_panel_lines.html"
    chosen_lines: Sequence[LineDef]
    hiding: Sequence[str]


@dataclass(frozen=True, kw_only=True)
class LinePanel(SettingsBody):
    """A line with its settings and the first accounts it selects; none where none is chosen."""

    html = "statements/_panel_line.html"
    kinds: Sequence[str]
    line: LineDef | None = None
    row: Row | None = None
    matched: Sequence[Item] = ()
    line_codes: Sequence[str] = ()
    matched_count: int = 0
    marked: Sequence[Mark] = ()
    """What the margin marks it with, said in words."""


@dataclass(frozen=True, kw_only=True)
class AccountsPanel(LinePanel):
    """The accounts of a line to choose from, each with its amount as text."""

    html = "statements/_panel_accounts.html"
    picks: Picks
    pick_rows: Sequence[tuple[Pick, str]]
    setting: Setting


def _line(about: PanelSubject) -> LinesPanel | LinePanel:
    computed, state = about.computed, about.state
    chosen = [key for key in state.get("lines", "").split(",") if key]
    spine = about.definitions["spine"].body
    if len(chosen) > 1:
        return LinesPanel(chosen_lines=[computed.line(find_line(spine, key).key) for key in chosen], hiding=HIDING)
    if "row" not in state and not chosen:
        return LinePanel(kinds=list(NEW))
    key = computed.row(state["row"]).line if "row" in state else chosen[0]
    raw = find_line(spine, key).raw
    line = computed.line(key)
    leaves = computed.plan.leaves.by_line.get(line.key, ())
    accounts = computed.view.frame.accounts.items
    matched = [accounts[at] for at in np.flatnonzero(leaves[0].of_line)] if leaves else []
    unsigned = [replace(leaf, line=replace(line, sign="")) for leaf in leaves[:1]]
    flipped = bool(unsigned) and sign_of(unsigned[0], None, computed.statement.spine.signs, computed.view) < 0
    marked = marks(computed, about.outcome.checks, about.outcome.suggested).get(state.get("row") or line.key, ())
    return LinePanel(
        line=line,
        marked=marked,
        row=computed.rows_by_key.get(state.get("row", "")),
        matched=matched[:60],
        line_codes=[account.code for account in matched],
        matched_count=len(matched),
        kinds=list(NEW),
        groups=about.opened(
            line_settings(
                raw,
                computed.view.frame,
                [column.key for column in computed.columns],
                SIGNS[1] if flipped else SIGNS[0],
                named_explainers(about.seat),
            )
        ),
    )


def _accounts(about: PanelSubject) -> LinesPanel | LinePanel:
    state = about.state
    shown = _line(about)
    if isinstance(shown, LinesPanel) or shown.line is None or shown.line.kind != "line":
        return shown
    key = shown.line.key
    if shown.line.is_closed:
        raise RulkaError(
            "The author of this statement closed the detail of this line.",
            hint="Ask them.",
            subject="line",
            code="sealed",
        )
    text = str(find_line(about.definitions["spine"].body, key).raw.get("accounts", ""))
    found = picks(
        about.computed,
        key,
        text,
        search=state.get("search", ""),
        kind=state.get("type", ""),
        category=state.get("category", ""),
        only=state.get("only", ""),
    )
    return AccountsPanel(
        **shown.context | {"wide": True},
        picks=found,
        pick_rows=[
            (pick, figure_text(Fraction(pick.amount, 10**pick.digits), digits=pick.digits)) for pick in found.rows
        ],
        setting=next(setting for setting in shown.groups[0].settings if setting.path == "accounts"),
    )


@dataclass(frozen=True, kw_only=True)
class ColumnsPanel(PanelBody):
    """Several columns that are chosen."""

    html = "statements/_panel_columns.html"
    column_kinds: Sequence[str]
    chosen_columns: Sequence[columns.ColumnPlace]


@dataclass(frozen=True, kw_only=True)
class ColumnPanel(SettingsBody):
    """A column or series with its settings; none where none is chosen. `inner` are (key, heading) of a series' own
    columns, `series` the key of the one it stands in."""

    html = "statements/_panel_column.html"
    column_kinds: Sequence[str]
    column: Column | None = None
    column_key: str = ""
    place: columns.ColumnPlace | None = None
    inner: Sequence[tuple[str, str]] = ()
    series: str = ""


def _column(about: PanelSubject) -> ColumnsPanel | ColumnPanel:
    kinds = list(columns.KINDS)
    computed, state = about.computed, about.state
    span = about.definitions["span"].body
    chosen = [key for key in state.get("columns", "").split(",") if key]
    if len(chosen) > 1:
        return ColumnsPanel(column_kinds=kinds, chosen_columns=columns.find_columns(span, chosen))
    if "column" not in state and not chosen:
        return ColumnPanel(column_kinds=kinds)
    asked = chosen[0] if chosen else state["column"]
    column = next(
        (column for column in computed.columns if asked in (column.key, column.asked.key, column.series)), None
    )
    key = asked if asked in columns.places(span) else _raw_key(column or computed.column(asked), span)
    place = columns.find_column(span, key)
    nodes = [node.code for node in page_nodes(computed.statement, about.seat.view)] if computed.statement.scope else []
    return ColumnPanel(
        column_kinds=kinds,
        column=column,
        column_key=key,
        place=place,
        inner=[
            (columns.key_of(raw), by_example(raw.get("heading", columns.key_of(raw))))
            for raw in place.raw.get("columns", ())
        ],
        series=columns.key_of(place.series) if place.series else "",
        groups=about.opened(
            column_settings(place.raw, computed.view.frame, in_series=place.series is not None, nodes=nodes)
        ),
    )


def _raw_key(column: Column, span: Mapping[str, Any]) -> str:
    """The key under which a computed column is written: its own, or that of the series that makes it."""
    known = columns.places(dict(span))
    own = (
        (column.series, column.asked.key, column.key)
        if column.is_total
        else (column.asked.key, column.series, column.key)
    )
    return next(key for key in own if key in known)


@dataclass(frozen=True, kw_only=True)
class PagePanel(SettingsBody):
    """The settings of the page, with the tokens that its texts may have."""

    html = "statements/_panel_page.html"
    tokens: Sequence[str]


def _page(about: PanelSubject) -> PagePanel:
    labels = [line.label for line in about.computed.statement.spine.walk() if line.kind == "line"]
    pictures = list(Picture.objects.filter(ledger=about.seat.ledger).values_list("name", flat=True))
    node = about.computed.node.code
    groups = statement_settings(
        about.definitions["statement"].body,
        about.definitions["spine"].body,
        labels,
        pictures,
        calendars=bool(about.computed.view.frame.calendars),
        columns=[column.key for column in about.computed.columns if column.kind == "difference"],
        node="" if "." in node else node,
        people=named_explainers(about.seat),
    )
    return PagePanel(groups=about.opened(groups), tokens=TOKENS)


@dataclass(frozen=True, kw_only=True)
class StartPanel(PanelBody):
    """What a statement that was begun can be: its lines, columns and pages, each as (what is sent, words)."""

    html = "statements/_panel_start.html"
    begun: Mapping[str, str]
    suggested: Sequence[Suggestion]
    starts: Sequence[tuple[str, str]]
    patterns: Sequence[tuple[str, str]]
    pages: Sequence[tuple[str, str]]
    models: Sequence[tuple[str, str]]
    lines_by_label: Sequence[tuple[str, str]]


def _start(about: PanelSubject) -> StartPanel:
    frame, seat = about.computed.view.frame, about.seat
    others = [
        one
        for one in seen_definitions(seat.ledger, seat.person, "statement", level=RUN)
        if one != about.definitions["statement"]
    ]
    return StartPanel(
        begun={"columns": "", "pages": ""} | about.definitions["statement"].body["begun"],
        starts=list(KINDS.items()),
        patterns=list(patterns_for(frame).items()),
        pages=[
            ("", "One page, for the entity chosen above"),
            *((name, f"A page for each {name}") for name in frame.dimensions),
        ],
        models=[(f"from {other.name}", other.title) for other in others if "begun" not in other.body],
        suggested=about.outcome.suggested,
        lines_by_label=_account_lines(about.computed),
    )


@dataclass(frozen=True, kw_only=True)
class NodesPanel(PanelBody):
    """Which scope says what the nodes are, which others could, and the scope's nodes as text."""

    html = "statements/_panel_nodes.html"
    scope_used: str
    scope_choices: Sequence[tuple[str, str]]
    nodes_text: str


MOST_PAIRS = 12
"""Dimensions within others that are offered; more are written in the nodes' text."""


def _nodes(about: PanelSubject) -> NodesPanel:
    scope = about.definitions.get("scope")
    stored = seen_definitions(about.seat.ledger, about.seat.person, "scope", level=RUN)
    dimensions = about.computed.view.frame.dimensions
    return NodesPanel(
        scope_used=scope.name if scope else "",
        scope_choices=[
            ("", "entities"),
            *((one.name, one.title) for one in stored),
            *((f"new {name}", f"a new one by {name}") for name in dimensions),
            *(
                (f"new {outer}{WITHIN}{inner}", f"a new one by {outer}, in each by {inner}")
                for outer, inner in islice(permutations(dimensions, 2), MOST_PAIRS)
            ),
        ],
        nodes_text=text_of_nodes(scope.body["nodes"]) if scope else "",
    )


@dataclass(frozen=True, kw_only=True)
class EditionsPanel(PanelBody):
    """The editions that somebody may open, and how many variances keep another one from being kept."""

    html = "statements/_panel_editions.html"
    left: int
    editions: Sequence[Edition]


def _editions(about: PanelSubject) -> EditionsPanel:
    return EditionsPanel(
        left=waiting(explained_of(about.seat.ledger, about.computed, about.seat.readers)),
        editions=editions_of(about.definitions["statement"], about.seat.view, about.seat.person),
    )


def _explain(about: PanelSubject) -> ExplainPanel:
    return explain_panel(about.seat, about.computed, about.state, room=False)


@dataclass(frozen=True, kw_only=True)
class VersionsPanel(PanelBody):
    """Saved versions, history, and two versions compared."""

    html = "statements/_panel_versions.html"
    versions: Versions


def _versions(about: PanelSubject) -> VersionsPanel:
    named = about.state.get("one", ""), about.state.get("other", "")
    return VersionsPanel(versions=versions_of(about.definitions, *named))


def _trace(about: PanelSubject) -> TracePanel:
    seat, name = about.seat, about.definitions["statement"].name
    shown = trace_panel(seat.ledger, seat.view, about.computed, about.state)
    places = TraceAddresses(
        reverse("statement", args=[name]),
        reverse("statement-trace", args=[name]),
        lambda form: reverse("statement-take", args=[name, form]),
        lambda taker: reverse(taker, args=["statement", name]),
    )
    room = bool(about.state.get("room"))
    return leading(shown, about.base, places, room=room, may_take=seat.person.may_edit)


BODIES: Mapping[str, Callable[[PanelSubject], PanelBody]] = {
    "line": _line,
    "column": _column,
    "page": _page,
    "trace": _trace,
    "footing": _footing,
    "explain": _explain,
    "accounts": _accounts,
    "versions": _versions,
    "nodes": _nodes,
    "editions": _editions,
    "start": _start,
}
"""What the panel can show, by its name."""
