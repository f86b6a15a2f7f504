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
    Known,
    as_it_is,
    as_they_are,
    assemble_all,
    definitions_of,
    definitions_of_statement,
    known_of,
    loaded_again,
    statements_using,
    with_parts,
)
from rulka.statements.library.opening import seen_among
from rulka.statements.library.shelves import EDIT, RUN, required, required_editor
from rulka.statements.library.storing import (
    changes_of,
    check_definition,
    check_statement,
    entry,
    read_stamp,
    reserve,
    stamp_of,
    take_back,
    turn,
    write,
)
from rulka.statements.models import PARTS, Change, Definition, Edit
from rulka.statements.running.runs import RunOutcome, node_asked, read_by, run


@dataclass(frozen=True)
class EditSight:
    """Through whose eyes, when and for which node an edit shows its effect."""

    view: View
    period: Period
    node: str = ""
    person: Person | None = None


def edit_sight(seat: Seat, statement: Definition) -> EditSight:
    """Through a person's eyes, at the period and node of the page."""
    return EditSight(seat.view, seat.period, node_asked(statement, node=seat.node, of=seat.of), seat.person)


class SharedPart(RulkaError):
    """An edit would change a part that other statements use too, and nobody said yet whether it shall."""

    code = "shared"

    def __init__(self, part: Definition, users: list[Definition], seen: list[Definition]) -> None:
        self.kind, self.name = part.kind, part.name
        self.titles = [user.title for user in seen]
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
    """A statement's definitions, and their states as an edit may change them (see `Definition.state`); `changing` names
    those it means to change."""

    definitions: dict[str, Definition]
    states: dict[str, Raw]
    view: View
    person: Person
    share: Mapping[str, str] = field(default_factory=dict)
    changing: list[str] = field(default_factory=list)
    others: list[tuple[Definition, Raw]] = field(default_factory=list)
    made: list[tuple[Definition, Raw]] = field(default_factory=list)
    clipboard: Mapping[str, Any] | None = None
    used: dict[int, list[Definition]] = field(default_factory=dict)
    known: Known = field(default_factory=dict)

    @property
    def statement(self) -> Definition:
        """The statement that is edited."""
        return self.definitions["statement"]

    def make(self, kind: str, wanted: str, state: Raw) -> Definition:
        """A new part of the statement's own, under a free name."""
        made = reserve(self.statement.ledger, kind, wanted, owner=self.statement)
        self.made.append((made, state))
        return made

    def change(self, kind: str) -> Raw:
        """The state of a part, to be changed."""
        if kind not in self.states:
            raise NotFound("This statement has no scope.", hint="Choose pages for its nodes first.", subject=kind)
        if kind not in self.changing:
            self.changing.append(kind)
        return self.states[kind]

    def users(self, part: Definition) -> list[Definition]:
        """The statements that use a part, asked once."""
        if part.pk not in self.used:
            self.used[part.pk] = statements_using(part, self.known)
        return self.used[part.pk]

    def beside(self) -> Iterator[Raw]:
        """States that may name lines of the spine: this statement's, its span's, and those of others that keep using
        the spine.

        Only an edit that renames reads them.
        """
        yield from (self.states["statement"], self.states["span"])
        if self.share.get("spine") == "own":
            return
        mine = {definition.pk for definition in self.definitions.values()}
        for parts in with_parts(self.users(self.definitions["spine"]), self.known):
            for definition in parts.values():
                if definition.kind in ("statement", "span") and definition.pk not in mine:
                    mine.add(definition.pk)
                    self.others.append((definition, state_of(definition)))
        yield from (state for _, state in self.others)


def state_of(definition: Definition) -> Raw:
    """The state of a definition that stands, to be changed apart from it."""
    return copy.deepcopy(definition.state or {})


Asked = Mapping[str, str]
"""What a page sent, each field once."""

Action = Callable[[Parts, Asked, Callable[[], Computed]], Edited]


@dataclass(frozen=True)
class Done:
    """What an edit did in words, what is chosen after it, and the statement as it is now; `known` is what was loaded
    for it."""

    told: str
    chosen: tuple[str, ...]
    outcome: RunOutcome
    definitions: Definitions
    known: Known


