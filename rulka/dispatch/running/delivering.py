"""Sending: an occasion is written down with all its deliveries and files before anything leaves; each delivery is taken
by one worker, and what it became is written down at once. What got no answer stands as not known, and never goes again
without a person."""

from __future__ import annotations

import time
from collections.abc import Mapping, Sequence
from datetime import datetime, timedelta
from hashlib import sha256
from pathlib import Path
from typing import Any

from django.conf import settings
from django.db import IntegrityError, transaction
from django.db.models import Q
from django.utils import timezone

from rulka.core.errors import NotFound, RulkaError
from rulka.core.sending.dispatches import FileServer, Folder, Link, Mail
from rulka.dispatch.library.servers import server_named
from rulka.dispatch.library.storing import body_of, is_theirs, read, required
from rulka.dispatch.models import Delivery, Dispatch, Sending
from rulka.dispatch.running import mail, servers
from rulka.dispatch.running.folders import put
from rulka.dispatch.running.planning import Occasion, Planned, may_see, plan, revision_of, sees_as
from rulka.ledger.feeds.fresh import bring_up_to_date
from rulka.ledger.models import Ledger
from rulka.ledger.reading.queries import find_ledger
from rulka.people.duties import RELEASE
from rulka.people.library import record
from rulka.people.library.persons import find_person
from rulka.people.library.rights import access_of
from rulka.people.models import Person
from rulka.statements.output.origins import may_take
from rulka.work.services import files
from rulka.work.services.backups import held_since
from rulka.work.services.loads import is_left, this_worker

State = Delivery.State
Stands = Sending.State
STORE = "sent"
PAUSES: Sequence[float] = (1, 4, 60, 300, 1_800)
"""Seconds between attempts to reach a server that isn't there."""

SHORT = 10
"""Pauses that are waited for; after a longer one the worker comes again."""

MOST_TIMES = 3
"""How often all is made anew because the ledger moved meanwhile."""


def by_hand(dispatch: Dispatch, period: str) -> str:
    """The next occasion on which a person sends a dispatch for a period."""
    count = Sending.objects.filter(
        ledger=dispatch.ledger.code, dispatch=dispatch.name, occasion__startswith=f"{period}, by hand "
    ).count()
    return f"{period}, by hand {count + 1}"


# asked for ----------------------------------------------------------------------------------------------------------


def ask(
    dispatch: Dispatch, period: str, occasion: str, *, person: Person | None, only: str = "",
    body: Mapping[str, Any] | None = None, state: str = Stands.ASKED, due: datetime | None = None, late: bool = False,
    rehearsal: bool = False,
) -> Sending:  # fmt: skip
    """Write down that a dispatch is to go on an occasion; refused where it did before. `body` is what goes where
    that is not all of it."""
    required(dispatch, person)
    if held_since():
        raise RulkaError("This is a restored copy: it sends nothing.", hint="Let it go on first.", subject="dispatch")
    said = dict(body or body_of(dispatch))
    found = read(said)
    if not found.things:
        raise RulkaError(f"'{found.title}' sends nothing.", hint="Choose what goes.", subject="sends")
    try:
        with transaction.atomic(using="work"):
            return Sending.objects.create(
                ledger=dispatch.ledger.code, dispatch=dispatch.name, occasion=occasion, period=period, body=said,
                person=person.pk if person else None, person_name=person.username if person else "", only=only,
                state=state, due=due, late=late, rehearsal=rehearsal,
            )  # fmt: skip
    except IntegrityError:
        raise RulkaError(f"'{dispatch.title}' went on this occasion already: {occasion}.",
                         hint="Send it to one of them again instead.", subject="dispatch") from None  # fmt: skip


def rehearse(dispatch: Dispatch, period: str, *, person: Person | None, only: str = "") -> list[Planned]:
    """What would go to whom now; nothing is sent, and no file of it counts as one that left."""
    required(dispatch, person)
    found = read(body_of(dispatch))
    revision = revision_of(found, dispatch.ledger, period)
    sender = person.called if person else ""
    return plan(Occasion(found, dispatch.ledger, period, "rehearsal", revision, sender), only=only)


