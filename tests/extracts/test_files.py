"""Files of extracts read back: types, sums, names of sheets, cells that look like formulas, a real pivot that an office
suite computes to the same."""

from __future__ import annotations

import csv
import io
import json
import shutil
import subprocess
import zipfile
from decimal import Decimal

import openpyxl
import pandas as pd
import pytest
from django.utils import timezone
from pyarrow import parquet

from rulka.core.errors import RulkaError
from rulka.extracts.output.writing import write
from rulka.formats.output.row_workbook import sheet_names
from rulka.ledger.models import Ledger
from tests.conftest import SMALL
from tests.extracts.world import asking, rows_of, total

pytestmark = pytest.mark.django_db
SUITE = shutil.which("soffice")
SPEND = {
    "title": "Spend", "rows": "journal lines",
    "columns": ["date", "account", {"column": "counterparty name", "as": "Supplier"}, "document", "amount", "currency",
                "crossing", "period", "after close", "modified"],
    "where": [{"account type": "expense"}, {"period": "2027-P05 to 2027-P07"}, {"counterparty": "*"},
              {"currency": "EUR"}],
    "layouts": [
        {"layout": "plain"},
        {"layout": "pivot", "pivot": {"down": ["Supplier"], "across": ["period"], "value": "amount", "chart": "yes"}},
        {"layout": "top", "pivot": {"down": "Supplier", "across": "crossing", "value": "amount", "top": "4"}},
        {"layout": "ordered", "pivot": {"down": "Supplier", "across": "crossing", "value": "amount", "top": "40"}},
        {"layout": "deep", "pivot": {"down": ["crossing", "Supplier"], "value": "amount", "how": "count",
                                     "filters": "period"}},
        {"layout": "different", "pivot": {"down": "Supplier", "value": "document", "how": "distinct"}},
        {"layout": "sheets", "sheets": "crossing", "columns": ["Supplier", "amount", "date"],
         "widths": {"amount": "20"}, "formats": {"amount": "brackets", "date": "month"}, "titles": {"amount": "Spent"}},
        {"layout": "subtotals", "subtotals": "Supplier"},
    ],
}  # fmt: skip


def written(ledger, body, layout, folder, form="xlsx", **options):
    """A file of an extract, with its rows as texts."""
    with asking(ledger, body, layout=layout, **options) as asked:
        path = folder / f"{layout or 'file'}.{form}"
        done = write(asked, form, path, timezone.localtime())
        return path, rows_of(asked), done


def test_a_workbook_has_real_numbers_and_days_sums_above_and_a_head_that_stays(ternwick, tmp_path):
    path, rows, done = written(ternwick, SPEND, "plain", tmp_path)
    assert done.rows == len(rows) > 100
    found = pd.read_excel(path, sheet_name="Spend", header=1)
    assert len(found) == len(rows) and list(found.columns)[:5] == ["Date", "Account", "Supplier", "Document", "Amount"]
    assert round(found["Amount"].sum(), 2) == float(total(rows, "amount"))
    assert str(found["Date"].dtype).startswith("datetime64") and found["Account"].dtype != float
    assert [f"{day:%Y-%m-%d}" for day in found["Date"]] == [row["date"] for row in rows]
    book = openpyxl.load_workbook(path)
    sheet = book["Spend"]
    assert sheet.freeze_panes == "A3" and sheet.auto_filter.ref.startswith("A2:")
    assert sheet["A1"].value == f"Sum of {len(rows)} rows" and sheet["E1"].value.startswith("=SUBTOTAL(109,E3:E")
    kept = openpyxl.load_workbook(path, data_only=True)["Spend"]
    assert Decimal(str(kept["E1"].value)) == total(rows, "amount")
    assert sheet["E3"].number_format == "#,##0.00;-#,##0.00" and sheet["A3"].number_format == "yyyy-mm-dd"
    assert 12 <= sheet.column_dimensions["A"].width <= 16 < sheet.column_dimensions["C"].width
    told = {row[0].value: row[1].value for row in book["Asked"].iter_rows(min_row=3) if row[0].value}
    assert told["Rows"] == str(len(rows)) and told["Revision"] == "2"


