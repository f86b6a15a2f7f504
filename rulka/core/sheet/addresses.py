"""Where cells stand: `B7` and `$A$1:C9` to rows and columns counted from 0, and back."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass
from functools import lru_cache

MOST_ROWS, MOST_COLUMNS = 10_000, 100
"""How far a sheet goes."""

CELL = re.compile(r"(\$?)([A-Za-z]{1,3})(\$?)([1-9][0-9]{0,6})", re.ASCII)

Key = tuple[int, int, int]
"""A cell of a workbook: the number of its sheet, its row and its column."""


@lru_cache(maxsize=1024)
def letters(column: int) -> str:
    """`0` is A, `25` Z, `26` AA."""
    text, column = "", column + 1
    while column:
        column, rest = divmod(column - 1, 26)
        text = chr(65 + rest) + text
    return text


@lru_cache(maxsize=1024)
def column_of(text: str) -> int:
    """A is `0`; letters of either case."""
    number = 0
    for letter in text.upper():
        number = number * 26 + ord(letter) - 64
    return number - 1


def cell_text(row: int, column: int) -> str:
    """`(6, 1)` is B7."""
    return f"{letters(column)}{row + 1}"


def read_cell(text: str) -> tuple[int, int] | None:
    """Row and column of `B7` or `$B$7`; None where it is no cell of a sheet."""
    found = CELL.fullmatch(text)
    if found is None:
        return None
    row, column = int(found[4]) - 1, column_of(found[2])
    return (row, column) if row < MOST_ROWS and column < MOST_COLUMNS else None


@dataclass(frozen=True)
class Box:
    """Cells from a first row and column to a last, both included."""

    top: int
    left: int
    bottom: int
    right: int

    @property
    def rows(self) -> int:
        return self.bottom - self.top + 1

    @property
    def columns(self) -> int:
        return self.right - self.left + 1

    @property
    def size(self) -> int:
        return self.rows * self.columns

    def holds(self, row: int, column: int) -> bool:
        return self.top <= row <= self.bottom and self.left <= column <= self.right

    def meets(self, other: Box) -> bool:
        """Whether both have a cell in common."""
        return not (
            other.bottom < self.top or other.top > self.bottom or other.right < self.left or other.left > self.right
        )

    def cells(self) -> Iterator[tuple[int, int]]:
        """Row by row."""
        for row in range(self.top, self.bottom + 1):
            for column in range(self.left, self.right + 1):
                yield row, column

    def text(self) -> str:
        first, last = cell_text(self.top, self.left), cell_text(self.bottom, self.right)
        return first if first == last else f"{first}:{last}"


def read_box(text: str) -> Box | None:
    """The cells of `B2:D9` or `B2`, corners in any order; None where they are none of a sheet."""
    first, _, last = text.strip().partition(":")
    one, other = read_cell(first), read_cell(last or first)
    if one is None or other is None:
        return None
    (top, bottom), (left, right) = sorted((one[0], other[0])), sorted((one[1], other[1]))
    return Box(top, left, bottom, right)
