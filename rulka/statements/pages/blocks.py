"""Large statements in blocks of rows: only the blocks that were looked at are written, the others wait until they come
into view."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from rulka.core.compute.computed import Computed
from rulka.core.values import is_whole
from rulka.formats.output.page import ShownRow

MANY = 4_000
"""Cells of figures from which a statement is written in blocks."""

CELLS_OF_BLOCK = 1_600
ROW_HEIGHT = 25


@dataclass(frozen=True)
class Block:
    """Some rows that follow each other; `height` in pixels is what a block takes that isn't written yet."""

    number: int
    rows: tuple[ShownRow, ...]
    written: bool
    height: int


def numbers_in(asked: str) -> set[int]:
    """The blocks that an address or a form names, with commas between their numbers."""
    return {int(number) for number in asked.split(",") if is_whole(number)}


class Blocks:
    """How the visible rows of a statement are cut, and which blocks are written."""

    def __init__(self, computed: Computed, *, hidden: bool, asked: str, row: str = "") -> None:
        self.rows = [one.key for one in computed.rows if hidden or not one.hidden]
        columns = sum(1 for column in computed.columns if hidden or not column.hidden)
        self.size = max(10, CELLS_OF_BLOCK // max(1, columns))
        self.needed = len(self.rows) * columns > MANY and not any(one.panel == 2 for one in computed.rows)
        self.written = numbers_in(asked) or {0, 1}
        if row in self.rows:
            self.written.add(self.rows.index(row) // self.size)

    def holds(self, place: int) -> bool:
        """Whether a row, by its place among the visible ones, stands in a block that is written."""
        return not self.needed or place // self.size in self.written

    def cut(self, rows: Sequence[ShownRow]) -> list[Block]:
        """The rows in blocks; nothing where the statement isn't large."""
        if not self.needed:
            return []
        starts = range(0, len(rows), self.size)
        return [
            Block(
                number,
                tuple(rows[start : start + self.size]),
                number in self.written,
                len(rows[start : start + self.size]) * ROW_HEIGHT,
            )
            for number, start in enumerate(starts)
        ]
