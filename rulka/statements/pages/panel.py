"""What the side panel shows for an address: a line, a column, a trace at any level, or the footing."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from fractions import Fraction
from typing import Any
from urllib.parse import urlencode

import numpy as np
from django.http import QueryDict
from django.urls import reverse

from rulka.core.compute.columns import Column
from rulka.core.compute.computed import Computed
from rulka.core.compute.leaves import sign_of
from rulka.core.definitions.pages import TOKENS
from rulka.core.definitions.spines import HIDING, SIGNS
from rulka.core.edits import columns
from rulka.core.edits.lines import NEW
from rulka.core.edits.nodes import text_of_nodes
from rulka.core.edits.picking import picks
from rulka.core.edits.starting import KINDS, patterns_for
from rulka.core.edits.tree import find_line
from rulka.core.errors import RulkaError
from rulka.core.proof.placing import suggestions
from rulka.formats.figures import figure_text
from rulka.ledger.reading import trace_address
from rulka.ledger.reading.trace_panel import Places, known_crumbs, leading, trace_panel
from rulka.ledger.seat import Seat
from rulka.statements.library.assemble import Definitions, Known, known_of, users_of
from rulka.statements.library.opening import seen_among, seen_definitions
from rulka.statements.library.shelves import RUN
from rulka.statements.library.storing import stamp_of
from rulka.statements.library.versions import version_context
from rulka.statements.models import PARTS, Picture
from rulka.statements.output.editions import editions_of
from rulka.statements.pages.explain_panel import explain_context, named_explainers, waiting
from rulka.statements.pages.fields import column_settings, line_settings, statement_settings
from rulka.statements.running.explained import explained_of
from rulka.statements.running.runs import Outcome, page_nodes

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


def panel_context(
    seat: Seat,
    outcome: Outcome,
    asked: QueryDict,
    definitions: Definitions,
    known: Known | None = None,
    **extra: Any,
) -> dict[str, Any]:
    """Template and context of the panel; `asked` holds the address, see STATE. `known` are definitions that were loaded
    already."""
    state = State({name: ",".join(asked.getlist(name)) for name in STATE if asked.get(name)})
    kept: dict[str, str] = {name: state[name] for name in ("row", "column", "lines", "columns") if name in state}
    begun = "begun" in definitions["statement"].body
    build = {
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
        "start": _start if begun else _footing,
    }
    kind = state.get("panel", "")
    if kind not in build:
        kind = "footing" if not outcome.verdict.stands and not begun else "start"
    about = About(seat, outcome, state, definitions, known or known_of(definitions))
    tabs = [*(["start"] if begun else []), *TABS]
    context: dict[str, Any] = {
        "panel": kind,
        "tab": {"accounts": "line"}.get(kind, kind),
        "state": state,
        "tabs": [(tab, TITLES.get(tab, tab.capitalize()), urlencode({**kept, "panel": tab})) for tab in tabs],
        "outcome": outcome,
        "seat": seat,
        "stamp": stamp_of(definitions),
        "panel_url": reverse("statement-panel", args=[definitions["statement"].name]),
        "trace_base": about.base,
        "parts_used": dict.fromkeys(PARTS, ()) | about.shared(),
    }
    try:
        context.update(build[kind](about))
    except RulkaError as error:
        context.update({"refused": error, "crumbs": known_crumbs(outcome.computed, state)})
    path = extra["entered"].get("path", "") if extra.get("problem") else ""
    groups = context.get("groups", [])
    context["groups"] = [replace(group, open=group.open or path in group.paths) for group in groups]
    context["problem_at_field"] = any(path in group.paths for group in groups)
    return {**context, **extra}


@dataclass(frozen=True)
class About:
    """What a panel is about: whose seat, which run, which address, which definitions."""

    seat: Seat
    outcome: Outcome
    state: dict[str, str]
    definitions: Definitions
    known: Known

    @property
    def computed(self) -> Computed:
        return self.outcome.computed

    @property
    def base(self) -> str:
        """What an address has to carry to show the same figures, what was compared for a look too."""
        compare = self.state.get("compare", "")
        return f"{self.seat.query}&{urlencode({'compare': compare})}" if compare else self.seat.query

    def shared(self) -> dict[str, list[tuple[str, str]]]:
        """For spine, span and scope the (name, title) of the other statements that use it."""
        statement = self.definitions["statement"]
        used = users_of((self.definitions[kind] for kind in PARTS if kind in self.definitions), self.known)
        seen = {user.pk for user in seen_among(self.seat.person, {one for users in used.values() for one in users})}
        return {
            kind: [(user.name, user.title) for user in users if user.pk in seen and user != statement]
            for kind, users in used.items()
        }


def _footing(about: About) -> dict[str, Any]:
    labels = {row.key: row.label for row in about.computed.rows} | {
        line.key: line.label for line in about.computed.statement.spine.walk()
    }
    told = [(check, [(key, labels.get(key, key)) for key in check.lines[:5]]) for check in about.outcome.checks]
    return {
        "template": "statements/_panel_footing.html",
        "told": told,
        "suggested": suggestions(about.computed),
        "lines_by_label": _account_lines(about.computed),
    }


def _account_lines(computed: Computed) -> list[tuple[str, str]]:
    """(key, label) of the lines that accounts can be put into."""
    return [(line.key, line.label) for line in computed.statement.spine.walk() if line.kind == "line"]


def _line(about: About) -> dict[str, Any]:
    shown = {"template": "statements/_panel_line.html"}
    computed, state = about.computed, about.state
    chosen = [key for key in state.get("lines", "").split(",") if key]
    spine = about.definitions["spine"].body
    if len(chosen) > 1:
        lines = [computed.line(find_line(spine, key).key) for key in chosen]
        return {"template": "statements/_panel_lines.html", "chosen_lines": lines, "hiding": HIDING}
    if "row" not in state and not chosen:
        return {**shown, "line": None, "kinds": list(NEW)}
    key = computed.row(state["row"]).line if "row" in state else chosen[0]
    raw = find_line(spine, key).raw
    line = computed.line(key)
    leaves = computed.plan.leaves.by_line.get(line.key, ())
    accounts = computed.view.frame.accounts.items
    matched = [accounts[at] for at in np.flatnonzero(leaves[0].of_line)] if leaves else []
    unsigned = [replace(leaf, line=replace(line, sign="")) for leaf in leaves[:1]]
    flipped = bool(unsigned) and sign_of(unsigned[0], None, computed.statement.spine.signs, computed.view) < 0
    return {
        **shown,
        "line": line,
        "row": computed.rows_by_key.get(state.get("row", "")),
        "matched": matched[:60],
        "line_codes": [account.code for account in matched],
        "matched_count": len(matched),
        "kinds": list(NEW),
        "groups": line_settings(
            raw,
            computed.view.frame,
            [column.key for column in computed.columns],
            SIGNS[1] if flipped else SIGNS[0],
            named_explainers(about.seat),
        ),
    }


def _accounts(about: About) -> dict[str, Any]:
    state = about.state
    shown = _line(about)
    if shown.get("line") is None or shown["line"].kind != "line":
        return {**shown, "template": "statements/_panel_line.html"}
    key = shown["line"].key
    if shown["line"].is_closed:
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
    rows = [(pick, figure_text(Fraction(pick.amount, 10**pick.digits), digits=pick.digits)) for pick in found.rows]
    setting = next(setting for setting in shown["groups"][0].settings if setting.path == "accounts")
    return {
        **shown,
        "template": "statements/_panel_accounts.html",
        "picks": found,
        "pick_rows": rows,
        "setting": setting,
        "wide": True,
    }


def _column(about: About) -> dict[str, Any]:
    shown = {"template": "statements/_panel_column.html", "column_kinds": list(columns.KINDS)}
    computed, state = about.computed, about.state
    span = about.definitions["span"].body
    chosen = [key for key in state.get("columns", "").split(",") if key]
    if len(chosen) > 1:
        places = columns.find_columns(span, chosen)
        return {**shown, "template": "statements/_panel_columns.html", "chosen_columns": places}
    if "column" not in state and not chosen:
        return {**shown, "column": None}
    asked = chosen[0] if chosen else state["column"]
    column = next(
        (column for column in computed.columns if asked in (column.key, column.asked.key, column.series)), None
    )
    key = asked if asked in columns.places(span) else _raw_key(column or computed.column(asked), span)
    place = columns.find_column(span, key)
    nodes = [node.code for node in page_nodes(computed.statement, about.seat.view)] if computed.statement.scope else []
    return {
        **shown,
        "column": column,
        "column_key": key,
        "place": place,
        "inner": [
            (columns.key_of(raw), raw.get("heading", columns.key_of(raw))) for raw in place.raw.get("columns", ())
        ],
        "series": columns.key_of(place.series) if place.series else "",
        "groups": column_settings(place.raw, computed.view.frame, in_series=place.series is not None, nodes=nodes),
    }


def _raw_key(column: Column, span: Mapping[str, Any]) -> str:
    """The key under which a computed column is written: its own, or that of the series that makes it."""
    known = columns.places(dict(span))
    own = (
        (column.series, column.asked.key, column.key)
        if column.is_total
        else (column.asked.key, column.series, column.key)
    )
    return next(key for key in own if key in known)


def _page(about: About) -> dict[str, Any]:
    labels = [line.label for line in about.computed.statement.spine.walk() if line.kind == "line"]
    body, spine = about.definitions["statement"].body, about.definitions["spine"].body
    pictures = list(Picture.objects.filter(ledger=about.seat.ledger).values_list("name", flat=True))
    node = about.computed.node.code
    groups = statement_settings(
        body,
        spine,
        labels,
        pictures,
        calendars=bool(about.computed.view.frame.calendars),
        columns=[column.key for column in about.computed.columns if column.kind == "difference"],
        node="" if "." in node else node,
        people=named_explainers(about.seat),
    )
    return {"template": "statements/_panel_page.html", "groups": groups, "tokens": TOKENS}


def _start(about: About) -> dict[str, Any]:
    frame, body = about.computed.view.frame, about.definitions["statement"].body
    begun = body["begun"]
    seat = about.seat
    others = [
        one
        for one in seen_definitions(seat.ledger, seat.person, "statement", level=RUN)
        if one != about.definitions["statement"]
    ]
    return {
        "template": "statements/_panel_start.html",
        "begun": {"columns": "", "pages": ""} | begun,
        "starts": list(KINDS.items()),
        "patterns": list(patterns_for(frame).items()),
        "pages": [
            ("", "One page, for the entity chosen above"),
            *((name, f"A page for each {name}") for name in frame.dimensions),
        ],
        "models": [(f"from {other.name}", other.title) for other in others if "begun" not in other.body],
        "suggested": suggestions(about.computed),
        "lines_by_label": _account_lines(about.computed),
    }


def _nodes(about: About) -> dict[str, Any]:
    frame, definitions = about.computed.view.frame, about.definitions
    used = definitions["scope"].name if "scope" in definitions else ""
    stored = seen_definitions(about.seat.ledger, about.seat.person, "scope", level=RUN)
    choices = [
        ("", "entities"),
        *((scope.name, scope.title) for scope in stored),
        *((f"new {name}", f"a new one by {name}") for name in frame.dimensions),
    ]
    text = text_of_nodes(definitions["scope"].body["nodes"]) if used else ""
    return {
        "template": "statements/_panel_nodes.html",
        "scope_used": used,
        "scope_choices": choices,
        "nodes_text": text,
    }


def _editions(about: About) -> dict[str, Any]:
    return {
        "left": waiting(explained_of(about.seat.ledger, about.computed, about.seat.readers)),
        "template": "statements/_panel_editions.html",
        "editions": editions_of(about.definitions["statement"], about.seat.view, about.seat.person),
    }


def _explain(about: About) -> dict[str, Any]:
    return explain_context(about.seat, about.computed, about.state, room=False)


def _versions(about: About) -> dict[str, Any]:
    return {
        "template": "statements/_panel_versions.html",
        **version_context(about.definitions, about.state.get("one", ""), about.state.get("other", "")),
    }


def _trace(about: About) -> dict[str, Any]:
    seat, name = about.seat, about.definitions["statement"].name
    shown = trace_panel(seat.ledger, seat.view, about.computed, about.state)
    places = Places(
        reverse("statement", args=[name]),
        reverse("statement-trace", args=[name]),
        lambda form: reverse("statement-take", args=[name, form]),
        lambda taker: reverse(taker, args=["statement", name]),
    )
    room = bool(about.state.get("room"))
    return {**leading(shown, about.base, places, room=room, may_take=seat.person.may_edit), **shown}
