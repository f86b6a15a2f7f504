"""A total told apart by the lines of its statement, which direction is shown first, and what two sides are called."""

from __future__ import annotations

from datetime import date
from decimal import Decimal
from fractions import Fraction

from rulka.core.proof.splits import SplitPart, next_direction, open_figure, sides, statement_split
from tests.books import Line
from tests.core.proof.small import small

SPINE = [
    {"section": "Income", "total": "All income", "lines": [
        {"section": "Fares", "total": "All fares", "lines": [{"line": "Sales", "accounts": "40"}]},
        {"line": "Other", "accounts": "41, 42", "expand": ["accounts"]},
        {"line": "Left out", "accounts": "4", "hide": "always"},
    ]},
    {"line": "Costs", "accounts": "5*", "sign": "as booked"},
    {"calculation": "Result", "formula": "Income - Costs"},
    {"calculation": "Margin", "formula": "Result / Income"},
]  # fmt: skip
COLUMNS = [
    {"column": "now"},
    {"column": "before", "shift": "-1 period"},
    {"column": "gap", "difference": ["now", "before"]},
    {"column": "share", "percent": ["now", "before"]},
]


def computed(columns=COLUMNS):
    lines = []
    for account, department, january, february in (
        ("40", "d", 100, 130), ("41", "d", 10, 7), ("42", "e", 0, 5), ("4", "d", 1, 2), ("50", "d", -60, -80),
    ):  # fmt: skip
        for month, amount in ((1, january), (2, february)):
            lines.append(Line("A", account, Decimal(-amount), date(2026, month, 5), {"department": department}))
            lines.append(Line("A", "10", Decimal(amount), date(2026, month, 5)))
    return small(lines, SPINE, columns, "2026-P02")


def part(code, label, first, second=0, *, total=False):
    now, then = Fraction(first), Fraction(second)
    return SplitPart(code, label, now + then, (now, then), "", total)


def test_a_total_is_told_apart_by_its_lines():
    """A section by its total, a line that expands by its rows, what is hidden too."""
    told = statement_split(open_figure(computed(), "income.total", "now"))
    assert told is not None and (told.by, told.total, told.agrees) == ("part", 144, True)
    assert told.parts == (
        part("fares.total", "All fares", 130, total=True), part("other:41", "41 41", 7), part("other:42", "42 42", 5),
        part("left-out", "Left out", 2),
    )  # fmt: skip


def test_of_a_difference_each_part_has_both_sides():
    told = statement_split(open_figure(computed(), "result", "gap"))
    assert told is not None and told.agrees
    assert told.parts == (
        part("income.total", "All income", 144, -111, total=True), part("costs", "Costs", -80, 60),
    )  # fmt: skip


def test_shares_of_lines_add_up_and_percents_of_change_dont():
    columns = [*COLUMNS, {"column": "part", "share": "now", "line": "Income"},
               {"column": "twice", "formula": "now * 2"}, {"column": "ratio", "formula": "now / before"}]  # fmt: skip
    whole = computed(columns)
    for column in ("part", "twice", "gap"):
        told = statement_split(open_figure(whole, "income.total", column))
        assert told is not None and told.agrees, column
    for column in ("share", "ratio"):
        assert statement_split(open_figure(whole, "income.total", column)) is None, column


def test_what_adds_up_no_lines_has_no_such_split():
    whole = computed()
    for row, column in (("sales", "now"), ("margin", "now"), ("result", "share"), ("costs", "now")):
        assert statement_split(open_figure(whole, row, column)) is None, (row, column)
    narrowed = open_figure(whole, "income.total", "now", [("department", "d")])
    assert statement_split(narrowed) is None


def test_the_first_direction_that_tells_anything_apart_is_shown():
    whole = computed()
    assert next_direction(open_figure(whole, "income.total", "now")) == "account"
    assert next_direction(open_figure(whole, "sales", "now")) == "line"
    assert next_direction(open_figure(whole, "sales", "gap")) == "period"
    empty = small([Line("A", "10", Decimal(1), date(2026, 2, 5))], SPINE, COLUMNS, "2026-P02")
    assert next_direction(open_figure(empty, "sales", "now")) == "account"
    assert next_direction(open_figure(whole, "margin", "now")) == ""


def test_sides_are_called_by_what_tells_them_apart():
    assert sides(open_figure(computed(), "sales", "now")) is None
    assert sides(open_figure(computed(), "sales", "gap")) == ("now", "before")
    grouped = [
        {"column": "a", "heading": "Actual", "group": "Month"}, {"column": "b", "heading": "Budget", "group": "Month"},
        {"column": "c", "heading": "Actual", "group": "Year", "window": "year to date"},
        {"column": "d", "heading": "Year", "group": "Year", "window": "year to date"},
        {"column": "one", "difference": ["a", "b"]}, {"column": "two", "difference": ["a", "c"]},
        {"column": "three", "difference": ["b", "d"]},
    ]  # fmt: skip
    whole = computed(columns=grouped)
    told = {key: sides(open_figure(whole, "sales", key)) for key in ("one", "two", "three")}
    assert told == {
        "one": ("Actual", "Budget"), "two": ("Actual, Month", "Actual, Year"), "three": ("Budget, Month", "Year"),
    }  # fmt: skip


MORE = [
    {"section": "Bare", "lines": [{"line": "Fares", "accounts": "40"}]},
    {"line": "Whom", "accounts": "41", "expand": ["counterparties"]},
    {"calculation": "Doubled", "formula": "2 * Bare + Whom / 2"},
]


def test_factors_count_and_what_has_no_row_is_called_hidden():
    """A section without a total shows nowhere by itself."""
    lines = [Line("A", code, Decimal(amount), date(2026, month, 5), counterparty="C1")
             for code, month, amount in (("40", 1, -10), ("40", 2, -30), ("41", 2, -8))]  # fmt: skip
    whole = small(lines, MORE, COLUMNS, "2026-P02")
    told = statement_split(open_figure(whole, "doubled", "now"))
    assert told is not None and (told.value, told.agrees) == (64, True)
    assert [(one.code, one.label, one.value, one.sides, one.reason) for one in told.parts] == [
        ("", "Bare", 60, (60, 0), "hidden"), ("whom:c1", "C1", 4, (4, 0), "")
    ]  # fmt: skip
    gap = statement_split(open_figure(whole, "doubled", "gap"))
    assert gap is not None and [one.sides for one in gap.parts] == [(60, -20), (4, 0)]


def test_a_total_without_a_figure_is_told_apart_by_none():
    """A budget has no sources."""
    inner = [{"section": "All", "total": "Sum", "lines": [{"line": "Web", "accounts": "40; source: web"}]}]
    lines = [Line("A", "40", Decimal(-10), date(2026, 2, 5), source="web")]
    whole = small(lines, inner, [{"column": "now"}, {"column": "plan", "scenario": "budget"}], "2026-P02")
    assert statement_split(open_figure(whole, "all.total", "plan")) is None
    assert statement_split(open_figure(whole, "all.total", "now")) is not None
