"""The gate to filings: found by whoever may at least see what is on their shelf."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from rulka.core.books.fence import DEPTHS
from rulka.core.errors import NotFound
from rulka.filings.models import Filing
from rulka.ledger.models import Ledger
from rulka.people.models import Person
from rulka.statements.library.on_shelves import found_among, may_run_among, required_on, seen_among
from rulka.statements.library.shelves import EDIT, RUN, depth_on

ONLY_READS = "You may look at filings, not change their tags."
RESERVED = ("begin", "taxonomies")
"""Names that addresses beside those of filings begin with."""


def _of(ledger: Ledger) -> Any:
    return Filing.objects.filter(ledger=ledger).select_related("ledger", "shelf")


def seen_filings(ledger: Ledger, person: Person | None) -> list[Filing]:
    """The filings of a ledger that somebody may at least see; a command for nobody sees all."""
    return seen_among(_of(ledger), person)


def open_filing(ledger: Ledger, name: str, *, person: Person | None, edit: bool = False) -> Filing:
    """A filing by its name, or by its title where only one bears it; raises in words where it isn't there, or where not
    so much may be done with it."""
    found = found_among(seen_filings(ledger, person), name, "filing")
    required_on(person, found, EDIT if edit else RUN, "filing", ONLY_READS)
    return found


def filing_numbered(ledger: Ledger, number: int, person: Person) -> Filing:
    """A filing by its key, for whoever may open it; NotFound otherwise."""
    mine: list[Filing] = may_run_among(_of(ledger), person)
    found = next((one for one in mine if one.pk == number), None)
    if found is None:
        raise NotFound("The filing was deleted, or is no longer yours.", hint="Ask an accountant.", subject="filing")
    return found


def depth_at(ledger: Ledger, person: Person, route: str, arguments: Mapping[str, Any]) -> str:
    """How deep somebody gets at the address of a filing, by the shelf on which it stands."""
    name = arguments.get("name")
    if name is None or not route.startswith("filings/<str:name>/"):
        return DEPTHS[-1]
    number = Filing.objects.filter(ledger=ledger, name=name).values_list("shelf", flat=True).first()
    return depth_on(person, number)
