"""Saved versions of a statement, and its history: who did what when, what differs between two states, restoring one."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import Any

from django.db import transaction

from rulka.core.edits.differences import differences
from rulka.core.edits.tree import Raw
from rulka.core.errors import NotFound, RulkaError
from rulka.core.values import key_in
from rulka.formats.definition_file import kind_of
from rulka.ledger.models import Ledger
from rulka.ledger.reading.queries import frame_of
from rulka.people.models import Person
from rulka.statements.library.assemble import definitions_of, find_definition
from rulka.statements.library.opening import open_definition
from rulka.statements.library.shelves import EDIT
from rulka.statements.library.storing import check_definition, entry, set_body
from rulka.statements.models import Edit, SavedVersion

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
    name = open_definition(ledger, "statement", name, person=person, level=EDIT).name
    title = title.strip()[:120]
    if not title:
        raise RulkaError("A version needs a name.", hint="Such as 'As sent to the board'.", subject="version")
    bodies = [definition.body for definition in definitions_of(ledger, name).values()]
    return SavedVersion.objects.create(ledger=ledger, statement=name, name=title, person=person, bodies=bodies)


def find_version(ledger: Ledger, name: str, version: str) -> SavedVersion:
    """A saved version by its number."""
    found = SavedVersion.objects.filter(ledger=ledger, statement=name, pk=key_in(version)).first()
    if found is None:
        raise NotFound("This version does not exist.", hint="Choose one of the list.", subject="version")
    return found


def _bodies(ledger: Ledger, name: str, version: str) -> dict[str, Raw]:
    if version == NOW:
        return {kind: definition.body for kind, definition in definitions_of(ledger, name).items()}
    return {kind_of(body): body for body in find_version(ledger, name, version).bodies}


def compare_versions(ledger: Ledger, name: str, one: str, other: str) -> list[tuple[str, list[str]]]:
    """What differs from one version to another, by part of the statement; `now` is the statement as it is."""
    before, after = _bodies(ledger, name, one), _bodies(ledger, name, other)
    titles = {"statement": "Page", "spine": "Lines", "span": "Columns", "scope": "Nodes"}
    told = [
        (titles[kind], differences(before.get(kind), after.get(kind)))
        for kind in titles
        if kind in before or kind in after
    ]
    return [(title, sentences) for title, sentences in told if sentences]


def restore_version(ledger: Ledger, name: str, version: str, *, person: Person) -> str:
    """Give a statement and its parts the state of a saved version; one edit, so that it can be undone."""
    name = open_definition(ledger, "statement", name, person=person, level=EDIT).name
    saved = find_version(ledger, name, version)
    with transaction.atomic():
        edit = entry(ledger, name, person, f"version '{saved.name}' restored", Edit.State.DONE)
        current = definitions_of(ledger, name)
        for kind, body in {kind_of(body): body for body in saved.bodies}.items():
            if kind not in current or current[kind].name != body[kind] or current[kind].body != body:
                set_body(ledger, kind, body[kind], body, edit)
        check_definition(find_definition(ledger, "statement", name), frame_of(ledger))
    return f"Version '{saved.name}' restored."


def history_of(ledger: Ledger, name: str) -> list[ShownEdit]:
    """The latest edits of a statement, newest first."""
    found = Edit.objects.filter(ledger=ledger, statement=name).select_related("person")[:MOST_EDITS]
    return [
        ShownEdit(edit.person.title or edit.person.username if edit.person else "", edit.at, edit.what, edit.state)
        for edit in found
    ]


def version_context(ledger: Ledger, name: str, one: str, other: str) -> dict[str, Any]:
    """What the panel of versions shows; two versions are compared when both are named."""
    saved = list(SavedVersion.objects.filter(ledger=ledger, statement=name).select_related("person"))
    compared = compare_versions(ledger, name, one, other or NOW) if one else None
    return {
        "saved": saved,
        "history": history_of(ledger, name),
        "compared": compared,
        "one": one,
        "other": other or NOW,
    }
