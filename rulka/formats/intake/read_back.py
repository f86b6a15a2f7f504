"""A file that once left, read back as it stands: workbook old or new, PDF, HTML page, CSV or JSON, told by its content
and never by its name."""

from __future__ import annotations

import csv
import io
import json
import struct
import tempfile
import zipfile
from collections.abc import Iterator
from dataclasses import dataclass, field
from html.parser import HTMLParser
from pathlib import Path
from typing import Any

from rulka.core.errors import RulkaError
from rulka.core.proof.origin import ReadCell, ReadPart, codes_in, packed, plain_number, unpacked
from rulka.formats.intake.apart import answer, ask
from rulka.formats.intake.table_file import cell_text, check_archive, find_delimiter, find_encoding, foreign
from rulka.formats.intake.workbook_file import check_marks

MOST_BYTES = 50_000_000
MOST_CELLS = 2_000_000
MOST_DEPTH = 40
MOST_PARTS = 4_000
PROPERTY = "Rulka origin"
"""The name of the property that holds a workbook's code."""

OLD = bytes.fromhex("d0cf11e0a1b11ae1")
"""How an old-style workbook begins."""

META = "rulka-origin"
"""The same of an HTML page."""


@dataclass(frozen=True)
class ReadFile:
    """What a file is, the codes of origin that it names (that of its properties first), and all that stands in it."""

    form: str
    codes: tuple[str, ...]
    parts: tuple[ReadPart, ...]


ENDS = 8_000
"""Bytes at both ends of a filing in which its origin is looked for."""


def read_back(content: bytes, name: str) -> ReadFile:
    """A file's content by place; raises RulkaError where it is none of the forms that leave, or too large."""
    if len(content) > MOST_BYTES:
        raise RulkaError(f"The file is larger than {MOST_BYTES:,} bytes.", hint="Look whether it is the right one.",
                         subject=name, code="too-large")  # fmt: skip
    start = content if content.startswith(OLD) else content[:2_000].lstrip(b"\xef\xbb\xbf \t\r\n")
    if start.startswith(b"PK") and (document := _document(content, name)):
        form, properties = document[0], [document[1]]
        parts: list[ReadPart] = []
    elif start.startswith(b"PK"):
        properties, parts = _workbook(content, name)
        form = "xlsx"
    elif start.startswith(OLD):
        form, properties, parts = "xls", [], _old(content, name)
    elif start.startswith(b"%PDF"):
        form, properties, parts = "pdf", *_pdf(content, name)
    elif start.startswith(
        b"<?xml"
    ):  # a filing: it says its origin at its begin or in its foot, and is known by its bytes
        form, properties, parts = "xml", [(content[:ENDS] + content[-ENDS:]).decode("utf-8", "replace")], []
    elif start.startswith(b"<"):
        form, properties, parts = "html", *_html(content, name)
    elif start.startswith((b"{", b"[")):
        form, properties, parts = "json", [], [_json(content, name)]
    else:
        form, properties, parts = "csv", [], [_csv(content, name)]
    if sum(len(part.cells) for part in parts) > MOST_CELLS:
        raise RulkaError("The file holds more cells than any that leaves.", subject=name, code="too-large")
    written = (cell.text for part in parts for cell in part.cells.values())
    return ReadFile(form, tuple(codes_in([*properties, *written])), tuple(parts))


DOCUMENTS = {"word/document.xml": "docx", "ppt/presentation.xml": "pptx"}
"""What makes an archive a word file, or slides."""


def _document(content: bytes, name: str) -> tuple[str, str] | None:
    """What a word file or slides say of their origin, in their properties: what else stands in them isn't read; None
    for what is neither."""
    try:
        with zipfile.ZipFile(io.BytesIO(content)) as archive:
            known = set(archive.namelist())
            form = next((form for part, form in DOCUMENTS.items() if part in known), "")
            if not form:
                return None
            check_archive(archive, name, most_files=MOST_PARTS)
            said = archive.read("docProps/core.xml") if "docProps/core.xml" in known else b""
            return form, said.decode("utf-8", "replace")
    except (zipfile.BadZipFile, OSError):
        return None


