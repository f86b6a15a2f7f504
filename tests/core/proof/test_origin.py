"""A file held against what it was when it left: every place that was changed is named, and nothing else."""

from __future__ import annotations

import pytest

from rulka.core.proof.origin import (
    Altered,
    ReadCell,
    ReadPart,
    altered,
    codes_in,
    figures_altered,
    packed,
    plain_number,
    unpacked,
)


def sheet(name="Sheet", hidden=(), **cells):
    made = {at: cell if isinstance(cell, ReadCell) else ReadCell(cell) for at, cell in cells.items()}
    return ReadPart(name, made, frozenset(hidden))


LEFT = sheet(A1="Line", B1="Actual", A2="Fuel", B2="10", A10="Sum", B10=ReadCell("30", "B2+B3", "0.00"))


def test_nothing_changed_is_nothing_told():
    assert altered([LEFT], [LEFT]) == []
    assert altered([], []) == []


@pytest.mark.parametrize(
    ("at", "now", "told"),
    [
        ("B2", "11", ("figure", "10", "11", False, "Fuel")),
        ("B2", "", ("figure", "10", "", False, "Fuel")),
        ("B2", "ten", ("figure", "10", "ten", False, "Fuel")),
        ("A2", "Oil", ("text", "Fuel", "Oil", False, "")),
        ("C2", "7", ("figure", "", "7", False, "Fuel")),
        ("B10", ReadCell("31", "B2+B3", "0.00"), ("figure", "30", "31", True, "Sum")),
        ("B10", ReadCell("31", "B2+B4", "0.00"), ("figure", "30", "31", False, "Sum")),
        ("B10", ReadCell("31", "", "0.00"), ("figure", "30", "31", False, "Sum")),
        ("B10", ReadCell("30", "B2+B4", "0.00"), ("formula", "B2+B3", "B2+B4", False, "Sum")),
        ("B10", ReadCell("30", "B2+B3", "0.0"), ("look", "0.00", "0.0", False, "Sum")),
    ],
)
def test_a_changed_cell_is_told_with_what_it_was(at, now, told):
    cell = now if isinstance(now, ReadCell) else ReadCell(now)
    what, was, is_now, follows, label = told
    found = altered([LEFT], [ReadPart("Sheet", {**LEFT.cells, at: cell})])
    assert found == [Altered("Sheet", at, what, was, is_now, follows, label)]


def test_what_a_program_leaves_out_by_itself_is_no_change():
    """A formula without its value, one that is kept as a value only, a look where there is no text."""
    for cell in (ReadCell("", "B2+B3", "0.00"), ReadCell("30", "", "0.00")):
        assert altered([LEFT], [ReadPart("Sheet", {**LEFT.cells, "B10": cell})]) == []
    empty = ReadPart("Sheet", {"A1": ReadCell("", "", "0.00")})
    assert altered([empty], [ReadPart("Sheet", {"A1": ReadCell("", "", "0.0")})]) == []
    other = ReadCell("", "B2+B4", "0.00")
    assert [one.what for one in altered([LEFT], [ReadPart("Sheet", {**LEFT.cells, "B10": other})])] == ["figure"]


def test_places_come_row_by_row_and_what_followed_comes_last():
    changed = {**LEFT.cells, "A1": ReadCell("Zeile"), "B10": ReadCell("31", "B2+B3", "0.00"), "B2": ReadCell("11"),
               "AA2": ReadCell("x"), "A10": ReadCell("Total")}  # fmt: skip
    assert [one.at for one in altered([LEFT], [ReadPart("Sheet", changed)])] == ["A1", "B2", "AA2", "A10", "B10"]
    words = {"row 10 cell 2": "1", "row 2 cell 2": "1", "row 2 cell 1": "Fuel"}
    page, now = sheet(**words), sheet(**{**words, "row 10 cell 2": "2", "row 2 cell 2": "2"})
    assert [(one.at, one.label) for one in altered([page], [now])] == [("row 2 cell 2", "Fuel"), ("row 10 cell 2", "")]


def test_parts_that_are_gone_or_were_added():
    found = altered([LEFT, sheet("Notes")], [sheet("Notes"), sheet("Mine", A1="x")])
    assert found == [
        Altered("Sheet", "", "part", "was there", "is gone"),
        Altered("Mine", "", "part", "", "was added"),
    ]


def test_rows_and_columns_that_were_hidden_or_show_again():
    left = sheet(hidden=["row 10", "column C"], A1="x", A10="Sum")
    found = altered([left], [sheet(hidden=["row 2", "column C"], A1="x", A10="Sum")])
    assert found == [
        Altered("Sheet", "row 2", "hidden", "shown", "is hidden"),
        Altered("Sheet", "row 10", "hidden", "hidden", "shows", label="Sum"),
    ]


def test_figures_by_name():
    found = figures_altered({"a": "1", "b": "2", "c": "3"}, {"a": "1", "b": "4", "d": "5"})
    assert found == [
        Altered("b", "", "figure", "2", "4"),
        Altered("c", "", "figure", "3", ""),
        Altered("d", "", "figure", "", "5"),
    ]


@pytest.mark.parametrize(
    ("text", "plain"),
    [
        ("10", "10"), ("10.0", "10"), ("1.50", "1.5"), ("-0", "0"), ("0.00", "0"), ("+7", "7"), (" 7 ", "7"),
        ("1e3", "1000"), ("1E-2", "0.01"), ("0.1000000000000000055", "0.1"), ("12345678901234567", "12345678901234600"),
        ("1,5", "1,5"), ("x", "x"), (" x ", " x "), ("", ""), ("1.", "1."), ("1" * 41, "1" * 41),
        ("1" * 40, "1111111111111110000000000000000000000000"), ("²", "²"),
    ],
)  # fmt: skip
def test_a_number_is_written_plainly_however_it_was_saved(text, plain):
    assert plain_number(text) == plain


def test_parts_are_kept_as_plain_data_and_read_back():
    parts = (LEFT, sheet("Notes", hidden=["row 2", "column C"], A1="x"))
    kept = packed(parts)
    assert kept[1] == ["Notes", {"A1": ["x", "", ""]}, ["column C", "row 2"]]
    assert unpacked(kept) == parts


def test_codes_of_origin_are_found_each_once_whatever_their_letters():
    texts = [
        "of r-abcde-23456, and R-ZZZZZ-99999",
        "R-ABCDE-23456 again",
        "R-ABCDE-2345",
        "XR-ABCDE-23456",
        "R-ABCDO-23456",
    ]
    assert codes_in(texts) == ["R-ABCDE-23456", "R-ZZZZZ-99999"]


def test_behind_a_formula_that_lost_its_value_changes_are_told():
    unsaved = {**LEFT.cells, "B10": ReadCell("", "B2+B3", "0.00"), "C10": ReadCell("new"), "A12": ReadCell("more")}
    assert [one.at for one in altered([LEFT], [ReadPart("Sheet", unsaved)])] == ["C10", "A12"]
