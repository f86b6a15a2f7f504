"""What each kind of row is made of on the statement: every part with its address, the words, the unit, and refusals."""

from __future__ import annotations

from dataclasses import replace
from datetime import date
from decimal import Decimal
from fractions import Fraction

import pytest

from rulka.core.books.fence import Fence
from rulka.core.errors import RulkaError
from rulka.core.proof.terms import terms_of
from rulka.core.proof.trace import Trace, TracePart, sealed_rows, trace_cell
from tests.books import Line
from tests.core.proof.small import small

SPINE = [
    {"section": "Income", "total": "All income", "lines": [
        {"line": "Sales", "accounts": "40"},
        {"line": "Other", "accounts": "41"},
        {"line": "Trips", "accounts": "90"},
        {"line": "Now only", "accounts": "42", "columns": ["now"]}]},
    {"section": "Bare", "lines": [{"line": "Wages", "accounts": "50"}]},
    {"calculation": "Margin", "formula": "(Income - Bare) / Sales"},
    {"calculation": "Ranged", "formula": "SUM(Sales to Other)"},
    {"check": "Even", "agree": ["Sales", "Other"]},
    {"line": "Whom", "accounts": "41", "expand": ["counterparties"]},
    {"line": "Each", "accounts": "51", "expand": ["entries"]},
    {"line": "Shut", "accounts": "40", "detail": "closed"},
    {"line": "Both", "accounts": "41, 91", "expand": ["accounts"]},
    {"section": "Odd", "total": "Odd sum", "lines": [{"line": "Only now", "accounts": "42", "columns": ["now"]}]},
    {"section": "Stats", "total": "All stats", "lines": [
        {"line": "Hours each", "accounts": "90, 91", "expand": ["accounts"]}]},
    {"section": "Twice", "total": "All twice", "lines": [{"line": "Hours", "accounts": "91"}]},
]  # fmt: skip
COLUMNS = [
    {"column": "now"},
    {"column": "trips", "measure": "quantity"},
    {"column": "word", "text": "so far"},
    {"column": "early", "shift": "-40 periods"},
    {"column": "then", "shift": "-1 period"},
]
BOOKED = [("40", "-10"), ("41", "-4"), ("42", "-3"), ("50", "6"), ("51", "7"), ("90", "2.50"), ("91", "8")]


def computed(fence=Fence(), **more):  # noqa: B008
    lines = [
        Line("A", code, Decimal(amount), date(2026, 2, 5), {"department": "d"}, entry=f"e{code}", counterparty="C1",
             description="Wages of the crew", document=f"D{code}")
        for code, amount in BOOKED
    ]  # fmt: skip
    columns = [column for column in COLUMNS if column["column"] != "trips"]
    return small(lines, SPINE, columns, "2026-P02", fence, **more)


def row(label, value, key):
    return TracePart("row", label, Fraction(value), row=key, column="now")


def test_a_total_is_its_lines_of_the_same_unit():
    assert trace_cell(computed(), "income.total", "now") == Trace(
        "All income", Fraction(17),
        (row("Sales", 10, "sales"), row("Other", 4, "other"), row("Now only", 3, "now-only")),
        Fraction(17), "money", "lines of the section added up",
    )  # fmt: skip
    then = trace_cell(computed(), "income.total", "then")
    assert [part.row for part in then.parts] == ["sales", "other"] and (then.total, then.agrees) == (0, True)
    terms = terms_of(computed(), "income.total", "then")
    assert terms is not None and [term.leaf.key for term in terms] == ["sales", "other"]
    assert trace_cell(computed(), "twice.total", "now").parts == (row("Hours", 8, "hours"),)
    assert trace_cell(computed(), "twice.total", "now").unit == "quantity"


def test_a_line_is_its_accounts():
    assert trace_cell(computed(), "sales", "now") == Trace(
        "Sales", Fraction(10),
        (TracePart("account", "40 40", Fraction(10), row="sales", column="now", account="40"),), Fraction(10), "money",
        "accounts behind now, February 2026, activity",
    )  # fmt: skip
    assert trace_cell(computed(), "hours", "now").unit == "quantity"


