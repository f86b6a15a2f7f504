"""How much of finished statements is found, on ledgers made for it with three kinds of charts: exact lines are counted
account by account against what the tables were made of, and what is found is run by the engine."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass

import pytest

from rulka.core.compute.statement import run_statement
from rulka.core.definitions.spans import span_from
from rulka.core.definitions.spines import spine_from
from rulka.core.definitions.statements import statement_from
from rulka.core.rebuild.given import Given
from rulka.core.rebuild.proposing import proposed
from rulka.core.rebuild.statement import bodies_of, odd_cells
from tests.core.rebuild.houses import House, Row, balance_table, house, income_table, regrouped
from tests.core.rebuild.judging import judged
from tests.core.rebuild.spoiling import mistyped
from tests.lengths import few_of

HABITS = ("tidy", "untidy", "below")
MONTHS = ((2026, 5), (2026, 11))
THOUSANDS = {"scale": 3, "decimals": 0}
FIVE = ["month", "budget", "year", "year budget", "before"]


@dataclass(frozen=True)
class Trial:
    """A table of a house's company and month, with what it was made of."""

    made: House
    entity: str
    given: Given
    truth: list[Row]


def trial(kind: str, habit: str, seed: int, entity: str, month: tuple[int, int]) -> Trial:
    made = house(seed, habit)
    if kind == "balance, cents":
        return Trial(made, entity, *balance_table(made, entity, [month, (2025, 12)]))
    if kind == "balance, thousands":
        ends = [month, (2025, 12), *((month[0], month[1] - less) for less in (1, 2, 3))]
        return Trial(made, entity, *balance_table(made, entity, ends, **THOUSANDS))
    if kind == "regrouped, cents":
        made = regrouped(made, seed, entity)
        return Trial(made, entity, *income_table(made, entity, *month, ["month", "year", "before"]))
    if kind == "regrouped, thousands":
        made = regrouped(made, seed, entity)
        return Trial(made, entity, *income_table(made, entity, *month, FIVE, **THOUSANDS))
    if kind == "income, thousands":
        return Trial(made, entity, *income_table(made, entity, *month, FIVE, **THOUSANDS))
    return Trial(made, entity, *income_table(made, entity, *month, ["month", "year"]))


KINDS = {
    "income, cents": 0.98, "balance, cents": 0.98, "income, thousands": 0.95, "balance, thousands": 0.95,
    "regrouped, cents": 1.0, "regrouped, thousands": 0.85,
}  # fmt: skip
"""The part of the lines that has to be exact."""


def tried_with(kind: str, trials: Iterator[Trial]) -> Counter[str]:
    counts: Counter[str] = Counter()
    for one in trials:
        view = one.made.view()
        proposal = proposed(one.given, view)
        counts += judged(one.made, one.entity, one.given, one.truth, proposal, view).counts
        counts["odd"] += len(odd_cells(one.given, proposal, bodies_of(one.given, proposal, view, "Again"), view))
    return counts


@pytest.mark.parametrize(("kind", "habit"), few_of([(kind, habit) for kind in KINDS for habit in HABITS], each=4))
def test_lines_are_found_on_other_charts(kind, habit):
    counts = tried_with(kind, iter([trial(kind, habit, 1, "B", (2026, 5))]))
    assert counts["lines"] > 8 and counts["right"] >= KINDS[kind] * counts["lines"], counts
    assert counts["wrong sure"] == 0 and counts["odd"] == 0 and counts["wrong total"] == 0


@pytest.mark.slow
@pytest.mark.parametrize("kind", KINDS)
def test_of_all_lines_as_many_are_found_as_asked_and_none_that_is_sure_is_wrong(kind, capsys):
    counts = tried_with(
        kind,
        (trial(kind, habit, seed, entity, month) for habit in HABITS for seed in range(3) for entity in "ABC"
         for month in MONTHS),
    )  # fmt: skip
    with capsys.disabled():
        print(f"\n{kind}: {counts['right']} of {counts['lines']} lines exact, {counts['sure']} sure, {dict(counts)}")
    assert counts["right"] >= KINDS[kind] * counts["lines"]
    assert counts["wrong sure"] == 0 and counts["wrong total"] == 0 and counts["odd"] == 0


@pytest.mark.parametrize("habit", HABITS)
def test_what_is_found_shows_other_months_too(habit):
    one = trial("income, cents", habit, 2, "A", (2026, 5))
    view = one.made.view()
    proposal = proposed(one.given, view)
    bodies = bodies_of(one.given, proposal, view, "Again")
    statement = statement_from(bodies.statement, spine_from(bodies.spine), span_from(bodies.span))
    for month in ((2026, 4), (2026, 9)):
        other, _ = income_table(one.made, "A", *month, ["month", "year"])
        period = next(p for p in view.frame.calendar.periods if (p.start.year, p.start.month) == month)
        computed = run_statement(statement, view, period, "A")
        values = {row.label: row.values for row in computed.rows if row.has_figures}
        shown = [row for row, label in zip(other.rows, bodies.labels, strict=True) if label in values]
        assert len(shown) > 20
        for row in shown:
            assert [float(value or 0) for value in values[row.caption]] == [float(value) for value in row.values]


@pytest.mark.parametrize("seed", few_of("abcd", each=4))
@pytest.mark.parametrize("habit", ["tidy", "untidy"])
def test_a_mistyped_figure_is_named(seed, habit):
    one = trial("income, cents", habit, 1, "C", (2026, 5))
    spoilt, row, column = mistyped(one.given, seed)
    view = one.made.view()
    proposal = proposed(spoilt, view)
    odd = odd_cells(spoilt, proposal, bodies_of(spoilt, proposal, view, "Again"), view)
    assert [(cell.row, cell.column) for cell in odd] == [(row, column)]
    assert odd[0].computed == one.given.rows[row].values[column]


@pytest.mark.slow
@pytest.mark.parametrize("kind", ["income, cents", "balance, cents", "regrouped, cents", "income, thousands"])
def test_of_ten_mistyped_figures_nine_are_named(kind, capsys):
    named = every = 0
    for habit in HABITS:
        for seed in range(3):
            for entity in "ABC":
                one = trial(kind, habit, seed, entity, (2026, 5))
                spoilt, row, column = mistyped(one.given, f"{habit}{seed}{entity}")
                view = one.made.view()
                proposal = proposed(spoilt, view)
                odd = odd_cells(spoilt, proposal, bodies_of(spoilt, proposal, view, "Again"), view)
                named += [(cell.row, cell.column) for cell in odd] == [(row, column)]
                every += 1
    with capsys.disabled():
        print(f"\nmistyped, {kind}: {named} of {every} named")
    assert named >= 0.9 * every
