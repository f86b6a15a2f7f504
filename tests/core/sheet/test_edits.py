"""Edits of a workbook: references follow, series go on, and every step taken back gives what was."""

from __future__ import annotations

import random

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import rulka.core.sheet.functions  # noqa: F401
from rulka.core.books.calendar import monthly_calendar
from rulka.core.errors import RulkaError
from rulka.core.sheet import edits
from rulka.core.sheet.addresses import cell_text, read_box, read_cell
from rulka.core.sheet.calculating import Calculation
from rulka.core.sheet.remap import Remap
from rulka.core.sheet.steps import apply, inverses
from rulka.core.sheet.tokens import moved
from rulka.core.sheet.workbook import Cell, Sheet, Workbook
from tests.lengths import several

CALENDAR = monthly_calendar(first_month=4, year_label="end", first_year=2025, last_year=2028)


def book(cells: dict[str, str], **others: dict[str, str]) -> Workbook:
    sheets = [("One", cells), *others.items()]
    return Workbook(
        [
            Sheet(number, name, {read_cell(at): Cell(text) for at, text in own.items()})
            for number, (name, own) in enumerate(sheets, 1)
        ]
    )


def texts(workbook: Workbook, number: int = 1) -> dict[str, str]:
    return {cell_text(*at): cell.input for at, cell in sorted(workbook.sheet(number).cells.items()) if cell.input}


def do(workbook: Workbook, steps: list) -> Workbook:
    for step in steps:
        apply(workbook, step)
    return workbook


FILLS = {
    ("2027-P07", 4): ["2027-P08", "2027-P09", "2027-P10"],
    ("2027-P11", 4): ["2027-P12", "2028-P01", "2028-P02"],
    ("2026-11", 4): ["2026-12", "2027-01", "2027-02"],
    ("2027-Q3", 3): ["2027-Q4", "2028-Q1"],
    ("2026-10-30", 3): ["2026-10-31", "2026-11-01"],
    ("Line 9", 3): ["Line 10", "Line 11"],
    ("7", 3): ["7", "7"],
    ("4010", 3): ["4010", "4010"],
    ("0100", 3): ["0100", "0100"],
    ("text", 3): ["text", "text"],
    ("=A1+$B$1", 3): ["=A2+$B$1", "=A3+$B$1"],
}


@pytest.mark.parametrize("first,count", FILLS)
def test_filling_down_goes_on(first, count):
    workbook = book({"C1": first})
    do(workbook, edits.fill(workbook, workbook.sheets[0], read_box("C1"), read_box(f"C1:C{count}"), CALENDAR))
    assert [texts(workbook).get(f"C{row}") for row in range(2, count + 1)] == FILLS[first, count]


def test_filling_right_by_two_goes_on_by_their_step():
    workbook = book({"B2": "2027-P01", "C2": "2027-P04", "B3": "10", "C3": "15"})
    do(workbook, edits.fill(workbook, workbook.sheets[0], read_box("B2:C3"), read_box("B2:F3"), CALENDAR))
    assert [texts(workbook)[f"{column}2"] for column in "DEF"] == ["2027-P07", "2027-P10", "2028-P01"]
    assert [texts(workbook)[f"{column}3"] for column in "DEF"] == ["20", "25", "30"]


MOVED = {
    ("A1+$B$2", 1, 1): "B2+$B$2",
    ("SUM(A1:B2)", 2, 0): "SUM(A3:B4)",
    ("SUM(A$1:A3)", 2, 0): "SUM(A$1:A5)",
    ("A1", -1, 0): "#REF!",
    ("A:A+2:2", 1, 1): "B:B+3:3",
    ("'My sheet'!A1&\"A1\"", 1, 0): "'My sheet'!A2&\"A1\"",
    ("LOG10(A1)", 1, 0): "LOG10(A2)",
    ("B2#", 1, 0): "B3#",
}


@pytest.mark.parametrize("text,rows,columns", MOVED)
def test_copied_formulas_shift_what_is_not_fixed(text, rows, columns):
    assert moved(text, rows, columns) == MOVED[text, rows, columns]


