"""The trace command, and traces against an independent reading of the demo's files."""

from __future__ import annotations

import json
from decimal import Decimal

import pytest
from django.core.management.base import CommandError

from tests.conftest import table
from tests.oracle import Oracle

pytestmark = pytest.mark.django_db
OCTOBER = {"ledger": "ternwick", "period": "2027-P07", "node": "TF"}
FUEL = {**OCTOBER, "line": "fuel", "column": "ytd-actual"}


@pytest.fixture(scope="module")
def oracle(demo_folder):
    return Oracle(demo_folder / "ledger", demo_folder / "news")


def fuel_lines(oracle, **kept):
    """The fuel lines of April to October 2026, straight from the files."""
    codes = oracle.between("6110", "6199")
    return [
        line
        for line in oracle.counted("TF", False)
        if line["account"] in codes and (2027, 1) <= line["p"] <= (2027, 7) and not line["kind"]
        and all(line[name] == value for name, value in kept.items())
    ]  # fmt: skip


def by_hand(lines, of):
    sums: dict[str, Decimal] = {}
    for line in lines:
        sums[of(line)] = sums.get(of(line), Decimal(0)) - line["amount"]
    return sums


def traced(command, by, *way, **more):
    found = json.loads(command("trace", "income-statement", **{**FUEL, **more}, by=by, way=list(way)))
    assert found["agrees"] and found["by"] == by
    total = sum((Decimal(part["value"]) for part in found["parts"]), Decimal(0))
    assert total == Decimal(found["figure"]) == Decimal(found["total"])
    return {part["code"]: Decimal(part["value"]) for part in found["parts"]}


def test_every_direction_gives_what_the_files_hold(ternwick, command, oracle):
    lines = fuel_lines(oracle)
    assert traced(command, "account") == by_hand(lines, lambda line: line["account"])
    assert traced(command, "period") == by_hand(lines, lambda line: f"{line['p'][0]}-P{line['p'][1]:02d}")
    assert traced(command, "crossing") == by_hand(lines, lambda line: line["crossing"])
    assert traced(command, "counterparty") == by_hand(lines, lambda line: line["counterparty"])
    assert traced(command, "source") == by_hand(lines, lambda line: line["source"])
    assert traced(command, "document") == by_hand(lines, lambda line: line["document"])
    assert len(traced(command, "line")) == len(lines)
    # the ships' departments are one head, gone into by itself: below it stand the engine's
    assert sum(traced(command, "department").values()) == sum(by_hand(lines, lambda line: "").values())


def test_steps_go_on_from_each_other(ternwick, command, oracle):
    way = ("account=6110", "period=2027-P07")
    lines = fuel_lines(oracle, account="6110", p=(2027, 7))
    assert traced(command, "document", *way) == by_hand(lines, lambda line: line["document"])
    some = lines[0]["counterparty"]
    deeper = [line for line in lines if line["counterparty"] == some]
    assert traced(command, "crossing", *way, f"counterparty={some}") == by_hand(deeper, lambda line: line["crossing"])
    assert len(traced(command, "line", *way, f"counterparty={some}")) == len(deeper)
    rows = table(command("trace", "income-statement", **FUEL, by="document", way=list(way), format="csv"))
    assert {row["code"]: Decimal(row["value"]) for row in rows} == by_hand(lines, lambda line: line["document"])


def test_a_difference_is_split_itself(ternwick, command):
    actual, budget = (traced(command, "account", column=f"ytd-{name}") for name in ("actual", "budget"))
    apart = traced(command, "account", column="ytd-difference")
    assert apart == {code: actual.get(code, 0) - budget.get(code, 0) for code in {*actual, *budget}}
    assert sum(traced(command, "line", "column=ytd-budget", column="ytd-difference").values()) == sum(budget.values())
    # ... as are totals and calculations
    assert len(traced(command, "account", line="operating-result", column="ytd-difference")) > 40


def test_a_translated_figure_is_split_into_fractions_that_add_up(ternwick, command):
    for by in ("entity", "account", "counterparty", "line"):
        found = json.loads(
            command("trace", "income-by-entity", ledger="ternwick", period="2027-P07", node="group", line="fuel",
                    column="group", by=by, way=[])
        )  # fmt: skip
        assert found["agrees"], by


@pytest.mark.parametrize(
    ("given", "message"),
    [
        ({"line": "nowhere"}, "Line 'nowhere' does not exist"),
        ({"column": "nowhere"}, "Column 'nowhere' does not exist"),
        ({"by": "colour"}, "'colour' is no direction of a trace. There are: account"),
        ({"way": ["account"]}, "'account' is no step. Write --in account=6110"),
        ({"way": ["account=9999"]}, "Account '9999' does not exist"),
        ({"way": ["account=4110"]}, "Nothing of account '4110' stands here"),
        ({"way": ["colour=red"]}, "'colour' is no direction"),
        ({"column": "ytd-percent"}, "Fuel can't be split by account here"),
        ({"person": "nobody"}, "nobody"),
    ],
)
def test_what_can_not_be_traced_is_told(given, message, ternwick, command):
    with pytest.raises(CommandError, match=message):
        command("trace", "income-statement", **{**FUEL, "by": "account", "way": [], **given})


def test_a_seal_shuts_lines_texts_and_finer_members(ternwick, command):
    wages = {"line": "wages-and-social-costs", "person": "director"}
    codes = traced(command, "account", **wages)
    assert "5010" in codes
    with pytest.raises(CommandError, match="detail of 5010 .* is sealed"):
        command("trace", "income-statement", **{**FUEL, **wages}, by="line", way=["account=5010"])
    for by in ("document", "counterparty", "crossing"):
        parts = traced(command, by, "account=5010", **wages)
        assert set(parts) == {""}, by
