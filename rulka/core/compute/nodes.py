"""Nodes: whose figures are shown, found in a scope or among the entities, always inside the reader's fence."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Set
from dataclasses import dataclass, field, replace

import numpy as np

from rulka.core.books.book import View
from rulka.core.books.chart import BoolArray, CodeList, Item
from rulka.core.books.frame import Frame
from rulka.core.books.narrowing import codes_of, entities_of
from rulka.core.definitions.scopes import NodeDef, ScopeDef
from rulka.core.errors import NotFound, RulkaError, one_of

WHOLE = "group"
"""The node that is every entity of the ledger."""

REST = ".rest"
"""Ends the code of what a node holds and none of its children does: of an entity, its own books."""


@dataclass(frozen=True)
class Node:
    """Whose figures are shown.

    `entities` are those it reaches; `members` those that belong to it, also without anything booked; `keys` `(keys,)`
    its visible posting keys; `currency` and `digits` that of its figures; `children` the codes of the nodes below it;
    `by` names what tells its keys from others: entity, partner, dimensions.
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
    by: frozenset[str] = frozenset({"entity"})

    @property
    def is_mixed(self) -> bool:
        """Whether its entities keep different currencies."""
        return len(self.currencies) > 1


def nodes_of(view: View, scope: ScopeDef | None = None, *, translated: bool = False) -> list[Node]:
    """Every node with anything inside the fence, each before its children.

    Without a scope the nodes are the entities and, last, the whole group. What a node holds and none of its children
    does follows them as a node of its own (`100.rest`), where anything was ever booked there. The books of an entity
    that has entities below it follow it likewise. With `translated`, what translation leaves counts as booked.
    """
    return view.kept(("nodes", scope, translated), lambda: _find_nodes(view, scope, translated))


def _find_nodes(view: View, scope: ScopeDef | None, translated: bool) -> list[Node]:
    if scope is None:
        return _entity_nodes(view)
    booked = view.ever_booked("actual", translated=translated)
    everything = np.ones(len(view.keys), dtype=bool)
    grows = Counter(node.grow for node in scope.walk() if node.grow)
    grower = _Grower(view, booked, {name for name, count in grows.items() if count > 1})
    whole = _Cut("", "", everything, view.visible_entities(), -1, frozenset())
    return [node for definition in scope.nodes for node in grower.grown(definition, whole)]


def _entity_nodes(view: View) -> list[Node]:
    frame, seen = view.frame, view.visible_entities()
    found = []
    for item in frame.entities.items:
        mask = np.zeros(len(frame.entities), dtype=bool)
        mask[frame.entities.below[item.code]] = True
        if (mask & seen).any():
            children = tuple(other.code for other in frame.entities.items if other.parent == item.code)
            alone = _alone(view, item) if children else None
            found.append(_entity_node(view, item.code, item.name, mask, (*children, alone.code) if alone else children))
            found += [alone] if alone else []
    tops = tuple(item.code for item in frame.entities.items if not item.parent)
    if WHOLE not in frame.entities.index:
        found.append(_entity_node(view, WHOLE, frame.name, np.ones(len(frame.entities), dtype=bool), tops))
    return found


def _alone(view: View, item: Item) -> Node | None:
    """An entity that has others below it, by its own books; None where it has none or another entity bears that
    code."""
    mask = np.zeros(len(view.frame.entities), dtype=bool)
    mask[view.frame.entities.index[item.code]] = True
    if item.code + REST in view.frame.entities.index or not (view.keys_of(mask) & view.was_booked).any():
        return None
    return _entity_node(view, item.code + REST, f"{item.name} alone", mask, ())


def _entity_node(view: View, code: str, name: str, mask: BoolArray, children: tuple[str, ...]) -> Node:
    return _with_currency(view, Node(code, name, mask, "", 2, mask, view.keys_of(mask), 0, children))


def _with_currency(view: View, node: Node) -> Node:
    frame = view.frame
    places = np.flatnonzero(node.entities)
    currencies = tuple(sorted({frame.currencies[place] for place in places}))
    if len(currencies) == 1:
        return replace(node, currency=currencies[0], digits=int(frame.digits[places[0]]), currencies=currencies)
    return replace(node, currency=frame.group_currency, digits=frame.group_digits, currencies=currencies)


