"""Dispatches kept: loaded from text, found, copied, renamed, deleted, and chosen where one works."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from django.db import transaction
from django.utils import timezone

from rulka.core.definitions.keys import numbered, slug
from rulka.core.errors import NotFound, RulkaError, one_of
from rulka.core.sending.dispatches import DispatchDef as Sent
from rulka.core.sending.dispatches import FileServer, dispatch_from, thing_from
from rulka.dispatch.library.servers import server_named
from rulka.dispatch.models import Dispatch, Looked, Sending, Use
from rulka.formats.dispatch_file import check
from rulka.ledger.models import Ledger
from rulka.people.library import record
from rulka.people.library.persons import person_named
from rulka.people.models import Person
from rulka.statements.output.sendable import kind_named, kinds

PLACES = ("begin", "book", "days", "servers", "account", "for", "of", "occasion", "delivery")
"""Words that addresses of dispatches begin with; no dispatch is called so."""


def editor_required(person: Person | None) -> None:
    """Refuse whoever may only read."""
    if person is not None and not person.may_edit:
        raise RulkaError("You may read, not send.", hint="Ask an accountant.", code="rights")


@transaction.atomic
def save_dispatch(ledger: Ledger, body: Mapping[str, Any], where: str, *, person: Person | None) -> Dispatch:
    """Keep a dispatch, new or changed; refused where it names something, a person, a file server or a token that isn't
    there, and by whom it isn't theirs."""
    check(body, where)
    found = dispatch_from(body, kinds())
    editor_required(person)
    if found.name in PLACES:
        raise RulkaError(f"No dispatch is called '{found.name}'.", hint="Choose another name.", subject=where)
    _check_names(ledger, found, where, person)
    kept = Dispatch.objects.filter(ledger=ledger, name=found.name).first()
    if kept is not None:
        required(kept, person)
        if kept.body == body:
            return kept
        kept.version += 1
    else:
        kept = Dispatch(ledger=ledger, name=found.name, owner=person)
    kept.title, kept.body = found.title, dict(body)
    kept.save()
    _look_from_now(kept, found)
    _note(kept, person, f"version {kept.version}")
    return kept


def _look_from_now(kept: Dispatch, found: Sent) -> None:
    """Rules that are new count from now on, those that went are forgotten."""
    own = Looked.objects.filter(ledger=kept.ledger.code, dispatch=kept.name)
    own.exclude(rule__in=[rule.text for rule in found.when]).delete()
    for rule in found.when:
        own.get_or_create(ledger=kept.ledger.code, dispatch=kept.name, rule=rule.text,
                          defaults={"until": timezone.now()})  # fmt: skip


def _check_names(ledger: Ledger, found: Sent, where: str, person: Person | None) -> None:
    for thing in found.things:
        kind_named(thing.kind).check(ledger, thing.name, person)
    for recipient in found.recipients:
        if not recipient.rule and person_named(recipient.person) is None:
            raise NotFound(f"There is no person '{recipient.person[:40]}'.", hint="Invite them first.",
                           subject=f"{where}, to")  # fmt: skip
    for way in found.ways:
        if isinstance(way, FileServer):
            server_named(ledger, way.server)


def _note(kept: Dispatch, person: Person | None, detail: str) -> None:
    record.note(person, "changed", ledger=kept.ledger.code, thing=f"dispatch {kept.name}", detail=detail)


def passed_on(leaves: Person, heir: Person) -> str:
    """The dispatches of somebody who leaves go to somebody else."""
    count = Dispatch.objects.filter(owner=leaves).update(owner=heir)
    return f"{count} dispatches" if count else ""


# found --------------------------------------------------------------------------------------------------------------


def is_theirs(dispatch: Dispatch, person: Person | None) -> bool:
    """Whether a dispatch is somebody's to send and to change: what goes to others is its owner's to decide, and an
    administrator's."""
    return person is None or person.administers or (dispatch.owner_id == person.pk and person.may_edit)


def required(dispatch: Dispatch, person: Person | None) -> None:
    """Refuse whoever doesn't own a dispatch; for them there is none."""
    if not is_theirs(dispatch, person):
        raise NotFound(f"The dispatch '{dispatch.name}' does not exist.", subject="dispatch")


def dispatches_of(ledger: Ledger, person: Person | None) -> list[Dispatch]:
    """The dispatches of a ledger that are somebody's."""
    every = Dispatch.objects.filter(ledger=ledger).select_related("ledger", "owner")
    return [one for one in every if is_theirs(one, person)]


def find_dispatch(ledger: Ledger, name: str, *, person: Person | None) -> Dispatch:
    """A dispatch for whoever may send it; for others there is none."""
    seen = dispatches_of(ledger, person)
    found = next((one for one in seen if one.name == name), None)
    if found is None:
        raise NotFound(f"The dispatch '{name[:80]}' does not exist.", hint=one_of(name, [one.name for one in seen]),
                       subject="dispatch")  # fmt: skip
    return found