def prepare(dispatch: Dispatch, period: str, occasion: str, *, person: Person | None, only: str = "") -> Sending:
    """Ask, and make all that goes: refused where that can't be, with nothing written down then."""
    sending = ask(dispatch, period, occasion, person=person, only=only)
    Sending.objects.filter(pk=sending.pk).update(state=Stands.MADE, worker=this_worker())
    try:
        _make(sending)
    except BaseException:
        Sending.objects.filter(pk=sending.pk, state=Stands.MADE).delete()
        raise
    sending.refresh_from_db()
    return sending


def make(number: int) -> None:
    """Make what goes on an occasion that was asked for, and deliver it unless somebody has to release it first; another
    worker that has it is left alone."""
    if held_since() or not Sending.objects.filter(pk=number, state=Stands.ASKED).update(
        state=Stands.MADE, worker=this_worker()
    ):
        return
    sending = Sending.objects.get(pk=number)
    try:
        _make(sending)
    except RulkaError as error:
        fail(sending, str(error))
        return
    deliver_all(sending)


def fail(sending: Sending, told: str) -> None:
    """Note that an occasion could not be made, and why."""
    if Sending.objects.filter(pk=sending.pk, state=Stands.MADE).update(state=Stands.FAILED, answer=told):
        _tell_owner(sending)


def _make(sending: Sending) -> None:
    """Compute, keep the files and write down all deliveries at once."""
    ledger, person = find_ledger(sending.ledger), find_person(sending.person)
    found = read(sending.body)
    if found.figures == "fetched first" and not sending.rehearsal:
        bring_up_to_date(ledger, person)
    revision, planned = _planned(sending, ledger, person)
    with transaction.atomic(using="work"):
        for one in planned:
            _write_down(sending, one)
        leaves = found.release and any(not one.problem for one in planned)  # what nobody gets needs no release
        after = Stands.REHEARSED if sending.rehearsal else Stands.HELD if leaves else Stands.GOES
        Sending.objects.filter(pk=sending.pk, state=Stands.MADE).update(state=after, revision=revision)
    if sending.rehearsal:
        return
    record.note(person, "sent", ledger=ledger.code, thing=f"dispatch {sending.dispatch}",
                detail=sending.occasion + (", to be released" if found.release else ""))  # fmt: skip


def _planned(sending: Sending, ledger: Ledger, person: Person | None) -> tuple[int, list[Planned]]:
    """What goes, all at one revision: made anew where the ledger moved meanwhile."""
    found = read(sending.body)
    sender = person.called if person else ""
    for _ in range(MOST_TIMES):
        revision = revision_of(found, ledger, sending.period)
        occasion = Occasion(
            found, ledger, sending.period, sending.occasion, revision, sender, leaves=not sending.rehearsal
        )
        planned = plan(occasion, only=sending.only)
        if revision_of(found, ledger, sending.period) == revision:
            return revision, planned
    raise RulkaError("The ledger moves faster than the dispatch is made.", hint="Send it once the load is done.",
                     subject="dispatch")  # fmt: skip


def _write_down(sending: Sending, one: Planned) -> Delivery:
    kept = [
        {
            "name": file.name,
            "bytes": len(file.content),
            "digest": (digest := sha256(file.content).hexdigest()),
            "place": files.keep(f"{one.identity}-{at}-{digest[:12]}", file.content, folder=STORE),
        }
        for at, file in enumerate(one.files)
    ]
    return Delivery.objects.create(
        sending=sending, identity=one.identity, person=one.person or 0, person_name=one.person_name, node=one.node,
        way=one.way, target=one.target, letter=dict(one.letter or {}), files=kept, fence=one.fence,
        state=State.NOT_SENT if one.problem else State.WAITS, answer=one.problem,
        ended=timezone.now() if one.problem else None,
    )  # fmt: skip


# released -------------------------------------------------------------------------------------------------------------


def rehearsal_of(dispatch: Dispatch, period: str) -> Sending | None:
    """The last rehearsal of a dispatch for a period."""
    return Sending.objects.filter(
        ledger=dispatch.ledger.code, dispatch=dispatch.name, period=period, rehearsal=True
    ).first()


def rehearse_again(dispatch: Dispatch, period: str, *, person: Person | None) -> Sending:
    """Ask for a rehearsal in the place of the former ones."""
    required(dispatch, person)
    former = list(Sending.objects.filter(ledger=dispatch.ledger.code, dispatch=dispatch.name, rehearsal=True))
    number = max((one.pk for one in former), default=0) + 1
    made = ask(dispatch, period, f"rehearsal {number}", person=person, rehearsal=True)
    for one in former:
        _forget(one)
    return made


