"""Rows that the ledger's tables don't hold: figures of statements, as somebody reads them."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from typing import Any

from rulka.core.books.book import View
from rulka.core.books.calendar import Period, period_number
from rulka.core.compute.computed import Computed
from rulka.core.compute.statement import run_nodes
from rulka.core.errors import NotFound, one_of
from rulka.core.extracting.fields import Field, RowKind
from rulka.core.money import round_half_away
from rulka.ledger.models import Ledger
from rulka.ledger.reading.row_reader import GivenRows
from rulka.people.models import Person
from rulka.statements.library.opening import definitions_for
from rulka.statements.running.runs import page_nodes, read_by

FIGURES = "statement figures"
DIGITS = 6
"""Decimals of a statement's figures as rows: money, quantities and ratios stand in one column."""


def figures_set(statement: str) -> RowKind:
    """One row a line, column and node of a statement."""
    fields = (
        Field("period", "Period", "Time", "period"),
        Field("node", "Node", "Node", "text"),
        Field("node name", "Node name", "Node", "text"),
        Field("unit", "Currency", "Node", "text"),
        Field("line", "Line", "Line", "text"),
        Field("label", "Label", "Line", "text"),
        Field("kind", "Kind", "Line", "text"),
        Field("depth", "Depth", "Line", "number"),
        Field("column", "Column", "Column", "text"),
        Field("heading", "Heading", "Column", "text"),
        Field("scenario", "Scenario", "Column", "text"),
        Field("value", "Value", "Figure", "number", digits=DIGITS, note="in presented sign"),
        Field("note", "Note", "Figure", "text", note="sealed, or without meaning"),
    )
    return RowKind(FIGURES, f"Figures of {statement}", fields, ("period", "node", "line", "column"))


def statement_figures(
    ledger: Ledger, view: View, person: Person | None, statement: str, period: Period, nodes: Sequence[str]
) -> GivenRows:
    """The figures of a statement at a period, for some nodes (all that can be shown without any)."""
    definitions = definitions_for(ledger, statement, person)
    read = read_by(definitions, person)
    title = str(definitions["statement"].body.get("title", statement))

    def rows() -> Iterator[tuple[Any, ...]]:
        known = {node.code: node for node in page_nodes(read, view)}
        for code in nodes:
            if code not in known:
                raise NotFound(f"'{code[:60]}' is no node of {title}.", hint=one_of(code, known), subject="node")
        chosen = [known[code] for code in nodes] if nodes else list(known.values())
        for computed in run_nodes(read, view, period, chosen):
            yield from _rows_of(computed, period)

    return GivenRows(figures_set(title), rows)


def _rows_of(computed: Computed, period: Period) -> Iterable[tuple[Any, ...]]:
    node, number = computed.node, period_number(period.code)
    for row in computed.rows:
        if not row.has_figures:
            continue
        for at, column in enumerate(computed.columns):
            if column.kind == "text" or at in row.blank:
                continue
            value = row.values[at]
            note = "" if value is not None else "sealed" if at in row.sealed_at else "n/m"
            yield (
                number, node.code, node.name, node.currency, row.key, row.label, row.kind, row.depth, column.key,
                column.heading, column.asked.scenario if column.has_figures else "",
                None if value is None else round_half_away(value, DIGITS), note,
            )  # fmt: skip
