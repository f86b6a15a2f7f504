"""Scopes: hierarchies of nodes, as a definition file writes them."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from functools import cached_property
from typing import Any

from rulka.core.books.narrowing import EVERYTHING, Narrowing, parse_narrowing
from rulka.core.errors import RulkaError


@dataclass(frozen=True)
class NodeDef:
    """One node: a narrowing (`of`) within its parent's, or a whole hierarchy grown from a dimension or the entities,
    with what else grows within each of its members."""

    code: str
    name: str = ""
    of: Narrowing = EVERYTHING
    grow: str = ""
    nodes: tuple[NodeDef, ...] = ()


@dataclass(frozen=True)
class ScopeDef:
    name: str
    title: str
    nodes: tuple[NodeDef, ...]

    def __hash__(self) -> int:
        """Kept: nodes and sums of a scope are asked for by it."""
        return self._hash

    @cached_property
    def _hash(self) -> int:
        return hash((self.name, self.title, self.nodes))

    def walk(self) -> Iterator[NodeDef]:
        """Every node as written, parents first."""
        todo = list(reversed(self.nodes))
        while todo:
            node = todo.pop()
            yield node
            todo.extend(reversed(node.nodes))


def scope_from(body: Mapping[str, Any]) -> ScopeDef:
    """Build a scope from a checked mapping; raises on a code that is used twice and on what can't be read."""
    scope = ScopeDef(
        body["scope"], body.get("title", body["scope"]), tuple(_node(raw, body["scope"]) for raw in body["nodes"])
    )
    seen: set[str] = set()
    for node in scope.walk():
        where = f"scope {scope.name}, node {node.code or node.grow}"
        if node.code and node.code in seen:
            raise RulkaError(
                f"The node '{node.code}' is there twice.", hint="Give each node its own code.", subject=where
            )
        seen.add(node.code)
        if node.of.by_line:
            raise RulkaError(
                f"A node can't be narrowed by {node.of.by_line[0].name}.",
                hint="Narrow the line or the column instead.",
                subject=where,
            )
    return scope


def _node(raw: Mapping[str, Any], scope: str, outer: tuple[str, ...] = ()) -> NodeDef:
    """A node with those below it; `outer` is what the nodes that it stands in grew from."""
    if "grow" in raw:
        if raw["grow"] in outer:
            raise RulkaError(
                f"Nodes grow from {raw['grow']} within nodes that grew from {raw['grow']}.",
                hint="Let something else grow within them.",
                subject=f"scope {scope}",
            )
        inner = (*outer, raw["grow"])
        return NodeDef("", grow=raw["grow"], nodes=tuple(_node(one, scope, inner) for one in raw.get("nodes", ())))
    try:
        narrowing = parse_narrowing(raw["of"]) if raw.get("of") else EVERYTHING
    except RulkaError as error:
        error.subject = f"scope {scope}, node {raw['node']}"
        raise
    return NodeDef(
        raw["node"],
        raw.get("name", raw["node"]),
        narrowing,
        nodes=tuple(_node(inner, scope) for inner in raw.get("nodes", ())),
    )
