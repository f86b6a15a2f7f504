"""The steps of a section: held, kept, released, handed in, reviewed, taken back. Each is asked of one table of what is
permitted (`core/folios/standing.py`), done under a lock, written down, and told to whom it concerns."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from django.db import transaction
from django.utils import timezone

from rulka.core.books.fence import NO_FENCE, Fence
from rulka.core.errors import RulkaError
from rulka.core.folios.filled import filled_to
from rulka.core.folios.standing import NEEDS_REASON, STEPS, Actor, SectionStanding, Step, after, refused
from rulka.core.folios.styles import undecided
from rulka.core.folios.writing import document_from, document_to
from rulka.folios.editing.notifying import notify
from rulka.folios.library.opening import actor_of, draft_of, row_of, section_of, standing_of
from rulka.folios.models import Content, Folio, Notice, Remark, Section, SectionStep
from rulka.folios.running.comparing import beside_master
from rulka.folios.running.sections import FolioReading, reader_key
from rulka.ledger.models import Ledger
from rulka.people.library import record
from rulka.people.library.persons import people_named, people_of
from rulka.people.library.rights import fence_of
from rulka.people.models import Person
from rulka.statements.library.shelves import RUN, level_on

MOST_READERS = 60
"""Readers for each of whom the figures of a finished section are kept."""

UNCHANGED = "Somebody did something with this section since you opened it."


@transaction.atomic
def act(
    folio: Folio, key: str, step: Step, person: Person | None, *, reason: str = "", seen: int | None = None
) -> Section:
    """Do a step for somebody; raises RulkaError that says why not. Nothing is changed then."""
    section = section_of(folio, key)
    folio = Folio.objects.select_for_update().select_related("ledger", "shelf", "owner").get(pk=folio.pk)
    row = row_of(folio, key, lock=True)
    draft = draft_of(row, person)
    now, who = standing_of(folio, section, row, draft), actor_of(person, folio)
    required(step, now, who, reason)
    if seen is not None and seen != row.version:
        raise RulkaError(UNCHANGED, hint="Look at it as it is now, then do it again.", code="stale")
    before = now.responsible
    content = _contents(step, row, draft, person)
    next_one = after(step, now, who)
    if next_one.state == "done" and now.state != "done":
        _freeze(folio, row, person)
    _store(row, next_one, person, reason if step in NEEDS_REASON else "")
    pointed = typed_in(folio, row, person) if step == "hand in" else ""
    _note(folio, row, person, STEPS[step], reason or pointed, content or row.released)
    _tell(folio, row, step, now, next_one, person, before, reason)
    return row


def typed_in(folio: Folio, row: Section, person: Person | None) -> str:
    """What is to be known of numbers that were typed in a section, in words; nothing where there is nothing."""
    reading = FolioReading(folio, fence_for(folio.ledger, person), person)
    reading.rows[row.key] = row
    found = reading.section(row.key).typed
    if not found:
        return ""
    words = {"equal": "is", "contradicts": "contradicts", "stale": "was"}
    told = "; ".join(f"'{one.typed.text}' {words[one.judgement]} {one.fact.title}" for one in found[:3])
    more = f" and {len(found) - 3} more" if len(found) > 3 else ""
    return f"{len(found)} typed figure{'s' if len(found) > 1 else ''} to look at: {told}{more}"


def required(step: Step, now: SectionStanding, who: Actor, reason: str = "") -> None:
    """Refuse what may not be done now."""
    error = refused(step, now, who, reason)
    if error is not None:
        raise error


def _contents(step: Step, row: Section, draft: Content | None, person: Person | None) -> Content | None:
    """What becomes of what somebody keeps: released with their words, dropped where they give up."""
    if draft is None:
        return None
    if step in ("release", "hand in"):
        _required_decided(row.folio, draft)
        draft.state = Content.State.RELEASED
        draft.save()
        row.released = draft
        return draft
    if step == "accept" and row.holder_id == (person.pk if person else None):
        _required_decided(row.folio, draft)
        draft.state = Content.State.RELEASED
        draft.save()
        row.released = draft
        return draft
    if step == "give up":
        draft.state = Content.State.DROPPED
        draft.save()
    return None


def _required_decided(folio: Folio, draft: Content) -> None:
    """Refuse a file for whose differences from the master nobody has chosen."""
    left = undecided(beside_master(folio, draft), draft.chosen)
    if left:
        names = ", ".join(one.what for one in left[:4]) + (" ..." if len(left) > 4 else "")
        raise RulkaError(
            f"It differs from the master in {len(left)} thing{'s' if len(left) > 1 else ''}: {names}.",
            hint="Choose for each, or for all, whether it is kept or taken from the master.", code="style",
            subject="style",
        )  # fmt: skip


def _freeze(folio: Folio, row: Section, person: Person | None) -> None:
    """Keep the figures that a section is finished with, as each of its readers sees them: nobody ever gets those of
    other bounds. Readers beyond so many, and those who come later, get them from the ledger's revision."""
    readers: list[Person | None] = [None, *([person] if person is not None else [])]
    readers += [one for one in people_of(folio.ledger.code) if one != person and level_on(one, folio.shelf_id) >= RUN]
    people: dict[str, Any] = {}
    filled: list[Any] = []
    for one in readers[:MOST_READERS]:
        reading = FolioReading(folio, fence_for(folio.ledger, one), one)
        reading.rows[row.key] = row
        told = filled_to(reading.section(row.key).live())
        if told not in filled:
            filled.append(told)
        people[reader_key(one)] = {"fence": reading.deep.digest, "at": filled.index(told)}
    row.frozen = {"people": people, "filled": filled}
    own = FolioReading(folio, fence_for(folio.ledger, person), person)
    row.period, row.node = own.period.code, own.outline.node
    row.revision = own.places().view.revision


