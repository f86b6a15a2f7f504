"""Extracts as text: what is refused, layouts that read back, edits that keep what names a column."""

from __future__ import annotations

import pytest

import rulka.core.sheet.functions  # noqa: F401
from rulka.core.errors import RulkaError
from rulka.core.extracting import edits
from rulka.core.extracting.changes import differences
from rulka.core.extracting.definitions import extract_from, layout_from, layout_mapping
from rulka.core.extracting.fields import Field, RowKind
from rulka.core.extracting.pivots import AskedPivot, ordered_down, pivot_from

ROWS = RowKind(
    "journal lines", "Journal lines",
    (Field("date", "Date", "Line", "date"), Field("account", "Account", "Account", "code", "account"),
     Field("amount", "Amount", "Line", "amount", digits=2), Field("user", "User", "Line", "text")),
    ("date",),
)  # fmt: skip
BODY = {
    "extract": "x", "title": "X", "rows": "journal lines",
    "columns": ["date", "account", {"column": "amount", "total": "sum", "as": "Spent"},
                {"formula": "spent/2", "as": "Half"}],
    "keep": [{"Spent": "not 0"}], "sort": ["Spent falling", "account"],
    "layouts": [{"layout": "One", "columns": ["account", "Spent"], "widths": {"Spent": "14"},
                 "formats": {"Spent": "whole"}, "subtotals": "account",
                 "pivot": {"down": "account", "across": "date", "value": "Spent", "top": "5"}}],
}  # fmt: skip


@pytest.mark.parametrize(
    ("change", "told"),
    [
        ({"columns": []}, "It has no columns"),
        ({"columns": ["date", "date"]}, "Two columns are called 'date'"),
        ({"columns": [{"formula": "1"}]}, "A formula needs a title"),
        ({"columns": [{"column": "a", "formula": "b", "as": "c"}]}, "a field or a formula"),
        ({"columns": [{"column": "a", "total": "middle"}]}, "'middle' is no total"),
        ({"where": [{"date": "{when}"}]}, "It asks no 'when'"),
        ({"where": [{"a": "1", "b": "2"}]}, "about one field"),
        ({"ask": [{"ask": "A b"}]}, "can't name a question"),
        ({"ask": [{"ask": "a", "type": "colour"}]}, "'colour' is no type"),
        ({"ask": [{"ask": "a"}, {"ask": "a"}]}, "Two questions have one name"),
        ({"sort": ["nothing falling"]}, "There is no column 'nothing'"),
        ({"top": "0"}, "'0' is no whole number"),
        ({"layouts": [{"layout": ""}]}, "A layout needs a name"),
        ({"layouts": [{"layout": "A"}, {"layout": "a"}]}, "Two layouts have one name"),
        ({"layouts": [{"layout": "A", "columns": ["gone"]}]}, "layout A: There is no column 'gone'"),
        ({"layouts": [{"layout": "A", "formats": {"date": "loud"}}]}, "'loud' is no format"),
        ({"layouts": [{"layout": "A", "pivot": {"down": "date"}}]}, "A pivot needs what goes down and a value"),
        ({"layouts": [{"layout": "A", "pivot": {"down": "date", "across": "date", "value": "account"}}]}, "stands in a "
         "pivot once"),
    ],
)  # fmt: skip
def test_what_is_no_extract_is_refused_in_words(change, told):
    with pytest.raises(RulkaError) as caught:
        extract_from({**BODY, "sort": [], "keep": [], "layouts": [], **change})
    assert told in str(caught.value)


def test_a_layout_reads_back_as_it_was():
    layout = extract_from(BODY).layout("one")
    assert layout_from(layout_mapping(layout)) == layout
    assert layout.pivot.top == 5 and layout.by == "account" and layout.widths == {"Spent": 14}


def test_a_new_title_is_followed_by_all_that_names_the_column():
    body = edits.change_column(BODY, "Spent", title="Cost", total="sum")
    found = extract_from(body)
    assert found.column_keys == ["date", "account", "Cost", "Half"]
    assert [one.words for one in found.sort] == ["Cost falling", "account"] and found.keep[0].field == "Cost"
    layout = found.layouts[0]
    assert layout.columns == ("account", "Cost") and layout.pivot.value == "Cost" and layout.widths == {"Cost": 14}


