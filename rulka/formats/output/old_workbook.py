"""An old-style workbook (.xls) for programs that can't read .xlsx: the same values with their number formats, made from
the workbook that leaves otherwise; formulas are left as their values."""

from __future__ import annotations

import io
from datetime import date, datetime, time
from typing import TYPE_CHECKING, Any

from rulka.core.errors import RulkaError
from rulka.core.later import later

if TYPE_CHECKING:
    import openpyxl
    import xlwt
    from openpyxl.cell.cell import Cell
    from openpyxl.worksheet.worksheet import Worksheet
else:
    openpyxl = later("openpyxl")
    xlwt = later("xlwt")

MOST_ROWS = 65_536
MOST_COLUMNS = 256
MOST_TEXT = 32_767
MOST_FORMATS = 4_000
"""Looks of cells that a file may have."""

WIDEST = 65_535


def as_old(content: bytes) -> bytes:
    """A workbook's values as an old-style one; raises RulkaError where they go beyond what such a file holds."""
    book = openpyxl.load_workbook(io.BytesIO(content), data_only=True)
    old = xlwt.Workbook(encoding="utf-8")
    looks: dict[tuple[str, bool, str], Any] = {}
    for sheet in book.worksheets:
        _refuse_large(sheet)
        _write(sheet, old.add_sheet(sheet.title[:31], cell_overwrite_ok=False), looks)
    target = io.BytesIO()
    old.save(target)
    return target.getvalue()


def _refuse_large(sheet: Worksheet) -> None:
    hint = "Send the newer workbook, or less of it."
    if sheet.max_row > MOST_ROWS:
        raise RulkaError(f"'{sheet.title}' has {sheet.max_row:,} rows; an old workbook holds {MOST_ROWS:,}.", hint=hint,
                         subject="old workbook", code="too-large")  # fmt: skip
    if sheet.max_column > MOST_COLUMNS:
        raise RulkaError(f"'{sheet.title}' has {sheet.max_column:,} columns; an old workbook holds {MOST_COLUMNS}.",
                         hint=hint, subject="old workbook", code="too-large")  # fmt: skip


def _write(sheet: Worksheet, target: Any, looks: dict[tuple[str, bool, str], Any]) -> None:
    for row in sheet.iter_rows():
        for cell in row:
            if cell.value is None:
                continue
            value = cell.value
            if isinstance(value, str):
                _refuse_long(sheet, cell, value)
            elif not isinstance(value, int | float | bool | datetime | date | time):
                value = str(value)
            key = (cell.number_format or "General", bool(cell.font and cell.font.b), cell.alignment.horizontal or "")
            target.write(cell.row - 1, cell.column - 1, value, _look(key, looks))
    for at, one in sheet.row_dimensions.items():
        if one.hidden:
            target.row(at - 1).hidden = True
    for at in range(1, sheet.max_column + 1):
        column = sheet.column_dimensions.get(openpyxl.utils.get_column_letter(at))
        if column is not None and column.width:
            target.col(at - 1).width = min(WIDEST, int(column.width * 256))
        if column is not None and column.hidden:
            target.col(at - 1).hidden = True
    if sheet.sheet_state != "visible":
        target.visibility = 1


def _refuse_long(sheet: Worksheet, cell: Cell, value: str) -> None:
    if len(value) > MOST_TEXT:
        raise RulkaError(
            f"'{sheet.title}' has {len(value):,} characters in {cell.coordinate}; an old workbook holds {MOST_TEXT:,} "
            "in a cell.", hint="Send the newer workbook.", subject="old workbook", code="too-large",
        )  # fmt: skip


def _look(key: tuple[str, bool, str], looks: dict[tuple[str, bool, str], Any]) -> Any:
    if key not in looks:
        if len(looks) >= MOST_FORMATS:
            raise RulkaError(f"It has more than {MOST_FORMATS:,} number formats.", hint="Send the newer workbook.",
                             subject="old workbook", code="too-large")  # fmt: skip
        number_format, bold, side = key
        style = xlwt.XFStyle()
        style.num_format_str = number_format
        style.font.bold = bold
        style.alignment.horz = {"right": xlwt.Alignment.HORZ_RIGHT, "center": xlwt.Alignment.HORZ_CENTER}.get(
            side, xlwt.Alignment.HORZ_GENERAL
        )
        looks[key] = style
    return looks[key]
