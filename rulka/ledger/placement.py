"""Where accounts are placed on statements: the statements' app says it, the ledger's pages show it."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from rulka.core.books.book import View
from rulka.ledger.models import Ledger
from rulka.people.models import Person

Placements = Mapping[str, list[tuple[str, str]]]
"""For each account code the (name, title) of statements that place it."""

Source = Callable[[Ledger, View, Person], Placements]
_SOURCES: list[Source] = []


def tells_placements(source: Source) -> None:
    """Register who knows where accounts are placed."""
    _SOURCES.append(source)


def placements(ledger: Ledger, view: View, person: Person) -> dict[str, list[tuple[str, str]]]:
    """Every statement that a person may see and that places an account."""
    found: dict[str, list[tuple[str, str]]] = {}
    for source in _SOURCES:
        for code, named in source(ledger, view, person).items():
            found.setdefault(code, []).extend(named)
    return found
