"""Amounts as text and the one rounding rule."""

from decimal import ROUND_HALF_UP, Decimal, localcontext
from fractions import Fraction

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rulka.core.money import exact_text, minor_text, parse_minor, ratio_text, round_half_away


@pytest.mark.parametrize(
    ("text", "digits", "minor"),
    [("12.5", 2, 1250), ("-0.01", 2, -1), ("7", 0, 7), ("0.125", 3, 125), ("007.10", 2, 710)],
)
def test_amount_text_becomes_minor_units(text, digits, minor):
    assert parse_minor(text, digits) == minor


@pytest.mark.parametrize("text", ["", "1,5", "1e3", "+1", ".5", "1.", " 1", "١", "1O0", "€1", "--1", "NaN", "0x1"])
def test_anything_else_is_no_number(text):
    with pytest.raises(ValueError, match="is not a number"):
        parse_minor(text, 2)


@pytest.mark.parametrize(("text", "digits"), [("1.234", 2), ("1.0", 0), ("1.0000", 3)])
def test_more_decimals_than_the_currency_has_are_refused(text, digits):
    with pytest.raises(ValueError, match="decimals where at most"):
        parse_minor(text, digits)


@given(st.integers(-(2**62), 2**62), st.integers(0, 4))
def test_minor_units_written_read_back(value, digits):
    assert parse_minor(minor_text(value, digits), digits) == value


@given(st.fractions(max_denominator=10**6), st.integers(0, 10))
def test_rounding_is_half_away_from_zero(value, digits):
    with localcontext(prec=400):
        exact = Decimal(value.numerator * 10**digits) / Decimal(value.denominator)
        if Fraction(exact) == value * 10**digits:  # only where Decimal holds the value exactly is it an oracle
            assert round_half_away(value, digits) == int(exact.quantize(Decimal(1), rounding=ROUND_HALF_UP))
    assert abs(Fraction(round_half_away(value, digits), 10**digits) - value) <= Fraction(1, 2 * 10**digits)


def test_texts_of_values():
    assert ratio_text(Fraction(-1, 3)) == "-0.3333333333"
    assert ratio_text(Fraction(1, 2 * 10**10)) == "0.0000000001"
    assert exact_text(Fraction(12345, 100), 2) == "123.45"
    assert exact_text(Fraction(1, 8), 2) == "0.125"
    assert exact_text(Fraction(5), 0) == "5"
