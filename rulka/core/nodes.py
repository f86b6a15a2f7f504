"""Nodes: whose figures are shown, found in a scope or among the entities, always inside the reader's fence."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field, replace

import numpy as np

from rulka.core.book import View
from rulka.core.chart import BoolArray, CodeList
from rulka.core.errors import NotFound, RulkaError, one_of
from rulka.core.narrowing import codes_of, entities_of, read_narrowing
from rulka.core.scopes import NodeDef, ScopeDef

WHOLE = "group"
"""The node that is every entity of the ledger."""

REST = ".rest"
"""Ends the code of what a node holds and none of its children does."""


@dataclass(frozen=True)
class Node:
    """Whose figures are shown.

    `entities` are those it reaches; `members` those that belong to it, also without anything booked; `keys` `(keys,)`
    its visible posting keys; `currency` and `digits` that of its figures; `children` the codes of the nodes below it.
    """

    code: str
    name: str
    entities: BoolArray
    currency: str
    digits: int
    members: BoolArray
    keys: BoolArray = field(default_factory=lambda: np.zeros(0, dtype=bool))
    depth: int = 0
    children: tuple[str, ...] = ()
    currencies: tuple[str, ...] = ()

    @property
    def is_mixed(self) -> bool:
        """Whether its entities keep different currencies."""
        return len(self.currencies) > 1


def nodes_of(view: View, scope: ScopeDef | None = None) -> list[Node]:
    """Every node with anything inside the fence, parents first; without a scope the entities and, last, the whole group.

    What a node holds beyond its children follows them as a node of its own, where it holds anything.
    """
    return view.book.kept(("nodes", scope, repr(view.fence)), lambda: _find_nodes(view, scope))


def _find_nodes(view: View, scope: ScopeDef | None) -> list[Node]:
    if scope is None:
        return _entity_nodes(view)
    return [node for definition in scope.nodes for node in _grown(view, definition, view.inside, view.visible_entities(), 0)]


def _entity_nodes(view: View) -> list[Node]:
    frame, seen = view.frame, view.visible_entities()
    found = []
    for item in frame.entities.items:
        mask = np.zeros(len(frame.entities), dtype=bool)
        mask[frame.entities.below[item.code]] = True
        if (mask & seen).any():
            children = tuple(other.code for other in frame.entities.items if other.parent == item.code)
            found.append(_entity_node(view, item.code, item.name, mask, children))
    tops = tuple(item.code for item in frame.entities.items if not item.parent)
    if WHOLE not in frame.entities.index:
        found.append(_entity_node(view, WHOLE, frame.name, np.ones(len(frame.entities), dtype=bool), tops))
    return found


def _entity_node(view: View, code: str, name: str, mask: BoolArray, children: tuple[str, ...]) -> Node:
    return _with_currency(view, Node(code, name, mask, "", 2, mask, view.node_keys(mask), 0, children))


def _with_currency(view: View, node: Node) -> Node:
    frame = view.frame
    places = np.flatnonzero(node.entities)
    currencies = tuple(sorted({frame.currencies[place] for place in places}))
    if len(currencies) == 1:
        return replace(node, currency=currencies[0], digits=int(frame.digits[places[0]]), currencies=currencies)
    return replace(node, currency=frame.group_currency, digits=frame.group_digits, currencies=currencies)


def _grown(view: View, definition: NodeDef, within: BoolArray, members: BoolArray, depth: int) -> Iterator[Node]:
    if definition.grow:
        codes = codes_of(definition.grow, view.frame)
        for item in codes.items:
            if not item.parent and item.code != "-":
                yield from _member_nodes(view, definition.grow, codes, item.code, within, members, depth)
        return
    narrowing = read_narrowing(definition.of)
    mask, members = within & view.book.mask(narrowing).keys, members & entities_of(narrowing, view.frame)
    below = [node for inner in definition.nodes for node in _grown(view, inner, mask, members, depth + 1)]
    yield from _with_rest(view, definition.code, definition.name, mask, members, below, depth)


def _member_nodes(view: View, name: str, codes: CodeList, code: str, within: BoolArray, members: BoolArray, depth: int) -> Iterator[Node]:
    chosen = np.zeros(len(codes), dtype=bool)
    chosen[codes.below[code]] = True
    keys = view.book.keys
    mask = within & (chosen[keys.entity] if name == "entity" else chosen[keys.members[:, list(view.frame.dimensions).index(name)]])
    members = members & chosen if name == "entity" else members
    children = [item.code for item in codes.items if item.parent == code]
    below = [node for child in children for node in _member_nodes(view, name, codes, child, within, members, depth + 1)]
    yield from _with_rest(view, code, codes[code].name, mask, members, below, depth)


def _with_rest(view: View, code: str, name: str, mask: BoolArray, members: BoolArray, below: list[Node], depth: int) -> Iterator[Node]:
    """A node, those below it, and what is not elsewhere; nothing where the fence leaves nothing."""
    if not mask.any():
        return
    children = tuple(node.code for node in below if node.depth == depth + 1)
    covered = np.zeros(len(mask), dtype=bool)
    for node in below:
        covered |= node.keys
    rest = mask & ~covered
    has_rest = bool(below) and bool(rest.any())
    yield _node_of(view, code, name, mask, members, depth, (*children, code + REST) if has_rest else children)
    yield from below
    if has_rest:
        yield _node_of(view, code + REST, f"{name}, not elsewhere", rest, members, depth + 1, ())


def _node_of(view: View, code: str, name: str, mask: BoolArray, members: BoolArray, depth: int, children: tuple[str, ...]) -> Node:
    entities = np.zeros(len(view.frame.entities), dtype=bool)
    entities[view.book.keys.entity[mask]] = True
    return _with_currency(view, Node(code, name, entities, "", 2, members, mask, depth, children))


def in_group_currency(node: Node, view: View) -> Node:
    """The node with its figures in the group's currency."""
    return replace(node, currency=view.frame.group_currency, digits=view.frame.group_digits)


