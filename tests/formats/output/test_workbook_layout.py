"""A workbook as the page is: sums across that live, stepped totals, two halves, what fails on its own sheet, a cover
for one page, figures' dress as formats."""

from __future__ import annotations

import json
import re
from decimal import Decimal

import openpyxl
import pytest

from rulka.core.definitions.looks import NumberStyle
from rulka.core.sheet.number_format import write
from rulka.formats.output.workbook import _number_format

SERIES = """
statement: by-quarter
spine: income-statement
span: by-quarter
---
span: by-quarter
columns:
  - {series: q, each: period, within: year to date, totals: [quarter], total: So far}
  - {column: plan, scenario: budget, window: year to date}
  - {column: both, heading: Both, sum: [q-total, plan]}
"""
STEPPED = """
statement: steps
spine: steps
span: now
---
span: now
columns:
  - {column: now, window: year to date}
  - {column: plan, window: year to date, scenario: budget}
---
spine: steps
covers: nothing
totals: stepped
lines:
  - section: Costs
    lines:
      - {line: Fuel, accounts: 6110 to 6199}
      - {line: Wages, accounts: 6000 to 6099}
    total: All costs
"""


@pytest.fixture
def made(ternwick, command, tmp_path):
    """A workbook of a definition, live and as it is read, beside the exact run."""

    def make(text, name, **options):
        if text:
            (tmp_path / "s.yaml").write_text(text)
            command("load_statement", tmp_path / "s.yaml", ledger="ternwick")
        told = {"ledger": "ternwick", "period": "2027-P07", **options}
        out = tmp_path / "s.xlsx"
        command("run_statement", name, **told, format="xlsx", out=out)
        return out, json.loads(command("run_statement", name, **told))

    return make


SUM = re.compile(r"=ROUND\(SUM\((.*)\),(-?[0-9]+)\)")


def summed_again(path, at=1):
    """How many sums a sheet has, each equal to the figures that stand in the cells it names."""
    live, shown = (openpyxl.load_workbook(path, data_only=plain).worksheets[at] for plain in (False, True))
    seen = 0
    for row in live.iter_rows(min_row=8):
        for cell in row:
            if found := SUM.fullmatch(str(cell.value)):
                parts = [one for named in found[1].split(",") for one in flat(shown[named])]
                total = sum(Decimal(repr(one.value)) for one in parts if isinstance(one.value, (int, float)))
                assert abs(total - Decimal(repr(shown[cell.coordinate].value))) < Decimal("0.005"), cell.coordinate
                seen += 1
    return seen


def flat(cells):
    return [one for row in cells for one in row] if isinstance(cells, tuple) else [cells]


def test_totals_of_series_and_combined_columns_are_sums_across_that_live(made):
    path, exact = made(SERIES, "by-quarter")
    sheet = openpyxl.load_workbook(path).active
    columns = [column["key"] for column in exact["columns"]]
    totals = [at for at, key in enumerate(columns) if "total" in key or "quarter" in key or key == "both"]
    assert len(totals) >= 2, columns
    seen = 0
    for at, line in enumerate(exact["lines"], 8):
        for place in totals if line["kind"] == "line" else ():
            if line["values"][place] not in (None, "0.00"):
                seen += 1
                assert SUM.fullmatch(str(sheet.cell(at, place + 2).value)), (line["label"], columns[place])
    assert seen > 20 and summed_again(path) > seen


def test_balances_are_no_sums_of_their_months(made):
    path, exact = made(SERIES.replace("total: So far}", "total: So far, measure: closing}"), "by-quarter")
    sheet = openpyxl.load_workbook(path).active
    place = [column["key"] for column in exact["columns"]].index("q-total")
    for at, line in enumerate(exact["lines"], 8):
        if line["kind"] == "line":
            assert not str(sheet.cell(at, place + 2).value).startswith("=")


def test_stepped_totals_stand_in_the_outer_column(made):
    path, exact = made(STEPPED, "steps")
    sheet = openpyxl.load_workbook(path).active
    by_label = {row[0].value: row for row in sheet.iter_rows(min_row=8)}
    values = {line["label"]: line["values"] for line in exact["lines"]}
    for label, outer in (("Fuel", False), ("Wages", False), ("All costs", True)):
        row = by_label[label]
        for place in (0, 1):
            inner_cell, outer_cell = row[1 + 2 * place], row[2 + 2 * place]
            full, empty = (outer_cell, inner_cell) if outer else (inner_cell, outer_cell)
            assert full.value is not None and empty.value is None, label
            if not outer:
                assert Decimal(repr(full.value)) == pytest.approx(Decimal(values[label][place]))
    total = str(by_label["All costs"][2].value)
    assert total == f"=ROUND(SUM({by_label['Fuel'][1].coordinate}:{by_label['Wages'][1].coordinate}),2)"