def test_csv_json_and_parquet_hold_the_same_exact_rows(ternwick, tmp_path):
    path, rows, _ = written(ternwick, SPEND, "plain", tmp_path, "csv")
    found = list(csv.DictReader(io.StringIO(path.read_text())))
    assert [one["Amount"] for one in found] == [row["amount"] for row in rows]
    path, rows, _ = written(ternwick, SPEND, "plain", tmp_path, "json")
    told = json.loads(path.read_text())
    assert [one[4] for one in told["rows"]] == [row["amount"] for row in rows] and told["count"] == len(rows)
    assert told["sums"] == [{"column": "Amount", "currency": "EUR", "sum": str(total(rows, "amount"))}]
    path, rows, _ = written(ternwick, SPEND, "plain", tmp_path, "parquet")
    table = parquet.read_table(path)
    assert sum(table["Amount"].to_pylist()) == total(rows, "amount")
    assert [str(kind) for kind in table.schema.types][:6] == ["date32[day]", "string", "string", "string",
                                                            "decimal128(28, 2)", "string"]  # fmt: skip
    assert table["After close"].to_pylist() == [False] * len(rows)


def test_a_sheet_for_each_value_has_its_rows_and_its_sum(ternwick, tmp_path):
    path, rows, _ = written(ternwick, SPEND, "sheets", tmp_path)
    book = openpyxl.load_workbook(path, data_only=True)
    crossings = sorted({row["crossing"] for row in rows})
    assert book.sheetnames == [*crossings, "Asked"]
    for name in crossings:
        sheet, own = book[name], [row for row in rows if row["crossing"] == name]
        assert [cell.value for cell in sheet[2]] == ["Supplier", "Spent", "Date"] and sheet.max_row == len(own) + 2
        assert Decimal(str(sheet["B1"].value)) == total(own, "amount")
        assert sheet["B3"].number_format == "#,##0.00;(#,##0.00)" and sheet["C3"].number_format == "mmmm yyyy"
    assert abs(book[crossings[0]].column_dimensions["B"].width - 20) < 1


def test_subtotals_stand_above_their_rows_and_are_not_counted_twice(ternwick, tmp_path):
    path, rows, _ = written(ternwick, SPEND, "subtotals", tmp_path)
    sheet = openpyxl.load_workbook(path, data_only=True)["Spend"]
    formulas = openpyxl.load_workbook(path)["Spend"]
    groups = {}
    for at in range(3, sheet.max_row + 1):
        if formulas.row_dimensions[at].outlineLevel == 0:
            groups[sheet.cell(at, 3).value] = sheet.cell(at, 5).value
            assert formulas.cell(at, 5).value.startswith("=SUBTOTAL(109,")
    suppliers = {row["Supplier"] for row in rows}
    expected = {}
    for name in suppliers:
        own = [row for row in rows if row["Supplier"] == name]
        expected[f"{name}, {len(own)} row{'' if len(own) == 1 else 's'}"] = total(own, "amount")
    assert {name: Decimal(str(value)) for name, value in groups.items()} == expected
    assert Decimal(str(sheet["E1"].value)) == total(rows, "amount")


def test_no_rows_are_said_plainly(ternwick, tmp_path):
    body = {**SPEND, "where": [{"period": "2027-P07"}, {"document": "NOTHING-*"}]}
    for layout in ("plain", "pivot", "sheets", "subtotals"):
        path, rows, done = written(ternwick, body, layout, tmp_path)
        book = openpyxl.load_workbook(path)
        assert (rows == [] and done.rows == 0 and book.worksheets[0]["A3"].value == "No rows.") or (
            book.worksheets[0]["A2"].value == "No rows."
        )
    for form in ("csv", "json", "parquet"):
        path, _, done = written(ternwick, body, "plain", tmp_path, form)
        assert done.rows == 0 and path.stat().st_size > 0


