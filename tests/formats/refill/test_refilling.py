"""A person's workbook filled with other rows: what may differ and nothing else, ranges, looks, headings."""

from __future__ import annotations

import random
import shutil
import subprocess
import warnings
from dataclasses import replace

import openpyxl
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from rulka.core.errors import RulkaError
from rulka.formats.output.rows import RowColumn
from rulka.formats.refill.checking import Linking, check
from rulka.formats.refill.references import InsertedRows, RowMap, moved, moved_areas, touched
from rulka.formats.refill.refilling import refill
from tests.formats.refill.world import (
    COLUMNS,
    differing,
    handmade,
    output,
    parts_of,
    refilled,
    saved,
    some_rows,
    total_of,
)
from tests.lengths import several

SUITE = shutil.which("soffice")
ROWS, MORE = some_rows(40), some_rows(55, 10)
MAY_DIFFER = {
    "xl/worksheets/sheet1.xml": {"dimension@ref", "autoFilter@ref", "conditionalFormatting@sqref",
                                 "dataValidation@sqref", "row", "oddFooter"},
    "xl/worksheets/sheet2.xml": {"dimension@ref", "c@t", "is", "v", "t", "t@space", "row"},
    "xl/worksheets/sheet3.xml": {"f", "v"},
    "xl/workbook.xml": {"definedName", "calcPr@fullCalcOnLoad"},
    "docProps/custom.xml": {"lpwstr"},
    "xl/charts/chart1.xml": {"f", "strCache", "numCache"},
    "xl/pivotCache/pivotCacheDefinition1.xml": {
        "worksheetSource@ref", "pivotCacheDefinition@refreshOnLoad", "pivotCacheDefinition@saveData",
        "pivotCacheDefinition@missingItemsLimit", "pivotCacheDefinition@recordCount", "pivotCacheDefinition@id",
    },
    "[Content_Types].xml": {"Override"},
}  # fmt: skip
"""What the guide says may differ, by part: elements and attributes."""
GO = {"xl/pivotCache/pivotCacheRecords1.xml", "xl/pivotCache/_rels/pivotCacheDefinition1.xml.rels"}


@pytest.fixture
def filled(tmp_path):
    """A person's workbook, and the same with other rows: more of them, other ones."""
    book = handmade(tmp_path / "original.xlsx", ROWS)
    fresh = output(tmp_path / "fresh.xlsx", MORE, code="R-22222-33333")
    return book, refilled(tmp_path, book, tmp_path / "original.xlsx", fresh)


def test_all_parts_are_the_same_bytes_but_for_those_that_are_listed_and_in_them_only_what_is_listed(filled):
    book, path = filled
    was, now = book.parts, parts_of(path)
    assert was.keys() - now.keys() == GO and not now.keys() - was.keys()
    changed = {name for name in now if now[name] != was[name]}
    assert changed == set(MAY_DIFFER)
    for name in changed:
        assert differing(was[name], now[name]) <= MAY_DIFFER[name], name
    same = {name for name in now if now[name] == was[name]}
    theirs = {"styles", "media/image1", "drawings/drawing1", "slicers/slicer1", "slicerCaches/slicerCache1",
              "pivotTables/pivotTable1", "pivotTables/pivotTable2", "theme/theme1"}  # fmt: skip
    assert theirs <= {name.removeprefix("xl/").rpartition(".")[0] for name in same}


def test_ranges_grow_to_the_last_row_and_parts_of_the_rows_stay(filled):
    _, path = filled
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        book = openpyxl.load_workbook(path)
    mine, rows = book["Review"], book["Spend"]
    assert mine["B2"].value == "=SUM(Spend!D3:D57)" and mine["B6"].value == "=SUM(Spend!D3:D12)"
    assert mine["B4"].value == '=SUMIFS(Spend!$D$3:$D$57,Spend!$B$3:$B$57,"Sound Oil")'
    assert mine["B5"].value == "=SUM(Spend!D:D)" and mine["C8"].value == "=B8*2" and mine["B8"].value == 12.5
    assert book.defined_names["Paid"].attr_text == "Spend!$D$3:$D$57" and rows.auto_filter.ref == "A2:D57"
    assert [str(one.sqref) for one in rows.conditional_formatting] == ["D3:D57"]
    assert rows["D1"].value == "=SUBTOTAL(109,D3:D57)"
    assert [rows.cell(at, 4).value for at in range(3, 58)] == [row[3] / 100 for row in MORE]
    assert [rows.cell(at, 2).value for at in (3, 57)] == [MORE[0][1], MORE[-1][1]] and rows.max_row == 57
    assert rows["A3"].number_format == "yyyy-mm-dd" and rows["D57"].number_format == "#,##0.00;-#,##0.00"
    assert 'ref="A2:D57"' in parts_of(path)["xl/pivotCache/pivotCacheDefinition1.xml"].decode()
    assert "Spend!$D$3:$D$57" in parts_of(path)["xl/charts/chart1.xml"].decode()


