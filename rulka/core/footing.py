"""The checks of a computed statement: does it foot, is every account placed once, do the ties hold."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from fractions import Fraction

import numpy as np

from rulka.core.chart import BoolArray, IntArray
from rulka.core.columns import Column
from rulka.core.computed import GROSS, Computed, Row
from rulka.core.elimination import pairs, without_partner
from rulka.core.leaves import Leaf
from rulka.core.money import QUANTITY_DIGITS, exact_text, minor_text
from rulka.core.narrowing import read_narrowing
from rulka.core.nodes import REST, nodes_of
from rulka.core.selection import select
from rulka.core.spines import LineDef


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
    checks: list[Check] = []
    if places_accounts(computed):
        placed, covered = _placed(computed), _covered(computed)
        checks += [*_placement(computed, placed, covered), _totals(computed), _ledger_tie(computed, placed, covered)]
    else:
        checks.append(_totals(computed))
    checks += _series(computed)
    if computed.view.inside.all():
        checks += [*_ledger_balances(computed), *_result(computed), *_judged(computed)]
    else:
        checks.append(Check("Fence", True, "You see a part of this ledger; checks that need the whole are not made.", note=True))
    checks += [*_intercompany(computed), *_not_elsewhere(computed)]
    if computed.statement.rounding != "exact":
        detail = "; ".join(computed.roundings[:12]) + (f"; and {len(computed.roundings) - 12} more" if len(computed.roundings) > 12 else "")
        checks.append(Check("Rounded so that it foots", True, detail or "No figure had to give way.", note=True))
    if computed.warnings:
        checks.append(Check("Selections", True, "; ".join(dict.fromkeys(computed.warnings)), note=True))
    return checks


# placement ----------------------------------------------------------------------------------------------------------


def places_accounts(computed: Computed) -> bool:
    """Whether the spine is one that owes accounts a place: it says so, or its lines select accounts and nothing besides."""
    spine = computed.statement.spine
    if spine.covers:
        return spine.covers != "nothing"
    lines = [line for line in spine.walk() if line.kind == "line" and not line.override and not line.intercompany]
    return bool(lines) and all(_only_accounts(line) for line in lines)


def _only_accounts(line: LineDef) -> bool:
    return all(clause.name == "account" for clause in read_narrowing(line.accounts).clauses)


def placing_leaves(computed: Computed) -> Iterator[Leaf]:
    """The leaves that place accounts: each line's outermost ones, unless the line reads something else than the column."""
    for key, leaves in computed.planned.by_line.items():
        line = computed.line(key)
        if not line.override and not line.intercompany:
            yield from leaves


def _placed(computed: Computed) -> IntArray:
    """How many account lines hold each account; it follows from spine, ledger and fence alone.

    Lines that narrow by members share an account: what counts is how many hold any one posting key of it, and an account
    of which some visible key is held by none counts as not placed.
    """
    return computed.view.book.kept(("placed", computed.statement.spine, repr(computed.view.fence)), lambda: _count_places(computed))


def _count_places(computed: Computed) -> IntArray:
    view = computed.view
    of_key = view.book.keys.account
    count = np.zeros(len(view.frame.accounts), dtype=np.int64)
    by_key = np.zeros(len(of_key), dtype=np.int64)
    narrowed = np.zeros(len(count), dtype=bool)
    statistical = view.frame.accounts.of_type("statistical")
    for key, leaves in computed.planned.by_line.items():
        line = computed.line(key)
        if line.override or line.intercompany or not leaves:
            continue
        of_line, keys = np.zeros(len(count), dtype=bool), np.zeros(len(of_key), dtype=bool)
        for leaf in leaves:
            of_line |= leaf.accounts & (statistical if leaf.is_quantity else ~statistical)
            keys |= leaf.mask
        count += of_line
        by_key += keys
        if not _only_accounts(line):
            narrowed |= of_line
    if not narrowed.any():
        return count
    seen = view.inside & narrowed[of_key]
    most, least = np.zeros(len(count), dtype=np.int64), np.full(len(count), len(of_key), dtype=np.int64)
    np.maximum.at(most, of_key[seen], by_key[seen])
    np.minimum.at(least, of_key[seen], by_key[seen])
    has_keys = least < len(of_key)
    count[narrowed] = np.minimum(count, 1)[narrowed]  # nothing booked: nothing can stand twice
    held = has_keys & narrowed
    count[held] = np.where(least == 0, 0, most)[held]
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
    """Some accounts by code and name, each with its amount in the first column that has any on it."""
    places = np.flatnonzero(mask)
    items = computed.view.frame.accounts.items
    text = ", ".join(f"{items[place].code} {items[place].name}{_amount_of(computed, int(place))}" for place in places[:most])
    return text + (f" and {len(places) - most} more" if len(places) > most else ""), tuple(items[place].code for place in places)


