"""The nodes that a statement's page can be shown for, the way to the one shown, and nodes side by side."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from rulka.core.books.few import Few
from rulka.core.compute.computed import Computed
from rulka.core.compute.nodes import find_node
from rulka.core.compute.statement import run_nodes
from rulka.formats.output.page import ShownBefore, ShownStatement, show, side_by_side
from rulka.ledger.seat import Seat
from rulka.statements.library.assemble import Definitions
from rulka.statements.running.runs import RunOutcome, has_own_nodes, node_asked, page_nodes, run_pages

MOST_BESIDE = 8
"""Nodes that stand beside another at most."""

_SHOWN: Few[ShownBefore] = Few(40)
"""What was shown last of some pages."""


@dataclass(frozen=True)
class NodeChoice:
    """A node that a page can be shown for; `why` says why it can't."""

    code: str
    name: str
    depth: int
    why: str
    chosen: bool
    beside: bool = False


@dataclass(frozen=True)
class NodeChoices:
    """The nodes to choose from, by the name of an address's field; the `path` down to the one shown, the codes of its
    neighbours, into which currency the statement could be translated, and what an address of nodes keeps."""

    field: str
    choices: list[NodeChoice]
    path: list[NodeChoice]
    back: str
    on: str
    several: bool
    translates_into: str
    kept: dict[str, str]


def node_choices(seat: Seat, outcome: RunOutcome) -> NodeChoices:
    """The nodes to choose from, the way down to the one shown, and its neighbours."""
    statement, frame = outcome.computed.statement, seat.view.frame
    translated = statement.currency == "group"
    chosen = outcome.computed.node.code
    beside = beside_of(seat)
    if has_own_nodes(statement):
        own = page_nodes(statement, seat.view)
        nodes = [
            (node.code, node.name, node.depth, "mixed currencies" if node.is_mixed and not translated else "")
            for node in own
        ]
    else:
        nodes = [(code, name, 0, why) for code, name, why in seat.nodes]
    choices = [NodeChoice(code, name, depth, why, code == chosen, code in beside) for code, name, depth, why in nodes]
    able = [choice for choice in choices if not choice.why]
    at = next((place for place, choice in enumerate(able) if choice.chosen), 0)
    could_translate = frame.translation_reserve and not translated and any(choice.why for choice in choices)
    kept = {"ledger": seat.ledger.code, "period": seat.period.code, "node": seat.node, "of": seat.of, "panel": "nodes"}
    return NodeChoices(
        "of" if has_own_nodes(statement) else "node",
        choices,
        _path(choices),
        able[at - 1].code if at else "",
        able[at + 1].code if at + 1 < len(able) else "",
        len(able) > 1,
        frame.group_currency if could_translate else "",
        {name: value for name, value in kept.items() if value or name != "of"},
    )


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


def computed_beside(seat: Seat, outcome: RunOutcome) -> list[Computed]:
    """What stands side by side on the page: its own node first."""
    computed = outcome.computed
    statement, own = computed.statement, computed.node.code
    known = {node.code for node in page_nodes(statement, seat.view)}
    codes = [code for code in beside_of(seat)[:MOST_BESIDE] if code in known and code != own]
    found = [find_node(seat.view, code, statement.scope, translated=statement.currency == "group") for code in codes]
    return [computed, *run_nodes(statement, seat.view, computed.period, found)] if found else [computed]


def shown_with_beside(
    seat: Seat, outcome: RunOutcome, *, hidden: bool, within: Callable[[int], bool]
) -> ShownStatement:
    """The page's texts; with nodes beside it, all of them on one page and in full."""
    every, computed = computed_beside(seat, outcome), outcome.computed
    page = (seat.ledger.pk, computed.statement.name, computed.node.code, computed.period.code, hidden)
    before = _SHOWN.get((page, seat.view.fence), ShownBefore)
    first = show(computed, hidden=hidden, within=None if len(every) > 1 else within, before=before)
    if len(every) == 1:
        return first
    return side_by_side([first, *(show(one, hidden=hidden) for one in every[1:])], [one.node.code for one in every])


def outcomes_of(seat: Seat, definitions: Definitions, pages: str = "node") -> list[RunOutcome]:
    """The runs that a file of the page holds: its node, those beside it, or with `pages` those below; in depth, as
    output shows it."""
    node = node_asked(definitions["statement"], node=seat.node, of=seat.of)

    def run(code: str, pages: str) -> list[RunOutcome]:
        return run_pages(
            definitions, seat.period.code, code, seat.view.fence, person=seat.person, pages=pages, in_depth=True
        )

    found = run(node, pages)
    if pages == "node":
        known = {one.code for one in page_nodes(found[0].computed.statement, seat.view)}
        shown = found[0].computed.node.code
        for code in [code for code in beside_of(seat)[:MOST_BESIDE] if code in known and code != shown]:
            found += run(code, "node")
    return found


def beside_of(seat: Seat) -> list[str]:
    """The codes of the nodes that stand beside the page's."""
    return [code for code in seat.beside.split(",") if code]