class _Grower:
    """Grows the nodes of a scope; `booked` are the posting keys that make a node, `repeated` what nodes grow from in
    several places, where the code of what they grow in goes before theirs."""

    def __init__(self, view: View, booked: BoolArray, repeated: Set[str]) -> None:
        self.view, self.booked, self.repeated = view, booked, repeated

    def grown(self, definition: NodeDef, outer: _Cut) -> Iterator[Node]:
        """The nodes of a definition within what stands above it."""
        view = self.view
        if definition.grow:
            codes = codes_of(definition.grow, view.frame)
            for item in codes.items:
                if not item.parent and item.code != "-":
                    yield from self._of_members(definition, codes, item.code, outer, outer.depth + 1)
            return
        narrowing = definition.of
        mask, members = outer.keys & view.mask(narrowing).keys, outer.members & entities_of(narrowing, view.frame)
        by = outer.by | narrowing.names
        cut = _Cut(definition.code, definition.name, mask, members, outer.depth + 1, by)
        yield from self._with_rest(cut, self._below(definition, cut))

    def _below(self, definition: NodeDef, cut: _Cut) -> list[Node]:
        return [node for inner in definition.nodes for node in self.grown(inner, cut)]

    def _of_members(self, definition: NodeDef, codes: CodeList, code: str, outer: _Cut, depth: int) -> Iterator[Node]:
        """The node of a member, then those of the members below it, or of what grows within it where there are none."""
        name = definition.grow
        chosen = np.zeros(len(codes), dtype=bool)
        chosen[codes.below[code]] = True
        keys = self.view.keys
        mask = outer.keys & (
            chosen[keys.entity]
            if name == "entity"
            else keys.with_member(list(self.view.frame.dimensions).index(name), chosen)
        )
        members = outer.members & chosen if name == "entity" else outer.members
        known, title = self._named(definition, codes[code], outer)
        own = _Cut(known, title, mask, members, depth, outer.by | {name}, is_member=True)
        children = [item.code for item in codes.items if item.parent == code]
        below = [node for child in children for node in self._of_members(definition, codes, child, outer, depth + 1)]
        if children:
            yield from self._with_rest(own, below, definition)
        else:
            yield from self._with_rest(own, self._below(definition, own))

    def _named(self, definition: NodeDef, item: Item, outer: _Cut) -> tuple[str, str]:
        """The code and name of a member's node: after those of the member that it grows in, and of any node where
        others grow from the same."""
        if outer.is_member:
            return f"{outer.code}-{item.code}", f"{outer.name}, {item.name}"
        if outer.code and definition.grow in self.repeated:
            return f"{outer.code}-{item.code}", item.name
        return item.code, item.name

    def _with_rest(self, cut: _Cut, below: list[Node], within: NodeDef | None = None) -> Iterator[Node]:
        """The node itself, then its children, then a node for what no child holds, with what grows `within` that.

        Department 100 has the children 110 and 120. Lines that name 100 itself belong to neither, so they stand in
        `100.rest`, called "100, not elsewhere". A node in which nothing was booked inside the fence is left out.
        """
        if not (cut.keys & self.booked).any():
            return
        children = tuple(node.code for node in below if node.depth == cut.depth + 1)
        covered = np.zeros(len(cut.keys), dtype=bool)
        for node in below:
            covered |= node.keys
        rest = cut.keys & ~covered
        has_rest = bool(below) and bool((rest & self.booked).any())
        yield _node_of(self.view, cut, (*children, cut.code + REST) if has_rest else children)
        yield from below
        if has_rest:
            by = cut.by.union(*(node.by for node in below))
            name = f"{cut.name}, not elsewhere"
            own = _Cut(cut.code + REST, name, rest, cut.members, cut.depth + 1, by)
            inner = self._below(within, replace(own, is_member=True)) if within is not None else []
            yield from self._with_rest(own, inner) if inner else (_node_of(self.view, own, ()),)


@dataclass(frozen=True, eq=False)
class _Cut:
    """What becomes a node: its keys, the entities that belong to it, by what it was cut out, and whether it grew."""

    code: str
    name: str
    keys: BoolArray
    members: BoolArray
    depth: int
    by: frozenset[str]
    is_member: bool = False


def _node_of(view: View, cut: _Cut, children: tuple[str, ...]) -> Node:
    entities = np.zeros(len(view.frame.entities), dtype=bool)
    entities[view.keys.entity[cut.keys]] = True
    node = Node(cut.code, cut.name, entities, "", 2, cut.members, cut.keys, cut.depth, children, by=cut.by)
    return _with_currency(view, node)


def in_group_currency(node: Node, view: View) -> Node:
    """The node with its figures in the group's currency."""
    return replace(node, currency=view.frame.group_currency, digits=view.frame.group_digits)


def find_node(view: View, code: str = "", scope: ScopeDef | None = None, *, translated: bool = False) -> Node:
    """A node by its code; without one the first entity, or the first node of the scope.

    Refused when its entities keep different currencies and are not translated, or when it lies outside the fence.
    """
    nodes = nodes_of(view, scope, translated=translated)
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
        alone = f" Its own books are node {code + REST}." if code + REST in known else ""
        raise RulkaError(
            f"{node.name} mixes currencies: {', '.join(node.currencies)}.",
            hint=f"Amounts in different currencies can't be added before they are translated; choose an entity, or "
            f"let the statement translate.{alone}",
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


def node_inside(view: View, scope: ScopeDef | None, code: str) -> Node:
    """A node for a column that shows what of the page's node lies inside of it."""
    known = {node.code: node for node in nodes_of(view, scope)}
    if code not in known:
        where = f" in scope {scope.name}" if scope else ""
        raise NotFound(f"Node '{code}' does not exist{where}.", hint=one_of(code, known), subject="node")
    return known[code]


def own_calendar_of(node: Node, frame: Frame, *, translated: bool) -> str:
    """The calendar that all entities of a node keep; empty for the group's."""
    if not frame.entity_calendars:
        return ""
    names = {frame.entity_calendars[place] for place in np.flatnonzero(node.entities)}
    if len(names) > 1:
        told = ", ".join(sorted(name or "the group's" for name in names))
        raise RulkaError(
            f"The companies of {node.name} keep different calendars: {told}.",
            hint="Choose one of them, or the group's calendar.",
        )
    if names and translated and names != {""}:
        raise RulkaError(
            "Books by a calendar of their own aren't translated.", hint="Show the entity in its own currency."
        )
    return names.pop() if names else ""
