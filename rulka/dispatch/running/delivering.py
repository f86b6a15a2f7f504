"""Sending: an occasion is written down with all its deliveries and files before anything leaves; each delivery is taken
by one worker, and what it became is written down at once. What got no answer stands as not known, and never goes again
without a person."""

from __future__ import annotations

import time
from collections.abc import Sequence
from datetime import timedelta
from hashlib import sha256
from typing import Any

from django.conf import settings
from django.db import IntegrityError, transaction
from django.utils import timezone

from rulka.core.errors import RulkaError
from rulka.core.sending.dispatches import Folder, Mail, dispatch_from
from rulka.dispatch.library.storing import required
from rulka.dispatch.models import Delivery, Dispatch, Sending
from rulka.dispatch.running import mail
from rulka.dispatch.running.folders import put
from rulka.dispatch.running.planning import Planned, plan
from rulka.people.library import record
from rulka.people.models import Person
from rulka.work.services import files
from rulka.work.services.backups import held_since
from rulka.work.services.loads import is_left, this_worker

State = Delivery.State
STORE = "sent"
PAUSES: Sequence[float] = (1, 4)
"""Seconds between attempts to reach a server that isn't there."""


def by_hand(dispatch: Dispatch, period: str) -> str:
    """The next occasion on which a person sends a dispatch for a period."""
    count = Sending.objects.filter(ledger=dispatch.ledger.code, dispatch=dispatch.name, period=period).count()
    return f"{period}, by hand {count + 1}"


def prepare(dispatch: Dispatch, period: str, occasion: str, *, person: Person | None, only: str = "") -> Sending:
    """Write down an occasion with all that goes, its files kept as they will go; refused where it was before."""
    required(dispatch, person)
    if held_since():
        raise RulkaError("This is a restored copy: it sends nothing.", hint="Let it go on first.", subject="dispatch")
    ledger = dispatch.ledger
    refusal = RulkaError(f"'{dispatch.title}' went on this occasion already: {occasion}.",
                         hint="Send it to one of them again instead.", subject="dispatch")  # fmt: skip
    if Sending.objects.filter(ledger=ledger.code, dispatch=dispatch.name, occasion=occasion).exists():
        raise refusal
    sender = person.called if person else ""
    planned = plan(dispatch_from(dispatch.body), ledger, period, occasion, sender=sender, only=only, leaves=True)
    try:
        with transaction.atomic(using="work"):
            sending = Sending.objects.create(
                ledger=ledger.code, dispatch=dispatch.name, occasion=occasion, period=period, revision=ledger.revision,
                body=dispatch.body, person=person.pk if person else None, person_name=person.username if person else "",
            )  # fmt: skip
            for one in planned:
                _write_down(sending, one)
    except IntegrityError:
        raise refusal from None
    record.note(person, "sent", ledger=ledger.code, thing=f"dispatch {dispatch.name}", detail=occasion)
    return sending


def _write_down(sending: Sending, one: Planned) -> Delivery:
    kept = [
        {
            "name": file.name,
            "bytes": len(file.content),
            "digest": sha256(file.content).hexdigest(),
            "place": files.keep(f"{one.identity}-{at}", file.content, folder=STORE),
        }
        for at, file in enumerate(one.files)
    ]
    return Delivery.objects.create(
        sending=sending, identity=one.identity, person=one.person or 0, person_name=one.person_name, node=one.node,
        way=one.way, target=one.target, letter=dict(one.letter or {}), files=kept,
        state=State.NOT_SENT if one.problem else State.WAITS, answer=one.problem,
        ended=timezone.now() if one.problem else None,
    )  # fmt: skip


def deliver_all(sending: Sending) -> None:
    """Deliver all of an occasion that waits."""
    for number in sending.deliveries.filter(state=State.WAITS).values_list("pk", flat=True):
        deliver(number)


def deliver(number: int) -> None:
    """Deliver one that waits; another worker that has it is left alone."""
    if held_since():
        return
    waiting = Delivery.objects.filter(pk=number, state=State.WAITS)
    if not waiting.update(state=State.UNDER_WAY, worker=this_worker()):
        return
    delivery = Delivery.objects.select_related("sending").get(pk=number)
    for attempt, pause in enumerate((0, *PAUSES), 1):
        time.sleep(pause)
        Delivery.objects.filter(pk=number).update(attempts=delivery.attempts + attempt)
        answer = _transmit(delivery)
        if answer.state != "not sent":
            break
    Delivery.objects.filter(pk=number, state=State.UNDER_WAY).update(
        state=answer.state, answer=answer.text, ended=timezone.now()
    )


