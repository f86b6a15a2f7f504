"""Checks of columns: series that hold each key once, columns that check others, what gave way to rounding."""

from __future__ import annotations

from dataclasses import replace
from datetime import date
from decimal import Decimal

import pytest

from rulka.core.books.fence import NO_FENCE, Fence
from rulka.core.proof.checks import FAILS, HOLDS, NOT_JUDGED, WARNS
from rulka.core.proof.footing import _column_check, _member_series, _rounding, _time_series, footing
from tests.books import Line
from tests.core.proof.small import small

SPINE = [{"line": f"L{code}", "accounts": code, "sign": "as booked"} for code in ("40", "41", "50", "51", "90")]


def booked(*rows):
    """(account, department, month, amount), each against the bank."""
    lines = []
    for account, department, month, amount in rows:
        day = date(2026, month, 5)
        lines.append(Line("A", account, Decimal(amount), day, {"department": department}))
        if account != "90":
            lines.append(Line("A", "10", -Decimal(amount), day))
    return lines


USUAL = booked(("40", "d", 2, 100), ("40", "e", 2, 50), ("41", "-", 2, 7), ("90", "d", 2, 3))


def checks(columns, lines=USUAL, inner=SPINE, period="2026-P02", **more):
    found = footing(small(lines, inner, columns, period, **more))
    return {check.title or check.code: check for check in found}


def told(columns, title, lines=USUAL, **more):
    check = checks(columns, lines, **more)[title]
    return check.state, check.detail, check.code


# series --------------------------------------------------------------------------------------------------------------


def series(**said):
    return [{"series": "parts", "each": "department", **said}]


def test_columns_of_all_members_with_one_for_none_of_these_add_up():
    found = told(series(none="None", total="All"), "The columns of parts are complete")
    assert found[0] == HOLDS and found[2] == "columns" and found[1].endswith("columns add up to the whole")


def test_chosen_members_need_hold_only_what_is_booked_on_them():
    state, detail, _ = told(
        [{"series": "parts", "each": "department", "narrow": "department: d, e"}], "The columns of parts are complete"
    )
    assert (state, detail) == (HOLDS, "2 columns add up to the whole")


def test_a_series_without_anything_says_so():
    none = series(narrow="department: o")
    for columns, why in ((none, "It has no column of figures at a time that the calendar has."),
                         ([*none, {"column": "now"}], "None of its members has anything.")):  # fmt: skip
        assert told(columns, "The columns of parts are complete") == (NOT_JUDGED, why, "columns")
    late = [{"series": "parts", "each": "department", "shift": "9 years"}, {"column": "now"}]
    state, why, _ = told(late, "The columns of parts are complete")
    assert state == NOT_JUDGED and "calendar" in why


@pytest.mark.parametrize(
    ("said", "detail"),
    [
        ({"each": "period", "within": "last 3 periods"}, "3 columns one after the other"),
        ({"each": "week", "within": "period"}, "5 columns one after the other"),
    ],
)
def test_pieces_through_time_follow_each_other(said, detail):
    state, found, code = told([{"series": "time", **said}], "The columns of time are complete")
    assert (state, code) == (HOLDS, "columns") and found.split(" ", 1)[1] == detail.split(" ", 1)[1]


NOTHING_ELSE: dict[str, str] = {}
WITH_NONE = {"none": "None", "total": "All"}


def part_check(keep, *, lines=USUAL, more=(), fence=NO_FENCE, period="2026-P02", others=NOTHING_ELSE, **said):
    """The check of a series of departments of which some columns only are kept, by their keys."""
    computed = small(lines, SPINE, series(**said), period, fence, others=others)
    parts = {column.key.removeprefix("parts-"): column for column in computed.columns if column.keys is not None}
    return _member_series(computed, "department", [*(parts[key] for key in keep), *more], "Parts")


