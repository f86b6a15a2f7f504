"""Spine x span x node to figures: plan, read, sum, present, calculate, judge, rank, write, suppress, round, in this
order."""

from __future__ import annotations

from collections.abc import Sequence

from rulka.core.books.book import View
from rulka.core.books.calendar import Period
from rulka.core.books.chart import IntArray
from rulka.core.compute.cells import Cells
from rulka.core.compute.columns import Column
from rulka.core.compute.computed import Computed
from rulka.core.compute.figures import Figures
from rulka.core.compute.judging import JudgedCheck
from rulka.core.compute.nodes import Node, find_node
from rulka.core.compute.plan import Plan, plan_for
from rulka.core.compute.ranking import Ranked, rank
from rulka.core.compute.readings import Readings
from rulka.core.compute.rounding import round_to_foot
from rulka.core.compute.rows import Row, write_rows
from rulka.core.compute.summing import Sums, sum_up
from rulka.core.compute.suppression import suppress
from rulka.core.definitions.statements import StatementDef


def run_statement(statement: StatementDef, view: View, period: Period, node_code: str = "") -> Computed:
    """Compute all figures of a statement for a node at a period; raises RulkaError on what can't be read."""
    node = find_node(view, node_code, statement.scope, translated=statement.currency == "group")
    return run_nodes(statement, view, period, [node])[0]


def run_nodes(statement: StatementDef, view: View, period: Period, nodes: Sequence[Node]) -> list[Computed]:
    """Compute a statement for several nodes; where their columns read the same, all their cells are summed together."""
    return run_plans(plan_for(statement, view, period, nodes))


def run_plans(plans: Sequence[Plan]) -> list[Computed]:
    """Compute plans of one statement; where their columns read the same, all their cells are summed together."""
    readings: list[Readings] = [Readings(plan) for plan in plans]
    sums: list[Sums] = sum_up(readings)
    return [_computed(own, summed) for own, summed in zip(readings, sums, strict=True)]


def _open(plan: Plan, figures: Figures, sums: Sums) -> IntArray:
    """The sums of each leaf and column, none of what is sealed."""
    if not figures.sealed:
        return sums.amounts
    amounts = sums.amounts.copy()
    for at, leaf in enumerate(plan.leaves.walk()):
        amounts[at, sorted(figures.sealed.get(leaf.key, ()))] = 0
    return amounts


def _computed(readings: Readings, sums: Sums) -> Computed:
    """One node's statement, step by step."""
    plan: Plan = readings.plan
    cells = Cells(readings)
    cells.present(sums)
    cells.calculate()
    checks: tuple[JudgedCheck, ...] = tuple(cells.judge())
    figures: Figures = cells.figures()
    ranked: Ranked = rank(figures)
    rows: list[Row] = write_rows(figures, ranked)
    columns: tuple[Column, ...]
    columns, rows = suppress(rows, figures, ranked, checks)
    roundings: list[str] = []
    if plan.statement.rounding != "exact":
        rows, roundings = round_to_foot(rows, readings)
    return Computed(
        plan,
        readings,
        columns,
        tuple(rows),
        checks,
        tuple(roundings),
        leaves={**plan.leaves.by_key, **{leaf.key: leaf for leaf in ranked.others.values()}},
        amounts=_open(plan, figures, sums),
        cells={**figures.values, **ranked.values},
        booked={**figures.booked, **ranked.booked},
        units=figures.units,
    )