def _forget(sending: Sending) -> int:
    """Forget an occasion with its files; how many deliveries it had."""
    gone = 0
    for delivery in sending.deliveries.all():
        for file in delivery.files:
            if path := files.find(file["place"], folder=STORE):
                path.unlink(missing_ok=True)
        gone += 1
    sending.delete()
    return gone


def may_release(sending: Sending, person: Person) -> bool:
    """Whether somebody may release what waits: they have the right, didn't send it themselves, and may read all that
    goes; others don't know of it."""
    if not person.may(RELEASE) or person.pk == sending.person or access_of(person, sending.ledger) is None:
        return False
    each = {one.person: one for one in sending.deliveries.all() if one.files}
    return bool(each) and all(may_read(one, person) for one in each.values())


def _judged(sending: Sending, person: Person, state: str, answer: str = "") -> None:
    if not may_release(sending, person):
        raise RulkaError("A second person releases what you send." if person.pk == sending.person else
                         "You may not release what is sent.", hint="Ask a controller.", code="rights")  # fmt: skip
    held = Sending.objects.filter(pk=sending.pk, state=Stands.HELD)
    if not held.update(state=state, judge=person.username, answer=answer):
        raise RulkaError("It waits for release no longer.", hint="Load the page again.", subject="dispatch")


def release(sending: Sending, *, person: Person) -> None:
    """Let go what was made, as it was made."""
    _judged(sending, person, Stands.GOES)
    record.note(person, "sent", ledger=sending.ledger, thing=f"dispatch {sending.dispatch}",
                detail=f"{sending.occasion}, released")  # fmt: skip


def decline(sending: Sending, reason: str, *, person: Person) -> None:
    """Don't release what was made, for a reason."""
    if not reason.strip():
        raise RulkaError("Say why it isn't released.", hint="Its owner reads it.", subject="reason")
    _judged(sending, person, Stands.DECLINED, reason.strip()[:1000])
    record.note(person, "sent", ledger=sending.ledger, thing=f"dispatch {sending.dispatch}",
                detail=f"{sending.occasion}, not released: {reason.strip()}")  # fmt: skip


def decide(sending: Sending, dispatch: Dispatch, *, goes: bool, person: Person | None) -> None:
    """Let an occasion that was missed go after all, or let it be; what waits for release can be let be too."""
    required(dispatch, person)
    states = (Stands.WAITS,) if goes else (Stands.WAITS, Stands.HELD)
    waits = Sending.objects.filter(pk=sending.pk, state__in=states)
    if not waits.update(state=Stands.ASKED if goes else Stands.DROPPED):
        raise RulkaError("It waits for you no longer.", hint="Load the page again.", subject="dispatch")
    record.note(person, "sent", ledger=sending.ledger, thing=f"dispatch {sending.dispatch}",
                detail=f"{sending.occasion}, {'goes late' if goes else 'let go'}")  # fmt: skip


def could_not(dispatch: Dispatch, period: str, occasion: str, told: str, due: datetime) -> None:
    """Write down that an occasion came and nothing could even be asked for; its owner is told."""
    sending = Sending.objects.create(
        ledger=dispatch.ledger.code, dispatch=dispatch.name, occasion=occasion, period=period, body=dispatch.body,
        person=dispatch.owner_id, person_name=dispatch.owner.username if dispatch.owner else "", due=due,
        state=Stands.FAILED, answer=told,
    )  # fmt: skip
    _tell_owner(sending)


# delivered ----------------------------------------------------------------------------------------------------------


def deliver_all(sending: Sending) -> None:
    """Deliver all of an occasion that waits, unless it has to be released first."""
    sending.refresh_from_db()
    if sending.state != Stands.GOES:
        return
    for number in sending.deliveries.filter(state=State.WAITS).values_list("pk", flat=True):
        deliver(number)
    _tell_owner(sending)


