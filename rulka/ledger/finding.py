"""Search over everything: each app registers what of it can be found, within somebody's fence and rights."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, field
from typing import TypeVar

from rulka.core.values import is_whole
from rulka.ledger.seat import Seat

MOST = 8
"""Results of a kind that are shown."""

Thing = TypeVar("Thing")


@dataclass(frozen=True)
class FoundThing:
    """One thing that was found: its title, what tells it from others, and where it is."""

    title: str
    detail: str
    address: str


@dataclass(frozen=True)
class FoundKind:
    """What was found of a kind; `more` says that there is more than is shown."""

    kind: str
    found: tuple[FoundThing, ...]
    more: bool = False
    note: str = field(default="")


Finder = Callable[[Seat, str], Iterable[FoundKind]]
_FINDERS: list[Finder] = []


def finds(finder: Finder) -> None:
    """Register who can find things; asked in the order of registration."""
    if finder not in _FINDERS:
        _FINDERS.append(finder)


def find(seat: Seat, text: str) -> list[FoundKind]:
    """All that is found for a text, by kind; nothing for less than two characters or signs alone."""
    text = " ".join(text.split())[:100]
    plain = text.strip("~-,. ")
    if len(plain) < 2 and not is_whole(plain):
        return []
    return [kind for finder in _FINDERS for kind in finder(seat, text) if kind.found]


def matching(things: Iterable[Thing], text: str, words: Callable[[Thing], tuple[str, str]]) -> list[Thing]:
    """The things whose code or name hold every word of a text, the closest first: the code or name itself, codes and
    names that begin so, then the others."""
    asked = text.casefold().split()
    whole = text.casefold()
    ranked = []
    for thing in things:
        code, name = (word.casefold() for word in words(thing))
        if all(word in code or word in name for word in asked):
            rank = 0 if whole in (code, name) else 1 if code.startswith(whole) else 2 if name.startswith(whole) else 3
            ranked.append((rank, code, thing))
    return [thing for _, _, thing in sorted(ranked, key=lambda one: one[:2])]


def shown(kind: str, things: Sequence[Thing], written: Callable[[Thing], FoundThing], note: str = "") -> FoundKind:
    """The first of some things, written out."""
    return FoundKind(kind, tuple(written(thing) for thing in things[:MOST]), len(things) > MOST, note)
