"""Lines as text for a spreadsheet, and text from a spreadsheet as lines.

A row is a caption and what it selects, in cells between tabs; leading blanks say how deep it stands. A calculation
writes its formula after `=`. Read back, a row of a code alone takes the account's name, and a caption with deeper rows
below is a section.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass, field

from rulka.core.books.chart import CodeList
from rulka.core.books.selection import NOTHING, parse_selection
from rulka.core.definitions.expressions import parse_formula
from rulka.core.definitions.spines import UNLABELLED
from rulka.core.edits.choosing import mask_of
from rulka.core.edits.lines import total_of
from rulka.core.edits.tree import Raw, line_kind
from rulka.core.errors import RulkaError

MOST_ROWS = 1_000
STEP = "  "


def text_of_lines(raws: Sequence[Raw]) -> str:
    """Lines as rows of text, each with its caption and what it selects."""
    rows: list[str] = []

    def write(raw: Raw, depth: int) -> None:
        kind = line_kind(raw)
        says = {"line": raw.get("accounts", ""), "calculation": f"= {raw.get('formula', '')}"}.get(kind, "")
        rows.append(STEP * depth + ("" if kind in UNLABELLED else raw[kind]) + (f"\t{says}" if says else ""))
        for inner in raw.get("lines", ()):
            write(inner, depth + 1)

    for raw in raws:
        write(raw, 0)
    return "\n".join(rows)


@dataclass
class _Read:
    depth: int
    raw: Raw
    inner: list[_Read] = field(default_factory=list)


@dataclass(frozen=True)
class PastedLines:
    """Lines read from text, and what could not be understood, in words."""

    raws: list[Raw]
    notes: tuple[str, ...]


def lines_of_text(text: str, accounts: CodeList) -> PastedLines:
    """Rows of text as lines; raises RulkaError when there is nothing in it or too much."""
    rows = [row for row in re.split(r"\r\n|\r|\n", text) if row.strip()]
    if not rows:
        raise RulkaError(
            "There is nothing to paste.",
            hint="Copy some rows of a spreadsheet first: captions and account codes.",
            subject="paste",
        )
    if len(rows) > MOST_ROWS:
        raise RulkaError(f"{len(rows)} rows are too many.", hint=f"Paste at most {MOST_ROWS} at once.", subject="paste")
    notes: list[str] = []
    tops: list[_Read] = []
    open_rows: list[_Read] = []
    for number, row in enumerate(rows, 1):
        cells = row.split("\t")
        empty = next((at for at, cell in enumerate(cells) if cell.strip()), 0)
        depth = empty * len(STEP) + len(cells[empty]) - len(cells[empty].lstrip(" "))
        read = _Read(depth, _line(number, [cell.strip() for cell in cells if cell.strip()], accounts, notes))
        while open_rows and open_rows[-1].depth >= depth:
            open_rows.pop()
        parent = open_rows[-1] if open_rows and open_rows[-1].raw.get("accounts") == NOTHING else None
        (parent.inner if parent else tops).append(read)
        open_rows.append(read)
    return PastedLines([_finished(read) for read in tops], tuple(notes))


def _finished(read: _Read) -> Raw:
    if not read.inner:
        return read.raw
    label = read.raw["line"]
    return {"section": label, "lines": [_finished(inner) for inner in read.inner], "total": total_of(label)}


def _line(number: int, cells: list[str], accounts: CodeList, notes: list[str]) -> Raw:
    formula = next((cell for cell in cells[1:] if cell.startswith("=")), "")
    if formula and _is_formula(formula[1:]):
        return {"calculation": cells[0], "formula": formula[1:].strip()}
    selecting = next((cell for cell in cells if _selects(cell, accounts)), "")
    captions = [cell for cell in cells if cell != selecting and not _is_number(cell)]
    if selecting:
        codes = _code_list(selecting)
        name = (
            captions[0]
            if captions
            else accounts[codes[0]].name
            if len(codes) == 1 and codes[0] in accounts.index
            else selecting
        )
        return {"line": name, "accounts": selecting if _matches(selecting, accounts) else ", ".join(codes)}
    told = [cell for cell in cells[1:] if not _is_number(cell)]
    if told:
        notes.append(f"Row {number}, {cells[0]}: '{told[0]}' names no account of this ledger")
    return {"line": cells[0], "accounts": NOTHING}


def _code_list(cell: str) -> list[str]:
    return [word for word in re.split(r"[\s,;]+", cell) if word]


def _selects(cell: str, accounts: CodeList) -> bool:
    codes = _code_list(cell)
    return (bool(codes) and all(code in accounts.index for code in codes)) or _matches(cell, accounts)


def _matches(cell: str, accounts: CodeList) -> bool:
    """Whether a cell is a selection that means accounts of this ledger; a plain word that is no code is not."""
    try:
        selection = parse_selection(cell)
    except RulkaError:
        return False
    return cell == NOTHING or bool(mask_of(selection, accounts).any())


def _is_formula(text: str) -> bool:
    try:
        parse_formula(text)
    except RulkaError:
        return False
    return True


def _is_number(cell: str) -> bool:
    """Whether a cell is a figure that was copied along."""
    return re.fullmatch(r"[-(\u2212]?[\d.,'\u00a0 ]*[.,]\d+\)?|[\u2013-]", cell) is not None