def deliver(number: int) -> None:
    """Deliver one that waits; another worker that has it is left alone."""
    if held_since():
        return
    waiting = Delivery.objects.filter(pk=number, state=State.WAITS, sending__state=Stands.GOES)
    if not waiting.update(state=State.UNDER_WAY, worker=this_worker(), again=None):
        return
    delivery = Delivery.objects.select_related("sending").get(pk=number)
    pauses = [0.0, *PAUSES][delivery.attempts :] or [0.0]
    if pauses[0] > SHORT:
        pauses[0] = 0.0  # that one was waited for already
    again = None
    for at, pause in enumerate(pauses, 1):
        if pause > SHORT:
            again = timezone.now() + timedelta(seconds=pause)
            break
        time.sleep(pause)
        Delivery.objects.filter(pk=number).update(attempts=delivery.attempts + at)
        answer = _transmit(delivery)
        if answer.state != "not sent":
            break
    state = State.WAITS if again and answer.state == "not sent" else answer.state
    Delivery.objects.filter(pk=number, state=State.UNDER_WAY).update(
        state=state, answer=answer.text, again=again, ended=None if state == State.WAITS else timezone.now()
    )


def _transmit(delivery: Delivery) -> mail.Answer:
    way = read(delivery.sending.body).way_named(delivery.way)
    try:
        if isinstance(way, Link):
            return mail.Answer("delivered", "The link opens until it is called back.")
        contents = [(one["name"], content_of(one)) for one in delivery.files]
        if isinstance(way, Mail):
            account = mail.own_account(_owner_of(delivery.sending)) if way.own else None
            return mail.hand_over(_letter(delivery, contents), account)
        if isinstance(way, FileServer):
            return _onto_server(delivery, way, contents)
        return _into_folder(delivery, way, contents)
    except RulkaError as error:
        return mail.Answer("refused", str(error))


def _owner_of(sending: Sending) -> int | None:
    kept = Dispatch.objects.filter(ledger__code=sending.ledger, name=sending.dispatch).first()
    return kept.owner_id if kept else sending.person


def _letter(delivery: Delivery, contents: Sequence[tuple[str, bytes]]) -> mail.Letter:
    letter = delivery.letter
    copy, hidden = ([one.strip() for one in letter.get(field, "").split(",") if one.strip()]
                    for field in ("copy", "hidden"))  # fmt: skip
    return mail.Letter(delivery.identity, delivery.target, copy, letter["subject"], letter["text"], contents,
                       letter.get("page", ""), hidden)  # fmt: skip


def _into_folder(delivery: Delivery, way: Folder, contents: Sequence[tuple[str, bytes]]) -> mail.Answer:
    try:
        named = [put(delivery.target, name, content, exists=way.exists) for name, content in contents]
    except OSError as error:
        return mail.Answer("not sent", f"{error.strerror or error}.")
    return mail.Answer("delivered", ", ".join(named))


def _onto_server(delivery: Delivery, way: FileServer, contents: Sequence[tuple[str, bytes]]) -> mail.Answer:
    by = servers.way_to(server_named(find_ledger(delivery.sending.ledger), way.server))
    below = [part for part in delivery.target.split("/") if part]
    try:
        named = servers.put_all(by, below, contents, way.exists, delivery.identity)
    except servers.NotReached as error:
        return mail.Answer("not sent", str(error))
    except servers.NotKnown as error:
        return mail.Answer("not known", str(error))
    return mail.Answer("delivered", ", ".join(named))


def content_of(file: Mapping[str, Any]) -> bytes:
    """A file as it was kept; refused where it isn't that any more."""
    path = files.find(file["place"], folder=STORE)
    content = path.read_bytes() if path else b""
    if sha256(content).hexdigest() != file["digest"]:
        raise RulkaError(f"{file['name']} isn't there as it was kept.", hint="Send it again as a new one.",
                         subject="file")  # fmt: skip
    return content


BAD = (State.REFUSED, State.NOT_SENT, State.NOT_KNOWN)


def _tell_owner(sending: Sending) -> None:
    """Write to the owner of what came by itself, where something didn't arrive or it could not be made. It is a notice:
    what becomes of it stands nowhere, the page tells the same."""
    sending.refresh_from_db()
    bad = [one for one in sending.deliveries.all() if one.state in BAD]
    owner = find_person(_owner_of(sending))
    if sending.due is None or owner is None or not owner.email or not settings.MAIL_HOST or not settings.MAIL_FROM:
        return
    if not bad and sending.state != Stands.FAILED:
        return
    lines = [f"{one.person_name}, {one.way}: {one.get_state_display()}. {one.answer}" for one in bad]
    told = "\n".join([sending.answer] if sending.state == Stands.FAILED else lines)
    subject = f"{sending.body.get('title') or sending.dispatch}, {sending.period}: something did not go"
    mail.hand_over(mail.Letter(f"notice-{sending.pk}", owner.email, (), subject[:200], told, ()))


