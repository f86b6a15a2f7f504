"""The library: which statements, spines, spans and scopes there are, who uses what, and taking one out."""

from __future__ import annotations

from dataclasses import dataclass

from django.db import transaction

from rulka.core.definitions.keys import numbered
from rulka.core.edits.tree import quoted
from rulka.core.errors import NotFound, RulkaError, one_of
from rulka.ledger.models import Ledger
from rulka.people.models import Person
from rulka.statements.library.assemble import find_definition, statements_using
from rulka.statements.library.shelves import EDIT, required, required_editor, rights_among
from rulka.statements.library.storing import SHARED, entry, set_body, take_back, title_of
from rulka.statements.models import Definition, Edit


@dataclass(frozen=True)
class UsedPart:
    """A spine, span or scope with the (name, title) of the statements that use it."""

    kind: str
    name: str
    title: str
    users: tuple[tuple[str, str], ...]
    shelf: int | None


def parts_with_users(ledger: Ledger, person: Person) -> list[UsedPart]:
    """Every part of the library that somebody may see, with where it is used, by kind and title."""
    users: dict[tuple[str, str], list[tuple[str, str]]] = {}
    every = list(Definition.objects.filter(ledger=ledger))
    rights = rights_among(person, every)
    stored = [definition for definition in every if rights.level(definition)]
    for statement in stored:
        if statement.kind == "statement":
            for kind in SHARED:
                users.setdefault((kind, statement.body.get(kind, "")), []).append((statement.name, title_of(statement)))
    parts = [
        UsedPart(d.kind, d.name, title_of(d), tuple(users.get((d.kind, d.name), ())), d.shelf_id)
        for d in stored
        if d.kind in SHARED
    ]
    return sorted(parts, key=lambda part: (SHARED.index(part.kind), part.title.casefold()))


def delete(ledger: Ledger, kind: str, name: str, *, person: Person) -> Edit:
    """Take a definition out, so that it can be brought back; a part that statements use is refused with the list."""
    if kind not in (*SHARED, "statement"):
        raise NotFound(f"There is no kind '{kind}'.", hint=one_of(kind, (*SHARED, "statement")), subject="delete")
    definition = find_definition(ledger, kind, name)
    required(person, definition, EDIT)
    users = statements_using(ledger, kind, name) if kind in SHARED else []
    if users:
        raise RulkaError(
            f"The {kind} '{title_of(definition)}' is used by {quoted([title_of(user) for user in users], 12)}.",
            hint="Give these another one, or delete them first.",
            subject=kind,
            code="used",
        )
    with transaction.atomic():
        edit = entry(
            ledger,
            name if kind == "statement" else "",
            person,
            f"{kind} {title_of(definition)} deleted",
            Edit.State.DONE,
        )
        set_body(ledger, kind, name, None, edit)
        if "begun" in definition.body:  # what nobody named yet leaves nothing behind
            for part in SHARED:
                own = definition.body.get(part, "")
                if own.startswith(name) and not statements_using(ledger, part, own):
                    set_body(ledger, part, own, None, edit)
    return edit


def bring_back(ledger: Ledger, number: int, *, person: Person) -> str:
    """Undo a deletion; returns what came back, in words."""
    required_editor(person)
    edit = Edit.objects.filter(ledger=ledger, pk=number, person=person, state=Edit.State.DONE).first()
    if edit is None:
        raise NotFound("There is nothing to bring back.", subject="delete")
    with transaction.atomic():
        take_back(edit, person)
    return edit.what


def free_title(ledger: Ledger, wanted: str) -> str:
    """A title that no statement has yet."""
    taken = {
        title_of(definition).casefold() for definition in Definition.objects.filter(ledger=ledger, kind="statement")
    }
    return numbered(wanted, lambda title: title.casefold() in taken, " ")
