"""Which variances are judged by which threshold, what may be the other half of one, and what closes an explanation."""

from __future__ import annotations

from datetime import date
from decimal import Decimal
from fractions import Fraction

from rulka.core.books.fence import Fence
from rulka.core.proof.explaining import (
    ExplainNote,
    Notes,
    SaidBefore,
    due_of,
    items_of,
    proposed_owners,
    unexplained,
)
from rulka.core.proof.variances import compared_columns, exceeding, opposite_of, threshold_of, variances
from tests.books import Line
from tests.core.proof.small import small

SPINE = [
    {"section": "Costs", "total": "All costs", "explain": "1000", "lines": [
        {"line": "Fuel", "accounts": "50"},
        {"line": "Upkeep", "accounts": "51", "explain": "10", "owner": "mate"},
        {"line": "Hidden", "accounts": "51", "hide": "always"},
    ]},
    {"line": "Fares", "accounts": "40"},
    {"line": "Each", "accounts": "41, 42", "expand": ["accounts"]},
    {"line": "Trips", "accounts": "90"},
    {"line": "Hours", "accounts": "91", "explain": "2"},
    {"calculation": "Margin", "formula": "Fares - Costs"},
    {"check": "Even", "formula": "Fares - Fares"},
]  # fmt: skip
COLUMNS = [
    {"column": "now"},
    {"column": "before", "shift": "-1 period"},
    {"column": "gap", "difference": ["now", "before"]},
    {"column": "aside", "difference": ["before", "now"], "hide": "always"},
    {"column": "part", "percent": ["now", "before"]},
]


def computed(*booked, fence=Fence(), columns=COLUMNS, inner=SPINE, **explain):  # noqa: B008
    """(account, January, February) in the line's own sign."""
    lines = []
    for account, *amounts in booked:
        for month, amount in enumerate(amounts, 1):
            if amount:
                signed = Decimal(amount) * (1 if account[0] in "59" else -1)
                lines.append(Line("A", account, signed, date(2026, month, 5)))
    body = {"explain": explain} if explain else {}
    return small(lines, inner, columns, "2026-P02", fence, **body)


BOOKED = (("50", 10, 60), ("51", 5, 25), ("40", 100, 90), ("41", 0, 7), ("42", 1, 1), ("90", 1, 9), ("91", 1, 9))


def told(found):
    return [(one.row.key, one.column.key, one.value, one.by) for one in found]


def test_lines_of_money_are_judged_and_others_where_they_say_so():
    """Totals and quantities with a threshold of their own; expanding lines by their rows; nothing hidden."""
    whole = computed(*BOOKED, beyond="1")
    judged = [("fuel", 50, "statement"), ("upkeep", 20, "line"), ("costs.total", 90, "line"),
              ("fares", -10, "statement"), ("each:41", 7, "statement"), ("hours", 8, "line")]  # fmt: skip
    assert told(variances(whole)) == [(key, "gap", value, by) for key, value, by in judged]
    assert [one.row.key for one in exceeding(whole)] == ["fuel", "upkeep", "fares", "each:41", "hours"]


def test_hidden_columns_are_judged_where_they_are_named():
    whole = computed(*BOOKED)
    assert [column.key for column, _ in compared_columns(whole)] == ["gap"]
    assert [column.key for column, _ in compared_columns(whole, ["aside"])] == ["aside"]
    ((_, (first, second)),) = compared_columns(whole, ["aside"])
    assert (first.key, second.key) == ("before", "now")
    assert {one.column.key for one in variances(whole, ["aside"])} == {"aside"}
    assert told(exceeding(whole, ["aside"])) == [("upkeep", "aside", -20, "line"), ("hours", "aside", -8, "line")]
    both = compared_columns(whole, ["gap", "aside"])
    assert [column.key for column, _ in both] == ["gap", "aside"]


def test_the_threshold_is_the_lines_then_its_types_then_the_statements():
    typed = computed(*BOOKED, beyond="40", types={"expense": "30"})
    words = {key: (said.written if said else None, by) for key in ("fuel", "upkeep", "fares", "each:41")
             for said, by in [threshold_of(typed, typed.row(key))]}  # fmt: skip
    assert words == {"fuel": ("30", "type"), "upkeep": ("10", "line"), "fares": ("40", "statement"),
                     "each:41": ("40", "statement")}  # fmt: skip
    silent = computed(*BOOKED, types={"expense": "30"})
    assert threshold_of(silent, silent.row("fares")) == (None, "")
    assert [one.exceeds for one in variances(silent) if one.row.key == "fares"] == [False]


