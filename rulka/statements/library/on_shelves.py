"""One gate for what stands on shelves beside statements (worksheets, extracts ...): found by whoever may at least see
it, for what they may do there."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any, Protocol, TypeVar

from rulka.core.errors import NotFound, RulkaError, one_of
from rulka.people.models import Person
from rulka.statements.library.shelves import EDIT, LEVELS, RUN, SEE, Rights, find_shelf, level_on


class OnShelf(Protocol):
    """Something with a name and a title that may stand on a shelf of its ledger."""

    name: str
    ledger: Any
    shelf: Any
    shelf_id: Any

    @property
    def title(self) -> str: ...


Thing = TypeVar("Thing", bound=OnShelf)


def seen_among(every: Iterable[Thing], person: Person | None) -> list[Thing]:
    """What of some things somebody may at least see; a command for nobody sees all."""
    things = list(every)
    if person is None:
        return things
    rights = Rights(person, {one.shelf_id for one in things if one.shelf_id})
    return [one for one in things if rights.on_shelf(one.shelf_id) >= SEE]


def found_among(seen: Iterable[Thing], name: str, what: str) -> Thing:
    """A thing by its name, or by its title where only one bears it; raises in words where it isn't there."""
    things = list(seen)
    found = next((one for one in things if one.name == name), None)
    if found is None:
        titled = [one for one in things if one.title.casefold() == name.casefold()]
        found = titled[0] if len(titled) == 1 else None
    if found is None:
        known = [one.name for one in things]
        raise NotFound(f"The {what} '{name[:80]}' does not exist.", hint=one_of(name, known), subject=what)
    return found


def required_on(person: Person | None, thing: OnShelf, level: int, what: str, only_runs: str) -> None:
    """Refuse what role and shelf don't give; `only_runs` says what whoever doesn't edit may do instead."""
    if person is None:
        return
    if level == EDIT and not person.may_edit:
        raise RulkaError(only_runs, hint="Ask an accountant.", code="rights")
    has = level_on(person, thing.shelf_id)
    if has == 0:
        raise NotFound(f"The {what} '{thing.name}' does not exist.", subject=what)
    if has < level:
        where = f"on the shelf '{thing.shelf.name}'" if thing.shelf else "here"
        raise RulkaError(
            f"You may {LEVELS[has]} what is {where}, not {LEVELS[level]} it.",
            hint="Ask an administrator.",
            code="rights",
        )


def may_change_on(person: Person | None, thing: OnShelf) -> bool:
    """Whether somebody may edit a thing."""
    return person is None or level_on(person, thing.shelf_id) >= EDIT


def may_run_among(every: Iterable[Thing], person: Person) -> list[Thing]:
    """What of some things somebody may run."""
    things = list(every)
    rights = Rights(person, {one.shelf_id for one in things if one.shelf_id})
    return [one for one in things if rights.on_shelf(one.shelf_id) >= RUN]


def shelf_for(thing: OnShelf, shelf: str, *, person: Person) -> Any:
    """The shelf that somebody chose for a thing by its number, None for none; one has to be allowed to edit there."""
    chosen = find_shelf(thing.ledger, shelf, person=person) if shelf else None
    if level_on(person, chosen.pk if chosen else None) < EDIT:
        raise RulkaError("You may not edit what is on that shelf.", hint="Choose another one.", code="rights")
    return chosen
