"""Beginning a statement: it is there from the first moment; what it is, its columns, its pages and its name are chosen
on it."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from django.db import transaction

from rulka.core.books.book import View
from rulka.core.compute.computed import Computed
from rulka.core.edits.starting import (
    KINDS,
    SHOWS_BALANCES,
    natural_pattern,
    patterns_for,
    start_scope,
    start_span,
    start_spine,
)
from rulka.core.edits.tree import Edited, Raw
from rulka.core.errors import NotFound, RulkaError
from rulka.ledger.models import Ledger
from rulka.people.models import Person
from rulka.statements.editing.edit import Action, Asked, Parts
from rulka.statements.library.assemble import free_name
from rulka.statements.library.opening import open_definition, open_statement, seen_definitions
from rulka.statements.library.shelves import EDIT, required_editor
from rulka.statements.library.storing import entry, set_body, title_of
from rulka.statements.models import Change, Definition, Edit, Edition, Explanation, SavedVersion

FIRST = "income by nature"


def begin(ledger: Ledger, view: View, person: Person) -> Definition:
    """A statement that was begun: proposed lines and columns, not named yet."""
    required_editor(person)
    pattern = natural_pattern(FIRST, view.frame)
    with transaction.atomic():
        name = free_name(ledger, "statement", "new-statement")
        spine, span = free_name(ledger, "spine", name), free_name(ledger, "span", name)
        edit = entry(ledger, name, person, "begun")
        set_body(ledger, "spine", spine, start_spine(FIRST, spine, view.frame), edit)
        set_body(ledger, "span", span, start_span(pattern, span, view.frame), edit)
        body = {
            "statement": name,
            "title": "New statement",
            "spine": spine,
            "span": span,
            "begun": {"as": FIRST, "columns": pattern},
        }
        set_body(ledger, "statement", name, body | _figures(FIRST), edit)
    return open_definition(ledger, "statement", name, person=person)


def _figures(kind: str) -> Raw:
    """Units a statement starts with: whole thousands for results, to the cent where balances have to tie."""
    exact = kind in ("balance sheet", "cash roll-forward", "trial balance")
    return {"figures": {"unit": "units", "decimals": "2"} if exact else {"unit": "thousands", "decimals": "1"}}


def sources_of(view: View) -> list[str]:
    """The modules that journal lines came from."""
    return list(view.grouped(("source",)).labels["source"])


def start_kind(parts: Parts, asked: Asked, now: Callable[[], Computed]) -> Edited:
    """Other lines: those proposed for what the statement is, or those of an existing one; columns follow while nobody
    chose them."""
    statement, kind = parts.change("statement"), asked.get("value", "")
    spine = parts.change("spine")
    name = spine["spine"]
    begun = statement.setdefault("begun", {})
    if kind.startswith("from "):
        return _start_from(parts, kind.removeprefix("from "), begun)
    body = start_spine(kind, name, parts.view.frame, sources_of(parts.view) if kind == "cash roll-forward" else ())
    spine.clear()
    spine.update(body)
    was = begun.get("as", FIRST)
    former = natural_pattern(was, parts.view.frame)
    begun["as"] = kind
    if begun.get("columns", former) == former:
        begun["columns"] = natural_pattern(kind, parts.view.frame)
        _columns(parts, begun["columns"])
    elif begun.get("columns") and (kind in SHOWS_BALANCES) != (was in SHOWS_BALANCES):
        _columns(parts, begun["columns"])
    statement.update(_figures(kind))
    return Edited(f"begun as {KINDS[kind]}")


def _start_from(parts: Parts, name: str, begun: Raw) -> Edited:
    ledger = parts.definitions["statement"].ledger
    opened = open_statement(ledger, name, person=parts.person)
    model = opened["statement"]
    for kind in ("spine", "span"):
        body = parts.change(kind)
        own = body[kind]
        body.clear()
        body.update(opened[kind].body | {kind: own})
    statement = parts.change("statement")
    for setting in ("figures", "currency", "scope", "subtitle", "page"):
        statement.pop(setting, None)
        if setting in model.body:
            statement[setting] = model.body[setting]
    begun.update({"as": f"from {name}"})
    begun.pop("columns", None)
    return Edited(f"begun from {title_of(model)}")


def start_columns(parts: Parts, asked: Asked, now: Callable[[], Computed]) -> Edited:
    """Columns of a ready pattern."""
    pattern = asked.get("value", "")
    _columns(parts, pattern)
    parts.change("statement").setdefault("begun", {})["columns"] = pattern
    return Edited(f"columns: {patterns_for(parts.view.frame)[pattern]}")


def _columns(parts: Parts, pattern: str) -> None:
    span = parts.change("span")
    body = start_span(pattern, span["span"], parts.view.frame, parts.change("statement").get("begun", {}).get("as", ""))
    span.clear()
    span.update(body)


def start_pages(parts: Parts, asked: Asked, now: Callable[[], Computed]) -> Edited:
    """The whole, or a page for each member of a dimension."""
    grow = asked.get("value", "")
    begun = parts.change("statement").setdefault("begun", {})
    begun.pop("pages", None)
    if grow:
        begun["pages"] = grow
    return use_scope(parts, f"new {grow}" if grow else "", now)


def use_scope(parts: Parts, value: str, now: Callable[[], Computed]) -> Edited:
    """The nodes that a statement has pages for: those of a scope by its name, of a new one (`new department`), or
    entities when empty."""
    statement = parts.change("statement")
    statement.pop("scope", None)
    if value.startswith("new "):
        grow = value.removeprefix("new ")
        body = start_scope(grow, f"{statement['statement']}-by-{grow}", parts.view.frame, now().node.code)
        statement["scope"] = parts.make("scope", body)
        return Edited(f"pages by {grow}")
    if value:
        ledger = parts.definitions["statement"].ledger
        scope = open_definition(ledger, "scope", value, person=parts.person)
        statement["scope"] = scope.name
        return Edited(f"pages for {title_of(scope)}")
    return Edited("one page for an entity")


START_ACTIONS: dict[str, Action] = {
    "start-kind": start_kind,
    "start-columns": start_columns,
    "start-pages": start_pages,
}


def name_statement(ledger: Ledger, name: str, title: str, *, person: Person) -> str:
    """Give a statement that was begun its title, and itself and its own parts names made from it; returns the new
    name."""
    title = title.strip()
    if not title:
        raise RulkaError(
            "A statement needs a name.", hint="Write what it shows, such as 'Income by department'.", subject="name"
        )
    with transaction.atomic():
        statement = open_definition(ledger, "statement", name, person=person, level=EDIT)
        name = statement.name
        if "begun" not in statement.body:
            raise NotFound(
                f"{title_of(statement)} has its name already.", hint="Change its title instead.", subject="name"
            )
        if any(
            title_of(other).casefold() == title.casefold()
            for other in seen_definitions(ledger, person, "statement")
            if other.name != name
        ):
            raise RulkaError(f"Another statement is called '{title}'.", hint="Choose another name.", subject="name")
        names = {("statement", name): free_name(ledger, "statement", title)}
        for kind in ("spine", "span", "scope"):
            part = statement.body.get(kind, "")
            if part.startswith(name):
                names[kind, part] = free_name(ledger, kind, title)
        for (kind, former), new in names.items():
            Definition.objects.filter(ledger=ledger, kind=kind, name=former).update(name=new)
            Change.objects.filter(edit__ledger=ledger, kind=kind, name=former).update(name=new)
        Edit.objects.filter(ledger=ledger, statement=name).update(statement=names["statement", name])
        for kept in (SavedVersion, Edition, Explanation):
            kept.objects.filter(ledger=ledger, statement=name).update(statement=names["statement", name])
        _rename_inside(ledger, names)
        statement = open_definition(ledger, "statement", names["statement", name], person=person)
        body = {key: value for key, value in statement.body.items() if key != "begun"} | {"title": title}
        edit = entry(ledger, statement.name, person, f"named {title}", Edit.State.DONE)
        for kind in ("spine", "span", "scope"):
            if kind in body and (kind, body[kind]) in {(k, n) for (k, _), n in names.items()}:
                part_body = open_definition(ledger, kind, body[kind], person=person).body
                set_body(ledger, kind, body[kind], part_body | {"title": title}, edit)
        set_body(ledger, "statement", statement.name, body, edit)
    return statement.name


def _rename_inside(ledger: Ledger, names: dict[tuple[str, str], str]) -> None:
    """Names inside of bodies and of all that is kept of them, so that undo still knows them."""

    def renamed(body: Any) -> Any:
        if not body:
            return body
        return {key: names.get((key, value), value) if isinstance(value, str) else value for key, value in body.items()}

    for (kind, _), new in names.items():
        for definition in Definition.objects.filter(ledger=ledger, kind=kind, name=new):
            definition.body = renamed(definition.body)
            definition.save(update_fields=["body"])
        for change in Change.objects.filter(edit__ledger=ledger, kind=kind, name=new):
            change.before, change.after = renamed(change.before), renamed(change.after)
            change.save(update_fields=["before", "after"])
    for saved in SavedVersion.objects.filter(ledger=ledger, statement__in=names.values()):
        saved.bodies = [renamed(body) for body in saved.bodies]
        saved.save(update_fields=["bodies"])
