"""Each check holds where all is right, and each planted mistake is found by its own check, with its place."""

from __future__ import annotations

from dataclasses import replace
from decimal import Decimal
from typing import Any

import pytest

from rulka.core.errors import RulkaError
from rulka.core.filings.checking import TITLES, judged, verdict_on
from rulka.core.filings.definitions import filing_from
from rulka.core.filings.facts import Material, facts_of
from rulka.core.filings.reported import ReportedColumn, ReportedWords
from tests.core.filings.world import END, TAXONOMY, YEAR, body, cell, material, reported


def failing(made: Material) -> dict[str, list[str]]:
    return {
        one.code: [problem.message for problem in one.problems if not problem.warns]
        for one in judged(made) if one.state == "fails"
    }  # fmt: skip


def test_what_is_right_holds_and_everything_was_judged():
    checks = judged(material())
    assert [one.code for one in checks] == list(TITLES) and {one.state for one in checks} == {"holds"}
    assert all(one.count for one in checks) and verdict_on(checks) == "holds"


def test_values_are_those_that_show_with_signs_turned():
    by_concept = {one.concept: one for one in facts_of(material())}
    assert {name: (one.value, one.decimals, one.unit) for name, one in by_concept.items()} == {
        "x:Fares": (Decimal(700), 2, "iso4217:EUR"), "x:ShopIncome": (Decimal(300), 2, "iso4217:EUR"),
        "x:Income": (Decimal(1000), 2, "iso4217:EUR"), "x:Fuel": (Decimal(250), 2, "iso4217:EUR"),
        "x:Trips": (Decimal(12), 0, "xbrli:pure"),
    }  # fmt: skip


