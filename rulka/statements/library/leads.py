"""Where a statement leads beyond its own pages: apps above register what can be made of one."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Lead:
    """Something to be made of a statement: the words of its button, and the name of the address that is posted to with
    the statement's name."""

    title: str
    address: str


_LEADS: list[Lead] = []


def leads_to(title: str, address: str) -> None:
    """Register something that can be made of a statement by whoever edits."""
    lead = Lead(title, address)
    if lead not in _LEADS:
        _LEADS.append(lead)


def leads() -> list[Lead]:
    """All that can be made of a statement."""
    return list(_LEADS)