def test_nothing_of_former_rows_is_left_in_any_part(tmp_path):
    """Not in cells, shared texts, charts, pivots' lists: whoever gets the file may never have been let see them."""
    secret = [*ROWS[:-1], ("2026-10-28", "Secret Partners", "I-SECRET", 98_765_432)]
    book = handmade(tmp_path / "original.xlsx", secret)
    upload = saved(book, tmp_path / "own.xlsx")
    for path in [upload, *([_suite_saved(upload, tmp_path)] if SUITE else [])]:
        told = check(path, tmp_path / "original.xlsx", Linking(), "own.xlsx")
        refill(path, output(tmp_path / "fresh.xlsx", MORE), told, (), tmp_path / "filled.xlsx")
        for name, data in parts_of(tmp_path / "filled.xlsx").items():
            assert not any(word in data for word in (b"Secret", b"I-SECRET", b"987654.32", b"98765432")), name


def _suite_saved(path, folder):
    again = folder / "suite"
    told = subprocess.run(
        [SUITE, f"-env:UserInstallation=file://{folder}/profile", "--headless", "--convert-to", "xlsx", "--outdir",
         str(again), str(path)], capture_output=True, text=True, timeout=180,
    )  # fmt: skip
    assert told.returncode == 0, told.stderr
    return again / path.name


def shown_by_suite(path, folder):
    """The values of a workbook once an office suite opened it and calculated it anew."""
    return openpyxl.load_workbook(_suite_saved(path, folder), data_only=True)


if SUITE:

    @pytest.mark.slow
    @pytest.mark.parametrize("made", ["by hand", "in an office suite"])
    def test_pivots_charts_and_formulas_show_the_new_rows_in_an_office_suite(tmp_path, made):
        book = handmade(tmp_path / "original.xlsx", ROWS)
        upload = saved(book, tmp_path / "upload.xlsx")
        if made == "in an office suite":
            upload = _suite_saved(upload, tmp_path)
        told = check(upload, tmp_path / "original.xlsx", Linking(), "upload.xlsx")
        fresh = output(tmp_path / "fresh.xlsx", MORE, code="R-22222-33333")
        refill(upload, fresh, told, (), tmp_path / "filled.xlsx")
        shown = shown_by_suite(tmp_path / "filled.xlsx", tmp_path)
        mine = shown["Review"]
        assert mine["B2"].value == total_of(MORE) == mine["B7"].value and mine["B4"].value == total_of(
            MORE, "Sound Oil"
        )
        assert mine["B6"].value == total_of(MORE[:10]) and mine["B3"].value == total_of(MORE)
        found = {
            row[0]: row[1] for row in mine.iter_rows(min_row=12, max_row=30, max_col=2, values_only=True) if row[0]
        }
        for supplier in {row[1] for row in MORE}:
            assert found[supplier] == total_of(MORE, supplier), supplier
        assert len(mine._pivots) == 2 and len(mine._charts) == 1
        chart = parts_of(_suite_saved(tmp_path / "filled.xlsx", tmp_path))["xl/charts/chart1.xml"].decode()
        assert f"<c:v>{MORE[-1][3] / 100}</c:v>" in chart and '<c:ptCount val="55"/>' in chart


def test_what_is_not_chosen_stays(tmp_path):
    book = handmade(tmp_path / "original.xlsx", ROWS)
    upload = saved(book, tmp_path / "upload.xlsx")
    told = check(upload, tmp_path / "original.xlsx", Linking(), "upload.xlsx")
    by_place = {one["where"]: one for one in told["ranges"]}
    still = [by_place["Review!B2"]["id"], by_place["name Paid"]["id"]]
    refill(upload, output(tmp_path / "fresh.xlsx", MORE), told, still, tmp_path / "filled.xlsx")
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        found = openpyxl.load_workbook(tmp_path / "filled.xlsx")
    assert found["Review"]["B2"].value == "=SUM(Spend!D3:D42)" and "D$57" in found["Review"]["B4"].value
    assert found.defined_names["Paid"].attr_text == "Spend!$D$3:$D$42"


