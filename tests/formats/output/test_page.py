"""Figures as a person reads them."""

from fractions import Fraction

import pytest

from rulka.core.money import grouped
from rulka.formats.figures import figure_text, plain_text
from rulka.formats.output.page import show
from tests.core.compute.test_statement import SPAN, SPINE, run

M, S = "\u2212", "\u00a0"


@pytest.mark.parametrize(
    ("value", "digits", "scale", "text"),
    [
        (Fraction(1234567), 2, 0, f"1{S}234{S}567.00"),
        (Fraction(-1234567), 1, 3, f"{M}1{S}234.6"),
        (Fraction(-999_950), 1, 3, f"{M}1{S}000.0"),  # half away from zero
        (Fraction(49), 1, 3, "0.0"),
        (Fraction(50), 1, 3, "0.1"),
        (Fraction(0), 2, 0, "\u2013"),
        (None, 2, 0, "n/m"),
        (Fraction(-5, 1000), 2, 0, f"{M}0.01"),
        (Fraction(10**12), 0, 6, f"1{S}000{S}000"),
    ],
)
def test_figure_is_scaled_rounded_once_and_grouped(value, digits, scale, text):
    assert figure_text(value, digits=digits, scale=scale) == text


def test_amounts_without_decimals_have_no_point():
    assert grouped(-1234, 0) == f"{M}1{S}234"


def test_favourable_is_judged_by_account_type_and_not_by_sign():
    shown = show(run(SPINE, SPAN))
    verdicts = {row.label: [cell.verdict for cell in row.cells] for row in shown.rows}
    assert verdicts["Sales"] == ["", "", "good", "good", "", ""]  # 10 more income
    assert verdicts["Wages"] == ["", "", "good", "good", "", ""]  # 10 less cost, a negative difference
    assert verdicts["Rent"][2] == "bad"  # 15 more cost
    assert verdicts["Hours"] == ["", "", "", "", "", ""]
    texts = {row.label: [cell.text for cell in row.cells] for row in shown.rows}
    assert texts["Wages"] == ["\u2013", "10.00", f"{M}10.00", f"{M}100.0", "40.00", "\u2013"]
    assert texts["Margin"][0] == "0.79" and texts["Hours"][0] == "13"


def test_hidden_lines_and_columns_are_not_shown():
    span = {"span": "p", "columns": [{"column": "a", "window": "year to date"}, {"column": "b", "hide": "always"}]}
    spine = {
        "spine": "s",
        "lines": [{"line": "A", "accounts": "40"}, {"line": "B", "accounts": "41", "hide": "always"}],
    }
    shown = show(run(spine, span))
    assert [column.key for column in shown.columns] == ["a"]
    assert [row.label for row in shown.rows] == ["A"]


@pytest.mark.parametrize("text", ["=1", "+1", "-1", "@x", "\tx"])
def test_text_that_looks_like_a_formula_is_led_by_an_apostrophe(text):
    assert plain_text(text) == "'" + text
    assert plain_text("plain") == "plain"
