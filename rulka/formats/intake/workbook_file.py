"""A desktop workbook (.xlsx) as a worksheet: values, formulas, looks, names, widths, what is hidden, spans, frozen
panes, choice lists; and in words what could not be taken."""

from __future__ import annotations

import re
import zipfile
from collections import Counter
from collections.abc import Iterator
from datetime import date, datetime, time, timedelta
from decimal import Decimal
from pathlib import Path
from typing import Any

from rulka.core.errors import RulkaError
from rulka.core.sheet.addresses import MOST_COLUMNS, MOST_ROWS, Box, column_of, read_box, read_cell
from rulka.core.sheet.edits import MOST_COMMENT, checked
from rulka.core.sheet.evaluating import compiled
from rulka.core.sheet.inputs import literal
from rulka.core.sheet.number_format import GENERAL, FormatFault, sections
from rulka.core.sheet.parsing import parse_tokens
from rulka.core.sheet.tokens import FormulaFault, plain_name, tokens_of
from rulka.core.sheet.values import EPOCH
from rulka.core.sheet.workbook import MOST_FILLED, MOST_SHEETS, Cell, Look, Sheet, Workbook
from rulka.formats.intake.table_file import check_archive, foreign

MOST_PACKED = 50_000_000
MOST_CELL_MARKS = 1_000_000
MOST_TOLD = 40
LEFT_OUT = {
    "xl/vbaProject.bin": "macros",
    "xl/charts/": "charts",
    "xl/media/": "pictures",
    "xl/pivotTables/": "pivot tables",
    "xl/threadedComments": "replies to comments",
    "xl/slicers/": "filters that are drawn",
    "xl/connections.xml": "connections to outside",
    "xl/externalLinks/": "links to other workbooks",
    "xl/queryTables/": "queries",
}
EXTERNAL = re.compile(r"\[[0-9]+\]|\[[^\]]+\.xl[a-z]+\]", re.IGNORECASE)
ANCHOR = re.compile(r"(?:_xlfn\.)?ANCHORARRAY\(((?:'[^']+'!|\w+!)?\$?[A-Z]{1,3}\$?[0-9]+)\)", re.IGNORECASE)
RULED = {"thin": "single", "medium": "single", "hair": "single", "thick": "double", "double": "double"}


def read_workbook_file(path: Path) -> tuple[Workbook, list[str]]:
    """A workbook and what of it was left out, in words; raises RulkaError where it can't be read at all."""
    import openpyxl

    name = path.name
    if not path.is_file() or not zipfile.is_zipfile(path):
        raise RulkaError("The workbook can't be read.", hint="Save it again as .xlsx.", subject=name)
    if path.stat().st_size > MOST_PACKED:
        raise RulkaError(f"The file is larger than {MOST_PACKED:,} bytes.", hint="Take some sheets out.", subject=name)
    with foreign(name), path.open("rb") as file:
        with zipfile.ZipFile(file) as archive:
            check_archive(archive, name)
            left = _parts_left(archive)
            check_marks(archive, name)
        formulas = openpyxl.load_workbook(file, data_only=False, keep_links=False)
        file.seek(0)
        values = openpyxl.load_workbook(file, data_only=True, keep_links=False)
        return _Reader(formulas, values, left, name).read()


def _parts_left(archive: zipfile.ZipFile) -> list[str]:
    names = archive.namelist()
    found = dict.fromkeys(word for start, word in LEFT_OUT.items() if any(part.startswith(start) for part in names))
    return list(found)


def check_marks(archive: zipfile.ZipFile, name: str) -> None:
    """Refuse sheets that list more cells than a reader could hold, most of them empty ones that only bear a look."""
    count = 0
    for part in archive.namelist():
        if part.startswith("xl/worksheets/") and part.endswith(".xml"):
            with archive.open(part) as file:
                former = b""
                while block := file.read(1 << 20):
                    count += (former[-2:] + block).count(b"<c ")
                    former = block
                    if count > MOST_CELL_MARKS:
                        raise RulkaError(
                            f"The workbook lists more than {MOST_CELL_MARKS:,} cells.",
                            hint="Clear the formats of empty rows and columns, or take some sheets out.",
                            subject=name,
                            code="too-large",
                        )