@pytest.mark.parametrize(
    ("keep", "detail"),
    [
        (("d", "e", "none"), "3 columns add up to the whole"),
        (("e", "none"), "100.00 stands in none or in two"),
        (("d", "none"), "50.00 stands in none or in two"),
        (("d", "e"), "−150.00 stands in none or in two"),
        (("d", "e", "none", "e"), "−50.00 stands in none or in two"),
        (("d", "d", "e", "none", "e", "e"), "−200.00 stands in none or in two"),
    ],
)
def test_what_a_series_leaves_out_or_counts_twice_is_told(keep, detail):
    """The bank stands on no department: a hundred and fifty less, with the seven of other income."""
    check = part_check(keep, **WITH_NONE)
    state = HOLDS if "add up" in detail else FAILS
    assert (check.code, check.state, check.detail, check.title) == ("columns", state, detail, "Parts")


def test_quantities_are_told_where_no_money_is_missing():
    lines = booked(("40", "e", 2, 50), ("90", "d", 2, "2.25"))
    assert part_check(("e", "none"), lines=lines, **WITH_NONE).detail == "2.25 stands in none or in two"


def test_amounts_that_no_float_holds_are_told_exactly():
    lines = booked(("40", "e", 2, "90071992547409.93"), ("41", "d", 2, 1))
    assert part_check(("d", "none"), lines=lines, **WITH_NONE).detail.startswith(
        "90\u00a0071\u00a0992\u00a0547\u00a0409.93 "
    )


def test_a_series_inside_of_a_node_owes_only_what_stands_there():
    """Income of department o stands in no column of d and e, and is none of the node's."""
    lines = booked(("40", "d", 2, 100), ("40", "e", 2, 50), ("40", "o", 2, 9))
    for keep, state in ((("d", "e", "none"), HOLDS), (("d", "none"), FAILS), (("d", "e"), HOLDS)):
        check = part_check(keep, lines=lines, inside="w", others={"w": "department: d, e"}, **WITH_NONE)
        assert check.state == state, keep


def test_a_time_outside_of_the_calendar_is_not_judged():
    check = part_check(("d",), shift="-40 periods", **WITH_NONE)
    assert (check.code, check.state, check.detail, check.title) == (
        "columns", NOT_JUDGED, "Nothing can be read in them.", "Parts")  # fmt: skip


def test_what_is_sealed_is_owed_no_column():
    """Behind a seal by company and period alone no department has anything of it."""
    fence, lines = Fence.of(sealed="40", grain=()), booked(("40", "d", 2, 100), ("41", "-", 2, 7))
    elsewhere = Line("B", "20", Decimal(5), date(2026, 2, 5), {"department": "d"})
    assert part_check(("none",), lines=[*lines, elsewhere], fence=fence, **WITH_NONE).state == HOLDS
    own = replace(elsewhere, entity="A")
    assert part_check(("none",), lines=[*lines, own], fence=fence, **WITH_NONE).state == FAILS


def test_columns_that_are_cut_by_no_time_say_their_windows_are_their_own():
    computed = small(USUAL, SPINE, [{"series": "time", "each": "period", "within": "last 3 periods"}], "2026-P02")
    shown = [replace(column, is_cut=False) for column in computed.columns]
    check = _time_series(computed, shown, "Time")
    assert (check.code, check.state, check.detail, check.title) == (
        "columns", HOLDS, "3 columns, each with a window of its own", "Time")  # fmt: skip
    gapped = _time_series(computed, [computed.columns[0], computed.columns[2]], "Time")
    assert (gapped.code, gapped.state, gapped.title) == ("columns", HOLDS, "Time")
    booked_between = small([*USUAL, *booked(("40", "d", 1, 1))], SPINE, [
        {"series": "time", "each": "period", "within": "last 3 periods"}], "2026-P02")  # fmt: skip
    first, _, last = booked_between.columns
    gap = _time_series(booked_between, [first, last], "Time")
    assert (gap.code, gap.state, gap.title) == ("columns", WARNS, "Time")
    assert gap.detail == "Entries of January 2026 stand in none of them"


# columns that check others -------------------------------------------------------------------------------------------


def checking(*, tolerance="", extra=()):
    column = {
        "column": "gap",
        "check": ["now"],
        "equals": "before",
        "heading": "Apart",
        **({"tolerance": tolerance} if tolerance else {}),
    }
    return small(
        [*USUAL, *extra], SPINE, [{"column": "now"}, {"column": "before", "shift": "-1 period"}, column], "2026-P02"
    )


