"""Hiding: columns that are empty, lines with nothing booked, sections of which nothing is left."""

from __future__ import annotations

from dataclasses import replace

from rulka.core.compute.columns import Column
from rulka.core.compute.computed import FIGURELESS, Computed, Row
from rulka.core.definitions.naming import Names, tree_of
from rulka.core.definitions.spines import LineDef


def suppress(rows: list[Row], computed: Computed, names: Names) -> list[Row]:
    """Mark hidden columns, then hidden rows, then sections of which nothing is left."""
    computed.columns = tuple(
        replace(column, hidden=True) if _column_hides(column, place, computed) else column
        for place, column in enumerate(computed.columns)
    )
    hider = _Hider(computed, names)
    rows = [replace(row, hidden=True) if hider.hides(row) else row for row in rows]
    shown = {
        row.line for row in rows if not row.hidden and row.kind not in FIGURELESS and row.kind not in ("total", "check")
    }
    empty = {
        line.key
        for line in computed.statement.spine.walk()
        if line.kind == "section" and line.hide != "never" and _is_empty(line, shown)
    }
    return [
        replace(row, hidden=True) if row.line in empty and row.kind in ("section", "total") else row for row in rows
    ]


def _is_empty(section: LineDef, shown: set[str]) -> bool:
    """Whether a section has lines of figures and all of them are hidden."""
    lines = [line for line in section.lines if line.kind in ("line", "calculation", "section")]
    return bool(lines) and all(
        line.key not in shown and (line.kind != "section" or _is_empty(line, shown)) for line in lines
    )


def _column_hides(column: Column, place: int, computed: Computed) -> bool:
    if column.kind == "check":
        wrong = any(
            value is not None and abs(value) > column.asked.tolerance
            for value in (values[place] for values in computed.cells.values())
        )
        return column.asked.prints == "never" or (column.asked.prints == "when it fails" and not wrong)
    if column.asked.hide not in ("when empty", "when zero"):
        return False
    if column.of and column.kind != "text":
        return all(
            computed.columns[computed.place(key)].hidden
            or _column_hides(computed.columns[computed.place(key)], computed.place(key), computed)
            for key in column.of
        )
    if column.asked.hide == "when empty":
        return not any(booked[place] for booked in computed.booked.values())
    return not any(values[place] for values in computed.cells.values())


class _Hider:
    def __init__(self, computed: Computed, names: Names) -> None:
        self.computed, self.names = computed, names
        self.shown = [
            place for place, column in enumerate(computed.columns) if column.has_figures and not column.hidden
        ]
        self.holds = {judged.line.key: judged.holds for judged in computed.checks}

    def hides(self, row: Row) -> bool:
        line = self.computed.line(row.line)
        if row.kind == "check":
            return line.prints == "never" or (line.prints == "when it fails" and self.holds[line.key])
        if row.kind == "page break":
            return False
        expanded = row.key != line.key and row.kind not in ("total", "section")
        hide = line.hide or ("when nothing was booked" if expanded else "never")
        if hide in ("never", "always") or row.kind in FIGURELESS:
            return hide == "always"
        if hide == "when zero":
            return not any(row.values[place] for place in self.shown)
        return not (self._booked(row.key) if expanded else self._line_booked(line))

    def _booked(self, key: str) -> bool:
        booked = self.computed.booked.get(key, [])
        return any(booked[place] for place in self.shown) if booked else False

    def _line_booked(self, line: LineDef) -> bool:
        """Whether anything was booked behind a line; a calculation asks its inputs, a section its lines."""
        if line.kind == "line":
            return any(self._booked(leaf.key) for leaf in self.computed.planned.by_line[line.key])
        if line.kind == "section":
            return any(
                self._line_booked(part) for part in line.lines if part.kind in ("line", "section", "calculation")
            )
        return any(self._line_booked(part) for part in self.names.operands(tree_of(line)))
