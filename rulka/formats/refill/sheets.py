"""A sheet's cells as they are packed, read row by row; the rows that a filter names, the labels of its lines."""

from __future__ import annotations

import codecs
import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from difflib import SequenceMatcher
from typing import Any, Final

from lxml import etree

from rulka.core.proof.origin import plain_number
from rulka.formats.refill.package import MAIN, WorkbookPackage, parsed, text_of
from rulka.formats.refill.references import AREA, PLACE, InsertedRows, RowMap

AT: Final = re.compile(r"([A-Z]{1,3})([0-9]{1,7})")
START = re.compile(rb"<(?:[A-Za-z0-9]+:)?sheetData\s*/?>")
END = re.compile(rb"</(?:[A-Za-z0-9]+:)?sheetData\s*>")


@dataclass(frozen=True)
class PackedCell:
    """A cell: its column's letters, its style's number, its type, formula (None without one), and what it holds as it
    is packed: a number's text, a string's number, or a text."""

    column: str
    style: int
    type: str
    formula: str | None
    value: str | None
    node: Any

    def text(self, strings: Sequence[str]) -> str:
        """What stands in it, numbers in their plainest writing."""
        if self.value is None:
            return ""
        if self.type == "s":
            at = int(self.value)
            return strings[at] if at < len(strings) else ""
        return plain_number(self.value) if self.type == "n" else self.value


@dataclass(frozen=True)
class PackedRow:
    """A row: its number from 1, what it says of itself, its cells in order."""

    number: int
    told: Mapping[str, str]
    cells: tuple[PackedCell, ...]


def rows_of(package: WorkbookPackage, part: str) -> Iterator[PackedRow]:
    """The rows of a sheet in order; each is let go of once the next one is asked for."""
    number = 0
    with package.open(part) as file:
        for _, node in etree.iterparse(file, tag=f"{MAIN}row", resolve_entities=False, no_network=True):
            number = int(node.get("r") or number + 1)
            yield PackedRow(number, dict(node.attrib), tuple(_cells(node)))
            node.clear()
            while node.getprevious() is not None:
                del node.getparent()[0]


RAW_ROW = re.compile(r'<row r="([0-9]+)"([^>]*?)(?:/>|>(.*?)</row>)', re.DOTALL)


def raw_rows(package: WorkbookPackage, part: str) -> Iterator[tuple[int, str, str]]:
    """The rows of a sheet that Rulka wrote, as text: number, what it says of itself, its cells. Many times as quick as
    reading them cell by cell."""
    with package.open(part) as file:
        text = ""
        decoder = codecs.getincrementaldecoder("utf-8")()
        while block := file.read(1 << 20):
            text += decoder.decode(block)
            end = 0
            for match in RAW_ROW.finditer(text):
                yield int(match[1]), match[2], match[3] or ""
                end = match.end()
            text = text[end:]


def row_of(number: int, told: str, cells: str) -> PackedRow:
    """A row of its text."""
    node = parsed(f'<row xmlns="{MAIN[1:-1]}" r="{number}"{told}>{cells}</row>'.encode())
    return PackedRow(number, dict(node.attrib), tuple(_cells(node)))


def _cells(row: Any) -> Iterator[PackedCell]:
    column = 0
    for node in row.iterfind(f"{MAIN}c"):
        match = AT.match(str(node.get("r") or ""))
        column = number_of(match[1]) if match else column + 1
        yield cell_of(node, letters_of(column))


def cell_of(node: Any, column: str) -> PackedCell:
    """A cell of its node."""
    formula, value, inline = None, None, None
    for child in node:
        if child.tag == f"{MAIN}f":
            formula = child.text or ""
        elif child.tag == f"{MAIN}v":
            value = child.text or ""
        elif child.tag == f"{MAIN}is":
            inline = text_of(child)
    kind = str(node.get("t") or "n")
    return PackedCell(column, int(node.get("s") or 0), kind, formula, inline if kind == "inlineStr" else value, node)


def number_of(letters: str) -> int:
    """A column's number from 1."""
    found = 0
    for letter in letters.upper():
        found = found * 26 + ord(letter) - 64
    return found


def letters_of(number: int) -> str:
    """A column's letters, from 1."""
    found = ""
    while number:
        number, rest = divmod(number - 1, 26)
        found = chr(65 + rest) + found
    return found


