"""Rows of query texts: what a query gives whoever reads, as a set of rows that extracts are of; and what is tried
before it is kept."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np

from rulka.core.books.book import View
from rulka.core.books.fence import Fence
from rulka.core.errors import RulkaError
from rulka.core.extracting.conditions import Clock
from rulka.core.extracting.fields import RowKind
from rulka.core.extracting.queries import QueryColumn, QueryDef, guessed, query_from, rows_of, stored, values_of
from rulka.extracts.library.queries import open_query
from rulka.ledger.models import Ledger
from rulka.ledger.reading.queried import MOST_ROWS, answer, views_of
from rulka.ledger.reading.row_kinds import scale_of
from rulka.ledger.reading.row_reader import GivenRows, RowReader
from rulka.ledger.reading.row_sql import mask_of
from rulka.people.models import Person

TRIED = 60
SECONDS_TRIED = 10.0


def query_named(ledger: Ledger, name: str, person: Person | None) -> QueryDef:
    """A query text that somebody may use."""
    return query_from(open_query(ledger, name, person=person).body)


def query_set(query: QueryDef, ledger: Ledger, view: View) -> RowKind:
    """What rows a query gives."""
    return rows_of(query, scale_of(view, ledger), known_of(view))


def known_of(view: View) -> list[str]:
    """What there are codes of."""
    return ["account", "entity", "partner", *view.frame.dimensions, "counterparty", "scenario"]


class QueryRows:
    """The rows of a query for one reader; `values` are set once the answers are read, before the first row."""

    def __init__(self, query: QueryDef, ledger: Ledger, view: View) -> None:
        self.query, self.ledger, self.view = query, ledger, view
        self.rows = query_set(query, ledger, view)
        self.values: Mapping[str, Any] = {}

    @property
    def given(self) -> GivenRows:
        return GivenRows(self.rows, self.made)

    def ask(self, given: Mapping[str, str], clock: Clock, reader: RowReader) -> None:
        """Read the answers that its parameters take."""
        self.values = values_of(self.query, given, clock, reader.known, codes_by(reader))

    def made(self) -> Iterator[tuple[Any, ...]]:
        found = answer(self.ledger, self.view.fence, self.query.text, self.values, revision=self.view.revision)
        if [one.lower() for one in found.columns] != [one.name.lower() for one in self.query.columns]:
            raise RulkaError(
                "The query gives other columns than it was kept with.", hint="Let an administrator try and keep it.",
                subject=self.query.title,
            )  # fmt: skip
        if found.cut:
            raise RulkaError(
                f"The query gives more than {MOST_ROWS:,} rows.", hint="Bound it by a question, or put rows together.",
                subject=self.query.title, code="too-much",
            )  # fmt: skip
        fields = self.rows.fields
        for row in found.rows:
            yield tuple(stored(value, field) for value, field in zip(row, fields, strict=True))


def codes_by(reader: RowReader) -> Any:
    """The codes of something that a selection means, as far as somebody sees them."""

    def codes(of: str, text: str) -> list[str]:
        from rulka.core.books.selection import parse_selection

        known = reader.codes(of)
        if known is None:
            raise RulkaError(f"There are no codes of '{of[:40]}'.", hint="Ask for a list or a text.", subject="ask")
        mask = mask_of(parse_selection(text), known, reader.warnings)
        seen = reader.known(of) or {}
        return [known.items[at].code for at in np.flatnonzero(mask).tolist() if known.items[at].code in seen]

    return codes


@dataclass(frozen=True)
class TriedQuery:
    """What a query gave when it was tried: its columns as they are kept, its first rows."""

    columns: tuple[QueryColumn, ...]
    rows: tuple[tuple[Any, ...], ...]
    more: bool


def tried(
    query: QueryDef, ledger: Ledger, fence: Fence, given: Mapping[str, str], clock: Clock, reader: RowReader
) -> TriedQuery:
    """Run a query for its first rows; what its columns hold is guessed where it doesn't say so."""
    values = values_of(query, given, clock, reader.known, codes_by(reader))
    found = answer(ledger, fence, query.text, values, rows=TRIED, seconds=SECONDS_TRIED)
    lower = [one.lower() for one in found.columns]
    for name in lower:
        if not name.replace("_", "").isalnum() or lower.count(name) > 1:
            hint = "Name each column once, in letters, digits and _: AS supplier."
            raise RulkaError(f"A column is called '{name[:60]}'.", hint=hint, subject="sql")
    fields = {name: field for view in views_of(ledger, fence) for name, field in view.columns}
    said = {one.name.lower(): one for one in query.columns}
    columns = tuple(
        said.get(one.name.lower(), one) for one in guessed(found.columns, found.rows, fields)
    )  # fmt: skip
    return TriedQuery(columns, found.rows, found.cut)
