"""Rounding of translated amounts: once for each account, half away from zero, shared by largest remainder, earlier keys
first."""

from __future__ import annotations

from fractions import Fraction

import numpy as np
import pytest

from rulka.core.books.translation import convert

HALF, QUARTER, THIRD = Fraction(1, 2), Fraction(1, 4), Fraction(1, 3)
BIG = Fraction(1, (1 << 62) + 1)  # too large for the quick way: numbers of any length


@pytest.mark.parametrize(
    ("amounts", "rate", "wanted"),
    [
        ([1], HALF, [1]),  # 0.5 away from zero
        ([-1], HALF, [-1]),
        ([3], HALF, [2]),
        ([-3], HALF, [-2]),
        ([1, 1], QUARTER, [1, 0]),  # the sum of 0.5 is 1: the earlier of two equal remainders takes it
        ([-1, -1], QUARTER, [0, -1]),  # floors are -1 and -1, the sum is -1: the earlier one is raised
        ([1, 2], QUARTER, [0, 1]),  # 0.75 is 1: the larger remainder takes it
        ([2, 1], QUARTER, [1, 0]),
        ([1, -1], HALF, [1, -1]),  # the sum is nothing, and so are its parts together
        ([1, 1, 1], THIRD, [1, 0, 0]),
        ([2, 2, 2], THIRD, [1, 1, 0]),
        ([7, -7, 1], HALF, [4, -3, 0]),  # floors 3, -4 and 0: two of them are raised, the earlier ones
    ],
)
def test_ties_round_away_from_zero_and_go_to_the_earlier_key(amounts, rate, wanted):
    found = convert(np.array(amounts, dtype=np.int64), rate, np.zeros(len(amounts), dtype=np.int64), 1)
    assert found.tolist() == wanted


@pytest.mark.parametrize("rate", [HALF, Fraction(3, 2)])
def test_each_account_rounds_by_itself(rate):
    found = convert(np.array([1, 1, 1, -1], dtype=np.int64), rate, np.array([0, 1, 1, 2]), 3)
    whole = [Fraction(1) * rate, Fraction(2) * rate, Fraction(-1) * rate]
    sums = [int(found[0]), int(found[1] + found[2]), int(found[3])]
    assert sums == [int(abs(value) + HALF) * (1 if value > 0 else -1) for value in whole]


def test_numbers_beyond_64_bits_tie_alike():
    amounts = np.array([1, 1], dtype=np.int64) * ((1 << 62) // 2)
    found = convert(amounts, Fraction(2, (1 << 62) - 2), np.zeros(2, dtype=np.int64), 1)
    exact = Fraction(2 * int(amounts.sum()), (1 << 62) - 2)
    assert int(found.sum()) == int(exact + HALF) and found[0] >= found[1]
