"""A finished statement from elsewhere to a table of captions and figures: signs, brackets, separators, percent columns,
words in figures' places and headings in several rows are read as people write them."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterable, Sequence
from dataclasses import replace
from decimal import Decimal
from pathlib import Path
from typing import Final

from rulka.core.errors import RulkaError
from rulka.core.rebuild.given import Given, given_from
from rulka.formats.intake.pdf_table import rows_of_pdf
from rulka.formats.intake.table_file import is_workbook, look_at, read_rows, sheets_of

NOTHING: Final = frozenset(("", "n/m", "n/a", "n.m.", "n.a.", "na", "nm", "x"))
ZERO: Final = frozenset(("-", "\u2013", "\u2014", "\u2212"))
GROUPS: Final = " \u00a0\u202f\u2009'\u2019"
NUMBER: Final = re.compile(r"[0-9][0-9.,]{0,40}", re.ASCII)
MOST_SHEETS: Final = 20
MOST_TEXT: Final = 400_000
LEAST: Final = 0.4
"""The part of the rows with captions under which a column has to hold figures."""


def read_finished(path: Path) -> Given:
    """A table of a .csv, of a PDF with text, or of the sheet of a workbook that holds most figures."""
    if path.suffix.casefold() == ".pdf":
        return given_of(rows_of_pdf(path.read_bytes(), path.name), path.name)
    look = look_at(path)
    if not is_workbook(path):
        return given_of([cells for _, cells in read_rows(path, look)], path.name)
    found: list[Given] = []
    problem: RulkaError | None = None
    for sheet in sheets_of(path)[:MOST_SHEETS]:
        try:
            rows = [cells for _, cells in read_rows(path, replace(look, sheet=sheet))]
            found.append(given_of(rows, f"{path.name}, sheet {sheet}"))
        except RulkaError as error:
            problem = problem or error
    if not found:
        raise problem or RulkaError("The workbook is empty.", hint="Choose another one.", subject=path.name)
    return max(found, key=lambda one: int(one.shown.sum()))


def pasted(text: str) -> Given:
    """A table that was pasted: cells between tabs, semicolons, or two spaces and more."""
    if len(text) > MOST_TEXT:
        raise RulkaError("The text is too long for a statement.", hint="Paste the table alone.", subject="text")
    lines = text.replace("\r\n", "\n").split("\n")
    between = next((mark for mark in ("\t", ";") if sum(mark in line for line in lines) * 3 > len(lines)), "")
    rows = [line.split(between) if between else re.split(r" {2,}", line.strip()) for line in lines]
    width = max((len(row) for row in rows), default=0)
    if not between:  # figures stand on the right, however many there are
        rows = [[row[0], *[""] * (width - len(row)), *row[1:]] for row in rows]
    return given_of(rows, "text")


def given_of(rows: Sequence[Sequence[str]], where: str) -> Given:
    """Rows of text as a table; RulkaError where no caption or figure can be told."""
    width = max((len(row) for row in rows), default=0)
    full = [[*row, *([""] * (width - len(row)))] for row in rows]
    mark = decimal_mark(cell for row in full for cell in row)
    numeric = [[_is_figure(cell, mark) for cell in row] for row in full]
    captions = _caption_column(full, numeric)
    figures = [
        column for column in range(width)
        if column > captions and sum(row[column] for row in numeric) >= max(2, LEAST * sum(any(row) for row in numeric))
    ]  # fmt: skip
    first = next(
        (number for number, row in enumerate(numeric) if sum(row[column] for column in figures) * 2 > len(figures)),
        None,
    )
    if not figures or first is None:
        raise RulkaError(
            "No column of figures was found.", hint="Give captions in one column, figures beside them.", subject=where
        )
    begins = _first_row(full, first, captions, figures)
    headings = [" ".join(filter(None, (row[column].strip() for row in full[:begins]))) for column in figures]
    lines: list[tuple[str, list[Decimal | None]]] = []
    for row in full[begins:]:
        caption = " ".join(row[captions].split())
        values = [number_of(row[column], mark) for column in figures]
        if caption or any(value is not None for value in values):
            lines.append((caption, values))
    while lines and all(value is None for value in lines[-1][1]):  # notes below the table
        lines.pop()
    return given_from([heading[:120] for heading in headings], lines)


def _first_row(rows: Sequence[Sequence[str]], first: int, captions: int, figures: Sequence[int]) -> int:
    """Rows of words directly above the first figures belong to the table, as far as nothing stands over the figures."""
    place = first
    while place and rows[place - 1][captions].strip() and not any(rows[place - 1][at].strip() for at in figures):
        place -= 1
    return place


def _caption_column(rows: Sequence[Sequence[str]], numeric: Sequence[Sequence[bool]]) -> int:
    """The column with most different words, the first of these."""
    width = len(rows[0]) if rows else 0
    words = [
        len({row[at] for row, own in zip(rows, numeric, strict=True) if row[at].strip() and not own[at]})
        for at in range(width)
    ]
    return words.index(max(words)) if words else 0


def decimal_mark(cells: Iterable[str]) -> str:
    """The sign before decimals: the last one of a number that is followed by other than three digits; a point where
    nothing says so."""
    votes: Counter[str] = Counter()
    for cell in cells:
        plain = _bare(cell)
        if NUMBER.fullmatch(plain):
            last = max(plain.rfind("."), plain.rfind(","))
            if last >= 0:
                one, rest = plain[last], len(plain) - last - 1
                if rest != 3 or (plain.count(".") and plain.count(",")):
                    votes[one] += 1
                elif plain.count(one) > 1:
                    votes["," if one == "." else "."] += 1
    return "," if votes[","] > votes["."] else "."


def _bare(cell: str) -> str:
    plain = cell.strip().strip("()").strip().rstrip("%").strip()
    plain = plain.removeprefix("+").lstrip("-\u2212\u2013").removesuffix("-").strip()
    for group in GROUPS:
        plain = plain.replace(group, "")
    return plain


def number_of(cell: str, mark: str) -> Decimal | None:
    """The number that a cell shows; None for nothing and for words."""
    plain = cell.strip()
    if plain.casefold() in NOTHING:
        return None
    if plain in ZERO:
        return Decimal(0)
    digits = _bare(plain)
    if not NUMBER.fullmatch(digits):
        return None
    whole, _, rest = digits.rpartition(mark) if mark in digits else (digits, "", "")
    whole = whole.replace("," if mark == "." else ".", "")
    if not whole.isascii() or NUMBER.fullmatch(f"{whole or 0}") is None or mark in whole or not _are_digits(rest):
        return None
    number = Decimal(f"{whole or 0}.{rest}" if rest else whole)
    inside = plain.rstrip("%").strip()
    negative = inside.startswith(("-", "\u2212", "\u2013")) or inside.endswith("-") or (
        inside.startswith("(") and inside.endswith(")")
    )  # fmt: skip
    return -number if negative else number


def _are_digits(text: str) -> bool:
    return not text or re.fullmatch(r"[0-9]{1,12}", text, re.ASCII) is not None


def _is_figure(cell: str, mark: str) -> bool:
    plain = cell.strip()
    return plain in ZERO or number_of(cell, mark) is not None