def fence_for(ledger: Ledger, person: Person | None) -> Fence:
    """Somebody's bounds in a ledger; a command for nobody has none."""
    return fence_of(person, ledger.code) if person is not None else NO_FENCE


def _store(row: Section, now: SectionStanding, person: Person | None, reason: str) -> None:
    if now.state != row.state or now.turn != row.turn:
        row.since = timezone.now()
    if now.state in ("to write", "sent back") and row.state == Section.State.DONE:
        row.frozen = None
    row.state, row.turn = now.state, now.turn
    holder = person if now.holder and person is not None and now.holder == person.username else None
    if now.holder and holder is None:
        holder = row.holder
    if holder != row.holder:
        row.held = timezone.now() if holder is not None else None
        row.desk_keys.all().delete()
    row.holder = holder
    row.reason = reason if reason else ("" if now.state in ("done", "in review") else row.reason)
    row.version += 1
    row.save()


def _note(
    folio: Folio,
    row: Section | None,
    person: Person | None,
    what: str,
    detail: str = "",
    content: Content | None = None,
) -> None:
    SectionStep.objects.create(folio=folio, section=row, person=person, what=what, detail=detail, content=content)
    told = f"{row.key}: {what}" if row is not None else what
    record.note(person, "changed", ledger=folio.ledger.code, thing=f"folio {folio.name}",
                detail=f"{told}{f', {detail}' if detail else ''}")  # fmt: skip


def _tell(
    folio: Folio,
    row: Section,
    step: Step,
    was: SectionStanding,
    now: SectionStanding,
    person: Person | None,
    before: str,
    reason: str,
) -> None:
    """Tell whose turn it is now, whose hold was released, that a section is done."""
    title, who = now.section.title, person.called if person is not None else "A command"
    Notice.objects.filter(folio=folio, section=row.key, seen=False, person__username=before).update(seen=True)
    if step == "free" and was.holder and (person is None or was.holder != person.username):
        held = people_named([was.holder]).get(was.holder)
        notify(folio, held, f"{who} released your hold on '{title}'. What you kept is still yours.", row.key)
    moved = now.responsible and (now.responsible != before or step in ("send back", "take back"))
    if moved and (person is None or now.responsible != person.username):
        words = {
            "send back": f"{who} sent '{title}' back: {reason}",
            "take back": f"{who} took '{title}' back: {reason}",
        }.get(step, f"'{title}' is yours to {'review' if now.state == 'in review' else 'write'}.")
        notify(folio, people_named([now.responsible]).get(now.responsible), words, row.key)
    if now.state == "done" and was.state != "done" and folio.owner is not None and folio.owner != person:
        notify(folio, folio.owner, f"'{title}' is done.", row.key)


# what is written ------------------------------------------------------------------------------------------------------


@transaction.atomic
def keep_text(folio: Folio, key: str, raw: Any, person: Person, *, seen: int | None = None) -> Content:
    """Keep what somebody wrote in the browser: nobody else sees it. Refused where they don't hold the section, or saved
    it in another window since."""
    document = document_from(raw)
    return _keep(folio, key, person, "text", seen, body=document_to(document))