def column_check(computed, why=""):
    return _column_check(computed, computed.column("gap"), why)


def test_a_column_that_checks_others_names_each_row_that_is_apart():
    check = column_check(checking())
    assert (check.code, check.state, check.title) == ("own-check", FAILS, "Apart")
    assert check.detail == "L40: 150.00 apart; L41: 7.00 apart; L90: 3.00 apart" and check.lines == (
        "l40",
        "l41",
        "l90",
    )
    same = booked(("40", "d", 1, 150), ("41", "-", 1, 7), ("90", "d", 1, 3))
    held = column_check(checking(extra=same))
    assert (held.code, held.state, held.detail, held.lines, held.title) == ("own-check", HOLDS, "", (), "Apart")


def test_what_is_within_the_tolerance_holds_and_no_more():
    near = booked(("40", "d", 1, 149), ("41", "-", 1, 7), ("90", "d", 1, 3))
    assert column_check(checking(tolerance="1.00", extra=near)).state == HOLDS
    assert column_check(checking(tolerance="0.99", extra=near)).state == FAILS


def test_a_column_check_says_why_it_was_not_judged():
    check = column_check(checking(), "Nothing is shown.")
    assert (check.code, check.state, check.detail, check.title) == (
        "own-check",
        NOT_JUDGED,
        "Nothing is shown.",
        "Apart",
    )
    computed = checking()
    blank = replace(computed, rows=tuple(replace(row, values=(None,) * len(row.values)) for row in computed.rows))
    assert (column_check(blank).state, column_check(blank).detail) == (
        NOT_JUDGED,
        "No line has figures in its columns.",
    )


def test_eight_rows_are_named_and_the_others_counted():
    computed = checking()
    row = computed.row("l40")
    for count, more in ((8, ""), (9, "; and 1 more"), (12, "; and 4 more")):
        many = replace(computed, rows=tuple(replace(row, label=f"R{number}") for number in range(count)))
        detail = column_check(many).detail
        assert detail == "; ".join(f"R{number}: 150.00 apart" for number in range(8)) + more


# rounding ------------------------------------------------------------------------------------------------------------


def rounded(*notes):
    computed = small(USUAL, SPINE, [{"column": "now"}], "2026-P02")
    return _rounding(replace(computed, roundings=notes), "")


def test_what_gave_way_is_named_up_to_twelve():
    assert (rounded().state, rounded().detail) == (HOLDS, "No figure had to give way.")
    notes = [f"n{number}" for number in range(14)]
    assert rounded(*notes[:12]).detail == "; ".join(notes[:12])
    assert rounded(*notes[:13]).detail == "; ".join(notes[:12]) + "; and 1 more"
    assert rounded(*notes).detail == "; ".join(notes[:12]) + "; and 2 more"


def test_quantities_that_are_apart_are_told_in_theirs_and_money_in_the_nodes():
    """A company that counts in yen, without decimals."""
    columns = [
        {"column": "now"}, {"column": "before", "shift": "-1 period"},
        {"column": "gap", "check": ["now"], "equals": "before", "heading": "Apart"},
    ]  # fmt: skip
    lines = booked(("40", "d", 2, 150), ("90", "d", 2, "2.50"))
    works = {"entities": [{"code": "A", "currency": "JPY"}]}
    assert (
        column_check(small(lines, SPINE, columns, "2026-P02", works=works)).detail == "L40: 150 apart; L90: 2.50 apart"
    )


def test_a_column_of_the_whole_beside_parts_holds_all_twice():
    whole = small(USUAL, SPINE, series(**WITH_NONE), "2026-P02").columns[0]
    check = part_check(("d", "e", "none"), more=(replace(whole, keys=None),), **WITH_NONE)
    assert (check.state, check.detail) == (FAILS, "0.00 stands in none or in two")
    alone = part_check(("none",), more=(replace(whole, keys=None),), **WITH_NONE)
    assert alone.detail == "150.00 stands in none or in two"  # the bank and other income, once more
    bare = [line for line in USUAL if line.account in ("40", "41")]
    one = part_check(("d",), lines=bare, more=(replace(whole, keys=None),), **WITH_NONE)
    assert one.detail == "−100.00 stands in none or in two"
