"""Editions: one run kept for good, opened later with the same figures, compared, and asked what moved since."""

from __future__ import annotations

import json
from collections.abc import Iterable, Mapping
from dataclasses import asdict
from datetime import datetime
from typing import Any

from rulka.core.books.book import View
from rulka.core.books.fence import Fence
from rulka.core.compute.computed import Computed
from rulka.core.compute.rows import RowKind
from rulka.core.compute.statement import run_statement
from rulka.core.definitions.scopes import scope_from
from rulka.core.definitions.spans import span_from
from rulka.core.definitions.spines import spine_from
from rulka.core.definitions.statements import StatementDef, statement_from
from rulka.core.errors import NotFound, RulkaError
from rulka.core.money import as_usual
from rulka.core.proof.explaining import unexplained
from rulka.core.values import key_in
from rulka.formats.definition_file import kind_of
from rulka.formats.output.page import noted, show
from rulka.formats.output.text import as_json
from rulka.ledger.models import Ledger
from rulka.ledger.reading.queries import view_of
from rulka.people.library import record
from rulka.people.models import Person
from rulka.statements.library.assemble import Definitions, texts_of
from rulka.statements.library.shelves import EDIT, RUN, level_of, rights_among
from rulka.statements.models import Definition, Edition
from rulka.statements.running.bounds import fence_text
from rulka.statements.running.explained import Explained, explained_of, notes_of
from rulka.statements.running.runs import RunOutcome

NOTHING_SEALED = "nothing"
OF_LINES: tuple[RowKind, ...] = ("counterparty", "entry")
"""Rows that are read from journal lines."""


def seal_text(fence: Fence) -> str:
    """What names a seal: the accounts, and what may be told apart of them where that was said."""
    return fence.sealed + ("" if fence.grain is None else f" by {', '.join(fence.grain)}") if fence.sealed else ""


def may_open(edition: Edition, view: View, level: int) -> bool:
    """Whether an edition was made within somebody's own bounds, or they see all; whether its statement is theirs to run
    (edit, where it shows what the author closed); and whether it shows nothing that is sealed or too deep for them."""
    if level < (EDIT if edition.closed else RUN):
        return False
    if not view.fence.shows_lines and any(row["kind"] in OF_LINES for row in edition.shown["rows"]):
        return False
    if not view.fence.hides_nothing and edition.fence != fence_text(view):
        return False
    seal = seal_text(view.fence)
    if not seal:
        return True
    if edition.judged == seal:
        return not edition.seals
    behind = edition.seals == view.fence.sealed
    if edition.seals and not behind:
        return False
    return not _shows_sealed(statement_of(edition), view, edition.period, edition.node, behind=behind)


def _shows_sealed(statement: StatementDef, view: View, period: str, node: str, *, behind: bool = False) -> bool:
    """Whether a statement shows what a reader behind a seal would not see: figures finer than its grain, and detail,
    unless the edition was itself kept behind the seal. What can't be shown behind it can't be judged: that counts."""
    try:
        computed = run_statement(statement, view, view.frame.calendar.period(period), node)
    except RulkaError:
        return True
    return any(row.sealed_at or (row.sealed and not behind) for row in computed.rows)


def _seals_of(computed: Computed, ledger: Ledger) -> tuple[str, str]:
    """The seal a run was judged by, and what it opens of it to its readers; both empty where nothing is sealed."""
    fence = computed.view.fence
    if fence.sealed or not ledger.sealed:
        return (seal_text(fence) if fence.sealed else ""), ""
    behind = fence.with_seal(ledger.sealed, ledger.seal_grain)
    shows = _shows_sealed(computed.statement, view_of(ledger, behind), computed.period.code, computed.node.code)
    return seal_text(behind), NOTHING_SEALED if shows else ""