@pytest.mark.parametrize("count", [0, 1, 39, 40, 41, 700])
def test_any_number_of_rows_fits(tmp_path, count):
    rows = some_rows(count, 3)
    book = handmade(tmp_path / "original.xlsx", ROWS)
    path = refilled(tmp_path, book, tmp_path / "original.xlsx", output(tmp_path / "fresh.xlsx", rows))
    last = max(count, 1) + 2
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        found = openpyxl.load_workbook(path)
    assert found["Review"]["B2"].value == f"=SUM(Spend!D3:D{last})" and found["Spend"].max_row == last
    assert f'ref="A2:D{last}"' in parts_of(path)["xl/pivotCache/pivotCacheDefinition1.xml"].decode()
    assert sum(found["Spend"].cell(at, 4).value or 0 for at in range(3, last + 1)) == pytest.approx(total_of(rows))


def test_one_more_line_of_sums_moves_the_head_and_all_that_reads_it(tmp_path):
    """Rows in two currencies have two lines of sums above their headings."""
    book = handmade(tmp_path / "original.xlsx", ROWS)
    fresh = output(tmp_path / "fresh.xlsx", MORE, units=("EUR", "SEK"))
    path = refilled(tmp_path, book, tmp_path / "original.xlsx", fresh)
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        found = openpyxl.load_workbook(path)
    assert [found["Spend"].cell(3, at).value for at in range(1, 5)] == ["Date", "Supplier", "Document", "Amount"]
    assert found["Spend"].freeze_panes == "A4" and found["Review"]["B2"].value == "=SUM(Spend!D4:D58)"
    assert found["Spend"].auto_filter.ref == "A3:D58"
    assert 'ref="A3:D58"' in parts_of(path)["xl/pivotCache/pivotCacheDefinition1.xml"].decode()


def test_formulas_beside_the_rows_are_written_for_each_row(tmp_path):
    original = output(tmp_path / "original.xlsx", ROWS)
    book = openpyxl.load_workbook(original)
    sheet = book["Spend"]
    sheet["E2"], sheet["E1"] = "Share", "=SUM(E3:E42)"
    for at in range(3, 43):
        sheet[f"E{at}"] = f"=D{at}/SUM(D$3:D$42)"
        sheet[f"E{at}"].number_format = "0.0%"
    book.save(tmp_path / "upload.xlsx")
    told = check(tmp_path / "upload.xlsx", original, Linking(), "upload.xlsx")
    assert "1 column with formulas beside the rows" in told["linked"]
    refill(tmp_path / "upload.xlsx", output(tmp_path / "fresh.xlsx", MORE), told, (), tmp_path / "filled.xlsx")
    found = openpyxl.load_workbook(tmp_path / "filled.xlsx")["Spend"]
    assert found["E2"].value == "Share" and found["E1"].value == "=SUM(E3:E57)"
    assert found["E3"].value == "=D3/SUM(D$3:D$57)" and found["E57"].value == "=D57/SUM(D$3:D$57)"
    assert found["E57"].number_format == "0.0%" and found["E58"].value is None
    sheet["E20"] = None
    book.save(tmp_path / "gap.xlsx")
    with pytest.raises(RulkaError) as raised:
        check(tmp_path / "gap.xlsx", original, Linking(), "gap.xlsx")
    assert "Column E has a formula in 39 of 40 rows." in str(raised.value)


def test_looks_are_those_that_a_person_gave_and_new_ones_come_at_the_end(tmp_path):
    original = output(tmp_path / "original.xlsx", ROWS)
    book = openpyxl.load_workbook(original)
    sheet = book["Spend"]
    for at in range(3, 43):
        sheet[f"D{at}"].number_format = "0.0"
        sheet[f"B{at}"].font = openpyxl.styles.Font(name="Georgia", italic=True)
    sheet["B2"].fill = openpyxl.styles.PatternFill("solid", fgColor="FFE8F0EA")
    sheet.column_dimensions["B"].width, sheet.row_dimensions[2].height = 33, 30
    book.save(tmp_path / "upload.xlsx")
    told = check(tmp_path / "upload.xlsx", original, Linking(), "upload.xlsx")
    columns = [*COLUMNS[:3], replace(COLUMNS[3], written="brackets")]  # how the output writes amounts is another now
    for given_columns, look in ((COLUMNS, "0.0"), (columns, "#,##0.00;(#,##0.00)")):
        fresh = output(tmp_path / "fresh.xlsx", MORE, columns=given_columns)
        refill(tmp_path / "upload.xlsx", fresh, told, (), tmp_path / "filled.xlsx")
        found = openpyxl.load_workbook(tmp_path / "filled.xlsx")["Spend"]
        assert found["D57"].number_format == look and found["B57"].font.name == "Georgia" and found["B57"].font.italic
        assert found["B2"].fill.fgColor.rgb == "FFE8F0EA" and found.column_dimensions["B"].width == 33
        assert found.row_dimensions[2].height == 30 and found["A57"].number_format == "yyyy-mm-dd"


