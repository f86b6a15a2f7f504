"""What can be done to statements: load definitions, run one, change a line or column, undo."""

from __future__ import annotations

import copy
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Any

from django.db import transaction

from rulka.core.book import Fence, View
from rulka.core.computed import Computed
from rulka.core.definitions import StatementDef
from rulka.core.errors import NotFound, RulkaError, RulkaErrors, one_of
from rulka.core.expressions import parse_formula, renamed
from rulka.core.footing import Check, footing
from rulka.core.freezing import frozen
from rulka.core.naming import check_names
from rulka.core.narrowing import read_narrowing
from rulka.core.nodes import Node, first_node, in_group_currency, nodes_of
from rulka.core.scopes import scope_from
from rulka.core.spans import span_from
from rulka.core.spines import LINE_KINDS, UNLABELLED, LineDef, raw_lines, spine_from
from rulka.core.statement import run_nodes, run_statement
from rulka.formats.definition_file import check_body, kind_of
from rulka.ledger.models import Ledger
from rulka.ledger.queries import book_of
from rulka.people.models import Person
from rulka.statements.assemble import assemble, find_definition, parts_of
from rulka.statements.models import Definition, DefinitionChange


@dataclass(frozen=True)
class Outcome:
    """A computed statement with its checks."""

    computed: Computed
    checks: list[Check]

    @property
    def foots(self) -> bool:
        return all(check.ok for check in self.checks)


def run(ledger: Ledger, name: str, period: str, node: str, fence: Fence) -> Outcome:
    """Compute a statement as one person may see it."""
    view = book_of(ledger).within(fence)
    computed = run_statement(assemble(find_definition(ledger, "statement", name)), view, view.frame.calendar.period(period), node)
    return Outcome(computed, footing(computed))


PAGES = ("node", "children", "all")
"""For which nodes a statement is run: the one named, it and its children, or it and all below it."""


def run_pages(ledger: Ledger, name: str, period: str, node: str, fence: Fence, *, pages: str = "node") -> list[Outcome]:
    """Compute a statement for several nodes, the whole first."""
    view = book_of(ledger).within(fence)
    statement = assemble(find_definition(ledger, "statement", name))
    at = view.frame.calendar.period(period)
    first = run_statement(statement, view, at, node).node
    known = {found.code: found for found in page_nodes(statement, view)}
    below = [known[code] for code in first.children if code in known]
    todo = list(below) if pages == "all" else []
    while todo:
        inner = [known[code] for code in todo.pop(0).children if code in known]
        below += inner
        todo += inner
    chosen = [first, *(below if pages != "node" else [])]
    return [Outcome(computed, footing(computed)) for computed in run_nodes(statement, view, at, chosen)]


def node_asked(ledger: Ledger, name: str, *, node: str, of: str) -> str:
    """Which node a page shows: the entity chosen for all pages, or `of` where the statement has nodes of its own."""
    return of if has_own_nodes(assemble(find_definition(ledger, "statement", name))) else node


def has_own_nodes(statement: StatementDef) -> bool:
    """Whether a statement's nodes are others than the entities in their own currencies."""
    return statement.scope is not None or statement.currency == "group"


def page_nodes(statement: StatementDef, view: View) -> list[Node]:
    """The nodes a statement can be run for; in the group's currency where it translates."""
    nodes = nodes_of(view, statement.scope)
    return [in_group_currency(node, view) for node in nodes] if statement.currency == "group" else nodes


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
            _change(stored, dict(body), "loaded from a file", person)
            touched.append(stored)
            told.append(f"{kind} {name}: changed")
    for definition in touched:
        check_definition(definition)
    return told


def check_definition(definition: Definition) -> None:
    """Refuse what a schema can't: unreadable selections and formulas, parts that do not exist."""
    body = definition.body
    if definition.kind == "statement":
        statement = assemble(definition)
        if statement.rest:
            check_names(statement.spine).find(statement.rest)
        for column in statement.span.walk():
            if column.kind == "share":
                check_names(statement.spine).find(column.line)
        return
    if definition.kind == "span":
        span_from(body)
        return
    if definition.kind == "scope":
        scope_from(body)
        return
    checked = spine_from(body)
    errors = [error for line in checked.walk() if (error := _line_error(line))]
    if errors:
        raise RulkaErrors(errors, message="Refused, nothing was changed.") if len(errors) > 1 else errors[0]
    check_names(checked)


def _line_error(line: LineDef) -> RulkaError | None:
    try:
        read_narrowing(line.accounts)
        if line.formula:
            parse_formula(line.formula)
    except RulkaError as error:
        error.subject = f"line {line.label}"
        return error
    return None


def _change(definition: Definition, body: dict[str, Any], what: str, person: Person | None) -> None:
    DefinitionChange.objects.create(definition=definition, person=person, what=what, before=definition.body, after=body)
    definition.body = body
    definition.save(update_fields=["body"])


def _keyed(spine: dict[str, Any]) -> dict[str, dict[str, Any]]:
    """Raw lines of a spine body by the key that each has or is given."""
    return {line.key: raw for line, raw in zip(spine_from(spine).walk(), raw_lines(spine["lines"]), strict=True)}


def _required_editor(person: Person) -> None:
    if not person.may_edit:
        raise RulkaError("You may read this statement, not change it.", hint="Ask an accountant.", code="rights")


