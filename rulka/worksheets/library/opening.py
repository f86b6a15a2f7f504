"""The gate to worksheets: found by whoever may at least see what is on their shelf, for what they may do there."""

from __future__ import annotations

from rulka.core.definitions.keys import slug
from rulka.core.errors import NotFound, RulkaError, one_of
from rulka.ledger.models import Ledger
from rulka.people.models import Person
from rulka.statements.library.shelves import EDIT, LEVELS, RUN, SEE, Rights, find_shelf, level_on
from rulka.worksheets.models import Worksheet


def seen_worksheets(ledger: Ledger, person: Person | None) -> list[Worksheet]:
    """The worksheets of a ledger that somebody may at least see; a command for nobody sees all."""
    every = list(Worksheet.objects.filter(ledger=ledger).select_related("ledger", "person", "shelf"))
    if person is None:
        return every
    rights = Rights(person, {one.shelf_id for one in every if one.shelf_id})
    return [one for one in every if rights.on_shelf(one.shelf_id) >= SEE]


def open_worksheet(ledger: Ledger, name: str, *, person: Person | None, edit: bool = False) -> Worksheet:
    """A worksheet by its name, or by its title where only one bears it; raises in words where it isn't there or not so
    much may be done with it. What one may not see isn't there."""
    seen = seen_worksheets(ledger, person)
    found = next((one for one in seen if one.name == name), None)
    if found is None:
        titled = [one for one in seen if one.title.casefold() == name.casefold()]
        found = titled[0] if len(titled) == 1 else None
    if found is None:
        known = [one.name for one in seen]
        raise NotFound(f"The worksheet '{name}' does not exist.", hint=one_of(name, known), subject="worksheet")
    required(person, found, EDIT if edit else RUN)
    return found


def required(person: Person | None, worksheet: Worksheet, level: int) -> None:
    """Refuse what role and shelf don't give."""
    if person is None:
        return
    if level == EDIT:
        required_editor(person)
    has = level_on(person, worksheet.shelf_id)
    if has == 0:
        raise NotFound(f"The worksheet '{worksheet.name}' does not exist.", subject="worksheet")
    if has < level:
        where = f"on the shelf '{worksheet.shelf.name}'" if worksheet.shelf else "here"
        raise RulkaError(
            f"You may {LEVELS[has]} what is {where}, not {LEVELS[level]} it.",
            hint="Ask an administrator.",
            code="rights",
        )


def may_change(person: Person | None, worksheet: Worksheet) -> bool:
    """Whether somebody may edit a worksheet."""
    return person is None or level_on(person, worksheet.shelf_id) >= EDIT


def required_editor(person: Person | None) -> None:
    """Refuse whoever may only read."""
    if person is not None and not person.may_edit:
        raise RulkaError(
            "You may change its parameters, not the worksheet itself.", hint="Ask an accountant.", code="rights"
        )


def put_on_shelf(worksheet: Worksheet, shelf: str, *, person: Person) -> None:
    """Put a worksheet on a shelf by the shelf's number, or on none; one has to be allowed to edit it, before and
    after."""
    required(person, worksheet, EDIT)
    chosen = find_shelf(worksheet.ledger, shelf, person=person) if shelf else None
    if level_on(person, chosen.pk if chosen else None) < EDIT:
        raise RulkaError("You may not edit what is on that shelf.", hint="Choose another one.", code="rights")
    worksheet.shelf = chosen
    worksheet.save(update_fields=["shelf"])


RESERVED = ("begin", "functions", "from", "of-trace", "tables")
"""Names that addresses beside those of worksheets begin with."""


def free_name(ledger: Ledger, title: str) -> str:
    """A name made from a title that no other worksheet has."""
    base = slug(title)[:70] or "worksheet"
    taken = set(Worksheet.objects.filter(ledger=ledger, name__startswith=base).values_list("name", flat=True))
    taken |= set(RESERVED)
    return next(name for name in (base, *(f"{base}-{number}" for number in range(2, 10_000))) if name not in taken)
