"""What a text shows as a number, figures in words, proposals, searching, circles, edits."""

from __future__ import annotations

from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

from rulka.core.errors import RulkaError
from rulka.core.filings import edits
from rulka.core.filings.facts import facts_of, in_words
from rulka.core.filings.proposing import alike, all_proposals, moved_to, proposals, searched
from rulka.core.filings.reported import decimals_shown, digits_shown, number_shown
from rulka.core.filings.taxonomy import Concept, Concepts, circle_in
from rulka.core.money import grouped
from tests.core.filings.world import TAXONOMY, body, cell, material, reported

SHOWN = [
    ("1\u00a0234.50", ".", Decimal("1234.50")),
    ("\u22121\u00a0234", ".", Decimal(-1234)),
    ("(1,234.5)", ".", Decimal("-1234.5")),
    ("1.234,50", ",", Decimal("1234.50")),
    ("12.5\u00a0%", ".", Decimal("12.5")),
    ("\u2013", ".", Decimal(0)),
    ("0", ".", Decimal(0)),
    ("EUR\u00a0(1\u00a0234.5)", ".", Decimal("-1234.5")),
    ("n/m", ".", None),
    ("", ".", None),
    ("\u0661\u0662", ".", None),  # other scripts' digits
    ("1.2.3", ".", None),
]


@pytest.mark.parametrize(("text", "mark", "number"), SHOWN)
def test_the_number_that_a_text_shows(text, mark, number):
    assert number_shown(text, mark) == number


@given(st.integers(-(10**12), 10**12), st.integers(0, 4))
def test_every_figure_that_a_page_writes_is_read_again(units, digits):
    text = grouped(units, digits)
    assert number_shown(text) == Decimal(units).scaleb(-digits)
    assert decimals_shown(text) == digits and digits_shown(text) in text


WORDS = [  # the fact is 250.00 EUR, shown as -250.00
    ("\u2212250.00", Decimal(250), 2, 0),
    ("250", Decimal(250), 0, 0),  # without its sign
    ("0.3", Decimal("300"), -2, 3),  # thousands, rounded up from 0.25
    ("251", None, 0, 0),
    ("250\u00a0000", None, 0, 0),
]


@pytest.mark.parametrize(("text", "value", "decimals", "scale"), WORDS)
def test_a_figure_in_words_is_the_fact_in_its_own_unit_or_none(text, value, decimals, scale):
    fuel = next(one for one in facts_of(material()) if one.concept == "x:Fuel")
    told = in_words(fuel, text)
    if value is None:
        assert told is None
    else:
        assert told is not None and (told.value, told.decimals, told.scale) == (value, decimals, scale)


def test_a_negative_fact_in_words_without_a_sign_stays_negative():
    loss = material(statement=reported(fares=cell("fares", text="\u22127.00", exact=Decimal(-7))))
    fares = next(one for one in facts_of(loss) if one.concept == "x:Fares")
    told = in_words(fares, "7")
    assert fares.value == Decimal(-7) and told is not None and told.value == Decimal(-7)


def test_proposals_take_kind_words_and_what_was_tagged_before():
    none = material(body(lines=dict.fromkeys(("fares", "shop", "income", "fuel", "trips"))))
    taken = {line.key: one.concept.name for _, line, one in all_proposals(none, {})}
    assert taken == {
        "fares": "x:Fares", "shop": "x:ShopIncome", "income": "x:Income", "fuel": "x:Fuel", "trips": "x:Trips"
    }  # fmt: skip
    fuel = none.statements[0].line("fuel")
    assert fuel is not None
    first = proposals(none, none.statements[0], fuel, {"fuel": "x:Income"})[0]
    assert (first.concept.name, first.why) == ("x:Income", "tagged so before")
    assert all(one.concept.period == "duration" and one.concept.kind == "money" for one in
               proposals(none, none.statements[0], fuel, {}))  # fmt: skip


def test_lines_that_are_tagged_are_left_as_they_are():
    assert list(all_proposals(material(), {})) == []


def test_likeness_of_labels():
    assert alike("Fuel", "fuel") == 1 and alike("Fuel", "Cash") == 0
    assert alike("Total income", "Income") > alike("Total income", "Other income")


NEXT = Concepts(
    "Tiny", "2027", "e", {"x": "http://tiny.example/2027"},
    {one.name: one for one in (
        Concept("x:BunkerFuel", "Fuel", "money", "duration", "debit"),
        Concept("x:FuelStock", "Fuel in stock", "money", "instant", "debit"),
        Concept("x:Fares", "Fares", "money", "duration", "credit"),
    )},
)  # fmt: skip


def test_a_renamed_concept_is_proposed_by_label_and_kind_and_nothing_moves_by_itself():
    found = moved_to(NEXT, "x:Fuel", TAXONOMY)
    assert [(one.concept.name, one.why) for one in found] == [("x:BunkerFuel", "the same label")]
    assert "x:FuelStock" in {one.concept.name for one in moved_to(NEXT, "x:Fuel", None)}  # by its name alone
    raw = body()
    other = edits.by_taxonomy(raw, "tiny-2027")
    assert other["statements"] == raw["statements"] and other["former taxonomy"] == "tiny"


def test_searching_finds_every_word_in_labels_and_names():
    assert [one.name for one in searched(TAXONOMY, "income")] == ["x:Income", "x:ShopIncome"]
    assert [one.name for one in searched(TAXONOMY, "bunker")] == ["x:Fuel"]
    assert searched(TAXONOMY, "income fuel") == [] and searched(TAXONOMY, " ") == []
    assert "x:Heading" not in {one.name for one in searched(TAXONOMY, "everything")}


def test_circles_are_named_from_their_first_to_itself():
    assert circle_in([("a", "b"), ("b", "c"), ("a", "c")]) == []
    assert circle_in([("a", "b"), ("b", "c"), ("c", "b")]) == ["b", "c", "b"]
    assert circle_in([("a", "a")]) == ["a", "a"]
    long = [(f"n{at}", f"n{at + 1}") for at in range(5000)]
    assert circle_in(long) == [] and len(circle_in([*long, ("n5000", "n0")])) == 5002


def test_edits_put_take_and_move_tags():
    raw = body()
    twice = edits.tagged_line(body(more=[{"line": "fares", "concept": "x:Income"}]), "result", "fares",
                              {"concept": "x:Fares"})  # fmt: skip
    assert [one["line"] for one in twice["statements"][0]["lines"]].count("fares") == 1
    away = edits.untagged(raw, "result", line="fares")
    assert "fares" not in [one["line"] for one in away["statements"][0]["lines"]] and raw == body()
    moved = edits.moved_concept(raw, "x:Fuel", "x:Fares")
    assert [one["concept"] for one in moved["statements"][0]["lines"]].count("x:Fares") == 2
    with pytest.raises(RulkaError, match="Nothing is tagged as 'x:Nothing'"):
        edits.moved_concept(raw, "x:Nothing", "x:Fares")


def test_sections_with_one_concept_become_one_text():
    raw = edits.tagged_text(body(), "more", "x:Words")
    assert raw["texts"] == [{"concept": "x:Words", "sections": ["words", "more"]}]
    assert edits.tagged_text(raw, "words", "")["texts"] == [{"concept": "x:Words", "sections": ["more"]}]
    assert edits.tagged_text(edits.tagged_text(raw, "words", ""), "more", "")["texts"] == []