def change_statement(
    loaded: Definitions,
    do: Callable[[Parts], Edited],
    *,
    person: Person,
    sight: EditSight,
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
        states = {kind: state_of(definition) for kind, definition in definitions.items()}
        parts = Parts(definitions, states, sight.view, person, share or {}, known=known_of(definitions))
        edited = do(parts)
        written = list(_written(parts)) if edited.told else []
        if written:
            _drop_undone(statement, person)
            edit = entry(statement.ledger, statement, person, edited.told, Edit.State.DONE, window)
            for definition, state in written:
                write(definition, state, edit)
            if any(definition.kind == "statement" for definition, _ in written):
                parts.used.clear()  # it may use other parts now, or name lines anew
            parts.known.update({definition.pk: definition for definition, _ in written})
            _check([definition for definition, _ in written], sight.view.frame, parts.users, parts.known, statement)
        now = definitions_of_statement(statement, parts.known) if "statement" in parts.changing else parts.definitions
        outcome = outcome_of(now, sight)
    return Done(edited.told, edited.chosen, outcome, now, parts.known)


def outcome_of(definitions: Definitions, sight: EditSight) -> RunOutcome:
    """The statement as it is now, through somebody's eyes."""
    computed = run_statement(read_by(definitions, sight.person), sight.view, sight.period, sight.node)
    return RunOutcome(computed, footing(computed), definitions)


def refuse_stale(definitions: Definitions, stamp: str, person: Person, window: str) -> None:
    """Refuse an edit of what was changed, or deleted, since it was shown: by somebody else, or by the same person in
    another window."""
    if not stamp or stamp == stamp_of(definitions):
        return
    since = []
    for key, version in _stamped(definitions["statement"], stamp).items():
        found = Change.objects.filter(definition=key, version__gt=version)
        own = Q(edit__person=person, edit__window=window) if window else Q(pk=None)
        since += list(found.exclude(own).select_related("edit__person"))
    if since:
        raise ChangedSince(sorted({change.edit for change in since}, key=lambda edit: -edit.pk), person)


def _written(parts: Parts) -> Iterable[tuple[Definition, Raw]]:
    """The definitions an edit gives a new state; a shared part becomes one's own where that was asked for."""
    for kind in PARTS:
        if kind not in parts.definitions or parts.states[kind] == parts.definitions[kind].state:
            continue
        definition = parts.definitions[kind]
        users = parts.users(definition)
        if kind in parts.changing and len(users) > 1:
            choice = parts.share.get(kind, "")
            if choice == "own":
                definition = _own_copy(parts, kind)
            elif choice != "all":
                raise SharedPart(definition, users, seen_among(parts.person, users))
        yield definition, parts.states[kind]
    yield from parts.made
    for definition, state in parts.others:
        if state != definition.state:
            yield definition, state
    if parts.states["statement"] != parts.statement.state:
        yield parts.statement, parts.states["statement"]


def _own_copy(parts: Parts, kind: str) -> Definition:
    """A part of the statement's own under a free name, with nothing in it yet; the statement uses it."""
    made = reserve(parts.statement.ledger, kind, parts.statement.name, owner=parts.statement)
    parts.states["statement"][kind] = made.pk
    parts.definitions[kind] = made
    return made


def _check(
    written: list[Definition],
    frame: Frame,
    used_by: Callable[[Definition], list[Definition]],
    known: Known,
    run: Definition | None = None,
) -> None:
    """Refuse an edit that breaks a definition, or another statement that uses it.

    A part belongs to several statements: taking a line out of a spine is refused where another statement's rule names
    it. `run` is the statement that is run next; running it checks its names, so they aren't checked here.
    """
    errors = [error for definition in written for error in check_changes(_before(definition), definition.text)]
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
        for statement in assemble_all(with_parts(list(users.values()), known)):
            check_statement(statement)


def _before(definition: Definition) -> Raw | None:
    latest = definition.changes.last()
    return latest.before if latest else None


# -- undo and redo ---------------------------------------------------------------------------------


def _edits(statement: Definition, person: Person, state: str) -> QuerySet[Edit]:
    return statement.edits.filter(person=person, state=state)


def last_edit(statement: Definition, person: Person) -> Edit | None:
    """What undo would take back: the person's latest edit of this statement that still stands."""
    return _edits(statement, person, Edit.State.DONE).first()


def next_edit(statement: Definition, person: Person) -> Edit | None:
    """What redo would do again: the edit that was undone last."""
    return _edits(statement, person, Edit.State.UNDONE).last()


def _drop_undone(statement: Definition, person: Person) -> None:
    _edits(statement, person, Edit.State.UNDONE).update(state=Edit.State.DROPPED)


def undo(statement: Definition, *, person: Person) -> tuple[str, Definitions]:
    """Take back the person's latest edit; refused when somebody changed the same part since. What it was, and the
    statement as it is then."""
    with transaction.atomic():
        statement = as_it_is(statement)
        required(person, statement, EDIT)
        edit = last_edit(statement, person)
        if edit is None:
            raise RulkaError("There is nothing to undo.", code="nothing-to-undo")
        known = take_back(edit, person, {statement.pk: statement})
        return edit.what, definitions_of_statement(statement, known)


def redo(statement: Definition, *, person: Person) -> tuple[str, Definitions]:
    """Do again what was undone last; refused when somebody changed the same part since. What it was, and the statement
    as it is then."""
    with transaction.atomic():
        statement = as_it_is(statement)
        required(person, statement, EDIT)
        edit = next_edit(statement, person)
        if edit is None:
            raise RulkaError("There is nothing to do again.", code="nothing-to-redo")
        changes, known = changes_of(edit, {statement.pk: statement})
        turn(edit, [(change, change.before, change.after) for change in changes], person, "Done again")
        edit.state = Edit.State.DONE
        edit.save(update_fields=["state"])
        return edit.what, definitions_of_statement(statement, known)


# -- both at once ----------------------------------------------------------------------------------


def save_as_copy(
    loaded: Definitions,
    do: Callable[[Parts], Edited],
    *,
    person: Person,
    sight: EditSight,
    stamp: str,
    title: str = "",
) -> str:
    """One's own state of a statement, as it was at `stamp`, under a name of its own, with the edit that was refused
    done on it.

    Returns the new statement's name.
    """
    with transaction.atomic():
        title = title or f"{loaded['statement'].title}, my copy"
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
    states = {kind: state_of(definition) for kind, definition in definitions.items()}
    for key, version in _stamped(statement, stamp).items():
        later = Change.objects.filter(definition=key, version__gt=version).select_related("definition").first()
        if later is not None and later.before is not None:
            states[later.definition.kind] = copy.deepcopy(later.before)
    new = reserve(ledger, "statement", title)
    made = {kind: reserve(ledger, kind, title, owner=new) for kind in ("spine", "span")}
    edit = entry(ledger, new, person, f"copied from {statement.name}")
    for kind, part in made.items():
        write(part, states[kind], edit)
    write(new, states["statement"] | {"title": title} | {kind: part.pk for kind, part in made.items()}, edit)
    return definitions_of_statement(new)


def _stamped(statement: Definition, stamp: str) -> dict[int, int]:
    """What a stamp says of a statement and of all parts that it ever had: a browser could name others."""
    said = read_stamp(stamp)
    states = [statement.state, *statement.changes.values_list("before", flat=True)] if said else []
    had = {statement.pk} | {state[kind] for state in states if state for kind in PARTS if kind in state}
    return {key: version for key, version in said.items() if key in had}


# -- what needs figures ----------------------------------------------------------------------------


def freeze_line(ledger: Ledger, name: str, key: str, *, period: str, node: str, person: Person | None = None) -> str:
    """Replace an expanding line by a section of fixed lines, those that show at a period for a node."""
    if person is not None:
        required_editor(person)
    with transaction.atomic():
        definitions = definitions_of(ledger, name)
        spine = definitions["spine"]
        computed = run(definitions, period, node, NO_FENCE).computed
        state = state_of(spine)
        told = freeze_in(state, key, computed)
        write(spine, state, entry(ledger, definitions["statement"], person, told, Edit.State.DONE))
        _check([spine], frame_of(ledger), statements_using, known_of(definitions))
        run(loaded_again(definitions["statement"]), period, node, NO_FENCE)
    return told


def freeze_in(body: Raw, key: str, computed: Any) -> str:
    """Replace an expanding line of a body by the lines that a computed statement shows for it."""
    raw = find_line(body, key).raw
    section = frozen(computed, raw, key)
    raw.clear()
    raw.update(section)
    return f"{section['section']} frozen into {len(section['lines'])} lines"
