"""A figure of a column that works on others, opened into these: parts, words, and whether they add up to it."""

from __future__ import annotations

from datetime import date
from decimal import Decimal
from fractions import Fraction

import pytest

from rulka.core.proof.trace import TracePart, trace_cell
from tests.books import Line
from tests.core.proof.small import small

SPINE = [
    {"section": "Income", "total": "All", "lines": [
        {"line": "Sales", "accounts": "40"}, {"line": "Other", "accounts": "41"}]},
    {"line": "Costs", "accounts": "50"},
]  # fmt: skip
COLUMNS = [
    {"column": "now", "heading": "Now"},
    {"column": "before", "heading": "Before", "shift": "-1 period"},
    {"column": "first", "heading": "First", "shift": "-2 periods"},
    {"column": "gap", "difference": ["now", "before"]},
    {"column": "both", "sum": ["now", "before"]},
    {"column": "checked", "check": ["before", "first"], "equals": "now", "tolerance": "900"},
    {"column": "change", "percent": ["now", "before"]},
    {"column": "based", "percent": ["now", "before"], "base": "first"},
    {"column": "part", "share": "now", "line": "Income"},
    {"column": "part-sales", "share": "now", "line": "Sales"},
    {"column": "half", "formula": "now / 2 - before"},
]
BOOKED = {"40": (10, 100, 160), "41": (0, 50, 40), "50": (-3, -20, -30)}


def cell(row, column):
    lines = []
    for account, amounts in BOOKED.items():
        for month, amount in enumerate(amounts, 1):
            if amount:
                lines.append(Line("A", account, Decimal(-amount), date(2026, month, 5)))
                lines.append(Line("A", "10", Decimal(amount), date(2026, month, 5)))
    return trace_cell(small(lines, SPINE, COLUMNS, "2026-P03"), row, column)


LABELS = {"now": "Now, March 2026", "before": "Before, February 2026", "first": "First, January 2026"}


def column(row, key, value, adds=1):
    return TracePart("column", LABELS[key], Fraction(value), row=row, column=key, adds=adds)


@pytest.mark.parametrize(
    ("key", "value", "parts", "how", "adds_up"),
    [
        ("gap", 60, [("now", 160, 1), ("before", 100, -1)], "Now less Before", True),
        ("both", 260, [("now", 160, 1), ("before", 100, 1)], "columns added up", True),
        ("checked", -50, [("before", 100, 1), ("first", 10, 1), ("now", 160, -1)], "columns added up, less Now", True),
        ("half", -20, [("now", 160, 1), ("before", 100, 1)], "now / 2 - before", False),
    ],
)
def test_a_column_that_adds_others_opens_into_them(key, value, parts, how, adds_up):
    trace = cell("sales", key)
    assert (trace.title, trace.value, trace.total, trace.how) == ("Sales", value, value, how)
    assert trace.parts == tuple(column("sales", of, amount, adds) for of, amount, adds in parts)
    assert (trace.adds_up, trace.agrees, trace.unit) == (adds_up, True, "money")


def test_a_cost_is_taken_as_it_shows():
    trace = cell("costs", "gap")
    assert trace.value == trace.total == trace.parts[0].value - trace.parts[1].value and trace.adds_up


def test_a_percent_says_what_it_is_per():
    for row, value, amounts in (("sales", Fraction(3, 5), (160, 100)), ("income.total", Fraction(1, 3), (200, 150))):
        trace = cell(row, "change")
        assert (trace.value, trace.total, trace.unit, trace.adds_up) == (value, value, "percent", False)
        assert trace.how == "Now less Before, per Before taken positive"
        assert [(part.column, part.value, part.adds) for part in trace.parts] == [
            ("now", amounts[0], 1), ("before", amounts[1], 1)
        ]  # fmt: skip


def test_a_percent_of_another_column_says_which():
    trace = cell("sales", "based")
    assert trace.value == trace.total == 6 and trace.how == "Now less Before, per First taken positive"


def test_a_share_opens_into_the_figure_and_the_line_it_is_a_part_of():
    trace = cell("other", "part")
    assert (trace.value, trace.total, trace.unit, trace.adds_up) == (Fraction(1, 5), Fraction(1, 5), "percent", False)
    assert trace.how == "Other as a part of Income"
    assert trace.parts == (
        column("other", "now", 40), TracePart("row", "Income", Fraction(200), row="income.total", column="now"),
    )  # fmt: skip
    of_line = cell("other", "part-sales")
    assert of_line.value == Fraction(1, 4) and of_line.how == "Other as a part of Sales"
    assert of_line.parts[1] == TracePart("row", "Sales", Fraction(160), row="sales", column="now")
