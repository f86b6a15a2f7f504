"""What tests of refilled workbooks share: an output of rows, a person's workbook around it, parts compared."""

from __future__ import annotations

import zipfile
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from lxml import etree

from demo.workbooks import Handmade, Page
from rulka.core.extracting.fields import Field
from rulka.formats.output.row_workbook import Facts, RowSheet, RowWorkbook
from rulka.formats.output.rows import RowColumn
from rulka.formats.output.stamp import Stamp
from rulka.formats.refill.checking import Linking, check
from rulka.formats.refill.refilling import refill

COLUMNS = (
    RowColumn("Date", Field("date", "Date", "", "date")),
    RowColumn("Supplier", Field("supplier", "Supplier", "", "text")),
    RowColumn("Document", Field("document", "Document", "", "text")),
    RowColumn("Amount", Field("amount", "Amount", "", "amount", digits=2)),
)
NAMES = ("Sound Oil", "Kelp Power", "Skerry & Cleaning", "Anchor Audit", "Gullwing", "Saltmarsh", "=Odd name")


def some_rows(count: int, start: int = 0) -> list[tuple[Any, ...]]:
    """Rows that differ: a day, a supplier, a document, cents."""
    return [
        (f"2026-10-{1 + at % 28:02d}", NAMES[(at + start) % len(NAMES)], f"I-{start + at}", (start + at) * 137 - 500)
        for at in range(count)
    ]


def total_of(rows: Sequence[tuple[Any, ...]], supplier: str = "") -> float:
    """What rows come to, of one supplier or all."""
    return sum(row[3] for row in rows if not supplier or row[1] == supplier) / 100


def output(
    path: Path, rows: Sequence[tuple[Any, ...]], *, code: str = "R-7K3Q4-9XMTP", units: Sequence[str] = ("EUR",),
    columns: Sequence[RowColumn] = COLUMNS,
) -> Path:  # fmt: skip
    """An output of rows as Rulka writes it."""
    sums = {3: {unit: sum(row[3] for row in rows) for unit in units}}
    book = RowWorkbook(path, columns, Stamp(code, (("Extract", "spend"),)))
    book.write([RowSheet("Spend", len(rows), iter(rows), sums)])
    book.facts(Facts("Spend", (("Ledger", "Ternwick"), ("Rows", str(len(rows))))))
    book.close()
    return path


def handmade(path: Path, rows: Sequence[tuple[Any, ...]]) -> Handmade:
    """A person's workbook around an output: a sheet of their own with formulas, two pivots, an interactive filter,
    charts, a picture, looks; a format by condition and a choice list on the rows."""
    last = len(rows) + 2
    book = Handmade(output(path, rows).read_bytes())
    suppliers = sorted({row[1] for row in rows})
    bold = book.look('<b/><sz val="18"/><color rgb="FF1F5A4D"/><name val="Georgia"/>', fill="E8F0EA")
    red = book.when('<color rgb="FFA43A2C"/>')
    page = Page(
        "Review",
        {
            "A1": "Supplier review", "A2": "All", "B2": f"=SUM(Spend!D3:D{last})", "A3": "Head", "B3": "=Spend!D1",
            "A4": "Of one", "B4": f"=SUMIFS(Spend!$D$3:$D${last},Spend!$B$3:$B${last},\"Sound Oil\")", "A5": "Columns",
            "B5": "=SUM(Spend!D:D)", "A6": "The first ten", "B6": "=SUM(Spend!D3:D12)", "A7": "Named",
            "B7": "=SUM(Paid)", "A8": "Typed", "B8": 12.5, "C8": "=B8*2",
        },
        {"A1": bold}, (24, 16),
        f'<conditionalFormatting sqref="B2:B8"><cfRule type="cellIs" dxfId="{red}" priority="1" operator="lessThan">'
        "<formula>0</formula></cfRule></conditionalFormatting>",
    )  # fmt: skip
    page.drawn.append(book.picture(_png(), (4, 0, 6, 3)))
    page.drawn.append(book.chart("Paid", f"Spend!$B$3:$B${last}", f"Spend!$D$3:$D${last}", (4, 4, 10, 18)))
    drawn, slicer = book.filter("Supplier", "By supplier", 3, len(suppliers), (11, 4, 13, 18))
    page.drawn.append(drawn)
    page.filters.append(slicer)
    book.name("Paid", f"Spend!$D$3:$D${last}")
    book.source("Spend", f"A2:D{last}", {"Date": None, "Supplier": suppliers, "Document": None, "Amount": None})
    part = book.add(page)
    book.pivot(part, "By supplier", f"A12:B{13 + len(suppliers)}", "Supplier", "Amount")
    book.pivot(part, "Again", f"A32:B{33 + len(suppliers)}", "Supplier", "Amount")
    book.mark(
        "Spend", f'<conditionalFormatting sqref="D3:D{last}"><cfRule type="cellIs" dxfId="{red}" priority="1" '
        'operator="lessThan"><formula>0</formula></cfRule></conditionalFormatting>'
        f'<dataValidations count="1"><dataValidation type="list" sqref="B3:B{last}"><formula1>Review!$A$1:$A$9'
        "</formula1></dataValidation></dataValidations>",
    )  # fmt: skip
    return book


def saved(book: Handmade, path: Path) -> Path:
    path.write_bytes(book.content)
    return path


def refilled(folder: Path, book: Handmade, original: Path, fresh: Path, still: Sequence[str] = ()) -> Path:
    """A person's workbook checked and filled with another output."""
    upload = saved(book, folder / "upload.xlsx")
    told = check(upload, original, Linking(), "upload.xlsx")
    target = folder / "refilled.xlsx"
    refill(upload, fresh, told, still, target)
    return target


def parts_of(path: Path) -> dict[str, bytes]:
    with zipfile.ZipFile(path) as file:
        return {info.filename: file.read(info) for info in file.infolist()}


def differing(was: bytes, now: bytes) -> set[str]:
    """What differs between two parts: the elements that are more, fewer, or have another text, and their attributes, as
    `element`, `element@attribute`."""
    found: set[str] = set()
    _compare(etree.fromstring(was), etree.fromstring(now), found)
    return found


def _compare(was: Any, now: Any, found: set[str]) -> None:
    name = was.tag.rpartition("}")[2]
    for key in {*was.attrib, *now.attrib}:
        if was.get(key) != now.get(key):
            found.add(f"{name}@{key.rpartition('}')[2]}")
    if (was.text or "") != (now.text or ""):
        found.add(name)
    if [one.tag for one in was] != [one.tag for one in now]:
        found |= {one.tag.rpartition("}")[2] for one in (*was, *now)} if len(was) == len(now) else {
            tag.rpartition("}")[2] for tag in _uneven([one.tag for one in was], [one.tag for one in now])
        }  # fmt: skip
        return
    for one, other in zip(was, now, strict=True):
        _compare(one, other, found)


def _uneven(was: list[str], now: list[str]) -> set[str]:
    return {tag for tag in {*was, *now} if was.count(tag) != now.count(tag)}


def _png() -> bytes:
    import struct
    import zlib

    def chunk(kind: bytes, data: bytes) -> bytes:
        return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))

    lines = b"".join(b"\0" + b"\x1f\x5a\x4d" * 24 for _ in range(8))
    head = struct.pack(">IIBBBBB", 24, 8, 8, 2, 0, 0, 0)
    return b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", head) + chunk(b"IDAT", zlib.compress(lines)) + chunk(b"IEND", b"")
