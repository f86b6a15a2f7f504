"""Edits of definitions: tables of cases, and properties that hold for any edit."""

from __future__ import annotations

import copy
from pathlib import Path

import numpy as np
import pytest
import yaml
from hypothesis import given
from hypothesis import strategies as st

from rulka.core.books.chart import Item, code_list
from rulka.core.books.selection import select
from rulka.core.definitions.spans import span_from
from rulka.core.definitions.spines import spine_from
from rulka.core.edits import columns, lines
from rulka.core.edits.choosing import (
    NOTHING,
    accounts_clause,
    mask_of,
    read_codes,
    with_accounts,
    with_below,
    with_range,
    without_accounts,
    without_below,
    written_out,
)
from rulka.core.edits.differences import differences
from rulka.core.edits.nodes import nodes_of_text, text_of_nodes
from rulka.core.edits.pasting import lines_of_text, text_of_lines
from rulka.core.edits.settings import set_line
from rulka.core.edits.tree import spots
from rulka.core.errors import RulkaError

CASES = Path(__file__).parent.parent.parent / "cases" / "edits"
CODES = ["4", "40", "41", "42", "43", "50", "51", "60", "61", "62"]
CHART = code_list(
    "account",
    [
        Item(code, f"Account {code}", parent="4" if code[0] == "4" and code != "4" else "", type="revenue")
        for code in CODES
    ],
)


def read_spine(text):
    """`Label: accounts`, `Label = formula` and `Label >` with what it holds indented, as a body."""
    body = {"spine": "s", "lines": []}
    open_lists = [(-1, body["lines"])]
    for row in filter(str.strip, text.splitlines()):
        depth = len(row) - len(row.lstrip())
        while open_lists[-1][0] >= depth:
            open_lists.pop()
        siblings = open_lists[-1][1]
        if row.rstrip().endswith(">"):
            label = row.strip(" >")
            siblings.append({"section": label, "lines": [], "total": lines.total_of(label)})
            open_lists.append((depth, siblings[-1]["lines"]))
        elif " = " in row:
            label, formula = row.strip().split(" = ", 1)
            siblings.append({"calculation": label, "formula": formula})
        else:
            label, accounts = row.strip().split(": ", 1)
            siblings.append({"line": label, "accounts": NOTHING if accounts == "none" else accounts.strip('"')})
    return body


def shown(raws):
    """A body without its keys, so that cases say only what a reader sees."""
    return [
        {name: shown(value) if name == "lines" else value for name, value in raw.items() if name != "key"}
        for raw in raws
    ]


def do(body, what, first, *rest):
    keys = first.split(",")
    actions = {
        "add": lambda: lines.insert(body, first, rest[0], [lines.new_line(body, "line")]),
        "move": lambda: lines.move(body, keys, rest[0]),
        "drop": lambda: lines.move_to(body, keys, *rest),
        "enclose": lambda: lines.enclose(body, keys),
        "dissolve": lambda: lines.dissolve(body, first),
        "merge": lambda: lines.merge(body, keys, CHART),
        "duplicate": lambda: lines.duplicate(body, keys),
        "remove": lambda: lines.remove(body, keys),
        "kind": lambda: lines.change_kind(body, first, rest[0]),
        "set": lambda: set_line(body, first, *rest),
    }
    return actions[what]()


def cases(name):
    found = yaml.load((CASES / f"{name}.yaml").read_text(), Loader=yaml.BaseLoader)
    return [pytest.param(case, id=case["title"]) for case in found]


@pytest.mark.parametrize("case", cases("lines"))
def test_edit_of_lines_gives_what_its_case_says(case):
    body = read_spine(case["before"])
    if "error" in case:
        with pytest.raises(RulkaError) as refused:
            do(body, *case["do"])
        assert case["error"] in f"{refused.value.message} {refused.value.hint}"
        return
    edited = do(body, *case["do"])
    assert shown(body["lines"]) == shown(read_spine(case["after"])["lines"])
    assert edited.told
    if "chosen" in case:
        assert list(edited.chosen) == case["chosen"]
    if "keys" in case:
        assert list(spots(body)) == case["keys"]
    spine_from(body)


