"""The checks of a computed statement: does it foot, is every account placed once, do the ties hold."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction

import numpy as np

from rulka.core.chart import BoolArray, IntArray
from rulka.core.money import exact_text, minor_text
from rulka.core.selection import select
from rulka.core.statement import Computed, Row


@dataclass(frozen=True)
class Check:
    """One check; `accounts` and `lines` name what it is about, for a way to the cause. A `note` is only told."""

    check: str
    ok: bool
    detail: str
    accounts: tuple[str, ...] = ()
    lines: tuple[str, ...] = ()
    note: bool = False


def footing(computed: Computed) -> list[Check]:
    """All checks of a statement, in the order they are told.

    Inside a fence that hides part of the ledger, ties against the whole are left out and that is said.
    """
    placed, covered = _placed(computed), _covered(computed)
    checks = [*_placement(computed, placed, covered), _totals(computed), _ledger_tie(computed, placed, covered)]
    if computed.view.inside.all():
        checks += [_ledger_balances(computed), *_agreements(computed)]
    else:
        checks.append(Check("Fence", True, "You see a part of this ledger; checks that need the whole are not made.", note=True))
    if computed.warnings:
        checks.append(Check("Selections", True, "; ".join(computed.warnings), note=True))
    return checks


def _placed(computed: Computed) -> IntArray:
    """How many account lines hold each account."""
    count = np.zeros(len(computed.view.frame.accounts), dtype=np.int64)
    for mask in computed.masks.values():
        count += mask
    return count


def _covered(computed: Computed) -> BoolArray:
    """The accounts this statement owes a place: as the spine says, or all of the types it places any of.

    An account that only heads others, with nothing booked on it, is owed none.
    """
    accounts, spine = computed.view.frame.accounts, computed.statement.spine
    heads = np.fromiter((len(accounts.below[item.code]) > 1 for item in accounts.items), dtype=bool, count=len(accounts))
    return _wanted(computed, spine.covers) & computed.view.visible_accounts() & ~(heads & ~computed.booked_accounts())


def _wanted(computed: Computed, covers: str) -> BoolArray:
    accounts = computed.view.frame.accounts
    if covers:
        return select(covers, accounts).mask
    placed = _placed(computed) > 0
    types = {accounts.items[place].type for place in np.flatnonzero(placed)} - {"statistical"}
    return accounts.of_type(*types)


def _names(computed: Computed, mask: BoolArray, most: int = 5) -> tuple[str, tuple[str, ...]]:
    items = [computed.view.frame.accounts.items[place] for place in np.flatnonzero(mask)]
    text = ", ".join(f"{item.code} {item.name}" for item in items[:most])
    return text + (f" and {len(items) - most} more" if len(items) > most else ""), tuple(i.code for i in items)


def _placement(computed: Computed, placed: IntArray, covered: BoolArray) -> list[Check]:
    missing, twice = covered & (placed == 0), placed > 1
    booked = computed.booked_accounts()
    total, found = int(covered.sum()), int((covered & (placed > 0)).sum())
    detail = f"{found} of {total} accounts placed"
    names, codes = _names(computed, missing)
    if codes:
        quiet = "" if (missing & booked).any() else ", nothing booked on them in the columns shown"
        detail += f": {names} {'is' if len(codes) == 1 else 'are'} not{quiet}"
    checks = [Check("Every account is placed", not (missing & booked).any(), detail, codes)]
    names, codes = _names(computed, twice)
    checks.append(Check("No account is placed twice", not codes, names and f"Placed more than once: {names}", codes))
    return checks


def unplaced_near(computed: Computed) -> dict[str, list[str]]:
    """Booked accounts without a place, by the key of the account line they stand nearest to in code order."""
    missing = _covered(computed) & (_placed(computed) == 0) & computed.booked_accounts()
    accounts = computed.view.frame.accounts.items
    lines = [
        (code, row.key) for row in computed.rows if row.kind in ("line", "account") and not row.hidden and row.unit == "money" for code in row.codes
    ]
    near: dict[str, list[str]] = {}
    for place in np.flatnonzero(missing):
        before = [found for found in lines if found[0] < accounts[place].code]
        if lines:
            key = max(before)[1] if before else min(lines)[1]
            near.setdefault(key, []).append(accounts[place].code)
    return near


def _totals(computed: Computed) -> Check:
    """Each section total again, straight from the accounts, line sign by line sign."""
    wrong = []
    for row in computed.rows:
        if row.kind != "total":
            continue
        for place, column in enumerate(computed.columns):
            if column.window is not None and _from_accounts(computed, row, place) != row.values[place]:
                wrong.append(row.label)
                break
    return Check("Totals foot", not wrong, f"Does not foot: {', '.join(wrong)}" if wrong else "", lines=tuple(wrong))


def _from_accounts(computed: Computed, total: Row, place: int) -> Fraction:
    column, accounts = computed.columns[place], computed.view.frame.accounts
    statistical = accounts.of_type("statistical")
    result, todo = 0, [computed.line(total.line)]
    while todo:
        line = todo.pop()
        todo.extend(line.lines)
        if line.kind == "line":
            mask = computed.masks[line.key] & (statistical if total.unit == "quantity" else ~statistical)
            measure = computed.measure_of(line, column)
            sign = 1 if measure in ("debits", "credits") else computed.signs[line.key]
            result += sign * int(computed.account_totals(column, measure)[mask].sum())
    return Fraction(result, 10 ** (2 if total.unit == "quantity" else computed.node.digits))


def _ledger_tie(computed: Computed, placed: IntArray, covered: BoolArray) -> Check:
    """What the statement's lines hold equals what the ledger holds on the accounts it covers."""
    statistical = computed.view.frame.accounts.of_type("statistical")
    apart = []
    for column in computed.columns:
        if column.window is None or column.asked.measure in ("debits", "credits"):
            continue
        amounts = computed.account_totals(column, column.asked.measure)
        times = np.where(statistical | ~covered & (placed == 0), 0, placed)
        difference = sum(int(a) * int(n) for a, n in zip(amounts, times, strict=True)) - int(amounts[covered & ~statistical].sum())
        if difference:
            amount = minor_text(-difference, computed.node.digits)
            apart.append(f"{column.heading} ({column.window.title}): {amount} {computed.node.currency} of the ledger is not on it")
    return Check("Ties to the ledger", not apart, "; ".join(apart))


def _ledger_balances(computed: Computed) -> Check:
    """Debits equal credits over all money accounts of the node."""
    money = ~computed.view.frame.accounts.of_type("statistical")
    apart = []
    for column in computed.columns:
        if column.window is not None and column.asked.scenario == "actual":
            rest = int(computed.account_totals(column, "closing")[money].sum())
            if rest:
                apart.append(f"{column.heading}: {minor_text(rest, computed.node.digits)}")
    return Check("The ledger is in balance", not apart, "; ".join(apart))


def _agreements(computed: Computed) -> list[Check]:
    checks = []
    value_by_label = {row.label.casefold(): row for row in computed.rows if row.has_figures}
    for line in computed.statement.spine.walk():
        if line.kind != "check":
            continue
        apart = []
        first, *others = [value_by_label[name.casefold()] for name in line.agree]
        for place, column in enumerate(computed.columns):
            if column.window is None:
                continue
            for other in others:
                a, b = first.values[place], other.values[place]
                if a is not None and b is not None and a != b:
                    apart.append(f"{column.heading} ({column.window.title}): {exact_text(a - b, computed.node.digits)} apart")
        checks.append(Check(line.label, not apart, "; ".join(apart), lines=(line.key,)))
    return checks
