"""Editing statements where they are read: one edit at a time, checked, run and kept, with undo, redo and a word before
shared parts."""

from __future__ import annotations

import copy
from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from typing import Any

from django.db import transaction
from django.db.models import Q, QuerySet

from rulka.core.books.book import View
from rulka.core.books.calendar import Period
from rulka.core.books.fence import NO_FENCE
from rulka.core.books.frame import Frame
from rulka.core.compute.computed import Computed
from rulka.core.compute.statement import run_statement
from rulka.core.edits.freezing import frozen
from rulka.core.edits.tree import Edited, Raw, find_line
from rulka.core.errors import NotFound, RulkaError, together
from rulka.core.proof.footing import footing
from rulka.formats.definition_file import check_changes
from rulka.ledger.models import Ledger
from rulka.ledger.reading.queries import frame_of
from rulka.ledger.seat import Seat
from rulka.people.models import Person
from rulka.statements.library.assemble import (
    Definitions,
    as_they_are,
    assemble_all,
    definitions_of,
    free_name,
    statements_using,
    with_parts,
)
from rulka.statements.library.opening import seen_among
from rulka.statements.library.shelves import EDIT, RUN, required, required_editor
from rulka.statements.library.storing import (
    SHARED,
    check_definition,
    check_statement,
    entry,
    read_stamp,
    set_body,
    stamp_of,
    take_back,
    title_of,
    turn,
    write_body,
)
from rulka.statements.models import Change, Definition, Edit
from rulka.statements.running.runs import Outcome, node_asked, read_by, run


@dataclass(frozen=True)
class Sight:
    """Through whose eyes, when and for which node an edit shows its effect."""

    view: View
    period: Period
    node: str = ""
    person: Person | None = None


def sight_of(seat: Seat, statement: Definition) -> Sight:
    """Through a person's eyes, at the period and node of the page."""
    return Sight(seat.view, seat.period, node_asked(statement, node=seat.node, of=seat.of), seat.person)


class SharedPart(RulkaError):
    """An edit would change a part that other statements use too, and nobody said yet whether it shall."""

    code = "shared"

    def __init__(self, part: Definition, users: list[Definition], seen: list[Definition]) -> None:
        self.kind, self.name = part.kind, part.name
        self.titles = [title_of(user) for user in seen]
        self.is_more = len(seen) < len(users)
        more = ", and by what you don't see" if self.is_more else ""
        super().__init__(
            f"The {part.kind} '{part.body.get('title', part.name)}' is used by {len(seen)} statements: "
            f"{', '.join(self.titles)}{more}.",
            hint="Change it for all of them, or make it this statement's own.",
            subject=part.kind,
        )

    @property
    def choices(self) -> list[tuple[str, str]]:
        """What can be answered, the answer with its words."""
        every = "Change it for all" if self.is_more else f"Change all {len(self.titles)}"
        return [("own", "Make this one's own copy"), ("all", every)]


class ChangedSince(RulkaError):
    """Somebody else changed the statement after it was shown; `changes` says who, when and what."""

    code = "changed-since"

    def __init__(self, changes: list[Edit], person: Person) -> None:
        self.changes = changes
        names = ", ".join(dict.fromkeys(_who(edit, person) for edit in changes))
        super().__init__(
            f"{names or 'Somebody'} changed this statement while you had it open.",
            hint="Take theirs, or save yours as a copy. Nothing is lost.",
        )


def _who(edit: Edit, person: Person) -> str:
    if edit.person == person:
        return "You, in another window,"
    return str(edit.person.title or edit.person.username) if edit.person else "somebody"