def change_line(ledger: Ledger, name: str, key: str, values: Mapping[str, str], *, person: Person) -> str:
    """Change label, selection, formula, sign, measure, hiding or total of a line; references follow a new label.

    Empty values fall back to the default. Returns what was changed, in words.
    """
    _required_editor(person)
    with transaction.atomic():
        spine, _ = parts_of(find_definition(ledger, "statement", name))
        body = copy.deepcopy(spine.body)
        keyed = _keyed(body)
        if key not in keyed:
            raise NotFound(f"Line '{key}' does not exist.", hint=one_of(key, keyed), subject="line")
        raw = keyed[key]
        kind = next(kind for kind in LINE_KINDS if kind in raw)
        if kind in UNLABELLED:
            raise RulkaError(f"A {kind} has nothing to change.", subject=f"line {key}")
        told = []
        for field, value in values.items():
            value = value.strip()
            place = kind if field == "label" else field
            former = raw.get(place, "")
            if value == former:
                continue
            if field in ("label", "total") and former:
                for other, line in keyed.items():
                    line.setdefault("key", other)  # keys stay when labels move
                _rename(body, former, value)
                _keep_shares(ledger, spine, former, key, person)
            if value or field == "label":
                raw[place] = value
            else:
                raw.pop(place, None)
            told.append(f"{place} of {former if field == 'label' else raw.get(kind, '')} to {value or 'its default'}")
        _accept(spine, body, told, person)
        run_statement_once(ledger, name)
    return "; ".join(told)


def freeze_line(ledger: Ledger, name: str, key: str, *, period: str, node: str, person: Person | None = None) -> str:
    """Replace an expanding line by a section of fixed lines, those that show at a period for a node."""
    if person is not None:
        _required_editor(person)
    with transaction.atomic():
        spine, _ = parts_of(find_definition(ledger, "statement", name))
        body = copy.deepcopy(spine.body)
        computed = run(ledger, name, period, node, Fence()).computed
        keyed = _keyed(body)
        if key not in keyed:
            raise NotFound(f"Line '{key}' does not exist.", hint=one_of(key, keyed), subject="line")
        raw = keyed[key]
        section = frozen(computed, raw, key)
        raw.clear()
        raw.update(section)
        told = f"{section['section']} frozen into {len(section['lines'])} lines"
        _accept(spine, body, [told], person)
        run_statement_once(ledger, name)
    return told


def _keep_shares(ledger: Ledger, spine: Definition, old: str, key: str, person: Person) -> None:
    """Shares of the renamed line, in every span that stands beside this spine, name it by its key from now on."""
    statements = [d for d in Definition.objects.filter(ledger=ledger, kind="statement") if d.body["spine"] == spine.name]
    for name in {statement.body["span"] for statement in statements}:
        span = find_definition(ledger, "span", name)
        body = copy.deepcopy(span.body)
        columns = [inner for column in body["columns"] for inner in (column, *column.get("columns", ()))]
        sharing = [column for column in columns if column.get("line", "").casefold() == old.casefold()]
        for column in sharing:
            column["line"] = key
        if sharing:
            _change(span, body, f"line of a share to {key}", person)


def _rename(body: dict[str, Any], old: str, new: str) -> None:
    for line in raw_lines(body["lines"]):
        for field in ("formula", "holds"):
            if line.get(field):
                line[field] = renamed(line[field], old, new)
        if line.get("agree"):
            line["agree"] = [new if label.casefold() == old.casefold() else label for label in line["agree"]]


def change_column(ledger: Ledger, name: str, key: str, values: Mapping[str, str], *, person: Person) -> str:
    """Change heading, scenario, window, shift or measure of a column."""
    _required_editor(person)
    with transaction.atomic():
        _, span = parts_of(find_definition(ledger, "statement", name))
        body = copy.deepcopy(span.body)
        raw = next((column for column in body["columns"] if column["column"] == key), None)
        if raw is None:
            raise NotFound(f"Column '{key}' does not exist.", subject="column")
        told = []
        for field, value in values.items():
            value = value.strip()
            if value == raw.get(field, ""):
                continue
            if value:
                raw[field] = value
            else:
                raw.pop(field, None)
            told.append(f"{field} of column {key} to {value or 'its default'}")
        _accept(span, body, told, person)
        run_statement_once(ledger, name)
    return "; ".join(told)


def _accept(definition: Definition, body: dict[str, Any], told: list[str], person: Person | None) -> None:
    if not told:
        return
    errors = check_body(body)
    if errors:
        raise RulkaErrors(errors, message="Refused, nothing was changed.") if len(errors) > 1 else errors[0]
    _change(definition, body, "; ".join(told), person)
    check_definition(definition)


def run_statement_once(ledger: Ledger, name: str) -> None:
    """Refuse a change after which the statement can't be computed (circles, unknown names and scenarios)."""
    view = book_of(ledger).within(Fence())
    statement = assemble(find_definition(ledger, "statement", name))
    run_statement(statement, view, view.frame.calendar.periods[-1], first_node(view).code)


def last_change(ledger: Ledger, name: str, person: Person) -> DefinitionChange | None:
    """The change that undo would take back: the person's latest on this statement that still stands."""
    statement = find_definition(ledger, "statement", name)
    parts = [statement, *parts_of(statement)]
    return DefinitionChange.objects.filter(definition__in=parts, person=person, undone=False).select_related("definition").first()


def undo(ledger: Ledger, name: str, *, person: Person) -> str:
    """Take back the person's latest change; refused when somebody changed the same part since."""
    _required_editor(person)
    with transaction.atomic():
        change = last_change(ledger, name, person)
        if change is None:
            raise RulkaError("There is nothing to undo.", code="nothing-to-undo")
        definition = change.definition
        if definition.body != change.after:
            raise RulkaError(
                f"Somebody else changed the {definition.kind} {definition.name} since.", hint="Change it back by hand.", code="changed-since"
            )
        definition.body = change.before
        definition.save(update_fields=["body"])
        change.undone = True
        change.save(update_fields=["undone"])
    return change.what


__all__ = ["Outcome", "assemble", "change_column", "change_line", "last_change", "load_definitions", "run", "undo"]