def _amount_of(computed: Computed, account: int) -> str:
    for _, amounts in _plain(computed):
        if amounts[account]:
            quantity = computed.view.frame.accounts.items[account].type == "statistical"
            return f" ({minor_text(int(amounts[account]), QUANTITY_DIGITS if quantity else computed.node.digits)})"
    return ""


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
    holders = _holders(computed, twice)
    by = f", by {', '.join(holders.values())}" if holders else ""
    checks.append(Check("No account is placed twice", not codes, names and f"Placed more than once: {names}{by}", codes, tuple(holders)))
    return checks


def _holders(computed: Computed, twice: BoolArray) -> dict[str, str]:
    """The lines that hold an account which stands twice, label by key."""
    return {leaf.line.key: leaf.line.label for leaf in placing_leaves(computed) if (leaf.accounts & twice).any()}


def unplaced(computed: Computed) -> dict[int, int]:
    """The accounts that are owed a place, have none and were booked: their place in the chart and what stands on them in minor units.

    The amount is that of the first column that has any on them, debit positive.
    """
    if not places_accounts(computed):
        return {}
    missing = _covered(computed) & (_placed(computed) == 0) & computed.booked_accounts()
    columns = [amounts for _, amounts in _plain(computed)]
    return {int(place): next((int(amounts[place]) for amounts in columns if amounts[place]), 0) for place in np.flatnonzero(missing)}


# totals and ties ----------------------------------------------------------------------------------------------------


def _totals(computed: Computed) -> Check:
    """Each section total again, straight from the accounts, line sign by line sign."""
    again = _Again(computed)
    places = [computed.place(column.key) for column in again.columns]
    wrong = []
    for row in computed.rows:
        if row.kind == "total":
            pairs_of = zip(places, again.total(row), strict=True)
            wrong += [row] if any(value != row.values[place] for place, value in pairs_of if place not in row.blank) else []
    names = ", ".join(row.label for row in wrong)
    return Check("Totals foot", not wrong, f"Does not foot: {names}" if wrong else "", lines=tuple(row.key for row in wrong))


class _Again:
    """Amounts of lines once more, by another way than the engine's: from what the whole node holds by account."""

    def __init__(self, computed: Computed) -> None:
        self.computed = computed
        self.columns = [column for column in computed.columns if column.has_figures and column.asked.measure != "quantity"]
        self.by_account: dict[int, IntArray] = {}
        self.of_leaf: dict[str, list[int]] = {}
        self.simple = {line.key: _only_accounts(line) for line in computed.statement.spine.walk() if line.kind == "line"}

    def total(self, total: Row) -> list[Fraction | None]:
        """A section total in each of the columns: its lines' accounts, line sign by line sign."""
        leaves = list(self._leaves(self.computed.line(total.line), total.unit == "quantity"))
        return [self._in_column(leaves, place, column) for place, column in enumerate(self.columns)]

    def _in_column(self, leaves: list[Leaf], place: int, column: Column) -> Fraction | None:
        amounts: dict[int, int] = {}
        for leaf in leaves:
            if leaf.line.columns and not {column.key, column.asked.key, column.series} & set(leaf.line.columns):
                continue
            vector = self.computed.vector(leaf, column)
            if vector is None:
                return None
            scale = vector.divisor * 10 ** self.computed.digits(leaf, column)
            amounts[scale] = amounts.get(scale, 0) + self._amounts(leaf)[place] * self.computed.sign(leaf, column)
        return sum((Fraction(amount, scale) for scale, amount in amounts.items()), Fraction(0))

    def _leaves(self, line: LineDef, quantities: bool) -> Iterator[Leaf]:
        yield from (leaf for leaf in self.computed.planned.by_line.get(line.key, ()) if leaf.is_quantity == quantities)
        for inner in line.lines:
            yield from self._leaves(inner, quantities)

    def _amounts(self, leaf: Leaf) -> list[int]:
        """A leaf in each column, debit positive minor units."""
        if leaf.key not in self.of_leaf:
            if self.simple[leaf.line.key] and not leaf.member:
                statistical = self.computed.view.frame.accounts.of_type("statistical")
                chosen = leaf.accounts & (statistical if leaf.is_quantity else ~statistical)
                self.of_leaf[leaf.key] = self._table(leaf)[chosen].sum(axis=0).tolist()
            else:
                self.of_leaf[leaf.key] = [int(self.computed.by_account(leaf, column).sum()) for column in self.columns]
        return self.of_leaf[leaf.key]

    def _table(self, leaf: Leaf) -> IntArray:
        """What the whole node holds by account and column, as the leaf's group reads it."""
        if leaf.group not in self.by_account:
            computed, view = self.computed, self.computed.view
            table = np.zeros((len(view.frame.accounts), len(self.columns)), dtype=np.int64)
            for place, column in enumerate(self.columns):
                vector = computed.vector(leaf, column)
                keys = computed.node.keys if column.keys is None else computed.node.keys & column.keys
                if vector is not None:
                    table[:, place] = view.by_account(vector.amounts, keys)
            self.by_account[leaf.group] = table
        return self.by_account[leaf.group]