@transaction.atomic
def keep_file(
    folio: Folio, key: str, data: bytes, name: str, form: str, person: Person, *, chosen: dict[str, str] | None = None,
    seen: int | None = None,
) -> Content:  # fmt: skip
    """Keep a file that was written elsewhere, already judged; choices for differences that it still has stay."""
    return _keep(folio, key, person, form, seen, data=data, file_name=name[:120], chosen=chosen or {})


def _keep(folio: Folio, key: str, person: Person, form: str, seen: int | None, **values: Any) -> Content:
    section = section_of(folio, key)
    folio = Folio.objects.select_for_update().select_related("ledger", "shelf", "owner").get(pk=folio.pk)
    row = row_of(folio, key, lock=True)
    draft = draft_of(row, person)
    required("keep", standing_of(folio, section, row, draft), actor_of(person, folio))
    if seen is not None and seen != (draft.version if draft else 0):
        raise RulkaError(
            "It was kept in another window, or from a desktop program, since you opened it.",
            hint="Look at it as it is now; what you have here is not lost as long as this page is open.", code="stale",
        )  # fmt: skip
    revision = FolioReading(folio, fence_for(folio.ledger, person), person).places().view.revision
    plain = {"body": None, "data": None, "file_name": "", "chosen": {}, **values, "form": form, "revision": revision}
    if draft is None:
        draft = Content.objects.create(section=row, person=person, **plain)
    else:
        for name, value in plain.items():
            setattr(draft, name, value)
        draft.version += 1
        draft.save()
    row.version += 1
    row.save(update_fields=["version"])
    _note(folio, row, person, "kept" if form == "text" else "uploaded", values.get("file_name", ""), draft)
    return draft


@transaction.atomic
def drop_draft(folio: Folio, key: str, person: Person) -> None:
    """Drop what somebody keeps; what was released stands. It can be taken up again from the history."""
    row = row_of(folio, key, lock=True)
    draft = draft_of(row, person)
    if draft is None:
        raise RulkaError("You keep nothing of it.", hint="There is nothing to drop.", subject="draft")
    draft.state = Content.State.DROPPED
    draft.save()
    row.version += 1
    row.save(update_fields=["version"])
    _note(folio, row, person, "dropped", draft.file_name, draft)


@transaction.atomic
def choose_styles(folio: Folio, key: str, choices: dict[str, str], person: Person) -> None:
    """Choose for differences from the master: keep the section's, or take the master's."""
    row = row_of(folio, key, lock=True)
    draft = draft_of(row, person)
    if draft is None:
        raise RulkaError("You keep no file of it.", hint="Upload one first.", subject="style")
    required("keep", standing_of(folio, section_of(folio, key), row, draft), actor_of(person, folio))
    known = {one.key for one in beside_master(folio, draft)}
    chosen = {**draft.chosen, **{name: value for name, value in choices.items() if name in known}}
    if "all" in choices:
        chosen = dict.fromkeys(known, choices["all"])
    wrong = [value for value in chosen.values() if value not in ("keep", "take")]
    if wrong:
        raise RulkaError("Choose to keep it, or to take the master's.", subject="style")
    draft.chosen = chosen
    draft.save()


@transaction.atomic
def take_up(folio: Folio, key: str, content: Content, person: Person) -> Content:
    """Make an older version what somebody keeps now."""
    values = {"body": content.body, "data": bytes(content.data) if content.data else None,
              "file_name": content.file_name, "chosen": content.chosen}  # fmt: skip
    return _keep(folio, key, person, content.form, None, **values)


@transaction.atomic
def remark(folio: Folio, key: str, text: str, quote: str, person: Person) -> Remark:
    """Say something about a place of a section; told to whose turn it is."""
    text = text.strip()[:4_000]
    if not text:
        raise RulkaError("The remark says nothing.", hint="Write it, then keep it.", subject="remark")
    section, row = section_of(folio, key), row_of(folio, key, lock=True)
    made = Remark.objects.create(section=row, person=person, text=text, quote=" ".join(quote.split())[:300])
    _note(folio, row, person, STEPS["remark"], text)
    responsible = standing_of(folio, section, row).responsible
    if responsible and responsible != person.username:
        told = f"{person.called} says of '{section.title}': {text}"
        notify(folio, people_named([responsible]).get(responsible), told, key)
    return made


@transaction.atomic
def settle(folio: Folio, key: str, number: int, person: Person) -> None:
    """Settle a remark: its maker, whose turn it is, or who keeps the folio."""
    section, row = section_of(folio, key), row_of(folio, key, lock=True)
    found = row.remarks.filter(pk=number).first()
    if found is None:
        raise RulkaError("This remark isn't there any more.", hint="Load the page again.", subject="remark")
    who = actor_of(person, folio)
    now = standing_of(folio, section, row)
    if not (who.manages or found.person_id == person.pk or person.username in (now.responsible, now.holder)):
        raise RulkaError("It isn't yours to settle.", hint="Ask whose turn it is.", code="rights")
    found.settled = not found.settled
    found.save(update_fields=["settled"])
    _note(folio, row, person, "settled" if found.settled else "opened again", found.text)