def test_a_column_that_goes_takes_along_what_names_it():
    found = extract_from(edits.remove_column(edits.remove_column(BODY, "Half"), "Spent"))
    assert found.column_keys == ["date", "account"] and not found.keep
    assert [one.words for one in found.sort] == ["account"]
    assert found.layouts[0].columns == ("account",) and not found.layouts[0].pivot


def test_fields_are_put_in_and_taken_out_several_at_once():
    body = edits.choose_fields(BODY, ROWS, ["account", "user", "amount"])
    assert extract_from(body).column_keys == ["account", "Spent", "Half", "user", "amount"]
    assert extract_from(edits.move_column(body, "user", -5)).column_keys[0] == "user"
    with pytest.raises(RulkaError, match="needs a column"):
        edits.choose_fields({"extract": "y", "title": "Y", "rows": "journal lines", "columns": ["date"]}, ROWS, [])


def test_questions_are_named_anew_taken_over_and_away():
    body = edits.set_ask(BODY, "", {"ask": "accounts", "type": "selection", "of": "account"})
    body = edits.set_condition(body, "where", 999, "account", "6*, {accounts}")
    body = edits.set_ask(body, "accounts", {"ask": "chosen", "type": "selection", "of": "account"})
    assert body["where"] == [{"account": "6*, {chosen}"}]
    other = edits.copied_asks({**BODY, "extract": "y"}, body, ["chosen"])
    assert other["ask"][0]["ask"] == "chosen" and other["where"] == [{"account": "6*, {chosen}"}]
    assert edits.copied_asks(other, body, ["chosen"])["ask"] == other["ask"]  # once
    bare = edits.remove_ask(body, "chosen")
    assert "ask" not in bare and "where" not in bare


def test_order_goes_first_by_what_was_chosen_last():
    body = edits.sort_by(edits.sort_by(BODY, "date", "falling"), "account", "rising")
    assert body["sort"] == ["account", "date falling", "Spent falling"]
    assert edits.sort_by(body, "account", "none")["sort"] == ["date falling", "Spent falling"]


# pivots and changes -------------------------------------------------------------------------------------------------


def test_the_largest_stay_by_size_whatever_their_sign_and_the_rest_is_told():
    asked = AskedPivot((0,), (1,), 2, "sum", top=2)
    rows = [(("a",), 10), (("b",), -500), (("c",), 70), ((None,), 3)]
    assert ordered_down(asked, dict(rows)) == [("b",), ("c",), ("a",), (None,)]
    cells = [(("a", "x"), 10), (("b", "x"), -500), (("c", "y"), 70), ((None, "y"), 3)]
    pivot = pivot_from(asked, cells, rows, [(("x",), -490), (("y",), 73)], -417, [(("x",), 10), (("y",), 3)], 13)
    assert pivot.down == (("b",), ("c",)) and pivot.others == 2 and pivot.other_total == 13
    assert pivot.across == (("x",), ("y",)) and pivot.cells[("b",), ("x",)] == -500
    with pytest.raises(RulkaError, match="201 values would stand across"):
        pivot_from(asked, [], [], [((at,), 1) for at in range(201)], 1)


def test_rows_are_new_gone_changed_or_the_same():
    before = [("a", 1), ("b", 2), ("c", 3), ("d", 4), ("d", 5)]
    after = [("a", 1), ("b", 9), ("e", 7), ("d", 5), ("d", 6)]
    found = differences(before, after, [0], most=100)
    assert (found.new, found.gone, found.changed, found.same) == (1, 1, 2, 2)
    told = {(one.what, one.row): one.places for one in found.rows}
    assert told == {("changed", ("b", 9)): (1,), ("new", ("e", 7)): (), ("changed", ("d", 6)): (1,),
                    ("gone", ("c", 3)): ()}  # fmt: skip
    assert len(differences(before, after, [0], most=1).rows) == 1
