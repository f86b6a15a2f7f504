"""The gate to overviews: found by whoever may at least see what is on their shelf, for what they may do there."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from rulka.core.books.fence import DEPTHS
from rulka.ledger.models import Ledger
from rulka.overviews.models import Overview, OverviewVisit, OwnOverview
from rulka.people.models import Person
from rulka.statements.library.on_shelves import (
    found_among,
    may_change_on,
    may_run_among,
    required_on,
    seen_among,
)
from rulka.statements.library.shelves import EDIT, RUN, depth_on

ONLY_RUNS = "You may look at overviews, not change them."
RESERVED = ("begin", "of")
"""Names that addresses beside those of overviews begin with."""


def _of(ledger: Ledger) -> Any:
    return Overview.objects.filter(ledger=ledger).select_related("ledger", "shelf")


def seen_overviews(ledger: Ledger, person: Person | None) -> list[Overview]:
    """The overviews of a ledger that somebody may at least see; a command for nobody sees all."""
    return seen_among(_of(ledger), person)


def runnable(ledger: Ledger, person: Person) -> list[Overview]:
    """The overviews that somebody may open."""
    return may_run_among(_of(ledger), person)


def open_overview(ledger: Ledger, name: str, *, person: Person | None, edit: bool = False) -> Overview:
    """An overview by its name, or by its title where only one bears it; raises in words where it isn't there or not so
    much may be done with it."""
    found = found_among(seen_overviews(ledger, person), name, "overview")
    required_on(person, found, EDIT if edit else RUN, "overview", ONLY_RUNS)
    return found


def may_change(person: Person | None, overview: Overview) -> bool:
    """Whether somebody may edit an overview."""
    return may_change_on(person, overview)


def remember_visit(person: Person, overview: Overview) -> None:
    """Note that somebody opened an overview."""
    if person.looked_by is None:
        OverviewVisit.objects.update_or_create(person=person, overview=overview)


def visits_of(ledger: Ledger, person: Person) -> Mapping[int, Any]:
    """When somebody last opened overviews, by key."""
    found = OverviewVisit.objects.filter(person=person, overview__ledger=ledger)
    return dict(found.values_list("overview", "at"))


def choose_own(person: Person, overview: Overview, *, chosen: bool) -> None:
    """Make an overview one's own in its ledger, or let it be none."""
    OwnOverview.objects.filter(person=person, overview__ledger=overview.ledger).delete()
    if chosen:
        OwnOverview.objects.create(person=person, overview=overview)


def own_overview(ledger: Ledger, person: Person) -> Overview | None:
    """The overview that somebody chose as their own, as long as they may open it; else the first that they may."""
    every = runnable(ledger, person)
    chosen = (
        OwnOverview.objects.filter(person=person, overview__ledger=ledger).values_list("overview", flat=True).first()
    )
    return next((one for one in every if one.pk == chosen), every[0] if every else None)


def depth_at(ledger: Ledger, person: Person, route: str, arguments: Mapping[str, Any]) -> str:
    """How deep somebody gets at the address of an overview, by the shelf on which it stands."""
    name = arguments.get("name")
    if name is None or not route.startswith("overviews/<str:name>/"):
        return DEPTHS[-1]
    number = Overview.objects.filter(ledger=ledger, name=name).values_list("shelf", flat=True).first()
    return depth_on(person, number)
