"""What the side panel shows for an address: a line, a column, a trace at any level, or the footing."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any
from urllib.parse import urlencode

import numpy as np
from django.http import QueryDict

from rulka.core.book import MEASURES
from rulka.core.computed import Computed
from rulka.core.errors import RulkaError
from rulka.core.expressions import Value
from rulka.core.leaves import sign_of
from rulka.core.money import QUANTITY_DIGITS
from rulka.core.spines import HIDING, SIGNS
from rulka.core.trace import Part, Trace, trace_account, trace_cell, trace_rolled
from rulka.core.windows import WINDOWS
from rulka.formats.present import figure_text
from rulka.ledger.seat import Seat
from rulka.ledger.tracing import lines_page, show_entry
from rulka.statements.assemble import find_definition, parts_of
from rulka.statements.services import Outcome

TABS = ("line", "column", "trace", "footing")
STATE = ("panel", "row", "column", "account", "part", "rolled", "entity", "entry", "sort", "search", "page")


@dataclass(frozen=True)
class ShownPart:
    """One part of a trace: text, address that opens it further, share of the largest for its bar."""

    label: str
    amount: str
    query: str
    width: int
    negative: bool


def panel_context(seat: Seat, outcome: Outcome, asked: QueryDict, **extra: Any) -> dict[str, Any]:
    """Template and context of the panel; `asked` holds the address, see STATE."""
    state = {name: str(asked[name]) for name in STATE if asked.get(name)}
    kept: dict[str, str] = {name: state[name] for name in ("row", "column") if name in state}
    kind = state.get("panel", "")
    if kind not in TABS:
        kind = "footing" if not outcome.foots else "start"
    context: dict[str, Any] = {
        "panel": kind,
        "state": state,
        "tabs": [(tab, tab.capitalize(), urlencode({**kept, "panel": tab})) for tab in TABS],
        "outcome": outcome,
        "seat": seat,
    }
    build = {"line": _line, "column": _column, "trace": _trace, "footing": _footing, "start": _footing}[kind]
    try:
        context.update(build(seat, outcome.computed, state))
    except RulkaError as error:
        context.update({"refused": error, "crumbs": _known_crumbs(outcome.computed, state)})
    return {**context, **extra}


def _footing(seat: Seat, computed: Computed, state: dict[str, str]) -> dict[str, Any]:
    return {"template": "statements/_panel_footing.html"}


def _line(seat: Seat, computed: Computed, state: dict[str, str]) -> dict[str, Any]:
    shown = {"template": "statements/_panel_line.html"}
    if "row" not in state:
        return {**shown, "line": None}
    row = computed.row(state["row"])
    line = computed.line(row.line)
    leaves = computed.planned.by_line.get(line.key, [])
    accounts = computed.view.frame.accounts.items
    matched = [accounts[at] for at in np.flatnonzero(leaves[0].of_line)] if leaves else []
    unsigned = [replace(leaf, line=replace(line, sign="")) for leaf in leaves[:1]]
    return {
        **shown,
        "row": row,
        "line": line,
        "matched": matched[:60],
        "matched_count": len(matched),
        "default_sign": SIGNS[1] if unsigned and sign_of(unsigned[0], None, computed.statement.spine.signs, computed.view) < 0 else SIGNS[0],
        "signs": SIGNS,
        "hiding": HIDING,
        "measures": MEASURES,
    }


def raw_column(body: Mapping[str, Any], key: str) -> dict[str, Any]:
    """A column or series of a span's body by its key, those inside of a series too; empty when there is none."""
    columns = [inner for column in body["columns"] for inner in (column, *column.get("columns", ()))]
    found: dict[str, Any] = next((column for column in columns if key in (column.get("column"), column.get("series"))), {})
    return found


def _column(seat: Seat, computed: Computed, state: dict[str, str]) -> dict[str, Any]:
    shown = {"template": "statements/_panel_column.html"}
    if "column" not in state:
        return {**shown, "column": None}
    column = computed.column(state["column"])
    _, span = parts_of(find_definition(seat.ledger, "statement", computed.statement.name))
    raw = raw_column(span.body, column.asked.key)
    shifts = dict.fromkeys(["", "-1 year", "-2 years", "-1 period", raw.get("shift", "")])
    return {
        **shown,
        "column": column,
        "raw": raw,
        "scenarios": list(computed.view.frame.scenarios),
        "windows": list(dict.fromkeys([*WINDOWS, column.asked.window])),
        "measures": MEASURES,
        "shifts": list(shifts),
    }


# trace --------------------------------------------------------------------------------------------------------------


