"""Whether an extract can be asked of a ledger at all: its rows, columns, formulas and the fields of its conditions."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from rulka.core.books.book import View
from rulka.core.books.fence import Fence
from rulka.core.errors import RulkaError
from rulka.core.extracting.asking import AskedAnswers
from rulka.core.extracting.conditions import Clock
from rulka.core.extracting.definitions import ASKED, ConditionDef, ExtractDef
from rulka.core.extracting.fields import RowKind
from rulka.core.extracting.queries import SET as QUERY
from rulka.core.extracting.query import query_of
from rulka.extracts.library.storing import checked
from rulka.extracts.running.given import FIGURES, figures_set
from rulka.extracts.running.queries import query_named, query_set
from rulka.ledger.models import Ledger
from rulka.ledger.reading.row_reader import GivenRows, reading
from rulka.people.models import Person
from rulka.statements.library.opening import definitions_for


def check_in(ledger: Ledger, fence: Fence, person: Person | None, body: Mapping[str, Any]) -> ExtractDef:
    """Refuse an extract that names rows, columns or fields which this ledger hasn't; conditions without a question are
    read too."""
    definition = checked(body)
    with reading(ledger, fence, given=lambda view: _given(ledger, view, definition, person)) as rows:
        row_kind = rows.row_kind(definition.rows, definition.of)
        calendar = rows.view.frame.calendar
        query_of(definition, row_kind, AskedAnswers({}), Clock(calendar, calendar.periods[0]))
        for one in definition.where:
            _fields(one, row_kind)
        for ask in definition.asks:
            if ask.type in ("list", "selection") and ask.of:
                known = {field.of for field in row_kind.fields} | {field.name for field in row_kind.fields}
                if ask.of not in known and rows.known(ask.of) is None:
                    raise RulkaError(
                        f"'{ask.of[:40]}' is nothing that has codes here.", hint="Write account, entity, a dimension.",
                        subject=ask.label,
                    )  # fmt: skip
        for key in definition.keys:
            row_kind.field(key)
    return definition


def row_kind_of(ledger: Ledger, fence: Fence, person: Person | None, body: Mapping[str, Any]) -> RowKind:
    """The rows that an extract is of, with all their fields."""
    definition = checked(body)
    with reading(ledger, fence, given=lambda view: _given(ledger, view, definition, person)) as rows:
        return rows.row_kind(definition.rows, definition.of)


def _fields(condition: ConditionDef, rows: RowKind) -> None:
    for one in condition.any_of or (condition,):
        if one.any_of:
            _fields(one, rows)
        elif ASKED.search(one.words):
            rows.field(one.field)


def _given(ledger: Ledger, view: View, definition: ExtractDef, person: Person | None) -> list[GivenRows]:
    if definition.rows == QUERY:
        return [GivenRows(query_set(query_named(ledger, definition.of, person), ledger, view), lambda: ())]
    if definition.rows != FIGURES:
        return []
    found = definitions_for(ledger, definition.of, person)["statement"]
    return [GivenRows(figures_set(found.title), lambda: ())]
