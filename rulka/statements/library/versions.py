"""Saved versions of a statement, and its history: who did what when, what differs between two states, restoring one."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from django.db import transaction
from django.db.models import Q

from rulka.core.edits.differences import differences
from rulka.core.edits.tree import Raw
from rulka.core.errors import NotFound, RulkaError
from rulka.core.values import key_in
from rulka.ledger.models import Ledger
from rulka.ledger.reading.queries import frame_of
from rulka.people.models import Person
from rulka.statements.library.assemble import Definitions
from rulka.statements.library.opening import open_definition, open_statement
from rulka.statements.library.shelves import EDIT
from rulka.statements.library.storing import check_definition, entry, write
from rulka.statements.models import Definition, Edit, SavedVersion

NOW = "now"
MOST_EDITS = 60


@dataclass(frozen=True)
class ShownEdit:
    """One entry of a history."""

    who: str
    at: datetime
    what: str
    state: str


def save_version(ledger: Ledger, name: str, title: str, *, person: Person) -> SavedVersion:
    """Keep a statement with its parts, as it is now, under a name."""
    definitions = open_statement(ledger, name, person=person, level=EDIT)
    title = title.strip()[:120]
    if not title:
        raise RulkaError("A version needs a name.", hint="Such as 'As sent to the board'.", subject="version")
    states = [{"of": definition.pk, "state": definition.state} for definition in definitions.values()]
    statement = definitions["statement"]
    return SavedVersion.objects.create(ledger=ledger, statement=statement, name=title, person=person, states=states)


def find_version(statement: Definition, version: str) -> SavedVersion:
    """A saved version by its number."""
    found = SavedVersion.objects.filter(statement=statement, pk=key_in(version)).first()
    if found is None:
        raise NotFound("This version does not exist.", hint="Choose one of the list.", subject="version")
    return found


def _texts(definitions: Definitions, version: str) -> dict[str, Raw]:
    """By kind the texts of a statement and its parts: now, or as a version has them."""
    if version == NOW:
        return {kind: definition.text for kind, definition in definitions.items()}
    saved = find_version(definitions["statement"], version).states
    found = Definition.every.in_bulk([one["of"] for one in saved])
    for one in saved:
        found[one["of"]].take(one["state"])
    return {one.kind: one.text for one in found.values()}


def compare_versions(definitions: Definitions, one: str, other: str) -> list[tuple[str, list[str]]]:
    """What differs from one version to another, by part of the statement; `now` is the statement as it is."""
    before, after = _texts(definitions, one), _texts(definitions, other)
    titles = {"statement": "Page", "spine": "Lines", "span": "Columns", "scope": "Nodes"}
    told = [
        (titles[kind], differences(before.get(kind), after.get(kind)))
        for kind in titles
        if kind in before or kind in after
    ]
    return [(title, sentences) for title, sentences in told if sentences]


def restore_version(ledger: Ledger, name: str, version: str, *, person: Person) -> str:
    """Give a statement and its parts the state of a saved version; one edit, so that it can be undone."""
    statement = open_definition(ledger, "statement", name, person=person, level=EDIT)
    saved = find_version(statement, version)
    with transaction.atomic():
        edit = entry(ledger, statement, person, f"version '{saved.name}' restored", Edit.State.DONE)
        stored = Definition.every.in_bulk([one["of"] for one in saved.states])
        for one in saved.states:
            if stored[one["of"]].state != one["state"]:
                write(stored[one["of"]], one["state"], edit)
        check_definition(stored[statement.pk], frame_of(ledger))
    return f"Version '{saved.name}' restored."


def history_of(definitions: Definitions) -> list[ShownEdit]:
    """The latest edits of a statement, newest first, and what else was done to its parts from files."""
    statement = definitions["statement"]
    of_parts = Edit.objects.filter(statement=None, changes__definition__in=[one.pk for one in definitions.values()])
    found = Edit.objects.filter(Q(statement=statement) | Q(pk__in=of_parts.values("pk"))).select_related("person")
    return [
        ShownEdit(edit.person.title or edit.person.username if edit.person else "", edit.at, edit.what, edit.state)
        for edit in found[:MOST_EDITS]
    ]


@dataclass(frozen=True)
class Versions:
    """Saved versions and history of a statement; what differs between two that were named, None where none was."""

    saved: list[SavedVersion]
    history: list[ShownEdit]
    compared: list[tuple[str, list[str]]] | None
    one: str
    other: str


def versions_of(definitions: Definitions, one: str, other: str) -> Versions:
    """What the panel of versions shows; two versions are compared when both are named."""
    saved = list(SavedVersion.objects.filter(statement=definitions["statement"]).select_related("person"))
    compared = compare_versions(definitions, one, other or NOW) if one else None
    return Versions(saved, history_of(definitions), compared, one, other or NOW)
