"""Columns of text as codes: which of its distinct texts each row has.

What is said of a text is said once for all rows that hold it, and rows are compared by numbers.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from itertools import accumulate
from typing import NamedTuple

import numpy as np

from rulka.core.books.chart import BoolArray, IntArray


class GivenColumn(NamedTuple):
    """`values[codes[row]]` is a row's text; a value may belong to no row. In what is read no two values are equal."""

    codes: IntArray  # (rows,)
    values: Sequence[str]

    @classmethod
    def of(cls, texts: Iterable[str]) -> GivenColumn:
        """The column of these texts, in their order."""
        known: dict[str, int] = {}
        codes = np.array([known.setdefault(text, len(known)) for text in texts], dtype=np.int64)
        return cls(codes, list(known))

    @classmethod
    def empty(cls, rows: int) -> GivenColumn:
        """A column that says nothing."""
        return cls(np.zeros(rows, dtype=np.int64), [""])

    @property
    def is_empty(self) -> bool:
        """Whether no row says anything."""
        return not any(self.values)

    def texts(self) -> list[str]:
        """Each row's text; rows that are alike share one."""
        texts: list[str] = self.pick(self.values).tolist()
        return texts

    def pick(self, told: Sequence[object]) -> np.ndarray[tuple[int], np.dtype[np.object_]]:
        """What is told of each value, row by row."""
        held = np.empty(len(told), dtype=object)
        held[:] = told
        picked: np.ndarray[tuple[int], np.dtype[np.object_]] = held[self.codes]
        return picked

    def numbers(self, told: Iterable[int]) -> IntArray:
        """The number that is told of each value, row by row."""
        return np.fromiter(told, dtype=np.int64, count=len(self.values))[self.codes]

    def mark(self, told: Iterable[bool]) -> BoolArray:
        """Whether what is told of each value holds, row by row."""
        return np.fromiter(told, dtype=bool, count=len(self.values))[self.codes]

    def take(self, rows: IntArray | BoolArray) -> GivenColumn:
        """The same column of some rows, in another order."""
        return GivenColumn(self.codes[rows], self.values)


def laid_after(first: GivenColumn, second: GivenColumn) -> GivenColumn:
    """The rows of one column after those of another."""
    values = list(first.values)
    known = {value: code for code, value in enumerate(values)}
    for value in second.values:
        if known.setdefault(value, len(values)) == len(values):
            values.append(value)
    return GivenColumn(np.concatenate([first.codes, second.numbers(known[value] for value in second.values)]), values)


Part = GivenColumn | IntArray | str
"""What a joined text is made of: a column's text, a number as text, or the same text for all rows."""
Join = Callable[[Sequence[Part], int], tuple[memoryview, IntArray]]
"""Joins parts row by row, for a number of rows: all rows' bytes (UTF-8) behind each other, and where each begins
(rows + 1 places)."""


def join(parts: Sequence[Part], rows: int) -> tuple[memoryview, IntArray]:
    """`Join` in plain Python."""
    columns: list[Iterable[str]] = []
    for part in parts:
        if isinstance(part, str):
            columns.append([part] * rows)
        else:
            columns.append(part.texts() if isinstance(part, GivenColumn) else map(str, part.tolist()))
    texts = ["".join(cells).encode() for cells in zip(*columns, strict=True)]
    return memoryview(b"".join(texts)), np.array([0, *accumulate(map(len, texts))], dtype=np.int64)


def grouped(columns: Sequence[tuple[IntArray, int]], rows: int) -> tuple[IntArray, IntArray]:
    """Rows that are alike in all columns of (codes, how many codes): the first row of each group, and each row's
    group."""
    codes, size = np.zeros(rows, dtype=np.int64), 1
    for column, count in columns:
        if size * count >= 1 << 62:
            values, codes = np.unique(codes, return_inverse=True)
            size = len(values)
        codes, size = codes * count + column, size * count
    _, first, group = np.unique(codes, return_index=True, return_inverse=True)
    return first, group
