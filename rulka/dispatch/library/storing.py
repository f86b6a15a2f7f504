"""Dispatches kept: loaded from text, found, written back."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from django.db import transaction

from rulka.core.errors import NotFound, RulkaError, one_of
from rulka.core.sending.dispatches import dispatch_from
from rulka.dispatch.models import Dispatch
from rulka.formats.dispatch_file import check
from rulka.ledger.models import Ledger
from rulka.people.library import record
from rulka.people.library.persons import person_named
from rulka.people.models import Person
from rulka.statements.library.opening import definitions_for


@transaction.atomic
def save_dispatch(ledger: Ledger, body: Mapping[str, Any], where: str, *, person: Person | None) -> Dispatch:
    """Keep a dispatch, new or changed; refused where it names a statement, a person or a token that isn't there, and by
    whom it isn't theirs."""
    check(body, where)
    found = dispatch_from(body)
    if person is not None and not person.may_edit:
        raise RulkaError("You may read, not send.", hint="Ask an accountant.", code="rights")
    for thing in found.things:
        definitions_for(ledger, thing.statement, person)
    for recipient in found.recipients:
        if person_named(recipient.person) is None:
            raise NotFound(f"There is no person '{recipient.person[:40]}'.", hint="Invite them first.",
                           subject=f"{where}, to")  # fmt: skip
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
    record.note(person, "changed", ledger=ledger.code, thing=f"dispatch {kept.name}", detail=f"version {kept.version}")
    return kept


def passed_on(leaves: Person, heir: Person) -> str:
    """The dispatches of somebody who leaves go to somebody else."""
    count = Dispatch.objects.filter(owner=leaves).update(owner=heir)
    return f"{count} dispatches" if count else ""


def required(dispatch: Dispatch, person: Person | None) -> None:
    """Refuse whoever doesn't own a dispatch: what goes to others is its owner's to decide, and an administrator's."""
    if person is None or person.administers or (dispatch.owner_id == person.pk and person.may_edit):
        return
    raise NotFound(f"The dispatch '{dispatch.name}' does not exist.", subject="dispatch")


def find_dispatch(ledger: Ledger, name: str, *, person: Person | None) -> Dispatch:
    """A dispatch for whoever may send it; for others there is none."""
    own = list(Dispatch.objects.filter(ledger=ledger).select_related("ledger", "owner"))
    seen = [one for one in own if person is None or person.administers or one.owner_id == person.pk]
    found = next((one for one in seen if one.name == name), None)
    if found is None:
        raise NotFound(f"The dispatch '{name[:80]}' does not exist.", hint=one_of(name, [one.name for one in seen]),
                       subject="dispatch")  # fmt: skip
    required(found, person)
    return found
