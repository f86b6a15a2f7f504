"""Who gets what: for each recipient and way the letter and the files, computed behind the recipient's own fence, all at
one revision."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime
from functools import cached_property
from typing import Any

from django.conf import settings
from django.urls import reverse
from django.utils import timezone

from rulka.core.books.fence import Fence
from rulka.core.compute.computed import Computed
from rulka.core.errors import NotFound, RulkaError
from rulka.core.sending.dispatches import (
    THEIRS,
    DispatchDef,
    FileServer,
    Folder,
    Link,
    Mail,
    Recipient,
    Thing,
    Way,
    identity,
)
from rulka.core.sending.letters import (
    Letter,
    LetterToken,
    addresses_in,
    file_name,
    filled,
    folder_parts,
    one_line,
    tokens_in,
)
from rulka.core.sheet.addresses import read_cell
from rulka.dispatch.library.servers import server_named
from rulka.dispatch.models import Contact
from rulka.dispatch.running.folders import folder_named
from rulka.formats.output.letter import letter_page, letter_text, table_of
from rulka.formats.output.page import show
from rulka.ledger.models import Ledger
from rulka.people.library.persons import people_at, people_in, person_named
from rulka.people.library.rights import bounded_by, fence_of
from rulka.people.models import Person
from rulka.statements.output.sendable import SendRequest, kind_named, outcomes_of
from rulka.statements.running.runs import RunOutcome
from rulka.worksheets.library.opening import open_worksheet
from rulka.worksheets.output.sending import reader_of
from rulka.worksheets.running.live import opened


@dataclass(frozen=True)
class MadeFile:
    """A file as it goes."""

    name: str
    content: bytes


@dataclass(frozen=True)
class Planned:
    """What goes to one recipient by one way; `problem` says why nothing does."""

    identity: str
    person: int | None
    person_name: str
    node: str
    way: str
    target: str = ""
    letter: Mapping[str, Any] | None = None
    files: Sequence[MadeFile] = ()
    problem: str = ""
    fence: str = ""
    """What names the bounds that all of it was made behind."""


@dataclass(frozen=True)
class Occasion:
    """What is sent when: a dispatch of a ledger for a period, at one revision, by whom."""

    dispatch: DispatchDef
    ledger: Ledger
    period: str
    name: str
    revision: int
    sender: str = ""
    leaves: bool = False
    """Whether the files are such that really leave: they name their origin."""
    at: datetime = field(default_factory=timezone.localtime)


def revision_of(dispatch: DispatchDef, ledger: Ledger, period: str) -> int:
    """The revision that all of a dispatch is of: the ledger's own, or that of the newest editions, which have to be of
    one."""
    ledger.refresh_from_db(fields=["revision"])
    if dispatch.figures != "edition":
        return ledger.revision
    found = {thing.name: kind_named(thing.kind).edition(ledger, thing.name, period) for thing in dispatch.things}
    kept = {name: number for name, number in found.items() if number is not None}
    if not kept:
        raise RulkaError("Nothing of it has editions.", hint="Send figures as they are.", subject="figures")
    if len(set(kept.values())) > 1:
        told = ", ".join(f"{name} at revision {number}" for name, number in kept.items())
        raise RulkaError(f"The newest editions are of different revisions: {told}.", hint="Keep them anew together.",
                         subject="figures")  # fmt: skip
    return next(iter(kept.values()))


def plan(occasion: Occasion, *, only: str = "") -> list[Planned]:
    """What goes to whom; `only` for one person. What can't go to somebody is told with them, and holds up nobody
    else."""
    dispatch = occasion.dispatch
    if not dispatch.things:
        raise RulkaError(f"'{dispatch.title}' sends nothing.", hint="Choose what goes.", subject="sends")
    found: list[Planned] = []
    for recipient in recipients_of(occasion.ledger, dispatch, only=only):
        share = _Share(occasion, recipient)
        found += [share.by(way) for way in dispatch.ways_of(recipient)]
    if not found:
        raise RulkaError(f"'{dispatch.title}' goes nowhere.", hint="Switch a way on.", subject="ways")
    return [*_apart(dispatch, found)]


def recipients_of(ledger: Ledger, dispatch: DispatchDef, *, only: str = "") -> list[Recipient]:
    """The people who get a dispatch, rules read; a rule that nobody answers to stays itself, so that it is told."""
    found: dict[tuple[str, str], Recipient] = {}
    for one in dispatch.recipients:
        people = [one] if not one.rule else _by_rule(ledger, one)
        for person in people or [one]:
            found.setdefault((person.person, person.node), person)
    if only and only not in {one.person for one in found.values()}:
        raise NotFound(f"'{only[:40]}' isn't among the recipients.", subject="to")
    return [one for one in found.values() if not only or one.person == only]


def _by_rule(ledger: Ledger, one: Recipient) -> list[Recipient]:
    if one.rule == "group":
        return [Recipient(person.username, one.node, one.by) for person in people_in(one.person)]
    scope, mark, node = one.person.rpartition("/")
    owners = bounded_by(ledger, scope if mark else "", node) if one.rule == "owner" else bounded_by(ledger, one.person)
    return [Recipient(person.username, code, one.by) for person, code in owners]


def _apart(dispatch: DispatchDef, planned: Sequence[Planned]) -> Iterator[Planned]:
    """Nobody's file takes the place of what went to somebody else on the same occasion."""
    replaces = {way.name for way in dispatch.ways if isinstance(way, Folder | FileServer) and way.exists == "overwrite"}
    taken: dict[tuple[str, str], str] = {}
    for one in planned:
        places = [(one.target, file.name) for file in one.files if one.way in replaces and not one.problem]
        other = next((taken[place] for place in places if place in taken), "")
        if other:
            told = RulkaError(f"It would take the place of what goes to {other}.", subject=one.person_name,
                              hint="Put {name} or {node} into path or file.")  # fmt: skip
            yield replace(one, files=(), problem=str(told))
            continue
        taken |= dict.fromkeys(places, one.person_name)
        yield one


