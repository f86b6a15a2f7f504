"""Ties to the ledger: what stands on a statement, on all accounts of an entity, and as the year's result."""

from __future__ import annotations

from collections.abc import Set
from dataclasses import replace

import numpy as np

from rulka.core.books.balances import MovementSource
from rulka.core.books.book import View
from rulka.core.books.calendar import Window
from rulka.core.books.chart import BoolArray, IntArray
from rulka.core.compute.columns import Column
from rulka.core.compute.computed import Computed
from rulka.core.compute.figures import shows
from rulka.core.errors import first_of
from rulka.core.proof.checks import FAILS, HOLDS, NOT_JUDGED, Check
from rulka.core.proof.placed import (
    placing_leaves,
    plain_columns,
)

SEALED = "What it would judge is sealed for you."


def title_of(column: Column) -> str:
    return (
        f"{column.heading} ({column.window.title})"
        if column.window and column.window.title not in column.heading
        else column.heading
    )


def ledger_tie(computed: Computed, placed: IntArray, covered: BoolArray) -> Check:
    """What the statement's lines sum to equals what the ledger holds on the accounts it covers or places as a whole."""
    money = ~computed.view.frame.accounts.of_type("statistical")
    counted = (covered | (placed > 0)) & money
    leaves = {leaf.key for leaf in placing_leaves(computed)}
    walked = enumerate(computed.plan.leaves.walk())
    rows = [(at, leaf) for at, leaf in walked if leaf.key in leaves and not leaf.is_quantity]
    partly = {at for at, leaf in rows if (leaf.accounts & money & ~counted).any()}
    whole = np.array([at for at, leaf in rows if at not in partly and not leaf.line.columns], dtype=np.int64)
    others = [(at, leaf) for at, leaf in rows if at in partly or leaf.line.columns]
    apart: list[str] = []
    judged: set[str] = set()
    for column, amounts in plain_columns(computed):
        place = computed.place(column.key)
        if computed.view.seal is not None and any(computed.readings.is_sealed(leaf, column) for _, leaf in rows):
            continue
        held = int(computed.amounts[whole, place].sum())
        for at, leaf in others:
            if not shows(leaf.line, column):
                continue
            by_account = computed.readings.by_account(leaf, column)[counted] if at in partly else None
            held += int(computed.amounts[at, place] if by_account is None else by_account.sum())
        judged.add(column.key)
        difference = int(amounts[counted].sum()) - held
        if difference:
            node = computed.plan.node_of(column)
            gap = f"{computed.figure(difference, node.digits)} {node.currency}"
            apart.append(f"{title_of(column)}: {gap} of the ledger is not on it")
    if not judged:
        return Check("ledger-tie", NOT_JUDGED, "No column shows net figures of the ledger itself.")
    return Check("ledger-tie", FAILS, "; ".join(apart)) if apart else _tied(computed, judged)


def _tied(computed: Computed, judged: Set[str]) -> Check:
    """That it ties, and in which columns that says nothing, by the keys of those judged."""
    others = [column.heading for column in computed.columns if column.has_figures and column.key not in judged]
    unjudged = list(dict.fromkeys(others))
    if not unjudged:
        return Check("ledger-tie", HOLDS)
    named = first_of(unjudged, 6)
    return Check("ledger-tie", HOLDS, f"Judged in columns of the ledger's net figures, not in {named}.")


def _rests(view: View, source: MovementSource, window: Window) -> dict[int, int]:
    """By entity what its money accounts come to at a window's end, where that isn't nothing; kept with the view."""

    def by_entity() -> tuple[IntArray, IntArray, IntArray]:
        money = np.flatnonzero(~view.frame.accounts.of_type("statistical")[view.keys.account])
        money = money[np.argsort(view.keys.entity[money], kind="stable")]
        return money, *np.unique(view.keys.entity[money], return_index=True)

    def rests() -> dict[int, int]:
        money, entities, starts = view.kept(("money by entity",), by_entity)
        closing = view.balances_of(source).measure("closing", window)[money]
        added = np.add.reduceat(closing, starts)
        return {place: rest for place, rest in zip(entities.tolist(), added.tolist(), strict=True) if rest}

    return view.kept(("rests", source, window.last), rests)


