"""A formula's text cut into tokens: what parsing, shapes, rewriting of references and colours work on."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache
from typing import Literal, NamedTuple

from rulka.core.sheet.addresses import MOST_COLUMNS, MOST_ROWS, column_of, letters
from rulka.core.sheet.values import NAME, NULL, SheetError

MOST_FORMULA = 8_192
MOST_TOKENS = 4_000

TokenKind = Literal[
    "text",
    "error",
    "call",
    "area",
    "number",
    "name",
    "operator",
    "open",
    "close",
    "comma",
    "semicolon",
    "open array",
    "close array",
    "space",
]

_SHEET = r"(?:'(?:[^']|'')+'|[^\W\d][\w.]*)!"
_REF = r"\$?[A-Za-z]{1,3}\$?[1-9][0-9]{0,6}"
_COLUMNS, _ROWS = r"\$?[A-Za-z]{1,3}:\$?[A-Za-z]{1,3}", r"\$?[1-9][0-9]{0,6}:\$?[1-9][0-9]{0,6}"
MASTER = re.compile(
    r'(?P<text>"(?:[^"]|"")*")'
    r"|(?P<error>\#(?:REF!|DIV/0!|NAME\?|VALUE!|N/A|NUM!|SPILL!|CIRC!|NULL!))"
    r"|(?P<call>[^\W\d][\w.]*\()"
    rf"|(?P<area>(?:{_SHEET})?(?:{_REF}(?::{_REF})?|{_COLUMNS}|{_ROWS})(?![\w.(!]))"
    r"|(?P<number>(?:[0-9]+(?:\.[0-9]*)?|\.[0-9]+)(?:[eE][+-]?[0-9]+)?)"
    rf"|(?P<name>(?:{_SHEET})?[^\W\d][\w.]*)"
    r"|(?P<operator><=|>=|<>|[-+*/^&=<>%@#:!])"
    r"|(?P<open>\()|(?P<close>\))|(?P<comma>,)|(?P<semicolon>;)"
    r"|(?P<open_array>\{)|(?P<close_array>\})|(?P<space>\s+)"
)
KINDS = {name: name.replace("_", " ") for name in MASTER.groupindex}
PREFIXES = ("_XLFN.", "_XLWS.", "_XLPM.", "_XLUDF.")
"""What files put before names of newer functions and variables."""


class Token(NamedTuple):
    kind: str
    text: str
    start: int


class FormulaFault(Exception):
    """A formula that can't be read; `error` is what its cell shows."""

    def __init__(self, note: str, error: SheetError = NAME) -> None:
        super().__init__(note)
        self.error = SheetError(error.code, note)


def tokens_of(formula: str) -> list[Token]:
    """The tokens of a formula without its `=`, spaces included."""
    if len(formula) > MOST_FORMULA:
        raise FormulaFault(f"A formula may have {MOST_FORMULA:,} characters; this one has {len(formula):,}.")
    found: list[Token] = []
    place = 0
    for match in MASTER.finditer(formula):
        start = match.start()
        if start != place:
            break
        found.append(Token(KINDS[match.lastgroup or ""], match[0], start))
        place = match.end()
    if place < len(formula):
        what = "A quote is not closed" if formula[place] == '"' else f"'{formula[place]}' is not understood"
        raise FormulaFault(f"{what} at character {place + 1}.")
    if len(found) > MOST_TOKENS:
        raise FormulaFault(f"A formula may have {MOST_TOKENS:,} parts; this one has {len(found):,}.")
    return found


@dataclass(frozen=True)
class AreaToken:
    """A reference as written: corners from 0, what of them is fixed, None for a whole row or column; `sheet` empty for
    its own."""

    sheet: str
    top: int | None
    left: int | None
    bottom: int | None
    right: int | None
    fixed: tuple[bool, bool, bool, bool]
    """Whether top, left, bottom and right stay as they are when the formula is copied elsewhere."""
    is_cell: bool

    def text(self) -> str:
        name = f"{quoted_sheet(self.sheet)}!" if self.sheet else ""
        first = _corner(self.top, self.left, self.fixed[0], self.fixed[1])
        if self.is_cell:
            return name + first
        return f"{name}{first}:{_corner(self.bottom, self.right, self.fixed[2], self.fixed[3])}"


def _corner(row: int | None, column: int | None, row_fixed: bool, column_fixed: bool) -> str:
    text = "" if column is None else ("$" if column_fixed else "") + letters(column)
    return text + ("" if row is None else ("$" if row_fixed else "") + str(row + 1))


