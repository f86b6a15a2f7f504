"""The selection language."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rulka.core.books.chart import Item, code_list
from rulka.core.books.selection import SelectionError, SelectionPart, parse_selection, select
from rulka.core.errors import RulkaError


def codes_as_text(codes):
    return ", ".join(SelectionPart("code", code).text() for code in codes)


CODES = code_list(
    "account",
    [
        Item("1000", "Bank", type="asset", category="cash and bank"),
        Item("4000", "Income", type="revenue"),
        Item("4010", "Adults", "4000", "revenue", "fares"),
        Item("4020", "Children", "4010", "revenue", "fares"),
        Item("40[1]", "Odd", type="revenue"),
        Item("5000", "Wages", type="expense"),
        Item("a, b", "With comma", type="expense"),
        Item("to", "A keyword", type="expense"),
        Item("0100", "Leading zero", type="asset"),
    ],
)

CASES = {
    "one code": ("4010", "4010"),
    "range with both ends": ("4000 to 4020", "4000 4010 4020"),
    "range compares as text": ("1 to 4", "1000"),
    "any run": ("40*", "4000 4010 4020 40[1]"),
    "one character": ("40?0", "4000 4010 4020"),
    "a bracket is no pattern": ("40[1*", "40[1]"),
    "under includes the parent and all below": ("under:4000", "4000 4010 4020"),
    "type": ("type:asset", "0100 1000"),
    "category in quotes, any case": ('CATEGORY:"Cash And Bank"', "1000"),
    "except takes away all after it": ("*, 5000 except 40*, type:asset", '5000 "a, b" "to"'),
    "a code with a comma": ('"a, b"', '"a, b"'),
    "a keyword as a code": ('"to"', '"to"'),
    "spaces are free": ("  4010,4020  EXCEPT   4020 ", "4010"),
    "colon with spaces": ("under : 4010", "4010 4020"),
    "leading zeros count": ("0100", "0100"),
}


@pytest.mark.parametrize(("text", "codes"), CASES.values(), ids=CASES)
def test_selection_means_these_accounts(text, codes):
    matched = select(text, CODES)
    found = [item.code for item, chosen in zip(CODES.items, matched.mask, strict=True) if chosen]
    assert codes_as_text(found) == ", ".join(codes.replace('"a, b"', "#").split(" ")).replace("#", '"a, b"')
    assert matched.warnings == ()


ERRORS = {
    "": (1, "a code"),
    "4010,": (6, "a code"),
    "4010 to": (8, "the code that ends the range"),
    "4010 4020": (6, "a comma, 'to', 'only' or 'except'"),
    "type:": (6, "an account type after 'type:'"),
    "kind:asset": (1, "'under', 'type' or 'category' before a colon"),
    '4010, "x': (7, "a closing quote"),
    "except 4010": (1, "a code"),
    "4* except": (10, "a code"),
    "4* except 1 except 2": (13, "a comma, 'to', 'only' or 'except'"),
}


@pytest.mark.parametrize("text", ERRORS)
def test_unreadable_selection_points_at_the_character(text):
    position, expected = ERRORS[text]
    with pytest.raises(SelectionError) as caught:
        parse_selection(text)
    assert f"At character {position} of the selection: expected {expected}" in caught.value.message


def test_part_that_matches_nothing_is_a_warning():
    assert select("4010, 7*, under:77", CODES).warnings == ("'7*' matches no account", "'under:77' matches no account")


@given(
    st.lists(st.text(st.characters(blacklist_categories=("Cs", "Cc")), min_size=1, max_size=12), min_size=1, max_size=5)
)
def test_codes_written_as_text_read_back(codes):
    stripped = [code.strip() or "x" for code in codes]
    selection = parse_selection(codes_as_text(stripped))
    assert [part.first for part in selection.included] == stripped
    assert parse_selection(selection.text()).text() == selection.text()


def test_loop_of_parents_is_refused_with_its_path():
    with pytest.raises(RulkaError, match="Parents go in a circle: a > b > a"):
        code_list("account", [Item("a", "", "b"), Item("b", "", "a")])