ODD = ["=1+1", "+2", "-3", "@SUM(A1)", "\tx", 'a & b <c> "d"', "Ünïcode – 中文", "x" * 300]


def test_cells_that_look_like_formulas_are_text_everywhere(small, command, db, tmp_path):
    head, *_ = SMALL["entries.csv"].splitlines()
    lines = [head]
    for at, text in enumerate(ODD):
        shown = '"' + text.replace('"', '""').replace("\t", " ") + '"'
        document = text.replace("	", " ").replace('"', "'")[:40].rstrip().replace(",", ";")
        lines.append(f"A,O{at},1,2026-01-05,1000,,{at + 1}.00,,{shown},{document},,,")
        lines.append(f"A,O{at},2,2026-01-05,4000,10,,{at + 1}.00,,,,,")
    command("load_ledger", small(entries__csv="\n".join(lines) + "\n"), ledger="s")
    ledger = Ledger.objects.get(code="s")
    body = {"title": "=HYPERLINK(1)", "rows": "journal lines",
            "columns": [{"column": "description", "as": "=Text"}, "amount", "account"], "where": [{"account": "1000"}],
            "layouts": [{"layout": "pivot", "pivot": {"down": "=Text", "value": "amount"}},
                        {"layout": "sheets", "sheets": "=Text"}]}  # fmt: skip
    path, rows, _ = written(ledger, body, "pivot", tmp_path, period="2026-P01")
    book = openpyxl.load_workbook(path)
    texts = {row["=Text"] for row in rows}
    assert {"=1+1", "+2", "-3", "@SUM(A1)"} < texts
    for sheet in book.worksheets:
        for cells in sheet.iter_rows():
            for cell in cells:
                assert cell.data_type != "f" or str(cell.value).startswith("=SUBTOTAL(109,"), (sheet.title, cell.value)
    with zipfile.ZipFile(path) as file:
        from xml.etree import ElementTree

        for name in file.namelist():
            if name.endswith((".xml", ".rels")):
                ElementTree.fromstring(file.read(name))
    path, _, _ = written(ledger, body, "sheets", tmp_path, period="2026-P01")
    names = openpyxl.load_workbook(path).sheetnames
    assert len(names) == len({name.casefold() for name in names}) and all(len(name) <= 31 for name in names)
    path, _, _ = written(ledger, body, "pivot", tmp_path, "csv", period="2026-P01")
    for row in csv.reader(io.StringIO(path.read_text())):
        assert not any(cell[:1] in ("=", "+", "@") for cell in row) and not row[0].startswith("-")


def test_names_of_sheets_are_short_and_each_once():
    names = sheet_names(["North", "north", "a/b:c", "", "History", "x" * 40, "x" * 40, "'quoted'"])
    assert names == ["North", "north (2)", "a b c", "none", "History (2)", "x" * 31, "x" * 27 + " (2)", "quoted"]


def test_five_thousand_sheets_are_refused_with_their_number(ternwick, tmp_path):
    body = {"rows": "journal lines", "columns": ["entry", "amount"], "where": [{"period": "year of this"}],
            "layouts": [{"layout": "each", "sheets": "entry"}]}  # fmt: skip
    with pytest.raises(RulkaError) as caught:
        written(ternwick, body, "each", tmp_path)
    assert "has 2," in str(caught.value) and "at most 200 sheets" in str(caught.value)
    assert list(tmp_path.iterdir()) == []  # nothing stays of it


def test_what_a_layout_cant_be_is_refused(ternwick, tmp_path):
    body = {**SPEND, "layouts": [{"layout": "both", "sheets": "crossing", "subtotals": "Supplier"}]}
    with pytest.raises(RulkaError, match="go not together"):
        written(ternwick, body, "both", tmp_path)
    mixed = {**SPEND, "where": [{"account": "6110"}, {"period": "this"}]}
    with pytest.raises(RulkaError, match="The pivot would add amounts in EUR, SEK"):
        written(ternwick, mixed, "pivot", tmp_path)
    assert not list(tmp_path.glob("*.xlsx"))