@pytest.mark.parametrize("case", cases("choosing"))
def test_choice_of_accounts_gives_what_its_case_says(case):
    how, *codes = case["do"]
    given_by = {
        "add": lambda text: with_accounts(text, codes, CHART),
        "drop": lambda text: without_accounts(text, codes, CHART),
        "range": lambda text: with_range(text, *codes, CHART),
        "below": lambda text: with_below(text, codes[0], CHART),
        "not-below": lambda text: without_below(text, codes[0], CHART),
    }[how]
    assert given_by(case["text"]) == case["gives"]


TEXTS = st.sampled_from(
    [
        "* except *",
        "4*",
        "40 to 42",
        "4* except 41*",
        "under:4, 60",
        "* except 4*, 50",
        "6* except 61",
        "51",
        "40, 41, 62",
    ]
)


@given(TEXTS, st.lists(st.tuples(st.booleans(), st.sampled_from(CODES)), max_size=8))
def test_ticking_and_unticking_means_just_what_is_ticked(text, ticks):
    wanted = set(np.array(CODES)[mask_of(accounts_clause(text)[0], CHART)])
    for on, code in ticks:
        text = with_accounts(text, [code], CHART) if on else without_accounts(text, [code], CHART)
        wanted = wanted | {code} if on else wanted - {code}
        assert {
            item.code for item, inside in zip(CHART.items, select(text, CHART).mask, strict=True) if inside
        } == wanted


@given(st.sets(st.sampled_from(CODES), min_size=1))
def test_written_out_selection_means_its_accounts(codes):
    mask = np.array([code in codes for code in CODES])
    assert (select(written_out(mask, CHART).text(), CHART).mask == mask).all()


MOVES = st.lists(st.tuples(st.sampled_from(["up", "down", "in", "out"]), st.integers(0, 6)), max_size=12)


@given(MOVES)
def test_moves_lose_no_line_and_keep_every_key(moves):
    body = read_spine('S >\n  A: 40\n  B: 41\n  T >\n    A 2: 42\nC = "Total s" * 2\nD: 50\n')
    before = {key: spot.label for key, spot in spots(body).items()}
    for way, number in moves:
        former = copy.deepcopy(body)
        try:
            lines.move(body, [list(before)[number]], way)
        except RulkaError:
            assert body == former
        assert {key: spot.label for key, spot in spots(body).items()} == before
        spine_from(body)


def test_key_is_written_down_only_where_moving_would_change_it():
    body = {
        "spine": "s",
        "lines": [{"line": "A", "accounts": "40"}, {"line": "A", "accounts": "41"}, {"line": "B", "accounts": "50"}],
    }
    lines.move(body, ["b"], "up")
    assert not any("key" in raw for raw in body["lines"])
    lines.move(body, ["a-2"], "up")
    lines.move(body, ["a-2"], "up")
    assert [spot.raw["accounts"] for key, spot in spots(body).items() if key == "a-2"] == ["41"]


def test_check_says_either_what_holds_or_what_agrees():
    body = read_spine("A: 40\nB: 41\n")
    lines.insert(body, "b", "below", [lines.new_line(body, "check")])
    set_line(body, "new-check", "agree", "A\nB")
    assert body["lines"][2] == {"check": "New check", "agree": ["A", "B"]}
    set_line(body, "new-check", "holds", "A > B")
    assert body["lines"][2] == {"check": "New check", "holds": "A > B"}
    spine_from(body)


# -- text ------------------------------------------------------------------------------------------


def test_lines_copied_as_text_come_back():
    body = read_spine('Income >\n  Fares: 40 to 42\n  Shop: 50\nDouble = "Total income" * 2\nLater: none\n')
    text = text_of_lines(body["lines"])
    assert text.splitlines()[1] == "  Fares\t40 to 42"
    assert lines_of_text(text, CHART).raws == body["lines"]


