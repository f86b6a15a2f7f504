"""What can be done with statements: run one for a node or several, load definitions from files, check them."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cached_property

from rulka.core.books.book import View
from rulka.core.books.fence import Fence
from rulka.core.compute.computed import Computed
from rulka.core.compute.nodes import Node, find_node, in_group_currency, nodes_of
from rulka.core.compute.statement import run_nodes, run_statement
from rulka.core.definitions.statements import StatementDef
from rulka.core.proof.checks import Check, Verdict, verdict_on
from rulka.core.proof.footing import footing
from rulka.core.proof.placing import Suggestion, suggestions
from rulka.ledger.reading.history import view_at
from rulka.ledger.reading.queries import view_of
from rulka.people.models import Person
from rulka.statements.library.assemble import Definitions, assemble
from rulka.statements.library.shelves import EDIT, depth_on, level_of
from rulka.statements.models import Definition


@dataclass(frozen=True)
class RunOutcome:
    """A computed statement with its checks, and the definitions that it was computed from."""

    computed: Computed
    checks: list[Check]
    definitions: Definitions

    @property
    def verdict(self) -> Verdict:
        """What the checks say together."""
        return verdict_on(self.checks)

    @cached_property
    def suggested(self) -> Sequence[Suggestion]:
        """Where accounts without a place could go."""
        return suggestions(self.computed)


def read_by(definitions: Definitions, person: Person | None) -> StatementDef:
    """A statement as somebody reads it: without detail that its author closed, where they may not edit it; a command
    for nobody reads all."""
    statement = assemble(definitions)
    for_readers = statement.for_readers()
    if for_readers is statement or person is None or level_of(person, definitions["statement"]) >= EDIT:
        return statement
    return for_readers


def view_by(definitions: Definitions, fence: Fence, person: Person | None, revision: int | None = None) -> View:
    """What somebody sees of a statement's ledger behind a fence, as it is or was at a revision: no deeper than the
    statement's shelf lets them get."""
    statement = definitions["statement"]
    deep = fence if person is None else fence.down_to(depth_on(person, statement.shelf_id))
    return view_of(statement.ledger, deep) if revision is None else view_at(statement.ledger, revision, deep)


def run(definitions: Definitions, period: str, node: str, fence: Fence, person: Person | None = None) -> RunOutcome:
    """Compute a statement as one person may see it."""
    view = view_by(definitions, fence, person)
    computed = run_statement(read_by(definitions, person), view, view.frame.calendar.period(period), node)
    return RunOutcome(computed, footing(computed), definitions)


def run_at(definitions: Definitions, view: View, period: str, node: str, person: Person | None) -> Computed:
    """Compute a statement over a view, also of a former revision, as one person may read it."""
    return run_statement(read_by(definitions, person), view, view.frame.calendar.period(period), node)


BLOCK = 8
"""Nodes that are computed between two words of how far it is."""

PAGES = ("node", "children", "all")
"""For which nodes a statement is run: the one named, it and its children, or it and all below it."""


def run_pages(
    definitions: Definitions,
    period: str,
    node: str,
    fence: Fence,
    *,
    person: Person | None = None,
    pages: str = "node",
    in_depth: bool = False,
    tell: Callable[[int, int], None] | None = None,
    revision: int | None = None,
) -> list[RunOutcome]:
    """Compute a statement for several nodes, the whole first; `in_depth` as output shows it, `revision` as it was then.

    `tell` hears (done, of) before each block of nodes and after the last; what it raises ends the run.
    """
    view = view_by(definitions, fence, person, revision)
    statement = read_by(definitions, person)
    statement = statement.in_depth() if in_depth else statement
    at = view.frame.calendar.period(period)
    first = find_node(view, node, statement.scope, translated=statement.currency == "group")
    below: list[Node] = []
    if pages != "node":
        below = (children_of if pages == "children" else all_below)(statement, view, first)
    chosen = [first, *below]
    size = BLOCK if tell else len(chosen)
    outcomes: list[RunOutcome] = []
    for start in range(0, len(chosen), size):
        if tell:
            tell(start, len(chosen))
        computed = run_nodes(statement, view, at, chosen[start : start + size])
        outcomes += [RunOutcome(one, footing(one), definitions) for one in computed]
    if tell:
        tell(len(chosen), len(chosen))
    return outcomes


def children_of(statement: StatementDef, view: View, node: Node) -> list[Node]:
    """The nodes just below one that a statement can be run for."""
    known = {found.code: found for found in page_nodes(statement, view)}
    return [known[code] for code in node.children if code in known]


def all_below(statement: StatementDef, view: View, node: Node) -> list[Node]:
    """All nodes below one, each followed by those below it."""
    return [
        below for child in children_of(statement, view, node) for below in (child, *all_below(statement, view, child))
    ]


def node_asked(statement: Definition, *, node: str, of: str) -> str:
    """Which node a page shows: the entity chosen for all pages, or `of` where the statement has nodes of its own."""
    return of if statement.scope_id or statement.body.get("currency") == "group" else node


def has_own_nodes(statement: StatementDef) -> bool:
    """Whether a statement's nodes are others than the entities in their own currencies."""
    return statement.scope is not None or statement.currency == "group"


def page_nodes(statement: StatementDef, view: View) -> list[Node]:
    """The nodes a statement can be run for; in the group's currency where it translates."""
    nodes = nodes_of(view, statement.scope)
    return [in_group_currency(node, view) for node in nodes] if statement.currency == "group" else nodes
