"""Where rows (or columns) go when some are put in, taken out or moved."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

from rulka.core.sheet.addresses import MOST_COLUMNS, MOST_ROWS
from rulka.core.sheet.workbook import Cell, Sheet


@dataclass(frozen=True)
class Remap:
    """What becomes of rows (or columns): `insert` puts `count` in before `at`, `delete` takes `count` out from `at`,
    `move` takes `count` from `at` and puts them before what stood at `to`."""

    kind: str
    axis: str
    at: int
    count: int
    to: int = 0

    def plain(self) -> list[Any]:
        return [self.kind, self.axis, self.at, self.count, self.to]

    @property
    def most(self) -> int:
        return MOST_ROWS if self.axis == "rows" else MOST_COLUMNS

    def place(self, number: int) -> int | None:
        """Where a row goes; None where it is taken out or falls off the end."""
        at, count = self.at, self.count
        if self.kind == "insert":
            found = number + count if number >= at else number
        elif self.kind == "delete":
            if at <= number < at + count:
                return None
            found = number - count if number >= at + count else number
        else:
            found = self._moved(number)
        return found if found < self.most else None

    def _moved(self, number: int) -> int:
        at, count, to = self.at, self.count, self.to
        if at <= number < at + count:
            return number + (to - at if to <= at else to - at - count)
        if to <= number < at:
            return number + count
        if at + count <= number < to:
            return number - count
        return number

    def ends(self, first: int, last: int) -> tuple[int, int] | None:
        """Where a run of rows goes: cut where part of it is taken out, None where all of it is."""
        if self.kind == "delete":
            end = self.at + self.count
            first = end if self.at <= first < end else first
            last = self.at - 1 if self.at <= last < end else last
            if first > last:
                return None
        one, other = self.place(first), self.place(last)
        if one is None:
            return None
        if other is None:
            other = self.most - 1
        return min(one, other), max(one, other)

    def inverse(self) -> Remap:
        """What takes it back; what was taken out comes back empty."""
        if self.kind == "insert":
            return replace(self, kind="delete")
        if self.kind == "delete":
            return replace(self, kind="insert")
        if self.to <= self.at:
            return replace(self, at=self.to, to=self.at + self.count)
        return replace(self, at=self.to - self.count, to=self.at)


def move_cells(sheet: Sheet, remap: Remap) -> None:
    """Put the cells of a sheet where they go; their inputs stay as they are."""
    cells: dict[tuple[int, int], Cell] = {}
    for (row, column), cell in sheet.cells.items():
        place = remap.place(row if remap.axis == "rows" else column)
        if place is not None:
            cells[(place, column) if remap.axis == "rows" else (row, place)] = cell
    sheet.cells = cells