class _Reader:
    def __init__(self, formulas: Any, values: Any, left: list[str], name: str) -> None:
        self.formulas, self.values, self.name = formulas, values, name
        self.left = [f"{what}" for what in left]
        self.workbook = Workbook()
        self.beyond: Counter[str] = Counter()
        self.unread: list[str] = []
        self._looks: dict[Any, int] = {}

    def read(self) -> tuple[Workbook, list[str]]:
        sheets = self.formulas.worksheets
        if not sheets:
            raise RulkaError("The workbook has no sheet of cells.", hint="Save one with cells.", subject=self.name)
        if len(sheets) > MOST_SHEETS:
            self.left.append(f"sheets after the first {MOST_SHEETS}")
        for number, source in enumerate(sheets[:MOST_SHEETS], 1):
            self.workbook.sheets.append(self._sheet(number, source))
        self._names()
        if sum(len(sheet.cells) for sheet in self.workbook.sheets) > MOST_FILLED:
            raise RulkaError(
                f"A worksheet holds at most {MOST_FILLED:,} filled cells.", hint="Take some of them.", subject=self.name
            )
        self.left += [
            f"{count:,} cells of sheet {name} beyond row {MOST_ROWS:,} or column {MOST_COLUMNS}"
            for name, count in self.beyond.items()
        ]
        more = len(self.unread) - MOST_TOLD
        self.left += self.unread[:MOST_TOLD] + ([f"... and {more} more"] if more > 0 else [])
        return self.workbook, self.left

    def _sheet(self, number: int, source: Any) -> Sheet:
        sheet = Sheet(number, str(source.title)[:31])
        cached = self.values[source.title]
        filled: list[tuple[int, int]] = []
        looks: dict[tuple[int, int], int] = {}
        inside: list[Box] = []
        for row in source.iter_rows():
            for cell in row:
                at, on = cell.row - 1, cell.column - 1
                if at >= MOST_ROWS or on >= MOST_COLUMNS:
                    self.beyond[sheet.name] += cell.value is not None
                    continue
                if getattr(cell, "has_style", False) and (look := self._look(cell)):
                    looks[at, on] = look
                if cell.value is None:
                    continue
                text = self._input(cell, cached, sheet, inside)
                if text:
                    sheet.cells[at, on] = Cell(text)
                    filled.append((at, on))
        for box in inside:  # what an array formula fills isn't typed
            for place in list(box.cells())[1:]:
                sheet.cells.pop(place, None)
        bottom = max((row for row, _ in filled), default=0) + 30
        for place, look in looks.items():
            if place in sheet.cells or place[0] <= bottom:
                sheet.cells[place] = Cell(sheet.cell(*place).input, look)
        self._settings(sheet, source)
        if source.sheet_state != "visible":
            self.left.append(f"that sheet {sheet.name} is hidden: it shows here")
        if source.conditional_formatting:
            self.left.append(f"looks by condition on sheet {sheet.name}")
        if source.tables:
            self.left.append(f"tables of sheet {sheet.name}: their cells are plain ones here")
        return sheet

    # cells --------------------------------------------------------------------------------------------------------

    def _input(self, cell: Any, cached: Any, sheet: Sheet, inside: list[Box]) -> str:
        value = cell.value
        if cell.data_type == "e":
            return str(value)
        where = f"{sheet.name}!{cell.coordinate}"
        text = getattr(value, "text", None) if not isinstance(value, str) else None
        if hasattr(value, "ref") and text is not None:
            if (box := read_box(str(value.ref))) is not None and box.size <= 100_000:
                inside.append(box)
            return self._formula(str(text), cell, cached, where)
        if isinstance(value, str) and cell.data_type == "f":
            return self._formula(value, cell, cached, where)
        if hasattr(value, "ref"):
            self.unread.append(f"the formula of {where}: its last value is kept")
            return self._constant(cached[cell.coordinate].value)
        return self._constant(value)

    def _formula(self, text: str, cell: Any, cached: Any, where: str) -> str:
        text = "=" + plain_formula(text.removeprefix("="))
        if EXTERNAL.search(text):
            self.unread.append(f"the formula of {where} refers to another workbook: its last value is kept")
            return self._constant(cached[cell.coordinate].value)
        try:
            compiled(parse_tokens(tokens_of(text[1:]), cell.row - 1, cell.column - 1))
        except FormulaFault as fault:
            self.unread.append(f"the formula of {where} shows an error: {fault.error.note}")
        return text

    def _constant(self, value: Any) -> str:
        if value is None:
            return ""
        if isinstance(value, bool):
            return "TRUE" if value else "FALSE"
        if isinstance(value, (int, float)):
            return f"{Decimal(repr(value)):f}" if isinstance(value, float) else str(value)
        if isinstance(value, datetime):
            if (value.hour, value.minute, value.second) == (0, 0, 0):
                return value.date().isoformat()
            seconds = value.hour * 3600 + value.minute * 60 + value.second
            days = Decimal((value.date() - EPOCH).days) + Decimal(seconds) / 86_400
            return f"{round(days, 10):f}"
        if isinstance(value, date):
            return value.isoformat()
        if isinstance(value, time):
            return f"{round(Decimal(value.hour * 3600 + value.minute * 60 + value.second) / 86_400, 10):f}"
        if isinstance(value, timedelta):
            return f"{round(Decimal(str(value.total_seconds())) / 86_400, 10):f}"
        return literal(str(value)[:32_000])

    # looks --------------------------------------------------------------------------------------------------------

    def _look(self, cell: Any) -> int:
        key = str(cell._style)
        if key not in self._looks:
            self._looks[key] = self.workbook.look_number(self._look_of(cell))
        return self._looks[key]

    def _look_of(self, cell: Any) -> Look:
        look: Look = {}
        number = cell.number_format
        if number and number != GENERAL:
            try:
                sections(number)
                look["number"] = number
            except FormatFault:
                pass  # such a cell is written plainly
        font, fill, alignment, border = cell.font, cell.fill, cell.alignment, cell.border
        look["bold"], look["italic"] = bool(font and font.b), bool(font and font.i)
        if fill is not None and fill.fill_type == "solid":
            look["fill"] = nearest_fill(fill.fgColor.rgb if fill.fgColor is not None else None)
        if alignment is not None:
            if alignment.horizontal in ("left", "center", "right"):
                look["align"] = alignment.horizontal
            look["wrap"] = bool(alignment.wrap_text)
            look["indent"] = int(alignment.indent or 0)
        if border is not None:
            for side in ("top", "bottom", "left", "right"):
                style = getattr(getattr(border, side), "style", None)
                look[side] = RULED.get(style or "", "")
        return look

    # settings -----------------------------------------------------------------------------------------------------

    def _settings(self, sheet: Sheet, source: Any) -> None:
        widths, hidden = {}, set()
        for name, dimension in source.column_dimensions.items():
            first = dimension.min or column_of(name) + 1
            last = dimension.max or first
            for column in range(first - 1, min(last, MOST_COLUMNS)):
                if dimension.width and dimension.customWidth:
                    widths[str(column)] = max(24, min(int(dimension.width * 7 + 5), 800))
                if dimension.hidden:
                    hidden.add(column)
        if widths:
            sheet.settings["widths"] = widths
        if hidden:
            sheet.settings["hidden columns"] = sorted(hidden)
        rows = sorted(row - 1 for row, own in source.row_dimensions.items() if own.hidden and row <= MOST_ROWS)
        if rows:
            sheet.settings["hidden rows"] = rows
        frozen = read_cell(str(source.freeze_panes)) if source.freeze_panes else None
        if frozen and frozen != (0, 0):
            sheet.settings["frozen"] = [min(frozen[0], 50), min(frozen[1], 20)]
        spans = [_numbers(box) for one in source.merged_cells.ranges if (box := read_box(str(one))) is not None]
        if spans:
            sheet.settings["spans"] = [{"box": box} for box in spans]
        choices = list(self._choices(source))
        if choices:
            sheet.settings["choices"] = choices
        comments = dict(self._comments(source))
        if comments:
            sheet.settings["comments"] = comments

    def _comments(self, source: Any) -> Iterator[tuple[str, dict[str, str]]]:
        for row in source.iter_rows():
            for cell in row:
                note = getattr(cell, "comment", None)
                if note is not None and cell.row <= MOST_ROWS and cell.column <= MOST_COLUMNS:
                    said = checked(str(note.text or ""))[:MOST_COMMENT]
                    yield f"{cell.row - 1},{cell.column - 1}", {"text": said, "who": str(note.author or ""), "at": ""}

    def _choices(self, source: Any) -> Iterator[dict[str, Any]]:
        for rule in source.data_validations.dataValidation:
            if rule.type != "list" or not rule.formula1:
                continue
            text = str(rule.formula1)
            given = "; ".join(text[1:-1].split(",")) if text.startswith('"') else f"={text.removeprefix('=')}"
            for area in str(rule.sqref).split():
                if (box := read_box(area)) is not None:
                    yield {"box": _numbers(box), "from": given[:2_000]}

    def _names(self) -> None:
        for name, own in self.formulas.defined_names.items():
            text = str(own.attr_text or getattr(own, "value", "") or "")
            if own.hidden or name.startswith("_xlnm") or not text or EXTERNAL.search(text) or "#REF!" in text:
                continue
            self.workbook.names[str(name)] = "=" + plain_formula(text)