def body_of(kept: Dispatch, only: Use | None = None) -> dict[str, Any]:
    """What a dispatch sends: its own things and those that were chosen for it, or one of these alone."""
    chosen = [only] if only is not None else list(kept.uses.all())
    own = [] if only is not None else list(kept.body.get("sends", ()))
    return {**kept.body, "sends": [*own, *({use.kind: use.thing, **use.body} for use in chosen)]}


def read(body: Mapping[str, Any]) -> Sent:
    """A dispatch of a body that was kept."""
    return dispatch_from(body, kinds())


# copied, renamed, deleted -------------------------------------------------------------------------------------------


def free_name(ledger: Ledger, wanted: str) -> str:
    """A name that no dispatch of a ledger has or had."""

    def is_taken(name: str) -> bool:
        sent = Sending.objects.filter(ledger=ledger.code, dispatch=name)
        return name in PLACES or Dispatch.objects.filter(ledger=ledger, name=name).exists() or sent.exists()

    return numbered(slug(wanted)[:70] or "dispatch", is_taken)


@transaction.atomic
def begin(ledger: Ledger, title: str, *, person: Person) -> Dispatch:
    """A new dispatch by mail to oneself, to go on from."""
    editor_required(person)
    name = free_name(ledger, title)
    body = {"dispatch": name, "title": _title(title), "to": [{"person": person.username}], "ways": [{"way": "mail"}]}
    return save_dispatch(ledger, body, name, person=person)


def _title(title: str) -> str:
    found = " ".join(title.split())[:200]
    if not found:
        raise RulkaError("A dispatch needs a title.", hint="Such as 'Month pack'.", subject="title")
    return found


@transaction.atomic
def copy(kept: Dispatch, title: str, *, person: Person) -> Dispatch:
    """The same again under another title, with nothing that was chosen for it, and no rule by which it goes."""
    required(kept, person)
    name = free_name(kept.ledger, title)
    body = {key: value for key, value in kept.body.items() if key != "when"}
    return save_dispatch(kept.ledger, {**body, "dispatch": name, "title": _title(title)}, name, person=person)


@transaction.atomic
def rename(kept: Dispatch, title: str, *, person: Person) -> None:
    """Give a dispatch another title; its name in texts and addresses stays."""
    required(kept, person)
    kept.title = _title(title)
    kept.body = {**kept.body, "title": kept.title}
    kept.version += 1
    kept.save()
    _note(kept, person, f"renamed to {kept.title}")


@transaction.atomic
def delete(kept: Dispatch, *, person: Person) -> None:
    """Delete a dispatch; what it sent stays known. Refused while something of it is under way."""
    required(kept, person)
    states = Sending.State
    open_states = (states.ASKED, states.MADE, states.WAITS, states.HELD)
    if Sending.objects.filter(ledger=kept.ledger.code, dispatch=kept.name, state__in=open_states).exists():
        raise RulkaError("Something of it waits or is under way.", hint="Release it, or let it go, first.",
                         subject="dispatch")  # fmt: skip
    Looked.objects.filter(ledger=kept.ledger.code, dispatch=kept.name).delete()
    _note(kept, person, "deleted")
    kept.delete()


def where_used(kept: Dispatch) -> list[str]:
    """Where a dispatch was chosen, and by what it goes by itself."""
    return [f"{use.kind} {use.thing}" for use in kept.uses.all()] + [rule.text for rule in read(kept.body).when]


# chosen where one works ---------------------------------------------------------------------------------------------


def uses_of(ledger: Ledger, kind: str, thing: str, person: Person) -> list[Use]:
    """The dispatches of somebody's that were chosen for a statement or the like."""
    every = Use.objects.filter(dispatch__ledger=ledger, kind=kind, thing=thing).select_related("dispatch__ledger")
    return [use for use in every if is_theirs(use.dispatch, person)]


@transaction.atomic
def choose(kept: Dispatch, kind: str, thing: str, said: Mapping[str, Any], *, person: Person) -> Use:
    """Let something go with a dispatch, as `said`: forms, nodes, sheets, one file or each."""
    required(kept, person)
    kind_named(kind).check(kept.ledger, thing, person)
    raw = {key: value for key, value in said.items() if value}
    check({**kept.body, "sends": [{kind: thing, **raw}]}, kept.name)
    thing_from({kind: thing, **raw}, kinds())
    use, _ = Use.objects.update_or_create(dispatch=kept, kind=kind, thing=thing, defaults={"body": raw})
    read(body_of(kept))
    _note(kept, person, f"{kind} {thing} chosen")
    return use


@transaction.atomic
def leave_out(kept: Dispatch, kind: str, thing: str, *, person: Person) -> None:
    """Let something go with a dispatch no longer."""
    required(kept, person)
    gone, _ = Use.objects.filter(dispatch=kept, kind=kind, thing=thing).delete()
    if not gone:
        raise NotFound(f"'{thing[:60]}' isn't chosen for it.", subject="dispatch")
    _note(kept, person, f"{kind} {thing} left out")
