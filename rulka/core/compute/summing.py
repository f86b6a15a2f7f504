"""The sums of every leaf in every column, for one node or several together."""

from __future__ import annotations

from collections.abc import Hashable, Sequence
from dataclasses import dataclass
from functools import partial

import numpy as np

from rulka.core.books.chart import IntArray
from rulka.core.compute.amounts import classes_of, reach_of, sums
from rulka.core.compute.plan import Plan
from rulka.core.compute.readings import Readings


@dataclass(frozen=True, eq=False)
class Sums:
    """What each leaf of a plan sums in each column `(leaves, columns)`, debit positive minor units, leaves in the order
    of the plan; and how many posting keys have anything booked there."""

    amounts: IntArray
    booked: IntArray


def sum_up(found: Sequence[Readings]) -> list[Sums]:
    """The sums of every leaf in every column, for each plan."""
    if not found:
        return []
    first = found[0].plan
    shared = len(found) > 1 and not any(line.intercompany for line in first.statement.spine.walk())
    shared = shared and all(_same_reading(first, other.plan) for other in found[1:])
    groups = [found] if shared else [[readings] for readings in found]
    results = []
    for group in groups:
        amounts, booked = _sum_together(group)
        results += [Sums(amounts[place], booked[place]) for place in range(len(group))]
    return results


def _same_reading(one: Plan, other: Plan) -> bool:
    """Whether the same arrays serve two nodes: same columns, none that narrows or eliminates by the node."""
    if len(one.columns) != len(other.columns):
        return False
    pairs = zip(one.columns, other.columns, strict=True)
    return all(
        a == b and not a.asked.part and not a.series and a.keys is b.keys and not a.node and not b.node
        for a, b in pairs
    )


def _sum_together(group: Sequence[Readings]) -> tuple[IntArray, IntArray]:
    """(amounts, counts of booked keys) by `(node, leaf, column)` for nodes whose columns read the same."""
    readings, first = group[0], group[0].plan
    leaves = list(first.leaves.walk())
    with_figures = [number for number, column in enumerate(first.columns) if column.has_figures]
    shape = (len(group), len(leaves), len(first.columns))
    amounts, booked = np.zeros(shape, dtype=np.int64), np.zeros(shape, dtype=np.int64)
    by_group: dict[Hashable, list[int]] = {}
    for number, leaf in enumerate(leaves):
        by_group.setdefault(leaf.group, []).append(number)
    for name, grouped in by_group.items():
        sample = leaves[grouped[0]]
        alike: dict[tuple[bool, str], list[int]] = {}
        for number in with_figures:
            column = first.columns[number]
            alike.setdefault(
                (readings.of_quantities(sample, column), column.node.code if column.node else ""), []
            ).append(number)
        for (quantity, own_node), wanted in alike.items():
            read = ((number, readings.vector(sample, first.columns[number])) for number in wanted)
            given = [(number, vector) for number, vector in read if vector is not None]
            if not given:
                continue
            nodes = [first.node_of(first.columns[wanted[0]])] if own_node else [each.plan.node for each in group]
            keys = [node.keys for node in nodes]
            held = [leaves[number].held_quantities if quantity else leaves[number].held for number in grouped]
            of_classes = ("classes", first.statement.spine, name, quantity)
            classes = first.view.kept(of_classes, partial(classes_of, held, len(keys[0])))
            codes = tuple(node.code for node in nodes)
            of_reach = ("reach", of_classes, first.statement.scope, first.translated, codes)
            reach = first.view.kept(of_reach, partial(reach_of, classes, keys))
            vectors = [vector for _, vector in given]
            cells = sums(classes, reach, [each.amounts for each in vectors] + [each.booked for each in vectors])
            columns = [number for number, _ in given]
            amounts[np.ix_(range(len(group)), grouped, columns)] = cells[:, :, : len(given)]
            booked[np.ix_(range(len(group)), grouped, columns)] = cells[:, :, len(given) :]
    return amounts, booked
