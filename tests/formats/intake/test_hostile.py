"""Files made to cost minutes or gigabytes, or to trip their readers: refused in words, soon."""

from __future__ import annotations

import io
import tempfile
import time
import zipfile
from contextlib import suppress
from functools import cache
from pathlib import Path

import openpyxl
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from rulka.core.errors import RulkaError
from rulka.formats.definition_file import read_definitions
from rulka.formats.intake.guessing import KnownCodes
from rulka.formats.intake.ledger_source import ledger_folder
from rulka.formats.intake.peek import look_into
from rulka.formats.intake.table_file import TableLook, look_at, read_rows, sheet_rows
from tests.lengths import several

NONE = KnownCodes(frozenset(), frozenset(), {})


def workbook(path: Path, **parts: str) -> Path:
    """A real workbook with some of its parts replaced, or added."""
    book = openpyxl.Workbook()
    book.active.append(["entity", "entry"])
    book.active.append(["A", "E1"])
    made = io.BytesIO()
    book.save(made)
    with zipfile.ZipFile(made) as source, zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as target:
        for name in source.namelist():
            if name not in parts:
                target.writestr(name, source.read(name))
        for name, content in parts.items():
            target.writestr(name, content)
    return path


SHEET = "xl/worksheets/sheet1.xml"
HEAD = '<worksheet xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"><sheetData>'


@pytest.mark.parametrize(
    "content",
    [
        HEAD + '<row r="1"><c r="XFD1"><v>1</v></c></row></sheetData></worksheet>',
        HEAD + '<row r="1048576"><c r="A1048576"><v>1</v></c></row></sheetData></worksheet>',
        HEAD + '<row r="1"><c r="ZZZZZZZ9"><v>1</v></c></row></sheetData></worksheet>',
        HEAD + '<row r="x"><c r="1A"><v>1</v></c></row></sheetData></worksheet>',
        HEAD + '<row r="1"><c r="A1" t="s"><v>99999</v></c></row></sheetData></worksheet>',
        HEAD + '<row r="1"><c r="A1" t="n"><v>NaN</v></c></row></sheetData></worksheet>',
        HEAD + '<row r="1"><c r="A1" t="n"><v>1e999</v></c></row></sheetData></worksheet>',
        HEAD + '<row r="1"><c r="A1" t="d"><v>not a day</v></c></row></sheetData></worksheet>',
        HEAD + '<row r="1"><c',
        "<not xml",
        '<!DOCTYPE a [<!ENTITY b "x"><!ENTITY c "&b;&b;&b;">]>' + HEAD + "<row>&c;</row></sheetData></worksheet>",
        '<!DOCTYPE a [<!ENTITY b SYSTEM "file:///etc/passwd">]>' + HEAD + "<row>&b;</row></sheetData></worksheet>",
    ],
)
def test_broken_sheets_and_claims_of_millions_of_cells_are_refused_soon(content, tmp_path):
    path, before = workbook(tmp_path / "odd.xlsx", **{SHEET: content}), time.monotonic()
    try:
        found = list(sheet_rows(path, ""))
    except RulkaError as refused:
        assert "root:" not in str(refused)
    else:
        assert len(found) <= 1 and "root:" not in str(found)
    assert time.monotonic() - before < 20


def test_shared_strings_that_unpack_to_much_more_are_refused(tmp_path):
    path = workbook(tmp_path / "strings.xlsx", **{"xl/sharedStrings.xml": "<sst>" + "<si><t>a</t></si>" * 3_000_000})
    assert path.stat().st_size < 300_000
    with pytest.raises(RulkaError, match="would unpack"):
        look_at(path)
    with pytest.raises(RulkaError, match="would unpack"):
        look_into(path, "entries", NONE, [])


def test_look_into_a_file_that_takes_too_long_ends(tmp_path, monkeypatch):
    monkeypatch.setattr("rulka.formats.intake.peek.SECONDS", 0.01)
    path = tmp_path / "rows.csv"
    path.write_text("a,b\n1,2\n")
    with pytest.raises(RulkaError, match="more time or memory"):
        look_into(path, "entries", NONE, [])


