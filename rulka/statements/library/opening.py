"""The gate to the library: a statement or part is found by whoever may at least see it, for what they may do with it.

What somebody may not see answers as what doesn't exist does, by the same words; who saw it before reads that they may
not any more.
"""

from __future__ import annotations

from collections.abc import Iterable

from rulka.core.definitions.keys import slug
from rulka.core.errors import NotFound, RulkaError, one_of
from rulka.ledger.models import Ledger
from rulka.people.models import Person
from rulka.statements.library.assemble import definitions_of, definitions_of_statement, find_definition
from rulka.statements.library.shelves import RUN, SEE, level_of, required, rights_among
from rulka.statements.models import Definition, Visit


def open_definition(ledger: Ledger, kind: str, name: str, *, person: Person, level: int = RUN) -> Definition:
    """A definition by its name, a statement by its title as well, for somebody who may do so much with it."""
    found = (
        Definition.objects.filter(ledger=ledger, kind=kind, name=name).select_related("ledger", "shelf").first()
    ) or _titled(ledger, kind, name, person)
    return _opened(found, ledger, kind, name, person, level)


def open_stored(ledger: Ledger, key: int, name: str, *, person: Person, level: int = RUN) -> dict[str, Definition]:
    """A statement with its parts by its key, whatever it is called now, as `open_statement` does; `name` is what it was
    called, for whom it isn't there."""
    found = Definition.objects.filter(ledger=ledger, kind="statement", pk=key).select_related("ledger", "shelf").first()
    return definitions_of_statement(_opened(found, ledger, "statement", name, person, level))


def _opened(found: Definition | None, ledger: Ledger, kind: str, name: str, person: Person, level: int) -> Definition:
    """The gate itself, for what was found."""
    if found is not None and not level_of(person, found):
        if Visit.objects.filter(person=person, definition=found).exists():
            raise RulkaError(
                "You may not open this any more: the rights of its shelf were changed.",
                hint="Ask an administrator, or who gave you the address.",
                code="rights",
            )
        found = None
    if found is None:
        known = [definition.name for definition in seen_definitions(ledger, person, kind)]
        raise NotFound(f"The {kind} '{name}' does not exist.", hint=one_of(name, known), subject=kind)
    required(person, found, level)
    return found


def name_of(key: int | None) -> str:
    """What a definition is called now, by its key; empty where it was taken out."""
    return Definition.objects.filter(pk=key or 0).values_list("name", flat=True).first() or ""


def open_statement(ledger: Ledger, name: str, *, person: Person, level: int = RUN) -> dict[str, Definition]:
    """A statement with its parts, by kind; who may run it reads its parts as far as it shows them."""
    return definitions_of_statement(open_definition(ledger, "statement", name, person=person, level=level))


def definitions_for(ledger: Ledger, name: str, person: Person | None) -> dict[str, Definition]:
    """A statement with its parts for whom a command is run, for nobody without any bounds."""
    return definitions_of(ledger, name) if person is None else open_statement(ledger, name, person=person)


def definition_for(ledger: Ledger, kind: str, name: str, person: Person | None) -> Definition:
    """A part for whom a command is run, for nobody without any bounds."""
    if person is None:
        return find_definition(ledger, kind, name)
    return open_definition(ledger, kind, name, person=person)


def seen_definitions(ledger: Ledger, person: Person, kind: str, *, level: int = SEE) -> list[Definition]:
    """The definitions of a kind that somebody may do so much with, at least see."""
    every = Definition.objects.filter(ledger=ledger, kind=kind).select_related("ledger", "shelf")
    return seen_among(person, every, level=level)


def seen_among(person: Person, definitions: Iterable[Definition], *, level: int = SEE) -> list[Definition]:
    """Those of some definitions that somebody may do so much with, at least see."""
    every = list(definitions)
    rights = rights_among(person, every)
    return [definition for definition in every if rights.level(definition) >= level]


def _titled(ledger: Ledger, kind: str, name: str, person: Person) -> Definition | None:
    """The one definition that somebody sees by this title; None where there is none or several."""
    titled = [
        definition
        for definition in seen_definitions(ledger, person, kind)
        if str(definition.body.get("title", "")).casefold() == name.casefold() or definition.name == slug(name)
    ]
    return titled[0] if len(titled) == 1 else None
