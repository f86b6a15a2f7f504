"""What a trace shows, as plain rows to take away: parts, lines, both sides; all of them, in the order shown."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from typing import Any

from rulka.core.books.book import View
from rulka.core.compute.computed import Computed
from rulka.core.errors import RulkaError
from rulka.core.money import exact_text
from rulka.core.proof.splits import REASONS, OpenedFigure, Split, open_figure, sides, split, statement_split
from rulka.ledger.models import Ledger
from rulka.ledger.reading.trace_address import Address
from rulka.ledger.reading.trace_budgets import every_budget_row
from rulka.ledger.reading.trace_lines import PLANNED, TraceLines, quantity_digits
from rulka.ledger.reading.trace_matching import every_match
from rulka.ledger.reading.trace_panel import (
    BOTH_SIDES,
    LINE,
    MADE_OF,
    SHOWN_COLUMNS,
    chosen_columns,
    crumbs_of,
    default_direction,
    ordered,
)

MOST_ROWS = 200_000
"""Rows that are taken away at once; a sheet's own bound may be narrower."""
AMOUNTS = ("debit", "credit", "amount", "so far")


@dataclass(frozen=True)
class TakenRows:
    """Rows as texts, amounts as plain decimals; `amounts` are the places of columns of amounts, `total` what the rows
    come to in the figure, `left_out` how many rows didn't fit."""

    title: str
    headings: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]
    amounts: frozenset[int]
    total: Fraction
    left_out: int = 0


def rows_of(ledger: Ledger, view: View, computed: Computed, address: Address, most: int = MOST_ROWS) -> TakenRows:
    """The rows that a trace shows; raises RulkaError where it shows none."""
    if not address.row or not address.column:
        raise RulkaError("No figure is traced.", hint="Choose one.", subject="trace")
    opened = open_figure(computed, address.row, address.column, address.way)
    title = " › ".join(crumb.label for crumb in crumbs_of(computed, address, opened))
    by = address.by or default_direction(opened)
    digits = quantity_digits(opened)
    if by == LINE:
        return _lines(ledger, view, opened, address, title, digits, most)
    if by == BOTH_SIDES:
        return _both(ledger, opened, title, digits)
    found = split(opened, by) if by != MADE_OF else statement_split(opened)
    if found is None:
        raise RulkaError("What a calculation is made of stands on the statement.", hint="Split it first.", subject="by")
    return _parts(opened, found, address, title, digits)


def _parts(opened: OpenedFigure, found: Split, address: Address, title: str, digits: int) -> TakenRows:
    named = sides(opened)
    search = address.get("search").casefold()
    parts = ordered([part for part in found.parts if search in part.label.casefold()], address.get("sort"))
    rows = []
    for part in parts:
        both = (exact_text(part.sides[0], digits), exact_text(-part.sides[1], digits)) if named else ()
        rows.append((part.code, part.label, *both, exact_text(part.value, digits)))
    headings = ("code", found.by, *(named or ()), "difference" if named else "amount")
    total = sum((part.value for part in parts), Fraction(0))
    return TakenRows(title, headings, tuple(rows), frozenset(range(2, len(headings))), total)


def _lines(
    ledger: Ledger, view: View, opened: OpenedFigure, address: Address, title: str, digits: int, most: int
) -> TakenRows:
    columns = chosen_columns(view, address)
    columns = columns if "amount" in columns else [*columns, "amount"]
    lines = TraceLines.of(ledger, opened, address.query)
    shown, count = lines.every(columns, most)
    rows = [tuple(_cell(line.cells.get(name), name, line.digits, digits) for name in columns) for line in shown]
    total = lines.found().sum_to()
    if not address.query.filters:
        for row in every_budget_row(ledger, opened, None):
            cells = {**row.cells, "text": row.cells["note"], "kind": row.cells["scenario"]}
            rows.append(tuple(_cell(cells.get(name), name, row.digits, digits) for name in columns))
            total += row.value
        for reason, value in lines.untold():
            if reason != PLANNED:
                at = columns.index("amount")
                rows.append(
                    tuple(
                        exact_text(value, digits) if place == at else REASONS[reason] if place == 0 else ""
                        for place in range(len(columns))
                    )
                )
                total += value
    headings = tuple(SHOWN_COLUMNS.get(name, name) for name in columns)
    amounts = frozenset(at for at, name in enumerate(columns) if name in AMOUNTS)
    return TakenRows(title, headings, tuple(rows), amounts, total, max(count - most, 0))


def _cell(value: Any, name: str, own: int, digits: int) -> str:
    if value is None or (name in ("debit", "credit") and not value):
        return ""
    if isinstance(value, Fraction):
        return exact_text(value, own if name in ("debit", "credit") else digits)
    return str(value)


def _both(ledger: Ledger, opened: OpenedFigure, title: str, digits: int) -> TakenRows:
    named = sides(opened)
    if named is None:
        raise RulkaError("It has no two sides.", subject="by")
    rows: list[tuple[str, ...]] = []
    total = Fraction(0)
    for kind, label, first, second in every_match(ledger, opened, named):
        rows.append((kind, label, *(exact_text(value, digits) for value in (first, second, first - second))))
        total += first - second
    return TakenRows(title, ("how", "what", *named, "difference"), tuple(rows), frozenset((2, 3, 4)), total)
