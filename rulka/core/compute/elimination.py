"""Consolidation of wholly owned entities: what the entities of a node booked with each other, taken out on both
sides."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from rulka.core.books.book import View
from rulka.core.books.chart import BoolArray, IntArray
from rulka.core.books.narrowing import EVERYTHING, entities_of
from rulka.core.compute.amounts import Vector
from rulka.core.compute.columns import Column
from rulka.core.compute.nodes import Node


def eliminated(view: View, node: Node, column: Column | None = None) -> BoolArray:
    """The mask `(keys,)` of what a node's entities booked with each other.

    These are the posting keys on intercompany accounts whose entity and partner both belong to the node. A column that
    narrows to some entities eliminates among these only.
    """
    keys = view.keys
    entities = node.members
    narrowing = column.asked.narrow if column is not None else EVERYTHING
    if narrowing.of("entity"):
        entities = entities & entities_of(narrowing, view.frame)
    elif column is not None and column.keys is not None and (column.series or column.asked.node):
        reached = np.zeros(len(entities), dtype=bool)
        reached[keys.entity[column.keys & node.keys]] = True
        entities = entities & reached
    own = np.fromiter(
        (item.intercompany for item in view.frame.accounts.items), dtype=bool, count=len(view.frame.accounts)
    )
    partner = (keys.partner >= 0) & entities[np.maximum(keys.partner, 0)]
    found: BoolArray = own[keys.account] & partner & entities[keys.entity] & (keys.partner != keys.entity)
    return found


def kept_keys(view: View, node: Node, column: Column, *, difference: bool) -> tuple[BoolArray, int]:
    """The posting keys that a line shows in a column before, of or after elimination, and their sign.

    What is eliminated leaves the other lines and comes back in the line of the intercompany difference (`difference`).
    Two companies owe each other 100 and 90. Eliminations show -100 at receivables and +90 at payables; the line of the
    difference shows +10, so that they sum to zero, and so does what is left after them.
    """
    taken = eliminated(view, node, column)
    part = column.asked.part or "before elimination"
    if part == "before elimination":
        return np.zeros_like(taken) if difference else np.ones_like(taken), 1
    if part == "eliminations":
        return taken, 1 if difference else -1
    return taken if difference else ~taken, 1


def part_of(vector: Vector, view: View, node: Node, column: Column, *, difference: bool) -> Vector:
    """A vector as a line shows it in a column before, of or after elimination."""
    kept, sign = kept_keys(view, node, column, difference=difference)
    return Vector(np.where(kept, vector.amounts * sign, 0), vector.booked & kept, vector.divisor)


@dataclass(frozen=True)
class Pair:
    """What two entities show with each other on intercompany accounts, debit positive, minor units; they agree when it
    sums to zero."""

    first: str
    second: str
    of_first: int
    of_second: int

    @property
    def apart(self) -> int:
        return self.of_first + self.of_second


def pairs(view: View, node: Node, amounts: IntArray, accounts: BoolArray) -> list[Pair]:
    """Each pair inside a node with both sides over some accounts, in order of their codes; pairs without amounts are
    left out."""
    keys, taken = view.keys, eliminated(view, node) & node.keys
    chosen = taken & accounts[keys.account]
    codes = view.frame.entities.items
    size = len(codes)
    table = np.zeros((size, size), dtype=np.int64)
    np.add.at(table, (keys.entity[chosen], keys.partner[chosen]), amounts[chosen])
    found = []
    for first in range(size):
        for second in range(first + 1, size):
            if table[first, second] or table[second, first]:
                found.append(
                    Pair(codes[first].code, codes[second].code, int(table[first, second]), int(table[second, first]))
                )
    return found


def without_partner(view: View, node: Node, booked: BoolArray) -> list[tuple[str, str]]:
    """(entity, account) of booked intercompany accounts that name no partner: nothing can eliminate them."""
    keys = view.keys
    own = np.fromiter(
        (item.intercompany for item in view.frame.accounts.items), dtype=bool, count=len(view.frame.accounts)
    )
    chosen = np.flatnonzero(own[keys.account] & (keys.partner < 0) & node.keys & booked)
    entities, accounts = view.frame.entities.items, view.frame.accounts.items
    return sorted({(entities[keys.entity[key]].code, accounts[keys.account[key]].code) for key in chosen})
