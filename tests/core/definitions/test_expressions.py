"""Formulas of calculation lines."""

from fractions import Fraction

import pytest

from rulka.core.definitions.expressions import (
    FormulaError,
    direction_of,
    evaluate,
    names_in,
    parse_formula,
    renamed,
    unit_of,
)

VALUES = {
    "Fuel": Fraction(30),
    "Sailings": Fraction(4),
    "Fare income": Fraction(100),
    "Nothing": Fraction(0),
    'A "b"': Fraction(1),
}


@pytest.mark.parametrize(
    ("formula", "value"),
    [
        ('"Fare income" - Fuel', 70),
        ("Fuel / Sailings", Fraction(15, 2)),
        ("2 + 3 * 4 - 1", 13),
        ("(2 + 3) * -4", -20),
        ("10 - 4 - 3", 3),
        ("12 / 2 / 3", 2),
        ('"A ""b""" * 0.25', Fraction(1, 4)),
        ("Fuel / Nothing", None),
        ("Fuel + Fuel / Nothing", None),
        ("-Fuel", -30),
    ],
)
def test_formula_has_its_value(formula, value):
    assert evaluate(parse_formula(formula), VALUES.__getitem__) == value


@pytest.mark.parametrize(
    ("formula", "position", "expected"),
    [
        ("", 1, "a line's name or a number"),
        ("Fuel +", 7, "a line's name or a number"),
        ("(Fuel", 6, "a closing bracket"),
        ("Fuel Sailings", 6, "an operator"),
        ('"Fuel', 1, "a line's name or a number"),
        ("Fuel ; 1", 6, "an operator"),
        ("(" * 80 + "1", 51, "at most 50 levels"),
    ],
)
def test_unreadable_formula_points_at_the_character(formula, position, expected):
    with pytest.raises(FormulaError) as caught:
        parse_formula(formula)
    assert f"At character {position} of the formula: expected {expected}" in caught.value.message


def test_renaming_follows_references_and_quotes_where_needed():
    assert renamed("Fuel + fuel*2 - Sailings", "Fuel", "Fuel and oil") == '"Fuel and oil" + "Fuel and oil"*2 - Sailings'
    assert renamed('"Fuel and oil" / 2', "fuel and oil", "Oil") == "Oil / 2"


def test_units_and_directions_follow_from_parts():
    units = {"M": "money", "Q": "quantity"}.__getitem__
    for formula, unit in {
        "M - M": "money",
        "M / M": "ratio",
        "M / Q": "rate",
        "2 * M": "money",
        "M + Q": "rate",
        "Q + 1": "quantity",
    }.items():
        assert unit_of(parse_formula(formula), units) == unit, formula
    directions = {"Income": 1, "Costs": -1, "Other": 0}.__getitem__
    for formula, direction in {
        "Income - Costs": 1,
        "Income + Costs": 0,
        "-Costs": 1,
        "Income * 2": 0,
        "Income + Other": 0,
    }.items():
        assert direction_of(parse_formula(formula), directions) == direction, formula


def test_names_come_in_the_order_written():
    assert [name.text for name in names_in(parse_formula('B + A * ("C d" - B)'))] == ["B", "A", "C d", "B"]
