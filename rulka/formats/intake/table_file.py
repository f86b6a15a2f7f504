"""Any CSV file or workbook sheet to rows of text, as it stands: encoding and delimiter found or given, nothing
changed."""

from __future__ import annotations

import csv
import io
import zipfile
from collections.abc import Generator, Iterator
from contextlib import closing, contextmanager
from dataclasses import dataclass
from datetime import date, datetime
from decimal import Decimal
from pathlib import Path
from typing import Any

from rulka.core.errors import RulkaError

DELIMITERS = (";", ",", "\t", "|")
ENCODINGS = ("utf-8-sig", "utf-16", "cp1252")
SAMPLE = 200_000
ERROR_VALUES = ("#REF!", "#VALUE!", "#N/A", "#NAME?", "#DIV/0!", "#NUM!", "#NULL!")


MOST_BYTES = 4_000_000_000
MOST_FILES = 200
MOST_RATIO = 100
SMALL = 20_000_000
"""Bytes up to which an archive may be packed as tightly as it likes."""
METHODS = (zipfile.ZIP_STORED, zipfile.ZIP_DEFLATED)
"""An archive that would unpack beyond these is refused before anything is written."""

MOST_WIDTH, MOST_CELLS, MOST_GAP = 1_000, 200_000_000, 100_000
"""Columns and cells of a sheet, and empty rows that may follow each other: a cell's name alone can claim millions."""


@dataclass(frozen=True)
class TableLook:
    """How a file is read: `sheet` for a workbook, `encoding` and `delimiter` for text; `header` is the header's row,
    from 1."""

    encoding: str = "utf-8-sig"
    delimiter: str = ","
    sheet: str = ""
    header: int = 1


def is_workbook(path: Path) -> bool:
    return path.suffix.lower() in (".xlsx", ".xlsm")


def sheets_of(path: Path) -> list[str]:
    """The names of a workbook's sheets."""
    with _opened(path, values=True) as book:
        return [str(sheet.title) for sheet in book.worksheets]


def find_encoding(data: bytes) -> str:
    """UTF-8 or UTF-16 where it is surely that, otherwise what the bytes look most like."""
    if data[:2] in (b"\xff\xfe", b"\xfe\xff"):
        return "utf-16"
    try:
        io.TextIOWrapper(io.BytesIO(data), "utf-8-sig").read()
    except UnicodeDecodeError as error:
        if error.start < len(data) - 4:  # not merely cut in the middle of a character
            from charset_normalizer import from_bytes

            found = from_bytes(data, cp_isolation=["cp1252", "cp1250", "cp1251", "cp437", "cp850", "mac_roman"])
            best = found.best()
            # short texts fit several tables of one script: the usual one of Windows goes first
            return (
                "cp1252"
                if best is None or any("cp1252" in (one.encoding, *one.could_be_from_charset) for one in found)
                else best.encoding
            )
    return "utf-8-sig"


def find_delimiter(text: str) -> str:
    """The delimiter that cuts the first lines into the most columns, and most evenly."""
    best, score = ",", 0.0
    for delimiter in DELIMITERS:
        rows = [row for row in csv.reader(io.StringIO(text), delimiter=delimiter) if row][:60]
        widths = [len(row) for row in rows]
        if not widths:
            continue
        usual = max(set(widths), key=lambda width: (widths.count(width), width))
        value = usual * widths.count(usual) / len(widths) if usual > 1 else 0.0
        if value > score:
            best, score = delimiter, value
    return best


def look_at(path: Path) -> TableLook:
    """A first idea of how a file is to be read; the header is guessed elsewhere."""
    if is_workbook(path):
        return TableLook(sheet=sheets_of(path)[0])
    with path.open("rb") as file:
        data = file.read(SAMPLE)
    if not data:
        raise RulkaError("The file has zero bytes.", hint="Hand in one with rows.", subject=path.name)
    encoding = find_encoding(data)
    return TableLook(encoding, find_delimiter(data.decode(encoding, errors="ignore")))


def read_rows(path: Path, look: TableLook) -> Generator[tuple[int, list[str]], None, None]:
    """All rows with their numbers, as a spreadsheet counts; rows that are empty throughout are left out."""
    rows = sheet_rows(path, look.sheet) if is_workbook(path) else _text_rows(path, look)
    for number, cells in rows:
        stripped = [cell.strip() for cell in cells]
        if any(stripped):
            yield number, stripped


def _text_rows(path: Path, look: TableLook) -> Iterator[tuple[int, list[str]]]:
    number = 0
    try:
        with path.open(encoding=look.encoding, errors="strict", newline="") as file:
            for number, cells in enumerate(csv.reader(file, delimiter=look.delimiter, strict=True), 1):
                yield number, cells
    except TypeError:  # the delimiter is no single character
        raise RulkaError(
            "A delimiter is one character.", hint="Choose comma, semicolon, tab or bar.", subject=path.name
        ) from None
    except UnicodeError:
        raise RulkaError(
            f"The file is not {look.encoding} here.",
            hint="Choose another encoding.",
            subject=f"{path.name}, row {number + 1}",
        ) from None
    except LookupError:
        raise RulkaError(
            f"'{look.encoding}' is no encoding.", hint="Write utf-8 or cp1252.", subject=path.name
        ) from None
    except csv.Error as error:
        raise RulkaError(
            f"Not readable as CSV: {error}.",
            hint="Look for a quote that is not closed.",
            subject=f"{path.name}, row {number + 1}",
        ) from None