def test_a_calculation_is_what_its_formula_names():
    """A section by its total, one without a total by no row; a range by its lines."""
    found = trace_cell(computed(), "margin", "now")
    assert found == Trace(
        "Margin", Fraction(11, 10),
        (row("All income", 17, "income.total"),
         TracePart("rest", "Bare", Fraction(6), column="now"),
         row("Sales", 10, "sales")),
        Fraction(11, 10), found.unit, found.how, False,
    ) and found.agrees  # fmt: skip
    ranged = trace_cell(computed(), "ranged", "now")
    assert (ranged.value, ranged.total, ranged.adds_up, ranged.unit) == (14, 14, False, "money")
    assert ranged.parts == (row("Sales", 10, "sales"), row("Other", 4, "other")) and ranged.how == "SUM(Sales to Other)"


def test_a_check_says_how_far_apart_it_is():
    assert trace_cell(computed(), "even", "now") == Trace(
        "Even", Fraction(6), (), Fraction(6), "money", "how far apart the two sides are"
    )


def test_entries_and_counterparties_are_told_by_what_they_say():
    entry = trace_cell(computed(), "each:A/e51", "now")
    assert (entry.value, entry.parts, entry.total, entry.unit, entry.agrees) == (7, (), 7, "money", True)
    assert "Wages of the crew" in entry.how and "D51" in entry.how
    whom = trace_cell(computed(), "whom:c1", "now")
    assert (whom.value, whom.parts, whom.total, whom.unit) == (4, (), 4, "money")
    assert "sealed" not in whom.how and "closed" not in whom.how


def test_closed_and_sealed_detail_are_told_apart():
    closed = trace_cell(computed(by_reader=True), "shut", "now")
    assert (closed.value, closed.parts, closed.total, closed.unit) == (10, (), 10, "money")
    assert closed.how == "its author closed its detail"
    sealed = computed(Fence.of(sealed="51", grain=()))
    (key,) = [one.key for one in sealed.rows if one.line == "each" and one.has_figures]
    assert trace_cell(sealed, key, "now").how == "its detail is sealed"
    assert trace_cell(computed(), "shut", "now").parts[0].account == "40"
    assert sealed_rows(computed(by_reader=True)) == {"shut"}
    assert sealed_rows(computed(Fence.of(sealed="40", grain=()))) == {"sales", "shut"}


def test_an_empty_column_says_it_lies_outside_the_calendar():
    assert trace_cell(computed(), "sales", "early") == Trace(
        "Sales", None, (), None, "money", "The column lies outside the calendar."
    )


def test_a_budget_of_what_only_lines_tell_has_nothing_to_read():
    lines = [Line("A", "40", Decimal(-9), date(2026, 2, 5), source="web")]
    inner = [{"section": "All", "total": "Sum", "lines": [{"line": "Web", "accounts": "40; source: web"}]}]
    whole = small(lines, inner, [{"column": "plan", "scenario": "budget"}], "2026-P02")
    assert trace_cell(whole, "web", "plan") == Trace("Web", None, (), None, "money", "Nothing can be read here.")
    total = trace_cell(whole, "all.total", "plan")
    assert (total.value, total.total, total.agrees) == (None, None, True)
    assert [(part.row, part.value) for part in total.parts] == [("web", None)]


def refusal(*args):
    with pytest.raises(RulkaError) as told:
        trace_cell(*args)
    return told.value.message, told.value.hint, told.value.subject, told.value.code


def test_what_opens_no_further_says_why():
    whole = computed()
    told = ("shows no figures.", "Open a line below it.", "line", "not-found")
    assert refusal(whole, "bare", "now") == (f"Bare {told[0]}", *told[1:])
    assert refusal(whole, "sales", "word") == (
        "Column word shows words, no figures.", "Open a figure in another column.", "column", "not-found"
    )  # fmt: skip
    shallow = computed(replace(Fence(), depth="figures"))
    message, hint, subject, code = refusal(shallow, "sales", "now")
    assert message and (hint, subject, code) == ("Ask an administrator if you need to get deeper.", "", "depth")
    fine = small([Line("A", "40", Decimal(-9), date(2026, 2, 5), {"department": "d"})],
                 [{"section": "All", "total": "Sum", "lines": [{"line": "D", "accounts": "40; department: d"}]}],
                 COLUMNS[:1], "2026-P02", Fence.of(sealed="40", grain=()))  # fmt: skip
    assert refusal(fine, "d", "now") == (
        "D is sealed here: it would tell apart what shows together only.",
        "Whoever may open the seal sees it; a column that is cut less finely shows it to all.", "trace", "sealed",
    )  # fmt: skip