# title, what is changed, the check that fails, words of its message
PLANTED: list[tuple[str, dict[str, Any], str, str]] = [
    ("nobody files", {"raw": body(identifier="")}, "who", "Nothing says who files"),
    ("a part is seen", {"part": "TF only"}, "whole", "a part of the whole: TF only"),
    (
        "a sealed figure",
        {"statement": reported(fuel=cell("fuel", text="sealed", exact=None, word="sealed"))},
        "whole",
        "Fuel, 2026 is sealed for you",
    ),
    ("a statement can't be shown", {"problems": {"gone": "It is closed."}}, "whole", "'gone' can't be shown"),
    (
        "a section of another year",
        {"words": (ReportedWords("words", "In words", "text", False, True, "2025-P12"),)},
        "current",
        "'In words' is done for 2025-P12",
    ),
    ("an untagged line", {"raw": body(lines={"trips": None})}, "tagged", "'Trips' isn't tagged (12)"),
    ("a column of which nothing is said", {"raw": body(columns=[])}, "tagged", "whether the column '2026'"),
    ("a line that is gone", {"raw": body(lines={"old": {"concept": "x:Cash"}})}, "found", "the line 'old' is gone"),
    ("a column that is gone", {"raw": body(columns=[{"column": "year"}, {"column": "old"}])}, "found", "'old' is gone"),
    (
        "a statement that is gone",
        {"raw": body(more=[]) | {"statements": [{"statement": "other", "lines": []}]}},
        "found",
        "doesn't show the statement 'other'",
    ),
    (
        "a section that is gone",
        {"raw": body(texts=[{"concept": "x:Words", "sections": ["nowhere"]}])},
        "found",
        "no section of words 'nowhere'",
    ),
    ("two tags of a line", {"raw": body(more=[{"line": "fares", "concept": "x:Income"}])}, "once", "has 2 tags"),
    ("two tags of a cell", {"raw": body(columns=[{"column": "year", "concept": "x:Fuel"}])}, "once", "by its line and"),
    ("a concept that isn't there", {"raw": body(lines={"trips": {"concept": "x:Voyages"}})}, "known", "'x:Voyages'"),
    ("a heading", {"raw": body(lines={"trips": {"concept": "x:Heading"}})}, "known", "is a heading"),
    ("a wrong period type", {"raw": body(lines={"fares": {"concept": "x:Cash"}})}, "period", "reported at a day"),
    ("no time", {"statement": reported(fares=cell("fares", time=None))}, "period", "no time of its own"),
    ("a quantity as money", {"raw": body(lines={"trips": {"concept": "x:Fuel"}})}, "unit", "shows a quantity"),
    ("money as a number", {"raw": body(lines={"fuel": {"concept": "x:Trips"}})}, "unit", "shows money"),
    (
        "another unit",
        {"raw": body(lines={"fuel": {"concept": "x:Fuel", "sign": "turned", "unit": "iso4217:SEK"}})},
        "unit",
        "is in iso4217:EUR; its tag says iso4217:SEK",
    ),
    ("words as money", {"raw": body(texts=[{"concept": "x:Fuel", "sections": ["words"]}])}, "unit", "is words"),
    ("a wrong sign", {"raw": body(lines={"fuel": {"concept": "x:Fuel"}})}, "sign", "shows credits as positive"),
    (
        "a sign turned for nothing",
        {"raw": body(lines={"shop": {"concept": "x:ShopIncome", "sign": "turned"}})},
        "sign",
        "and is turned",
    ),
    (
        "a wrong scale",
        {"raw": body(lines={"fuel": {"concept": "x:Fuel", "sign": "turned", "scale": "3"}})},
        "scale",
        "reported as 250,000",
    ),
    (
        "a figure that is no number",
        {"statement": reported(fuel=cell("fuel", text="about 250"))},
        "scale",
        "'about 250' can't be read",
    ),
    (
        "a member that isn't there",
        {"raw": body(lines={"fares": {"concept": "x:Fares", "members": {"x:RouteAxis": "x:South"}}})},
        "members",
        "no member 'x:South'",
    ),
    (
        "a member that doesn't fit",
        {"raw": body(lines={"fares": {"concept": "x:Fares", "members": {"x:RouteAxis": "x:All"}}})},
        "members",
        "isn't reported for",
    ),
    ("contradicting duplicates", {"raw": body(lines={"shop": {"concept": "x:Fares"}})}, "duplicates", "is 700"),
    (
        "two texts of one concept",
        {
            "raw": body(
                texts=[{"concept": "x:Words", "sections": ["words"]}, {"concept": "x:Words", "sections": ["words"]}]
            )
        },
        "duplicates",
        "is reported as 2 texts",
    ),
    (
        "what doesn't add up",
        {"statement": reported(shop=cell("shop", text="299.00", exact=Decimal(299)))},
        "sums",
        "is 1,000.00; what adds up to it comes to 999.00 (Fares 700.00, Income of the shop 299.00): 1.00 between",
    ),
    ("a part of a sum that isn't reported", {"raw": body(lines={"shop": {"left out": "yes"}})}, "sums", "300.00"),
    (
        "a file of pages as text",
        {"words": (ReportedWords("words", "In words", "pdf", False, True),)},
        "texts",
        "file of pages",
    ),
    (
        "nothing written",
        {"words": (ReportedWords("words", "In words", "text", True, True),)},
        "texts",
        "Nothing was written",
    ),
]


@pytest.mark.parametrize(("title", "changed", "code", "words"), PLANTED, ids=[one[0] for one in PLANTED])
def test_each_planted_mistake_is_found(title, changed, code, words):
    checks = judged(material(**changed))
    found = next(one for one in checks if one.code == code)
    assert found.state == "fails" and verdict_on(checks) == "fails"
    assert any(words in one.message for one in found.problems), [one.message for one in found.problems]
    assert all(one.hint or code == "whole" for one in found.problems)


def test_a_problem_leads_to_its_place():
    checks = judged(material(body(lines={"fuel": {"concept": "x:Fuel"}})))
    place = next(one for one in checks if one.code == "sign").problems[0].place
    assert (place.statement, place.line, place.column, place.concept) == ("result", "fuel", "year", "x:Fuel")


def test_a_sign_that_somebody_is_sure_of_stands():
    assert failing(material(body(lines={"fuel": {"concept": "x:Fuel", "sure": "yes"}}))) == {}


