"""The gate to extracts: found by whoever may at least see what is on their shelf, for what they may do there."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from rulka.core.books.fence import DEPTHS
from rulka.extracts.models import Extract
from rulka.ledger.models import Ledger
from rulka.people.models import Person
from rulka.statements.library.on_shelves import (
    found_among,
    may_change_on,
    may_run_among,
    required_on,
    seen_among,
)
from rulka.statements.library.shelves import EDIT, RUN, depth_on

ONLY_RUNS = "You may answer its questions and keep layouts of your own, not change the extract itself."
RESERVED = ("begin", "bring", "offered", "queries", "runs", "tables")
"""Names that addresses beside those of extracts begin with."""


def seen_extracts(ledger: Ledger, person: Person | None) -> list[Extract]:
    """The extracts of a ledger that somebody may at least see; a command for nobody sees all."""
    return seen_among(Extract.objects.filter(ledger=ledger).select_related("ledger", "person", "shelf"), person)


def runnable(ledger: Ledger, person: Person) -> list[Extract]:
    """The extracts that somebody may run."""
    return may_run_among(Extract.objects.filter(ledger=ledger).select_related("ledger", "shelf"), person)


def open_extract(ledger: Ledger, name: str, *, person: Person | None, edit: bool = False) -> Extract:
    """An extract by its name, or by its title where only one bears it; raises in words where it isn't there or not so
    much may be done with it."""
    found = found_among(seen_extracts(ledger, person), name, "extract")
    required(person, found, EDIT if edit else RUN)
    return found


def extract_numbered(ledger: Ledger, number: int, *, person: Person | None) -> Extract | None:
    """An extract by its key, as far as somebody may run it; None otherwise."""
    found = Extract.objects.filter(ledger=ledger, pk=number).select_related("ledger", "shelf").first()
    return found if found and (person is None or found in may_run_among([found], person)) else None


def required(person: Person | None, extract: Extract, level: int) -> None:
    """Refuse what role and shelf don't give."""
    required_on(person, extract, level, "extract", ONLY_RUNS)


def may_change(person: Person | None, extract: Extract) -> bool:
    """Whether somebody may edit an extract."""
    return may_change_on(person, extract)


def depth_at(ledger: Ledger, person: Person, route: str, arguments: Mapping[str, Any]) -> str:
    """How deep somebody gets at the address of an extract, by the shelf on which it stands."""
    name = arguments.get("name")
    if name is None or not route.startswith("extracts/<str:name>/"):
        return DEPTHS[-1]
    number = Extract.objects.filter(ledger=ledger, name=name).values_list("shelf", flat=True).first()
    return depth_on(person, number)
