"""Traces over a tiny book: every kind of part, and that the parts give the figure again."""

from __future__ import annotations

from fractions import Fraction

import pytest

from rulka.core.books.fence import Fence
from rulka.core.books.frame import CLOSING, OPENING
from rulka.core.errors import RulkaError
from rulka.core.proof.splits import open_figure, split
from rulka.core.proof.trace import trace_cell
from tests.core.compute.test_statement import LINES, SPAN, SPINE, run

BALANCES = {
    "span": "p",
    "columns": [
        {"column": "c", "measure": "closing"},
        {"column": "o", "measure": "opening"},
        {"column": "d", "measure": "debits"},
        {"column": "k", "measure": "credits"},
        {"column": "a", "window": "year to date"},
    ],
}
BOOKED = [
    *LINES,
    ("A", "40", "x", "2025-P12", 2_500, CLOSING),
    ("A", "30", "x", "2025-P12", -2_500, CLOSING),
    ("A", "10", "-", "2026-P02", 800, OPENING),
    ("A", "20", "-", "2026-P02", -800, OPENING),
]


def balances(*codes, period="2026-P02", fence=Fence()):  # noqa: B008
    spine = {"spine": "s", "lines": [{"line": f"L {code}", "accounts": code, "sign": "as booked"} for code in codes]}
    return run(spine, BALANCES, period, lines=BOOKED, fence=fence)


def parts(trace):
    assert trace.agrees
    return [(part.label, str(part.value)) for part in trace.parts]


@pytest.mark.parametrize(
    ("row", "column", "wanted"),
    [
        # a line opens into accounts, a total into lines, a calculation into what its formula names
        ("sales", "now", [("40 Sales", "50")]),
        ("income.total", "now", [("Sales", "50"), ("Other", "20")]),
        ("result", "now", [("All income", "70"), ("All costs", "15")]),
        ("margin", "before", [("Result", "60"), ("All income", "100")]),
        # a comparison opens into its columns, whatever the line is
        ("sales", "gap", [("now, January to February 2026", "50"), ("plan, January to February 2026", "40")]),
        ("margin", "gap", [("now, January to February 2026", "11/14"), ("plan, January to February 2026", "3/4")]),
        ("result", "share", [("now, January to February 2026", "55"), ("plan, January to February 2026", "30")]),
        ("sales", "before", [("40 Sales", "100")]),
        ("rent", "waiting", [("51 Rent", "24")]),
    ],
)
def test_cell_opens_into_its_parts(row, column, wanted):
    assert parts(trace_cell(run(), row, column)) == wanted


@pytest.mark.parametrize(
    ("account", "column", "wanted"),
    [
        ("10", "c", [("All of FY2025", "60"), ("January 2026", "70"), ("Opening entries, February 2026", "8")]),
        ("10", "o", [("All of FY2025", "60"), ("January 2026", "70"), ("Opening entries, February 2026", "8")]),
        ("20", "c", [("Opening entries, February 2026", "-8"), ("February 2026", "-15")]),
        ("20", "o", [("Opening entries, February 2026", "-8")]),
        ("20", "k", [("February 2026", "15")]),
        ("20", "d", [("February 2026", "0")]),
        ("30", "c", [("All of FY2025", "-25"), ("Result of FY2025 rolled in", "-35")]),
        ("40", "c", [("January 2026", "-50")]),
        ("40", "a", [("January 2026", "-50")]),
        ("51", "c", [("February 2026", "15")]),
    ],
)
def test_account_opens_into_periods_years_openings_and_rolled_results(account, column, wanted):
    computed = balances(account)
    opened = open_figure(computed, f"l-{account}", column, [("account", account)])
    assert parts(split(opened, "period")) == wanted
    assert opened.value == computed.rows[0].values[computed.place(column)]


def test_a_former_year_opens_into_its_periods_and_entries():
    computed = balances("30", "10")
    of_year = open_figure(computed, "l-30", "c", [("period", "FY2025")])
    assert parts(split(of_year, "period")) == [("Closing entries of FY2025", "-25")]
    of_year = open_figure(computed, "l-10", "c", [("period", "FY2025")])
    assert sum(Fraction(value) for _, value in parts(split(of_year, "period"))) == 60


def test_rolled_year_opens_into_accounts_after_closing_entries():
    # sales 100 less 25 closed by an entry, wages 40: 35 rolled by itself
    trace = open_figure(balances("30"), "l-30", "c", [("account", "30"), ("period", "FY2025 result")])
    assert parts(split(trace, "account")) == [("40 Sales", "-75"), ("50 Wages", "40")]
    assert str(trace.value) == "-35"


def test_rolled_year_names_no_account_outside_the_fence():
    computed = balances("30", fence=Fence.of(accounts="30, 40"))
    trace = open_figure(computed, "l-30", "c", [("period", "FY2025 result")])
    assert parts(split(trace, "account")) == [("40 Sales", "-75"), ("Outside of what you may see", "40")]


@pytest.mark.parametrize(
    ("row", "column", "message"),
    [
        ("income", "now", "Income shows no figures"),
        ("nowhere", "now", "Line 'nowhere' does not exist"),
        ("sales", "nowhere", "Column 'nowhere' does not exist"),
    ],
)
def test_what_can_not_be_opened_is_told(row, column, message):
    with pytest.raises(RulkaError, match=message):
        trace_cell(run(), row, column)


def test_account_that_does_not_stand_behind_a_line_is_refused():
    with pytest.raises(RulkaError, match="Nothing of account '51' stands here"):
        open_figure(run(), "sales", "now", [("account", "51")])


def test_calculation_on_a_section_without_total_names_it_without_a_way_further():
    lines = [
        {"section": "Income", "lines": [{"line": "Sales", "accounts": "40"}]},
        {"calculation": "Twice", "formula": "Income * 2"},
    ]
    computed = run({**SPINE, "lines": lines}, SPAN)
    assert str(computed.row("twice").values[0]) == "100"
    trace = trace_cell(computed, "twice", "now")
    assert trace.agrees and [(part.label, str(part.value), part.row) for part in trace.parts] == [("Income", "50", "")]


def test_total_of_money_does_not_open_into_quantities_of_an_inner_section():
    inner = {"section": "Hours only", "lines": [{"line": "Hours", "accounts": "90"}]}
    lines = [inner, {"line": "Sales", "accounts": "40"}]
    spine = {"spine": "s", "lines": [{"section": "All", "lines": lines, "total": "Sum"}]}
    span = {"span": "p", "columns": [{"column": "c", "window": "year to date"}]}
    computed = run(spine, span, lines=[*LINES, ("A", "90", "x", "2026-P01", 750)])
    assert [label for label, _ in parts(trace_cell(computed, "all.total", "c"))] == ["Sales"]
    assert computed.row("hours").values == (Fraction(20),)  # 12.50 before, 7.50 here
