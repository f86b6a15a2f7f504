"""What can be sent to somebody: statements, and whatever else registers itself. Each kind makes its files for one
recipient, behind that one's fence, at one revision."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Protocol

from rulka.core.books.fence import DEPTHS, Fence
from rulka.core.errors import NotFound, RulkaError, one_of
from rulka.formats.definition_file import kind_of
from rulka.formats.output.page import page_values
from rulka.ledger.models import Ledger
from rulka.people.models import Person
from rulka.statements.library.assemble import Definitions, made_up
from rulka.statements.library.opening import definition_for, definitions_for, open_statement, seen_definitions
from rulka.statements.library.shelves import RUN, depth_on, level_of
from rulka.statements.models import Definition, Edition
from rulka.statements.output.exports import TYPES, Maker, export, leave
from rulka.statements.running.runs import RunOutcome, page_nodes, read_by, run_pages, view_by


@dataclass(frozen=True)
class SendRequest:
    """What somebody gets of one thing: as which person, when, for which node, at which revision; `edition` as it was
    kept. `leaves` where the file really goes: it names its origin then."""

    ledger: Ledger
    person: Person
    fence: Fence
    name: str
    period: str
    node: str
    revision: int
    at: datetime
    sender: str = ""
    leaves: bool = False
    edition: bool = False
    pages: str = "node"
    sheets: tuple[str, ...] = ()
    each: bool = False


@dataclass(frozen=True)
class SentFile:
    """What becomes one file: what names it, and its content by form."""

    values: Mapping[str, str]
    content: Callable[[str], bytes]


class SendableKind(Protocol):
    """A kind of thing that can be sent."""

    def pieces(self, asked: SendRequest) -> Sequence[SentFile]:
        """What somebody gets of it; raises RulkaError where they get nothing."""

    def edition(self, ledger: Ledger, name: str, period: str) -> int | None:
        """The revision of the newest edition that is kept of it for a period; None for what has no editions."""

    def check(self, ledger: Ledger, name: str, person: Person | None) -> None:
        """Refuse what isn't there, or not for somebody."""

    def level(self, ledger: Ledger, name: str, person: Person) -> tuple[int, int]:
        """What somebody may do with it, and how deep they get from it."""

    def names(self, ledger: Ledger, person: Person) -> list[tuple[str, str]]:
        """The names and titles of what somebody may send."""


_KINDS: dict[str, SendableKind] = {}


SENT_AS: Mapping[str, str] = {
    **TYPES,
    "docx": "application/vnd.openxmlformats-officedocument.wordprocessingml.document",
    "pptx": "application/vnd.openxmlformats-officedocument.presentationml.presentation",
}
"""What files are that go, by their ending."""


def sends(name: str, kind: SendableKind) -> None:
    """Register another kind."""
    _KINDS[name] = kind


def kinds() -> tuple[str, ...]:
    """The kinds that can be sent."""
    return tuple(_KINDS)


def kind_named(name: str) -> SendableKind:
    """A kind by its name."""
    if name not in _KINDS:
        raise NotFound(f"Nothing of the kind '{name[:40]}' is sent.", hint=one_of(name, _KINDS), subject="sends")
    return _KINDS[name]


# statements ---------------------------------------------------------------------------------------------------------


def definitions_sent(asked: SendRequest) -> Definitions:
    """A statement with its parts as they are, or as in the newest edition of the period."""
    now = open_statement(asked.ledger, asked.name, person=asked.person)
    if not asked.edition:
        return now
    statement = now["statement"]
    texts = {kind_of(text): text for text in edition_sent(statement, asked.period).bodies}
    parts = {
        kind: made_up(asked.ledger, text, now[kind].pk if kind in now else -at)
        for at, (kind, text) in enumerate(texts.items(), 1)
        if kind != "statement"
    }
    return {
        "statement": made_up(asked.ledger, texts["statement"], statement.pk, shelf=statement.shelf, **parts), **parts,
    }  # fmt: skip


def edition_sent(statement: Definition, period: str) -> Edition:
    """The newest edition of a statement for a period, whose revision and definitions are sent."""
    found = statement.editions.filter(period=period).defer("run", "shown").first()
    if found is None:
        raise RulkaError(
            f"No edition of '{statement.name}' is kept for {period}.", hint="Keep one first.", subject="edition"
        )
    return found


def outcomes_of(asked: SendRequest) -> list[RunOutcome]:
    """A statement as somebody gets it, for its node and those asked for below; without a node for the first that they
    see."""
    definitions = definitions_sent(asked)
    node = asked.node
    if not node:
        view = view_by(definitions, asked.fence, asked.person, asked.revision)
        node = page_nodes(read_by(definitions, asked.person), view)[0].code
    return run_pages(definitions, asked.period, node, asked.fence, person=asked.person, pages=asked.pages,
                     in_depth=True, revision=asked.revision)  # fmt: skip


class _Statements:
    def pieces(self, asked: SendRequest) -> list[SentFile]:
        outcomes = outcomes_of(asked)
        groups = [[one] for one in outcomes] if asked.each else [outcomes]
        return [self._piece(group, asked) for group in groups]

    def _piece(self, outcomes: list[RunOutcome], asked: SendRequest) -> SentFile:
        maker = Maker(asked.sender, number=asked.person.pk)

        def content(form: str) -> bytes:
            if form not in TYPES:
                title = outcomes[0].computed.statement.title
                raise RulkaError(
                    f"'{title}' is a statement: it doesn't go as .{form}.",
                    hint="Put it into a folio for that, or choose another form.", subject="sends",
                )  # fmt: skip
            made = leave(outcomes, asked.ledger, form, maker) if asked.leaves else (
                export(outcomes, asked.ledger, form, maker)
            )  # fmt: skip
            return made if isinstance(made, bytes) else made.encode()

        return SentFile(page_values(outcomes[0].computed, asked.ledger.name, asked.at), content)

    def edition(self, ledger: Ledger, name: str, period: str) -> int | None:
        return edition_sent(definition_for(ledger, "statement", name, None), period).revision

    def check(self, ledger: Ledger, name: str, person: Person | None) -> None:
        definitions_for(ledger, name, person)

    def level(self, ledger: Ledger, name: str, person: Person) -> tuple[int, int]:
        statement = definitions_for(ledger, name, None)["statement"]
        return level_of(person, statement), DEPTHS.index(depth_on(person, statement.shelf_id))

    def names(self, ledger: Ledger, person: Person) -> list[tuple[str, str]]:
        seen = seen_definitions(ledger, person, "statement", level=RUN)
        return sorted(((one.name, one.title) for one in seen), key=lambda pair: pair[1])


sends("statement", _Statements())
