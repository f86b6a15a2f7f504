"""What a ledger holds, entity by entity and period by period, and how an account was used over time."""

from __future__ import annotations

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
    """How one account was used by some entities: amounts in minor units, debit positive; periods as indices, None where
    never. How many `lines` a sealed account has is None."""

    balances: tuple[int, ...]
    lines: int | None
    first: int | None
    last: int | None


def account_use(view: View, entities: BoolArray, last: int, periods: int = 24) -> list[AccountUse]:
    """For each account the balances of the last periods up to `last` (carrying accounts their closing, the others their
    activity), how many lines it has over all time, and its first and last period with any."""
    frame, keys = view.frame, view.keys
    chosen = view.keys_of(entities)
    balances = view.balances("actual")
    first = max(0, last + 1 - periods)
    shape = (len(frame.accounts), last + 1 - first)
    closing, activity = np.zeros(shape, dtype=np.int64), np.zeros(shape, dtype=np.int64)
    np.add.at(closing, keys.account[chosen], balances.closing[chosen, first : last + 1])
    net = balances.debits - balances.credits
    np.add.at(activity, keys.account[chosen], np.diff(net, axis=1)[chosen, first : last + 1])
    shown = np.where(frame.carrying()[:, None], closing, activity)
    shown[view.withheld] = 0
    counts = np.zeros((len(frame.accounts), len(frame.calendar.periods)), dtype=np.int64)
    moved = view.movements("actual")
    mask = chosen[moved.key]
    np.add.at(counts, (keys.account[moved.key[mask]], moved.period[mask]), moved.count[mask])
    found = []
    for at in range(len(frame.accounts)):
        used = np.flatnonzero(counts[at])
        found.append(
            AccountUse(
                tuple(shown[at].tolist()),
                None if view.sealed[at] else int(counts[at].sum()),
                int(used[0]) if len(used) else None,
                int(used[-1]) if len(used) else None,
            )
        )
    return found


def lines_by_member(view: View, dimension: str) -> IntArray:
    """How many actual lines inside the fence, sealed ones left out, each member of a dimension has, over all time."""
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


def spark_points(amounts: tuple[int, ...], width: int = 88, height: int = 18) -> str:
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
