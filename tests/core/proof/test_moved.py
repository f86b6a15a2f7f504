"""What moved between two runs: by figure and by line, with the accounts and periods that could have moved it."""

from __future__ import annotations

import json
from datetime import date
from decimal import Decimal
from fractions import Fraction

from rulka.core.proof.moved import Moved, by_line, cells_of, compare_runs, heading_of, moved_since
from rulka.formats.output.text import as_json
from tests.books import Line
from tests.core.proof.small import small


def run(lines, columns=("a", "b"), **kinds):
    return {
        "columns": [{"key": key, "heading": key.upper(), "groups": ["Year", ""]} for key in columns],
        "lines": [{"key": key, "label": key.title(), "kind": kinds.get(key, "line"), "values": values}
                  for key, values in lines.items()],
    }  # fmt: skip


def test_figures_of_a_run_by_row_and_column():
    found = cells_of(run({"x": ["1.50", None], "y": ["1/3"]}))
    assert found == {("x", "a"): Fraction(3, 2), ("x", "b"): None, ("y", "a"): Fraction(1, 3)}
    assert heading_of({"groups": ["Year", "", "Months"], "heading": "May"}) == "Year, Months, May"
    assert heading_of({"heading": "May"}) == "May"


def test_what_differs_is_told_in_the_later_order_and_what_is_gone_last():
    before = run({"x": ["1", "2"], "y": ["5", None], "gone": ["7", "0"]}, gone="total")
    after = run({"y": ["5", "6"], "x": ["1", "3"], "new": ["0", None]})
    told = compare_runs(before, after)
    assert [(one.row, one.label, one.kind, one.column, one.heading, one.was, one.now) for one in told] == [
        ("y", "Y", "line", "b", "Year, B", None, 6),
        ("x", "X", "line", "b", "Year, B", 2, 3),
        ("new", "New", "line", "a", "Year, A", None, 0),
        ("gone", "Gone", "total", "a", "Year, A", 7, None),
        ("gone", "Gone", "total", "b", "Year, B", 0, None),
    ]
    assert [one.by for one in told] == [None, 1, None, None, None]
    assert compare_runs(before, before) == []


def moved(row, was, now, column="c", unit="", kind="line"):
    return Moved(row, row.upper(), kind, column, column, was, now, unit=unit)


def test_one_row_a_line_the_largest_first():
    every = [
        moved("a", Fraction(1), Fraction(2)), moved("a", Fraction(1), Fraction(9), "d"),
        moved("a", Fraction(1), Fraction(80), "p", "percent"), moved("b", Fraction(5), Fraction(-20)),
        moved("t", Fraction(0), Fraction(90), kind="total"), moved("x", None, Fraction(4)),
        moved("p", Fraction(1), Fraction(99), "p", "percent"), moved("n", Fraction(1), None),
    ]  # fmt: skip
    told = by_line(every, frozenset({"total"}))
    assert [(line.row, line.label, line.is_sum, line.figure.column, [one.column for one in line.others], line.size)
            for line in told] == [
        ("t", "T", True, "c", [], 90), ("b", "B", False, "c", [], 25), ("a", "A", False, "d", ["c", "p"], 8),
        ("n", "N", False, "c", [], 0), ("p", "P", False, "p", [], 0), ("x", "X", False, "c", [], 0),
    ]  # fmt: skip
    assert not any(line.is_sum for line in by_line(every))


def test_a_column_that_is_asked_for_stands_for_its_lines_and_these_come_first():
    every = [
        moved("a", Fraction(1), Fraction(2)), moved("a", Fraction(1), Fraction(9), "d"),
        moved("b", Fraction(0), Fraction(99), "d"),
    ]  # fmt: skip
    told = by_line(every, column="c")
    assert [(line.row, line.figure.column, len(line.others)) for line in told] == [("a", "c", 1), ("b", "d", 0)]
    assert [(line.row, line.figure.column) for line in by_line(every)] == [("b", "d"), ("a", "d")]


SPINE = [
    {"section": "Income", "total": "All", "lines": [
        {"line": "Sales", "accounts": "40"}, {"line": "Other", "accounts": "41"}]},
    {"line": "Cash", "accounts": "10", "sign": "as booked"},
    {"line": "Heads", "accounts": "90"},
]  # fmt: skip
COLUMNS = [
    {"column": "now"},
    {"column": "stands", "measure": "closing"},
    {"column": "before", "shift": "-1 period"},
    {"column": "gap", "difference": ["now", "before"]},
    {"column": "growth", "percent": ["now", "before"]},
]


def booked(*extra):
    lines = [
        Line("A", "40", Decimal(-100), date(2026, 1, 5)), Line("A", "10", Decimal(100), date(2026, 1, 5)),
        Line("A", "40", Decimal(-50), date(2026, 2, 5)), Line("A", "10", Decimal(50), date(2026, 2, 5)), *extra,
    ]  # fmt: skip
    return small(lines, SPINE, COLUMNS, "2026-P02")