def test_headings_are_matched_by_name(tmp_path):
    book = handmade(tmp_path / "original.xlsx", ROWS)
    upload = saved(book, tmp_path / "upload.xlsx")
    told = check(upload, tmp_path / "original.xlsx", Linking(), "upload.xlsx")
    renamed = [*COLUMNS[:3], RowColumn("Betrag", COLUMNS[3].shows)]
    with pytest.raises(RulkaError) as raised:
        refill(upload, output(tmp_path / "f.xlsx", MORE, columns=renamed), told, (), tmp_path / "x.xlsx")
    assert str(raised.value) == (
        "template: The template's column Amount is not among the rows. Show them in the layout again, under the same "
        "headings, or make the template again of a new run."
    )
    swapped = [COLUMNS[1], COLUMNS[0], *COLUMNS[2:]]
    rows = [(row[1], row[0], *row[2:]) for row in MORE]
    with pytest.raises(RulkaError, match="in another order than in the template"):
        refill(upload, output(tmp_path / "f.xlsx", rows, columns=swapped), told, (), tmp_path / "x.xlsx")
    assert not (tmp_path / "x.xlsx").exists()


def filled_again(folder, upload, original, rows, number, before=None):
    """A workbook checked as made of an output, filled with rows: what was told, and the file."""
    linking = Linking(width=4, before=before or {})
    told = check(upload, original, linking, "upload.xlsx")
    target = folder / f"filled{number}.xlsx"
    refill(upload, output(folder / f"fresh{number}.xlsx", rows), told, (), target)
    return told, target


@pytest.mark.parametrize("as_table", [False, True])
def test_a_next_version_keeps_looks_and_formulas_of_the_one_before(tmp_path, as_table):
    """Versions are made of what was filled in before: what a person made of it then goes on, and goes further."""
    original = output(tmp_path / "original.xlsx", ROWS)
    book = openpyxl.load_workbook(original)
    sheet = book["Spend"]
    sheet["E2"] = "Share"
    for at in range(3, 43):
        sheet[f"E{at}"] = f"=D{at}/SUM(D$3:D$42)"
        sheet[f"B{at}"].font = openpyxl.styles.Font(name="Georgia", italic=True)
        sheet[f"D{at}"].number_format = "0.0"
    if as_table:
        sheet.auto_filter.ref = None
        sheet.add_table(openpyxl.worksheet.table.Table(displayName="Paid", ref="A2:E42"))
    book.save(tmp_path / "upload.xlsx")
    first, filled = filled_again(tmp_path, tmp_path / "upload.xlsx", original, MORE, 1)
    book = openpyxl.load_workbook(filled)
    sheet = book["Spend"]
    for at in range(3, 58):
        sheet[f"D{at}"].font = openpyxl.styles.Font(bold=True)
    book.create_sheet("Mine")["A1"] = "=SUM(Spend!E3:E57)"
    book.save(tmp_path / "second.xlsx")
    second, again = filled_again(tmp_path, tmp_path / "second.xlsx", filled, ROWS[:20], 2, first)
    assert [one[1] for one in second["sheets"][0]["titles"]] == ["Date", "Supplier", "Document", "Amount"]
    assert second["sheets"][0]["calculated"] == [["E", "D3/SUM(D$3:D$57)"]]
    found = openpyxl.load_workbook(again)
    sheet = found["Spend"]
    assert sheet["E2"].value == "Share" and sheet["E22"].value == "=D22/SUM(D$3:D$22)" and sheet["E23"].value is None
    assert sheet["B22"].font.name == "Georgia" and sheet["B22"].font.italic and sheet["D22"].font.bold
    assert sheet["D22"].number_format == "0.0" and found["Mine"]["A1"].value == "=SUM(Spend!E3:E22)"
    if as_table:
        assert sheet.tables["Paid"].ref == "A2:E22"


# references -----------------------------------------------------------------------------------------------------------

MAPS = {"spend plan": RowMap(InsertedRows(2, 3, 500), InsertedRows(2, 3, 620))}


