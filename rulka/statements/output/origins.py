"""What a file of statements is of, and whether one that comes back is still what it was."""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from hashlib import sha256
from typing import Any

from rulka.core.books.fence import NO_FENCE, Fence
from rulka.core.compute.statement import run_statement
from rulka.core.definitions.statements import StatementDef
from rulka.core.errors import NotFound, RulkaError
from rulka.core.proof.origin import Altered, altered
from rulka.formats.intake.read_back import ReadFile, read_back
from rulka.formats.output.text import as_json
from rulka.ledger.models import Ledger
from rulka.ledger.reading.queries import find_ledger, view_of
from rulka.people.library.rights import fence_of
from rulka.people.models import Person
from rulka.statements.library.assemble import texts_of
from rulka.statements.library.shelves import EDIT, RUN, depth_on, level_on
from rulka.statements.models import Definition
from rulka.statements.output.editions import OF_LINES, statement_in
from rulka.statements.output.moving import WhatMoved, since_run
from rulka.statements.running.runs import RunOutcome
from rulka.work.models import LeftFile
from rulka.work.services import leaving
from rulka.work.services.leaving import Left

Page = Mapping[str, Any]
"""How a page of a file was computed, and its figures as `run`."""

WAYS: Mapping[str, Callable[[StatementDef], StatementDef]] = {
    "as it is": lambda statement: statement,
    "for readers": lambda statement: statement.for_readers(),
    "in depth": lambda statement: statement.in_depth(),
    "for readers, in depth": lambda statement: statement.for_readers().in_depth(),
}
"""How a statement may have been read when it was computed."""

# leaving ------------------------------------------------------------------------------------------------------------


def left_of(
    outcomes: Sequence[RunOutcome], ledger: Ledger, *, person: int | None = None, person_name: str = ""
) -> Left:
    """What a file of some runs is of, with all that computes it again."""
    first = outcomes[0].computed
    names = {one.computed.statement.name for one in outcomes}
    return Left(
        ledger.code,
        "statement",
        first.statement.name if len(names) == 1 else f"{len(names)} statements",
        first.period.code,
        first.node.code if len(outcomes) == 1 else f"{first.node.code} and others",
        first.view.revision,
        first.view.fence.all_the_way_down.digest,
        [_page(one, ledger) for one in outcomes],
        person,
        person_name,
    )


def _page(outcome: RunOutcome, ledger: Ledger) -> dict[str, Any]:
    computed = outcome.computed
    bodies = texts_of(outcome.definitions)
    statement = statement_in(bodies)
    way = next((name for name, way in WAYS.items() if way(statement) == computed.statement), "")
    return {
        "statement": computed.statement.name,
        "of": outcome.definitions["statement"].pk,
        "shelf": outcome.definitions["statement"].shelf_id,
        "period": computed.period.code,
        "node": computed.node.code,
        "bodies": bodies,
        "way": way,
        "run": json.loads(as_json(computed, outcome.checks, ledger.code)),
    }


# coming back --------------------------------------------------------------------------------------------------------

UNTOUCHED = "untouched"
"""Byte for byte what left."""

SAME = "same"
"""Saved again; all that stands in it is what it was."""

CHANGED = "changed"


@dataclass(frozen=True)
class Since:
    """A page of a file, and what moved of it in the ledger since: as lines of a statement, or as cells; `why` says why
    that can't be told."""

    name: str
    node: str
    moved: WhatMoved | None = None
    cells: Sequence[Altered] | None = None
    why: str = ""

    @property
    def figures(self) -> int | None:
        """How many of its figures moved; None where that can't be told."""
        if self.moved is not None:
            return self.moved.figures
        return None if self.cells is None else len(self.cells)


@dataclass(frozen=True)
class OriginKind:
    """What can leave: on which shelf a page stands, which right it needs, whether it shows what was read from journal
    lines, and what moved of it since."""

    shelf: Callable[[Ledger, Page], int | None]
    needs: Callable[[Page], int]
    shows_lines: Callable[[Page], bool]
    since: Callable[[LeftFile, Page, Ledger, Fence, Person | None], Since]


def shelf_by_name(model: type[Any], key: str) -> Callable[[Ledger, Page], int | None]:
    """The shelf of the thing that a page names under a key: as it stands now; of one that is gone the shelf it had."""

    def shelf(ledger: Ledger, page: Page) -> int | None:
        found = model._default_manager.filter(ledger=ledger, name=page[key]).first()
        number: int | None = found.shelf_id if found else page["shelf"]
        return number

    return shelf


_KINDS: dict[str, OriginKind] = {}


def leaves(name: str, kind: OriginKind) -> None:
    """Register something else whose files name their origin."""
    _KINDS[name] = kind


@dataclass(frozen=True)
class Verified:
    """What a file that came back is: what it names, whether it is still that, what was changed by hand, what moved
    since."""

    left: LeftFile
    state: str
    altered: Sequence[Altered]
    since: Sequence[Since]
    other_codes: Sequence[str] = ()

    @property
    def holds(self) -> bool:
        """Whether nothing that stands in it was changed."""
        return self.state != CHANGED

    @property
    def moved(self) -> int:
        """How many of its figures moved in the ledger since."""
        return sum(one.figures or 0 for one in self.since)