def ledger_balances(computed: Computed, why: str) -> list[Check]:
    """Debits equal credits over all money accounts of each entity that the columns of actual figures reach.

    Judged in each entity's own currency: translated, the reserve takes what is left, whatever that is.
    """
    columns = [
        column
        for column in computed.columns
        if column.has_figures and column.asked.scenario == "actual" and not column.asked.then and not column.lines
    ]
    if not columns:
        return []
    every = np.ones(len(computed.view.frame.accounts), dtype=bool)
    columns = [column for column in columns if computed.readings.is_judged(column, every)]
    if why or not columns:
        return [Check("ledger-balance", NOT_JUDGED, why or SEALED)]
    frame = computed.view.frame
    apart: list[str] = []
    for column in columns:
        assert column.window is not None
        node = computed.plan.node_of(column)
        source = replace(computed.readings.plain(column)[0].source, translated=False)
        for place, rest in _rests(computed.view, source, column.window).items():
            if node.entities[place]:
                amount = computed.figure(rest, int(frame.digits[place]))
                currency = f" {frame.currencies[place]}" if computed.plan.translated else ""
                apart.append(f"{frame.entities.items[place].code}, {column.heading}: {amount}{currency}")
    return [Check("ledger-balance", FAILS if apart else HOLDS, first_of(apart, 12, "; "))]


def result(computed: Computed, why: str) -> list[Check]:
    """The year's result as a balance sheet reads it (what result accounts hold) and as an income statement does (what
    was booked on them since the year began) are one figure. Translated, they need not be."""
    frame = computed.view.frame
    results = frame.accounts.of_type("revenue", "expense")
    columns = [
        column
        for column in computed.columns
        if column.has_figures
        and not column.asked.then
        and not column.lines
        and column.window is not None
        and not column.window.by_day
    ]
    held_by_lines = np.zeros(len(results), dtype=bool)
    for leaf in placing_leaves(computed):
        held_by_lines |= leaf.accounts
    if computed.plan.translated or not columns or not (held_by_lines & results).any():
        return []
    columns = [column for column in columns if computed.readings.is_judged(column, results)]
    if why or not columns:
        return [Check("result", NOT_JUDGED, why or SEALED)]
    apart = []
    of_results = results[computed.view.keys.account]
    own: dict[int, IntArray] = {}
    for column in columns:
        assert column.window is not None
        node = computed.plan.node_of(column)
        if id(node) not in own:
            own[id(node)] = np.flatnonzero(of_results & node.keys)
        held, booked = _held_and_booked(computed, column, own[id(node)])
        if held != booked:
            apart.append(f"{title_of(column)}: {computed.figure(held - booked, node.digits)}")
    return [Check("result", FAILS if apart else HOLDS, "; ".join(apart))]


def _held_and_booked(computed: Computed, column: Column, keys: IntArray) -> tuple[int, int]:
    """What keys hold at a column's end, and what was booked on them from its year's first day to there."""
    assert column.window is not None
    balances = computed.view.balances_of(computed.readings.plain(column)[0].source)
    last = column.window.last
    calendar = computed.plan.calendar_of(column)
    start = calendar.of_year(calendar.periods[last].year)[0].index
    moved = balances.debits[keys, last + 1].sum() - balances.debits[keys, start].sum()
    moved -= balances.credits[keys, last + 1].sum() - balances.credits[keys, start].sum()
    years = range(start, last + 1) if balances.has_opened else ()
    opened = sum(int(balances.opened[keys, place].sum()) for place in years)
    return int(balances.closing[keys, last].sum()), int(moved) + opened