def may_see(person: Person, ledger: Ledger, fence: str) -> bool:
    """Whether somebody sees all that lies within bounds, by what names these; what was written down before they were
    is judged by who got it alone."""
    try:
        own = fence_of(person, ledger.code)
    except RulkaError:
        return False
    return not fence or own.is_open or own.digest == fence


def sees_as(person: Person, other: Person, ledger: Ledger, things: Sequence[Thing]) -> bool:
    """Whether somebody may read what goes to another person: they see all that the other sees, and may have each
    thing, as deep."""
    if person.pk == other.pk:
        return True
    try:
        own, theirs = fence_of(person, ledger.code), fence_of(other, ledger.code)
        if not own.is_open and own.digest != theirs.digest:
            return False
        for thing in things:
            kind = kind_named(thing.kind)
            kind.check(ledger, thing.name, person)
            held, needed = kind.level(ledger, thing.name, person), kind.level(ledger, thing.name, other)
            if any(own_level < level for own_level, level in zip(held, needed, strict=True)):
                return False
    except RulkaError:
        return False
    return True


class _Share:
    """What one recipient gets, computed once for all ways."""

    def __init__(self, occasion: Occasion, recipient: Recipient) -> None:
        self.occasion, self.recipient = occasion, recipient
        self.dispatch, self.ledger = occasion.dispatch, occasion.ledger
        self.outcomes: dict[tuple[str, str], RunOutcome] = {}

    def identity(self, way: Way) -> str:
        one = self.recipient
        return identity(self.ledger.code, self.dispatch.name, self.occasion.name, one.person, one.node, way.name)

    def by(self, way: Way) -> Planned:
        """What goes by a way, or why nothing does."""
        person = None if self.recipient.rule else person_named(self.recipient.person)
        about: dict[str, Any] = {
            "identity": self.identity(way),
            "person": person.pk if person else None,
            "person_name": self.recipient.text,
            "node": self.recipient.node,
            "way": way.name,
        }
        try:
            files, fence = self.files, self.fence.digest
            if isinstance(way, Mail):
                return Planned(**about, target=self._address(), letter=self._letter(way), files=files, fence=fence)
            return Planned(**about, target=self._target(way), files=files, fence=fence)
        except RulkaError as error:
            return Planned(**about, problem=str(error))

    @cached_property
    def person(self) -> Person:
        if self.recipient.rule:
            raise RulkaError("Nobody answers to this rule.", hint="Name a person, or bound one by that node.",
                             subject=self.recipient.text)  # fmt: skip
        person = person_named(self.recipient.person)
        if person is None or not person.is_active:
            raise RulkaError("They have left.", hint="Say who gets it now.", subject=self.recipient.person, code="left")
        return person

    @cached_property
    def fence(self) -> Fence:
        """Their own bounds, whatever the sender sees."""
        return fence_of(self.person, self.ledger.code)

    @cached_property
    def files(self) -> list[MadeFile]:
        """The files of all things, each with a name of its own."""
        found: list[MadeFile] = []
        for thing in self.dispatch.things:
            for node in thing.nodes or ("",):
                found += self._files_of(thing, self._node(node), {one.name for one in found})
        return found

    def _files_of(self, thing: Thing, node: str, taken: set[str]) -> Iterator[MadeFile]:
        names = set(taken)
        for piece in kind_named(thing.kind).pieces(self._asked(thing, node)):
            name = filled(thing.file, lambda token, own=piece.values: self._value(token, own), where="file")  # type: ignore[misc]
            for form in thing.forms:
                made = file_name(name, form)
                made = (
                    made if made not in names else file_name(f"{name} {thing.name} {piece.values['node.code']}", form)
                )
                if made in names:
                    raise RulkaError(f"Two files are called {made}.", hint="Give them other names.", subject="file")
                names.add(made)
                yield MadeFile(made, piece.content(form))

    def _asked(self, thing: Thing, node: str) -> SendRequest:
        return SendRequest(
            self.ledger, self.person, self.fence, thing.name, self.occasion.period, node, self.occasion.revision,
            self.occasion.at, self.occasion.sender, self.occasion.leaves, self.dispatch.figures == "edition",
            thing.pages, thing.sheets, thing.each,
        )  # fmt: skip

    def _node(self, node: str) -> str:
        return self.recipient.node if node == THEIRS else node

    def _run(self, statement: str, node: str) -> RunOutcome:
        """A statement as it is for them, for a letter."""
        if (statement, node) not in self.outcomes:
            thing = Thing("statement", statement, (), (), ())
            self.outcomes[statement, node] = outcomes_of(self._asked(thing, node))[0]
        return self.outcomes[statement, node]

    # words ------------------------------------------------------------------------------------------------------------

    @cached_property
    def _first(self) -> Mapping[str, str]:
        """What names stand for in a letter: those of the first thing that goes."""
        thing = self.dispatch.things[0]
        node = self._node(next(iter(thing.nodes), ""))
        return kind_named(thing.kind).pieces(replace(self._asked(thing, node), pages="node"))[0].values

    def _letter(self, way: Mail) -> dict[str, Any]:
        values = {token: self._value(token) for token in tokens_in([way.text])}
        filled(way.text, values.get, where="text")
        known = {token: str(value) for token, value in values.items()}
        return {
            "subject": one_line(filled(way.subject, self._value, where="subject"), where="subject"),
            "text": letter_text(way.text, known),
            "page": letter_page(way.text, known) if way.text else "",
            "copy": ", ".join(self._others(way.copy, "copy")),
            "hidden": ", ".join(self._others(way.hidden, "blind copy")),
            "subject_marked": self._marked(way.subject),
            "view": letter_page(way.text, known, marks=True) if way.text else "",
        }

    def _marked(self, letter: Letter) -> list[tuple[str, str]]:
        """The pieces of a text, each with the kind of token that it stands for; empty for what was typed."""
        return [
            (str(self._value(piece)), piece.kind) if isinstance(piece, LetterToken) else (piece, "") for piece in letter
        ]

    def _others(self, letter: Letter, where: str) -> tuple[str, ...]:
        """Addresses besides the recipient's; refused where one is that of somebody who may not see as much."""
        book = {one.name.casefold(): one.address for one in Contact.objects.filter(ledger=self.ledger)}
        found = addresses_in(filled(letter, self._value, where=where) if letter else "", where=where, book=book)
        for address in found:
            for other in people_at(address):
                if not sees_as(other, self.person, self.ledger, self.dispatch.things):
                    raise RulkaError(f"{address} is the address of somebody who may not see all of this.",
                                     hint="Make them a recipient: they get their own.", subject=where)  # fmt: skip
        return found

    def _address(self) -> str:
        found = addresses_in(self.person.email, where=f"address of {self.person.username}")
        if len(found) != 1:
            raise RulkaError("They have no mail address.", hint="An administrator sets it.",
                             subject=self.person.username)  # fmt: skip
        return found[0]

    def _target(self, way: Folder | FileServer | Link) -> str:
        """Where files go: a folder below one that is allowed, one of a file server, the address of a link."""
        if isinstance(way, Link):
            return link_to(self.identity(way))
        if isinstance(way, FileServer):
            server_named(self.ledger, way.server)
        if isinstance(way, FileServer) and not way.path:
            return ""
        parts = folder_parts(filled(way.path, self._plain, where="path"), where="path")
        if isinstance(way, Folder):
            folder_named(parts[0])
        return "/".join(parts)

    def _plain(self, token: LetterToken) -> str | None:
        """What a token stands for never adds a folder of its own."""
        value = self._value(token)
        return value and value.replace("/", "-").replace("\\", "-")

    def _value(self, token: LetterToken, own: Mapping[str, str] | None = None) -> str | None:
        if token.kind == "name":
            return self.person.called
        if token.kind == "figure":
            return self._figure(*token.parts)
        if token.kind == "table":
            return table_of(self._of(token.parts[0]).computed)
        if token.kind == "cell":
            return self._cell(*token.parts)
        if token.kind == "link":
            ways = self.dispatch.ways_of(self.recipient)
            return next((link_to(self.identity(way)) for way in ways if isinstance(way, Link)), None)
        return (own or self._first).get(token.kind)

    def _of(self, statement: str) -> RunOutcome:
        """A statement as it goes to them, or as it is for their node where it doesn't."""
        thing = next((one for one in self.dispatch.things if one.key == ("statement", statement)), None)
        return self._run(statement, self._node(next(iter(thing.nodes), "")) if thing else self.recipient.node)

    def _cell(self, name: str, place: str) -> str | None:
        """A cell of a worksheet, or several with commas between, by address or name, as they show to them."""
        worksheet = open_worksheet(self.ledger, name, person=self.person)
        first = self.dispatch.things[0]
        node = self.recipient.node or self._node(next(iter(first.nodes), ""))
        asked = self._asked(Thing("worksheet", name, (), (), ()), node)
        with opened(worksheet, reader_of(worksheet, asked, any_node=True), {}) as live:
            named = live.workbook.names.get(place.casefold(), place).lstrip("=").replace("$", "")
            sheet_name, _, cells = named.rpartition("!")
            sheets = live.workbook.sheets
            sheet = next((one for one in sheets if not sheet_name or one.name == sheet_name.strip("'")), None)
            start, mark, end = cells.partition(":")
            first_cell, last = read_cell(start), read_cell(end) if mark else read_cell(start)
            if sheet is None or first_cell is None or last is None:
                return None
            if (last[0] - first_cell[0] + 1) * (last[1] - first_cell[1] + 1) > MOST_CELLS:
                raise RulkaError(f"'{place[:40]}' is more than {MOST_CELLS} cells.", hint="Name fewer.", subject="cell")
            shower = live.shower()
            found = [
                shower.shown((sheet.number, row, column)).text
                for row in range(first_cell[0], last[0] + 1)
                for column in range(first_cell[1], last[1] + 1)
            ]
            return ", ".join(filter(None, found))

    def _figure(self, statement: str, line: str, column: str) -> str | None:
        return _shown(self._of(statement).computed, line, column)


MOST_CELLS = 100
"""Cells of a range that stand in a letter."""


def link_to(name: str) -> str:
    """The address of a link; refused where this Rulka doesn't know its own."""
    if not settings.ADDRESS:
        raise RulkaError("This Rulka doesn't know its own address.", hint="An administrator sets RULKA_ADDRESS.",
                         subject="link")  # fmt: skip
    return f"{settings.ADDRESS.rstrip('/')}{reverse('sent-to-me', args=[name])}"


def _shown(computed: Computed, line: str, column: str) -> str | None:
    """A figure as a statement shows it; None where it has no such line or column."""
    shown = show(computed)
    for key in (line, f"{line}.total"):
        for row in shown.rows:
            if row.key == key:
                text = next((cell.text.strip() for cell in row.cells if cell.column == column), "")
                if text:
                    return text
    return None
