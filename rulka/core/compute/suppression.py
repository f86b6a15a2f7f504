"""Hiding: columns that are empty, lines with nothing booked, sections of which nothing is left."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from rulka.core.compute.columns import Column
from rulka.core.compute.figures import Figures
from rulka.core.compute.judging import JudgedCheck
from rulka.core.compute.plan import Plan
from rulka.core.compute.ranking import Ranked
from rulka.core.compute.rows import FIGURELESS, Row
from rulka.core.definitions.expressions import Value
from rulka.core.definitions.naming import tree_of
from rulka.core.definitions.spines import LineDef


def suppress(
    rows: Sequence[Row], figures: Figures, ranked: Ranked, checks: Sequence[JudgedCheck]
) -> tuple[tuple[Column, ...], list[Row]]:
    """The columns and rows with those marked that hide: columns, then rows, then sections of which nothing is left."""
    cells = [*figures.values.values(), *ranked.values.values()]
    booked = [*figures.booked.values(), *ranked.booked.values()]
    hides = _Columns(figures.plan, cells, booked).hides
    columns = tuple(
        replace(column, hidden=True) if hides(column, place) else column
        for place, column in enumerate(figures.plan.columns)
    )
    hider = _Hider(figures, ranked, columns, checks)
    rows = [replace(row, hidden=True) if hider.hides(row) else row for row in rows]
    shown = {
        row.line for row in rows if not row.hidden and row.kind not in FIGURELESS and row.kind not in ("total", "check")
    }
    empty = {
        line.key
        for line in figures.plan.statement.spine.walk()
        if line.kind == "section" and line.hide != "never" and _is_empty(line, shown)
    }
    return columns, [
        replace(row, hidden=True) if row.line in empty and row.kind in ("section", "total") else row for row in rows
    ]


def _is_empty(section: LineDef, shown: set[str]) -> bool:
    """Whether a section has lines of figures and all of them are hidden."""
    lines = [line for line in section.lines if line.kind in ("line", "calculation", "section")]
    return bool(lines) and all(
        line.key not in shown and (line.kind != "section" or _is_empty(line, shown)) for line in lines
    )


@dataclass(frozen=True)
class _Columns:
    plan: Plan
    cells: Sequence[Sequence[Value]]
    booked: Sequence[Sequence[bool]]

    def hides(self, column: Column, place: int) -> bool:
        asked = column.asked
        if column.kind == "check":
            wrong = any((value := values[place]) is not None and abs(value) > asked.tolerance for values in self.cells)
            return asked.prints == "never" or (asked.prints == "when it fails" and not wrong)
        if asked.hide not in ("when empty", "when zero"):
            return False
        if column.of and column.kind != "text":
            return all(self._is_gone(self.plan.place(key)) for key in column.of)
        if asked.hide == "when empty":
            return not any(booked[place] for booked in self.booked)
        return not any(values[place] for values in self.cells)

    def _is_gone(self, place: int) -> bool:
        column = self.plan.columns[place]
        return column.hidden or self.hides(column, place)


class _Hider:
    def __init__(
        self, figures: Figures, ranked: Ranked, columns: Sequence[Column], checks: Sequence[JudgedCheck]
    ) -> None:
        self.plan = figures.plan
        self.booked = {**figures.booked, **ranked.booked}
        self.shown = [place for place, column in enumerate(columns) if column.has_figures and not column.hidden]
        self.holds = {judged.line.key: judged.holds for judged in checks}

    def hides(self, row: Row) -> bool:
        line = self.plan.line(row.line)
        if row.kind == "check":
            return line.prints == "never" or (line.prints == "when it fails" and self.holds[line.key])
        if row.kind == "page break":
            return False
        expanded = row.key != line.key and row.kind not in ("total", "section")
        hide = line.hide or ("when nothing was booked" if expanded and row.kind != "period" else "never")
        if hide in ("never", "always") or row.kind in FIGURELESS:
            return hide == "always"
        if hide == "when zero":
            return not any(row.values[place] for place in self.shown)
        return not (self._booked(row.key) if expanded else self._line_booked(line))

    def _booked(self, key: str) -> bool:
        booked = self.booked.get(key, ())
        return any(booked[place] for place in self.shown) if booked else False

    def _line_booked(self, line: LineDef) -> bool:
        """Whether anything was booked behind a line; a calculation asks its inputs, a section its lines."""
        if line.kind == "line":
            return any(self._booked(leaf.key) for leaf in self.plan.leaves.by_line[line.key])
        if line.kind == "section":
            return any(
                self._line_booked(part) for part in line.lines if part.kind in ("line", "section", "calculation")
            )
        return any(self._line_booked(part) for part in self.plan.names.operands(tree_of(line)))
