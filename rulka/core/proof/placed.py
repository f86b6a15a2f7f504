"""Which accounts a statement owes a place, which of them have one, and which have two."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from rulka.core.books.chart import BoolArray, IntArray
from rulka.core.books.frame import QUANTITIES
from rulka.core.books.selection import evaluate
from rulka.core.compute.columns import Column
from rulka.core.compute.computed import Computed
from rulka.core.compute.leaves import Leaf
from rulka.core.compute.readings import GROSS
from rulka.core.definitions.spines import Covers, LineDef
from rulka.core.money import QUANTITY_DIGITS


def places_accounts(computed: Computed) -> bool:
    """Whether the spine is one that owes accounts a place: it says so, or its lines select accounts and nothing
    besides."""
    spine = computed.statement.spine
    if spine.covers:
        return not spine.covers_nothing
    lines = [line for line in spine.walk() if line.kind == "line" and not line.override and not line.intercompany]
    return bool(lines) and all(only_accounts(line) for line in lines)


def only_accounts(line: LineDef) -> bool:
    return line.accounts.only_accounts


def placing_leaves(computed: Computed) -> Iterator[Leaf]:
    """The leaves that place accounts: each line's outermost ones, unless the line reads something else than the
    column."""
    for key, leaves in computed.plan.leaves.by_line.items():
        line = computed.line(key)
        if not line.override and not line.intercompany:
            yield from leaves


def placed_of(computed: Computed) -> IntArray:
    """How many account lines hold each account; it follows from spine, ledger and fence alone.

    Lines that narrow by members share an account: what counts is how many hold any one posting key of it, and an
    account of which some visible key is held by none counts as not placed.
    """
    return computed.view.kept(("placed", computed.statement.spine), lambda: _count_places(computed))


def _count_places(computed: Computed) -> IntArray:
    view = computed.view
    of_key = view.keys.account
    count = np.zeros(len(view.frame.accounts), dtype=np.int64)
    by_key = np.zeros(len(of_key), dtype=np.int64)
    narrowed = np.zeros(len(count), dtype=bool)
    statistical = view.frame.accounts.of_type("statistical")
    for key, leaves in computed.plan.leaves.by_line.items():
        line = computed.line(key)
        if line.override or line.intercompany or not leaves:
            continue
        of_line, keys = np.zeros(len(count), dtype=bool), np.zeros(len(of_key), dtype=bool)
        for leaf in leaves:
            of_line |= leaf.accounts & (statistical if leaf.is_quantity else ~statistical)
            keys |= leaf.mask
        count += of_line
        by_key += keys
        if not only_accounts(line):
            narrowed |= of_line
    if not narrowed.any():
        return count
    most, least = np.zeros(len(count), dtype=np.int64), np.full(len(count), len(of_key), dtype=np.int64)
    np.maximum.at(most, of_key, by_key)
    np.minimum.at(least, of_key, by_key)
    has_keys = least < len(of_key)
    count[narrowed] = np.minimum(count, 1)[narrowed]  # nothing booked: nothing can stand twice
    held = has_keys & narrowed
    count[held] = np.where(least == 0, 0, most)[held]
    return count


def covered_of(computed: Computed) -> BoolArray:
    """The accounts this statement owes a place: as the spine says, or all of the types it places any of.

    An account that only heads others, with nothing booked on it, is owed none.
    """
    accounts, spine = computed.view.frame.accounts, computed.statement.spine
    heads = computed.view.kept(
        ("heads of accounts",),
        lambda: np.fromiter(
            (len(accounts.below[item.code]) > 1 for item in accounts.items), dtype=bool, count=len(accounts)
        ),
    )
    return _wanted(computed, spine.covers) & computed.view.visible_accounts() & ~(heads & ~computed.booked_accounts)


def _wanted(computed: Computed, covers: Covers | None) -> BoolArray:
    accounts = computed.view.frame.accounts
    if covers:
        return evaluate(covers.selection, accounts).mask
    placed = placed_of(computed) > 0
    types = {accounts.items[place].type for place in np.flatnonzero(placed)} - {"statistical"}
    return accounts.of_type(*types)


def names_of(computed: Computed, mask: BoolArray, most: int = 5) -> tuple[str, tuple[str, ...]]:
    """Some accounts by code and name, each with its amount in the first column that has any on it."""
    places = np.flatnonzero(mask)
    items = computed.view.frame.accounts.items
    text = ", ".join(
        f"{items[place].code} {items[place].name}{_amount_of(computed, int(place))}" for place in places[:most]
    )
    return text + (f" and {len(places) - most} more" if len(places) > most else ""), tuple(
        items[place].code for place in places
    )


def _amount_of(computed: Computed, account: int) -> str:
    for column, amounts in plain_columns(computed):
        if amounts[account]:
            quantity = computed.view.frame.accounts.items[account].type == "statistical"
            digits = QUANTITY_DIGITS if quantity else computed.plan.node_of(column).digits
            return f" ({computed.figure(int(amounts[account]), digits)})"
    return ""


def unplaced(computed: Computed) -> dict[int, int]:
    """The accounts that are owed a place, have none and were booked: their place in the chart and what stands on them
    in minor units.

    The amount is that of the first column that has any on them, debit positive.
    """
    if not places_accounts(computed) or computed.view.is_part:
        return {}
    missing = covered_of(computed) & (placed_of(computed) == 0) & computed.booked_accounts
    columns = [amounts for _, amounts in plain_columns(computed)]
    return {
        int(place): next((int(amounts[place]) for amounts in columns if amounts[place]), 0)
        for place in np.flatnonzero(missing)
    }


def plain_columns(computed: Computed) -> Iterator[tuple[Column, IntArray]]:
    """Columns of the ledger's own net figures, with the amounts of the whole of their node by account; none that tell
    apart what is sealed for the reader."""
    every = np.ones(len(computed.view.frame.accounts), dtype=bool)
    for column in computed.columns:
        if (
            not column.has_figures
            or column.asked.measure in (*GROSS, *QUANTITIES)
            or column.lines
            or column.asked.part
            or not computed.readings.is_judged(column, every)
        ):
            continue
        vector = computed.readings.plain(column)[1]
        if vector is not None and vector.divisor == 1:
            yield column, computed.view.by_account(vector.amounts, computed.plan.keys_of(column))