def test_accounts_and_periods_stand_behind_each_figure_that_moved():
    before, after = booked(), booked(
        Line("A", "41", Decimal(-7), date(2026, 2, 9)), Line("A", "10", Decimal(7), date(2026, 2, 9)),
        Line("A", "90", Decimal(3), date(2026, 2, 9)),
    )  # fmt: skip
    was, now = (json.loads(as_json(computed, [], "t")) for computed in (before, after))
    told = {(one.row, one.column): one for one in moved_since(was, now, after)}
    assert {key: one.by for key, one in told.items() if one.by is not None} == {
        ("other", "now"): 7, ("other", "stands"): 7, ("other", "gap"): 7,
        ("income.total", "now"): 7, ("income.total", "stands"): 7, ("income.total", "gap"): 7,
        ("income.total", "growth"): Fraction(7, 100),
        ("cash", "now"): 7, ("cash", "stands"): 7, ("cash", "gap"): 7, ("cash", "growth"): Fraction(7, 100),
        ("heads", "now"): 3, ("heads", "stands"): 3, ("heads", "gap"): 3,
    }  # fmt: skip
    assert told["other", "now"].codes == ("41",) and told["cash", "now"].codes == ("10",)
    assert told["income.total", "now"].codes == ("40", "41")
    assert told["other", "now"].periods == ("2026-P02",)
    assert told["other", "gap"].periods == told["income.total", "growth"].periods == ("2026-P02", "2026-P01")
    assert told["cash", "stands"].periods[0] == "2025-P01" and told["cash", "stands"].periods[-1] == "2026-P02"
    assert len(told["cash", "stands"].periods) == 14
    assert (told["income.total", "growth"].unit, told["cash", "now"].unit) == (
        "percent",
        after.rows_by_key["cash"].unit,
    )


def test_behind_a_line_of_a_time_of_its_own_stand_the_periods_that_it_reads():
    spine = [
        {"section": "Income", "total": "All", "lines": [
            {"line": "Sales", "accounts": "40", "window": "period", "shift": "-1 period"},
            {"line": "Other", "accounts": "41"}]},
        {"line": "By month", "key": "by", "accounts": "40", "periods": "year to date"},
    ]  # fmt: skip

    def of(amount):
        lines = [Line("A", "40", Decimal(-amount), date(2026, 1, 5)), Line("A", "41", Decimal(-1), date(2026, 2, 5))]
        return small(lines, spine, COLUMNS[:1], "2026-P02")

    was, now = (json.loads(as_json(of(amount), [], "t")) for amount in (5, 9))
    told = {one.row: one.periods for one in moved_since(was, now, of(9))}
    assert told == {
        "sales": ("2026-P01",), "income.total": ("2026-P01", "2026-P02"), "by:2026-p01": ("2026-P01",),
        "by": ("2026-P01", "2026-P02"),
    }  # fmt: skip


def test_a_line_that_is_gone_has_nothing_behind_it():
    before, after = booked(), small([Line("A", "10", Decimal(1), date(2026, 2, 5))], SPINE[1:], COLUMNS[:1], "2026-P02")
    was, now = (json.loads(as_json(computed, [], "t")) for computed in (before, after))
    gone = [one for one in moved_since(was, now, after) if one.row == "sales"]
    assert gone and all((one.codes, one.unit, one.now) == ((), "percent" if one.column == "growth" else "", None)
                        for one in gone if one.column == "now")  # fmt: skip
    assert {one.column: one.periods for one in gone}["stands"] == ()


def test_behind_a_calculation_stand_the_accounts_of_all_that_it_names():
    spine = [
        *SPINE,
        {"calculation": "Left", "formula": "Income - Heads"},
        {"calculation": "Twice", "formula": "Left * 2"},
        {"section": "Bare", "lines": [{"section": "Deeper", "lines": [{"line": "Again", "accounts": "41"}]},
                                      {"line": "More", "accounts": "42"}]},
        {"calculation": "Over", "formula": "Bare * 2"},
    ]  # fmt: skip
    share = {"column": "share", "share": "now", "line": "Income"}
    day = date(2026, 2, 5)

    def of(amount):
        lines = [
            Line("A", "40", Decimal(-50), day),
            Line("A", "42", Decimal(-1), day),
            Line("A", "41", Decimal(amount), day),
            Line("A", "90", Decimal(3), day),
        ]
        return small(lines, spine, [COLUMNS[0], share], "2026-P02")

    was, now = (json.loads(as_json(of(amount), [], "t")) for amount in (-1, -9))
    told = {(one.row, one.column): one for one in moved_since(was, now, of(-9))}
    assert told["left", "now"].codes == told["twice", "now"].codes == ("40", "41", "90")
    assert told["other", "now"].codes == ("41",) and told["over", "now"].codes == ("41", "42")
    assert told["other", "share"].unit == "percent" and told["other", "now"].unit == "money"


def test_a_figure_that_appeared_is_no_larger_than_one_that_moved():
    """Its move is no amount: among a line's figures it comes after those."""
    every = [moved("a", None, Fraction(900), "new"), moved("a", Fraction(1), Fraction("1.50"), "old")]
    percent = moved("b", Fraction(0), Fraction(1, 2), "percent", "percent")
    (unmoved,) = by_line([moved("b", None, Fraction(7), "new"), percent])
    assert [unmoved.figure.column, *(one.column for one in unmoved.others)] == ["percent", "new"]
    (line,) = by_line(every)
    assert [line.figure.column, *(one.column for one in line.others)] == ["old", "new"]
