"""The gate to worksheets: found by whoever may see the ledger, changed by those whose role edits."""

from __future__ import annotations

from django.db.models import QuerySet

from rulka.core.definitions.keys import slug
from rulka.core.errors import NotFound, RulkaError, one_of
from rulka.ledger.models import Ledger
from rulka.people.models import Person
from rulka.worksheets.models import Worksheet


def seen_worksheets(ledger: Ledger) -> QuerySet[Worksheet]:
    """The worksheets of a ledger that somebody may see it through."""
    return Worksheet.objects.filter(ledger=ledger).select_related("ledger", "person")


def open_worksheet(ledger: Ledger, name: str, *, person: Person | None, edit: bool = False) -> Worksheet:
    """A worksheet by its name, or by its title where only one bears it; raises in words where it isn't there or may not
    be changed. A command for nobody may all."""
    found = seen_worksheets(ledger).filter(name=name).first()
    if found is None:
        titled = [one for one in seen_worksheets(ledger) if one.title.casefold() == name.casefold()]
        found = titled[0] if len(titled) == 1 else None
    if found is None:
        known = list(seen_worksheets(ledger).values_list("name", flat=True))
        raise NotFound(f"The worksheet '{name}' does not exist.", hint=one_of(name, known), subject="worksheet")
    if edit:
        required_editor(person)
    return found


def required_editor(person: Person | None) -> None:
    """Refuse whoever may only read."""
    if person is not None and not person.may_edit:
        raise RulkaError(
            "You may change its parameters, not the worksheet itself.", hint="Ask an accountant.", code="rights"
        )


def free_name(ledger: Ledger, title: str) -> str:
    """A name made from a title that no other worksheet has."""
    base = slug(title)[:70] or "worksheet"
    taken = set(Worksheet.objects.filter(ledger=ledger, name__startswith=base).values_list("name", flat=True))
    return next(name for name in (base, *(f"{base}-{number}" for number in range(2, 10_000))) if name not in taken)
