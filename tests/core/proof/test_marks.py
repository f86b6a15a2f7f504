"""Marks beside the rows: each says what it is about, the gravest first, on a row that shows."""

from __future__ import annotations

from dataclasses import replace
from datetime import date
from decimal import Decimal

from rulka.core.books.fence import NO_FENCE, Fence
from rulka.core.books.selection import NOTHING
from rulka.core.proof.checks import FAILS, HOLDS, NOT_JUDGED, WARNS, Check
from rulka.core.proof.explaining import ExplainItem
from rulka.core.proof.marks import Mark, marks
from rulka.core.proof.placing import Suggestion
from tests.books import Line
from tests.core.proof.small import small

SPINE = [
    {"line": "Sales", "accounts": "40"},
    {"line": "Wages", "accounts": "50", "expand": ["accounts"]},
    {"line": "Empty", "accounts": NOTHING},
    {"line": "Odd", "accounts": "77, 41"},
    {"line": "Hidden", "accounts": "42", "hide": "always"},
    {"check": "Agrees", "formula": "Sales - Sales"},
]


def marked(checks=(), unplaced=(), items=(), fence=NO_FENCE):
    lines = [Line("A", code, Decimal(-5), date(2026, 2, 5)) for code in ("40", "41", "50")]
    return marks(small(lines, SPINE, [{"column": "now"}], "2026-P02", fence), checks, unplaced, items)


def test_lines_that_select_nothing_or_what_isnt_there_are_marked():
    told = marked()
    assert set(told) == {"empty", "odd"} and told["empty"] == [Mark("warning", "It selects no accounts yet")]
    (odd,) = told["odd"]
    assert odd.kind == "warning" and "77" in odd.text and (odd.count, odd.column) == (0, "")


def test_a_check_that_fails_marks_the_lines_it_names():
    fails = [Check("totals", FAILS, "is 5 off", ("40", "41"), ("sales", "odd")), Check("result", FAILS, lines=("odd",))]
    others = [Check("columns", WARNS), Check("placed", NOT_JUDGED), Check("totals", HOLDS)]
    told = marked([*fails, *(replace(check, lines=("sales",)) for check in others)])
    assert told["sales"] == [Mark("fails", "Totals foot: is 5 off", 2)]
    assert [(mark.kind, mark.text, mark.count) for mark in told["odd"][:2]] == [
        ("fails", "Totals foot: is 5 off", 2), ("fails", "The result ties", 0)
    ]  # fmt: skip
    assert told["odd"][2].kind == "warning"


def test_accounts_placed_twice_have_a_mark_of_their_own():
    told = marked([Check("placed-once", FAILS, "40 twice", ("40",), ("sales",))])
    assert told["sales"] == [Mark("twice", "No account is placed twice: 40 twice", 1)]


def test_a_check_of_ones_own_is_marked_where_it_is_printed():
    for state, kind in ((HOLDS, "holds"), (WARNS, "holds"), (NOT_JUDGED, "unjudged"), (FAILS, "fails")):
        told = marked([Check("own-check", state, "0.00", title="Agrees", lines=("agrees",))])
        assert told["agrees"] == [Mark(kind, "Agrees: 0.00")], state
    assert "sales" not in marked([Check("own-check", HOLDS, title="Agrees", lines=("sales",))])


def test_accounts_without_a_place_are_marked_where_they_most_likely_belong():
    def near(line, *codes):
        return [Suggestion(code, f"Account {code}", "1.00", line, line, "") for code in codes]

    told = marked(unplaced=[*near("sales", *"123456"), *near("", "9"), *near("gone", "7")])
    named = ", ".join(f"{code} Account {code}" for code in "12345")
    assert told["sales"] == [Mark("unplaced", f"Not placed, most likely here: {named}", 6)]
    assert told["agrees"] == [Mark("unplaced", "Not placed, most likely here: 9 Account 9", 1)]
    assert "gone" not in told


def test_what_is_to_explain_is_marked_in_its_column_by_its_number():
    items = [
        ExplainItem(("sales", "now"), 1, "open", "Sales", "Now", None),
        ExplainItem(("wages", "now"), 2, "accepted", "Wages", "Now", None),
        ExplainItem(("odd", "now"), 0, "closed", "Odd", "Now", None),
    ]
    told = marked(items=items)
    assert told["sales"] == [Mark("explain", "Now: open", 1, "now")]
    assert told["wages:50"] == [Mark("explained", "Now: accepted", 2, "now")]
    assert [mark.kind for mark in told["odd"]] == ["warning"]


def test_sealed_rows_are_marked_last():
    told = marked([Check("totals", FAILS, lines=("wages",))], fence=Fence.of(sealed="50"))
    sealed = [key for key, given in told.items() if any(mark.kind == "sealed" for mark in given)]
    assert sealed and all(told[key][-1] == Mark("sealed", "Detail is sealed: totals show, journal lines do not")
                          for key in sealed)  # fmt: skip
    assert "sales" not in told
