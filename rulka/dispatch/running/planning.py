"""Who gets what: for each recipient and way the letter and the files, computed behind the recipient's own fence."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

from django.utils import timezone

from rulka.core.books.fence import Fence
from rulka.core.compute.computed import Computed
from rulka.core.errors import NotFound, RulkaError
from rulka.core.sending.dispatches import THEIRS, Dispatch, Folder, Mail, Recipient, Thing, identity
from rulka.core.sending.letters import Token, addresses_in, file_name, filled, folder_parts, one_line
from rulka.core.sheet.addresses import read_cell
from rulka.dispatch.running.folders import folder_named
from rulka.formats.output.page import page_values, show
from rulka.formats.output.table import as_table
from rulka.ledger.models import Ledger
from rulka.ledger.reading.queries import view_of
from rulka.people.library.persons import person_named
from rulka.people.library.rights import fence_of
from rulka.people.models import Person
from rulka.statements.library.opening import open_statement
from rulka.statements.library.shelves import depth_on
from rulka.statements.output.exports import Maker, export, leave
from rulka.statements.running.runs import Outcome, run_pages
from rulka.worksheets.library.opening import open_worksheet
from rulka.worksheets.running.live import Reader, opened


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
    letter: Mapping[str, str] | None = None
    files: Sequence[MadeFile] = ()
    problem: str = ""


def plan(
    dispatch: Dispatch, ledger: Ledger, period: str, occasion: str, *, sender: str = "", only: str = "",
    leaves: bool = False,
) -> list[Planned]:  # fmt: skip
    """What goes to whom; `only` for one person. What can't go to somebody is told with them, and holds up nobody else.
    With `leaves` the files are such that really leave: they name their origin."""
    if only and only not in {one.person for one in dispatch.recipients}:
        raise NotFound(f"'{only[:40]}' isn't among the recipients.", subject="to")
    found = []
    for recipient in dispatch.recipients:
        if only and recipient.person != only:
            continue
        share = _Share(dispatch, recipient, ledger, period, sender, leaves)
        for way in dispatch.ways_of(recipient):
            name = identity(ledger.code, dispatch.name, occasion, recipient.person, recipient.node, way.name)
            found.append(share.by(way, name))
    return [*_apart(dispatch, found)]


def _apart(dispatch: Dispatch, planned: Sequence[Planned]) -> Iterator[Planned]:
    """Nobody's file takes the place of what went to somebody else on the same occasion."""
    replaces = {way.name for way in dispatch.ways if isinstance(way, Folder) and way.exists == "overwrite"}
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