def pivot_cells(path):
    """What stands on the sheet of a pivot: by labels down and across."""
    return [[cell.value for cell in row] for row in openpyxl.load_workbook(path, data_only=True)["Pivot"].iter_rows()]


def test_a_pivot_holds_what_was_computed_and_is_a_real_one(ternwick, tmp_path):
    path, rows, _ = written(ternwick, SPEND, "pivot", tmp_path)
    cells = pivot_cells(path)
    head = next(row for row in cells if row[0] == "Supplier")
    assert head[1:] == ["2027-P05", "2027-P06", "2027-P07", "Total"]
    body = {row[0]: row[1:] for row in cells[cells.index(head) + 1 :] if row[0]}
    for name in {row["Supplier"] for row in rows}:
        for at, period in enumerate(head[1:4]):
            own = [row for row in rows if row["Supplier"] == name and row["period"] == period]
            assert Decimal(str(body[name][at])) == total(own, "amount") if own else body[name][at] is None
    assert Decimal(str(body["Total"][3])) == total(rows, "amount")
    with zipfile.ZipFile(path) as file:
        names = file.namelist()
        assert "xl/pivotTables/pivotTable1.xml" in names and "xl/charts/chart1.xml" in names
        cache = file.read("xl/pivotCache/pivotCacheDefinition1.xml").decode()
        assert 'refreshOnLoad="1"' in cache and f'ref="A2:J{len(rows) + 2}" sheet="Spend"' in cache
    book = openpyxl.load_workbook(path)
    (pivot,) = book["Pivot"]._pivots
    assert pivot.cache.cacheSource.worksheetSource.sheet == "Spend" and pivot.dataFields[0].subtotal == "sum"
    path, rows, _ = written(ternwick, SPEND, "different", tmp_path)
    assert not openpyxl.load_workbook(path)["Pivot"]._pivots  # a workbook's own pivot can't count different ones
    assert "can't be rearranged" in str(pivot_cells(path)[1][0])


if SUITE:

    @pytest.mark.slow
    @pytest.mark.parametrize("layout", ["pivot", "top", "ordered", "deep"])
    def test_an_office_suite_opens_it_and_computes_the_same(ternwick, tmp_path, layout):
        path, _, _ = written(ternwick, SPEND, layout, tmp_path)
        before = pivot_cells(path)
        again = tmp_path / "again"
        told = subprocess.run(
            [SUITE, f"-env:UserInstallation=file://{tmp_path}/profile", "--headless", "--convert-to", "xlsx",
             "--outdir", str(again), str(path)], capture_output=True, text=True, timeout=180,
        )  # fmt: skip
        assert told.returncode == 0 and "rror" not in told.stderr, told.stderr
        book = openpyxl.load_workbook(again / path.name, data_only=True)
        assert book["Pivot"]._pivots, "it is no pivot any more"
        after = [[cell.value for cell in row] for row in book["Pivot"].iter_rows()]
        assert numbers(after) == numbers(before) and len(numbers(after)) > 4
        assert "Total Result" in str(after)  # the suite's own words: it made the table anew
        sums = {sheet.title: sheet["E1"].value for sheet in book.worksheets if sheet.title == "Spend"}
        assert Decimal(str(sums["Spend"])).quantize(Decimal("0.01")) > 0


def numbers(cells):
    """The numbers of a sheet by the label of their row, in order; rows of nothing but labels aside."""
    found = {}
    for row in cells:
        figures = [Decimal(str(cell)).quantize(Decimal("0.01")) for cell in row if isinstance(cell, int | float)]
        words = tuple(str(cell) for cell in row if isinstance(cell, str) and cell)
        if figures:
            found.setdefault(words[-1:] if not str(words[-1:]).startswith("('Total") else ("Total",), []).append(
                figures
            )
    return found