def _plain(computed: Computed) -> Iterator[tuple[Column, IntArray]]:
    """Columns of the ledger's own net figures, with the amounts of the whole node by account."""
    for column in computed.columns:
        if not column.has_figures or column.asked.measure in (*GROSS, "average", "quantity") or column.lines or column.asked.part:
            continue
        vector = computed.plain(column)[1]
        if vector is not None and vector.divisor == 1:
            keys = computed.node.keys if column.keys is None else computed.node.keys & column.keys
            yield column, computed.view.by_account(vector.amounts, keys)


def _title(column: Column) -> str:
    return f"{column.heading} ({column.window.title})" if column.window and column.window.title not in column.heading else column.heading


def _ledger_tie(computed: Computed, placed: IntArray, covered: BoolArray) -> Check:
    """What the statement's lines hold equals what the ledger holds on the accounts it covers."""
    statistical = computed.view.frame.accounts.of_type("statistical")
    apart = []
    for column, amounts in _plain(computed):
        times = np.where(statistical | ~covered & (placed == 0), 0, placed)
        difference = sum(int(a) * int(n) for a, n in zip(amounts, times, strict=True)) - int(amounts[covered & ~statistical].sum())
        if difference:
            amount = minor_text(-difference, computed.node.digits)
            apart.append(f"{_title(column)}: {amount} {computed.node.currency} of the ledger is not on it")
    return Check("Ties to the ledger", not apart, "; ".join(apart))


def _ledger_balances(computed: Computed) -> list[Check]:
    """Debits equal credits over all money accounts of each entity of the node."""
    if not all(_is_whole(computed, int(place)) for place in np.flatnonzero(computed.node.entities)):
        return []
    money = ~computed.view.frame.accounts.of_type("statistical")[computed.view.book.keys.account]
    entity, items = computed.view.book.keys.entity, computed.view.frame.entities.items
    keys_of = {int(place): np.flatnonzero(money & (entity == place)) for place in np.flatnonzero(computed.node.entities)}
    apart: list[str] = []
    for column in computed.columns:
        if not column.has_figures or column.asked.scenario != "actual" or column.asked.then or column.lines or column.window is None:
            continue
        balances = computed.view.book.balances_of(computed.plain(column)[0].source)
        closing = balances.measure("closing", column.window)
        for place, keys in keys_of.items():
            rest = int(closing[keys].sum())
            if rest:
                apart.append(f"{items[place].code}, {column.heading}: {minor_text(rest, computed.node.digits)}")
    return [Check("The ledger is in balance", not apart, "; ".join(apart[:12]))]


def _result(computed: Computed) -> list[Check]:
    """The year's result as a balance sheet reads it (what result accounts hold) and as an income statement does (what
    was booked on them since the year began) are one figure."""
    accounts, frame = computed.view.frame.accounts, computed.view.frame
    placed = _placed(computed) > 0
    results = accounts.of_type("revenue", "expense")
    if not (placed & results).any() or computed.translated:
        return []
    keys = np.flatnonzero(results[computed.view.book.keys.account] & computed.node.keys)
    apart = []
    for column in computed.columns:
        if not column.has_figures or column.asked.then or column.lines or column.window is None or column.window.by_day:
            continue
        balances = computed.view.book.balances_of(computed.plain(column)[0].source)
        last = column.window.last
        start = frame.calendar.of_year(frame.calendar.periods[last].year)[0].index
        held = int(balances.closing[keys, last].sum())
        moved = balances.debits[keys, last + 1].sum() - balances.debits[keys, start].sum()
        moved -= balances.credits[keys, last + 1].sum() - balances.credits[keys, start].sum()
        opened = sum(int(balances.opened[keys, place].sum()) for place in range(start, last + 1)) if balances.has_opened else 0
        booked = int(moved) + opened
        if held != booked:
            apart.append(f"{_title(column)}: {minor_text(held - booked, computed.node.digits)}")
    return [Check("The result ties", not apart, "; ".join(apart))]