def _numbers(box: Box) -> list[int]:
    return [box.top, box.left, box.bottom, box.right]


def plain_formula(text: str) -> str:
    """A formula without the prefixes that files put before newer functions and variables."""
    text = ANCHOR.sub(lambda found: f"{found[1]}#", text)
    try:
        tokens = tokens_of(text)
    except FormulaFault:
        return text
    pieces = []
    for token in tokens:
        if token.kind == "call" and token.text.upper().startswith("_XL"):
            pieces.append(plain_name(token.text) + "(")
        elif token.kind == "name" and token.text.upper().startswith("_XLPM."):
            pieces.append(token.text[6:])
        else:
            pieces.append(token.text)
    return "".join(pieces)


def nearest_fill(rgb: Any) -> str:
    """Which of our fills comes near a colour; empty for white and for what no file says plainly."""
    if not isinstance(rgb, str) or not re.fullmatch(r"[0-9A-Fa-f]{8}", rgb):
        return "head"
    red, green, blue = (int(rgb[at : at + 2], 16) for at in (2, 4, 6))
    if min(red, green, blue) > 248:
        return ""
    if max(red, green, blue) - min(red, green, blue) < 16:
        return "head"
    if green >= red and green >= blue:
        return "wash"
    return "note" if green > (red + blue) / 2 or (red > 200 and green > 180) else "alarm" if red > blue else "head"
