"""The gate to worksheets: found by whoever may at least see what is on their shelf, for what they may do there."""

from __future__ import annotations

from rulka.core.definitions.keys import slug
from rulka.core.errors import RulkaError
from rulka.ledger.models import Ledger
from rulka.people.models import Person
from rulka.statements.library.on_shelves import found_among, may_change_on, required_on, seen_among, shelf_for
from rulka.statements.library.shelves import EDIT, RUN
from rulka.worksheets.models import Worksheet

ONLY_RUNS = "You may change its parameters, not the worksheet itself."


def seen_worksheets(ledger: Ledger, person: Person | None) -> list[Worksheet]:
    """The worksheets of a ledger that somebody may at least see; a command for nobody sees all."""
    return seen_among(Worksheet.objects.filter(ledger=ledger).select_related("ledger", "person", "shelf"), person)


def open_worksheet(ledger: Ledger, name: str, *, person: Person | None, edit: bool = False) -> Worksheet:
    """A worksheet by its name, or by its title where only one bears it; raises in words where it isn't there or not so
    much may be done with it. What one may not see isn't there."""
    found = found_among(seen_worksheets(ledger, person), name, "worksheet")
    required(person, found, EDIT if edit else RUN)
    return found


def required(person: Person | None, worksheet: Worksheet, level: int) -> None:
    """Refuse what role and shelf don't give."""
    required_on(person, worksheet, level, "worksheet", ONLY_RUNS)


def may_change(person: Person | None, worksheet: Worksheet) -> bool:
    """Whether somebody may edit a worksheet."""
    return may_change_on(person, worksheet)


def required_editor(person: Person | None) -> None:
    """Refuse whoever may only read."""
    if person is not None and not person.may_edit:
        raise RulkaError(ONLY_RUNS, hint="Ask an accountant.", code="rights")


def put_on_shelf(worksheet: Worksheet, shelf: str, *, person: Person) -> None:
    """Put a worksheet on a shelf by the shelf's number, or on none; one has to be allowed to edit it, before and
    after."""
    required(person, worksheet, EDIT)
    worksheet.shelf = shelf_for(worksheet, shelf, person=person)
    worksheet.save(update_fields=["shelf"])


RESERVED = ("begin", "functions", "from", "of-trace", "tables")
"""Names that addresses beside those of worksheets begin with."""


def free_name(ledger: Ledger, title: str) -> str:
    """A name made from a title that no other worksheet has."""
    base = slug(title)[:70] or "worksheet"
    taken = set(Worksheet.objects.filter(ledger=ledger, name__startswith=base).values_list("name", flat=True))
    taken |= set(RESERVED)
    return next(name for name in (base, *(f"{base}-{number}" for number in range(2, 10_000))) if name not in taken)
