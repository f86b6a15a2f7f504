"""Where rows of a trace can be taken to: apps above register what they make of them."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Taker:
    """Something that takes rows: the words of its button, and the name of the address that is posted to, with what the
    figure is of (statement or worksheet) and its name."""

    title: str
    address: str


_TAKERS: list[Taker] = []


def takes_rows(title: str, address: str) -> None:
    """Register something that takes the rows of a trace."""
    taker = Taker(title, address)
    if taker not in _TAKERS:
        _TAKERS.append(taker)


def takers() -> list[Taker]:
    """All that take rows."""
    return list(_TAKERS)
