"""Figures as sums: which lines and columns stand in them, how often, and on which side."""

from __future__ import annotations

from datetime import date
from decimal import Decimal
from fractions import Fraction

import pytest

from rulka.core.proof.splits import open_figure
from rulka.core.proof.terms import lines_of, sides_of, terms_of
from rulka.core.proof.trace import trace_cell
from tests.books import Line
from tests.core.proof.small import small

SPINE = [
    {"section": "Income", "total": "All", "lines": [
        {"line": "Sales", "accounts": "40"}, {"line": "Other", "accounts": "41"}]},
    {"line": "Costs", "accounts": "50"},
    {"calculation": "Ranged", "formula": "SUM(Sales to Other)"},
    {"calculation": "Listed", "formula": "SUM(Sales, Costs * 2, 3 * Other / 6)"},
    {"calculation": "Mixed", "formula": "2 * (Sales - Costs) - Sales / 4 + Other"},
    {"calculation": "Shifted", "formula": "Sales + 1"},
    {"calculation": "Summed and shifted", "formula": "SUM(Sales, 1)"},
    {"calculation": "Cancelled", "formula": "(Sales + 6) / 3 - 2 + 2 * (1 - 1)"},
    {"calculation": "Offset", "formula": "2 * (Sales + 3) - 6"},
    {"calculation": "Squared and more", "formula": "Sales * (Costs + 2)"},
    {"calculation": "Numbers", "formula": "(2 + 4) * 3 / 9 * Sales"},
    {"calculation": "Divided by nothing", "formula": "Sales / (1 - 1)"},
    {"calculation": "Squared", "formula": "Sales * Costs"},
    {"calculation": "Divided", "formula": "Sales / Costs"},
    {"calculation": "Largest", "formula": "MAX(Sales, Costs)"},
    {"line": "Bank", "accounts": "10", "sign": "as booked"},
]  # fmt: skip
COLUMNS = [
    {"column": "now"},
    {"column": "before", "shift": "-1 period"},
    {"column": "early", "shift": "-40 periods"},
    {"column": "both", "sum": ["early", "now", "before"]},
    {"column": "checked", "check": ["now", "early", "before"], "equals": "now"},
    {"column": "gap", "difference": ["now", "before"]},
    {"column": "lost", "difference": ["now", "early"]},
    {"column": "worked", "formula": "now * 2 - before / 4"},
    {"column": "debits", "measure": "debits"},
    {"column": "credits", "measure": "credits"},
    {"column": "minus", "measure": "credits", "credits": "negative"},
    {"column": "net", "difference": ["debits", "credits"]},
    {"column": "net-too", "difference": ["debits", "minus"]},
]
BOOKED = {"40": (100, 160), "41": (50, 40), "50": (-20, -30)}


@pytest.fixture(scope="module")
def computed():
    lines = []
    for account, amounts in BOOKED.items():
        for month, amount in enumerate(amounts, 1):
            lines.append(Line("A", account, Decimal(-amount), date(2026, month, 5)))
            lines.append(Line("A", "10", Decimal(amount), date(2026, month, 5)))
    lines += [Line("A", "40", Decimal(7), date(2026, 2, 9)), Line("A", "10", Decimal(-7), date(2026, 2, 9))]
    return small(lines, SPINE, COLUMNS, "2026-P02")


def told(computed, row, column):
    """Terms as {(leaf, column): (factor, side)}."""
    terms = terms_of(computed, row, column)
    if terms is None:
        return None
    found = {(term.leaf.key, term.column.key): (term.factor, term.side) for term in terms}
    assert len(found) == len(terms)
    return found


def one_column(column="now", **factors):
    return {(key, column): (Fraction(factor), 0) for key, factor in factors.items()}


@pytest.mark.parametrize(
    ("row", "factors"),
    [
        ("sales", {"sales": 1}),
        ("income.total", {"sales": 1, "other": 1}),
        ("ranged", {"sales": 1, "other": 1}),
        ("listed", {"sales": 1, "costs": 2, "other": Fraction(1, 2)}),
        ("mixed", {"sales": Fraction(7, 4), "costs": -2, "other": 1}),
        ("cancelled", {"sales": Fraction(1, 3)}),
        ("numbers", {"sales": 2}),
        ("offset", {"sales": 2}),
    ],
)
def test_lines_count_by_what_the_formula_makes_of_them(computed, row, factors):
    assert told(computed, row, "now") == one_column(**factors)
    opened = open_figure(computed, row, "now")
    assert opened.total == opened.value == computed.row(row).values[0]


@pytest.mark.parametrize(
    "row", ["shifted", "summed-and-shifted", "squared", "divided", "largest", "divided-by-nothing", "squared-and-more"]
)
def test_what_adds_a_number_or_multiplies_lines_is_no_sum(computed, row):
    assert terms_of(computed, row, "now") is None and lines_of(computed, row, "now") is None


@pytest.mark.parametrize(
    ("column", "factors"),
    [
        ("both", {"now": (1, 0), "before": (1, 0)}),  # the one outside the calendar adds nothing
        ("gap", {"now": (1, 0), "before": (-1, 1)}),
        ("worked", {"now": (2, 0), "before": (Fraction(-1, 4), 0)}),
        # an expense shows as it is booked: debits less credits are what it moved by
        ("net", {"debits": (1, 0), "credits": (-1, 0)}),
        ("net-too", {"debits": (1, 0), "minus": (1, 0)}),
    ],
)
def test_columns_count_by_what_the_column_makes_of_them(computed, column, factors):
    wanted = {("costs", of): (Fraction(factor), side) for of, (factor, side) in factors.items()}
    assert told(computed, "costs", column) == wanted
    opened = open_figure(computed, "costs", column)
    assert opened.total == opened.value


def test_a_check_counts_its_columns_and_takes_the_last_off(computed):
    terms = terms_of(computed, "sales", "checked")
    assert terms is not None
    assert [(term.column.key, term.factor, term.side) for term in terms] == [
        ("now", 1, 0), ("before", 1, 0), ("now", -1, 0)
    ]  # fmt: skip
    assert open_figure(computed, "sales", "checked").total == 100
    trace = trace_cell(computed, "sales", "checked")
    assert (trace.adds_up, trace.agrees, [part.adds for part in trace.parts]) == (False, True, [1, 1, 1, -1])


def test_net_movement_of_a_line_that_shows_credits_positive_is_turned(computed):
    for column, second in (("net", 1), ("net-too", -1)):
        of = {"net": "credits", "net-too": "minus"}[column]
        assert told(computed, "sales", column) == {
            ("sales", "debits"): (Fraction(-1), 0), ("sales", of): (Fraction(second), 0)
        }  # fmt: skip
        opened = open_figure(computed, "sales", column)
        assert opened.total == opened.value == 153
        trace = trace_cell(computed, "sales", column)
        assert (trace.value, trace.total, trace.agrees, trace.adds_up) == (153, 153, True, False)
        assert trace_cell(computed, "costs", column).value == 30 and trace_cell(computed, "bank", column).value == 163
    assert sides_of(computed, "net") is None and sides_of(computed, "lost") is not None


def test_a_difference_to_nothing_is_no_sum(computed):
    assert computed.row("sales").values[computed.place("lost")] is None and terms_of(computed, "sales", "lost") is None


def test_lines_of_a_calculation_are_told_with_their_factors(computed):
    found = lines_of(computed, "mixed", "now")
    assert found is not None
    assert [(line.key, factor) for line, factor in found] == [("sales", Fraction(7, 4)), ("costs", -2), ("other", 1)]