@dataclass
class Parts:
    """A statement's definitions as an edit may change them; `changing` names those it means to change."""

    definitions: dict[str, Definition]
    bodies: dict[str, Raw]
    view: View
    person: Person
    share: Mapping[str, str] = field(default_factory=dict)
    changing: list[str] = field(default_factory=list)
    others: list[tuple[Definition, Raw]] = field(default_factory=list)
    made: list[tuple[Definition, Raw]] = field(default_factory=list)
    clipboard: Mapping[str, Any] | None = None
    used: dict[tuple[str, str], list[Definition]] = field(default_factory=dict)

    def make(self, kind: str, body: Raw) -> str:
        """A new definition under a free name, which it is told."""
        ledger = self.definitions["statement"].ledger
        name = free_name(ledger, kind, body[kind])
        body[kind] = name
        self.made.append((Definition(ledger=ledger, kind=kind, name=name, body=None, version=0), body))
        return name

    def change(self, kind: str) -> Raw:
        """The body of a part, to be changed."""
        if kind not in self.bodies:
            raise NotFound("This statement has no scope.", hint="Choose pages for its nodes first.", subject=kind)
        if kind not in self.changing:
            self.changing.append(kind)
        return self.bodies[kind]

    def users(self, part: Definition) -> list[Definition]:
        """The statements that use a part, asked once."""
        named = (part.kind, part.name)
        if named not in self.used:
            self.used[named] = _users(part)
        return self.used[named]

    def beside(self) -> Iterator[Raw]:
        """Bodies that may name lines of the spine: this statement, its span, and those of others that keep using the
        spine.

        Only an edit that renames reads them.
        """
        yield from (self.bodies["statement"], self.bodies["span"])
        if self.share.get("spine") == "own":
            return
        mine = {definition.pk for definition in self.definitions.values()}
        ledger = self.definitions["statement"].ledger
        for parts in with_parts(ledger, self.users(self.definitions["spine"])):
            for definition in parts.values():
                if definition.kind in ("statement", "span") and definition.pk not in mine:
                    mine.add(definition.pk)
                    self.others.append((definition, copy.deepcopy(definition.body)))
        yield from (body for _, body in self.others)


Asked = Mapping[str, str]
"""What a page sent, each field once."""

Action = Callable[[Parts, Asked, Callable[[], Computed]], Edited]


@dataclass(frozen=True)
class Done:
    """What an edit did in words, what is chosen after it, and the statement as it is now."""

    told: str
    chosen: tuple[str, ...]
    outcome: Outcome
    definitions: Definitions


def change_statement(
    loaded: Definitions,
    do: Callable[[Parts], Edited],
    *,
    person: Person,
    sight: Sight,
    stamp: str = "",
    window: str = "",
    share: Mapping[str, str] | None = None,
) -> Done:
    """Do one edit of a statement, whose definitions are handed in as they were loaded: all of it or nothing.

    Raises ChangedSince when the statement was changed after `stamp` by anything but this `window` (of a browser),
    SharedPart when it changes a part that others use and `share` says neither `all` nor `own` for its kind, and
    RulkaError on all that can't be computed afterwards.
    """
    with transaction.atomic():
        definitions = as_they_are(loaded)
        statement = definitions["statement"]
        required(person, statement, EDIT)
        refuse_stale(definitions, stamp, person, window)
        parts = Parts(
            definitions,
            {kind: copy.deepcopy(d.body) for kind, d in definitions.items()},
            sight.view,
            person,
            share or {},
        )
        edited = do(parts)
        written = list(_written(parts)) if edited.told else []
        if written:
            _drop_undone(statement, person)
            edit = entry(statement.ledger, statement.name, person, edited.told, Edit.State.DONE, window)
            for definition, body in written:
                write_body(definition, body, edit)
            if any(definition.kind == "statement" for definition, _ in written):
                parts.used.clear()  # it may use other parts now, or name lines anew
            _check([definition for definition, _ in written], sight.view.frame, parts.users, statement)
        now = with_parts(statement.ledger, [statement])[0] if "statement" in parts.changing else parts.definitions
        outcome = outcome_of(now, sight)
    return Done(edited.told, edited.chosen, outcome, now)


def outcome_of(definitions: Definitions, sight: Sight) -> Outcome:
    """The statement as it is now, through somebody's eyes."""
    computed = run_statement(read_by(definitions, sight.person), sight.view, sight.period, sight.node)
    return Outcome(computed, footing(computed), definitions)


