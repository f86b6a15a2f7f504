"""Cells drawn: what names rows and columns is found, figures keep their places, drawings side by side stay apart."""

from __future__ import annotations

from fractions import Fraction as F
from itertools import combinations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rulka.core.errors import RulkaError
from rulka.core.picturing.column_drawing import DrawnMonth, column_drawing, month_scale
from rulka.core.picturing.range_drawing import grid_of, range_drawing
from rulka.core.picturing.together import together


def written(value: F) -> str:
    return f"{int(value)}"


def test_names_of_rows_and_columns_are_told_from_figures() -> None:
    grid = grid_of([["", "Plan", "Fact"], ["Jan", F(1), None], ["", None, None], ["Feb", F(2), F(-3)]])
    assert (grid.heads, grid.names) == (("Plan", "Fact"), ("Jan", "Feb"))
    assert grid.figures == ((F(1), None), (F(2), F(-3)))
    assert grid_of([[F(1), F(2)], [F(3), F(4)]]).heads == ("", "")
    assert grid_of([["Fuel", F(7)], ["Port", F(8)]]).names == ("Fuel", "Port")
    assert grid_of([[F(1)], [F(2)]]).names == ("1", "2")
    assert grid_of([["Amount"], [F(2)]]).heads == ("Amount",)


@pytest.mark.parametrize(
    ("cells", "told"),
    [
        ([["a", "b"]], "no figures"),
        ([[None]], "no figures"),
        ([[F(1)] for _ in range(61)], "60 rows"),
        ([[F(1)] * 13], "12 columns"),
    ],
)
def test_what_is_no_drawing_is_refused(cells: list, told: str) -> None:
    with pytest.raises(RulkaError, match=told):
        grid_of(cells)


FIGURES = st.lists(
    st.lists(st.one_of(st.none(), st.integers(-(10**6), 10**6).map(F)), min_size=1, max_size=4), min_size=1, max_size=8
)


@given(figures=FIGURES)
def test_any_cells_are_drawn_each_once_and_in_full(figures: list[list[F | None]]) -> None:
    wide = max(len(row) for row in figures)
    cells = [[*row, *[None] * (wide - len(row))] for row in figures]
    if not any(one is not None for row in cells for one in row):
        return
    drawing = range_drawing(grid_of(cells), 480, written)
    drawn = [mark for mark in drawing.marks if mark.kind == "actual"]
    assert len(drawn) == sum(one is not None for row in cells for one in row)
    for mark in drawing.marks:
        assert mark.x >= -0.05 and mark.x + mark.width <= drawing.width + 0.05
        assert mark.y >= -0.05 and mark.y + mark.height <= drawing.height + 0.05


def test_drawings_side_by_side_stay_apart_and_go_on_below() -> None:
    months = [DrawnMonth("a", "Jan", F(3)), DrawnMonth("b", "Feb", F(5))]
    one = column_drawing(months, (140, 120), written, month_scale([months], 120))
    drawing = together(
        [("First", one), ("Second, with a name that has no room", one), ("Third", one)], 320, ("a note",)
    )
    assert drawing.width == 320 and drawing.height == 2 * (15 + 120) + 10 + 15 + 3
    heads = [words.text for words in drawing.words if words.weight == 600 and not words.text.isdigit()]
    assert heads[0] == "First" and heads[1].endswith("\u2026") and heads[2] == "Third"
    for first, second in combinations([words.box for words in drawing.words if words.text], 2):
        apart = first[2] <= second[0] or second[2] <= first[0] or first[3] <= second[1] or second[3] <= first[1]
        assert apart, (first, second)
