"""A ledger as .zip and .xlsx: the same as the folder, and what is refused."""

from __future__ import annotations

import csv
import json
import zipfile
from datetime import date

import openpyxl
import pytest
from django.core.management.base import CommandError

from tests.conftest import SMALL

pytestmark = pytest.mark.django_db
RANGE = {"first": "2025-P01", "last": "2026-P12"}


def zipped(folder, target, prefix=""):
    with zipfile.ZipFile(target, "w", zipfile.ZIP_DEFLATED) as archive:
        for path in folder.iterdir():
            archive.write(path, prefix + path.name)
    return target


def workbook(folder, target, change=lambda book: None):
    """One sheet per file; amounts as numbers, dates as dates, codes as text."""
    book = openpyxl.Workbook()
    book.remove(book.active)
    settings = book.create_sheet("ledger")
    for name, value in SMALL["ledger.json"].items():
        settings.append([name, value if isinstance(value, str) else json.dumps(value)])
    for path in sorted(folder.glob("*.csv")):
        sheet = book.create_sheet(path.stem)
        for row in csv.reader(path.read_text().splitlines()):
            sheet.append(
                [
                    date.fromisoformat(c) if len(c) == 10 and c[4] == "-" else float(c) if "." in c else c or None
                    for c in row
                ]
            )
    change(book)
    book.save(target)
    return target


@pytest.mark.parametrize("prefix", ["", "inner/"])
def test_zip_loads_like_its_folder(prefix, small, command, tmp_path):
    command("load_ledger", small(), ledger="folder")
    command("load_ledger", zipped(small(), tmp_path / "l.zip", prefix), ledger="zip")
    assert command("trial_balance", ledger="zip", **RANGE) == command("trial_balance", ledger="folder", **RANGE)
    assert "nothing changed" in command("load_ledger", small(), ledger="zip")


def test_workbook_loads_like_its_folder(small, command, tmp_path):
    command("load_ledger", small(), ledger="folder")
    command("load_ledger", workbook(small(), tmp_path / "l.xlsx"), ledger="book")
    assert command("trial_balance", ledger="book", **RANGE) == command("trial_balance", ledger="folder", **RANGE)
    assert "nothing changed" in command("load_ledger", small(), ledger="book")


def test_unknown_sheet_is_reported_and_trailing_empty_rows_are_no_rows(small, command, tmp_path):
    def change(book):
        book.create_sheet("Notes").append(["by hand"])
        book["entries"].append([None, None])
        book["entries"].cell(row=30, column=1).value = None

    told = command("load_ledger", workbook(small(), tmp_path / "l.xlsx", change), ledger="book")
    assert "sheet Notes: unknown file, ignored" in told


def put(sheet, cell, value):
    def change(book):
        book[sheet][cell] = value

    return change


@pytest.mark.parametrize(
    ("change", "message"),
    [
        (put("entries", "G2", 100.005), "entries.csv, row 2, column debit: '100.005' has 3 decimals"),
        (put("entries", "G2", 1e17), "sheet entries, row 2: 1e+17 is too large for a spreadsheet to hold exactly"),
        (put("entries", "P3", "stray"), "sheet entries, row 3: The row is longer than the header"),
        (put("entries", "A9", None), None),
        (put("ledger", "C1", "third"), "is not a name and a value"),
        (put("ledger", "B3", "{"), "sheet ledger: The value of 'calendar' is not JSON"),
    ],
)
def test_bad_workbook_is_refused(change, message, small, command, tmp_path):
    path = workbook(small(), tmp_path / "l.xlsx", change)
    if message is None:
        command("load_ledger", path, ledger="book")
        return
    with pytest.raises(CommandError) as caught:
        command("load_ledger", path, ledger="book")
    assert message in str(caught.value)


def test_archives_that_are_none_or_too_much_are_refused(small, command, tmp_path, monkeypatch):
    fake = tmp_path / "fake.zip"
    fake.write_bytes(b"no archive at all")
    bomb = tmp_path / "bomb.zip"
    with zipfile.ZipFile(bomb, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("entries.csv", b"0" * 60_000_000)
    several = tmp_path / "several.zip"
    with zipfile.ZipFile(several, "w") as archive:
        archive.writestr("a/ledger.json", "{}")
        archive.writestr("../b/entries.csv", "x")
    text = tmp_path / "ledger.txt"
    text.write_text("x")
    for path, message in {
        fake: "can't be opened; it is damaged",
        bomb: "It would unpack to 1 files of 60,000,000 bytes",
        several: "Its files lie in several folders",
        text: "is neither a folder, a .zip nor an .xlsx",
        tmp_path / "nowhere.zip": "does not exist",
    }.items():
        with pytest.raises(CommandError) as caught:
            command("load_ledger", path, ledger="z")
        assert message in str(caught.value)
    assert not (tmp_path.parent / "b").exists()


def test_formula_without_a_result_and_error_value_in_an_amount_name_their_cells(small, command, tmp_path):
    for value, message in (
        ("=1+1", "sheet entries, cell G2: The cell holds a formula whose result was not kept"),
        ("#REF!", "cell G2: The cell holds the error #REF!"),
    ):

        def change(book, value=value):
            book["entries"]["G2"] = value

        with pytest.raises(CommandError, match=message):
            command("load_ledger", workbook(small(), tmp_path / "l.xlsx", change), ledger="s")