# again, back, forgotten ---------------------------------------------------------------------------------------------


def send_again(delivery: Delivery, dispatch: Dispatch, *, person: Person | None, now: bool = True) -> None:
    """Let one delivery go once more, by a person's choice, with the same identity and files; not `now`, but as soon as
    the worker comes."""
    required(dispatch, person)
    if delivery.sending.state != Stands.GOES:
        raise RulkaError(f"It {delivery.sending.get_state_display()}.", subject="dispatch")
    if not delivery.files:
        raise RulkaError("There is nothing of it to send.", hint=delivery.answer or "Send the dispatch.",
                         subject="dispatch")  # fmt: skip
    ended = Delivery.objects.filter(pk=delivery.pk).exclude(state__in=(State.UNDER_WAY,)).exclude(
        state=State.WAITS, again__isnull=True
    )  # fmt: skip
    if not ended.update(state=State.WAITS, answer="", ended=None, again=None, attempts=0, noted=False):
        raise RulkaError("It is under way.", hint="Wait for its end.", subject="dispatch")
    record.note(person, "sent", ledger=dispatch.ledger.code, thing=f"dispatch {dispatch.name}",
                detail=f"again to {delivery.person_name}, {delivery.way}")  # fmt: skip
    if now:
        deliver(delivery.pk)


def recall(delivery: Delivery, dispatch: Dispatch, *, person: Person | None) -> None:
    """Call a link back: it opens nothing any more."""
    required(dispatch, person)
    way = read(delivery.sending.body).way_named(delivery.way)
    if not isinstance(way, Link):
        raise RulkaError("Only a link is called back; what was handed over is theirs.", subject=delivery.way)
    if not Delivery.objects.filter(pk=delivery.pk, state=State.DELIVERED).update(
        state=State.RECALLED, answer="It was called back.", ended=timezone.now()
    ):
        raise RulkaError("The link opens nothing now.", subject=delivery.way)
    record.note(person, "sent", ledger=dispatch.ledger.code, thing=f"dispatch {dispatch.name}",
                detail=f"link to {delivery.person_name} called back")  # fmt: skip


def note_read(delivery: Delivery, dispatch: Dispatch, *, person: Person | None) -> None:
    """Note that the owner read that something didn't arrive."""
    required(dispatch, person)
    Delivery.objects.filter(pk=delivery.pk).update(noted=True)


def link_for(name: str, person: Person) -> Delivery:
    """What a link leads to, for whom it was sent to; for others there is none. They still have to see the ledger."""
    found = Delivery.objects.filter(identity=name).select_related("sending").first()
    if (
        found is None or found.person != person.pk or person.looked_by is not None
        or access_of(person, found.sending.ledger) is None
        or not isinstance(read(found.sending.body).way_named(found.way), Link)
    ):  # fmt: skip
        raise NotFound("There is no such link.", hint="Open it as whom it was sent to.", subject="link")
    if found.state == State.RECALLED:
        raise RulkaError("This link was called back.", hint="Ask who sent it.", subject="link", code="recalled")
    if found.state != State.DELIVERED:
        raise NotFound("There is no such link.", hint="Open it as whom it was sent to.", subject="link")
    return found


def links_for(ledger: Ledger, person: Person) -> list[Delivery]:
    """What was sent to somebody by link and still opens, the newest first."""
    own = Delivery.objects.filter(
        sending__ledger=ledger.code, person=person.pk, state=State.DELIVERED
    ).select_related("sending").order_by("-pk")  # fmt: skip
    return [one for one in own if isinstance(read(one.sending.body).way_named(one.way), Link)]


def may_read(delivery: Delivery, person: Person) -> bool:
    """Whether somebody may open the files and the letter of a delivery: who got it, or who sees all that they see; and
    others, and all of a rehearsal, only what was made behind bounds that they see, whatever was narrowed since."""
    other = find_person(delivery.person)
    if other is None or person.looked_by is not None:
        return False
    ledger = find_ledger(delivery.sending.ledger)
    is_theirs_already = person.pk == other.pk and not delivery.sending.rehearsal
    sees = is_theirs_already or may_see(person, ledger, delivery.fence)
    return sees and sees_as(person, other, ledger, read(delivery.sending.body).things)


