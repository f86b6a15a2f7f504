"""Statements of a month at a glance: whether each holds, which accounts have no place, which variances wait. What was
computed is kept with the view, as long as neither ledger nor definitions change."""

from __future__ import annotations

import json
from dataclasses import dataclass
from hashlib import sha256

from rulka.core.books.few import Few
from rulka.core.errors import RulkaError
from rulka.core.proof.checks import FAILS, HOLDS, NOT_JUDGED, WARNS, Check
from rulka.ledger.seat import Seat
from rulka.statements.library.assemble import Definitions, definitions_of_statement
from rulka.statements.library.opening import seen_definitions
from rulka.statements.library.shelves import EDIT, RUN, depth_on, level_of
from rulka.statements.models import Definition, Visit
from rulka.statements.running.runs import RunOutcome, node_asked, run

MOST_CODES = 3
MOST_KEPT = 36
"""Judged statements that are kept of each fence."""

MOST_STATEMENTS = 12
"""Statements that are judged at once: those that somebody used last, then by title."""


@dataclass(frozen=True)
class MonthlyVerdict:
    """A statement's month: the state that counts most, why, and its run where there is one."""

    definition: Definition
    title: str
    state: str
    detail: str
    outcome: RunOutcome | None
    unplaced: tuple[tuple[str, str], ...] = ()
    """(code, name) of the accounts that it owes a place."""


def judged_statements(seat: Seat) -> list[MonthlyVerdict]:
    """The statements that somebody may run, those they used last first, each judged for the page's period."""
    seen = [
        one for one in seen_definitions(seat.ledger, seat.person, "statement", level=RUN) if "begun" not in one.body
    ]
    visits = dict(
        Visit.objects.filter(person=seat.person, definition__ledger=seat.ledger).values_list("definition", "at")
    )
    seen.sort(key=lambda one: one.title.casefold())
    seen.sort(key=lambda one: -visits[one.pk].timestamp() if one.pk in visits else 0.0)
    return [_judged(seat, one) for one in seen[:MOST_STATEMENTS]]


def _judged(seat: Seat, definition: Definition) -> MonthlyVerdict:
    parts = definitions_of_statement(definition)
    name = (
        _digest(parts), seat.period.code, node_asked(definition, node=seat.node, of=""), definition.pk,
        depth_on(seat.person, definition.shelf_id), level_of(seat.person, definition) >= EDIT,
    )  # fmt: skip
    few: Few[MonthlyVerdict] = seat.view.kept("month", lambda: Few(MOST_KEPT))
    return few.get(name, lambda: _run(seat, parts))


def _digest(parts: Definitions) -> str:
    return sha256(json.dumps({kind: one.text for kind, one in parts.items()}, sort_keys=True).encode()).hexdigest()


def _run(seat: Seat, parts: Definitions) -> MonthlyVerdict:
    definition = parts["statement"]
    title = definition.title
    node = node_asked(definition, node=seat.node, of="")
    try:
        outcome = run(parts, seat.period.code, node, seat.view.fence, seat.person)
    except RulkaError as error:
        return MonthlyVerdict(definition, title, NOT_JUDGED, str(error), None)
    state, detail = _state(outcome.checks)
    unplaced = tuple((one.code, one.name) for one in outcome.suggested)
    return MonthlyVerdict(definition, title, state, detail or outcome.verdict.text, outcome, unplaced)


def _short(check: Check) -> str:
    """A check in a few words; what it says in full is on the statement."""
    if check.code == "placed" and check.accounts:
        codes = ", ".join(check.accounts[:MOST_CODES])
        others = len(check.accounts) - MOST_CODES
        return f"{codes}{f' and {others} others' if others > 0 else ''} not placed"
    return f"{check.check}: {check.detail}" if check.detail else check.check


def _state(checks: list[Check]) -> tuple[str, str]:
    """The state that counts most, with what its first check says."""
    for state in (FAILS, WARNS, NOT_JUDGED):
        found = [check for check in checks if check.state == state]
        if found:
            more = f", and {len(found) - 1} more" if len(found) > 1 else ""
            return state, f"{_short(found[0])}{more}"
    return (HOLDS, "") if checks else (NOT_JUDGED, "Nothing was judged")