def refuse_stale(definitions: Definitions, stamp: str, person: Person, window: str) -> None:
    """Refuse an edit of what was changed, or deleted, since it was shown: by somebody else, or by the same person in
    another window."""
    if not stamp or stamp == stamp_of(definitions):
        return
    since, ledger = [], definitions["statement"].ledger
    for kind, name, version in read_stamp(stamp):
        found = Change.objects.filter(edit__ledger=ledger, kind=kind, name=name, version__gt=version)
        own = Q(edit__person=person, edit__window=window) if window else Q(pk=None)
        since += list(found.exclude(own).select_related("edit__person"))
    if since:
        raise ChangedSince(sorted({change.edit for change in since}, key=lambda edit: -edit.pk), person)


def _written(parts: Parts) -> Iterable[tuple[Definition, Raw]]:
    """The definitions an edit gives a new body; a shared part becomes one's own where that was asked for."""
    statement = parts.definitions["statement"]
    for kind in SHARED:
        if kind not in parts.definitions or parts.bodies[kind] == parts.definitions[kind].body:
            continue
        definition = parts.definitions[kind]
        users = parts.users(definition)
        if kind in parts.changing and len(users) > 1:
            choice = parts.share.get(kind, "")
            if choice == "own":
                definition = _own_copy(parts, kind)
            elif choice != "all":
                raise SharedPart(definition, users, seen_among(parts.person, users))
            else:
                required(parts.person, definition, EDIT)
        yield definition, parts.bodies[kind]
    yield from parts.made
    for definition, body in parts.others:
        if body != definition.body:
            yield definition, body
    if parts.bodies["statement"] != statement.body:
        yield statement, parts.bodies["statement"]


def _own_copy(parts: Parts, kind: str) -> Definition:
    """A part of the statement's own under a free name; the statement names it."""
    statement = parts.definitions["statement"]
    name = free_name(statement.ledger, kind, statement.name)
    parts.bodies[kind][kind] = name
    parts.bodies["statement"][kind] = name
    # made with an empty body, so that undoing takes it away again
    made = Definition(ledger=statement.ledger, kind=kind, name=name, body=None, version=0)
    parts.definitions[kind] = made
    return made


def _users(part: Definition) -> list[Definition]:
    return statements_using(part.ledger, part.kind, part.name)


def _check(
    written: list[Definition],
    frame: Frame,
    used_by: Callable[[Definition], list[Definition]],
    run: Definition | None = None,
) -> None:
    """Refuse what the schema or another user of a part can't take; the statement that is run next needs no names looked
    up twice."""
    errors = [error for definition in written for error in check_changes(_before(definition), definition.body)]
    if errors:
        raise together(errors)
    users: dict[int, Definition] = {}
    for definition in written:
        if definition.kind == "statement":
            users[definition.pk] = definition
        else:
            check_definition(definition, frame)
            users |= {user.pk: user for user in used_by(definition)}
    if run is not None and run not in written:
        users.pop(run.pk, None)
    if users:
        for statement in assemble_all(with_parts(written[0].ledger, list(users.values()))):
            check_statement(statement)


def _before(definition: Definition) -> Raw | None:
    latest = Change.objects.filter(edit__ledger=definition.ledger, kind=definition.kind, name=definition.name).last()
    return latest.before if latest else None


# -- undo and redo ---------------------------------------------------------------------------------


def _edits(statement: Definition, person: Person, state: str) -> QuerySet[Edit]:
    return Edit.objects.filter(ledger=statement.ledger, statement=statement.name, person=person, state=state)


def last_edit(statement: Definition, person: Person) -> Edit | None:
    """What undo would take back: the person's latest edit of this statement that still stands."""
    return _edits(statement, person, Edit.State.DONE).first()


def next_edit(statement: Definition, person: Person) -> Edit | None:
    """What redo would do again: the edit that was undone last."""
    return _edits(statement, person, Edit.State.UNDONE).last()


def _drop_undone(statement: Definition, person: Person) -> None:
    _edits(statement, person, Edit.State.UNDONE).update(state=Edit.State.DROPPED)


