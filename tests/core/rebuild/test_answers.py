"""What is asked of a proposal, and what answers make of it."""

from __future__ import annotations

import json
from dataclasses import replace
from datetime import date
from decimal import Decimal

import numpy as np
import pytest

from rulka.core.errors import RulkaError
from rulka.core.rebuild.answering import LEFT_OUT, RebuildAnswers, questions, with_answers
from rulka.core.rebuild.chance import WantedFigures, expected_hits
from rulka.core.rebuild.few import few_of, met
from rulka.core.rebuild.given import given_from, joined
from rulka.core.rebuild.headings import living_heading
from rulka.core.rebuild.plain import given_again, given_plain, proposal_again, proposal_plain
from rulka.core.rebuild.proposing import RebuildTerms, proposed
from rulka.core.rebuild.statement import bodies_of, odd_cells
from rulka.core.rebuild.structure import structure_of
from tests.core.rebuild.houses import house, income_table


def asked_of(given, proposal, answers, view):
    told = with_answers(given, proposal, answers, view)
    odd = odd_cells(given, told, bodies_of(given, told, view, "Again", answers.accounts), view)
    return questions(given, told, answers, odd, view)


@pytest.fixture(scope="module")
def made():
    return house(1, "tidy")


def test_rows_of_zeros_and_accounts_of_no_line_are_asked_for(made):
    view = made.view()
    given, _ = income_table(made, "A", 2026, 5, ["month", "year"])
    rows = [(row.caption, row.values) for row in given.rows]
    training = next(at for at, row in enumerate(given.rows) if row.caption == "Training")
    own = [rows[at] for at in range(len(rows)) if at != training]
    own.insert(2, ("Berth fees of old", (Decimal("0.00"), Decimal("0.00"))))
    table = given_from(given.headings, own)
    proposal = proposed(table, view)
    found = asked_of(table, proposal, RebuildAnswers(), view)
    assert next((one.about, one.row) for one in found if one.about == "missing") == ("missing", 2)
    # a total that doesn't add up, as one of its lines is not there, is asked for too: its accounts stand in its lines
    staff = next(at for at, row in enumerate(table.rows) if row.caption == "Total staff")
    assert ("missing", staff) in [(one.about, one.row) for one in found]
    left = asked_of(table, proposal, RebuildAnswers(lines={2: LEFT_OUT}), view)
    assert ("missing", 2) not in [(one.about, one.row) for one in left]


def test_what_is_said_of_a_line_is_taken_with_its_sign_and_nothing_that_means_nothing(made):
    view = made.view()
    given, _ = income_table(made, "A", 2026, 5, ["month", "year"])
    proposal = proposed(given, view)
    row = next(at for at, line in enumerate(proposal.lines) if line.caption == "Berth fees")
    codes = sorted(set(made.lines["Berth fees"]) & made.used("A"))
    told = with_answers(given, proposal, RebuildAnswers(lines={row: ", ".join(codes)}), view)
    assert told.lines[row].state == "told" and told.lines[row].sign == -1
    assert odd_cells(given, told, bodies_of(given, told, view, "Again"), view) == []
    with pytest.raises(RulkaError, match="selects no account"):
        with_answers(given, proposal, RebuildAnswers(lines={row: "nothing-of-it"}), view)
    with pytest.raises(RulkaError, match="expected"):
        with_answers(given, proposal, RebuildAnswers(lines={row: "5010 to"}), view)
    # a wrong line is seen by its cells and by those of its totals
    wrong = with_answers(given, proposal, RebuildAnswers(lines={row: codes[0]}), view)
    odd = odd_cells(given, wrong, bodies_of(given, wrong, view, "Again"), view)
    assert {given.rows[cell.row].caption for cell in odd} == {"Berth fees", "Total revenue", "Result"} or len(
        codes
    ) == 1


def test_accounts_are_placed_or_left_out_and_others_of_their_types_are_owed_a_place(made):
    view = made.view()
    given, _ = income_table(made, "A", 2026, 5, ["month", "year"])
    proposal = proposed(given, view)
    found = [one for one in asked_of(given, proposal, RebuildAnswers(), view) if one.about == "account"]
    codes = [account.code for account in found[0].accounts]
    assert codes and not any(account.has_figures for account in found[0].accounts)
    row = next(at for at, line in enumerate(proposal.lines) if line.caption == "Marketing")
    answers = RebuildAnswers(accounts={code: row if at == 0 else None for at, code in enumerate(codes)})
    told = with_answers(given, proposal, answers, view)
    assert codes[0] in told.lines[row].selection
    assert asked_of(given, proposal, answers, view) == []
    # placed on a row that has no accounts it is placed nowhere, and asked again
    nowhere = RebuildAnswers(accounts={**answers.accounts, codes[0]: 0})
    assert [one.about for one in asked_of(given, proposal, nowhere, view)] == ["account"]
    covers = bodies_of(given, told, view, "Again", answers.accounts).spine["covers"]
    assert covers.startswith("type:") and ("except" in covers) == (len(codes) > 1)