@pytest.mark.parametrize(
    ("text", "raws"),
    [
        ("Fares\t40", [{"line": "Fares", "accounts": "40"}]),
        ("40\tFares\t1,234.50", [{"line": "Fares", "accounts": "40"}]),
        ("40", [{"line": "Account 40", "accounts": "40"}]),
        (
            "Fares\t40 41 42\nShop\t50; ",
            [{"line": "Fares", "accounts": "40, 41, 42"}, {"line": "Shop", "accounts": "50"}],
        ),
        ("\r\nFares\r\n", [{"line": "Fares", "accounts": NOTHING}]),
        (
            "Income\n\tFares\t40\n\tShop\t50",
            [
                {
                    "section": "Income",
                    "total": "Total income",
                    "lines": [{"line": "Fares", "accounts": "40"}, {"line": "Shop", "accounts": "50"}],
                }
            ],
        ),
        ("Fares\t=1+", [{"line": "Fares", "accounts": NOTHING}]),
    ],
)
def test_rows_of_a_spreadsheet_become_lines(text, raws):
    assert lines_of_text(text, CHART).raws == raws


def test_codes_that_do_not_exist_are_named_when_rows_are_pasted():
    assert lines_of_text("Fares\t77", CHART).notes == ("Row 1, Fares: '77' names no account of this ledger",)
    with pytest.raises(RulkaError, match="There is nothing to paste"):
        lines_of_text(" \n\t\n", CHART)
    with pytest.raises(RulkaError, match="1001 rows are too many"):
        lines_of_text("a\n" * 1001, CHART)


def test_pasted_codes_are_told_apart_into_known_unknown_and_doubled():
    read = read_codes("40\tFares\n41 Shop\n40\n\n77\n", CHART)
    assert (read.codes, read.unknown, read.twice) == (("40", "41"), ("77",), 1)
    assert read_codes("40, 41;42", CHART).codes == ("40", "41", "42")


# -- columns ---------------------------------------------------------------------------------------


def span():

    return {
        "span": "p",
        "columns": [
            {"column": "now"},
            {"column": "plan", "scenario": "budget"},
            {"column": "gap", "difference": ["now", "plan"], "heading": "Gap"},
        ],
    }


def written(body):
    span_from(body)
    return [columns.key_of(raw) for raw in body["columns"]]


def test_new_column_stands_right_of_the_chosen_one_and_compares_what_is_left_of_it():
    body = span()
    edited = columns.insert(body, "plan", "below", columns.new_column(body, "percent", "plan"))
    assert written(body) == ["now", "plan", "percent", "gap"] and edited.chosen == ("percent",)
    assert body["columns"][2]["percent"] == ["now", "plan"]
    with pytest.raises(RulkaError, match="A difference column works on 2 columns of amounts"):
        columns.new_column({"span": "p", "columns": [{"column": "now"}]}, "difference", "now")


def test_columns_duplicated_together_work_on_each_other():
    body = span()
    columns.duplicate(body, ["now", "gap"])
    assert written(body) == ["now", "plan", "gap", "now-2", "gap-2"]
    assert body["columns"][4]["difference"] == ["now-2", "plan"]


def test_pasted_columns_take_free_keys_and_their_operands_along():
    body = span()
    columns.paste(body, "now", [{"column": "now", "window": "quarter"}, {"column": "rise", "percent": ["now", "plan"]}])
    assert [columns.key_of(raw) for raw in body["columns"]] == ["now", "now-2", "rise", "plan", "gap"]
    assert body["columns"][2]["percent"] == ["now-2", "plan"]
    body = {"span": "p", "columns": [{"column": "now"}]}
    columns.paste(body, "", [{"column": "now"}, {"column": "now-2"}, {"column": "rise", "formula": '"now-2" - now'}])
    assert [columns.key_of(raw) for raw in body["columns"]] == ["now", "now-2", "now-2-2", "rise"]
    assert body["columns"][3]["formula"] == '"now-2-2" - "now-2"'  # the copies of each, not a copy of a copy
    with pytest.raises(RulkaError, match="They work on before, which is not here"):
        columns.paste(body, "", [{"column": "rise", "percent": ["now", "before"]}])


