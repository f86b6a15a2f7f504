"""What a downloaded file holds, read back with other libraries."""

from __future__ import annotations

import io
import json
import re
from decimal import Decimal

import openpyxl
import pytest
from pypdf import PdfReader

NAMES = ["income-statement", "balance-sheet", "trial-balance"]


@pytest.fixture(params=NAMES)
def files(request, ternwick, command, tmp_path):
    """A run as JSON (the exact values) and the path of another form."""

    def make(form):
        out = tmp_path / f"out.{form}"
        options = {"ledger": "ternwick", "period": "2027-P07"}
        command("run_statement", request.param, **options, format=form, out=out)
        return json.loads(command("run_statement", request.param, **options)), out.read_bytes()

    return make


def test_workbook_holds_every_exact_figure(files):
    exact, data = files("xlsx")
    sheet = openpyxl.load_workbook(io.BytesIO(data), data_only=True).active
    *rows, empty, origin = sheet.iter_rows(min_row=8)
    assert len(rows) == len(exact["lines"])
    assert not any(cell.value for cell in empty) and origin[0].value.startswith("Origin R-")
    for row, line in zip(rows, exact["lines"], strict=True):
        assert row[0].value == line["label"]
        assert bool(sheet.row_dimensions[row[0].row].hidden) == bool(line.get("hidden"))
        for cell, value in zip(row[1:], line["values"], strict=True):
            if value is None:
                assert cell.value in (None, "n/m")
            else:
                assert abs(Decimal(repr(cell.value)) - Decimal(value)) <= Decimal("1e-10") + abs(
                    Decimal(value)
                ) * Decimal("1e-15")


def test_workbook_totals_and_comparisons_are_live_formulas(files):
    exact, data = files("xlsx")
    sheet = openpyxl.load_workbook(io.BytesIO(data)).active
    columns = [column["key"] for column in exact["columns"]]
    for row, line in zip(sheet.iter_rows(min_row=8), exact["lines"], strict=False):
        for cell, key in zip(row[1:], columns, strict=True):
            compares = key in ("difference", "percent", "ytd-difference", "ytd-percent", "change")
            if line["kind"] in ("total", "calculation") or (compares and line["kind"] in ("line", "account")):
                assert str(cell.value).startswith("="), (line["label"], key)
            elif line["kind"] in ("line", "account"):
                assert isinstance(cell.value, (int, float))


def test_comparisons_inside_of_a_series_refer_to_the_columns_of_their_piece(ternwick, command, tmp_path):
    file = tmp_path / "s.yaml"
    file.write_text(
        "statement: by-quarter\nspine: income-statement\nspan: by-quarter\n---\nspan: "
        "by-quarter\ncolumns:\n  - series: q\n    each: quarter\n"
        "    total: Year\n    columns:\n      - {column: a}\n      - {column: b, scenario: budget}\n      - {column: "
        "gap, difference: [a, b]}\n"
    )
    command("load_statement", file, ledger="ternwick")
    out, told = tmp_path / "s.xlsx", {"ledger": "ternwick", "period": "2027-P07"}
    command("run_statement", "by-quarter", **told, format="xlsx", out=out)
    lines = json.loads(command("run_statement", "by-quarter", **told))["lines"]
    live, shown = (openpyxl.load_workbook(out, data_only=plain).active for plain in (False, True))
    seen = 0
    for at, line in enumerate(lines, 8):
        for place in range(2, len(line["values"]), 3):
            if line["kind"] != "line":
                continue
            a, b = re.search(r"ROUND\((\w+)-(\w+),", str(live.cell(at, place + 2).value)).groups()
            assert (a, b) == tuple(live.cell(at, place + back).coordinate for back in (0, 1)), line["label"]
            assert round(Decimal(repr(shown[a].value)) - Decimal(repr(shown[b].value)), 2) == Decimal(
                line["values"][place]
            )
            seen += 1
    assert seen > 30