REMAPS = {
    ("insert", "rows", 1, 2): {"A1": "1", "A4": "=A1+A5", "A5": "5", "B1": "=SUM(A1:A5)", "B7": "=A$4"},
    ("insert", "columns", 0, 1): {"B1": "1", "B2": "=B1+B3", "B3": "5", "C1": "=SUM(B1:B3)", "C5": "=B$2"},
    ("delete", "rows", 2, 1): {"A1": "1", "A2": "=A1+#REF!", "B1": "=SUM(A1:A2)", "B4": "=A$2"},
    ("delete", "rows", 0, 1): {"A1": "=#REF!+A2", "A2": "5", "B4": "=A$1"},
    ("move", "rows", 0, 1, 3): {"A1": "=A3+A2", "A2": "5", "A3": "1", "B3": "=SUM(A2:A3)", "B5": "=A$1"},
}


@pytest.mark.parametrize("asked", REMAPS)
def test_rows_and_columns_keep_references(asked):
    workbook = book({"A1": "1", "A2": "=A1+A3", "A3": "5", "B1": "=SUM(A1:A3)", "B5": "=A$2"}, Two={"A1": "=One!A3"})
    workbook.names = {"five": "=One!$A$3"}
    before = texts(workbook)
    steps = edits.remap(workbook, workbook.sheets[0], *asked)
    do(workbook, steps)
    assert texts(workbook) == REMAPS[asked]
    do(workbook, inverses(steps))
    assert texts(workbook) == before and workbook.names == {"five": "=One!$A$3"}
    assert texts(workbook, 2) == {"A1": "=One!A3"}


def test_other_sheets_names_settings_and_parameters_follow_rows():
    workbook = book({"A5": "x"}, Two={"A1": "=One!A5+SUM(One!A1:A9)"})
    workbook.names = {"five": "=One!$A$5"}
    workbook.sheets[0].settings = {"hidden rows": [6], "heights": {"4": 30}, "spans": [{"box": [4, 0, 4, 3]}]}
    workbook.parameters = [{"name": "p", "kind": "free", "sheet": 1, "cell": [4, 0]}]
    do(workbook, edits.remap(workbook, workbook.sheets[0], "insert", "rows", 2, 3))
    assert texts(workbook, 2) == {"A1": "=One!A8+SUM(One!A1:A12)"}
    assert workbook.names == {"five": "=One!$A$8"} and workbook.parameters[0]["cell"] == [7, 0]
    assert workbook.sheets[0].settings == {"hidden rows": [9], "heights": {"7": 30}, "spans": [{"box": [7, 0, 7, 3]}]}


def test_nothing_is_pushed_over_the_end():
    workbook = book({"A10000": "last"})
    with pytest.raises(RulkaError, match="not empty"):
        edits.remap(workbook, workbook.sheets[0], "insert", "rows", 0, 1)


def test_what_is_cut_takes_its_readers_along():
    workbook = book({"A1": "1", "A2": "=A1*2", "C1": "=SUM(A1:A2)", "C2": "=A1"}, Two={"B1": "=One!A2"})
    do(workbook, edits.cut(workbook, workbook.sheets[0], read_box("A1:A2"), workbook.sheets[0], 4, 3))
    assert texts(workbook) == {"D5": "1", "D6": "=D5*2", "C1": "=SUM(D5:D6)", "C2": "=D5"}
    assert texts(workbook, 2) == {"B1": "=One!D6"}


def test_pasted_cells_of_a_spreadsheet_are_data():
    workbook = book({})
    text = 'a\t"two\nlines"\t"say ""x"""\r\n=1+1\t1 234.50\t2026-10\n'
    do(workbook, edits.paste_text(workbook, workbook.sheets[0], 0, 0, text))
    cells = texts(workbook)
    assert (cells["B1"], cells["C1"], cells["A2"], cells["C2"]) == ("two\nlines", 'say "x"', "'=1+1", "2026-10")
    values = Calculation(workbook.inputs()).values
    assert values[1, 1, 0] == "=1+1" and values[1, 1, 2] == "2026-10"


def test_renaming_a_sheet_and_naming_cells():
    workbook = book({"A1": "=Two!B2+'Two'!B3+\"Two!B2\""}, Two={"B2": "1"})
    do(workbook, edits.rename_sheet(workbook, workbook.sheets[1], "My data"))
    assert texts(workbook)["A1"] == "='My data'!B2+'My data'!B3+\"Two!B2\""
    do(workbook, edits.name_cells(workbook, workbook.sheets[1], read_box("B2:B9"), "parts"))
    assert workbook.names == {"parts": "='My data'!$B$2:$B$9"}
    for wrong in ("B2", "1st", "a b", "TRUE", ""):
        with pytest.raises(RulkaError, match="can't be a name"):
            edits.name_cells(workbook, workbook.sheets[0], read_box("A1"), wrong)


