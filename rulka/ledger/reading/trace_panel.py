"""What a panel shows of a trace at any level: parts, lines, an entry; its address is a mapping of row, column, account,
part, rolled, entity, entry, sort, search and page."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any
from urllib.parse import urlencode

from rulka.core.books.book import View
from rulka.core.compute.columns import Column
from rulka.core.compute.computed import Computed
from rulka.core.definitions.expressions import Value
from rulka.core.errors import RulkaError
from rulka.core.money import QUANTITY_DIGITS
from rulka.core.proof.trace import Part, Trace, trace_account, trace_cell, trace_rolled
from rulka.core.values import is_whole, key_in
from rulka.formats.figures import figure_text
from rulka.ledger.models import Ledger
from rulka.ledger.reading.entries import show_entry
from rulka.ledger.reading.tracing import lines_page

State = Mapping[str, str]


@dataclass(frozen=True)
class ShownPart:
    """One part of a trace: text, address that opens it further, share of the largest for its bar."""

    label: str
    amount: str
    query: str
    width: int
    negative: bool


def trace_panel(ledger: Ledger, view: View, computed: Computed, state: State) -> dict[str, Any]:
    """The level of a trace that an address means, ready to be written."""
    if "entry" in state or "part" in state:
        _refuse_former(ledger, view)
    if "entry" in state:
        entry = show_entry(ledger, view, state.get("entity", ""), state["entry"])
        return {"level": "entry", "shown_entry": entry, "crumbs": crumbs_of(computed, state), "wide": True}
    if "row" not in state or "column" not in state:
        return {"level": "none"}
    said = computed.row(state["row"]).texts
    if said:
        entry = show_entry(ledger, view, said["entity"], said["number"])
        return {"level": "entry", "shown_entry": entry, "crumbs": [], "wide": True}
    row, column, account = state["row"], state["column"], state.get("account", "")
    traced = computed.plan.node_of(computed.column(column))
    if "part" in state:
        page = lines_page(
            ledger,
            computed,
            row,
            column,
            account,
            state["part"],
            rolled=state.get("rolled", ""),
            sort=state.get("sort", "newest"),
            search=state.get("search", ""),
            number=key_in(state.get("page", "")) or 1,
        )
        return {
            "traced": traced,
            "level": "lines",
            "lines": page,
            "crumbs": crumbs_of(computed, state),
            "wide": True,
            "sorts": ("newest", "oldest", "largest", "document"),
            "page_base": urlencode({name: value for name, value in state.items() if name != "page"}),
            "entry_base": urlencode(
                {name: value for name, value in state.items() if name not in ("page", "sort", "search")}
            ),
        }
    if is_whole(state.get("rolled", "")):
        trace = trace_rolled(computed, row, column, account, int(state["rolled"]))
    elif account:
        trace = trace_account(computed, row, column, account)
    else:
        trace = trace_cell(computed, row, column)
    return {
        "traced": traced,
        "level": "parts",
        "trace": trace,
        "value": text_of(trace.value, trace.unit, traced.digits),
        "total": text_of(trace.total, trace.unit, traced.digits),
        "parts": _parts(trace, computed, computed.column(column)),
        "crumbs": crumbs_of(computed, state),
        "negative": bool(trace.value and trace.value < 0),
    }


def _refuse_former(ledger: Ledger, view: View) -> None:
    """Journal lines are kept as the ledger is now: below figures of a former revision they are refused."""
    newest = Ledger.objects.values_list("revision", flat=True).get(pk=ledger.pk)
    if view.revision < newest:
        raise RulkaError(
            f"These figures are of revision {view.revision}, the journal lines of revision {newest}.",
            hint="Take the newest figures, then open them.",
            subject="trace",
        )


def text_of(value: Value, unit: str, money_digits: int) -> str:
    """A traced value in full: money to its minor unit, whatever the statement is scaled to."""
    if unit == "percent":
        return figure_text(None if value is None else value * 100, digits=1) + ("" if value is None else " %")
    digits = {"money": money_digits, "quantity": QUANTITY_DIGITS}.get(unit, 4)
    text = figure_text(value, digits=digits)
    return f"{0:.{digits}f}" if value == 0 else text


def _parts(trace: Trace, computed: Computed, column: Column) -> list[ShownPart]:
    unit = "money" if trace.unit in ("percent", "ratio", "rate", "plain") else trace.unit
    largest = max((abs(part.value) for part in trace.parts if part.value is not None), default=0) or 1
    shown = []
    for part in trace.parts:
        row_unit = (
            next((row.unit for row in computed.rows if row.key == part.row), unit)
            if part.kind in ("row", "column")
            else unit
        )
        label = f"less {part.label}" if part.adds < 0 and trace.unit != "percent" else part.label
        width = 0 if part.value is None else int(abs(part.value) / largest * 100)
        digits = computed.plan.node_of(computed.column(part.column) if part.column else column).digits
        shown.append(
            ShownPart(
                label, text_of(part.value, row_unit, digits), _address(part), width, bool(part.value and part.value < 0)
            )
        )
    return shown


def _address(part: Part) -> str:
    if (
        part.kind == "rest"
        or (part.kind == "row" and not part.row)
        or (part.kind == "component" and not part.component)
    ):
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


def known_crumbs(computed: Computed, state: State) -> list[tuple[str, str]]:
    """The way back from a refused step, empty where the address itself is unknown."""
    rows, columns = {row.key for row in computed.rows}, {column.key for column in computed.columns}
    known = state.get("row") in rows and state.get("column") in columns
    return crumbs_of(computed, state) if known else []


def crumbs_of(computed: Computed, state: State) -> list[tuple[str, str]]:
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
            crumbs.append(
                (f"Result of FY{state['rolled']}", urlencode({**where, "account": parent, "rolled": state["rolled"]}))
            )
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