def test_workbook_is_set_up_for_reading_and_printing(files):
    _, data = files("xlsx")
    sheet = openpyxl.load_workbook(io.BytesIO(data)).active
    assert sheet.freeze_panes == "B8"
    assert sheet.print_title_rows == "$6:$7"
    assert sheet.sheet_properties.pageSetUpPr.fitToPage
    assert sheet["A1"].font.bold and "revision 2" in sheet["A4"].value
    widths = [dimension.width for dimension in sheet.column_dimensions.values()]
    assert all(10 <= width <= 60 for width in widths)


def test_text_from_data_is_never_a_formula(ternwick, command, tmp_path, small):
    from tests.conftest import SMALL

    evil = SMALL["accounts.csv"].replace("Sales,revenue", '"=HYPERLINK(""x"")",revenue')
    command("load_ledger", small(accounts__csv=evil), ledger="evil")
    file = tmp_path / "s.yaml"
    file.write_text(
        "statement: s\ntitle: '=1+1'\nspine: s\nspan: s\n---\nspine: s\nlines:\n  - line: '@x'\n    "
        "accounts: '4*'\n  - line: each\n    accounts: '*'\n    expand: accounts\n"
        "---\nspan: s\ncolumns:\n  - column: a\n    heading: '+1'\n    window: year\n"
    )
    command("load_statement", file, ledger="evil")
    out = tmp_path / "s.xlsx"
    command("run_statement", "s", ledger="evil", period="2025-P01", format="xlsx", out=out)
    for row in openpyxl.load_workbook(out).active.iter_rows():
        for cell in row:
            assert cell.data_type != "f" and not str(cell.value or "").startswith(("=", "@", "+"))
    text = command("run_statement", "s", ledger="evil", period="2025-P01", format="csv")
    assert "'@x" in text and "\n@" not in text


def test_pdf_repeats_heads_and_numbers_its_pages(ternwick, command, tmp_path):
    out = tmp_path / "t.pdf"
    command("run_statement", "trial-balance", ledger="ternwick", period="2027-P07", format="pdf", out=out)
    pages = [page.extract_text() for page in PdfReader(out).pages]
    assert len(pages) >= 2
    for number, text in enumerate(pages, 1):
        assert f"Page {number} of {len(pages)}" in text
        assert "Opening" in text and "printed" in text


def test_income_statement_fits_one_page(ternwick, command, tmp_path):
    out = tmp_path / "i.pdf"
    command("run_statement", "income-statement", ledger="ternwick", period="2027-P07", format="pdf", out=out)
    (page,) = PdfReader(out).pages
    assert (
        "Sailings" in page.extract_text()
        and "Fails: Every account is placed, Ties to the ledger." in page.extract_text()
    )


def test_html_stands_alone(files):
    _, data = files("html")
    text = data.decode()
    assert not re.search(r"(src|href)=|url\((?!data:)", text)
    assert "<script" not in text


def test_json_has_the_documented_shape(files):
    exact, _ = files("json")
    assert list(exact) == [
        "statement",
        "ledger",
        "revision",
        "period",
        "node",
        "currency",
        "columns",
        "lines",
        "footing",
    ]
    assert (exact["ledger"], exact["revision"], exact["period"], exact["node"], exact["currency"]) == (
        "ternwick",
        2,
        "2027-P07",
        "TF",
        "EUR",
    )
    for line in exact["lines"]:
        assert list(line)[:6] == ["key", "label", "kind", "depth", "codes", "values"]
        assert len(line["values"]) == len(exact["columns"])
        assert all(value is None or re.fullmatch(r"-?[0-9]+(\.[0-9]+)?", value) for value in line["values"])
        if None in line["values"] and line["kind"] != "section":
            empty = [
                column["key"] for column, value in zip(exact["columns"], line["values"], strict=True) if value is None
            ]
            assert line["kind"] == "check" or line["notes"] == dict.fromkeys(empty, "n/m")