def test_two_halves_stand_side_by_side_and_end_on_one_row(made):
    path, exact = made("", "balance-sheet-sides")
    sheet = openpyxl.load_workbook(path).active
    across = len(exact["columns"]) + 2
    left = {row[0].value: row[0].row for row in sheet.iter_rows(min_row=8) if row[0].value}
    right = {row[across].value: row[across].row for row in sheet.iter_rows(min_row=8) if row[across].value}
    shown = [line["label"] for line in exact["lines"] if not line.get("hidden")]
    assert set(shown) <= set(left) | set(right) and right
    totals = [line["label"] for line in exact["lines"] if line["kind"] == "total" and not line.get("hidden")]
    last_left = [label for label in totals if label in left][-1]
    last_right = [label for label in totals if label in right][-1]
    assert left[last_left] == right[last_right]
    shown = openpyxl.load_workbook(path, data_only=True).active
    for line in exact["lines"]:
        spot = (left[line["label"]], 1) if line["label"] in left else (right[line["label"]], across + 1)
        if line["values"][0] is not None and line["kind"] != "check":
            assert Decimal(repr(shown.cell(spot[0], spot[1] + 1).value)) == pytest.approx(Decimal(line["values"][0]))
    assert summed_again(path) >= 4


def test_what_fails_is_told_on_the_sheet_it_is_about_and_the_cover_prints_on_one_page(made):
    path, _ = made("", "income-statement", node="TF")
    book = openpyxl.load_workbook(path)
    cover, sheet = book.worksheets
    assert sheet["A5"].value.startswith("Fails: Every account is placed") and "6815" in sheet["A5"].value
    assert sheet["A5"].font.color.rgb.endswith("A43A2C")
    assert cover.sheet_properties.pageSetUpPr.fitToPage  # one page by one, which files leave out
    assert {cover.page_setup.fitToWidth, cover.page_setup.fitToHeight} <= {None, "1", 1}
    path, _ = made("", "balance-sheet", node="TF")
    assert openpyxl.load_workbook(path).worksheets[1]["A5"].value is None


def test_debits_less_credits_are_neither_good_nor_bad(made):
    text = """
statement: sides
spine: income-statement
span: sides
---
span: sides
columns:
  - {column: debits, measure: debits}
  - {column: credits, measure: credits}
  - {column: net, difference: [debits, credits]}
  - {column: plan, scenario: budget}
  - {column: now}
  - {column: gap, difference: [now, plan]}
"""
    path, exact = made(text, "sides")
    sheet = openpyxl.load_workbook(path).active
    formats = {"net": set(), "gap": set()}
    for at, line in enumerate(exact["lines"], 8):
        for place, key in ((2, "net"), (5, "gap")):
            if line["kind"] == "line":
                formats[key].add(sheet.cell(at, place + 2).number_format[:2])
    assert not formats["net"] & {'"\u25b2', '"\u25bc'} and formats["gap"] & {'"\u25b2', '"\u25bc'}


@pytest.mark.parametrize(
    ("style", "value", "shown"),
    [
        (NumberStyle("amount", 2, "units", "minus", "dash", "never"), -1234.5, "-1,234.50"),
        (NumberStyle("amount", 1, "thousands", "minus", "dash", "never"), 1234567, "1,234.6"),
        (NumberStyle("amount", 0, "units", "brackets", "dash", "never"), -1234, "(1,234)"),
        (NumberStyle("amount", 0, "units", "brackets", "0", "never"), 1234, "1,234 "),
        (NumberStyle("amount", 0, "units", "minus", "dash", "never"), 0, "\u2013"),
        (NumberStyle("amount", 1, "units", "minus", "0", "never"), 0, "0.0"),
        (NumberStyle("amount", 1, "units", "minus", "blank", "never"), 0, ""),
        (NumberStyle("per unit", 1, "units", "minus", "dash", "never", "times"), 2.44, "2.4 times"),
        (NumberStyle("percent", 1, "units", "minus", "dash", "never"), -0.125, "-12.5%"),
    ],
)
def test_a_style_is_a_spreadsheets_own_format(style, value, shown):

    assert write(Decimal(str(value)), _number_format(style)) == shown


def test_currency_and_verdict_stand_before_a_figure():
    style = NumberStyle("amount", 0, "units", "minus", "dash", "never")
    assert _number_format(style, "bad", "EUR") == '"\u25bc ""EUR "#,##0;"\u25bc ""EUR "-#,##0;\u2013'
    assert _number_format(NumberStyle("amount", 0, "units", "red", "dash", "never", 'so "x"')) == (
        "#,##0\" so 'x'\";[Red]-#,##0\" so 'x'\";\u2013"
    )


def test_totals_take_one_shade_and_ruling_but_for_their_own(made, ternwick, command, tmp_path):
    text = """
statement: dressed
spine: dressed
span: now
figures: {totals shaded: light, totals ruled: double below}
---
span: now
columns: [{column: now}]
---
spine: dressed
covers: nothing
lines:
  - section: Costs
    lines:
      - section: Fuel
        lines: [{line: Diesel, accounts: "6110"}]
        total: All fuel
        look: {shade: strong, above: dotted}
      - section: Other
        lines: [{line: Rent, accounts: "6500"}]
        total: All other
        ruling: single
    total: All costs
"""
    path, _ = made(text, "dressed")
    rows = {row[0].value: row[1] for row in openpyxl.load_workbook(path).active.iter_rows(min_row=8)}

    def look(label):
        cell = rows[label]
        return cell.fill.start_color.rgb[-6:], cell.border.top.style, cell.border.bottom.style

    assert look("All costs") == ("F5F1E6", "thin", "double")
    assert look("All fuel") == ("E6E0D1", "dotted", "double")
    assert look("All other") == ("F5F1E6", "thin", None)
    assert look("Diesel") == ("000000", None, None)
