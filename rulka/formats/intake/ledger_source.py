"""A ledger as a folder, a .zip of it, or an .xlsx workbook with one sheet per file: all become a folder to read."""

from __future__ import annotations

import csv
import json
import tempfile
import zipfile
import zlib
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path, PurePosixPath
from typing import Any

from rulka.core.errors import NotFound, RulkaError
from rulka.formats.intake.ledger_folder import TABLES
from rulka.formats.intake.table_file import check_archive, sheet_rows, sheets_of


@contextmanager
def ledger_folder(path: Path) -> Iterator[Path]:
    """The folder to read; what was unpacked or converted is removed afterwards."""
    if path.is_dir():
        yield path
        return
    if not path.is_file():
        raise NotFound(f"{path} does not exist.", hint="Name a ledger folder, .zip or .xlsx.", subject="ledger")
    if path.suffix.lower() not in (".zip", ".xlsx"):
        raise RulkaError(
            f"{path.name} is neither a folder, a .zip nor an .xlsx.", hint="Name one of these.", subject="ledger"
        )
    if not zipfile.is_zipfile(path):
        raise RulkaError(
            "The file can't be opened; it is damaged or something else.", hint="Save it again.", subject=path.name
        )
    with tempfile.TemporaryDirectory(prefix="rulka-ledger-") as folder:
        with _archive(path) as archive:
            check_archive(archive, path.name)
            if path.suffix.lower() == ".zip":
                _unpack(archive, Path(folder), path.name)
        if path.suffix.lower() == ".xlsx":
            _sheets(path, Path(folder))
        yield Path(folder)


def _archive(path: Path) -> zipfile.ZipFile:
    try:
        return zipfile.ZipFile(path)
    except (zipfile.BadZipFile, ValueError, OSError, NotImplementedError) as error:
        raise RulkaError(
            "The file can't be opened; it is damaged or something else.", hint="Save it again.", subject=path.name
        ) from error


def _unpack(archive: zipfile.ZipFile, folder: Path, name: str) -> None:
    """The archive's files, whether they lie at its top or in one folder; nothing is written outside of ours."""
    files = [
        member for member in archive.infolist() if not member.is_dir() and not member.filename.startswith("__MACOSX/")
    ]
    parents = {PurePosixPath(member.filename).parent for member in files}
    if len(parents) > 1:
        raise RulkaError("Its files lie in several folders.", hint="Pack one ledger folder.", subject=name)
    taken: set[str] = set()
    for member in files:
        own = PurePosixPath(member.filename).name
        if own in ("", ".", "..") or own in taken or len(own) > 100 or not own.isprintable() or "\\" in own:
            raise RulkaError(
                "A file in it has no usable name, or the name of another one.",
                hint="Pack one ledger folder.",
                subject=f"{name}, {member.filename[:100]!r}",
            )
        taken.add(own)
        target = folder / own
        if member.flag_bits & 1:
            raise RulkaError("It is locked with a password.", hint="Pack it without one.", subject=name)
        try:
            with archive.open(member) as source, target.open("wb") as file:
                left = member.file_size
                while block := source.read(1 << 20):
                    left -= len(block)
                    if left < 0:
                        raise RulkaError(
                            "A file is larger than the archive says.",
                            hint="Pack it again.",
                            subject=f"{name}, {member.filename}",
                        )
                    file.write(block)
        except (zipfile.BadZipFile, EOFError, zlib.error, ValueError, NotImplementedError, RuntimeError) as error:
            raise RulkaError(
                "A file in it is damaged.", hint="Pack it again.", subject=f"{name}, {member.filename}"
            ) from error


def _sheets(path: Path, folder: Path) -> None:
    """Each sheet to the file it is called after; `ledger` (or ledger.json) holds name and value in two columns."""
    for title in sheets_of(path):
        stem = title.strip().rsplit(".", 1)[0]
        if stem == "ledger":
            (folder / "ledger.json").write_text(
                _settings([cells for _, cells in sheet_rows(path, title)], path.name), encoding="utf-8"
            )
        elif f"{stem}.csv" in TABLES:
            _table(sheet_rows(path, title), folder / f"{stem}.csv", f"{path.name}, sheet {title}")
        else:
            (folder / f"sheet {title[:60]}".replace("/", "_").replace("\0", "_")).touch()


def _settings(rows: list[list[str]], name: str) -> str:
    """The sheet `ledger`: one cell that holds the JSON, or rows of name and value (values that read as JSON are
    JSON)."""
    filled = [[cell for cell in row if cell] for row in rows]
    filled = [row for row in filled if row]
    if len(filled) == 1 and len(filled[0]) == 1:
        return filled[0][0]
    values: dict[str, Any] = {}
    for row in filled:
        if len(row) != 2:
            raise RulkaError(
                f"The row '{', '.join(row)}' is not a name and a value.",
                hint="Write name and value.",
                subject=f"{name}, sheet ledger",
            )
        key, text = row
        try:
            values[key] = json.loads(text) if text[:1] in "{[" else text
        except json.JSONDecodeError as error:
            raise RulkaError(
                f"The value of '{key}' is not JSON: {error.msg}.", subject=f"{name}, sheet ledger"
            ) from None
    return json.dumps(values)


def _table(rows: Iterator[tuple[int, list[str]]], target: Path, subject: str) -> None:
    with target.open("w", encoding="utf-8", newline="") as file:
        writer = csv.writer(file)
        header = next(rows, (1, []))[1]
        while header and not header[-1]:
            header.pop()
        if not header:
            return
        writer.writerow(header)
        empty = 0
        for at, row in rows:
            if any(row[len(header) :]):
                raise RulkaError(
                    "The row is longer than the header.",
                    hint="Empty the cells beside the table.",
                    subject=f"{subject}, row {at}",
                )
            cells = [*row, *[""] * len(header)][: len(header)]
            if not any(cells):
                empty = empty or at  # trailing empty rows are no rows
            elif empty:
                raise RulkaError("The row is empty.", hint="Remove it.", subject=f"{subject}, row {empty}")
            else:
                writer.writerow(cells)