def test_one_rounded_column_asks_for_another_month_and_two_settle_it(made):
    view = made.view()
    single, _ = income_table(made, "A", 2026, 5, ["year"], scale=3, decimals=0)
    proposal = proposed(single, view)
    assert "month" in [one.about for one in asked_of(single, proposal, RebuildAnswers(), view)]
    assert "month" not in [one.about for one in asked_of(single, proposal, RebuildAnswers(alone=True), view)]
    every = [income_table(made, "A", 2026, month, ["year"], scale=3, decimals=0)[0] for month in (5, 6, 7)]
    whole = joined(every)
    assert whole.tables == (0, 1, 2) and len(whole.rows) == len(single.rows)
    found = proposed(whole, view)
    assert [reading.last for reading in found.readings] == [16, 17, 18]
    sure = sum(line.state == "sure" for line in found.lines)
    assert sure >= sum(line.state == "sure" for line in proposal.lines) and sure > 10
    assert odd_cells(whole, found, bodies_of(whole, found, view, "Again"), view) == []
    with pytest.raises(RulkaError, match="captions in common"):
        joined([single, given_from(["A"], [("Other", (Decimal(1),)), ("Thing", (Decimal(2),))])])


def test_what_is_known_is_obeyed(made):
    view = made.view()
    given, _ = income_table(made, "B", 2026, 5, ["month", "year"])
    period = view.frame.calendar.periods[16]
    found = proposed(given, view, RebuildTerms("B", period, 0))
    assert found.found.node == "B" and [one.last for one in found.readings] == [16, 16]
    other = replace(found.readings[0], scenario="budget")
    told = proposed(given, view, RebuildTerms(columns={0: other}))
    assert told.readings[0] == other and told.readings[1] == found.readings[1]
    with pytest.raises(RulkaError, match="No column"):
        proposed(given, view, RebuildTerms(scale=6))


def test_tables_and_proposals_are_kept_as_plain_data(made):
    view = made.view()
    given, _ = income_table(made, "A", 2026, 5, ["month", "budget", "year"])
    proposal = proposed(given, view)
    assert given_again(json.loads(json.dumps(given_plain(given)))) == replace(given, tables=())
    again = proposal_again(json.loads(json.dumps(proposal_plain(proposal))))
    assert again.lines == proposal.lines and again.readings == proposal.readings and again.found == proposal.found


HEADINGS = [
    ("October 2026, Actual", (2026, 10), (2026, 10), "{window.end:October 2026}, Actual"),
    ("Actual oct 26", (2026, 10), (2026, 10), "Actual {window.end:Oct 26}"),
    ("April to October 2026", (2026, 4), (2026, 10), "{window.start:October} to {window.end:October 2026}"),
    ("31 October 2026", (2026, 10), (2026, 10), "{window.end:5 October 2026}"),
    ("Budget 2026", (2026, 1), (2026, 5), "Budget {window.end:2026}"),
    ("Year before", (2025, 10), (2025, 10), "Year before"),
    ("2025", (2026, 10), (2026, 10), "2025"),
    ("{window}", (2026, 10), (2026, 10), "(window)"),
    ("Mayor's plan", (2026, 5), (2026, 5), "Mayor's plan"),
]


@pytest.mark.parametrize(("text", "first", "last", "living"), HEADINGS)
def test_months_in_headings_follow_the_period(text, first, last, living):
    ends = {1: 31, 4: 30, 5: 31, 10: 31}
    assert living_heading(text, date(*first, 1), date(*last, ends[last[1]])) == living


def test_a_total_that_one_column_speaks_against_is_one():
    rows = np.array([[5000, 7000, 9000], [3000, 1000, 2000], [8000, 8100, 11000]], dtype=np.int64)
    parts = structure_of(rows, np.ones((3, 3), dtype=bool), rounded=np.zeros(3, dtype=bool))
    assert parts[2].kind == "total" and parts[2].odd == 1


def test_a_few_accounts_are_met_in_any_order_and_chance_is_told():
    chance = np.random.default_rng(3)
    amounts = chance.integers(-9_000_000, 9_000_000, (45, 3))
    chosen = [3, 11, 19, 28, 40]
    figures = amounts[chosen].sum(axis=0)
    zeros, ones, shown = np.zeros(3, dtype=np.int64), np.ones(3, dtype=np.int64), np.ones(3, dtype=bool)
    found = met(few_of(amounts, np.arange(45)), WantedFigures(-figures, zeros, ones, shown))
    assert found.sets == (tuple(chosen),) and found.expected[0] < 1e-6
    # rounded to thousands in one column, almost anything gives them
    loose = WantedFigures(figures, np.full(3, 50_000), ones, np.array([True, False, False]))
    many = met(few_of(amounts, np.arange(45)), loose)
    assert many.cut and many.expected[-1] > 10
    # all sets of few accounts, also large ones
    large = amounts[:20].sum(axis=0) - amounts[7]
    every = met(few_of(amounts, np.arange(20)), WantedFigures(large, zeros, ones, shown))
    assert every.sets == (tuple(place for place in range(20) if place != 7),)


def test_chance_is_about_what_brute_force_counts():
    chance = np.random.default_rng(5)
    sums = chance.integers(0, 1_000_000, (200_000, 1))
    wanted = WantedFigures(np.array([500_000]), np.array([2]), np.array([1]), np.array([True]))
    counted = int((np.abs(sums - 500_000) <= 2).sum())
    assert 0.2 < (expected_hits(sums, wanted) + 0.1) / (counted + 0.1) < 5
