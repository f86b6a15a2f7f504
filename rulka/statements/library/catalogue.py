"""The library: which statements, spines, spans and scopes there are, who uses what, and taking one out."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from django.db import transaction

from rulka.core.books.book import View
from rulka.core.definitions.keys import numbered
from rulka.core.edits.tree import quoted
from rulka.core.errors import NotFound, RulkaError, one_of
from rulka.ledger.models import Ledger
from rulka.people.models import Person
from rulka.statements.library.assemble import parts_named, placed_accounts, statements_using
from rulka.statements.library.opening import open_definition, seen_among, seen_definitions
from rulka.statements.library.shelves import EDIT, required_editor, rights_among
from rulka.statements.library.storing import entry, take_back, write
from rulka.statements.models import PARTS, Definition, Edit


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
    users: dict[int, list[tuple[str, str]]] = {}
    every = list(Definition.objects.filter(ledger=ledger))
    rights = rights_among(person, every)
    stored = [definition for definition in every if rights.level(definition)]
    for statement in stored:
        if statement.kind == "statement":
            for key in parts_named(statement).values():
                users.setdefault(key, []).append((statement.name, statement.title))
    parts = [
        UsedPart(d.kind, d.name, d.title, tuple(users.get(d.pk, ())), d.shelf_id) for d in stored if d.kind in PARTS
    ]
    return sorted(parts, key=lambda part: (PARTS.index(part.kind), part.title.casefold()))


def named_for(person: Person, users: Sequence[Definition]) -> str:
    """The titles of some statements, of those that somebody doesn't see only that there are any."""
    seen = seen_among(person, users)
    told = [quoted([user.title for user in seen], 12)] if seen else []
    return " and ".join([*told, *(["what you don't see"] if len(seen) < len(users) else [])])


def placements_seen(ledger: Ledger, view: View, person: Person) -> dict[str, list[tuple[str, str]]]:
    """For each account code the (name, title) of the statements that place it, of those that somebody sees."""
    return placed_accounts(seen_definitions(ledger, person, "statement"), view)


def delete(ledger: Ledger, kind: str, name: str, *, person: Person) -> Edit:
    """Take a definition out, so that it can be brought back; a part that statements use is refused with the list."""
    if kind not in (*PARTS, "statement"):
        raise NotFound(f"There is no kind '{kind}'.", hint=one_of(kind, (*PARTS, "statement")), subject="delete")
    definition = open_definition(ledger, kind, name, person=person, level=EDIT)
    users = statements_using(definition) if kind in PARTS else []
    if users:
        raise RulkaError(
            f"The {kind} '{definition.title}' is used by {named_for(person, users)}.",
            hint="Give these another one, or delete them first.",
            subject=kind,
            code="used",
        )
    own = list(definition.own.all()) if "begun" in definition.body else []
    with transaction.atomic():
        statement = definition if kind == "statement" else None
        edit = entry(ledger, statement, person, f"{kind} {definition.title} deleted", Edit.State.DONE)
        write(definition, None, edit)
        for part in own:  # what nobody named yet leaves nothing behind
            if not statements_using(part):
                write(part, None, edit)
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


def free_title(ledger: Ledger, wanted: str, *, person: Person) -> str:
    """A title that no statement has yet that somebody sees."""
    taken = {definition.title.casefold() for definition in seen_definitions(ledger, person, "statement")}
    return numbered(wanted, lambda title: title.casefold() in taken, " ")