def check_archive(archive: zipfile.ZipFile, name: str, *, most_files: int = MOST_FILES) -> None:
    """Refuse an archive that would unpack beyond the limits."""
    members = archive.infolist()
    size, packed = sum(member.file_size for member in members), sum(member.compress_size for member in members)
    if any(member.compress_type not in METHODS for member in members):
        raise RulkaError(
            "It is packed in a way that isn't read here.", hint="Pack it as a usual .zip (deflate).", subject=name
        )
    if len(members) > most_files or size > MOST_BYTES or (size > SMALL and size > MOST_RATIO * max(packed, 1)):
        raise RulkaError(
            f"It would unpack to {len(members)} files of {size:,} bytes.",
            hint=f"At most {most_files} files, {MOST_BYTES:,} bytes and {MOST_RATIO} times its packed size are taken.",
            subject=name,
            code="too-large",
        )


@contextmanager
def _opened(path: Path, *, values: bool) -> Iterator[Any]:
    """A workbook, closed afterwards, also where it could not be opened."""
    import openpyxl

    if not zipfile.is_zipfile(path):
        raise RulkaError("The workbook can't be read.", hint="Save it again as .xlsx.", subject=path.name)
    with path.open("rb") as file:
        with foreign(path.name):
            with zipfile.ZipFile(file) as archive:
                check_archive(archive, path.name)
            book = openpyxl.load_workbook(file, read_only=True, data_only=values)
        try:
            yield book
        finally:
            book.close()


@contextmanager
def foreign(name: str) -> Iterator[None]:
    """Around what reads a workbook: whatever a broken one makes its reader trip over, the file is refused."""
    try:
        yield
    except (RulkaError, MemoryError, GeneratorExit):
        raise
    except Exception as error:  # the readers of XML and of packed files raise all kinds
        raise RulkaError(
            "The workbook can't be read; it is damaged or holds what no workbook does.",
            hint="Open it in a spreadsheet and save it again as .xlsx.",
            subject=name,
        ) from error


def sheet_rows(path: Path, name: str) -> Iterator[tuple[int, list[str]]]:
    """A sheet's rows; a formula without a kept result and an error value are refused with the cell's address."""
    with _opened(path, values=True) as book, _opened(path, values=False) as formulas:
        yield from _rows_of(path, name, book, formulas)


def _rows_of(path: Path, name: str, book: Any, formulas: Any) -> Iterator[tuple[int, list[str]]]:
    cells = gap = 0
    with foreign(path.name):
        if name and name not in book.sheetnames:
            raise RulkaError(
                f"There is no sheet '{name}'.", hint="It has " + ", ".join(book.sheetnames) + ".", subject=path.name
            )
        sheet, written = (one[name] if name else one.worksheets[0] for one in (book, formulas))
        with closing(sheet.iter_rows(values_only=True)) as rows, closing(written.iter_rows(values_only=True)) as texts:
            for number, (row, text) in enumerate(zip(rows, texts, strict=False), 1):
                cells += len(row)
                found = [
                    _cell(value, source, path.name, sheet.title, number, at)
                    for at, (value, source) in enumerate(zip(row, text, strict=False))
                ]
                gap = 0 if any(found) else gap + 1
                if len(row) > MOST_WIDTH or cells > MOST_CELLS or gap > MOST_GAP:
                    raise RulkaError(
                        "The sheet claims more cells than a table has.",
                        hint=f"At most {MOST_WIDTH} columns are taken, and no {MOST_GAP} empty rows in a row.",
                        subject=f"{path.name}, sheet {sheet.title}",
                        code="too-large",
                    )
                yield number, found


def _cell(value: Any, source: Any, file: str, sheet: str, row: int, at: int) -> str:
    if isinstance(source, str) and source.startswith("=") and value is None:
        raise _refused(
            "The cell holds a formula whose result was not kept.",
            "Open the workbook, let it compute and save it.",
            file,
            sheet,
            row,
            at,
        )
    if isinstance(value, str) and value in ERROR_VALUES:
        raise _refused(
            f"The cell holds the error {value}.", "Mend the formula and save the workbook.", file, sheet, row, at
        )
    return cell_text(value, f"{file}, sheet {sheet}, row {row}")


def _refused(message: str, hint: str, file: str, sheet: str, row: int, at: int) -> RulkaError:
    from openpyxl.utils import get_column_letter

    return RulkaError(message, hint=hint, subject=f"{file}, sheet {sheet}, cell {get_column_letter(at + 1)}{row}")


def cell_text(value: Any, subject: str) -> str:
    """A cell as the text that a CSV would hold: dates ISO, numbers plain decimals, never an exponent."""
    if value is None:
        return ""
    if isinstance(value, str):
        return value
    if isinstance(value, bool):
        return "1" if value else "0"
    if isinstance(value, datetime):
        return (
            value.date().isoformat()
            if (value.hour, value.minute, value.second, value.microsecond) == (0, 0, 0, 0)
            else value.isoformat()
        )
    if isinstance(value, date):
        return value.isoformat()
    if isinstance(value, (int, float)):
        exact = Decimal(repr(value))
        if not exact.is_finite() or abs(exact) >= 10**15:
            raise RulkaError(
                f"{value} is too large for a spreadsheet to hold exactly.",
                hint="Format the cell as text and type it again.",
                subject=subject,
            )
        return f"{exact.to_integral_value():f}" if exact == exact.to_integral_value() else f"{exact:f}"
    raise RulkaError(f"A cell holds {value!r}, which is no text, number or date.", subject=subject)