def test_sorting_and_summing_and_replacing():
    workbook = book({"A1": "b", "B1": "3", "A2": "a", "B2": "1", "A3": "c", "B3": "2", "C1": "=B1*2", "C2": "=B2*2"})
    sheet = workbook.sheets[0]
    values = {place: Calculation(workbook.inputs()).shown_at((1, *place)) for place in sheet.cells}
    do(workbook, edits.sort_rows(workbook, sheet, read_box("A1:C3"), 1, values, falling=False))
    assert [texts(workbook)[f"A{row}"] for row in (1, 2, 3)] == ["a", "c", "b"]
    assert (texts(workbook)["C1"], texts(workbook)["C3"]) == ("=B1*2", "=B3*2")
    filled = {place: Calculation(workbook.inputs()).shown_at((1, *place)) for place in sheet.cells}
    do(workbook, edits.sum_above(workbook, sheet, 3, 1, filled))
    assert texts(workbook)["B4"] == "=SUM(B1:B3)"
    do(workbook, edits.replace_all(workbook, sheet, read_box("A1:C9"), "b", "X"))
    assert texts(workbook)["A3"] == "X" and texts(workbook)["C1"] == "=X1*2"


@settings(max_examples=several(60))
@given(st.integers(0, 10**6))
def test_any_steps_taken_back_give_what_was(seed):
    chance = random.Random(seed)
    spots = [cell_text(row, column) for row in range(8) for column in range(5)]
    workbook = book(
        {
            at: chance.choice(["1", "x", f"={chance.choice(spots)}+1", f"=SUM({chance.choice(spots)}:$B$3)"])
            for at in spots
        },
        Two={"A1": "=One!B2+SUM(One!A1:C4)"},
    )
    workbook.names, history, states = {"n": "=One!$C$3"}, [], []
    for _ in range(10):
        sheet = workbook.sheets[0]
        states.append((texts(workbook), texts(workbook, 2), dict(workbook.names)))
        kind = chance.choice(["type", "remap", "cut", "copy", "clear", "fill"])
        row, column = chance.randrange(8), chance.randrange(5)
        box = read_box(f"{cell_text(row, column)}:{cell_text(row + chance.randrange(2), column + chance.randrange(2))}")
        if kind == "type":
            steps = edits.type_cells(workbook, sheet, {(row, column): chance.choice(["", "=A1", "9"])})
        elif kind == "remap":
            axis, at, count = chance.choice(["rows", "columns"]), chance.randrange(5), chance.randrange(1, 3)
            verb = chance.choice(["insert", "delete", "move"])
            to = chance.choice([at - 1 if at else 0, at + count + 1])
            steps = edits.remap(workbook, sheet, verb, axis, at, count, to)
        elif kind == "cut":
            steps = edits.cut(workbook, sheet, box, sheet, chance.randrange(8), chance.randrange(5))
        elif kind == "copy":
            steps = edits.copy(workbook, sheet, box, sheet, read_box(chance.choice(spots)))
        elif kind == "clear":
            steps = edits.clear(workbook, sheet, box, looks=True)
        else:
            target = read_box(f"{cell_text(box.top, box.left)}:{cell_text(box.bottom + 3, box.right)}")
            steps = edits.fill(workbook, sheet, box, target, CALENDAR)
        do(workbook, steps)
        history.append(steps)
    for steps, state in zip(reversed(history), reversed(states), strict=True):
        do(workbook, inverses(steps))
        assert (texts(workbook), texts(workbook, 2), workbook.names) == state


@given(st.sampled_from(["insert", "delete", "move"]), st.integers(0, 20), st.integers(1, 5), st.integers(0, 25))
def test_a_remap_and_its_inverse_bring_every_row_home(kind, at, count, to):
    remap = Remap(kind, "rows", at, count, to if to <= at or to >= at + count else at)
    back = remap.inverse()
    for row in range(40):
        place = remap.place(row)
        if place is None:
            assert kind == "delete" and at <= row < at + count
        else:
            assert back.place(place) == row
