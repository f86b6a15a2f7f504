"""A folio's outline, changed; the folio refreshed to another period, and begun again for the next one."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from django.db import transaction

from rulka.core.books.fence import Fence
from rulka.core.errors import NotFound, RulkaError, one_of
from rulka.core.folios import edits
from rulka.core.folios.outline import folio_from
from rulka.core.values import whole
from rulka.folios.editing.acting import required_people
from rulka.folios.library.opening import row_of
from rulka.folios.library.storing import TEXTS, outline_of
from rulka.folios.models import Content, Folio, Section, SectionStep
from rulka.ledger.models import Ledger
from rulka.ledger.reading.history import view_at
from rulka.ledger.reading.queries import view_of
from rulka.people.library.persons import people_named
from rulka.people.models import Person

Sent = Mapping[str, str]
Change = Callable[[dict[str, Any], Sent], tuple[dict[str, Any], str]]


def _add(body: dict[str, Any], sent: Sent) -> tuple[dict[str, Any], str]:
    return edits.add_section(body, sent, sent.get("below", ""))


ACTIONS: Mapping[str, tuple[str, Change]] = {
    "add": ("section {title} added", _add),
    "remove": ("section {section} away", lambda body, sent: (edits.remove_section(body, sent.get("section", "")), "")),
    "up": ("section {section} moved", lambda body, sent: (edits.move_section(body, sent.get("section", ""), -1), "")),
    "down": ("section {section} moved", lambda body, sent: (edits.move_section(body, sent.get("section", ""), 1), "")),
    "set": ("section {section}", lambda body, sent: (edits.set_section(body, sent.get("section", ""), sent), "")),
    "about": ("title, period and node", lambda body, sent: (edits.set_about(body, sent), "")),
}


@transaction.atomic
def change(folio: Folio, name: str, sent: Sent, *, fence: Fence, person: Person) -> str:
    """Do an edit of the outline, checked in its ledger before it is kept; the key of the section that it was about."""
    if name not in ACTIONS:
        raise NotFound(f"Nothing is called '{name[:30]}' here.", hint=one_of(name, ACTIONS), subject="action")
    words, edit = ACTIONS[name]
    body, key = edit(dict(folio.body), sent)
    told = words.format(section=sent.get("section", "")[:60], title=sent.get("title", "")[:60])
    seen = whole(sent["version"], "version") if sent.get("version") else None
    set_body(folio, body, told, fence=fence, person=person, seen=seen)
    return key or (sent.get("section", "") if name != "remove" else "")


@transaction.atomic
def set_body(
    folio: Folio, body: Mapping[str, Any], told: str, *, fence: Fence, person: Person | None, seen: int | None = None
) -> None:
    """The one way to another outline: not of a closed folio, checked in its ledger, written down, its owner set."""
    _required_open(folio)
    check_in(folio, body, fence)
    former = outline_of(folio).owner
    TEXTS.change(folio, body, told, person, seen)
    _noted(folio, told, person, former)


@transaction.atomic
def undo(folio: Folio, *, fence: Fence, person: Person, redo: bool = False) -> None:
    """Take the last change of an outline back, or do it again, as far as what it leads to may stand now."""
    _required_open(folio)
    before = Folio(pk=folio.pk, ledger=folio.ledger, shelf=folio.shelf, body=folio.body)
    told = TEXTS.undo(folio, person, redo=redo)
    check_in(before, folio.body, fence)
    _noted(folio, f"{'again' if redo else 'undone'}: {told}", person, outline_of(before).owner)


def store(ledger: Ledger, body: Mapping[str, Any], fence: Fence) -> tuple[Folio, bool]:
    """Keep a folio by its name, as a command does; one that bears it is changed. Whether anything moved."""
    found = Folio.objects.select_related("ledger", "shelf").filter(ledger=ledger, name=body["folio"]).first()
    if found is not None:
        before = found.version
        set_body(found, body, "loaded", fence=fence, person=None)
        return found, found.version != before
    check_in(Folio(ledger=ledger, name=str(body["folio"]), body=body), body, fence)
    made, _ = TEXTS.store(ledger, body, None)
    set_owner(made, outline_of(made).owner)
    return made, True


def _required_open(folio: Folio) -> None:
    if Folio.objects.filter(pk=folio.pk, state=Folio.State.CLOSED).exists():
        raise RulkaError("The folio is closed.", hint="Open it again first.", subject="folio", code="refused")


def _noted(folio: Folio, told: str, person: Person | None, former: str) -> None:
    SectionStep.objects.create(folio=folio, person=person, what="outline", detail=told)
    owner = outline_of(folio).owner
    if owner != former:
        set_owner(folio, owner)


def set_owner(folio: Folio, name: str) -> None:
    """Whoever owns a folio is told what is done, opens and closes it."""
    folio.owner = people_named([name]).get(name) if name else None
    folio.save(update_fields=["owner"])


@transaction.atomic
def passed_on(leaves: Person, heir: Person) -> str:
    """Folios of somebody who leaves go to somebody else, with their turns at sections; what they hold is free, what
    they kept stays theirs."""
    count = 0
    for folio in Folio.objects.select_related("ledger"):
        body = edits.handed_over(folio.body, leaves.username, heir.username)
        owns = folio.owner_id == leaves.pk
        if body != folio.body or owns:
            count += 1
            if body != folio.body:
                TEXTS.change(folio, body, f"{leaves.username} left, {heir.username} takes over", None)
            if owns:
                folio.owner = heir
                folio.save(update_fields=["owner"])
    Section.objects.filter(holder=leaves).update(holder=None, held=None)
    return f"{count} folios" if count else ""


def check_in(folio: Folio, body: Mapping[str, Any], fence: Fence) -> None:
    """Refuse an outline that names a period, node, revision or people that aren't there, or makes another kind of a
    section that somebody has written."""
    outline = folio_from(body)
    view = view_of(folio.ledger, fence) if outline.revision is None else view_at(folio.ledger, outline.revision, fence)
    if outline.period:
        view.frame.calendar.period(outline.period)
    required_people(folio, {turn.who for one in outline.sections for turn in one.turns})
    if outline.owner:
        required_people(folio, [outline.owner])
    former = {one.key: one for one in outline_of(folio).sections}
    done = {row.key: row for row in folio.sections.all()} if folio.pk else {}
    for one in outline.sections:
        was, row = former.get(one.key), done.get(one.key)
        if was is None or row is None:
            continue
        if (was.kind, was.of, was.part) != (one.kind, one.of, one.part):
            if row.state == Section.State.DONE:
                raise RulkaError(f"'{was.title}' is done.", hint="Take it back first.", subject=was.title)
            if was.kind != one.kind and row.contents.exists():
                raise RulkaError(
                    f"'{was.title}' was written as {was.kind}.", hint="Add another section for it.", subject=was.title
                )


@transaction.atomic
def next_one(folio: Folio, period: str, title: str, fence: Fence, person: Person) -> Folio:
    """Another folio with the same outline and texts for another period: figures follow it, every section is to be
    written, days of the former one are gone."""
    TEXTS.required_maker(person)
    view_of(folio.ledger, fence).frame.calendar.period(period)
    body = dict(folio.body)
    body.pop("revision", None)
    sections = []
    for one in body.get("sections", ()):
        made = dict(one)
        for name in ("writers", "reviewers"):
            if name in made:
                made[name] = [{"who": turn["who"]} if isinstance(turn, Mapping) else turn for turn in made[name]]
        sections.append(made)
    said = " ".join(title.split())[:120] or f"{folio.title}, {period}"
    made = {**body, "folio": TEXTS.free_name(folio.ledger, said), "title": said, "period": period, "sections": sections}
    stored, _ = TEXTS.store(folio.ledger, made, person)
    whole_one = Folio.objects.get(pk=folio.pk)
    stored.shelf, stored.owner = folio.shelf, folio.owner or person
    stored.word_master, stored.slide_master = whole_one.word_master, whole_one.slide_master
    stored.master_names, stored.sources = whole_one.master_names, whole_one.sources
    stored.save()
    for row in folio.sections.select_related("released"):
        if row.released is not None:
            own = row_of(stored, row.key, lock=True)
            former = row.released
            own.released = Content.objects.create(
                section=own, person=former.person, state=Content.State.RELEASED, form=former.form, body=former.body,
                data=bytes(former.data) if former.data else None, file_name=former.file_name, chosen=former.chosen,
                revision=former.revision,
            )  # fmt: skip
            own.save()
    SectionStep.objects.create(folio=stored, person=person, what="begun", detail=f"from {folio.title}")
    return stored
