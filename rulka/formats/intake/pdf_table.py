"""The text table of a PDF as rows of cells: words by their places; figures that end at the same edge are a column."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

from rulka.core.errors import RulkaError
from rulka.core.later import later

if TYPE_CHECKING:
    import pypdfium2
else:
    pypdfium2 = later("pypdfium2")

MOST_PAGES = 20
MOST_LETTERS = 200_000
GAP = 1.0
"""Widths of a letter's height between two cells of a line at least."""

FIGURE = re.compile(r"[0-9][0-9.,' \u00a0\u202f]*", re.ASCII)
APART = 6.0
"""Points between the right edges of two columns at least."""


@dataclass(frozen=True)
class _Cell:
    text: str
    left: float
    right: float


@dataclass(frozen=True)
class _Letter:
    text: str
    left: float
    right: float
    bottom: float
    top: float
    ends_word: bool


def rows_of_pdf(data: bytes, name: str) -> list[list[str]]:
    """Rows of cells: the words on the left, then a cell for each column; RulkaError where no text can be read."""
    try:
        document = pypdfium2.PdfDocument(data)
    except pypdfium2.PdfiumError:
        raise RulkaError(
            "The PDF can't be read.", hint="Choose another one, without a password.", subject=name
        ) from None  # fmt: skip
    try:
        if len(document) > MOST_PAGES:
            raise RulkaError(
                f"It has {len(document)} pages; {MOST_PAGES} are taken.", hint="Give the statement's pages alone.",
                subject=name,
            )  # fmt: skip
        lines = [line for page in document for line in _lines(_letters(page, name))]
    finally:
        document.close()
    if not lines:
        raise RulkaError(
            "The PDF holds no text: its pages are pictures.", hint="Give it as a workbook, or paste the table.",
            subject=name,
        )  # fmt: skip
    return _in_columns(lines)


def _letters(page: pypdfium2.PdfPage, name: str) -> list[_Letter]:
    text = page.get_textpage()
    try:
        count = text.count_chars()
        if count > MOST_LETTERS:
            raise RulkaError("A page holds too much text.", hint="Give the statement's pages alone.", subject=name)
        found = []
        for place in range(count):
            letter = text.get_text_range(place, 1)
            if letter.strip():
                left, bottom, right, top = text.get_charbox(place, loose=True)
                ends = place + 1 < count and not text.get_text_range(place + 1, 1).strip()
                found.append(_Letter(letter, left, right, bottom, top, ends))
        return found
    finally:
        text.close()


def _lines(letters: Sequence[_Letter]) -> list[list[_Cell]]:
    """Letters of one height beside each other, from the top; in cells where a gap stands between."""
    found: list[list[_Letter]] = []
    for letter in sorted(letters, key=lambda one: (-round(one.bottom + one.top), one.left)):
        middle = (letter.bottom + letter.top) / 2
        if found and found[-1][0].bottom <= middle <= found[-1][0].top:
            found[-1].append(letter)
        else:
            found.append([letter])
    return [_cells(sorted(line, key=lambda one: one.left)) for line in found]


def _cells(line: Sequence[_Letter]) -> list[_Cell]:
    cells: list[_Cell] = []
    ends_word = False
    for letter in line:
        height = max(letter.top - letter.bottom, 1.0)
        gap = letter.left - cells[-1].right if cells else 0.0
        if not cells or gap > GAP * height:
            cells.append(_Cell(letter.text, letter.left, letter.right))
        else:
            space = " " if ends_word or gap > 0.3 * height else ""
            cells[-1] = _Cell(cells[-1].text + space + letter.text, cells[-1].left, letter.right)
        ends_word = letter.ends_word
    return cells


def _in_columns(lines: Sequence[Sequence[_Cell]]) -> list[list[str]]:
    edges = sorted(cell.right for line in lines for cell in line if _is_figure(cell.text))
    columns: list[float] = []
    for edge in edges:
        if not columns or edge - columns[-1] > APART:
            columns.append(edge)
        else:
            columns[-1] = edge
    rows = []
    for line in lines:
        row = [""] * (len(columns) + 1)
        for cell in line:
            at = _column(cell, columns) if columns else 0
            row[at] = f"{row[at]} {cell.text}".strip()
        rows.append(row)
    return rows


def _column(cell: _Cell, columns: Sequence[float]) -> int:
    """Figures by their right edge; words over a column by where they end too, all others are the caption's."""
    nearest = min(range(len(columns)), key=lambda at: abs(columns[at] - cell.right))
    close = abs(columns[nearest] - cell.right) <= 2 * APART
    within = nearest == 0 or cell.left >= columns[nearest - 1] - APART
    return nearest + 1 if close and within else 0


def _is_figure(text: str) -> bool:
    return FIGURE.fullmatch(text.strip("()%+- \u2212\u2013")) is not None