@dataclass(frozen=True)
class Zone:
    """Where the rows of a sheet stand: its head's row, the first and last below it, the first and last column (from
    1)."""

    rows: InsertedRows
    left: int
    right: int


@dataclass(frozen=True)
class Around:
    """What stands around the rows of a sheet: its tree without them."""

    tree: Any

    def find(self, name: str) -> Any:
        """An element beside the rows; None where there is none."""
        return self.tree.find(f"{MAIN}{name}")

    @property
    def zone(self) -> Zone | None:
        """Where the rows stand of a sheet with a filter over its head; None of other sheets."""
        found = self.find("autoFilter")
        area = area_of(str(found.get("ref"))) if found is not None else None
        if area is None:
            return None
        left, top, right, last = area
        return Zone(InsertedRows(top, top + 1, max(last, top + 1)), left, right)


def around(package: WorkbookPackage, part: str) -> Around:
    """A sheet without its rows, however many there are: they are passed over, not read."""
    before, after = b"", b""
    with package.open(part) as file:
        text = b""
        while block := file.read(1 << 20):
            text += block
            if not before:
                start = START.search(text)
                if start is None:
                    continue
                before, text = text[: start.end()], text[start.end() :]
                if start[0].endswith(b"/>"):
                    after = text + file.read()
                    break
            end = END.search(text)
            if end is not None:
                after = text[end.start() :] + file.read()
                break
            text = text[-40:]
    return Around(parsed(before + after))


def zone_of(package: WorkbookPackage, part: str) -> Zone | None:
    """Where the rows stand of a sheet with a filter over its head; None of other sheets."""
    return around(package, part).zone


def used_zone(package: WorkbookPackage, part: str) -> Zone:
    """All that is used of a sheet, as rows without a head."""
    last = width = 1
    for row in rows_of(package, part):
        if row.cells:
            last, width = max(last, row.number), max(width, number_of(row.cells[-1].column))
    return Zone(InsertedRows(0, 1, last), 1, width)


def width_of(package: WorkbookPackage, part: str) -> int:
    """How many columns of a sheet hold anything."""
    found = 0
    for row in rows_of(package, part):
        held = [cell.column for cell in row.cells if cell.value is not None or cell.formula is not None]
        found = max(found, number_of(held[-1]) if held else 0)
    return found


Labels = Sequence[tuple[int, str]]
"""Rows with what stands first in them."""


def labels_of(package: WorkbookPackage, part: str) -> list[tuple[int, str]]:
    """The rows of a sheet with what stands first in them."""
    strings = package.strings
    return [
        (row.number, next((text for cell in row.cells if (text := cell.text(strings))), ""))
        for row in rows_of(package, part)
    ]


def lines_moved(was: Labels, now: Labels) -> RowMap:
    """Which line of a sheet became which, by their labels in order."""
    lines: dict[int, int] = {}
    matcher = SequenceMatcher(None, [label for _, label in was], [label for _, label in now], autojunk=False)
    for tag, i, i_end, j, _ in matcher.get_opcodes():
        if tag == "equal":
            lines |= {was[i + at][0]: now[j + at][0] for at in range(i_end - i)}
    heads = _unmatched_heads(was, now, lines)
    first = was[0][0] if was else 1
    last = was[-1][0] if was else 1
    last_now = now[-1][0] if now else 1
    return RowMap(InsertedRows(first - 1, first, last), InsertedRows(first - 1, first, last_now), {**heads, **lines})


def _unmatched_heads(was: Labels, now: Labels, lines: Mapping[int, int]) -> dict[int, int]:
    """Rows of a head whose words are others each month, such as a period: they stay where they are, before the first
    line that is told by its label."""
    first = min(lines, default=0)
    taken, known = set(lines.values()), {row for row, _ in now}
    return {row: row for row, _ in was if row < first and row not in lines and row not in taken and row in known}


def area_of(text: str) -> tuple[int, int, int, int] | None:
    """`A2:J500` as left, top, right, bottom, from 1."""
    match = AREA.fullmatch(text)
    if match is None:
        return None
    first, last = PLACE.fullmatch(match["first"]), PLACE.fullmatch(match["last"] or match["first"])
    if first is None or last is None:
        return None
    return (number_of(first[1].strip("$")), int(first[3]), number_of(last[1].strip("$")), int(last[3]))
