"""Extracts in and out of the database: texts to checked definitions, changes with both states, layouts of one's own."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from rulka.core.errors import NotFound, RulkaError, one_of
from rulka.core.extracting.definitions import (
    ExtractDef,
    check_layout,
    extract_from,
    layout_from,
    layout_mapping,
    with_layouts,
)
from rulka.extracts.library.opening import ONLY_RUNS, RESERVED, required
from rulka.extracts.models import Extract, ExtractStep, OwnLayout
from rulka.formats.extract_file import EXTRACTS
from rulka.ledger.models import Ledger
from rulka.people.models import Person
from rulka.statements.library.shelves import RUN
from rulka.statements.library.texts import Texts

MOST_OWN = 50


def definition_of(extract: Extract, person: Person | None = None) -> ExtractDef:
    """An extract as it is defined, with the layouts that somebody keeps for themselves."""
    found = extract_from(extract.body)
    if person is None:
        return found
    keys = [layout_from(one.body) for one in OwnLayout.objects.filter(extract=extract, person=person)]
    own = []
    for layout in keys:
        try:
            check_layout(layout, found)
        except RulkaError:
            continue  # it names a column that is gone; it is there again once the column is
        own.append(layout)
    return with_layouts(found, own)


def checked(body: Mapping[str, Any], where: str = "") -> ExtractDef:
    """A mapping as a definition; raises RulkaError that says where what is wrong."""
    EXTRACTS.check(body, where)
    return extract_from(body)


TEXTS: Texts[Extract] = Texts("extract", Extract, ExtractStep, checked, RESERVED, ONLY_RUNS)


def store_extract(ledger: Ledger, body: Mapping[str, Any], *, person: Person | None = None) -> tuple[Extract, bool]:
    """Keep an extract by its name; one that bears it is replaced as a change. Whether anything moved."""
    return TEXTS.store(ledger, body, person)


def change_extract(
    extract: Extract, body: Mapping[str, Any], what: str, *, person: Person | None, version: int | None = None
) -> Extract:
    """Change an extract's text, with the state before; refused where it isn't as the person saw it."""
    return TEXTS.change(extract, body, what, person, version)


# layouts ------------------------------------------------------------------------------------------------------------


def keep_layout(
    extract: Extract, raw: Mapping[str, Any], *, person: Person | None, shared: bool, former: str = ""
) -> str:
    """Keep a layout, for oneself or for everybody; one of its name is replaced, `former` is what it was called. A
    command for nobody keeps it for everybody."""
    layout = layout_from(raw)
    check_layout(layout, extract_from(extract.body))
    body = layout_mapping(layout)
    if shared or person is None:
        if body in extract.body.get("layouts", ()) and not former:
            return layout.name
        others = [
            one for one in extract.body.get("layouts", ())
            if str(one["layout"]).casefold() not in (layout.name.casefold(), former.casefold())
        ]  # fmt: skip
        change_extract(extract, {**extract.body, "layouts": [*others, body]}, f"layout {layout.name}", person=person)
        OwnLayout.objects.filter(extract=extract, person=person, name__iexact=layout.name).delete()
        return layout.name
    required(person, extract, RUN)
    mine = OwnLayout.objects.filter(extract=extract, person=person)
    if former and former.casefold() != layout.name.casefold():
        mine.filter(name__iexact=former).delete()
    if mine.exclude(name__iexact=layout.name).count() >= MOST_OWN:
        raise RulkaError(f"You keep {MOST_OWN} layouts already.", hint="Delete one of them.", subject="layout")
    mine.update_or_create(name=layout.name, defaults={"body": body, "extract": extract, "person": person})
    return layout.name


def drop_layout(extract: Extract, name: str, *, person: Person) -> None:
    """Let a layout go: one's own, else the shared one."""
    mine = OwnLayout.objects.filter(extract=extract, person=person, name__iexact=name)
    if mine.exists():
        mine.delete()
        return
    layouts = list(extract.body.get("layouts", ()))
    left = [one for one in layouts if str(one["layout"]).casefold() != name.casefold()]
    if len(left) == len(layouts):
        raise NotFound(
            f"There is no layout '{name[:60]}'.", hint=one_of(name, [str(one["layout"]) for one in layouts]),
            subject="layout",
        )  # fmt: skip
    body = {**extract.body, "layouts": left}
    if not left:
        del body["layouts"]
    change_extract(extract, body, f"layout {name} away", person=person)


def own_layout_names(extract: Extract, person: Person) -> set[str]:
    """The layouts that somebody keeps for themselves."""
    return set(OwnLayout.objects.filter(extract=extract, person=person).values_list("name", flat=True))
