"""Two sides of a difference: everything stands in the matches once, and adds up to both sides."""

from __future__ import annotations

from fractions import Fraction

from hypothesis import given
from hypothesis import strategies as st

from rulka.core.proof.matching import SideRow, match

ROWS = st.lists(st.tuples(st.sampled_from("abc"), st.integers(-3, 3)), max_size=12)


def side(rows: list[tuple[str, int]]) -> list[SideRow]:
    return [SideRow(number, alike, Fraction(value)) for number, (alike, value) in enumerate(rows)]


@given(ROWS, ROWS)
def test_matched_and_unmatched_rows_are_both_sides(first, second):
    found = match(side(first), side(second))
    assert sorted(row.number for one in found.every for row in one.first) == list(range(len(first)))
    assert sorted(row.number for one in found.every for row in one.second) == list(range(len(second)))
    assert sum(one.of_first for one in found.every) == sum(value for _, value in first)
    assert sum(one.of_second for one in found.every) == sum(value for _, value in second)
    assert all(one.apart == 0 and len(one.first) == len(one.second) == 1 for one in found.same)
    assert all(one.first and one.second for one in found.other)
    alone = {one.alike for one in (*found.first_only, *found.second_only)}
    assert len(alone) == len(found.first_only) + len(found.second_only) and not alone & {o.alike for o in found.other}
    # what could be paired is: no amount stands on both sides of what is left alike
    for one in found.other:
        assert not {row.value for row in one.first} & {row.value for row in one.second}


def test_rows_alike_of_one_amount_are_paired_before_the_rest_is_gathered():
    found = match(side([("a", 5), ("a", 7), ("b", 1)]), side([("a", 7), ("a", 2), ("a", 2), ("c", 4)]))
    assert [(one.alike, one.of_first, one.of_second) for one in found.same] == [("a", 7, 7)]
    assert [(one.alike, one.of_first, one.of_second) for one in found.other] == [("a", 5, 4)]
    assert [(one.alike, one.apart) for one in found.first_only] == [("b", 1)]
    assert [(one.alike, one.apart) for one in found.second_only] == [("c", -4)]


def test_every_kind_stands_with_the_largest_first():
    """Whatever their sign; what is alike with other amounts by how far apart it is."""
    first = side(
        [("s1", 1), ("s2", -9), ("s3", 4), ("o1", 10), ("o2", 10), ("o3", 10), ("f1", 1), ("f2", -8), ("f3", 3)]
    )
    second = side(
        [("s1", 1), ("s2", -9), ("s3", 4), ("o1", 9), ("o2", 17), ("o3", 7), ("z1", 2), ("z2", -7), ("z3", 5)]
    )
    found = match(first, second)
    assert [one.alike for one in found.same] == ["s2", "s3", "s1"]
    assert [one.alike for one in found.other] == ["o2", "o3", "o1"]
    assert [one.alike for one in found.first_only] == ["f2", "f3", "f1"]
    assert [one.alike for one in found.second_only] == ["z2", "z3", "z1"]