def test_look_gives_what_a_mapping_makes_of_the_file(tmp_path):
    path = tmp_path / "rows.csv"
    path.write_text("Company;Voucher;Date;Account;Debit;Credit\nA;1;05.01.2026;1000;1,50;\nA;1;x;4000;;1,50\n")
    found = look_into(path, "entries", KnownCodes(frozenset({"A"}), frozenset({"1000"}), {}), [])
    assert found.mapping and found.mapping["table"] == "entries" and found.heads[0] == "entity"
    assert found.made[0][0] == "A" and found.error_count == 1 and "is not a date" in found.errors[0]["message"]


@pytest.mark.parametrize(
    ("name", "method"),
    [("..", 8), (".", 8), ("a" * 300, 8), ("e\x01.csv", 8), ("entries.csv", zipfile.ZIP_LZMA), ("x\\y.csv", 8)],
)
def test_odd_members_and_methods_of_an_archive_are_refused(name, method, tmp_path):
    path = tmp_path / "ledger.zip"
    with zipfile.ZipFile(path, "w", method) as archive:
        archive.writestr(zipfile.ZipInfo(name), "x" * 100, method)
    with pytest.raises(RulkaError), ledger_folder(path):
        pass


def test_same_member_twice_is_refused(tmp_path):
    path = tmp_path / "ledger.zip"
    with zipfile.ZipFile(path, "w") as archive, pytest.warns(UserWarning):
        archive.writestr("entries.csv", "a")
        archive.writestr("entries.csv", "b")
    with pytest.raises(RulkaError, match="name of another one"), ledger_folder(path):
        pass


@cache
def sound() -> bytes:
    """A workbook as it should be, the same for all examples."""
    with tempfile.TemporaryDirectory() as folder:
        return workbook(Path(folder) / "whole.xlsx").read_bytes()


@settings(max_examples=several(60), suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.data())
def test_damaged_archives_and_workbooks_are_refused_or_read(tmp_path, data):
    whole = sound()
    cut = bytearray(whole[: data.draw(st.integers(0, len(whole)))])
    for at in data.draw(st.lists(st.integers(0, max(0, len(cut) - 1)), max_size=8)):
        if at < len(cut):
            cut[at] = data.draw(st.integers(0, 255))
    path = tmp_path / data.draw(st.sampled_from(["cut.xlsx", "cut.zip"]))
    path.write_bytes(bytes(cut))
    try:
        if path.suffix == ".xlsx":
            list(sheet_rows(path, ""))
        else:
            with ledger_folder(path):
                pass
    except RulkaError:
        pass


@settings(max_examples=several(150), suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(
    st.binary(max_size=400) | st.text(max_size=200).map(lambda text: text.encode("utf-8", "surrogatepass")),
    st.sampled_from(["utf-8-sig", "utf-16", "cp1252", "no-such"]),
    st.sampled_from([",", ";", "\t", "", "ab", "\r", '"']),
)
def test_any_bytes_are_rows_or_refused(tmp_path, content, encoding, delimiter):
    path = tmp_path / "any.csv"
    path.write_bytes(content)
    with suppress(RulkaError):
        list(read_rows(path, TableLook(encoding, delimiter)))


@pytest.mark.parametrize("text", ["[" * 3_000, "{a: " * 3_000, "- " * 3_000, "? [a]\n: b", "a: &x 1\nb: *x", "\x00"])
def test_definitions_that_nest_without_end_are_refused_soon(text):
    before = time.monotonic()
    with pytest.raises(RulkaError):
        read_definitions(text, "odd.yaml")
    assert time.monotonic() - before < 10


@settings(max_examples=several(150))
@given(st.text(st.sampled_from("abk:[]{},-\n \"'&*!|>%@?0#\t"), max_size=120))
def test_any_text_is_a_definition_or_refused(text):
    with suppress(RulkaError):
        read_definitions(text, "any.yaml")
