"""Plain rows as a workbook with one sheet: heads that stay, amounts as numbers, everything else as text."""

from __future__ import annotations

import io
from collections.abc import Iterable, Sequence
from decimal import Decimal
from typing import TYPE_CHECKING

from rulka.core.later import later
from rulka.formats.output.stamp import Stamp, set_origin

if TYPE_CHECKING:
    import xlsxwriter
else:
    xlsxwriter = later("xlsxwriter")


def rows_workbook(
    title: str, headings: Sequence[str], rows: Iterable[Sequence[str]], *, amounts: set[int], stamp: Stamp | None = None
) -> bytes:
    """A workbook of rows; the columns in `amounts` hold plain decimals, or a word in their place. Its origin
    stands in its properties and below the last row."""
    target = io.BytesIO()
    book = xlsxwriter.Workbook(
        target,
        {"constant_memory": True, "strings_to_formulas": False, "strings_to_urls": False, "strings_to_numbers": False},
    )
    sheet = book.add_worksheet(title[:31])
    head, number = (
        book.add_format({"bold": True, "bottom": 1}),
        book.add_format({"num_format": "#,##0.00##;-#,##0.00##"}),
    )
    sheet.freeze_panes(1, 0)
    sheet.set_column(0, len(headings) - 1, 14)
    sheet.write_row(0, 0, headings, head)
    at = 0
    for at, row in enumerate(rows, 1):
        for column, cell in enumerate(row):
            if column in amounts and cell and cell[-1].isdigit():
                sheet.write_number(at, column, Decimal(cell), number)
            elif cell:
                sheet.write_string(at, column, cell)
    if stamp is not None:
        set_origin(book, stamp)
        sheet.write_string(at + 1, 0, stamp.line)
    book.close()
    return target.getvalue()
