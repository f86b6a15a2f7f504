"""Spine x span x node to figures: select, sum, present, total, calculate, compare, judge, suppress, round, in this
order."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial

import numpy as np

from rulka.core.books.book import View
from rulka.core.books.calendar import Period
from rulka.core.books.chart import IntArray
from rulka.core.books.frame import QUANTITIES
from rulka.core.compute import rounding
from rulka.core.compute.amounts import classes_of, reach_of, sums
from rulka.core.compute.cells import Cells
from rulka.core.compute.columns import build_columns
from rulka.core.compute.computed import Computed
from rulka.core.compute.leaves import plan
from rulka.core.compute.nodes import Node, find_node
from rulka.core.compute.rows import Rows
from rulka.core.compute.suppression import suppress
from rulka.core.definitions.naming import check_names
from rulka.core.definitions.statements import StatementDef


def run_statement(statement: StatementDef, view: View, period: Period, node_code: str = "") -> Computed:
    """Compute all figures of a statement for a node at a period; raises RulkaError on what can't be read."""
    node = find_node(view, node_code, statement.scope, translated=statement.currency == "group")
    return run_nodes(statement, view, period, [node])[0]


def run_nodes(statement: StatementDef, view: View, period: Period, nodes: Sequence[Node]) -> list[Computed]:
    """Compute a statement for several nodes; where their columns read the same, all their cells are summed together."""
    names = check_names(statement.spine)
    translated = statement.currency == "group"
    asked = [column.measure for column in statement.span.walk()] + [
        line.override.measure for line in statement.spine.walk() if line.override
    ]
    has_quantities = any(measure in QUANTITIES for measure in asked)
    planned = plan(statement.spine, view, has_quantities=has_quantities)
    found = []
    for node in nodes:
        columns = build_columns(
            statement.span, statement.scope, view, period, node, translated=translated, calendar=statement.calendar
        )
        found.append(Computed(statement, view, period, node, columns, planned, translated=translated))
    for computed, (amounts, booked) in zip(found, _sum(found), strict=True):
        computed.amounts = amounts
        cells = Cells(computed, names)
        cells.present(amounts, booked)
        cells.calculate()
        computed.checks = cells.judge()
        computed.rows = tuple(suppress(Rows(cells).build(), computed, names))
        if statement.rounding != "exact":
            rounding.round_to_foot(computed)
    return found


# sum ----------------------------------------------------------------------------------------------------------------


def _sum(found: Sequence[Computed]) -> list[tuple[IntArray, IntArray]]:
    """(amounts, counts of booked keys) by `(leaf, column)` of each statement, leaves in the order of the plan."""
    first = found[0]
    shared = len(found) > 1 and not any(line.intercompany for line in first.statement.spine.walk())
    shared = shared and all(_same_reading(first, other) for other in found[1:])
    groups = [found] if shared else [[computed] for computed in found]
    results = []
    for group in groups:
        amounts, booked = _sum_together(group)
        results += [(amounts[place], booked[place]) for place in range(len(group))]
    return results


def _same_reading(one: Computed, other: Computed) -> bool:
    """Whether the same arrays serve two nodes: same columns, none that narrows or eliminates by the node."""
    if len(one.columns) != len(other.columns):
        return False
    pairs = zip(one.columns, other.columns, strict=True)
    return all(
        a == b and not a.asked.part and not a.series and a.keys is b.keys and not a.node and not b.node
        for a, b in pairs
    )


def _sum_together(group: Sequence[Computed]) -> tuple[IntArray, IntArray]:
    """(amounts, counts of booked keys) by `(node, leaf, column)` for nodes whose columns read the same."""
    first = group[0]
    leaves = list(first.planned.walk())
    places = [place for place, column in enumerate(first.columns) if column.has_figures]
    shape = (len(group), len(leaves), len(first.columns))
    amounts, booked = np.zeros(shape, dtype=np.int64), np.zeros(shape, dtype=np.int64)
    by_group: dict[int, list[int]] = {}
    for at, leaf in enumerate(leaves):
        by_group.setdefault(leaf.group, []).append(at)
    for name, ats in by_group.items():
        sample = leaves[ats[0]]
        alike: dict[tuple[bool, str], list[int]] = {}
        for place in places:
            column = first.columns[place]
            alike.setdefault((first.of_quantities(sample, column), column.node.code if column.node else ""), []).append(
                place
            )
        for (quantity, own), wanted in alike.items():
            vectors = [first.vector(sample, first.columns[place]) for place in wanted]
            given = [(place, vector) for place, vector in zip(wanted, vectors, strict=True) if vector is not None]
            if not given:
                continue
            nodes = [first.node_of(first.columns[wanted[0]])] if own else [computed.node for computed in group]
            keys = [node.keys for node in nodes]
            masks = [leaves[at].quantities if quantity else leaves[at].mask for at in ats]
            kept = ("classes", first.statement.spine, name, quantity)
            classes = first.view.kept(kept, partial(classes_of, masks, len(keys[0])))
            named = ("reach", kept, first.statement.scope, first.translated, tuple(node.code for node in nodes))
            reach = first.view.kept(named, partial(reach_of, classes, keys))
            cells = sums(
                classes, reach, [vector.amounts for _, vector in given] + [vector.booked for _, vector in given]
            )
            columns = [place for place, _ in given]
            amounts[np.ix_(range(len(group)), ats, columns)] = cells[:, :, : len(given)]
            booked[np.ix_(range(len(group)), ats, columns)] = cells[:, :, len(given) :]
    return amounts, booked