def find_node(view: View, code: str = "", scope: ScopeDef | None = None, *, translated: bool = False) -> Node:
    """A node by its code; without one the first entity, or the first node of the scope.

    Refused when its entities keep different currencies and are not translated, or when it lies outside the fence.
    """
    nodes = nodes_of(view, scope)
    known = {node.code: node for node in nodes}
    if not code and nodes:
        first = WHOLE if translated and WHOLE in known else view.frame.first_entity
        code = first if scope is None and first in known else nodes[0].code
    if code not in known:
        raise NotFound(f"Node '{code}' does not exist.", hint=one_of(code, known), subject="node")
    node = known[code]
    if translated:
        return in_group_currency(node, view)
    if node.is_mixed:
        raise RulkaError(
            f"{node.name} mixes currencies: {', '.join(node.currencies)}.",
            hint="Amounts in different currencies can't be added before they are translated; choose an entity, or let the statement translate.",
            subject=f"node {code}",
            code="mixed-currencies",
        )
    return node


def first_node(view: View) -> Node:
    """The first entity that can be shown, in the ledger's own order with the first entity in front."""
    nodes = sorted(nodes_of(view), key=lambda node: (node.code != view.frame.first_entity, node.code == WHOLE))
    if not nodes:
        return find_node(view)
    return next((node for node in nodes if not node.is_mixed), nodes[0])


def keys_of_scope_node(view: View, scope: ScopeDef, code: str) -> BoolArray:
    """The visible posting keys of a node, for a column that shows another node than the page's."""
    known = {node.code: node for node in nodes_of(view, scope)}
    if code not in known:
        raise NotFound(f"Node '{code}' does not exist in scope {scope.name}.", hint=one_of(code, known), subject="node")
    return known[code].keys