SECONDS = 40
"""How long reading a strange file may take."""


def read_apart(content: bytes, name: str) -> ReadFile:
    """The same in a process of its own, with bounds on time and memory: for files from anybody."""
    too_much = RulkaError("Reading the file takes more time or memory than any that left.",
                          hint="Look whether it is the right one.", subject=name, code="too-large")  # fmt: skip
    with tempfile.NamedTemporaryFile(prefix="rulka-back-") as file:
        file.write(content)
        file.flush()
        asked = {"path": file.name, "name": name}
        told = ask("rulka.formats.intake.read_back", asked, seconds=SECONDS, too_much=too_much)
    return ReadFile(told["form"], tuple(told["codes"]), unpacked(told["parts"]))


def _answered(asked: dict[str, str]) -> dict[str, Any]:
    found = read_back(Path(asked["path"]).read_bytes(), asked["name"])
    return {"form": found.form, "codes": found.codes, "parts": packed(found.parts)}


# workbooks ----------------------------------------------------------------------------------------------------------


def _workbook(content: bytes, name: str) -> tuple[list[str], list[ReadPart]]:
    import openpyxl

    if not zipfile.is_zipfile(io.BytesIO(content)):
        raise RulkaError("The workbook can't be read.", hint="Take the file as it was sent.", subject=name)
    with foreign(name):
        with zipfile.ZipFile(io.BytesIO(content)) as archive:
            check_archive(archive, name)
            check_marks(archive, name)
        formulas = openpyxl.load_workbook(io.BytesIO(content), data_only=False)
        values = openpyxl.load_workbook(io.BytesIO(content), data_only=True)
        own = [str(one.value) for one in formulas.custom_doc_props.props if one.name == PROPERTY]
        parts = [_sheet(values[sheet.title], sheet, name) for sheet in formulas.worksheets]
    return own, parts


def _sheet(values: Any, formulas: Any, name: str) -> ReadPart:
    if formulas.max_row * formulas.max_column > MOST_CELLS:
        raise RulkaError("The workbook claims more cells than any that leaves.", subject=name, code="too-large")
    cells: dict[str, ReadCell] = {}
    for row, others in zip(formulas.iter_rows(), values.iter_rows(), strict=False):
        for cell, other in zip(row, others, strict=False):
            formula = cell.value if isinstance(cell.value, str) and cell.data_type == "f" else ""
            value = None if formula and _is_link(other) else other.value
            if value is None and not formula:
                continue
            is_number = isinstance(value, int | float) and not isinstance(value, bool)
            text = plain_number(repr(value)) if is_number else cell_text(value, name)
            cells[cell.coordinate] = ReadCell(text, formula, cell.number_format if is_number or formula else "")
    hidden = {f"row {at}" for at, one in formulas.row_dimensions.items() if one.hidden}
    for letter, one in formulas.column_dimensions.items():
        if one.hidden:
            last = one.max or one.min or 0
            hidden |= (
                {f"column {_letters(at)}" for at in range(one.min or last, last + 1)} if last else {f"column {letter}"}
            )
    if formulas.sheet_state != "visible":
        hidden.add("the sheet")
    return ReadPart(formulas.title, cells, frozenset(hidden))


def _old(content: bytes, name: str) -> list[ReadPart]:
    import xlrd

    try:
        book = xlrd.open_workbook(file_contents=content, formatting_info=True, on_demand=False)
    except (xlrd.XLRDError, xlrd.compdoc.CompDocError, struct.error, IndexError, ValueError, AssertionError) as error:
        raise RulkaError("The old workbook can't be read.", hint="Take the file as it was sent.",
                         subject=name) from error  # fmt: skip
    return [_old_sheet(book, sheet) for sheet in book.sheets()]


