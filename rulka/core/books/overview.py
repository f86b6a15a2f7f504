"""What a ledger holds, entity by entity and period by period, and how an account was used over time."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from rulka.core.books.book import View
from rulka.core.books.calendar import Window
from rulka.core.books.chart import BoolArray, IntArray
from rulka.core.books.frame import ACTIVITY, CLOSING, OPENING, PENDING, POSTED, Movements


@dataclass(frozen=True)
class Held:
    """One entity's period: how many lines, pending ones among them, and gross debits and credits of money accounts in
    minor units."""

    lines: int
    pending: int
    debit: int
    credit: int

    @property
    def ties(self) -> bool:
        return self.debit == self.credit


def held_by_period(view: View) -> list[list[Held]]:
    """Actual lines of every kind and status inside the fence, `(entities, periods)`; under a seal no sealed line is
    counted, and the amounts are those of posted ones."""
    return view.kept(("held by period",), lambda: _held_by_period(view))


def _held_by_period(view: View) -> list[list[Held]]:
    frame, keys = view.frame, view.keys
    moved = view.movements("actual")
    shape = (len(frame.entities), len(frame.calendar.periods))
    money = ~frame.accounts.of_type("statistical")[keys.account]

    def table(amount: IntArray, mask: BoolArray) -> IntArray:
        total = np.zeros(shape, dtype=np.int64)
        np.add.at(total, (keys.entity[moved.key[mask]], moved.period[mask]), amount[mask])
        return total

    listed = ~view.sealed_keys[moved.key]
    lines, pending = table(moved.count, listed), table(moved.count, listed & (moved.status == PENDING))
    in_money = money[moved.key] & ((moved.status == POSTED) if view.seal else True)
    debit, credit = table(moved.debit, in_money), table(moved.credit, in_money)
    return [
        [Held(int(lines[e, p]), int(pending[e, p]), int(debit[e, p]), int(credit[e, p])) for p in range(shape[1])]
        for e in range(shape[0])
    ]


@dataclass(frozen=True)
class AccountUse:
    """How accounts were used by some entities over all time, `(accounts,)` each: how many lines, their first and last
    period as indices, -1 where never. Of sealed accounts the lines are not to be told."""

    lines: IntArray
    first: IntArray
    last: IntArray


def account_use(view: View, entities: BoolArray) -> AccountUse:
    """How many lines each account has, and its first and last period with any."""
    return view.kept(("account use", entities.tobytes()), lambda: _account_use(view, entities))


def _account_use(view: View, entities: BoolArray) -> AccountUse:
    moved, chosen = view.movements("actual"), view.keys_of(entities)
    mask = chosen[moved.key]
    counts = np.zeros((len(view.frame.accounts), len(view.frame.calendar.periods)), dtype=np.int64)
    np.add.at(counts, (view.keys.account[moved.key[mask]], moved.period[mask]), moved.count[mask])
    used = counts != 0
    never = ~used.any(axis=1)
    first, last = used.argmax(axis=1), used.shape[1] - 1 - used[:, ::-1].argmax(axis=1)
    first[never] = last[never] = -1
    return AccountUse(counts.sum(axis=1), first, last)


def account_course(view: View, entities: BoolArray, last: int, accounts: Sequence[int], periods: int = 24) -> IntArray:
    """Balances of some accounts in the last periods up to `last`, `(accounts asked for, periods)`, minor units, debit
    positive: of carrying accounts their closing, of the others their activity; nothing of what a seal withholds."""
    frame, balances = view.frame, view.balances("actual")
    first = max(0, last + 1 - periods)
    place = np.full(len(frame.accounts), -1, dtype=np.int64)
    place[list(accounts)] = np.arange(len(accounts))
    place[view.withheld] = -1
    rows = place[view.keys.account]
    keys = np.flatnonzero(view.keys_of(entities) & (rows >= 0))
    closing, activity = np.zeros((2, len(accounts), last + 1 - first), dtype=np.int64)
    np.add.at(closing, rows[keys], balances.closing[keys, first : last + 1])
    net = balances.debits[keys, first : last + 2] - balances.credits[keys, first : last + 2]
    np.add.at(activity, rows[keys], np.diff(net, axis=1))
    return np.where(frame.carrying()[list(accounts), None], closing, activity)


def lines_by_member(view: View, dimension: str) -> IntArray:
    """How many actual lines inside the fence, sealed ones left out, each member of a dimension has, over all time."""
    return view.kept(("lines by member", dimension), lambda: _lines_by_member(view, dimension))


def _lines_by_member(view: View, dimension: str) -> IntArray:
    moved = view.movements("actual")
    counts = np.zeros(len(view.frame.dimensions[dimension]), dtype=np.int64)
    at = list(view.frame.dimensions).index(dimension)
    listed = ~view.sealed_keys[moved.key]
    np.add.at(counts, view.keys.members[moved.key[listed], at], moved.count[listed])
    return counts


@dataclass(frozen=True)
class Compared:
    """Two scenarios side by side: (account place, one, other) where either is not zero, and the result of each, in
    minor units, debit positive; None where some of it is sealed."""

    rows: tuple[tuple[int, int, int], ...]
    results: tuple[int, int] | None


def compare_scenarios(view: View, entities: BoolArray, window: Window, one: str, other: str) -> Compared:
    """The activity of revenue, expense and statistical accounts in two scenarios over a window."""
    keys, accounts = view.keys_of(entities), view.frame.accounts
    first, second = (view.by_account(view.balances(code).measure("activity", window), keys) for code in (one, other))
    told = accounts.of_type("revenue", "expense", "statistical") & ((first != 0) | (second != 0))
    result = accounts.of_type("revenue", "expense")
    if (result & view.withheld).any():
        told = told & ~view.withheld
    rows = tuple((int(at), int(first[at]), int(second[at])) for at in np.flatnonzero(told))
    if (result & view.withheld).any():
        return Compared(rows, None)
    return Compared(rows, (int(first[result].sum()), int(second[result].sum())))


def spark_points(amounts: Sequence[int], width: int = 88, height: int = 18) -> str:
    """A small line of amounts as points of an SVG polyline; nothing when all are zero."""
    if not any(amounts) or len(amounts) < 2:
        return ""
    low, high = min(0, *amounts), max(0, *amounts)
    step = width / (len(amounts) - 1)
    return " ".join(
        f"{at * step:.1f},{height - 1 - (amount - low) * (height - 2) / (high - low):.1f}"
        for at, amount in enumerate(amounts)
    )


ALL_EFFECTS = (ACTIVITY, OPENING, CLOSING)


def counted(
    moved: Movements, keys: BoolArray, periods: BoolArray, *, pending: bool | None, effects: tuple[int, ...]
) -> BoolArray:
    """Mask of the movements of some keys and periods; `pending` None counts both states."""
    mask: BoolArray = keys[moved.key]
    if not periods.all():
        mask = mask & periods[moved.period]
    if effects != ALL_EFFECTS:
        mask = mask & np.isin(moved.effect, effects)
    if pending is not None:
        mask = mask & ((moved.status == PENDING) == pending)
    return mask
