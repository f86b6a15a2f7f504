"""The demo's annual return: made, validated, read back, and held against what `run_statement` says; next year's with
the same tags."""

from __future__ import annotations

import json
from decimal import ROUND_HALF_UP, Decimal

import pytest

from rulka.core.errors import RulkaError
from rulka.core.folios.writing import document_to
from rulka.filings.library.taxonomies import find_taxonomy, package_of
from rulka.filings.output import making
from rulka.folios.editing.acting import act, keep_text
from rulka.folios.models import Folio
from rulka.formats.filings.apart import judged_apart
from rulka.formats.writing.marked import document_marked
from rulka.statements.models import Definition
from tests.filings.world import DEMO, RETURN, filing, judged_now, person, reading, with_line, with_text

pytestmark = pytest.mark.django_db
YEARS = {"2026-P12": ("2025-04-01", "2026-03-31", "2024-04-01", "2025-03-31"),
         "2025-P12": ("2024-04-01", "2025-03-31", "2023-04-01", "2024-03-31")}  # fmt: skip


def expected(command, period: str) -> set[tuple[object, ...]]:
    """The facts by the filing's text, the statements' own run and the dates of its columns, worked out here."""
    first, last, first_before, last_before = YEARS[period]
    times = {"this-year": (first, last), "year-before": (first_before, last_before), "this-end": ("", last),
             "end-before": ("", last_before)}  # fmt: skip
    found = set()
    for one in DEMO["statements"]:
        told = command("run_statement", one["statement"], ledger="ternwick", period=period, node="TF", format="json")
        run = json.loads(told)
        places = {column["key"]: at for at, column in enumerate(run["columns"])}
        lines = {line["key"]: line for line in run["lines"] if not line.get("hidden")}
        for tag in one["lines"]:
            for column in one["columns"]:
                value = lines[tag["line"]]["values"][places[column["column"]]] if tag["line"] in lines else None
                if value is None:
                    continue
                number = Decimal(value) * (-1 if tag.get("sign") == "turned" else 1)
                unit = "xbrli:pure" if tag["line"] == "sailings" else "iso4217:EUR"
                time = times.get(column["column"], (first, last))
                members = tuple(column.get("members", {}).items())
                found.add((tag["concept"], *time, unit, members, number))
    return found


def told(facts) -> set[tuple[object, ...]]:
    return {
        (one["concept"], one["first"], one["last"], one["unit"], tuple(one["members"].items()), Decimal(one["value"]))
        for one in facts if one["unit"]
    }  # fmt: skip


@pytest.mark.parametrize(
    ("period", "form"),
    [
        ("2026-P12", "ixbrl"), ("2026-P12", "xbrl"), ("2025-P12", "xbrl"),
        pytest.param("2025-P12", "ixbrl", marks=pytest.mark.slow),
    ],
)  # fmt: skip
def test_a_year_passes_the_validator_and_its_facts_are_those_of_the_statements(ternwick, command, tmp_path, period,
                                                                               form):  # fmt: skip
    version, out = filing().version, tmp_path / "filing"
    command("run_filing", RETURN, ledger="ternwick", period=period, format=form, out=out)
    read = judged_apart(out.read_bytes(), form, package_of(find_taxonomy(ternwick, DEMO["taxonomy"])))
    assert read["messages"] == []
    wanted = expected(command, period)
    assert told(read["facts"]) == wanted and len(wanted) > 90
    texts = {one["concept"]: one["value"] for one in read["facts"] if not one["unit"]}
    assert (
        "useful lives" in texts["coast:BasisOfPreparation"] and "over the season" in texts["coast:BasisOfPreparation"]
    )
    assert "Income came to" in texts["coast:YearInWords"] and filing().version == version


def test_in_thousands_facts_are_rounded_once_and_sums_stay_within_their_bounds(ternwick, command):
    for name in ("annual-income", "annual-balance"):
        definition = Definition.objects.get(ledger=ternwick, kind="statement", name=name)
        definition.body = {**definition.body, "figures": {"unit": "thousands", "decimals": "0"}}
        definition.save()
    found = reading()
    assert set(judged_now().values()) == {"holds", "warns"}
    exact = {(one[0], one[2]): one[5] for one in expected(command, "2026-P12") if not one[4]}
    for fact in found.facts:
        if fact.cell.statement != "annual-fares" and fact.unit != "xbrli:pure":
            wanted = exact[fact.concept, fact.time.last.isoformat()]
            rounded = (wanted / 1000).quantize(Decimal(1), ROUND_HALF_UP) * 1000
            assert (fact.value, fact.decimals) == (rounded, -3), fact.name