def test_column_that_others_work_on_stays():
    body = span()
    with pytest.raises(RulkaError, match="now is used by gap"):
        columns.remove(body, ["now"])
    columns.remove(body, ["now", "gap"])
    assert written(body) == ["plan"]
    with pytest.raises(RulkaError, match="keeps at least one column"):
        columns.remove(body, ["plan"])


def test_column_moves_and_a_comparison_left_of_its_operands_is_refused_by_the_span():
    body = span()
    columns.move(body, ["plan"], "left")
    assert written(body) == ["plan", "now", "gap"]
    columns.move(body, ["gap"], "left")
    with pytest.raises(RulkaError, match="no column to the left"):
        span_from(body)
    with pytest.raises(RulkaError, match="It can't go further"):
        columns.move(body, ["plan"], "left")


def test_new_key_of_a_column_is_followed():
    body = span()
    columns.set_column(body, "plan", "key", "budget")
    assert body["columns"][2]["difference"] == ["now", "budget"]
    with pytest.raises(RulkaError, match="used twice"):
        columns.set_column(body, "budget", "key", "now")


def test_kind_of_a_column_changes_and_looks_stay():
    body = span()
    body["columns"][1] |= {"hide": "always", "window": "quarter"}
    columns.change_kind(body, "plan", "series")
    assert (
        body["columns"][1]["each"] == "period"
        and body["columns"][1]["hide"] == "always"
        and "window" not in body["columns"][1]
    )
    columns.change_kind(body, "gap", "figures")
    assert written(body) == ["now", "plan", "gap"] and "difference" not in body["columns"][2]


def test_one_heading_over_several_columns():
    body = span()
    columns.set_heading_over(body, ["now", "plan"], "{window}")
    assert [raw.get("group") for raw in body["columns"]] == ["{window}", "{window}", None]


# -- differences -----------------------------------------------------------------------------------


def test_differences_are_told_in_words():
    before = read_spine("S >\n  A: 40\n  B: 41\nC: 50\nD: 51\n")
    after = copy.deepcopy(before)
    set_line(after, "a", "accounts", "40, 42")
    set_line(after, "b", "label", "Shop")
    lines.move(after, ["c"], "in")
    lines.remove(after, ["d"])
    lines.insert(after, "s", "above", [{"heading": "New"}])
    assert differences(before, after) == [
        "New: added",
        "A: accounts 40 to 40, 42",
        "Shop: label B to Shop",
        "D: deleted",
        "C: moved into S",
    ]
    assert differences(before, copy.deepcopy(before)) == []
    assert differences(None, before) == ["made"]
    changed = span()
    changed["columns"][1]["number"] = {"decimals": "2"}
    changed["columns"].pop()
    assert differences(span(), changed) == ["column plan: number decimals set to 2", "column Gap: deleted"]


# -- nodes -----------------------------------------------------------------------------------------


def test_nodes_are_text_and_back():
    nodes = [
        {
            "node": "all",
            "name": "All of it",
            "of": "entity: TF",
            "nodes": [{"grow": "department", "nodes": [{"grow": "crossing"}]}, {"node": "n", "name": "North"}],
        },
        {"grow": "crossing"},
    ]
    text = text_of_nodes(nodes)
    assert text.splitlines() == [
        "all | All of it | entity: TF", "  grow department", "    grow crossing", "  n | North", "grow crossing"
    ]  # fmt: skip
    assert nodes_of_text(text) == nodes
    for wrong, message in (
        ("", "at least one node"),
        ("a | b | c | d", "Row 1 isn't written"),
        ("grow x\n  y", "Row 2 stands below 'grow'"),
    ):
        with pytest.raises(RulkaError, match=message):
            nodes_of_text(wrong)