class _Share:
    """What one recipient gets, computed once for all ways."""

    def __init__(
        self, dispatch: Dispatch, recipient: Recipient, ledger: Ledger, period: str, sender: str, leaves: bool
    ) -> None:
        self.dispatch, self.recipient, self.ledger, self.period = dispatch, recipient, ledger, period
        self.sender, self.leaves = sender, leaves
        self.at = timezone.localtime()
        self.runs: dict[tuple[str, str], Outcome] = {}

    def by(self, way: Mail | Folder, name: str) -> Planned:
        """What goes by a way, or why nothing does."""
        person = person_named(self.recipient.person)
        about: dict[str, Any] = {
            "identity": name,
            "person": person.pk if person else None,
            "person_name": self.recipient.person,
            "node": self.recipient.node,
            "way": way.name,
        }
        try:
            files = self.files
            if isinstance(way, Mail):
                return Planned(**about, target=self._address(), letter=self._letter(way), files=files)
            return Planned(**about, target=self._folder(way), files=files)
        except RulkaError as error:
            return Planned(**about, problem=str(error))

    @cached_property
    def person(self) -> Person:
        person = person_named(self.recipient.person)
        if person is None or not person.is_active:
            raise RulkaError("They have left.", hint="Say who gets it now.", subject=self.recipient.person)
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
            outcome = self._run(thing.statement, self._node(thing))
            name = filled(thing.file, lambda token, o=outcome: self._value(token, o), where="file")  # type: ignore[misc]
            for form in thing.forms:
                made = file_name(name, form)
                taken = {one.name for one in found}
                made = made if made not in taken else file_name(f"{name} {thing.statement}", form)
                if made in taken:
                    raise RulkaError(f"Two files are called {made}.", hint="Give them other names.", subject="file")
                found.append(MadeFile(made, self._content(outcome, form)))
        return found

    def _content(self, outcome: Outcome, form: str) -> bytes:
        maker = Maker(self.sender, number=self.person.pk)
        if self.leaves:
            return leave([outcome], self.ledger, form, maker)
        content = export([outcome], self.ledger, form, maker)
        return content if isinstance(content, bytes) else content.encode()

    def _node(self, thing: Thing) -> str:
        return self.recipient.node if thing.node == THEIRS else thing.node

    def _run(self, statement: str, node: str) -> Outcome:
        if (statement, node) not in self.runs:
            definitions = open_statement(self.ledger, statement, person=self.person)
            (outcome,) = run_pages(definitions, self.period, node, self.fence, person=self.person, in_depth=True)
            self.runs[statement, node] = outcome
        return self.runs[statement, node]

    # words ------------------------------------------------------------------------------------------------------------

    def _first(self) -> Outcome:
        thing = self.dispatch.things[0]
        return self._run(thing.statement, self._node(thing))

    def _letter(self, way: Mail) -> dict[str, str]:
        value = self._value
        subject = one_line(filled(way.subject, value, where="subject"), where="subject")
        copy = ", ".join(addresses_in(filled(way.copy, value, where="copy") if way.copy else "", where="copy"))
        return {"subject": subject, "text": filled(way.text, value, where="text") if way.text else "", "copy": copy}

    def _address(self) -> str:
        found = addresses_in(self.person.email, where=f"address of {self.person.username}")
        if len(found) != 1:
            raise RulkaError("They have no mail address.", hint="An administrator sets it.",
                             subject=self.person.username)  # fmt: skip
        return found[0]

    def _folder(self, way: Folder) -> str:
        def plain(token: Token) -> str | None:
            """What a token stands for never adds a folder of its own."""
            value = self._value(token)
            return value and value.replace("/", "-").replace("\\", "-")

        parts = folder_parts(filled(way.path, plain, where="path"), where="path")
        folder_named(parts[0])
        return "/".join(parts)

    def _value(self, token: Token, outcome: Outcome | None = None) -> str | None:
        if token.kind == "name":
            return self.person.called
        if token.kind == "figure":
            return self._figure(*token.parts)
        if token.kind == "table":
            return as_table([self._of(token.parts[0]).computed])[0]
        if token.kind == "cell":
            return self._cell(*token.parts)
        return page_values((outcome or self._first()).computed, self.ledger.name, self.at).get(token.kind)

    def _of(self, statement: str) -> Outcome:
        """A statement as it goes to them, or as it is for their node where it doesn't."""
        thing = next((one for one in self.dispatch.things if one.statement == statement), None)
        return self._run(statement, self._node(thing) if thing else self.recipient.node)

    def _cell(self, name: str, place: str) -> str | None:
        """A cell of a worksheet, by its address or its name, as it shows to them."""
        worksheet = open_worksheet(self.ledger, name, person=self.person)
        view = view_of(self.ledger, self.fence.down_to(depth_on(self.person, worksheet.shelf_id)))
        period = view.frame.calendar.period(self.period)
        node = self.recipient.node or self._node(self.dispatch.things[0])
        with opened(worksheet, Reader(self.ledger, view, period, node, self.person)) as live:
            named = live.workbook.names.get(place.casefold(), place).lstrip("=").replace("$", "")
            sheet_name, _, cell = named.rpartition("!")
            sheets = live.workbook.sheets
            sheet = next((one for one in sheets if not sheet_name or one.name == sheet_name.strip("'")), None)
            at = read_cell(cell)
            return live.shower().shown((sheet.number, *at)).text if sheet and at else None

    def _figure(self, statement: str, line: str, column: str) -> str | None:
        computed = self._of(statement).computed
        return _cell(computed, line, column)


def _cell(computed: Computed, line: str, column: str) -> str | None:
    """A figure as a statement shows it; None where it has no such line or column."""
    shown = show(computed)
    for key in (line, f"{line}.total"):
        for row in shown.rows:
            if row.key == key:
                text = next((cell.text.strip() for cell in row.cells if cell.column == column), "")
                if text:
                    return text
    return None
