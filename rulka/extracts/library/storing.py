"""Extracts in and out of the database: texts to checked definitions, changes with both states, layouts of one's own."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from django.db import transaction

from rulka.core.errors import NotFound, RulkaError, one_of
from rulka.core.extracting.definitions import (
    ExtractDef,
    check_layout,
    extract_from,
    layout_from,
    layout_mapping,
    with_layouts,
)
from rulka.extracts.library.opening import RESERVED, free_name, required
from rulka.extracts.models import Extract, ExtractStep, OwnLayout
from rulka.formats.extract_file import EXTRACTS
from rulka.ledger.models import Ledger
from rulka.people.library import record
from rulka.people.models import Person
from rulka.statements.library.shelves import EDIT, RUN

MOST_STEPS = 500
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


@transaction.atomic
def store_extract(ledger: Ledger, body: Mapping[str, Any], *, person: Person | None = None) -> tuple[Extract, bool]:
    """Keep an extract by its name; one that bears it is replaced as a change. Whether anything moved."""
    plain = dict(body)
    checked(plain)
    name = str(plain["extract"])
    if name in RESERVED:
        raise RulkaError(f"An extract can't be named '{name}'.", hint="Choose another name.", subject="name")
    found = Extract.objects.select_for_update().filter(ledger=ledger, name=name).first()
    if found is None:
        if person is not None and not person.may_edit:
            raise RulkaError("You may run extracts, not make them.", hint="Ask an accountant.", code="rights")
        made = Extract.objects.create(ledger=ledger, name=name, body=plain, person=person)
        _noted(made, person, "made")
        return made, True
    if found.body == plain:
        return found, False
    change_extract(found, plain, "loaded", person=person)
    return found, True


def _noted(extract: Extract, person: Person | None, what: str) -> None:
    thing = f"extract {extract.name}"
    record.note(person, "changed", ledger=extract.ledger.code, thing=thing, detail=what)


@transaction.atomic
def change_extract(
    extract: Extract, body: Mapping[str, Any], what: str, *, person: Person | None, version: int | None = None
) -> Extract:
    """Change an extract's text, with the state before; refused where it isn't as the person saw it."""
    required(person, extract, EDIT)
    stored = Extract.objects.select_for_update().get(pk=extract.pk)
    if version is not None and stored.version != version:
        raise RulkaError(
            "Somebody changed it since you opened it.", hint="Look at it as it is now, then change it again.",
            code="stale",
        )  # fmt: skip
    plain = {**body, "extract": stored.name}
    checked(plain)
    if plain == stored.body:
        return stored
    ExtractStep.objects.filter(extract=stored, undone=True).delete()
    stored.version += 1
    ExtractStep.objects.create(
        extract=stored, version=stored.version, what=what[:200], before=stored.body, after=plain, person=person
    )
    old = ExtractStep.objects.filter(extract=stored).values_list("pk", flat=True)[MOST_STEPS:]
    ExtractStep.objects.filter(pk__in=list(old)).delete()
    stored.body = plain
    stored.save()
    _noted(stored, person, what)
    extract.body, extract.version = stored.body, stored.version
    return stored


@transaction.atomic
def undo(extract: Extract, *, person: Person, redo: bool = False) -> str:
    """Take the last change back, or do it again; what it was."""
    required(person, extract, EDIT)
    stored = Extract.objects.select_for_update().get(pk=extract.pk)
    steps = ExtractStep.objects.filter(extract=stored, undone=redo)
    step = steps.order_by("version").first() if redo else steps.first()
    if step is None:
        raise RulkaError("There is nothing to do again." if redo else "There is nothing to take back.", code="refused")
    wanted, other = (step.before, step.after) if redo else (step.after, step.before)
    if stored.body != wanted:
        raise RulkaError("It was changed otherwise since.", hint="Change it by hand.", code="stale")
    stored.body = other
    stored.save()
    step.undone = not redo
    step.save(update_fields=["undone"])
    extract.body = stored.body
    return step.what


def can_undo(extract: Extract) -> tuple[str, str]:
    """What could be taken back, and what done again; empty for nothing."""
    steps = ExtractStep.objects.filter(extract=extract)
    back, again = steps.filter(undone=False).first(), steps.filter(undone=True).order_by("version").first()
    return back.what if back else "", again.what if again else ""


def copy_extract(extract: Extract, title: str, *, person: Person) -> Extract:
    """Another extract with the same text."""
    if not person.may_edit:
        raise RulkaError("You may run extracts, not make them.", hint="Ask an accountant.", code="rights")
    name = free_name(extract.ledger, title)
    body = {**extract.body, "extract": name, "title": " ".join(title.split())[:120]}
    return store_extract(extract.ledger, body, person=person)[0]


def delete_extract(extract: Extract, *, person: Person | None) -> None:
    """Take an extract away, with its layouts; its runs stay as they are."""
    required(person, extract, EDIT)
    _noted(extract, person, "deleted")
    extract.delete()


# layouts ------------------------------------------------------------------------------------------------------------


def keep_layout(extract: Extract, raw: Mapping[str, Any], *, person: Person, shared: bool, former: str = "") -> str:
    """Keep a layout, for oneself or for everybody; one of its name is replaced, `former` is what it was called."""
    layout = layout_from(raw)
    check_layout(layout, extract_from(extract.body))
    body = layout_mapping(layout)
    if shared:
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