def required_still(delivery: Delivery, file: Mapping[str, Any], person: Person) -> None:
    """Refuse a file that shows what somebody doesn't see any more, who might when it was sent; one of a rehearsal is
    judged by what its recipient sees now."""
    if not delivery.sending.rehearsal and not may_take(file["digest"], person):
        raise RulkaError("You don't see all that this file shows any more.", hint="Ask who sent it.", code="rights")


def find_sending(ledger: Ledger, number: int, person: Person) -> tuple[Sending, Dispatch | None]:
    """An occasion with its dispatch, for its owner and for who may release it; for others there is none."""
    found = Sending.objects.filter(ledger=ledger.code, pk=number).first()
    kept = (
        Dispatch.objects.filter(ledger=ledger, name=found.dispatch).select_related("ledger").first() if found else None
    )
    own = kept is not None and is_theirs(kept, person)
    if found is None or not (own or (found.state == Stands.HELD and may_release(found, person))):
        raise NotFound("There is no such occasion.", hint="Choose one of the list.", subject="dispatch")
    return found, kept if own else None


def find_delivery(ledger: Ledger, number: int, person: Person) -> tuple[Delivery, Dispatch | None]:
    """A delivery with its dispatch, for whom its occasion is there."""
    found = Delivery.objects.filter(sending__ledger=ledger.code, pk=number).select_related("sending").first()
    try:
        if found is not None:
            return found, find_sending(ledger, found.sending_id, person)[1]
    except NotFound:
        pass  # one that isn't theirs answers as one that isn't there
    raise NotFound("There is no such delivery.", hint="Choose one of the list.", subject="dispatch")


def forget_old() -> int:
    """Forget sendings older than set (`RULKA_SENT_DAYS`), with their files; how many deliveries that were."""
    before = timezone.now() - timedelta(days=max(1, int(settings.SENT_DAYS)))
    gone = sum(_forget(one) for one in Sending.objects.filter(at__lt=before))
    kept = {Path(file["place"]).name for held in Delivery.objects.values_list("files", flat=True) for file in held}
    for path in (Path(settings.VAR) / STORE).glob("*"):  # what was made and never written down
        if path.name not in kept and path.stat().st_mtime < before.timestamp():
            path.unlink(missing_ok=True)
    return gone


def recover(own: bool) -> int:
    """Take up what a dead worker left: a folder and a file server take the same file once only, so that goes on; a mail
    that may have been handed over isn't known."""
    left_unmade = [one for one in Sending.objects.filter(state=Stands.MADE) if is_left(one.worker, own=own)]
    for sending in left_unmade:
        Sending.objects.filter(pk=sending.pk, state=Stands.MADE).update(state=Stands.ASKED)
    left = [one for one in Delivery.objects.filter(state=State.UNDER_WAY).select_related("sending")
            if is_left(one.worker, own=own)]  # fmt: skip
    for delivery in left:
        way = read(delivery.sending.body).way_named(delivery.way)
        if isinstance(way, Link) or (isinstance(way, Folder | FileServer) and way.exists != "overwrite"):
            Delivery.objects.filter(pk=delivery.pk).update(state=State.WAITS)
        else:
            told = "The server was being talked to when Rulka stopped; whether it has it isn't known."
            Delivery.objects.filter(pk=delivery.pk).update(state=State.NOT_KNOWN, answer=told, ended=timezone.now())
    return len(left) + len(left_unmade)


def asked_for() -> list[int]:
    """The occasions that were asked for and wait to be made, the oldest first."""
    return [*Sending.objects.filter(state=Stands.ASKED).order_by("pk").values_list("pk", flat=True)]


def _ready() -> Any:
    ready = Q(again__isnull=True) | Q(again__lte=timezone.now())
    return Delivery.objects.filter(ready, state=State.WAITS, sending__state=Stands.GOES)


def deliver_waiting() -> None:
    """Deliver what waits and whose pause is over; owners are told once nothing of an occasion waits any more."""
    touched = set()
    for number, sending in [*_ready().values_list("pk", "sending")]:
        deliver(number)
        touched.add(sending)
    for one in Sending.objects.filter(pk__in=touched):
        if not one.deliveries.filter(state__in=(State.WAITS, State.UNDER_WAY)).exists():
            _tell_owner(one)


def something_waits() -> bool:
    """Whether there is anything to make or to deliver now."""
    return Sending.objects.filter(state=Stands.ASKED).exists() or _ready().exists()
