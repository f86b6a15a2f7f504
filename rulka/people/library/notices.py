"""Telling somebody something: who can carry words to people registers itself; without one they stay on their pages."""

from __future__ import annotations

from collections.abc import Callable

from rulka.people.models import Person

Carrier = Callable[[Person, str, str, str], None]
"""Gets the person, a subject, the words, and the address (a path) where it is dealt with."""

_CARRIERS: list[Carrier] = []


def carries(carrier: Carrier) -> None:
    """Register who carries words to people, such as mail."""
    _CARRIERS.append(carrier)


def tell(person: Person, subject: str, text: str, address: str) -> None:
    """Tell somebody something by all ways there are; nobody is told who left."""
    if person.is_active:
        for carrier in _CARRIERS:
            carrier(person, subject, text, address)
