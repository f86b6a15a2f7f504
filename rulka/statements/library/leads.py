"""Where statements, and what else registers, lead beyond their own pages: apps above say what can be made of one."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Lead:
    """Something to be made of a thing: the words of its button, and the name of the address that gets the thing's name;
    posted to, or opened."""

    title: str
    address: str
    opens: bool = False
    kind: str = "statement"
    draws: bool = False
    """Whether it takes the chosen lines and columns; whoever only reads may do it too."""


_LEADS: list[Lead] = []


def leads_to(title: str, address: str, *, opens: bool = False, kind: str = "statement", draws: bool = False) -> None:
    """Register something that can be made of a thing of a kind by whoever edits, a drawing by everybody."""
    lead = Lead(title, address, opens, kind, draws)
    if lead not in _LEADS:
        _LEADS.append(lead)


def leads(kind: str = "statement") -> list[Lead]:
    """All that can be made of a thing of a kind."""
    return [lead for lead in _LEADS if lead.kind == kind]
