"""A new overview of a statement: its results as key figures, with a bridge, the months of the year and who
contributes."""

from __future__ import annotations

from typing import Any

from rulka.core.compute.rows import Row
from rulka.core.errors import RulkaError
from rulka.ledger.seat import Seat
from rulka.overviews.library.storing import TEXTS
from rulka.overviews.models import Overview
from rulka.statements.library.opening import open_statement
from rulka.statements.running.runs import node_asked, run

MOST_RESULTS = 6


def begin_overview(seat: Seat, statement: str, title: str) -> Overview:
    """Make an overview of a statement that somebody may run."""
    definitions = open_statement(seat.ledger, statement, person=seat.person)
    name = definitions["statement"].name
    node = node_asked(definitions["statement"], node=seat.node, of=seat.of)
    computed = run(definitions, seat.period.code, node, seat.view.fence, seat.person).computed
    results = [row.label for row in computed.rows if row.kind in ("total", "calculation") and _is_money(row)]
    results = results or [row.label for row in computed.rows if row.has_figures and _is_money(row)]
    if not results:
        raise RulkaError("The statement shows no amounts.", hint="Choose another one.", subject="statement")
    wanted = " ".join(title.split())[:120] or f"{computed.statement.title} at a glance"
    chosen = [results[-1], *results[:-1]][:MOST_RESULTS]
    body: dict[str, Any] = {
        "overview": TEXTS.free_name(seat.ledger, wanted), "title": wanted, "of": name, "choose": chosen,
        "pages": [{"tiles": [
            {"tile": "strip", "lines": results[:MOST_RESULTS]},
            {"tile": "bridge", "wide": "8"},
            {"tile": "ranked", "wide": "4"},
            {"tile": "trend", "wide": "12"},
        ]}],
    }  # fmt: skip
    return TEXTS.store(seat.ledger, body, seat.person)[0]


def _is_money(row: Row) -> bool:
    return row.unit == "money" and not row.hidden
