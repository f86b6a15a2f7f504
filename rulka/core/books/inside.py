"""What lies inside of a node, as bounds."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

from rulka.core.books.fence import Bounds
from rulka.core.books.narrowing import Clause, Narrowing
from rulka.core.books.selection import Selection, SelectionPart, joined, parse_selection
from rulka.core.errors import RulkaError

ALL = SelectionPart("pattern", "*")


def bounds_inside(entities: str, accounts: str, members: Mapping[str, str], narrowings: Iterable[Narrowing]) -> Bounds:
    """Bounds of what some selections and all of some narrowings mean together; raises RulkaError where no selections
    can say that: a node told by partner or journal lines, or one that leaves out what has conditions itself."""
    told: dict[str, list[Selection]] = {}
    for name, text in {"entity": entities, "account": accounts, **members}.items():
        if text.strip():
            told.setdefault(name, []).append(parse_selection(text))
    for narrowing in narrowings:
        for clause in narrowing.clauses:
            told.setdefault(clause.name, []).append(_plain(clause))
    if barred := sorted(set(told) & {"partner", "source", "kind", "counterparty"}):
        raise RulkaError(f"What is told by {barred[0]} bounds nobody.", hint="Choose another node.", subject="node")
    texts = {name: joined(several).text() for name, several in told.items()}
    own = {name: text for name, text in texts.items() if name not in ("entity", "account")}
    return Bounds.written(texts.get("entity", ""), texts.get("account", ""), own)


def _plain(clause: Clause) -> Selection:
    if not clause.negated:
        return clause.selection
    if clause.selection.only or clause.selection.excluded:
        raise RulkaError(
            f"'not {clause.selection.text()}' can't bound anybody.", hint="Say it without conditions.", subject="node"
        )
    return Selection((ALL,), clause.selection.included)
