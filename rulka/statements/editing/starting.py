"""Beginning a statement: it is there from the first moment; what it is, its columns, its pages and its name are chosen
on it."""

from __future__ import annotations

from collections.abc import Callable

from django.db import transaction

from rulka.core.books.book import View
from rulka.core.compute.computed import Computed
from rulka.core.definitions.keys import slug
from rulka.core.edits.starting import (
    KINDS,
    SHOWS_BALANCES,
    WITHIN,
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
from rulka.statements.editing.edit import Action, Asked, Parts, state_of
from rulka.statements.library.assemble import free_name
from rulka.statements.library.opening import open_definition, open_statement, seen_definitions
from rulka.statements.library.shelves import EDIT, required_editor
from rulka.statements.library.storing import entry, reserve, state_in, write
from rulka.statements.models import Definition, Edit

FIRST = "income by nature"


def begin(ledger: Ledger, view: View, person: Person) -> Definition:
    """A statement that was begun: proposed lines and columns, not named yet."""
    required_editor(person)
    pattern = natural_pattern(FIRST, view.frame)
    with transaction.atomic():
        made = reserve(ledger, "statement", "new-statement")
        spine, span = (reserve(ledger, kind, made.name, owner=made) for kind in ("spine", "span"))
        edit = entry(ledger, made, person, "begun")
        write(spine, state_in(ledger, start_spine(FIRST, spine.name, view.frame)), edit)
        write(span, state_in(ledger, start_span(pattern, span.name, view.frame)), edit)
        state = {"title": "New statement", "begun": {"as": FIRST, "columns": pattern}, **_figures(FIRST)}
        write(made, state | {"spine": spine.pk, "span": span.pk}, edit)
    return made


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
    begun = statement.setdefault("begun", {})
    if kind.startswith("from "):
        return _start_from(parts, kind.removeprefix("from "), begun)
    sources = sources_of(parts.view) if kind == "cash roll-forward" else ()
    text = start_spine(kind, parts.definitions["spine"].name, parts.view.frame, sources)
    spine.clear()
    spine.update(state_in(parts.statement.ledger, text))
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
    opened = open_statement(parts.statement.ledger, name, person=parts.person)
    model = opened["statement"]
    for kind in ("spine", "span"):
        state = parts.change(kind)
        state.clear()
        state.update(state_of(opened[kind]))
    statement, theirs = parts.change("statement"), state_of(model)
    for setting in ("figures", "currency", "scope", "subtitle", "page"):
        statement.pop(setting, None)
        if setting in theirs:
            statement[setting] = theirs[setting]
    begun.update({"as": f"from {name}"})
    begun.pop("columns", None)
    return Edited(f"begun from {model.title}")


def start_columns(parts: Parts, asked: Asked, now: Callable[[], Computed]) -> Edited:
    """Columns of a ready pattern."""
    pattern = asked.get("value", "")
    _columns(parts, pattern)
    parts.change("statement").setdefault("begun", {})["columns"] = pattern
    return Edited(f"columns: {patterns_for(parts.view.frame)[pattern]}")


def _columns(parts: Parts, pattern: str) -> None:
    span = parts.change("span")
    begun_as = parts.change("statement").get("begun", {}).get("as", "")
    text = start_span(pattern, parts.definitions["span"].name, parts.view.frame, begun_as)
    span.clear()
    span.update(state_in(parts.statement.ledger, text))


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
        name = f"{parts.statement.name}-by-{slug(grow)}"
        text = start_scope(grow, name, parts.view.frame, now().node.code)
        statement["scope"] = parts.make("scope", name, state_in(parts.statement.ledger, text)).pk
        return Edited(f"pages by {grow.replace(WITHIN, ' and ')}")
    if value:
        scope = open_definition(parts.statement.ledger, "scope", value, person=parts.person)
        statement["scope"] = scope.pk
        return Edited(f"pages for {scope.title}")
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
        definitions = open_statement(ledger, name, person=person, level=EDIT)
        statement = definitions["statement"]
        if "begun" not in statement.body:
            raise NotFound(f"{statement.title} has its name already.", hint="Change its title instead.", subject="name")
        if any(
            other.title.casefold() == title.casefold()
            for other in seen_definitions(ledger, person, "statement")
            if other.pk != statement.pk
        ):
            raise RulkaError(f"Another statement is called '{title}'.", hint="Choose another name.", subject="name")
        own = [part for part in definitions.values() if part.owner_id == statement.pk]
        for definition in (statement, *own):
            definition.name = free_name(ledger, definition.kind, title)
            definition.save(update_fields=["name"])
        edit = entry(ledger, statement, person, f"named {title}", Edit.State.DONE)
        for part in own:
            write(part, state_of(part) | {"title": title}, edit)
        state = state_of(statement) | {"title": title}
        del state["begun"]
        write(statement, state, edit)
    return statement.name