@transaction.atomic
def leave_typed(folio: Folio, key: str, found: str, person: Person) -> None:
    """Leave a typed number as it is; it isn't pointed out again as long as the text says the same."""
    section, row = section_of(folio, key), row_of(folio, key, lock=True)
    draft = draft_of(row, person)
    required("keep", standing_of(folio, section, row, draft), actor_of(person, folio))
    row.left = list(dict.fromkeys([*row.left, found[:200]]))[-200:]
    row.save(update_fields=["left"])


# the whole ------------------------------------------------------------------------------------------------------------


@transaction.atomic
def open_for_writing(folio: Folio, person: Person | None) -> None:
    """Open a folio: its writers may begin, and are told. Refused where somebody has a turn who isn't there, or can't
    open it."""
    folio = _managed(folio, person)
    outline = FolioReading(folio, fence_for(folio.ledger, person), person).outline
    if not outline.sections:
        raise RulkaError("The folio has no section yet.", hint="Add one.", subject="folio")
    names = {turn.who for section in outline.sections for turn in section.turns}
    required_people(folio, names)
    if folio.state != Folio.State.WRITING:
        folio.state, folio.opened, folio.closed = Folio.State.WRITING, timezone.now(), None
        folio.save(update_fields=["state", "opened", "closed"])
        _note(folio, None, person, "opened for writing")
    people = people_named(names)
    for section in outline.sections:
        row = row_of(folio, section.key, lock=True)
        now = standing_of(folio, section, row)
        if now.responsible and (person is None or now.responsible != person.username):
            notify(folio, people.get(now.responsible), f"'{section.title}' is yours to write.", section.key)


def required_people(folio: Folio, names: Iterable[str]) -> None:
    """Refuse people who aren't there, left, or can't open the folio."""
    known = people_named(names)
    for name in sorted(set(names)):
        person = known.get(name)
        if person is None:
            raise RulkaError(f"Nobody signs in as '{name[:40]}'.", hint="Name somebody who is there.", subject="turns")
        if not person.is_active:
            raise RulkaError(f"{person.called} left.", hint="Name somebody else.", subject="turns")
        try:
            fence_of(person, folio.ledger.code)
        except RulkaError:
            raise RulkaError(
                f"{person.called} doesn't see this ledger.", hint="Name somebody else.", subject="turns"
            ) from None
        if level_on(person, folio.shelf_id) < RUN:
            raise RulkaError(
                f"{person.called} can't open what is on this folio's shelf.", hint="Give them that, or name another.",
                subject="turns",
            )  # fmt: skip


@transaction.atomic
def close(folio: Folio, person: Person | None) -> None:
    """Close a folio as a whole: refused while a section isn't done, told which."""
    folio = _managed(folio, person)
    reading = FolioReading(folio, fence_for(folio.ledger, person), person)
    left = [one.section.title for one in reading.sections() if one.row.state != Section.State.DONE]
    if left:
        raise RulkaError(
            f"{len(left)} section{'s aren' if len(left) > 1 else ' isn'}'t done: {', '.join(left[:6])}.",
            hint="Have them done, or take them out of the outline.", subject="folio",
        )  # fmt: skip
    folio.state, folio.closed = Folio.State.CLOSED, timezone.now()
    folio.save(update_fields=["state", "closed"])
    _note(folio, None, person, "closed")


@transaction.atomic
def open_again(folio: Folio, person: Person | None) -> None:
    """Open a closed folio again; its sections stay as they are."""
    folio = _managed(folio, person)
    if folio.state != Folio.State.CLOSED:
        raise RulkaError("It isn't closed.", hint="There is nothing to open.", subject="folio")
    folio.state, folio.closed = Folio.State.WRITING, None
    folio.save(update_fields=["state", "closed"])
    _note(folio, None, person, "opened again")


def _managed(folio: Folio, person: Person | None) -> Folio:
    """A folio, locked, for who keeps it."""
    if not actor_of(person, folio).manages:
        raise RulkaError("Only who keeps the folio does that.", hint="Ask its owner.", code="rights")
    return Folio.objects.select_for_update().select_related("ledger", "shelf", "owner").get(pk=folio.pk)
