"""Statements as a folio shows them, with what a tag needs to know of each figure: its time, unit, scale and side."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence, Set
from dataclasses import dataclass, field
from datetime import timedelta
from decimal import Decimal
from itertools import product
from typing import Final

from rulka.core.books.calendar import Window
from rulka.core.compute.columns import Column as PageColumn
from rulka.core.compute.computed import Computed
from rulka.core.compute.rows import Row
from rulka.core.filings.reported import Reported, ReportedCell, ReportedColumn, ReportedLine, ReportedTime, What
from rulka.core.folios.filled import FilledCell
from rulka.core.proof.terms import Terms, terms_of
from rulka.folios.running.places import unit_of
from rulka.formats.figures import digits_of

SEALED: Final = "sealed"
"""What stands where a seal hides a figure."""

WHATS: Final[Mapping[str, What]] = {"money": "money", "quantity": "quantity", "percent": "ratio", "other": "ratio"}


@dataclass
class ShownStatementLines:
    """What a folio shows of a statement: its sections, and the cells that stand there by line and column."""

    sections: list[str] = field(default_factory=list)
    cells: dict[tuple[str, str], FilledCell] = field(default_factory=dict)
    whole: bool = False


def reported_from(computed: Computed, shown: ShownStatementLines) -> Reported:
    """A statement with the figures that its folio shows."""
    lines, columns = {key for key, _ in shown.cells}, {key for _, key in shown.cells}
    rows = [row for row in computed.rows if row.key in lines or (shown.whole and row.has_figures and not row.hidden)]
    above = _sections_above(computed.rows)
    names = computed.plan.names.lines
    known = {*computed.rows_by_key, *names, *(f"{key}.total" for key in names), *computed.plan.leaves.by_key}
    return Reported(
        name=computed.statement.name,
        title=computed.statement.title,
        sections=tuple(shown.sections),
        lines=(
            *(
                ReportedLine(row.key, row.label, above[row.key], row.depth, row.is_total, row.has_figures)
                for row in rows
            ),
            *(ReportedLine(key, key) for key in _gone(computed, shown) if key not in computed.rows_by_key),
        ),
        columns=tuple(
            ReportedColumn(one.key, ", ".join(filter(None, (one.group, one.heading))), one.kind != "figures")
            for one in computed.columns
            if one.key in columns
        ),
        cells=_cells(computed, shown, rows, columns),
        known_lines=frozenset(known),
        known_columns=frozenset(one.key for one in computed.columns),
        adjusted=bool(computed.roundings),
    )


def _has(computed: Computed, row: str, column: str) -> bool:
    return row in computed.rows_by_key and any(one.key == column for one in computed.columns)


def _gone(computed: Computed, shown: ShownStatementLines) -> list[str]:
    """Lines with cells that the statement doesn't have any more, in their order."""
    return list(dict.fromkeys(row for row, column in shown.cells if not _has(computed, row, column)))


def _cells(
    computed: Computed, shown: ShownStatementLines, rows: Sequence[Row], columns: Set[str]
) -> dict[tuple[str, str], ReportedCell]:
    """The cells that are shown, and the sealed ones of the shown rows and columns."""
    cells = {}
    for (row, column), cell in shown.cells.items():
        if _has(computed, row, column):
            cells[row, column] = _cell(computed, computed.row(row), computed.column(column), cell)
        else:  # a done section shows what the statement doesn't have any more
            exact = Decimal(cell.value) if cell.value else None
            cells[row, column] = ReportedCell(computed.statement.name, row, column, cell.text, exact)
    for each, of in product(rows, computed.columns):
        place = (each.key, of.key)
        if of.key in columns and place not in cells and each.word_at(computed.place(of.key)) == SEALED:
            cells[place] = ReportedCell(computed.statement.name, *place, SEALED, None, word=SEALED)
    return cells


def _sections_above(rows: Iterable[Row]) -> dict[str, tuple[str, ...]]:
    """The sections that each row stands in, by its depth."""
    found: dict[str, tuple[str, ...]] = {}
    way: list[tuple[int, str]] = []
    for row in rows:
        while way and way[-1][0] >= row.depth and row.kind in ("section", "heading"):
            way.pop()
        found[row.key] = tuple(label for depth, label in way if depth < row.depth or row.kind != "section")
        if row.kind in ("section", "heading"):
            way.append((row.depth, row.label))
        elif row.kind == "total":
            way = [one for one in way if one[0] < row.depth]
    return found


def _cell(computed: Computed, row: Row, column: PageColumn, shown: FilledCell) -> ReportedCell:
    decimals, scale = digits_of(row, column, computed)
    unit = unit_of(row, column)
    exact = Decimal(shown.value) if shown.value else None
    terms = terms_of(computed, row.key, column.key)
    time = time_of(computed, column, terms)
    side = side_of(computed, terms) if unit == "money" else 0
    return ReportedCell(
        statement=computed.statement.name, line=row.key, column=column.key, text=shown.text,
        exact=exact / 100 if exact is not None and unit == "percent" else exact, scale=scale, decimals=decimals,
        mark="," if computed.statement.decimal_mark == "comma" else ".", what=WHATS[unit],
        currency="" if column.is_mixed else computed.plan.node_of(column).currency, time=time, side=side,
        word=row.word_at(computed.place(column.key)) if exact is None else "",
    )  # fmt: skip


def time_of(computed: Computed, column: PageColumn, terms: Terms | None) -> ReportedTime | None:
    """Which day or time a figure is about: the one that all it adds up is about; the column's whole window where these
    differ (what stands at its end less what stood before is a movement). Columns that compare others have none."""
    if column.kind != "figures" or column.window is None:
        return None
    readings = [computed.readings.reading(term.leaf, term.column) for term in terms or ()]
    found = {_at(computed, column, one.window, one.measure) for one in readings if one.window is not None}
    if len(found) == 1:
        return found.pop()
    return _at(computed, column, column.window, "activity" if found else column.asked.measure)


def _at(computed: Computed, column: PageColumn, window: Window, measure: str) -> ReportedTime:
    periods = computed.plan.calendar_of(column).periods
    first = window.start or periods[window.first].start
    last = window.end or periods[window.last].end
    if measure == "closing":
        return ReportedTime(None, last)
    return ReportedTime(None, first - timedelta(days=1)) if measure == "opening" else ReportedTime(first, last)


def side_of(computed: Computed, terms: Terms | None) -> int:
    """Whether a figure shows debits (1) or credits (-1) as positive; 0 where it mixes both or is no sum."""
    sides = set()
    for term in terms or ():
        sign = computed.readings.sign(term.leaf, term.column)
        measure = computed.readings.reading(term.leaf, term.column).measure
        if measure == "credits":
            sign = -sign
        if term.factor:
            sides.add(1 if sign * term.factor > 0 else -1)
    return sides.pop() if len(sides) == 1 else 0
