"""The nodes that a statement's page can be shown for, the way to the one shown, and nodes side by side."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from rulka.core.nodes import find_node
from rulka.core.statement import run_nodes
from rulka.formats.present import ShownStatement, show, side_by_side
from rulka.ledger.seat import Seat
from rulka.statements.services import Outcome, has_own_nodes, page_nodes

MOST_BESIDE = 8
"""Nodes that stand beside another at most."""


@dataclass(frozen=True)
class NodeChoice:
    """A node that a page can be shown for; `why` says why it can't."""

    code: str
    name: str
    depth: int
    why: str
    chosen: bool
    beside: bool = False


def node_choices(seat: Seat, outcome: Outcome) -> dict[str, Any]:
    """The nodes to choose from, the way down to the one shown, and its neighbours."""
    statement = outcome.computed.statement
    chosen = outcome.computed.node.code
    beside = beside_of(seat)
    if has_own_nodes(statement):
        nodes = [(node.code, node.name, node.depth, "") for node in page_nodes(statement, seat.view)]
    else:
        nodes = [(code, name, 0, why) for code, name, why in seat.nodes]
    choices = [NodeChoice(code, name, depth, why, code == chosen, code in beside) for code, name, depth, why in nodes]
    able = [choice for choice in choices if not choice.why]
    at = next((place for place, choice in enumerate(able) if choice.chosen), 0)
    return {
        "node_field": "of" if has_own_nodes(statement) else "node",
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


def shown_with_beside(seat: Seat, outcome: Outcome, *, hidden: bool, within: Callable[[int], bool]) -> ShownStatement:
    """The page's texts; with nodes beside it, all of them on one page and in full."""
    computed = outcome.computed
    statement, own = computed.statement, computed.node.code
    known = {node.code for node in page_nodes(statement, seat.view)}
    codes = [code for code in beside_of(seat)[:MOST_BESIDE] if code in known and code != own]
    first = show(computed, hidden=hidden, within=None if codes else within)
    if not codes:
        return first
    found = [find_node(seat.view, code, statement.scope, translated=statement.currency == "group") for code in codes]
    pages = [show(one, hidden=hidden) for one in run_nodes(statement, seat.view, computed.period, found)]
    return side_by_side([first, *pages], [own, *codes])


def beside_of(seat: Seat) -> list[str]:
    """The codes of the nodes that stand beside the page's."""
    return [code for code in seat.beside.split(",") if code]
