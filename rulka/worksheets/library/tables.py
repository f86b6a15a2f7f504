"""The gate to bounded tables: placed by those who may run what is on their shelf, made and changed by controllers and
administrators."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from django.db import transaction

from rulka.core.books.book import View
from rulka.core.books.calendar import Period
from rulka.core.definitions.keys import slug
from rulka.core.errors import NotFound, RulkaError, one_of
from rulka.core.sheet.bounded import bounded_from, check_bounded
from rulka.core.sheet.surroundings import Surroundings
from rulka.ledger.models import Ledger
from rulka.people.models import Person
from rulka.statements.library.shelves import RUN, level_on
from rulka.worksheets.models import BoundedTable


def seen_tables(ledger: Ledger, person: Person | None) -> list[BoundedTable]:
    """The bounded tables that somebody may place."""
    every = BoundedTable.objects.filter(ledger=ledger)
    return [table for table in every if person is None or level_on(person, table.shelf_id) >= RUN]


def open_table(ledger: Ledger, name: str, *, person: Person | None) -> BoundedTable:
    """A bounded table by its name, for whoever may place it; what one may not see isn't there."""
    seen = {table.name: table for table in seen_tables(ledger, person)}
    if name not in seen:
        raise NotFound(f"There is no bounded table '{name[:40]}'.", hint=one_of(name, seen), subject="table")
    return seen[name]


def required_maker(person: Person | None) -> None:
    """Refuse whoever may only place tables."""
    if person is not None and not person.may_give:
        raise RulkaError(
            "You may place a bounded table, not make or change one.", hint="Ask a controller.", code="rights"
        )


@transaction.atomic
def save_table(
    ledger: Ledger, raw: Mapping[str, Any], view: View, period: Period, node: str, *, person: Person | None
) -> BoundedTable:
    """Make or change a bounded table, checked by laying it out once; refused in words where it can't be."""
    required_maker(person)
    body = {key: value for key, value in raw.items() if value not in ("", None, [], ())}
    if not body.get("table"):
        body["table"] = slug(str(body.get("title", "")))[:80]
    table = bounded_from(body)
    check_bounded(table, view, Surroundings(view, period, node, ledger.code))
    found = BoundedTable.objects.select_for_update().filter(ledger=ledger, name=table.name).first()
    if found is None:
        return BoundedTable.objects.create(ledger=ledger, name=table.name, body=body, person=person)
    if person is not None and level_on(person, found.shelf_id) < RUN:
        raise NotFound(f"There is no bounded table '{table.name}'.", subject="table")
    if found.body != body:
        found.body, found.version = body, found.version + 1
        found.save()
    return found


def delete_table(ledger: Ledger, name: str, *, person: Person | None) -> None:
    """Take a bounded table away; where it was placed, cells say so."""
    required_maker(person)
    open_table(ledger, name, person=person).delete()