def test_a_zero_in_thousands_is_reported_as_none(ternwick):
    facts = {(one.concept, one.time.kind): one for one in reading().facts if one.cell.text == "\u2013"}
    assert facts["coast:PrepaidCosts", "instant"].value == 0


# planted mistakes: found before the validator is asked ----------------------------------------------------------------

INCOME, FARES = "annual-income", "annual-fares"
PLANTED = [
    ("sign", lambda: with_line(INCOME, "fuel", concept="coast:Fuel"), "'Fuel' is a debit"),
    ("scale", lambda: with_line(INCOME, "fuel", concept="coast:Fuel", sign="turned", scale="3"), "is reported as"),
    ("duplicates", lambda: with_line(INCOME, "fuel", concept="coast:Upkeep", sign="turned"), "'Upkeep and dry-dock', "),
    ("period", lambda: with_line(INCOME, "interest", concept="coast:Overdraft"), "is reported at a day"),
    ("unit", lambda: with_line(INCOME, "sailings", concept="coast:OtherIncome"), "shows a quantity"),
    ("sums", lambda: with_line(INCOME, "vehicles", concept="coast:BerthFees") or with_line(
        INCOME, "foot-passengers", **{"left out": "yes"}), "what adds up to it comes to"),
    ("members", lambda: with_line(FARES, "sailings", concept="coast:Sailings", members={
        "coast:CrossingAxis": "coast:CrossingDomain"}), "isn't reported for All crossings"),
    ("tagged", lambda: with_line(INCOME, "tax"), "'Tax' isn't tagged"),
    ("found", lambda: with_line(INCOME, "taxes", concept="coast:TaxCost", label="Taxes"), "the line 'Taxes' is gone"),
    ("current", lambda: None, "is done for 2026-P12; the filing is for 2025-P12"),
]  # fmt: skip


@pytest.mark.parametrize(("code", "plant", "words"), PLANTED, ids=[one[0] for one in PLANTED])
def test_a_planted_mistake_is_found_before_the_validator_is_asked(ternwick, command, monkeypatch, capsys, code, plant,
                                                                  words):  # fmt: skip
    def never(*given):
        raise AssertionError("The validator was asked.")

    monkeypatch.setattr(making, "judged_apart", never)
    period = ""
    if code == "current":
        pack = Folio.objects.select_related("ledger", "shelf", "owner").get(name="annual-accounts")
        act(pack, "basis", "hold", person("accountant"))
        keep_text(pack, "basis", document_to(document_marked("As it was.")), person("accountant"))
        act(pack, "basis", "hand in", person("accountant"))
        period = "2025-P12"
    plant()
    with pytest.raises(SystemExit) as ended:
        command("run_filing", RETURN, ledger="ternwick", period=period)
    assert ended.value.code == 3 and "check" in capsys.readouterr().err
    with pytest.raises(SystemExit) as ended:
        command("run_filing", RETURN, ledger="ternwick", period=period, checks=True)
    assert ended.value.code == 3
    found = next(one for one in reading(period).checks if one.code == code)
    assert found.state == "fails" and any(words in one.message for one in found.problems)


def test_what_the_validator_says_is_not_handed_out(ternwick, command, monkeypatch, capsys, tmp_path):
    monkeypatch.setattr(making, "required_checks", lambda reading: None)
    with_line(INCOME, "fuel", concept="coast:Upkeep", sign="turned")
    with pytest.raises(SystemExit) as ended:
        command("run_filing", RETURN, ledger="ternwick", format="xbrl", out=tmp_path / "f")
    assert ended.value.code == 3 and "The validator stands against it" in capsys.readouterr().err
    assert not (tmp_path / "f").exists()


def test_figures_in_words_are_the_same_facts(ternwick):
    made = making.written(reading(), "ixbrl")
    assert (
        made.says == [] and made.data.decode().count('name="coast:Income"') == 4
    )  # twice in the table, twice in words


def test_a_filing_of_nothing_is_refused(ternwick):
    with_text(statements=[], texts=[])
    found = reading()
    assert found.facts == [] and next(one for one in found.checks if one.code == "tagged").state == "fails"
    with pytest.raises(RulkaError, match="isn't tagged|nothing says"):
        making.required_checks(found)