def _transmit(delivery: Delivery) -> mail.Answer:
    way = next(one for one in dispatch_from(delivery.sending.body).ways if one.name == delivery.way)
    try:
        contents = [(one["name"], _kept(one)) for one in delivery.files]
        if isinstance(way, Mail):
            return mail.hand_over(_letter(delivery, contents))
        return _into_folder(delivery, way, contents)
    except RulkaError as error:
        return mail.Answer("refused", str(error))


def _letter(delivery: Delivery, contents: Sequence[tuple[str, bytes]]) -> mail.Letter:
    letter = delivery.letter
    copy = [one.strip() for one in letter["copy"].split(",") if one.strip()]
    return mail.Letter(delivery.identity, delivery.target, copy, letter["subject"], letter["text"], contents)


def _into_folder(delivery: Delivery, way: Folder, contents: Sequence[tuple[str, bytes]]) -> mail.Answer:
    try:
        named = [put(delivery.target, name, content, exists=way.exists) for name, content in contents]
    except OSError as error:
        return mail.Answer("not sent", f"{error.strerror or error}.")
    return mail.Answer("delivered", ", ".join(named))


def _kept(file: dict[str, Any]) -> bytes:
    """A file as it was kept; refused where it isn't that any more."""
    path = files.find(file["place"], folder=STORE)
    content = path.read_bytes() if path else b""
    if sha256(content).hexdigest() != file["digest"]:
        raise RulkaError(f"{file['name']} isn't there as it was kept.", hint="Send it again as a new one.",
                         subject="file")  # fmt: skip
    return content


def send_again(delivery: Delivery, dispatch: Dispatch, *, person: Person | None) -> None:
    """Let one delivery go once more, by a person's choice, with the same identity and files."""
    required(dispatch, person)
    if delivery.state in (State.WAITS, State.UNDER_WAY):
        raise RulkaError("It is under way.", hint="Wait for its end.", subject="dispatch")
    if not delivery.files:
        raise RulkaError("There is nothing of it to send.", hint=delivery.answer or "Send the dispatch.",
                         subject="dispatch")  # fmt: skip
    thing = f"dispatch {dispatch.name}"
    record.note(person, "sent", ledger=dispatch.ledger.code, thing=thing,
                detail=f"again to {delivery.person_name}, {delivery.way}")  # fmt: skip
    Delivery.objects.filter(pk=delivery.pk).update(state=State.WAITS, answer="", ended=None)
    deliver(delivery.pk)


def forget_old() -> int:
    """Forget sendings older than set (`RULKA_SENT_DAYS`), with their files; how many deliveries that were."""
    before = timezone.now() - timedelta(days=max(1, int(settings.SENT_DAYS)))
    old = Sending.objects.filter(at__lt=before)
    gone = 0
    for delivery in Delivery.objects.filter(sending__in=old):
        for file in delivery.files:
            if path := files.find(file["place"], folder=STORE):
                path.unlink(missing_ok=True)
        gone += 1
    old.delete()
    return gone


def recover(own: bool) -> int:
    """Take up what a dead worker left: a folder takes the same file once only, so that goes on; a mail that may have
    been handed over isn't known."""
    left = [one for one in Delivery.objects.filter(state=State.UNDER_WAY).select_related("sending")
            if is_left(one.worker, own=own)]  # fmt: skip
    for delivery in left:
        way = next(one for one in dispatch_from(delivery.sending.body).ways if one.name == delivery.way)
        if isinstance(way, Folder) and way.exists != "overwrite":
            Delivery.objects.filter(pk=delivery.pk).update(state=State.WAITS)
        else:
            told = "The server was being talked to when Rulka stopped; whether it has it isn't known."
            Delivery.objects.filter(pk=delivery.pk).update(state=State.NOT_KNOWN, answer=told, ended=timezone.now())
    waiting = [*Delivery.objects.filter(state=State.WAITS).values_list("pk", flat=True)]
    for number in waiting:
        deliver(number)
    return len(left)