@as_usual()
def keep_edition(
    definitions: Definitions, title: str, outcome: RunOutcome, *, person: Person, reason: str = ""
) -> Edition:
    """Keep the run of a statement that is shown, under a name. Refused while variances beyond their thresholds aren't
    explained, unless somebody who may accept explanations says why."""
    title = title.strip()[:120]
    if not title:
        raise RulkaError("An edition needs a name.", hint="Such as 'October, to the board'.", subject="edition")
    computed = outcome.computed
    statement = definitions["statement"]
    explained = explained_of(statement.ledger, computed)
    reason = _reason(explained, reason, person)
    notes = notes_of(explained)
    ledger = statement.ledger
    judged, seals = _seals_of(computed, ledger)
    told = f"'{title}', {computed.period.code}, {computed.node.code}" + (f"; {reason}" if reason else "")
    record.note(person, "kept", ledger=ledger.code, thing=f"statement {statement.name}", detail=told)
    return Edition.objects.create(
        ledger=ledger,
        statement=statement,
        title=statement.title,
        name=title,
        period=computed.period.code,
        node=computed.node.code,
        revision=computed.view.revision,
        run=json.loads(as_json(computed, outcome.checks, ledger.code)),
        shown={name: value for name, value in asdict(noted(show(computed), notes)).items() if name != "panels"},
        bodies=texts_of(definitions),
        fence=fence_text(computed.view),
        seals=seals,
        judged=judged,
        closed=any(
            line.detail == "closed" and not line.is_closed and (line.expand or line.below or line.has_periods)
            for line in computed.statement.spine.walk()
        ),
        notes=[asdict(note) for note in notes.notes],
        missing=[f"{item.number} {item.label}" for item in unexplained([one.item for one in explained])],
        reason=reason,
        person=person,
    )


def _reason(explained: list[Explained], reason: str, person: Person) -> str:
    """Why an edition is kept before all is explained; nothing where all is. Refused without the right or a reason."""
    left = unexplained([one.item for one in explained])
    if not left:
        return ""
    told = ", ".join(f"{item.number} {item.label}" for item in left[:4]) + (" …" if len(left) > 4 else "")
    if not person.may_accept:
        raise RulkaError(
            f"{len(left)} variance{'s are' if len(left) > 1 else ' is'} not explained yet: {told}.",
            hint="Explain them first, or ask a controller to keep it with a reason.",
            subject="edition",
            code="unexplained",
        )
    if not reason.strip():
        raise RulkaError(
            f"{len(left)} variance{'s are' if len(left) > 1 else ' is'} not explained yet: {told}.",
            hint="Have them explained first, or say why you keep it without.",
            subject="reason",
            code="unexplained",
        )
    return reason.strip()[:1000]


def find_edition(ledger: Ledger, number: str, view: View, person: Person) -> Edition:
    """An edition that somebody may open, see `may_open`; any other answers as one that doesn't exist."""
    found = Edition.objects.filter(ledger=ledger, pk=key_in(number)).select_related("person", "statement").first()
    if found is None or not may_open(found, view, level_of(person, found.statement)):
        raise NotFound("This edition does not exist.", hint="Choose one of the list.", subject="edition")
    return found


def kept_since(ledger: Ledger, statements: Iterable[str], since: datetime) -> list[Edition]:
    """The editions of some statements that were kept after a moment."""
    kept = Edition.objects.filter(ledger=ledger, statement__name__in=list(statements), at__gt=since)
    return list(kept.defer("run", "shown"))


def is_there(edition: Edition) -> bool:
    """Whether an edition's statement still is."""
    return not edition.statement.is_gone


def editions_of(statement: Definition, view: View, person: Person) -> list[Edition]:
    """The editions of a statement that somebody may open, newest first."""
    found = statement.editions.select_related("person", "ledger").defer("run", "shown")
    level = level_of(person, statement)
    return [edition for edition in found if may_open(edition, view, level)]


def of_gone_statements(ledger: Ledger, view: View, person: Person) -> list[Edition]:
    """The editions that somebody may open of statements that were deleted, newest first."""
    found = Edition.objects.filter(ledger=ledger, statement__body__isnull=True)
    editions = list(found.select_related("person", "ledger", "statement").defer("run", "shown"))
    rights = rights_among(person, [edition.statement for edition in editions])
    return [edition for edition in editions if may_open(edition, view, rights.level(edition.statement))]


def statement_of(edition: Edition) -> StatementDef:
    """The statement as it was defined when the edition was made."""
    return statement_in(edition.bodies)


def statement_in(kept: Iterable[Mapping[str, Any]]) -> StatementDef:
    """The statement that kept bodies of definitions say."""
    bodies = {kind_of(body): body for body in kept}
    scope = scope_from(bodies["scope"]) if "scope" in bodies else None
    return statement_from(bodies["statement"], spine_from(bodies["spine"]), span_from(bodies["span"]), scope)


def recompute(edition: Edition, view: View, person: Person) -> Computed:
    """The edition's own definitions at its period and node, over the ledger as it is now, as somebody reads them."""
    statement = statement_of(edition)
    statement = statement if level_of(person, edition.statement) >= EDIT else statement.for_readers()
    return run_statement(statement, view, view.frame.calendar.period(edition.period), edition.node)