def undo(statement: Definition, *, person: Person) -> str:
    """Take back the person's latest edit; refused when somebody changed the same part since."""
    required(person, statement, EDIT)
    with transaction.atomic():
        edit = last_edit(statement, person)
        if edit is None:
            raise RulkaError("There is nothing to undo.", code="nothing-to-undo")
        take_back(edit, person)
    return edit.what


def redo(statement: Definition, *, person: Person) -> str:
    """Do again what was undone last; refused when somebody changed the same part since."""
    required(person, statement, EDIT)
    with transaction.atomic():
        edit = next_edit(statement, person)
        if edit is None:
            raise RulkaError("There is nothing to do again.", code="nothing-to-redo")
        turn(edit, [(change, change.before, change.after) for change in edit.changes.all()], person, "Done again")
        edit.state = Edit.State.DONE
        edit.save(update_fields=["state"])
    return edit.what


# -- both at once ----------------------------------------------------------------------------------


def save_as_copy(
    loaded: Definitions,
    do: Callable[[Parts], Edited],
    *,
    person: Person,
    sight: Sight,
    stamp: str,
    title: str = "",
) -> str:
    """One's own state of a statement, as it was at `stamp`, under a name of its own, with the edit that was refused
    done on it.

    Returns the new statement's name.
    """
    with transaction.atomic():
        title = title or f"{title_of(loaded['statement'])}, my copy"
        copied = copy_statement(loaded, title, person, stamp=stamp)
        change_statement(copied, do, person=person, sight=sight)
    return copied["statement"].name


def copy_statement(loaded: Definitions, title: str, person: Person, *, stamp: str = "") -> dict[str, Definition]:
    """A statement again with spine and span of its own, as it is or as it was at a stamp."""
    required_editor(person)
    definitions = as_they_are(loaded)
    statement = definitions["statement"]
    ledger = statement.ledger
    required(person, statement, RUN)
    bodies = {kind: copy.deepcopy(definition.body) for kind, definition in definitions.items()}
    changes = Change.objects.filter(edit__ledger=ledger, kind="statement", name=statement.name)
    own = {(kind, definition.name) for kind, definition in definitions.items()} | {
        (kind, (change.before or {}).get(kind, "")) for change in changes for kind in SHARED
    }
    for kind, part, version in read_stamp(stamp):
        if (kind, part) not in own:
            continue
        later = Change.objects.filter(edit__ledger=ledger, kind=kind, name=part, version__gt=version).first()
        if later is not None and later.before is not None:
            bodies[kind] = copy.deepcopy(later.before)
    new = free_name(ledger, "statement", title)
    bodies["statement"] |= {"statement": new, "title": title}
    for kind in ("spine", "span"):
        bodies[kind][kind] = bodies["statement"][kind] = free_name(ledger, kind, title)
    edit = entry(ledger, new, person, f"copied from {statement.name}")
    for kind in ("spine", "span", "statement"):
        set_body(ledger, kind, bodies[kind][kind], bodies[kind], edit)
    return definitions_of(ledger, new)


# -- what needs figures ----------------------------------------------------------------------------


def freeze_line(ledger: Ledger, name: str, key: str, *, period: str, node: str, person: Person | None = None) -> str:
    """Replace an expanding line by a section of fixed lines, those that show at a period for a node."""
    if person is not None:
        required_editor(person)
    with transaction.atomic():
        definitions = definitions_of(ledger, name)
        spine = definitions["spine"]
        computed = run(definitions, period, node, NO_FENCE).computed
        body = copy.deepcopy(spine.body)
        told = freeze_in(body, key, computed)
        write_body(spine, body, entry(ledger, name, person, told, Edit.State.DONE))
        _check([spine], frame_of(ledger), _users)
        run(definitions_of(ledger, name), period, node, NO_FENCE)
    return told


def freeze_in(body: Raw, key: str, computed: Any) -> str:
    """Replace an expanding line of a body by the lines that a computed statement shows for it."""
    raw = find_line(body, key).raw
    section = frozen(computed, raw, key)
    raw.clear()
    raw.update(section)
    return f"{section['section']} frozen into {len(section['lines'])} lines"