def test_nothing_between_two_others_ends_no_list():
    """A line without a variance, then one with."""
    assert [key for key, *_ in told(variances(computed(("50", 10, 10), ("40", 1, 3), beyond="1")))] == ["fares"]


def opposite(*values):
    spine = [{"line": f"L{code}", "accounts": code} for code in ("50", "51", "5")]
    booked = [(code, 1000, 1000 + value) for code, value in zip(("50", "51", "5"), values, strict=True)]
    whole = computed(*booked, inner=spine)
    found = variances(whole)
    other = opposite_of(whole, found[0], found)
    return other.row.key if other else None


def test_the_other_half_is_nearest_and_no_further_than_fifteen_hundredths():
    assert opposite(100, -85, 0) == "l51"  # exactly at the limit
    assert opposite(100, -84, 0) is None
    assert opposite(100, -95, -99) == "l5" and opposite(100, -99, -95) == "l51"
    assert opposite(100, -110, -101) == "l5"
    assert opposite(100, 100, 0) is None
    assert opposite(-100, 0, 90) == "l5"


# what was said ------------------------------------------------------------------------------------------------------


def test_what_no_longer_exceeds_is_closed_with_what_it_is_now():
    whole = computed(*BOOKED, beyond="40", columns=COLUMNS)
    said = {
        ("fares", "gap"): SaidBefore("explained", Fraction(-10), "Old fares", "old"),
        ("each:41", "gap"): SaidBefore("accepted", Fraction(99), "Old each", "old"),
        ("gone", "gap"): SaidBefore("explained", Fraction(5), "A line", "gap"),
        ("fuel", "gone"): SaidBefore("explained", None, "Fuel of old", "a column"),
    }
    items = {item.key: item for item in items_of(whole, said)}
    fares, each = items["fares", "gap"], items["each:41", "gap"]
    assert (fares.state, fares.label, fares.heading, fares.former, fares.number) == ("closed", "Fares", "gap", None, 0)
    assert fares.variance is not None and fares.value == -10 and fares.why == "It is no longer more than its threshold."
    assert (each.label, each.former, each.value) == ("41 41", 99, 7)
    gone = items["gone", "gap"]
    assert (gone.label, gone.heading, gone.variance, gone.former, gone.why, gone.value) == (
        "A line", "gap", None, 5, "Its line is gone.", 0)  # fmt: skip
    column = items["fuel", "gone"]
    assert (column.label, column.heading, column.former, column.why) == ("Fuel of old", "a column", None,
                                                                         "Its column is gone.")  # fmt: skip
    assert [item.key for item in unexplained(list(items.values()))] == [("fuel", "gap"), ("upkeep", "gap"),
                                                                        ("hours", "gap")]  # fmt: skip


def test_whom_a_line_names_goes_before_whom_the_statement_names_and_who_did_last():
    whole = computed(*BOOKED, beyond="1", owners={"n": "purser"})
    of = {one.row.key: one for one in variances(whole)}
    assert proposed_owners(whole, of["upkeep"], "cook") == ["mate", "purser", "cook"]
    assert proposed_owners(whole, of["fuel"]) == ["purser"]
    bare = computed(*BOOKED, beyond="1", owners={"other": "purser"})
    assert proposed_owners(bare, of["fuel"], "cook") == ["cook"] and proposed_owners(bare, of["fuel"]) == []


def test_explanations_are_due_so_many_days_after_the_period():
    assert due_of(computed(*BOOKED, beyond="1", due="8")) == date(2026, 3, 8)
    assert due_of(computed(*BOOKED, beyond="1")) is None


def test_rows_are_marked_with_the_numbers_of_their_notes():
    notes = Notes(
        tuple(ExplainNote(number, row, "gap", "", "", "", "") for number, row in ((1, "a"), (2, "b"), (3, "a")))
    )
    assert notes.marks() == {"a": "1, 3", "b": "2"}


def test_a_variance_of_the_next_column_follows_one_of_nothing():
    columns = [
        *COLUMNS,
        {"column": "year", "window": "year to date"},
        {"column": "on-year", "difference": ["year", "before"]},
    ]
    whole = computed(("50", 10, 10), columns=columns, beyond="1")
    assert told(variances(whole)) == [("fuel", "on-year", 10, "statement"), ("costs.total", "on-year", 10, "line")]


def test_a_check_is_no_variance_whatever_it_says():
    inner = [{"line": "Fuel", "accounts": "50"}, {"check": "Even", "formula": "Fuel - 3", "explain": "1"}]
    whole = computed(("50", 10, 60), inner=inner, beyond="1")
    assert [one.row.key for one in variances(whole)] == ["fuel"]