def test_a_line_that_only_hides_now_keeps_its_tag():
    made = body(lines={"hidden": {"concept": "x:Cash"}}, columns=[{"column": "year"}, {"column": "hidden-column"}])
    assert failing(material(made)) == {}


def test_what_is_left_out_counts_as_said_and_is_no_fact():
    made = material(body(lines={"trips": {"left out": "yes"}}))
    assert failing(made) == {} and "x:Trips" not in {one.concept for one in facts_of(made)}
    none = material(body(columns=[{"column": "year", "reported": "no"}], texts=[]))
    assert facts_of(none) == [] and verdict_on(judged(none)) == "not judged"


def test_nothing_tagged_is_nothing_judged():
    checks = judged(material(body(lines=dict.fromkeys(("fares", "shop", "income", "fuel", "trips")), columns=[],
                                  texts=[])))  # fmt: skip
    states = {one.code: one.state for one in checks}
    assert states["scale"] == states["sums"] == states["sign"] == "not judged" and states["tagged"] == "fails"


def test_an_unfinished_text_warns_only():
    checks = judged(material(words=(ReportedWords("words", "In words", "text", False, False),)))
    assert verdict_on(checks) == "warns" and [one.code for one in checks if one.state == "warns"] == ["texts"]
    unwritten = judged(material(words=(ReportedWords("words", "In words", "text", False, False, is_begun=False),)))
    assert "as it begins" in next(one for one in unwritten if one.code == "texts").problems[0].message


# thousands with one decimal: 700.4 + 300.4 = 1,000.8, each rounded to tenths of a thousand
ROUNDED = [
    ("within rounding", "1.0", "0.7", "0.3", True),  # 0.95..1.05 meets 0.65+0.25 .. 0.75+0.35
    ("at the edge", "1.1", "0.7", "0.3", True),  # 1.05..1.15 touches 0.9..1.1
    ("beyond", "1.3", "0.7", "0.3", False),  # 1.25..1.35 lies above 1.1
]


@pytest.mark.parametrize(("title", "total", "first", "second", "holds"), ROUNDED, ids=[one[0] for one in ROUNDED])
def test_sums_of_rounded_figures_are_held_by_their_bounds(title, total, first, second, holds):
    def shown(line: str, text: str) -> Any:
        return cell(line, text=text, exact=Decimal(text) * 1000, scale=3, decimals=1)

    made = reported(income=shown("income", total), fares=shown("fares", first), shop=shown("shop", second))
    assert ("sums" not in failing(material(statement=made))) is holds


def test_the_same_figure_with_other_decimals_is_no_contradiction():
    whole, again = reported(), cell("fares", "again", text="0.7", scale=3, decimals=1)
    both = replace(
        whole,
        columns=(*whole.columns, ReportedColumn("again", "Again")),
        known_columns=whole.known_columns | {"again"},
        cells={**whole.cells, ("fares", "again"): again},
    )
    raw = body(columns=[{"column": "year"}, {"column": "again"}])
    assert failing(material(raw, both)) == {} and len(facts_of(material(raw, both))) == 6


def test_what_was_made_to_foot_may_be_one_step_off():
    off = reported(fuel=cell("fuel", text="\u2212250.01"))
    assert "scale" in failing(material(statement=off))
    assert "scale" not in failing(material(statement=replace(off, adjusted=True)))


def test_a_figure_at_a_day_takes_a_concept_at_a_day():
    made = reported(fuel=cell("fuel", text="250.00", exact=Decimal(250), time=END, side=1))
    assert failing(material(body(lines={"fuel": {"concept": "x:Cash"}}), made)) == {}


def test_a_tag_that_is_left_out_as_well_is_refused():
    with pytest.raises(RulkaError, match="It is tagged and left out"):
        filing_from(body(lines={"fuel": {"concept": "x:Fuel", "left out": "yes"}}))


def test_time_of_a_report_is_kept_whole():
    assert {one.time for one in facts_of(material())} == {YEAR} and TAXONOMY.takes("x:Fuel", {"x:Any": "x:Other"})
