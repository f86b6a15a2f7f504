"""Editions: one run kept for good, opened later with the same figures, compared, and asked what moved since."""

from __future__ import annotations

import json
from dataclasses import asdict, dataclass
from typing import Any

from rulka.core.books.book import View
from rulka.core.compute.statement import run_statement
from rulka.core.definitions.scopes import scope_from
from rulka.core.definitions.spans import span_from
from rulka.core.definitions.spines import spine_from
from rulka.core.definitions.statements import StatementDef, statement_from
from rulka.core.errors import NotFound, RulkaError
from rulka.core.proof.footing import footing
from rulka.core.proof.moved import Moved, compare_runs, moved_since
from rulka.formats.definition_file import kind_of
from rulka.formats.output.page import show
from rulka.formats.output.text import as_json
from rulka.ledger.models import Ledger
from rulka.ledger.reading.history import ChangedEntry, ChangedSum, changes_between
from rulka.people.models import Person
from rulka.statements.library.assemble import Definitions
from rulka.statements.library.storing import title_of
from rulka.statements.models import Edition
from rulka.statements.running.runs import Outcome


@dataclass(frozen=True)
class MovedFigure:
    """A figure that moved, with the sums that arrived on its accounts in the periods it reads."""

    moved: Moved
    sums: tuple[ChangedSum, ...]


@dataclass(frozen=True)
class WhatMoved:
    """What arrived since an edition and which of its figures that changed."""

    revision: int
    figures: tuple[MovedFigure, ...]
    entries: tuple[ChangedEntry, ...]
    count: int


def fence_text(view: View) -> str:
    """What names the bounds that figures were computed within."""
    return "" if view.fence.hides_nothing else view.fence.digest


NOTHING_SEALED = "nothing"
DETAIL_KINDS = ("entry", "counterparty", "others")
"""Rows that journal lines make."""


def may_open(edition: Edition, view: View) -> bool:
    """Whether an edition was made within somebody's own bounds, or they see all, and shows no detail that is sealed for
    them."""
    inside = view.fence.hides_nothing or edition.fence == fence_text(view)
    return inside and (not edition.seals or not view.fence.sealed or edition.seals == view.fence.sealed)


def keep_edition(definitions: Definitions, title: str, outcome: Outcome, *, person: Person) -> Edition:
    """Keep the run of a statement that is shown, under a name."""
    title = title.strip()[:120]
    if not title:
        raise RulkaError("An edition needs a name.", hint="Such as 'October, to the board'.", subject="edition")
    computed = outcome.computed
    statement = definitions["statement"]
    return Edition.objects.create(
        ledger=statement.ledger,
        statement=statement.name,
        title=title_of(statement),
        name=title,
        period=computed.period.code,
        node=computed.node.code,
        revision=computed.view.revision,
        run=json.loads(as_json(computed, outcome.checks, statement.ledger.code)),
        shown={name: value for name, value in asdict(show(computed)).items() if name != "panels"},
        bodies=[definition.body for definition in definitions.values()],
        fence=fence_text(computed.view),
        seals=(computed.view.fence.sealed or NOTHING_SEALED)
        if any(row.kind in DETAIL_KINDS for row in computed.rows)
        else "",
        person=person,
    )


def find_edition(ledger: Ledger, number: str, view: View) -> Edition:
    """An edition that somebody may open: made within their own bounds, or they see all of the ledger."""
    found = (
        Edition.objects.filter(ledger=ledger, pk=int(number) if number.isdigit() else 0)
        .select_related("person")
        .first()
    )
    if found is None or not may_open(found, view):
        raise NotFound(
            "This edition does not exist, or was made by somebody who sees more than you.",
            hint="Choose one of the list.",
            subject="edition",
        )
    return found


def editions_of(ledger: Ledger, name: str, view: View) -> list[Edition]:
    """The editions of a statement that somebody may open, newest first."""
    found = (
        Edition.objects.filter(ledger=ledger, statement=name).select_related("person").defer("run", "shown", "bodies")
    )
    return [edition for edition in found if may_open(edition, view)]


def statement_of(edition: Edition) -> StatementDef:
    """The statement as it was defined when the edition was made."""
    bodies = {kind_of(body): body for body in edition.bodies}
    scope = scope_from(bodies["scope"]) if "scope" in bodies else None
    return statement_from(bodies["statement"], spine_from(bodies["spine"]), span_from(bodies["span"]), scope)


def recompute(edition: Edition, view: View) -> Outcome:
    """The edition's own definitions at its period and node, over the ledger as it is now."""
    computed = run_statement(statement_of(edition), view, view.frame.calendar.period(edition.period), edition.node)
    return Outcome(computed, footing(computed))


def compare_editions(before: Edition, after: Edition) -> list[Moved]:
    """The figures that differ from one edition to another."""
    return compare_runs(before.run, after.run)


def what_moved(edition: Edition, ledger: Ledger, view: View) -> WhatMoved:
    """The entries that arrived since an edition, and its figures that are others now, each with what arrived behind
    it."""
    outcome = recompute(edition, view)
    now: dict[str, Any] = json.loads(as_json(outcome.computed, outcome.checks, ledger.code))
    found = moved_since(edition.run, now, outcome.computed)
    if ledger.revision == edition.revision:
        return WhatMoved(ledger.revision, tuple(MovedFigure(moved, ()) for moved in found), (), 0)
    changes = changes_between(view, ledger, edition.revision, ledger.revision)
    figures = [
        MovedFigure(
            moved, tuple(one for one in changes.sums if one.account in moved.codes and one.period in moved.periods)
        )
        for moved in found
    ]
    return WhatMoved(ledger.revision, tuple(figures), changes.entries, changes.count)