def _trace(seat: Seat, computed: Computed, state: dict[str, str]) -> dict[str, Any]:
    shown = {"template": "statements/_panel_trace.html"}
    if "entry" in state:
        entry = show_entry(seat.ledger, seat.view, state.get("entity", ""), state["entry"])
        return {**shown, "level": "entry", "shown_entry": entry, "crumbs": _crumbs(computed, state), "wide": True}
    if "row" not in state or "column" not in state:
        return {**shown, "level": "none"}
    said = computed.row(state["row"]).texts
    if said:
        entry = show_entry(seat.ledger, seat.view, said["entity"], said["number"])
        return {**shown, "level": "entry", "shown_entry": entry, "crumbs": [], "wide": True}
    row, column, account = state["row"], state["column"], state.get("account", "")
    if "part" in state:
        page = lines_page(
            seat.ledger, computed, row, column, account, state["part"], rolled=state.get("rolled", ""), sort=state.get("sort", "newest"),
            search=state.get("search", ""), number=int(state["page"]) if state.get("page", "").isdigit() else 1,
        )  # fmt: skip
        return {
            **shown,
            "level": "lines",
            "lines": page,
            "crumbs": _crumbs(computed, state),
            "wide": True,
            "sorts": ("newest", "oldest", "largest", "document"),
            "page_base": urlencode({name: value for name, value in state.items() if name != "page"}),
            "entry_base": urlencode({name: value for name, value in state.items() if name not in ("page", "sort", "search")}),
        }
    if "rolled" in state and state["rolled"].isdigit():
        trace = trace_rolled(computed, row, column, account, int(state["rolled"]))
    elif account:
        trace = trace_account(computed, row, column, account)
    else:
        trace = trace_cell(computed, row, column)
    return {
        **shown,
        "level": "parts",
        "trace": trace,
        "value": text_of(trace.value, trace.unit, computed),
        "total": text_of(trace.total, trace.unit, computed),
        "parts": _parts(trace, computed),
        "crumbs": _crumbs(computed, state),
        "negative": bool(trace.value and trace.value < 0),
    }


def text_of(value: Value, unit: str, computed: Computed) -> str:
    """A traced value in full: money to its minor unit, whatever the statement is scaled to."""
    if unit == "percent":
        return figure_text(None if value is None else value * 100, digits=1) + ("" if value is None else " %")
    digits = {"money": computed.node.digits, "quantity": QUANTITY_DIGITS}.get(unit, 4)
    text = figure_text(value, digits=digits)
    return f"{0:.{digits}f}" if value == 0 else text


def _parts(trace: Trace, computed: Computed) -> list[ShownPart]:
    unit = "money" if trace.unit in ("percent", "ratio", "rate", "plain") else trace.unit
    largest = max((abs(part.value) for part in trace.parts if part.value is not None), default=0) or 1
    shown = []
    for part in trace.parts:
        row_unit = next((row.unit for row in computed.rows if row.key == part.row), unit) if part.kind in ("row", "column") else unit
        label = f"less {part.label}" if part.adds < 0 and trace.unit != "percent" else part.label
        width = 0 if part.value is None else int(abs(part.value) / largest * 100)
        shown.append(ShownPart(label, text_of(part.value, row_unit, computed), _address(part), width, bool(part.value and part.value < 0)))
    return shown


def _address(part: Part) -> str:
    if part.kind == "rest" or (part.kind == "row" and not part.row) or (part.kind == "component" and not part.component):
        return ""
    address = {"panel": "trace", "row": part.row, "column": part.column, "account": part.account}
    kind, _, code = part.component.partition(":")
    if kind == "rolled":
        address["rolled"] = code
    elif part.kind == "rolled account":
        address |= {"part": part.component, "rolled": code}
    elif part.component:
        address["part"] = part.component
    return urlencode({name: value for name, value in address.items() if value})


def _known_crumbs(computed: Computed, state: dict[str, str]) -> list[tuple[str, str]]:
    """The way back from a refused step, empty where the address itself is unknown."""
    rows, columns = {row.key for row in computed.rows}, {column.key for column in computed.columns}
    known = state.get("row") in rows and state.get("column") in columns
    return _crumbs(computed, state) if known else []


def _crumbs(computed: Computed, state: dict[str, str]) -> list[tuple[str, str]]:
    """The way from the figure to here, each step an address."""
    if "row" not in state or "column" not in state:
        return []
    column = computed.column(state["column"])
    where = {"panel": "trace", "row": state["row"], "column": state["column"]}
    window = f", {column.group}" if column.group else ""
    crumbs = [(f"{computed.row(state['row']).label}, {column.heading}{window}", urlencode(where))]
    if "account" in state:
        parent = computed.view.frame.retained_earnings if "rolled" in state and "part" in state else state["account"]
        crumbs.append((parent, urlencode({**where, "account": parent})))
        if "rolled" in state:
            crumbs.append((f"Result of FY{state['rolled']}", urlencode({**where, "account": parent, "rolled": state["rolled"]})))
        if "part" in state:
            label = state["part"].partition(":")[2]
            rolled = {"rolled": state["rolled"]} if "rolled" in state else {}
            crumbs.append(
                (
                    f"{state['account'] if rolled else ''} {label}".strip(),
                    urlencode({**where, "account": state["account"], "part": state["part"], **rolled}),
                )
            )
    if "entry" in state:
        crumbs.append((f"{state.get('entity', '')} {state['entry']}", ""))
    return crumbs
