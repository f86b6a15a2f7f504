"""Definitions as they are stored: checked, written with their history, taken back."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any

from django.db import transaction

from rulka.core.books.frame import Frame
from rulka.core.definitions.known import unknown_in_scope, unknown_in_span, unknown_in_spine
from rulka.core.definitions.naming import check_names
from rulka.core.definitions.scopes import scope_from
from rulka.core.definitions.spans import span_from
from rulka.core.definitions.spines import spine_from
from rulka.core.definitions.statements import StatementDef
from rulka.core.edits.tree import Raw
from rulka.core.errors import RulkaError, together
from rulka.core.values import is_whole
from rulka.formats.definition_file import kind_of
from rulka.ledger.models import Ledger
from rulka.ledger.reading.queries import frame_of
from rulka.people.library import record
from rulka.people.models import Person
from rulka.statements.library.assemble import (
    Definitions,
    Known,
    assemble,
    definitions_of_statement,
    find_definition,
    free_name,
)
from rulka.statements.library.shelves import EDIT, required
from rulka.statements.models import PARTS, Change, Definition, Edit


def entry(
    ledger: Ledger,
    statement: Definition | None,
    person: Person | None,
    what: str,
    state: str = Edit.State.TOLD,
    window: str = "",
) -> Edit:
    """An entry of the history, to which changes are added; `window` names the browser's window it was made in."""
    thing = f"statement {statement.name}" if statement else "part"
    record.note(person, "changed", ledger=ledger.code, thing=thing, detail=what)
    return Edit.objects.create(ledger=ledger, statement=statement, person=person, what=what, state=state, window=window)


def reserve(ledger: Ledger, kind: str, wanted: str, *, owner: Definition | None = None) -> Definition:
    """A definition under a free name, made from one that is wanted; there is nothing in it until `write`. `owner` is
    the statement that it is made for."""
    name = free_name(ledger, kind, wanted)
    return Definition.every.create(ledger=ledger, kind=kind, name=name, body=None, version=0, owner=owner)


def write(definition: Definition, state: Mapping[str, Any] | None, edit: Edit) -> None:
    """Give a definition another state, none to take it out; what it was and what it became is kept. Refused where the
    person of the edit may not edit what stands on the definition's shelf."""
    if edit.person is not None:
        required(edit.person, definition, EDIT)
    definition.version += 1
    Change.objects.create(
        edit=edit, definition=definition, version=definition.version, before=definition.state, after=state
    )
    definition.take(state)
    definition.save(update_fields=["body", *PARTS, "version"])


def state_in(ledger: Ledger, text: Mapping[str, Any]) -> Raw:
    """What a definition's file says without its name, and its parts by their keys; refuses parts that don't exist."""
    kind = kind_of(text)
    parts = PARTS if kind == "statement" else ()
    return {
        name: find_definition(ledger, name, value).pk if name in parts else value
        for name, value in text.items()
        if name != kind
    }


@transaction.atomic
def load_definitions(ledger: Ledger, texts: Iterable[Mapping[str, Any]], *, person: Person | None = None) -> list[str]:
    """Store checked texts, all or none; says what was new, changed or the same."""
    told: dict[int, str] = {}
    touched = []
    every = list(enumerate(texts))
    for at, text in sorted(every, key=lambda pair: kind_of(pair[1]) == "statement"):  # statements find their parts
        kind = kind_of(text)
        name = text[kind]
        state = state_in(ledger, text)
        stored = Definition.every.filter(ledger=ledger, kind=kind, name=name).first()
        if stored is None:
            stored = Definition(ledger=ledger, kind=kind, name=name)
            stored.take(state)
            stored.save()
            told[at] = f"{kind} {name}: new"
        elif stored.state == state:
            told[at] = f"{kind} {name}: same"
            continue
        else:
            told[at] = f"{kind} {name}: {'new' if stored.is_gone else 'changed'}"
            statement = stored if kind == "statement" else None
            write(stored, state, entry(ledger, statement, person, "loaded from a file"))
        touched.append(stored)
    frame = frame_of(ledger)
    for definition in touched:
        check_definition(definition, frame)
    return [told[at] for at, _ in every]


def check_statement(statement: StatementDef) -> None:
    """Refuse lines that a statement or its columns name and its spine doesn't have."""
    named = [column.line for column in statement.span.walk() if column.kind == "share"]
    for line in [*filter(None, (statement.rest,)), *named]:
        check_names(statement.spine).find(line)


def check_definition(definition: Definition, frame: Frame) -> None:
    """Refuse what a schema can't: unreadable selections and formulas, parts and names that do not exist."""
    if definition.kind == "statement":
        check_statement(assemble(definitions_of_statement(definition)))
        return
    if definition.kind == "span":
        _refuse(unknown_in_span(span_from(definition.text), frame))
        return
    if definition.kind == "scope":
        _refuse(unknown_in_scope(scope_from(definition.text), frame))
        return
    checked = spine_from(definition.text)
    _refuse(unknown_in_spine(checked, frame))
    check_names(checked)


def _refuse(errors: Iterable[RulkaError]) -> None:
    """Raise what was found, several together."""
    found = list(errors)
    if found:
        raise together(found)


def stamp_of(definitions: Definitions) -> str:
    """What a page shows: the key of each part with its version, so that an edit can tell what it was made on."""
    return " ".join(f"{definition.pk}:{definition.version}" for definition in definitions.values())


def read_stamp(stamp: str) -> dict[int, int]:
    """The version of each part that a stamp names, by its key; refuses what no page wrote."""
    found = [text.split(":") for text in stamp.split()]
    if any(len(parts) != 2 or not all(map(is_whole, parts)) for parts in found):
        raise RulkaError("This page can't be read any more.", hint="Load it again.", code="stamp")
    return {int(key): int(version) for key, version in found}


def take_back(edit: Edit, person: Person, known: Known | None = None) -> Known:
    """Give all that an edit changed the state that it had before; returns these definitions as they are then."""
    changes, found = changes_of(edit, known)
    turn(edit, [(change, change.after, change.before) for change in reversed(changes)], person, "Undone")
    edit.state = Edit.State.UNDONE
    edit.save(update_fields=["state"])
    return found


def changes_of(edit: Edit, known: Known | None = None) -> tuple[list[Change], Known]:
    """What an edit changed, and the definitions that it changed as they are now; some may be known already."""
    changes, found = list(edit.changes.all()), dict(known or {})
    others = {change.definition_id for change in changes} - set(found)
    found |= Definition.every.select_related("ledger").in_bulk(others)
    for change in changes:
        change.definition = found[change.definition_id]
    return changes, found


def turn(edit: Edit, changes: list[tuple[Change, Any, Any]], person: Person, word: str) -> None:
    """Give every definition of an edit its other body, if it still has the one that the edit knows."""
    told = entry(edit.ledger, edit.statement, person, f"{word}: {edit.what}")
    for change, has, becomes in changes:
        definition = change.definition
        if definition.state != has:
            raise RulkaError(
                f"Somebody else changed the {definition.kind} {definition.name} since.",
                hint="Change it back by hand, or restore a version.",
                code="changed-since",
            )
        write(definition, becomes, told)
