"""Bridges: they start and end at the totals they were given and add up, whatever the steps; what is summed up or not
accounted for is said."""

from fractions import Fraction as F

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rulka.core.picturing.bridges import Leg, Step, Total, bridge

CENTS = st.integers(-(10**12), 10**12).map(lambda minor: F(minor, 100))
SIDES = st.sampled_from([True, False, None])
STEPS = st.lists(st.tuples(CENTS, SIDES), max_size=12)


def _leg(steps: list[tuple[F, bool | None]], total: F, name: str) -> Leg:
    parts = [Step(f"{name}{place}", "A part", value, side) for place, (value, side) in enumerate(steps)]
    return Leg(tuple(parts), Total(name, "A total", total))


@given(start=CENTS, legs=st.lists(st.tuples(STEPS, CENTS), min_size=1, max_size=4), most=st.integers(1, 8))
def test_any_steps_start_and_end_at_the_totals_and_add_up(
    start: F, legs: list[tuple[list[tuple[F, bool | None]], F]], most: int
) -> None:
    made = bridge(
        Total("from", "From", start),
        [_leg(steps, total, f"leg{place}-") for place, (steps, total) in enumerate(legs)],
        most=most,
    )
    totals = [bar.ends for bar in made.bars if bar.kind == "total"]
    assert totals == [start, *(total for _, total in legs)]
    moved = sum((bar.value for bar in made.bars if bar.kind != "total"), F(0))
    assert start + moved == legs[-1][1]
    given_steps = sum((value for steps, _ in legs for value, _ in steps), F(0))
    assert made.rest == legs[-1][1] - start - given_steps
    for before, after in zip(made.bars, made.bars[1:], strict=False):
        assert (after.ends if after.kind == "total" else after.begins) == before.ends


@given(steps=STEPS, most=st.integers(1, 8))
def test_any_step_is_shown_once_or_summed_up_once(steps: list[tuple[F, bool | None]], most: int) -> None:
    leg = _leg(steps, F(0), "n")
    bars = bridge(Total("from", "From", F(0)), [leg], most=most).bars
    keys = [key for bar in bars if bar.kind in ("step", "together") for key in (bar.together or (bar.key,))]
    assert sorted(keys) == sorted(step.key for step in leg.steps if step.value)
    assert sum(bar.kind in ("step", "together") for bar in bars) <= most
    smallest = min((abs(bar.value) for bar in bars if bar.kind == "step"), default=None)
    summed = {key for bar in bars for key in bar.together}
    assert smallest is None or all(abs(step.value) <= smallest for step in leg.steps if step.key in summed)


def test_a_step_through_a_subtotal_and_a_rest_are_told() -> None:
    result = Leg(
        (Step("fares", "Fares", F(900), True), Step("fuel", "Fuel", F(-300), False)), Total("op", "Op", F(600))
    )
    net = Leg((Step("interest", "Interest", F(-50), False),), Total("net", "Net", F(540)))
    made = bridge(Total("none", "Nothing", F(0)), [result, net], most=5)
    assert [(bar.kind, bar.key, bar.begins, bar.ends) for bar in made.bars] == [
        ("total", "none", 0, 0),
        ("step", "fares", 0, 900),
        ("step", "fuel", 900, 600),
        ("total", "op", 0, 600),
        ("step", "interest", 600, 550),
        ("rest", "", 550, 540),
        ("total", "net", 0, 540),
    ]
    assert (made.most_favourable, made.least_favourable) == (1, 2)
    assert made.rest == -10


def test_steps_summed_up_take_a_side_only_where_all_share_it() -> None:
    one_side = [(F(50), True), (F(4), False), (F(3), False)]
    two_sides = [(F(50), True), (F(4), False), (F(3), True)]
    ends = [bridge(Total("a", "A", F(0)), [_leg(steps, F(0), "n")], most=2).bars[2] for steps in (one_side, two_sides)]
    assert [(bar.kind, bar.value, bar.favourable) for bar in ends] == [("together", 7, False), ("together", 7, None)]


def test_no_steps_at_all_is_refused() -> None:
    with pytest.raises(ValueError, match="one step at least"):
        bridge(Total("a", "A", F(0)), [], most=0)
