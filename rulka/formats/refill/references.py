"""References of formulas to the sheets that are refilled: where they lead now, and where once there are new rows."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import TYPE_CHECKING, Final

from rulka.core.later import later

if TYPE_CHECKING:
    import openpyxl.formula.tokenizer as tokenizer
else:
    tokenizer = later("openpyxl.formula.tokenizer")


CELL = r"\$?[A-Za-z]{1,3}\$?[0-9]{1,7}"
AREA: Final = re.compile(rf"(?P<first>{CELL})(?::(?P<last>{CELL}))?\Z")
PLACE: Final = re.compile(r"(\$?[A-Za-z]{1,3})(\$?)([0-9]{1,7})")
GONE: Final = "#REF!"


@dataclass(frozen=True)
class InsertedRows:
    """Rows of a sheet, from 1: its head's last row, and the first and last of what is below it."""

    head: int
    first: int
    last: int


class RowMap:
    """Which row of a sheet becomes which. Of a sheet of rows the head stays head and what ends with the last row ends
    with the last one; of one whose lines are told by their labels each line goes where it is now; of one whose cells
    are told by their place each row stays, and only ranges of several that reach the last row grow."""

    def __init__(
        self, was: InsertedRows, now: InsertedRows, lines: Mapping[int, int] | None = None, *, by_place: bool = False
    ) -> None:
        self.was, self.now, self.lines, self.by_place = was, now, lines, by_place

    def row(self, row: int) -> int | None:
        """Where one row goes; None where it is gone."""
        if self.by_place:
            return row
        if self.lines is not None:
            return self.lines.get(row, None if self.was.first <= row <= self.was.last else self._outside(row))
        if row <= self.was.head:
            return max(row + self.now.head - self.was.head, 1)
        if row > self.was.last:
            return self._outside(row)
        return min(row - self.was.first + self.now.first, self.now.last)

    def _outside(self, row: int) -> int:
        return row if row < self.was.first else row + self.now.last - self.was.last

    def area(self, first: int, last: int) -> tuple[int, int] | None:
        """Where a range of rows goes, its ends included; None where all of it is gone."""
        if self.lines is not None:
            inside = [found for at in range(first, last + 1) if (found := self.row(at)) is not None]
            return (min(inside), max(inside)) if inside else None
        if self.by_place:
            return (first, max(first, self.now.last)) if self.grows(first, last) else (first, last)
        top = self.row(first)
        if top is None:
            return None
        if last < self.was.last or first > self.was.last:
            bottom = self.row(last)
            return None if bottom is None else (top, max(top, bottom))
        reach = self.now.last if last == self.was.last else max(last, self.now.last)
        return min(top, reach), reach

    def grows(self, first: int, last: int) -> bool:
        """Whether a range reaches the last of the rows, so that it has to go with them."""
        if self.by_place:
            return first < last == self.was.last
        return first <= self.was.last <= last and (last > self.was.head)

    @property
    def is_listed(self) -> bool:
        """Whether its lines are told by labels."""
        return self.lines is not None


@dataclass(frozen=True)
class Touched:
    """One reference of a formula to a sheet that is refilled: its text, and what becomes of it: `grows` with the rows,
    `follows` its line, `still` stays as it is, `itself` follows by itself, or `gone`."""

    text: str
    what: str


Maps = Mapping[str, RowMap]
"""The sheets that are refilled, by their names in small letters."""


def moved(formula: str, maps: Maps, home: str = "", only: Callable[[Touched], bool] | None = None) -> str:
    """A formula (without its `=`) with its references moved; those that `only` refuses stay. `home` is the sheet that a
    reference without a sheet's name means."""
    return _walk(formula, maps, home, only or (lambda one: one.what in ("grows", "follows", "gone")))[0]


def touched(formula: str, maps: Maps, home: str = "") -> list[Touched]:
    """The references of a formula to sheets that are refilled."""
    return _walk(formula, maps, home, lambda one: False)[1]