def test_of_an_expanding_line_money_and_quantities_are_summed_apart():
    """Its own figure is of money; hours beside it are rows of their own."""
    inner = [
        {"section": "All", "total": "Sum", "lines": [{"line": "Both", "accounts": "41, 91", "expand": ["accounts"]}]}
    ]
    lines = [Line("A", code, Decimal(amount), date(2026, 2, 5)) for code, amount in (("41", -4), ("91", 8))]
    alone = small(lines, inner, COLUMNS[:1], "2026-P02")
    terms = terms_of(alone, "all.total", "now")
    assert terms is not None and [term.leaf.key for term in terms] == ["both:41"]
    assert alone.row("all.total").values == (4,)


def test_a_total_of_what_another_column_shows_adds_up_nothing():
    assert trace_cell(computed(), "odd.total", "then") == Trace(
        "Odd sum", Fraction(0), (), Fraction(0), "money", "lines of the section added up"
    )


def test_of_an_expanding_line_of_quantities_these_are_summed():
    found = terms_of(computed(), "stats.total", "now")
    assert found is not None and [term.leaf.key for term in found] == ["hours-each:90", "hours-each:91"]
    assert computed().row("stats.total").values[0] == Fraction("10.5")


def test_in_a_column_of_quantities_a_total_adds_up_these():
    """Lines of money among them, with what they count: nothing here."""
    lines = [Line("A", code, Decimal(amount), date(2026, 2, 5)) for code, amount in (("40", -9), ("90", "2.50"))]
    inner = [{"section": "All", "total": "Sum", "lines": [{"line": "Sales", "accounts": "40"},
                                                         {"line": "Trips", "accounts": "90"}]}]  # fmt: skip
    whole = small(lines, inner, [{"column": "counted", "measure": "quantity"}], "2026-P02")
    found = trace_cell(whole, "all.total", "counted")
    assert [(part.row, part.value) for part in found.parts] == [("sales", 0), ("trips", Fraction(5, 2))]
    assert found.agrees and found.value == Fraction(5, 2)


def test_columns_that_work_on_sums_open_totals_calculations_and_checks_into_rows():
    """Debits less credits are the movement: of a total that of its lines."""
    columns = [{"column": "in", "measure": "debits"}, {"column": "out", "measure": "credits"},
               {"column": "net", "difference": ["in", "out"]}]  # fmt: skip
    lines = [Line("A", code, Decimal(amount), date(2026, 2, 5)) for code, amount in (("40", -9), ("40", 2), ("41", -4))]
    inner = [{"section": "All", "total": "Sum", "lines": [{"line": "Sales", "accounts": "40"},
                                                         {"line": "Other", "accounts": "41"}]},
             {"calculation": "Less", "formula": "Sales - Other"},
             {"check": "Even", "agree": ["Sales", "Other"]}]  # fmt: skip
    whole = small(lines, inner, columns, "2026-P02")
    for key, value, rows in (("all.total", 11, ["sales", "other"]), ("less", 3, ["sales", "other"]), ("even", 3, [])):
        found = trace_cell(whole, key, "net")
        assert (found.value, [part.row for part in found.parts], found.agrees) == (value, rows, True), key
    assert [part.kind for part in trace_cell(whole, "sales", "net").parts] == ["column", "column"]


def test_a_total_of_nothing_is_none_and_names_what_says_nothing():
    """No time of the calendar; and lines of sources, which no plan tells."""
    early = trace_cell(computed(), "odd.total", "early")
    assert (early.value, early.parts, early.total, early.agrees) == (None, (), None, True)
    inner = [{"section": "All", "total": "Sum", "lines": [{"line": "Web", "accounts": "40; source: web"}]}]
    each = [Line("A", "40", Decimal(-7), date(2026, 2, 5), source="web"),
            Line("A", "40", Decimal(-9), date(2026, 2, 5), scenario="budget")]  # fmt: skip
    planned = small(each, inner, [{"column": "now"}, {"column": "plan", "scenario": "budget"}], "2026-P02")
    told = trace_cell(planned, "all.total", "plan")
    assert (told.value, told.total, told.parts) == (
        None,
        None,
        (TracePart("row", "Web", None, row="web", column="plan"),),
    )
