"""What moved between a run that was kept and the figures as they are now: which figures, by how much, through which
accounts."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, replace
from fractions import Fraction
from typing import Any

from rulka.core.compute.computed import Computed
from rulka.core.compute.rows import Row
from rulka.core.proof.terms import terms_of


@dataclass(frozen=True)
class Moved:
    """A figure that isn't what it was: exact values, None where it had or has no meaning.

    `codes` are the accounts behind it, `periods` those it reads, `unit` what it counts: percent, or that of its row
    where it is known.
    """

    row: str
    label: str
    kind: str
    column: str
    heading: str
    was: Fraction | None
    now: Fraction | None
    codes: tuple[str, ...] = ()
    periods: tuple[str, ...] = ()
    unit: str = ""

    @property
    def by(self) -> Fraction | None:
        return None if self.was is None or self.now is None else self.now - self.was


@dataclass(frozen=True)
class MovedLine:
    """A line with its figures that moved: the largest move of money or quantities, and the other columns; `is_sum` says
    that it adds up or calculates others."""

    row: str
    label: str
    is_sum: bool
    figure: Moved
    others: tuple[Moved, ...]

    @property
    def size(self) -> Fraction:
        """How much it moved; 0 where that has no meaning."""
        return abs(self.figure.by) if self.figure.by is not None and self.figure.unit != "percent" else Fraction(0)


def by_line(moved: Iterable[Moved], sums: frozenset[str] = frozenset(), column: str = "") -> list[MovedLine]:
    """Figures that moved as one row a line, the largest first; `sums` are the kinds of rows that add up others.

    `column` stands for a line where it moved; without it the column that moved most."""
    rows: dict[str, list[Moved]] = {}
    for one in moved:
        rows.setdefault(one.row, []).append(one)
    lines = []
    for row, figures in rows.items():
        first, *others = sorted(figures, key=lambda one: (one.column != column, _by_size(one)))
        lines.append(MovedLine(row, first.label, first.kind in sums, first, tuple(others)))
    return sorted(lines, key=lambda line: (bool(column) and line.figure.column != column, -line.size, line.label))


def _by_size(one: Moved) -> tuple[bool, Fraction, str]:
    return one.unit == "percent" or one.by is None, -abs(one.by or Fraction(0)), one.column


FLOWS = ("activity", "debits", "credits", "quantity")
"""Measures of what moved in a window; the others read everything before its end too."""

Run = Mapping[str, Any]
Cells = dict[tuple[str, str], Fraction | None]


def cells_of(run: Run) -> Cells:
    """The figures of a run's JSON by row and column; hidden lines and columns too."""
    columns = [column["key"] for column in run["columns"]]
    found: Cells = {}
    for line in run["lines"]:
        for key, value in zip(columns, line["values"], strict=False):
            found[line["key"], key] = None if value is None else Fraction(value)
    return found


def compare_runs(before: Run, after: Run) -> list[Moved]:
    """The figures that differ between two runs, those of lines or columns that only one of them has too; in the later
    one's order."""
    was, now = cells_of(before), cells_of(after)
    labels = {line["key"]: (line["label"], line["kind"]) for run in (before, after) for line in run["lines"]}
    headings = {column["key"]: heading_of(column) for run in (before, after) for column in run["columns"]}
    order = [*now, *(cell for cell in was if cell not in now)]
    return [
        Moved(row, *labels[row], column, headings[column], was.get((row, column)), now.get((row, column)))
        for row, column in order
        if was.get((row, column)) != now.get((row, column))
    ]


def heading_of(column: Mapping[str, Any]) -> str:
    """A column's heading with those above it."""
    return ", ".join(filter(None, (*column.get("groups", ()), column["heading"])))


def moved_since(run: Run, now: Run, computed: Computed) -> list[Moved]:
    """The figures that moved since a run was kept, with the accounts and periods behind each that could have moved
    it."""
    found = []
    for moved in compare_runs(run, now):
        row = computed.rows_by_key.get(moved.row)
        periods = tuple(dict.fromkeys(_read(computed, row, moved.column)))
        found.append(
            replace(moved, codes=_codes(row, computed), periods=periods, unit=_unit(row, moved.column, computed))
        )
    return found


def _unit(row: Row | None, key: str, computed: Computed) -> str:
    column = next((column for column in computed.columns if column.key == key), None)
    if column is not None and column.kind in ("percent", "share"):
        return "percent"
    return row.unit if row is not None else ""


def _codes(row: Row | None, computed: Computed) -> tuple[str, ...]:
    if row is None:
        return ()
    if row.codes:
        return row.codes
    if row.kind == "section":
        lines = {line.key for line in computed.line(row.line).lines}
        parts = [part for part in computed.rows if part.line in lines]
    else:
        parts = [computed.rows_by_key[key] for key in row.parts if key in computed.rows_by_key]
    return tuple(sorted({code for part in parts for code in _codes(part, computed)}))


def _read(computed: Computed, row: Row | None, key: str) -> Iterator[str]:
    """The periods that a figure reads: those of each line in each column that it is the sum of, up to its end for
    balances; where it is no sum, those of its columns."""
    column = next((column for column in computed.columns if column.key == key), None)
    if column is None:
        return
    if column.of:
        for other in column.of:
            yield from _read(computed, row, other)
        return
    terms = terms_of(computed, row.key, key) if row is not None else None
    readings = [computed.readings.reading(term.leaf, term.column) for term in terms or ()]
    looked = [(reading.window, reading.measure) for reading in readings] or [(column.window, column.asked.measure)]
    periods = computed.plan.calendar_of(column).periods
    for window, measure in dict.fromkeys(looked):
        if window is not None:
            first = window.first if measure in FLOWS else 0
            yield from (period.code for period in periods[first : window.last + 1])