def _walk(formula: str, maps: Maps, home: str, only: Callable[[Touched], bool]) -> tuple[str, list[Touched]]:
    if not formula or not _may_name(formula, maps, home):
        return formula, []
    try:
        tokens = tokenizer.Tokenizer(f"={formula.replace('#', _SPILLED)}").items
    except (tokenizer.TokenizerError, IndexError):
        return formula, []  # nothing that a spreadsheet writes; it stays as it is
    parts, found = [], []
    for token in tokens:
        text = token.value
        if token.type == tokenizer.Token.OPERAND and token.subtype == tokenizer.Token.RANGE:
            text, told = _reference(text, maps, home, only)
            found += told
        parts.append(text)
    return "".join(parts).replace(_SPILLED, "#"), found


_SPILLED = "\ue000"
"""What stands for `#` while a formula is taken apart: the reader of formulas stumbles over it."""


def _may_name(formula: str, maps: Maps, home: str) -> bool:
    if home.casefold() in maps:
        return True
    plain = formula.casefold().replace("''", "'")
    return any(name in plain for name in maps)


def _reference(text: str, maps: Maps, home: str, only: Callable[[Touched], bool]) -> tuple[str, list[Touched]]:
    sheet, mark, area = text.rpartition("!")
    name = (unquoted(sheet) if mark else home).casefold()
    if name not in maps or "[" in sheet:
        return text, []
    found = AREA.fullmatch(area.removesuffix(_SPILLED))
    if found is None:
        return text, [Touched(text, "itself")]  # whole columns, names of a sheet's own
    rows = maps[name]
    first = PLACE.fullmatch(found["first"])
    last = PLACE.fullmatch(found["last"] or found["first"])
    assert first is not None and last is not None  # both are places by the pattern
    top, bottom = int(first[3]), int(last[3])
    top, bottom, turned = (top, bottom, False) if top <= bottom else (bottom, top, True)
    what = _what(rows, top, bottom, single=not found["last"])
    told = Touched(text, what)
    if what == "still" or not only(told):
        return text, [told]
    if what == "gone":
        return GONE, [told]
    area_now = rows.area(top, bottom)
    assert area_now is not None  # what is gone was told before
    ends = (area_now[1], area_now[0]) if turned else area_now
    moved_text = f"{first[1]}{first[2]}{ends[0]}"
    if found["last"]:
        moved_text += f":{last[1]}{last[2]}{ends[1]}"
    tail = _SPILLED if area.endswith(_SPILLED) else ""
    return f"{sheet}{mark}{moved_text}{tail}", [told]


def _what(rows: RowMap, top: int, bottom: int, *, single: bool) -> str:
    if rows.is_listed:
        area = rows.area(top, bottom)
        return "gone" if area is None else "still" if area == (top, bottom) else "follows"
    if rows.grows(top, bottom) and not (single and rows.was.first < rows.was.last):
        return "grows"
    if bottom <= rows.was.head and not rows.by_place:
        return "follows" if rows.was.head != rows.now.head else "still"
    return "still"


def unquoted(sheet: str) -> str:
    """A sheet's name as it is, of how a formula writes it."""
    return sheet[1:-1].replace("''", "'") if sheet.startswith("'") and sheet.endswith("'") else sheet


def moved_areas(text: str, rows: RowMap) -> str:
    """Areas with blanks between them (`A3:J500 L3:L500`), as marks of a sheet say them, moved; those that are gone are
    left out."""
    if rows.by_place:
        return text
    found = []
    for part in text.split():
        match = AREA.fullmatch(part)
        if match is None:
            found.append(part)
            continue
        first, last = PLACE.fullmatch(match["first"]), PLACE.fullmatch(match["last"] or match["first"])
        assert first is not None and last is not None  # both are places by the pattern
        area = rows.area(int(first[3]), int(last[3]))
        if area is None:
            continue
        start, end = f"{first[1]}{first[2]}{area[0]}", f"{last[1]}{last[2]}{area[1]}"
        found.append(start if start == end and not match["last"] else f"{start}:{end}")
    return " ".join(found)
