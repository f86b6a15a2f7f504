"""What can be done with statements: run one for a node or several, load definitions from files, check them."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass
from typing import Any

from django.db import transaction

from rulka.core.book import Fence, View
from rulka.core.computed import Computed
from rulka.core.definitions import StatementDef
from rulka.core.errors import RulkaError, RulkaErrors
from rulka.core.expressions import parse_formula
from rulka.core.footing import Check, Verdict, footing, verdict_on
from rulka.core.known import unknown_in_scope, unknown_in_span, unknown_in_spine
from rulka.core.naming import check_names
from rulka.core.narrowing import read_narrowing
from rulka.core.nodes import Node, find_node, in_group_currency, nodes_of
from rulka.core.scopes import scope_from
from rulka.core.spans import span_from
from rulka.core.spines import LineDef, spine_from
from rulka.core.statement import run_nodes, run_statement
from rulka.formats.definition_file import kind_of
from rulka.ledger.models import Ledger
from rulka.ledger.queries import book_of
from rulka.people.models import Person
from rulka.statements.assemble import assemble, find_definition
from rulka.statements.models import Change, Definition, Edit


@dataclass(frozen=True)
class Outcome:
    """A computed statement with its checks."""

    computed: Computed
    checks: list[Check]

    @property
    def verdict(self) -> Verdict:
        """What the checks say together."""
        return verdict_on(self.checks)


def run(ledger: Ledger, name: str, period: str, node: str, fence: Fence) -> Outcome:
    """Compute a statement as one person may see it."""
    view = book_of(ledger).within(fence)
    computed = run_statement(
        assemble(find_definition(ledger, "statement", name)), view, view.frame.calendar.period(period), node
    )
    return Outcome(computed, footing(computed))


BLOCK = 8
"""Nodes that are computed between two words of how far it is."""

PAGES = ("node", "children", "all")
"""For which nodes a statement is run: the one named, it and its children, or it and all below it."""


def run_pages(
    ledger: Ledger,
    name: str,
    period: str,
    node: str,
    fence: Fence,
    *,
    pages: str = "node",
    in_depth: bool = False,
    tell: Callable[[int, int], None] | None = None,
) -> list[Outcome]:
    """Compute a statement for several nodes, the whole first; `in_depth` as output shows it.

    `tell` hears (done, of) before each block of nodes and after the last; what it raises ends the run.
    """
    view = book_of(ledger).within(fence)
    statement = assemble(find_definition(ledger, "statement", name))
    statement = statement.in_depth() if in_depth else statement
    at = view.frame.calendar.period(period)
    first = find_node(view, node, statement.scope, translated=statement.currency == "group")
    below = (
        []
        if pages == "node"
        else children_of(statement, view, first)
        if pages == "children"
        else all_below(statement, view, first)
    )
    chosen = [first, *below]
    size = BLOCK if tell else len(chosen)
    outcomes: list[Outcome] = []
    for start in range(0, len(chosen), size):
        if tell:
            tell(start, len(chosen))
        outcomes += [
            Outcome(computed, footing(computed))
            for computed in run_nodes(statement, view, at, chosen[start : start + size])
        ]
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
    return of if statement.body.get("scope") or statement.body.get("currency") == "group" else node


def has_own_nodes(statement: StatementDef) -> bool:
    """Whether a statement's nodes are others than the entities in their own currencies."""
    return statement.scope is not None or statement.currency == "group"


def page_nodes(statement: StatementDef, view: View) -> list[Node]:
    """The nodes a statement can be run for; in the group's currency where it translates."""
    nodes = nodes_of(view, statement.scope)
    return [in_group_currency(node, view) for node in nodes] if statement.currency == "group" else nodes


def entry(ledger: Ledger, statement: str, person: Person | None, what: str, state: str = Edit.State.TOLD) -> Edit:
    """An entry of the history, to which changes are added."""
    return Edit.objects.create(ledger=ledger, statement=statement, person=person, what=what, state=state)


def write_body(definition: Definition, body: dict[str, Any], edit: Edit) -> None:
    """Give a definition its new body, with the change kept."""
    definition.version += 1
    Change.objects.create(
        edit=edit,
        kind=definition.kind,
        name=definition.name,
        version=definition.version,
        before=definition.body,
        after=body,
    )
    definition.body = body
    definition.save(update_fields=["body", "version"] if definition.pk else None)


@transaction.atomic
def load_definitions(ledger: Ledger, bodies: Iterable[Mapping[str, Any]], *, person: Person | None = None) -> list[str]:
    """Store checked bodies, all or none; says what was new, changed or the same."""
    told = []
    touched = []
    for body in bodies:
        kind = kind_of(body)
        name = body[kind]
        stored = Definition.objects.filter(ledger=ledger, kind=kind, name=name).first()
        if stored is None:
            touched.append(Definition.objects.create(ledger=ledger, kind=kind, name=name, body=dict(body)))
            told.append(f"{kind} {name}: new")
        elif stored.body == body:
            told.append(f"{kind} {name}: same")
        else:
            write_body(stored, dict(body), entry(ledger, name, person, "loaded from a file"))
            touched.append(stored)
            told.append(f"{kind} {name}: changed")
    for definition in touched:
        check_definition(definition)
    return told


def check_definition(definition: Definition) -> None:
    """Refuse what a schema can't: unreadable selections and formulas, parts that do not exist."""
    body, frame = definition.body, book_of(definition.ledger).frame
    if definition.kind == "statement":
        statement = assemble(definition)
        if statement.rest:
            check_names(statement.spine).find(statement.rest)
        for column in statement.span.walk():
            if column.kind == "share":
                check_names(statement.spine).find(column.line)
        return
    if definition.kind == "span":
        _refuse(unknown_in_span(span_from(body), frame))
        return
    if definition.kind == "scope":
        _refuse(unknown_in_scope(scope_from(body), frame))
        return
    checked = spine_from(body)
    _refuse(error for line in checked.walk() if (error := _line_error(line)))
    _refuse(unknown_in_spine(checked, frame))
    check_names(checked)


def _refuse(errors: Iterable[RulkaError]) -> None:
    """Raise what was found, several together."""
    found = list(errors)
    if found:
        raise RulkaErrors(found, message="Refused, nothing was changed.") if len(found) > 1 else found[0]


def _line_error(line: LineDef) -> RulkaError | None:
    try:
        read_narrowing(line.accounts)
        if line.formula:
            parse_formula(line.formula)
    except RulkaError as error:
        error.subject = f"line {line.label}"
        return error
    return None
