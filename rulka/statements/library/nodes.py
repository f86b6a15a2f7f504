"""A node of a scope, found by what tells it: what bounds somebody by a node."""

from __future__ import annotations

from collections.abc import Iterator

from rulka.core.books.narrowing import Narrowing, parse_narrowing
from rulka.core.definitions.scopes import NodeDef, scope_from
from rulka.ledger.models import Ledger
from rulka.statements.models import Definition


def node_of_scope(ledger: Ledger, scope: str, code: str) -> tuple[Narrowing, ...] | None:
    """By what a node of a scope is told as it is now, from the outermost on; None where it is gone, or where several
    nodes bear that code."""
    stored = Definition.objects.filter(ledger=ledger, kind="scope", name=scope).first()
    if stored is None:
        return None
    paths = [path for top in scope_from(stored.text).nodes for path in _paths(ledger, top, code, ())]
    return paths[0] if len(paths) == 1 else None


def _paths(ledger: Ledger, node: NodeDef, code: str, above: tuple[Narrowing, ...]) -> Iterator[tuple[Narrowing, ...]]:
    if node.grow:
        if _is_member(ledger, node.grow, code):
            yield (*above, parse_narrowing(f'{node.grow}: under:"{code}"'))
        return
    path = (*above, node.of) if node.of else above
    if node.code == code:
        yield path
    for inner in node.nodes:
        yield from _paths(ledger, inner, code, path)


def _is_member(ledger: Ledger, name: str, code: str) -> bool:
    if name == "entity":
        return bool(ledger.entities.filter(code=code).exists())
    return bool(ledger.members.filter(dimension=name, code=code).exists())
