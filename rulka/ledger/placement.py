"""Where accounts are placed on statements: the statements' app says it, the ledger's pages show it."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from rulka.core.books.book import View
from rulka.ledger.models import Ledger

Placements = Mapping[str, list[tuple[str, str]]]
"""For each account code the (name, title) of statements that place it."""

_SOURCES: list[Callable[[Ledger, View], Placements]] = []


def tells_placements(source: Callable[[Ledger, View], Placements]) -> None:
    """Register who knows where accounts are placed."""
    _SOURCES.append(source)


def placements(ledger: Ledger, view: View) -> dict[str, list[tuple[str, str]]]:
    """Every statement that places an account."""
    found: dict[str, list[tuple[str, str]]] = {}
    for source in _SOURCES:
        for code, named in source(ledger, view).items():
            found.setdefault(code, []).extend(named)
    return found