def _old_sheet(book: Any, sheet: Any) -> ReadPart:
    from xlrd import XL_CELL_BOOLEAN, XL_CELL_EMPTY, XL_CELL_NUMBER, XL_CELL_TEXT

    cells: dict[str, ReadCell] = {}
    for row in range(sheet.nrows):
        for column in range(sheet.ncols):
            cell = sheet.cell(row, column)
            if cell.ctype == XL_CELL_EMPTY or cell.value == "":
                continue
            look = book.format_map[book.xf_list[cell.xf_index].format_key].format_str
            is_number = cell.ctype not in (XL_CELL_TEXT, XL_CELL_BOOLEAN)
            text = plain_number(repr(cell.value)) if is_number else str(cell.value)
            cells[f"{_letters(column + 1)}{row + 1}"] = ReadCell(text, "", look if cell.ctype == XL_CELL_NUMBER else "")
    hidden = {f"row {at + 1}" for at, one in sheet.rowinfo_map.items() if one.hidden}
    hidden |= {f"column {_letters(at + 1)}" for at, one in sheet.colinfo_map.items() if one.hidden}
    if sheet.visibility:
        hidden.add("the sheet")
    return ReadPart(sheet.name, cells, frozenset(hidden))


def _is_link(cell: Any) -> bool:
    """Whether a cell shows its link's address, as the reader does where a formula has no kept value."""
    link = cell.hyperlink
    return link is not None and cell.value == (link.target or link.location)


def _letters(at: int) -> str:
    from openpyxl.utils import get_column_letter

    return str(get_column_letter(at))


# paper --------------------------------------------------------------------------------------------------------------


def _pdf(content: bytes, name: str) -> tuple[list[str], list[ReadPart]]:
    import pypdfium2

    try:
        document = pypdfium2.PdfDocument(content)
    except pypdfium2.PdfiumError as error:
        raise RulkaError("The PDF can't be read.", hint="Take the file as it was sent.", subject=name) from error
    try:
        properties = [document.get_metadata_value("Keywords")]
        parts = []
        for number in range(len(document)):
            page = document[number]
            text = page.get_textpage().get_text_bounded()
            parts.append(ReadPart(f"page {number + 1}", _lines(text.splitlines())))
    finally:
        document.close()
    return properties, parts


def _lines(lines: list[str]) -> dict[str, ReadCell]:
    told = [" ".join(line.split()) for line in lines]
    return {f"line {at}": ReadCell(line) for at, line in enumerate(filter(None, told), 1)}


# pages --------------------------------------------------------------------------------------------------------------

BLOCKS = frozenset({"p", "h1", "h2", "h3", "li", "td", "th", "div", "section", "tr", "title", "body"})


@dataclass
class _Table:
    number: int
    row: int = 0
    column: int = 0
    cells: dict[str, ReadCell] = field(default_factory=dict)
    hidden: set[str] = field(default_factory=set)


class _Pages(HTMLParser):
    """The cells of each table, the other texts in order, and what decides how they look."""

    def __init__(self) -> None:
        super().__init__(convert_charrefs=True)
        self.tables: list[_Table] = []
        self.open: list[_Table] = []
        self.texts: list[str] = []
        self.codes: list[str] = []
        self.looks: list[str] = []
        self.pieces: list[str] = []
        self.inside = ""

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        given = {name: value or "" for name, value in attrs}
        if tag == "meta" and given.get("name") == META:
            self.codes.append(given.get("content", ""))
        if tag in ("style", "script"):
            self._flush()
            self.inside = tag
        if tag in BLOCKS and tag not in ("td", "th"):
            self._flush()
        if tag == "table":
            if len(self.tables) > 5_000:
                raise RulkaError("The page holds more tables than any that leaves.", code="too-large")
            self.open.append(_Table(len(self.tables) + 1))
            self.tables.append(self.open[-1])
        elif tag == "tr" and self.open:
            self.open[-1].row += 1
            self.open[-1].column = 0
            if _is_hidden(given):
                self.open[-1].hidden.add(f"row {self.open[-1].row}")
        elif tag in ("td", "th") and self.open:
            self.pieces = []
            self.open[-1].column += 1
            if _is_hidden(given):
                self.open[-1].hidden.add(f"row {self.open[-1].row} cell {self.open[-1].column}")
        elif _is_hidden(given):
            self.looks.append(f"hidden {tag}")
        if tag in ("script", "iframe", "object", "embed", "link"):
            self.looks.append(f"{tag} {sorted(given.items())}")

    def handle_endtag(self, tag: str) -> None:
        if tag in ("style", "script"):
            self.looks.append("".join(self.pieces))
            self.pieces, self.inside = [], ""
        elif tag in ("td", "th") and self.open:
            one = self.open[-1]
            text = " ".join("".join(self.pieces).split())
            if text:
                one.cells[f"row {one.row} cell {one.column}"] = ReadCell(text)
            self.pieces = []
        elif tag == "table" and self.open:
            self.open.pop()
        elif tag in BLOCKS:
            self._flush()

    def handle_data(self, data: str) -> None:
        self.pieces.append(data)

    def _flush(self) -> None:
        if self.inside or self.open:
            return
        text = " ".join("".join(self.pieces).split())
        self.pieces = []
        if text:
            self.texts.append(text)


