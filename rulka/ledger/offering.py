"""What can be asked from where one stands: pages say what they show (accounts, members, a counterparty, an entry, a
figure), apps above say what they offer for it."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass
from typing import Any

Standing = Mapping[str, tuple[str, ...]]
"""By what (account, entity, a dimension, counterparty, entry, document, period, node) the codes that a page shows."""


@dataclass(frozen=True)
class Offer:
    """Something to be asked with what a page shows: its title, and the address that asks it."""

    title: str
    address: str


Source = Callable[[Any, Standing], list[Offer]]
_SOURCES: list[Source] = []


def offers_for(source: Source) -> None:
    """Register who offers something; it gets the seat and what its page shows."""
    _SOURCES.append(source)


def offered(seat: Any, shown: Mapping[str, str | Iterable[str]]) -> list[Offer]:
    """All that is offered for what a page shows; nothing for what it shows none of."""
    standing = {}
    for name, value in shown.items():
        codes = (value,) if isinstance(value, str) else tuple(dict.fromkeys(value))
        codes = tuple(code for code in codes if code)
        if codes:
            standing[name] = codes
    return [offer for source in _SOURCES for offer in source(seat, standing)] if standing else []
