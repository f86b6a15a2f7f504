"""Bridges drawn: bars as long as their figures within a pixel, where the one before ended; nothing beyond the drawing,
no words over others."""

from fractions import Fraction as F
from itertools import combinations, pairwise

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rulka.core.picturing.bridge_drawing import bridge_drawing, bridge_scale, fitting
from rulka.core.picturing.bridges import Leg, Step, Total, bridge
from rulka.core.picturing.drawings import Drawing
from rulka.core.picturing.scales import Scale

WHOLE = st.integers(-(10**9), 10**9).map(F)
NAMES = st.text(st.sampled_from("abcdefgh MWil-"), min_size=1, max_size=60)
SIZE = (720, 220)


def written(value: F) -> str:
    return f"{int(value):,}".replace(",", " ").replace("-", "\u2212")


@st.composite
def bridges(draw: st.DrawFn) -> tuple[Total, list[Leg]]:
    def total(key: str) -> Total:
        scenario = draw(st.sampled_from(["actual", "budget", "prior", "forecast"]))
        return Total(key, draw(NAMES), draw(WHOLE), scenario)

    def step(key: str) -> Step:
        return Step(key, draw(NAMES), draw(WHOLE), draw(st.sampled_from([True, False, None])))

    legs = [
        Leg(tuple(step(f"{leg}.{one}") for one in range(draw(st.integers(0, 9)))), total(f"total{leg}"))
        for leg in range(draw(st.integers(1, 2)))
    ]
    return total("from"), legs


def _inside(drawing: Drawing) -> None:
    for mark in drawing.marks:
        assert mark.x >= 0 and mark.x + mark.width <= drawing.width, mark
        assert mark.y >= 0 and mark.y + mark.height <= drawing.height, mark
    for words in drawing.words:
        left, top, right, bottom = words.box
        assert left >= 0 and right <= drawing.width and top >= 0 and bottom <= drawing.height, words


def _apart(drawing: Drawing) -> None:
    for one, other in combinations([words for words in drawing.words if words.text], 2):
        (left, top, right, bottom), (left_2, top_2, right_2, bottom_2) = one.box, other.box
        assert right <= left_2 or right_2 <= left or bottom <= top_2 or bottom_2 <= top, (one, other)


@given(asked=bridges())
def test_any_bridge_that_fits_is_drawn_in_full(asked: tuple[Total, list[Leg]]) -> None:
    made = fitting(*asked, SIZE[0], written)
    assert made is not None
    drawing = bridge_drawing(made, SIZE, written)
    _inside(drawing)
    _apart(drawing)
    for rule in drawing.rules:
        for left, top, right, bottom in (words.box for words in drawing.words):
            crossed = rule.x < right and rule.to_x > left and top < rule.y < bottom
            assert not crossed, "no rule runs through words"
    figures = [words.text for words in drawing.words if words.tone != "soft"]
    assert figures == [written(bar.value) for bar in made.bars]


@given(asked=bridges())
def test_bars_are_as_long_as_their_figures_on_a_scale_that_is_shared(asked: tuple[Total, list[Leg]]) -> None:
    made = fitting(*asked, SIZE[0], written)
    assert made is not None
    scale = bridge_scale([made], SIZE[1])
    blocks = [mark for mark in bridge_drawing(made, SIZE, written, scale).marks if mark.kind not in ("budget", "prior")]
    per_unit = scale.length / (scale.most - scale.least)
    assert len(blocks) == len(made.bars)
    for bar, block in zip(made.bars, blocks, strict=True):
        assert abs(F(block.height) - abs(bar.value) * per_unit) <= 1


def test_marks_say_what_they_are_and_bars_join() -> None:
    legs = [
        Leg(
            (Step("fares", "Fares", F(-707), False), Step("shop", "Shop", F(402), True)),
            Total("actual", "Actual", F(6100)),
        )
    ]
    made = bridge(Total("budget", "Budget", F(6423), "budget"), legs, most=5)
    drawing = bridge_drawing(made, (400, 200), written)
    assert [(mark.kind, mark.key, mark.said) for mark in drawing.marks] == [
        ("pale", "budget", "Budget: 6 423"),
        ("budget", "budget", "Budget: 6 423"),
        ("unfavourable", "fares", "Fares: \u2212707"),
        ("favourable", "shop", "Shop: 402"),
        ("neutral", "", "Not in the steps: \u221218"),
        ("actual", "actual", "Actual: 6 100"),
    ]
    assert drawing.notes == ("bars are cut at 5 400",)
    blocks = [mark for mark in drawing.marks if mark.kind != "budget"]
    assert [mark.torn for mark in blocks] == ["bottom", "", "", "", "bottom"]
    joins = [rule for rule in drawing.rules if rule.soft]
    for join, (left, right) in zip(joins, pairwise(blocks), strict=True):
        assert join.x == pytest.approx(left.x + left.width) and join.to_x == right.x and join.y == join.to_y


def test_a_bridge_without_room_is_refused_and_fitting_sums_up_more_of_it() -> None:
    steps = tuple(Step(f"s{one}", f"Step {one}", F(one + 1), True) for one in range(20))
    legs = [Leg(steps, Total("end", "End", F(210)))]
    start = Total("start", "Start", F(0))
    with pytest.raises(ValueError, match="22 bars have no room in 600 pixels"):
        bridge_drawing(bridge(start, legs, most=20), (600, 200), written)
    made = fitting(start, legs, 600, written)
    assert made is not None and [bar.kind for bar in made.bars].count("together") == 1 and len(made.bars) == 10
    assert fitting(start, legs, 100, written) is None


def test_a_scale_for_another_height_is_refused() -> None:
    made = bridge(Total("a", "A", F(1)), [Leg((), Total("b", "B", F(1)))], most=1)
    with pytest.raises(ValueError, match="not one for a drawing of 220"):
        bridge_drawing(made, SIZE, written, Scale(F(0), F(1), 10))
