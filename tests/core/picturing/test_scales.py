"""Scales: lengths in proportion within a pixel, one scale for all, nothing beyond it, cuts only where they are said."""

from fractions import Fraction as F

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rulka.core.picturing.scales import Scale, cut, shared

FIGURES = st.integers(-(10**13), 10**13).map(lambda minor: F(minor, 100))
LENGTHS = st.integers(10, 1200)


@given(values=st.lists(FIGURES, min_size=1, max_size=40), length=LENGTHS)
def test_bars_on_a_shared_scale_are_in_proportion_within_a_pixel(values: list[F], length: int) -> None:
    scale = shared(values, length)
    span = max(0, *values) - min(0, *values)
    for value in values:
        begins, long = scale.bar(F(0), value)
        assert begins >= 0 and begins + long <= length + F(1, 10)
        assert abs(F(long) - (abs(value) * length / span if span else 0)) <= F(2, 10)


@given(levels=st.lists(FIGURES, min_size=1, max_size=20), length=LENGTHS)
def test_a_cut_scale_holds_all_levels_and_keeps_their_order_and_distances(levels: list[F], length: int) -> None:
    scale = cut(levels, length)
    assert scale.least <= min(levels) and max(levels) <= scale.most
    per_unit = F(length) / (scale.most - scale.least)
    low = min(levels)
    for level in levels:
        assert abs(F(scale.place(level)) - F(scale.place(low)) - (level - low) * per_unit) <= F(2, 10)
    if scale.cut is None:
        assert scale.least <= 0 <= scale.most
    else:
        assert 0 < abs(scale.cut) < min(abs(level) for level in levels)


@pytest.mark.parametrize(
    ("title", "levels", "base"),
    [
        ("close ones are cut at a round figure", [6423, 5716, 6118, 5901, 5363], F(4900)),
        ("far ones begin at zero", [6423, 1200], F(0)),
        ("equal ones begin at zero", [500, 500], F(0)),
        ("losses are cut as gains are", [-6423, -5363], F(-4900)),
        ("both signs begin at zero", [-3, 200], F(0)),
        ("a little above nothing begins at zero", [0, 1], F(0)),
    ],
)
def test_where_bars_begin(title: str, levels: list[int], base: F) -> None:
    assert cut([F(level) for level in levels], 100).base == base, title


def test_no_figures_or_nothing_but_zero_have_a_scale() -> None:
    assert shared([None, None], 50) == shared([F(0)], 50) == Scale(F(0), F(1), 50)
    assert cut([], 50).base == 0


def test_a_figure_beyond_the_scale_is_refused() -> None:
    with pytest.raises(ValueError, match="not between"):
        Scale(F(0), F(10), 100).place(F(11))
