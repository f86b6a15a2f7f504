"""Reports written by hand-made facts, read back by the validator: signs, scales, formats, members, texts; what is wrong
is said by it."""

from __future__ import annotations

from datetime import date
from decimal import Decimal
from html import escape

import pytest

from demo.taxonomy import package
from rulka.core.filings.facts import Fact, TextFact
from rulka.core.filings.reported import ReportedCell, ReportedTime
from rulka.core.filings.taxonomy import taxonomy_from
from rulka.formats.filings.apart import judged_apart, read_apart
from rulka.formats.filings.inline import InlinePage, InlineSection, inlined
from rulka.formats.filings.instance import instance

PACKAGE = package(2026)
ENTITY = ("http://registry.saltmarch.example/companies", "SM-1")
YEAR, END = ReportedTime(date(2025, 4, 1), date(2026, 3, 31)), ReportedTime(None, date(2026, 3, 31))
NORTH = (("coast:CrossingAxis", "coast:NorthMember"),)


@pytest.fixture(scope="module")
def taxonomy():
    return taxonomy_from(read_apart(PACKAGE, "s.zip"))


def fact(concept, text, value, *, time=YEAR, unit="iso4217:EUR", decimals=2, scale=0, members=(), mark="."):
    cell = ReportedCell("s", concept, "c", text, Decimal(value), scale, decimals, mark)
    return Fact(concept, time, members, unit, Decimal(value), decimals, scale, cell, concept)


FACTS = [
    fact("coast:Fuel", "1\u00a0234.50", "1234.50"),
    fact("coast:Wages", "2,5", "2500", decimals=-2, scale=3, mark=","),
    fact("coast:PassengerFares", "7\u2019000.25", "7000.25"),
    fact("coast:TaxCost", "12", "-12", decimals=0),
    fact("coast:Cash", "\u2013", "0", time=END),
    fact("coast:Sailings", "1\u00a0431", "1431", unit="xbrli:pure", decimals=0, members=NORTH),
]
TEXTS = [TextFact("coast:BasisOfPreparation", YEAR, ("basis", "more")), TextFact("coast:YearInWords", YEAR, ("words",))]
EXPECTED = {
    ("coast:Fuel", "2025-04-01", "2026-03-31", "iso4217:EUR", "2", Decimal("1234.50"), ()),
    ("coast:Wages", "2025-04-01", "2026-03-31", "iso4217:EUR", "-2", Decimal(2500), ()),
    ("coast:PassengerFares", "2025-04-01", "2026-03-31", "iso4217:EUR", "2", Decimal("7000.25"), ()),
    ("coast:TaxCost", "2025-04-01", "2026-03-31", "iso4217:EUR", "0", Decimal(-12), ()),
    ("coast:Cash", "", "2026-03-31", "iso4217:EUR", "2", Decimal(0), ()),
    ("coast:Sailings", "2025-04-01", "2026-03-31", "xbrli:pure", "0", Decimal(1431), NORTH),
}


def page(taxonomy, facts, texts=TEXTS):
    cells = "".join(
        f'<tr><th scope="row">{at}</th><td class="f">(<data value="{at}">{escape(one.cell.text)}</data>)</td></tr>'
        for at, one in enumerate(facts)
    )
    sections = [
        InlineSection("figures", "1 Figures", f'<table class="ftable"><tbody>{cells}</tbody></table>'),
        InlineSection("basis", "2 Basis", "<p>First &amp; <u>foremost</u>.</p><ul><li>One</li></ul><hr>"),
        InlineSection("words", "3 Words", "Bare words<br>and <script>alert(1)</script> more"),
        InlineSection(
            "more",
            "4 More",
            '<section onclick="x()" id="1 2"><p>Second <a href="javascript:x()">a</a>.</p></section>',
        ),
    ]
    return inlined(
        InlinePage("Report", "2026", "p { color: #000; } a > b { top: 0; }"), sections, taxonomy, ENTITY, facts, texts,
        lambda name: True,
    )  # fmt: skip


def told(facts):
    return {
        (one["concept"], one["first"], one["last"], one["unit"], one["decimals"], Decimal(one["value"]),
         tuple(one["members"].items()))
        for one in facts if one["unit"]
    }  # fmt: skip


def test_both_forms_say_the_same_and_the_validator_has_nothing_against_them(taxonomy):
    made = page(taxonomy, FACTS)
    inline = judged_apart(made.data, "ixbrl", PACKAGE)
    assert inline["messages"] == [] and told(inline["facts"]) == EXPECTED
    plain = judged_apart(instance(taxonomy, ENTITY, FACTS, TEXTS, made.words), "xbrl", PACKAGE)
    assert plain["messages"] == [] and told(plain["facts"]) == EXPECTED
    entities = {tuple(one["entity"]) for one in (*inline["facts"], *plain["facts"])}
    assert entities == {ENTITY}
    texts = [{one["concept"]: one["value"] for one in facts if not one["unit"]}
             for facts in (inline["facts"], plain["facts"])]  # fmt: skip
    assert texts[0].keys() == texts[1].keys() == {"coast:BasisOfPreparation", "coast:YearInWords"}
    basis = texts[0]["coast:BasisOfPreparation"]
    assert basis.index("foremost") < basis.index("One") < basis.index("Second ")
    assert "<script" not in texts[0]["coast:YearInWords"]
    assert not any(word in made.data for word in (b"onclick", b"<script", b"javascript", b'id="1 2"'))


WRONG = [
    ("an abstract concept", fact("coast:BalanceHeading", "1", "1"), "abstract"),
    ("a wrong period", fact("coast:Cash", "1", "1"), "period"),
    ("a wrong unit", fact("coast:Fuel", "1", "1", unit="xbrli:pure"), "unit"),
    ("a member without its axis", fact("coast:Fuel", "1", "1", members=(("coast:Fuel", "coast:NorthMember"),)), ""),
]


@pytest.mark.parametrize(
    ("title", "wrong", "words"),
    [WRONG[1], *(pytest.param(*one, marks=pytest.mark.slow) for one in (WRONG[0], *WRONG[2:]))],
)
def test_what_is_wrong_the_validator_says(taxonomy, title, wrong, words):
    plain = judged_apart(instance(taxonomy, ENTITY, [wrong], [], {}), "xbrl", PACKAGE)
    assert plain["messages"] and words in " ".join(one["message"] for one in plain["messages"]).lower()


def test_contradictions_and_sums_are_judged_by_the_validator_too(taxonomy):
    twice = [fact("coast:Fuel", "1", "1", decimals=0), fact("coast:Fuel", "3", "3", decimals=0)]
    assert judged_apart(instance(taxonomy, ENTITY, twice, [], {}), "xbrl", PACKAGE)["messages"]
    off = [fact("coast:Income", "10", "10", decimals=0), fact("coast:VehicleFares", "3", "3", decimals=0)]
    codes = [one["code"] for one in judged_apart(instance(taxonomy, ENTITY, off, [], {}), "xbrl", PACKAGE)["messages"]]
    assert any("calc" in code.lower() for code in codes), codes