@pytest.mark.parametrize(("formula", "then", "what"), [
    ("SUM('Spend plan'!E3:E500)", "SUM('Spend plan'!E3:E620)", ["grows"]),
    ("SUM('Spend plan'!$E$3:$E$500)*2", "SUM('Spend plan'!$E$3:$E$620)*2", ["grows"]),
    ("SUM('SPEND PLAN'!E500:E3)", "SUM('SPEND PLAN'!E620:E3)", ["grows"]),
    ("SUM('Spend plan'!E2:E500)", "SUM('Spend plan'!E2:E620)", ["grows"]),
    ("SUM('Spend plan'!E4:E500)", "SUM('Spend plan'!E4:E620)", ["grows"]),
    ("SUM('Spend plan'!E3:E1000)", "SUM('Spend plan'!E3:E1000)", ["grows"]),
    ("SUM('Spend plan'!E3:E550)", "SUM('Spend plan'!E3:E620)", ["grows"]),
    ("SUM('Spend plan'!E3:E499)", "SUM('Spend plan'!E3:E499)", ["still"]),
    ("'Spend plan'!E1+'Spend plan'!E400", "'Spend plan'!E1+'Spend plan'!E400", ["still", "still"]),
    ("SUM('Spend plan'!E:E)", "SUM('Spend plan'!E:E)", ["itself"]),
    ('"\'Spend plan\'!E3:E500"', '"\'Spend plan\'!E3:E500"', []),
    ("SUM(Rows[Amount],Other!E3:E500)", "SUM(Rows[Amount],Other!E3:E500)", []),
    ("INDEX('Spend plan'!A3:J500,MATCH(A1,'Spend plan'!B3:B500,0),4)",
     "INDEX('Spend plan'!A3:J620,MATCH(A1,'Spend plan'!B3:B620,0),4)", ["grows", "grows"]),
    ("IF(#REF!>1,1,#N/A)+SUM('Spend plan'!E3:E500)", "IF(#REF!>1,1,#N/A)+SUM('Spend plan'!E3:E620)", ["grows"]),
    ("this is (no formula 'Spend plan'!E3", "this is (no formula 'Spend plan'!E3", None),
])  # fmt: skip
def test_references_move(formula, then, what):
    assert moved(formula, MAPS) == then
    if what is not None:
        assert [one.what for one in touched(formula, MAPS)] == what


def test_lines_that_are_told_by_labels_are_followed_and_those_that_are_gone_say_so():
    rows = RowMap(InsertedRows(7, 8, 11), InsertedRows(7, 8, 12), {8: 8, 9: 10, 11: 12})
    maps = {"income": rows}
    assert moved("Income!C9+Income!C8-Income!B$11", maps) == "Income!C10+Income!C8-Income!B$12"
    assert moved("SUM(Income!C8:C11)", maps) == "SUM(Income!C8:C12)" and moved("Income!C10*2", maps) == "#REF!*2"
    assert moved("Income!A2", maps) == "Income!A2" and moved("SUM(Income!C10:C10)", maps) == "SUM(#REF!)"
    assert moved_areas("A8:C11 E10 F9", rows) == "A8:C12 F10"


@settings(deadline=None, max_examples=several(200))
@given(st.randoms(use_true_random=False), st.integers(3, 60), st.integers(3, 60), st.integers(1, 3))
def test_a_range_over_all_rows_is_one_over_all_rows_whatever_their_number(chance, last, last_now, head_now):
    rows = RowMap(InsertedRows(2, 3, last), InsertedRows(head_now, head_now + 1, max(last_now, head_now + 1)))
    column = chance.choice("ABZ") + chance.choice(["", "A"])
    told = moved(f"SUM(S!{column}3:{column}{last})", {"s": rows})
    assert told == f"SUM(S!{column}{head_now + 1}:{column}{max(last_now, head_now + 1)})"
    at = chance.randint(1, 2)
    assert rows.row(at) == max(at + head_now - 2, 1)


def test_random_workbooks_come_back_the_same_when_filled_with_their_own_rows(tmp_path):
    """Filled with what it was made of, nothing moves."""
    chance = random.Random(7)
    for number in range(6):
        folder = tmp_path / str(number)
        folder.mkdir()
        rows = some_rows(chance.randint(1, 60), chance.randint(0, 9))
        book = handmade(folder / "original.xlsx", rows)
        path = refilled(folder, book, folder / "original.xlsx", folder / "original.xlsx")
        for name, data in parts_of(path).items():
            if name in ("xl/worksheets/sheet1.xml", "xl/worksheets/sheet2.xml", "docProps/custom.xml"):
                assert differing(book.parts[name], data) <= {"t@space"}, name
            elif name == "xl/worksheets/sheet3.xml":
                assert differing(book.parts[name], data) == {"v"}