def quoted_sheet(name: str) -> str:
    """A sheet's name as formulas write it."""
    if re.fullmatch(r"[^\W\d]\w*", name) and not re.fullmatch(r"[A-Za-z]{1,3}[0-9]+", name):
        return name
    return "'" + name.replace("'", "''") + "'"


_PART = re.compile(r"(\$?)([A-Za-z]*)(\$?)([0-9]*)", re.ASCII)


@lru_cache(maxsize=100_000)
def read_area(text: str) -> AreaToken:
    """The area that an area token means; corners are put in order. Outside of a sheet it may lie: who uses it asks."""
    sheet, rest = split_sheet(text)
    first, colon, last = rest.partition(":")
    one = _read_corner(first)
    if not colon:
        return AreaToken(sheet, one[0], one[1], one[0], one[1], (one[2], one[3], one[2], one[3]), True)
    other = _read_corner(last)
    top, bottom, row_fixed = _ordered(one[0], other[0], one[2], other[2])
    left, right, column_fixed = _ordered(one[1], other[1], one[3], other[3])
    return AreaToken(
        sheet, top, left, bottom, right, (row_fixed[0], column_fixed[0], row_fixed[1], column_fixed[1]), False
    )


def _read_corner(text: str) -> tuple[int | None, int | None, bool, bool]:
    found = _PART.fullmatch(text)
    assert found is not None  # the token's pattern lets nothing else through
    column = column_of(found[2]) if found[2] else None
    row = int(found[4]) - 1 if found[4] else None
    column_fixed = bool(found[1]) if found[2] else False
    row_fixed = bool(found[3]) if found[2] else bool(found[1] or found[3])
    return row, column, row_fixed, column_fixed


def _ordered(
    one: int | None, other: int | None, fixed: bool, other_fixed: bool
) -> tuple[int | None, int | None, tuple[bool, bool]]:
    if one is not None and other is not None and one > other:
        return other, one, (other_fixed, fixed)
    return one, other, (fixed, other_fixed)


def split_sheet(text: str) -> tuple[str, str]:
    """`'North ''26'!B2` to its sheet's name and what is meant of it."""
    if "!" not in text:
        return "", text
    name, _, rest = text.rpartition("!")
    if name.startswith("'"):
        name = name[1:-1].replace("''", "'")
    return name, rest


def is_inside(area: AreaToken) -> bool:
    """Whether an area lies on a sheet."""
    rows = all(row is None or row < MOST_ROWS for row in (area.top, area.bottom))
    return rows and all(column is None or column < MOST_COLUMNS for column in (area.left, area.right))


def plain_name(text: str) -> str:
    """A function's or variable's name without what files put before it, in capitals."""
    name = text.rstrip("(").upper()
    while name.startswith(PREFIXES):
        name = name[6:] if not name.startswith("_XLUDF.") else name[7:]
    return name


def rewritten(formula: str, change: Callable[[AreaToken], AreaToken | None]) -> str:
    """A formula (without `=`) with each of its areas changed; #REF! where the change gives none. All else stays as it
    was typed."""
    return "".join(_rewritten(token, change) for token in tokens_of(formula))


def _rewritten(token: Token, change: Callable[[AreaToken], AreaToken | None]) -> str:
    if token.kind != "area":
        return token.text
    area = read_area(token.text)
    changed = change(area)
    if changed is None:
        return "#REF!"
    return token.text if changed == area else changed.text()


def moved(formula: str, rows: int, columns: int) -> str:
    """A formula (without `=`) as it reads when it is copied so many rows and columns on: what isn't fixed moves
    along."""

    def change(area: AreaToken) -> AreaToken | None:
        top = area.top if area.top is None or area.fixed[0] else area.top + rows
        left = area.left if area.left is None or area.fixed[1] else area.left + columns
        bottom = area.bottom if area.bottom is None or area.fixed[2] else area.bottom + rows
        right = area.right if area.right is None or area.fixed[3] else area.right + columns
        ends = [(top, MOST_ROWS), (bottom, MOST_ROWS), (left, MOST_COLUMNS), (right, MOST_COLUMNS)]
        if any(end is not None and not 0 <= end < most for end, most in ends):
            return None
        # a fixed and a moving corner may change sides
        if top is not None and bottom is not None and top > bottom:
            top, bottom = bottom, top
        if left is not None and right is not None and left > right:
            left, right = right, left
        return AreaToken(area.sheet, top, left, bottom, right, area.fixed, area.is_cell)

    return rewritten(formula, change)


NO_MEETING = SheetError(NULL.code, "Areas stand beside each other; put a comma or an operator between them.")