def _is_whole(computed: Computed, entity: int) -> bool:
    """Whether the node holds every posting key of an entity."""
    return bool(computed.node.keys[computed.view.book.keys.entity == entity].all())


def _judged(computed: Computed) -> list[Check]:
    """The spine's own checks."""
    checks = []
    for judged in computed.checks:
        apart = [f"{_title(column)}: {exact_text(by, computed.node.digits)} apart" for column, by in judged.apart]
        detail = "; ".join(apart) if judged.judged else "Judged in no column: none of them has figures for it."
        checks.append(Check(judged.line.label, judged.holds, detail, lines=(judged.line.key,)))
    return checks


def _series(computed: Computed) -> list[Check]:
    """A series over members whose parts, with what is none of them, add up to the column that isn't narrowed."""
    checks = []
    for rest in computed.columns:
        if not rest.is_rest or not rest.has_figures:
            continue
        parts = [column for column in computed.columns if column.series == rest.series and column.has_figures and not column.is_total]
        parts = [column for column in parts if column.asked.key == rest.asked.key]
        vector = computed.plain(rest)[1]
        if vector is None:
            continue
        covered = np.zeros(len(vector.amounts), dtype=np.int64)
        for column in parts:
            covered += column.keys if column.keys is not None else 1
        own = _whole_of(computed, rest)
        missing = computed.node.keys & own & (covered != 1)
        gap = int(vector.amounts[missing].sum())
        detail = (
            f"{len(parts)} columns add up to the whole" if not missing.any() else f"{minor_text(gap, computed.node.digits)} stands in none or in two"
        )
        checks.append(Check(f"The columns of {rest.series} are complete", not missing.any(), detail))
    return checks


def _whole_of(computed: Computed, rest: Column) -> BoolArray:
    """What the un-narrowed column of a series would hold: all that its remaining narrowing lets through."""
    return computed.view.book.mask(read_narrowing(rest.asked.narrow)).keys


# nodes --------------------------------------------------------------------------------------------------------------


def _intercompany(computed: Computed) -> list[Check]:
    """Where columns eliminate: each pair that doesn't agree, balances and activity separately, and lines without a partner."""
    columns = [column for column in computed.columns if column.has_figures and column.asked.part in ("eliminations", "after elimination")]
    if not columns:
        return []
    view, carrying = computed.view, computed.view.frame.carrying()
    apart: dict[str, None] = {}
    lonely: dict[tuple[str, str], None] = {}
    for column in columns:
        assert column.window is not None
        balances = view.book.balances_of(computed.plain(column)[0].source)
        for what, accounts, measure in (("balances", carrying, "closing"), ("activity", ~carrying, "activity")):
            for pair in pairs(view, computed.node, balances.measure(measure, column.window), accounts):
                if pair.apart:
                    first, second, gap = (minor_text(amount, computed.node.digits) for amount in (pair.of_first, pair.of_second, pair.apart))
                    apart[f"{column.window.title}, {what}: {pair.first} has {first}, {pair.second} {second}, {gap} apart"] = None
        lonely.update(dict.fromkeys(without_partner(view, computed.node, balances.booked(column.window))))
    checks = [Check("Intercompany agrees", not apart, "; ".join(apart))]
    if lonely:
        names = ", ".join(f"{entity} {account}" for entity, account in sorted(lonely)[:8])
        checks.append(Check("Intercompany without a partner", True, f"Not eliminated, no partner is named: {names}", note=True))
    return checks


def _not_elsewhere(computed: Computed) -> list[Check]:
    """What a node of a scope holds that none of its children does."""
    if computed.statement.scope is None or not computed.node.children:
        return []
    rest = next((node for node in nodes_of(computed.view, computed.statement.scope) if node.code == computed.node.code + REST), None)
    if rest is None:
        return []
    accounts = np.unique(computed.view.book.keys.account[rest.keys])
    detail = f"Node {rest.code} holds what no child of {computed.node.name} does, on {len(accounts)} account{'s' if len(accounts) != 1 else ''}"
    return [Check("Not elsewhere", True, detail, note=True)]
