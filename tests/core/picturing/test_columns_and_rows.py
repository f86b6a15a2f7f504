"""Months and contributors drawn: lengths in proportion on one scale, nothing beyond the drawing, no words over
others, what has no row of its own summed up."""

from fractions import Fraction as F
from itertools import combinations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rulka.core.picturing.column_drawing import DrawnMonth, column_drawing, month_scale
from rulka.core.picturing.drawings import Drawing, MarkKind
from rulka.core.picturing.ranked_drawing import Contributor, by_weight, ranked_drawing, summed

WHOLE = st.integers(-(10**8), 10**8).map(F)
MAYBE = st.none() | WHOLE
NAMES = st.text(st.sampled_from("abcdefgh MWil-"), min_size=1, max_size=70)
CONTRIBUTORS = st.lists(st.tuples(NAMES, MAYBE, MAYBE, MAYBE), min_size=1, max_size=14).map(
    lambda rows: [Contributor(f"c{place}", *row) for place, row in enumerate(rows)]
)


def written(value: F) -> str:
    return f"{int(value):,}".replace(",", " ").replace("-", "\u2212")


@st.composite
def runs(draw: st.DrawFn) -> list[DrawnMonth]:
    """A year: actual so far, then forecast, either of them maybe none."""
    months, actual = draw(st.integers(1, 14)), draw(st.integers(0, 14))
    return [
        DrawnMonth(
            f"m{place}",
            draw(st.sampled_from(["A", "Nov", "September 2026"])),
            draw(WHOLE) if place < actual else None,
            draw(MAYBE),
            draw(MAYBE),
            draw(MAYBE) if place >= actual else None,
        )
        for place in range(months)
    ]


def _whole_and_apart(drawing: Drawing) -> None:
    for mark in drawing.marks:
        assert mark.x >= -0.05 and mark.x + mark.width <= drawing.width + 0.05, mark
        assert mark.y >= 0 and mark.y + mark.height <= drawing.height, mark
    for words in drawing.words:
        left, top, right, bottom = words.box
        assert left >= -0.05 and right <= drawing.width + 0.05 and top >= 0 and bottom <= drawing.height, words
    for one, other in combinations([words for words in drawing.words if words.text], 2):
        (left, top, right, bottom), (left_2, top_2, right_2, bottom_2) = one.box, other.box
        assert right <= left_2 or right_2 <= left or bottom <= top_2 or bottom_2 <= top, (one, other)


def _drawn(month: DrawnMonth) -> list[tuple[MarkKind, str, F]]:
    """The marks of a month; a plan or a year before that stands alone has a pale block of its own."""
    alone = month.actual is None and month.forecast is None
    return [("pale", word, value) for _, word, value in month.figures[:1] if alone] + month.figures


@given(several=st.lists(runs(), min_size=1, max_size=4))
def test_runs_of_months_share_one_scale_and_are_drawn_in_full(several: list[list[DrawnMonth]]) -> None:
    scale = month_scale(several, 160)
    per_unit = scale.length / (scale.most - scale.least)
    for run in several:
        drawing = column_drawing(run, (240, 160), written, scale)
        _whole_and_apart(drawing)
        figures = [figure for month in run for figure in _drawn(month)]
        assert [mark.kind for mark in drawing.marks] == [kind for kind, _, _ in figures]
        for mark, (kind, _, value) in zip(drawing.marks, figures, strict=True):
            if kind in ("actual", "forecast"):
                assert abs(F(mark.height) - abs(value) * per_unit) <= 1


def test_a_year_names_its_months_its_last_figure_and_its_forecast() -> None:
    year = [
        DrawnMonth("p1", "A", F(10), F(12), F(9)),
        DrawnMonth("p2", "M", F(40), F(30)),
        DrawnMonth("p3", "J", None, F(30), None, F(-20)),
    ]
    drawing = column_drawing(year, (300, 160), written, month_scale([year], 160))
    assert [words.text for words in drawing.words] == ["A", "M", "J", "40", "forecast"]
    assert [mark.said for mark in drawing.marks][:3] == ["A, actual: 10", "A, budget: 12", "A, year before: 9"]
    assert [rule.x for rule in drawing.rules if rule.soft] == [200]
    below = drawing.marks[-2]
    assert below.kind == "forecast" and below.y == drawing.rules[0].y, "a loss hangs from the line of zero"


def test_a_scale_for_another_height_is_refused() -> None:
    year = [DrawnMonth("p1", "A", F(10))]
    with pytest.raises(ValueError, match="not one for a plot"):
        column_drawing(year, (300, 160), written, month_scale([year], 200))


@given(rows=CONTRIBUTORS, wide=st.integers(320, 900))
def test_rows_share_one_scale_and_are_drawn_in_full(rows: list[Contributor], wide: int) -> None:
    drawing = ranked_drawing(rows, wide, written)
    _whole_and_apart(drawing)
    blocks = {mark.key: mark for mark in drawing.marks if mark.kind == "actual"}
    largest = max((abs(row.value) for row in rows if row.value), default=F(0))
    assert blocks.keys() == {row.key for row in rows if row.value is not None}
    if largest:
        longest = max(block.width for block in blocks.values())
        for row in rows:
            if row.value is not None:
                assert abs(F(blocks[row.key].width) - F(longest) * abs(row.value) / largest) <= 1


@given(rows=CONTRIBUTORS, most=st.integers(2, 8))
def test_what_has_no_row_of_its_own_is_smaller_and_summed_up(rows: list[Contributor], most: int) -> None:
    shown, others = by_weight(rows, most)
    assert sorted(row.key for row in [*shown, *others]) == sorted(row.key for row in rows)
    assert len(shown) + bool(others) <= most
    sizes = [abs(row.value or 0) for row in shown]
    assert sizes == sorted(sizes, reverse=True)
    assert all(abs(row.value or 0) <= sizes[-1] for row in others)
    if others:
        values = [row.value for row in others]
        assert summed(others).value == (None if None in values else sum(values))


def test_bars_without_room_are_refused() -> None:
    with pytest.raises(ValueError, match="no room beside names and figures in 120 pixels"):
        ranked_drawing([Contributor("a", "A company with a long name", F(10**9))], 120, written)