def verify(
    content: bytes, name: str, person: Person | None, *, read: Callable[[bytes, str], ReadFile] = read_back
) -> Verified:
    """Hold a file against what it was when it left, and against the ledger as it is now, behind the fence of who asks;
    nobody is a command, which sees all. What names no origin, and one that somebody may not see, answer the same."""
    found = read(content, name)
    left = leaving.find(found.codes)
    if left is None or not may_see(left, person):
        raise NotFound(
            "This file names no origin that you may see." if found.codes else "This file names no origin.",
            hint="Files that left Rulka have a code such as R-7K3Q4-9XMTP in their foot; it is known for as long as "
            "whoever runs Rulka has set.",
            subject=name,
        )  # fmt: skip
    if sha256(content).hexdigest() == left.digest:
        state, changes = UNTOUCHED, []
    else:
        changes = _what_changed(left, found, read)
        state = CHANGED if changes else SAME
    ledger = find_ledger(left.ledger)
    kind = _KINDS[left.kind]
    since = [
        kind.since(left, page, ledger, _fence(ledger, person, kind.shelf(ledger, page)), person)
        for page in leaving.pages_of(left)
    ]
    others = [code for code in found.codes if code != left.code]
    return Verified(left, state, changes, since, others)


TOO_LONG = "so long that only its digest is kept"


def _what_changed(left: LeftFile, found: ReadFile, read: Callable[[bytes, str], ReadFile]) -> list[Altered]:
    if not leaving.is_whole(left):
        return [Altered("", "", "part", TOO_LONG, "another content, or saved again")]
    kept = leaving.parts_of(left, lambda held, code: read(held, code).parts)
    return _changes(left, found, altered(kept, found.parts))


def _changes(left: LeftFile, found: ReadFile, changes: list[Altered]) -> list[Altered]:
    if left.form != found.form:
        return [Altered("", "", "part", left.form, found.form), *changes]
    return changes


def _fence(ledger: Ledger, person: Person | None, shelf: int | None) -> Fence:
    """Behind which fence somebody reads what stands on a shelf, no deeper than that lets them get."""
    if person is None:
        return NO_FENCE
    return fence_of(person, ledger.code).down_to(depth_on(person, shelf))


def may_see(left: LeftFile, person: Person | None) -> bool:
    """Whether somebody may read what a file held: they see all of its ledger, or just what its figures were computed
    within, and may have each of its pages."""
    if person is None:
        return True
    kind = _KINDS[left.kind]
    try:
        ledger = find_ledger(left.ledger)
        own = fence_of(person, ledger.code).all_the_way_down
    except RulkaError:
        return False
    return (own.is_open or own.digest == left.fence) and all(
        _may_see_page(kind, ledger, page, person) for page in leaving.pages_of(left)
    )


def may_take(digest: str, person: Person) -> bool:
    """Whether somebody may read a file that left before, told by its bytes; nobody one that isn't known."""
    left = leaving.find_bytes(digest)
    return left is not None and may_see(left, person)


def _may_see_page(kind: OriginKind, ledger: Ledger, page: Page, person: Person) -> bool:
    shelf = kind.shelf(ledger, page)
    deep = _fence(ledger, person, shelf).shows_lines or not kind.shows_lines(page)
    return deep and level_on(person, shelf) >= kind.needs(page)


def shelf_of(ledger: Ledger, page: Page, name: str) -> int | None:
    """Where the statement of a page stands, or stood when it was taken out; where it did when the file left, if nothing
    is known of it. Files that left long ago know its name alone."""
    known = Definition.every.filter(ledger=ledger, kind="statement")
    found = (known.filter(pk=page["of"]) if "of" in page else known.filter(name=page[name])).first()
    shelf: int | None = found.shelf_id if found else page["shelf"]
    return shelf


def _shelf(ledger: Ledger, page: Page) -> int | None:
    return shelf_of(ledger, page, "statement")


def _shows_lines(page: Page) -> bool:
    return any(line["kind"] in OF_LINES for line in page["run"]["lines"])


def _needed(page: Page) -> int:
    statement = statement_in(page["bodies"])
    closes = statement.for_readers() != statement
    return EDIT if closes and "for readers" not in page["way"] else RUN


def _since(left: LeftFile, page: Page, ledger: Ledger, fence: Fence, person: Person | None) -> Since:
    named = page["statement"], page["node"]
    if not page["way"]:
        return Since(*named, why="It was shown with other columns than its own.")
    try:
        view = view_of(ledger, fence)
        statement = WAYS[page["way"]](statement_in(page["bodies"]))
        computed = run_statement(statement, view, view.frame.calendar.period(page["period"]), page["node"])
        return Since(*named, since_run(ledger, page["run"], left.revision, left.code, computed))
    except RulkaError as error:
        return Since(*named, why=str(error))


leaves("statement", OriginKind(_shelf, _needed, _shows_lines, _since))