def _is_hidden(given: dict[str, str]) -> bool:
    style = given.get("style", "").replace(" ", "").lower()
    return "hidden" in given or "display:none" in style or "visibility:hidden" in style


def _html(content: bytes, name: str) -> tuple[list[str], list[ReadPart]]:
    reader = _Pages()
    reader.feed(_decoded(content, name))
    reader.close()
    reader._flush()
    looks = {f"look {at}": ReadCell(text) for at, text in enumerate(reader.looks, 1) if text}
    parts = [ReadPart("text", _lines(reader.texts)), ReadPart("how it looks", looks)]
    parts += [ReadPart(f"table {one.number}", one.cells, frozenset(one.hidden)) for one in reader.tables]
    return reader.codes, parts


# text ---------------------------------------------------------------------------------------------------------------


def _decoded(content: bytes, name: str) -> str:
    try:
        return content.decode(find_encoding(content[:200_000]))
    except (UnicodeDecodeError, LookupError) as error:
        raise RulkaError("The file is no text, and none of the forms that leave.", subject=name) from error


def _csv(content: bytes, name: str) -> ReadPart:
    text = _decoded(content, name)
    if "\x00" in text:
        raise RulkaError("The file is none of the forms that leave.",
                         hint="Workbooks, PDF, HTML pages, CSV and JSON of Rulka are read.", subject=name)  # fmt: skip
    try:
        rows = list(csv.reader(io.StringIO(text), delimiter=find_delimiter(text[:20_000])))
    except csv.Error as error:
        raise RulkaError(f"Not readable as CSV: {error}.", subject=name) from error
    cells = {
        f"row {at} cell {place}": ReadCell(plain_number(cell.strip()))
        for at, row in enumerate(rows, 1)
        for place, cell in enumerate(row, 1)
        if cell.strip()
    }
    return ReadPart("rows", cells)


def _json(content: bytes, name: str) -> ReadPart:
    try:
        told = json.loads(_decoded(content, name), parse_float=str, parse_int=str)
        return ReadPart("values", dict(_walk(told, "", 0)))
    except (json.JSONDecodeError, RecursionError) as error:
        raise RulkaError(f"Not readable as JSON: {error}.", subject=name) from error


def _walk(told: Any, at: str, depth: int) -> Iterator[tuple[str, ReadCell]]:
    if depth > MOST_DEPTH:
        raise RecursionError("it is nested too deep")
    if isinstance(told, dict):
        for key, value in told.items():
            yield from _walk(value, f"{at}.{key}" if at else str(key), depth + 1)
    elif isinstance(told, list):
        for number, value in enumerate(told, 1):
            yield from _walk(value, f"{at} {number}", depth + 1)
    elif told is not None:
        yield at, ReadCell(plain_number(str(told)))


if __name__ == "__main__":
    answer(_answered, seconds=SECONDS // 2)
