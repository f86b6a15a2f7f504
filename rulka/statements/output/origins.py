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
from rulka.formats.output.stamp import Stamp
from rulka.formats.output.text import as_json
from rulka.ledger.models import Ledger
from rulka.ledger.reading.queries import find_ledger, view_of
from rulka.people.library.rights import fence_of
from rulka.people.models import Person
from rulka.statements.library.shelves import EDIT, RUN, level_of, level_on
from rulka.statements.models import Definition
from rulka.statements.output.editions import statement_in
from rulka.statements.output.moving import WhatMoved, since_run
from rulka.statements.running.runs import Outcome
from rulka.work.models import LeftFile
from rulka.work.services import leaving
from rulka.work.services.leaving import Left

WAYS: Mapping[str, Callable[[StatementDef], StatementDef]] = {
    "as it is": lambda statement: statement,
    "for readers": lambda statement: statement.for_readers(),
    "in depth": lambda statement: statement.in_depth(),
    "for readers, in depth": lambda statement: statement.for_readers().in_depth(),
}
"""How a statement may have been read when it was computed."""

# leaving ------------------------------------------------------------------------------------------------------------


def left_of(outcomes: Sequence[Outcome], ledger: Ledger, *, person: int | None = None, person_name: str = "") -> Left:
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
        first.view.fence.digest,
        [_page(one, ledger) for one in outcomes],
        person,
        person_name,
    )


def _page(outcome: Outcome, ledger: Ledger) -> dict[str, Any]:
    computed = outcome.computed
    bodies = [definition.body for definition in outcome.definitions.values()]
    statement = statement_in(bodies)
    way = next((name for name, way in WAYS.items() if way(statement) == computed.statement), "")
    return {
        "statement": computed.statement.name,
        "shelf": outcome.definitions["statement"].shelf_id,
        "period": computed.period.code,
        "node": computed.node.code,
        "bodies": bodies,
        "way": way,
        "run": json.loads(as_json(computed, outcome.checks, ledger.code)),
    }


def stamp_of(left: Left) -> Stamp:
    """What a file says of its origin, with a new code."""
    facts = (
        ("Statement", left.name),
        ("Node", left.node),
        ("Period", left.period),
        ("Revision", str(left.revision)),
        ("Definitions", left.definitions),
        ("Figures", left.figures),
    )
    return Stamp(leaving.new_code(), facts)


# coming back --------------------------------------------------------------------------------------------------------

UNTOUCHED = "untouched"
"""Byte for byte what left."""

SAME = "same"
"""Saved again; all that stands in it is what it was."""

CHANGED = "changed"


@dataclass(frozen=True)
class Since:
    """A page of a file, and what moved of it in the ledger since; `why` says why that can't be told."""

    statement: str
    node: str
    moved: WhatMoved | None
    why: str = ""


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
        return sum(one.moved.figures for one in self.since if one.moved is not None)


def verify(
    content: bytes, name: str, person: Person | None, *, read: Callable[[bytes, str], ReadFile] = read_back
) -> Verified:
    """Hold a file against what it was when it left, and against the ledger as it is now, behind the fence of who asks;
    nobody is a command, which sees all. What names no origin, and one that somebody may not see, answer the same."""
    found = read(content, name)
    left = leaving.find(found.codes)
    if left is None or not _may_see(left, person):
        raise NotFound(
            "This file names no origin that you may see." if found.codes else "This file names no origin.",
            hint="Files that left Rulka have a code such as R-7K3Q4-9XMTP in their foot; they are known for as long as "
            "RULKA_LEFT_DAYS says.",
            subject=name,
        )  # fmt: skip
    pages, parts = leaving.opened(left)
    if sha256(content).hexdigest() == left.digest:
        state, changes = UNTOUCHED, []
    else:
        changes = _changes(left, found, altered(parts, found.parts))
        state = CHANGED if changes else SAME
    ledger = find_ledger(left.ledger)
    since = [_since(left, page, ledger, _fence(ledger, person), person) for page in pages]
    others = [code for code in found.codes if code != left.code]
    return Verified(left, state, changes, since, others)


def _changes(left: LeftFile, found: ReadFile, changes: list[Altered]) -> list[Altered]:
    if left.form != found.form:
        return [Altered("", "", "part", left.form, found.form), *changes]
    return changes


def _fence(ledger: Ledger, person: Person | None) -> Fence:
    return NO_FENCE if person is None else fence_of(person.username, ledger.code)


def _may_see(left: LeftFile, person: Person | None) -> bool:
    """Whether somebody may read what a file held: they see all of its ledger, or just what its figures were computed
    within; and may run, where it shows what its author closed edit, each of its statements."""
    if person is None:
        return True
    try:
        ledger = find_ledger(left.ledger)
        fence = _fence(ledger, person)
    except RulkaError:
        return False
    if not fence.is_open and fence.digest != left.fence:
        return False
    pages, _ = leaving.opened(left)
    return all(_level(ledger, page, person) >= _needed(page) for page in pages)


def _level(ledger: Ledger, page: Mapping[str, Any], person: Person) -> int:
    definition = Definition.objects.filter(ledger=ledger, kind="statement", name=page["statement"]).first()
    return level_of(person, definition) if definition else level_on(person, page["shelf"])


def _needed(page: Mapping[str, Any]) -> int:
    statement = statement_in(page["bodies"])
    closes = statement.for_readers() != statement
    return EDIT if closes and "for readers" not in page["way"] else RUN


def _since(left: LeftFile, page: Mapping[str, Any], ledger: Ledger, fence: Fence, person: Person | None) -> Since:
    named = page["statement"], page["node"]
    if not page["way"]:
        return Since(*named, None, "It was shown with other columns than its own.")
    try:
        view = view_of(ledger, fence)
        statement = WAYS[page["way"]](statement_in(page["bodies"]))
        computed = run_statement(statement, view, view.frame.calendar.period(page["period"]), page["node"])
        return Since(*named, since_run(ledger, page["run"], left.revision, left.code, computed))
    except RulkaError as error:
        return Since(*named, None, str(error))
