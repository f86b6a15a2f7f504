"""The gate to folios: found by whoever may at least see what is on their shelf; what of a section's contents somebody
gets to see."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, cast

from rulka.core.books.fence import DEPTHS
from rulka.core.errors import NotFound, one_of
from rulka.core.folios.outline import SectionDef, folio_from
from rulka.core.folios.standing import Actor, SectionStanding, State, Whole, fitted
from rulka.folios.models import Content, Folio, Section
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

ONLY_READS = "You may read folios and write your sections, not change their outline."
RESERVED = ("begin",)
"""Names that addresses beside those of folios begin with."""


def _of(ledger: Ledger) -> Any:
    return Folio.objects.filter(ledger=ledger).select_related("ledger", "shelf", "owner").defer(
        "word_master", "slide_master"
    )  # fmt: skip


def seen_folios(ledger: Ledger, person: Person | None) -> list[Folio]:
    """The folios of a ledger that somebody may at least see; a command for nobody sees all."""
    return seen_among(_of(ledger), person)


def readable(ledger: Ledger, person: Person) -> list[Folio]:
    """The folios that somebody may open."""
    return may_run_among(_of(ledger), person)


def open_folio(ledger: Ledger, name: str, *, person: Person | None, edit: bool = False) -> Folio:
    """A folio by its name, or by its title where only one bears it; raises in words where it isn't there or not so much
    may be done with it."""
    found = found_among(seen_folios(ledger, person), name, "folio")
    required_on(person, found, EDIT if edit else RUN, "folio", ONLY_READS)
    return found


def folio_numbered(ledger: Ledger, number: int, person: Person) -> Folio:
    """A folio by its key, for whoever may open it; NotFound otherwise."""
    found = next((one for one in readable(ledger, person) if one.pk == number), None)
    if found is None:
        raise NotFound("The folio was deleted, or is no longer yours to read.", hint="Ask its owner.", subject="folio")
    return found


def may_manage(person: Person | None, folio: Folio) -> bool:
    """Whether somebody keeps a folio: its outline, its writers, opening and closing it. Its owner does where its shelf
    lets them open it, others where it lets them edit."""
    if person is None or may_change_on(person, folio):
        return True
    return person.is_active and folio.owner_id == person.pk and bool(may_run_among([folio], person))


def actor_of(person: Person | None, folio: Folio) -> Actor:
    """Somebody as what they may do with sections asks for them."""
    if person is None:
        return Actor("", manages=True, administers=True)
    return Actor(person.username, may_manage(person, folio), person.administers)


def rows_of(folio: Folio) -> dict[str, Section]:
    """Where the sections of a folio stand, by key; those that nobody touched yet aren't stored."""
    return {one.key: one for one in folio.sections.select_related("holder", "released")}


def row_of(folio: Folio, key: str, *, lock: bool = False) -> Section:
    """Where one section stands; stored from now on."""
    if lock:
        row, _ = Section.objects.get_or_create(folio=folio, key=key)
        return Section.objects.select_for_update().select_related("folio").get(pk=row.pk)
    found = folio.sections.select_related("holder", "released").filter(key=key).first()
    return found or Section(folio=folio, key=key)


def section_of(folio: Folio, key: str) -> SectionDef:
    """A section of a folio's outline; NotFound where it has none of that key."""
    sections = {one.key: one for one in folio_from(folio.body).sections}
    if key not in sections:
        raise NotFound(f"The folio has no section '{key[:40]}'.", hint=one_of(key, sections), subject="section")
    return sections[key]


def standing_of(folio: Folio, section: SectionDef, row: Section, draft: Content | None = None) -> SectionStanding:
    """A section as it stands; a turn that the outline no longer has is one that it has."""
    holder = row.holder
    return fitted(
        SectionStanding(
            section,
            cast(Whole, folio.state),
            cast(State, row.state),
            row.turn,
            holder.username if holder is not None else "",
            draft is not None or row.released_id is not None,
            folio.body.get("take back") == "yes",
        )
    )


def draft_of(row: Section, person: Person | None) -> Content | None:
    """What somebody keeps of a section that nobody else sees."""
    if row.pk is None or person is None:
        return None
    return row.contents.filter(person=person, state=Content.State.DRAFT).first()


def content_seen(row: Section, person: Person | None, *, draft: bool = False) -> Content | None:
    """What somebody reads of a section: what was released; with `draft` what they keep themselves goes before it."""
    own = draft_of(row, person) if draft else None
    return own or row.released


def find_content(row: Section, number: int, person: Person) -> Content:
    """One version of a section: what was released, or somebody's own; NotFound for all others."""
    found = row.contents.filter(pk=number).first() if row.pk else None
    if found is None or (found.state != Content.State.RELEASED and found.person_id != person.pk):
        raise NotFound("There is no such version.", hint="Choose one of the list.", subject="version")
    return found


def depth_at(ledger: Ledger, person: Person, route: str, arguments: Mapping[str, Any]) -> str:
    """How deep somebody gets at the address of a folio, by the shelf on which it stands."""
    name = arguments.get("name")
    if name is None or not route.startswith("folios/<str:name>/"):
        return DEPTHS[-1]
    number = Folio.objects.filter(ledger=ledger, name=name).values_list("shelf", flat=True).first()
    return depth_on(person, number)
