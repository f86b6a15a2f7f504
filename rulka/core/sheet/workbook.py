"""A workbook as it is stored: sheets of cells with inputs and looks, names, parameters."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from rulka.core.errors import NotFound, RulkaError, one_of
from rulka.core.sheet.addresses import MOST_COLUMNS, MOST_ROWS, Box
from rulka.core.sheet.calculating import SheetCells

Look = dict[str, Any]
"""How a cell is written: number, bold, italic, fill, align, rulings (top, bottom, left, right), wrap, indent."""

LOOK_KEYS = ("number", "bold", "italic", "fill", "align", "top", "bottom", "left", "right", "wrap", "indent")
MOST_SHEETS = 40
MOST_FILLED = 400_000
"""Cells of a workbook that may hold anything."""


@dataclass(frozen=True, slots=True)
class Cell:
    """What was typed into a cell, and the place of its look among the workbook's."""

    input: str = ""
    look: int = 0

    @property
    def is_nothing(self) -> bool:
        return not self.input and not self.look


@dataclass
class Sheet:
    """One sheet; `settings` hold widths, what is hidden, frozen, spans, choices."""

    number: int
    name: str
    cells: dict[tuple[int, int], Cell] = field(default_factory=dict)
    settings: dict[str, Any] = field(default_factory=dict)

    def cell(self, row: int, column: int) -> Cell:
        return self.cells.get((row, column), NOTHING)

    def used(self) -> Box | None:
        """The smallest box that holds all inputs."""
        filled = [place for place, cell in self.cells.items() if cell.input]
        if not filled:
            return None
        rows, columns = [row for row, _ in filled], [column for _, column in filled]
        return Box(min(rows), min(columns), max(rows), max(columns))


NOTHING = Cell()


@dataclass
class Workbook:
    """All of a workbook but its values."""

    sheets: list[Sheet] = field(default_factory=list)
    names: dict[str, str] = field(default_factory=dict)
    looks: list[Look] = field(default_factory=lambda: [{}])
    parameters: list[dict[str, Any]] = field(default_factory=list)

    def sheet(self, number: int) -> Sheet:
        found = next((sheet for sheet in self.sheets if sheet.number == number), None)
        if found is None:
            raise NotFound(f"There is no sheet {number}.", hint="Load the page again.", subject="sheet")
        return found

    def sheet_named(self, name: str) -> Sheet:
        found = next((sheet for sheet in self.sheets if sheet.name.casefold() == name.casefold()), None)
        if found is None:
            names = [sheet.name for sheet in self.sheets]
            raise NotFound(f"There is no sheet '{name}'.", hint=one_of(name, names), subject="sheet")
        return found

    def look(self, number: int) -> Look:
        return self.looks[number] if 0 <= number < len(self.looks) else {}

    def look_number(self, look: Mapping[str, Any]) -> int:
        """The place of a look; a new one is added."""
        plain = {key: look[key] for key in LOOK_KEYS if look.get(key)}
        if plain in self.looks:
            return self.looks.index(plain)
        if len(self.looks) >= 4_000:
            raise RulkaError(
                "The workbook has 4,000 different looks already.", hint="Use some of them.", subject="look"
            )
        self.looks.append(plain)
        return len(self.looks) - 1

    def inputs(self) -> list[SheetCells]:
        """What a calculation takes of it."""
        return [
            SheetCells(
                sheet.number, sheet.name, {place: cell.input for place, cell in sheet.cells.items() if cell.input}
            )
            for sheet in self.sheets
        ]


def copied(workbook: Workbook) -> Workbook:
    """A workbook like another one; what is done to it leaves the other as it is. Looks are shared: they only grow."""
    sheets = [Sheet(sheet.number, sheet.name, dict(sheet.cells), dict(sheet.settings)) for sheet in workbook.sheets]
    return Workbook(sheets, dict(workbook.names), workbook.looks, list(workbook.parameters))


Step = dict[str, Any]
"""One change as plain data; `kind` is cells, remap, settings, names, parameters or sheets."""


def cells_step(sheet: Sheet, changed: Mapping[tuple[int, int], Cell]) -> Step:
    """The step that puts cells in place of others; those that stay are left out."""
    rows = []
    for (row, column), cell in changed.items():
        if not (0 <= row < MOST_ROWS and 0 <= column < MOST_COLUMNS):
            raise RulkaError(
                f"The sheet ends at row {MOST_ROWS:,} and column {MOST_COLUMNS}.",
                hint="Leave room for what is put in.",
                subject="cells",
            )
        before = sheet.cell(row, column)
        if before != cell:
            rows.append([row, column, [before.input, before.look], [cell.input, cell.look]])
    return {"kind": "cells", "sheet": sheet.number, "cells": rows}


def settings_step(sheet: Sheet, settings: Mapping[str, Any]) -> Step:
    """The step that gives a sheet other settings."""
    return {"kind": "settings", "sheet": sheet.number, "before": dict(sheet.settings), "after": dict(settings)}
