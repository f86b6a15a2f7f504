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
from rulka.statements.library.assemble import Definitions, assemble
from rulka.statements.models import Change, Definition, Edit


def entry(
    ledger: Ledger, statement: str, person: Person | None, what: str, state: str = Edit.State.TOLD, window: str = ""
) -> Edit:
    """An entry of the history, to which changes are added; `window` names the browser's window it was made in."""
    thing = f"statement {statement}" if statement else "part"
    record.note(person, "changed", ledger=ledger.code, thing=thing, detail=what)
    return Edit.objects.create(ledger=ledger, statement=statement, person=person, what=what, state=state, window=window)


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
    frame = frame_of(ledger)
    for definition in touched:
        check_definition(definition, frame)
    return told


def check_statement(statement: StatementDef) -> None:
    """Refuse lines that a statement or its columns name and its spine doesn't have."""
    named = [column.line for column in statement.span.walk() if column.kind == "share"]
    for line in [*filter(None, (statement.rest,)), *named]:
        check_names(statement.spine).find(line)


def check_definition(definition: Definition, frame: Frame) -> None:
    """Refuse what a schema can't: unreadable selections and formulas, parts and names that do not exist."""
    body = definition.body
    if definition.kind == "statement":
        check_statement(assemble(definition))
        return
    if definition.kind == "span":
        _refuse(unknown_in_span(span_from(body), frame))
        return
    if definition.kind == "scope":
        _refuse(unknown_in_scope(scope_from(body), frame))
        return
    checked = spine_from(body)
    _refuse(unknown_in_spine(checked, frame))
    check_names(checked)


def _refuse(errors: Iterable[RulkaError]) -> None:
    """Raise what was found, several together."""
    found = list(errors)
    if found:
        raise together(found)


SHARED = ("spine", "span", "scope")


def title_of(definition: Definition) -> str:
    """A definition's title, its name where it has none."""
    return str(definition.body.get("title", definition.name))


def stamp_of(definitions: Definitions) -> str:
    """What a page shows: each part with its version, so that an edit can tell what it was made on."""
    return " ".join(f"{kind}:{definition.name}:{definition.version}" for kind, definition in definitions.items())


def read_stamp(stamp: str) -> list[tuple[str, str, int]]:
    """(kind, name, version) of each part that a stamp names; refuses what no page wrote."""
    found = [text.split(":") for text in stamp.split()]
    if any(len(parts) != 3 or not is_whole(parts[2]) for parts in found):
        raise RulkaError("This page can't be read any more.", hint="Load it again.", code="stamp")
    return [(kind, name, int(version)) for kind, name, version in found]


def take_back(edit: Edit, person: Person) -> None:
    """Give all that an edit changed the state that it had before."""
    turn(edit, [(change, change.after, change.before) for change in reversed(edit.changes.all())], person, "Undone")
    edit.state = Edit.State.UNDONE
    edit.save(update_fields=["state"])


def turn(edit: Edit, changes: list[tuple[Change, Any, Any]], person: Person, word: str) -> None:
    """Give every definition of an edit its other body, if it still has the one that the edit knows."""
    told = entry(edit.ledger, edit.statement, person, f"{word}: {edit.what}")
    for change, has, becomes in changes:
        definition = Definition.objects.filter(ledger=edit.ledger, kind=change.kind, name=change.name).first()
        if (definition.body if definition else None) != has:
            raise RulkaError(
                f"Somebody else changed the {change.kind} {change.name} since.",
                hint="Change it back by hand, or restore a version.",
                code="changed-since",
            )
        set_body(edit.ledger, change.kind, change.name, becomes, told)


def set_body(ledger: Ledger, kind: str, name: str, body: Raw | None, edit: Edit) -> None:
    """Give a definition a body, make it, or delete it where there is none."""
    definition = Definition.objects.filter(ledger=ledger, kind=kind, name=name).first()
    if definition is None:
        latest = Change.objects.filter(edit__ledger=ledger, kind=kind, name=name).last()
        definition = Definition(ledger=ledger, kind=kind, name=name, body=None, version=latest.version if latest else 0)
    if body is None:
        Change.objects.create(
            edit=edit, kind=kind, name=name, version=definition.version + 1, before=definition.body, after=None
        )
        definition.delete()
    else:
        write_body(definition, body, edit)
