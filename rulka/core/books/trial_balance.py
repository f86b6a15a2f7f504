"""A trial balance: opening, gross debits and credits, closing by entity and account."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from rulka.core.books.balances import Balances
from rulka.core.books.book import View
from rulka.core.books.calendar import Period
from rulka.core.books.chart import BoolArray, IntArray
from rulka.core.books.frame import Frame
from rulka.core.errors import NotFound, RulkaError, one_of
from rulka.core.money import QUANTITY_DIGITS


@dataclass(frozen=True)
class TrialBalanceRow:
    """One entity and account; amounts in minor units of `digits` decimals, debit positive, never presented sign.

    `is_sealed` says that the amounts would be finer than the grain of the reader's seal: they are zero then, and
    nothing of them is to be shown.
    """

    entity: str
    account: str
    name: str
    opening: int
    debits: int
    credits: int
    closing: int
    digits: int
    member: str = ""
    is_sealed: bool = False

    @property
    def amounts(self) -> tuple[int, int, int, int]:
        """Opening, debits, credits, closing."""
        return self.opening, self.debits, self.credits, self.closing


@dataclass(frozen=True)
class TrialBalance:
    """Rows by entity, account and member as places in the frame, `(rows,)` each; amounts `(rows, 4)`: opening, debits,
    credits, closing."""

    frame: Frame
    by: str
    entity: IntArray
    account: IntArray
    member: IntArray
    amounts: IntArray
    sealed: BoolArray

    def __len__(self) -> int:
        return len(self.entity)

    def rows(self, start: int = 0, stop: int | None = None) -> list[TrialBalanceRow]:
        """Some of the rows in words."""
        frame, some = self.frame, slice(start, stop)
        columns = (self.entity, self.account, self.member, self.amounts, self.sealed)
        rows = []
        for e, a, m, amounts, sealed in zip(*(column[some].tolist() for column in columns), strict=True):
            account = frame.accounts.items[a]
            digits = QUANTITY_DIGITS if account.type == "statistical" or sealed else int(frame.digits[e])
            member = frame.dimensions[self.by].items[m].code if self.by and not sealed else ""
            opening, debits, credits, closing = amounts
            entity = frame.entities.items[e].code
            told = (entity, account.code, account.name, opening, debits, credits, closing, digits, member, sealed)
            rows.append(TrialBalanceRow(*told))
        return rows

    def parts(self) -> list[EntityPart]:
        """The rows of each entity, with their totals; quantities are in no total."""
        if not len(self):
            return []
        starts = np.flatnonzero(np.diff(self.entity, prepend=-1))
        money = ~self.frame.accounts.of_type("statistical")[self.account]
        totals = np.add.reduceat(self.amounts * money[:, None], starts).tolist()
        sealed = np.logical_or.reduceat(self.sealed, starts).tolist()
        parts, stops = [], [*starts[1:].tolist(), len(self)]
        for start, stop, total, hides in zip(starts.tolist(), stops, totals, sealed, strict=True):
            opening, debits, credits, closing = total
            told = None if hides else (opening, debits, credits, closing)
            parts.append(EntityPart(self.frame.entities.items[self.entity[start]].code, start, stop, told))
        return parts


def _hidden(view: View, by: str, pending: bool) -> BoolArray:
    """The accounts `(accounts,)` whose detail a seal keeps together, where the rows would tell it apart."""
    seal = view.seal
    is_fine = seal is not None and (pending or not seal.is_whole or not view.by_group or not {by} <= {"", *seal.grain})
    return view.coarse if is_fine else np.zeros(len(view.frame.accounts), dtype=bool)


def _summed(codes: IntArray, amounts: IntArray) -> tuple[IntArray, IntArray]:
    """Each code once, with the sums of its amounts, where any isn't zero."""
    found, group = np.unique(codes, return_inverse=True)
    total = np.zeros((len(found), amounts.shape[1]), dtype=np.int64)
    np.add.at(total, group, amounts)
    filled = (total != 0).any(axis=1)
    return found[filled], total[filled]


def _amounts(balances: Balances, at: IntArray, first: int, last: int) -> IntArray:
    """Opening, debits, credits and closing of some keys from a period to another, `(keys, 4)`."""
    return np.column_stack(
        [
            balances.opening[at, first],
            balances.debits[at, last + 1] - balances.debits[at, first],
            balances.credits[at, last + 1] - balances.credits[at, first],
            balances.closing[at, last],
        ]
    )


def _members(view: View, by: str) -> tuple[IntArray, int]:
    """The member of each key `(keys,)` in the dimension `by`, and how many it has; one for all where there is none."""
    frame, keys = view.frame, view.keys
    if not by:
        return np.zeros(len(keys), dtype=np.int64), 1
    if by not in frame.dimensions:
        hint = one_of(by, frame.dimensions)
        raise NotFound(f"'{by}' is no dimension of this ledger.", hint=hint, subject="breakdown")
    return keys.members[:, list(frame.dimensions).index(by)], len(frame.dimensions[by])


def trial_balance(
    view: View,
    first: Period,
    last: Period,
    *,
    entity: str = "",
    scenario: str = "actual",
    pending: bool = False,
    by: str = "",
) -> TrialBalance:
    """Opening before the first period, closing after the last; rows that are zero throughout are left out.

    Sorted by entity and account, statistical accounts and rolled retained earnings included, no totals. `by` breaks
    each account down by the members of a dimension, in the order of their codes.
    """
    if first.index > last.index:
        raise RulkaError(
            f"{first.code} comes after {last.code}.", hint="Give the earlier period first.", subject="period range"
        )
    frame, keys = view.frame, view.keys
    inside = view.keys_of(_entity_mask(view, entity))
    balances = view.balances(scenario, pending=pending)
    members, count = _members(view, by)
    hidden = _hidden(view, by, pending)
    shown = np.flatnonzero(inside & ~hidden[keys.account])
    amounts = _amounts(balances, shown, first.index, last.index)
    codes = (keys.entity[shown] * len(frame.accounts) + keys.account[shown]) * count + members[shown]
    codes, total = _summed(codes, amounts)
    closed = inside & hidden[keys.account]
    sealed = np.unique(keys.entity[closed] * len(frame.accounts) + keys.account[closed])
    codes = np.concatenate([codes, sealed * count])
    order = np.argsort(codes, kind="stable")
    codes = codes[order]
    amounts = np.concatenate([total, np.zeros((len(sealed), 4), dtype=np.int64)])[order]
    place, member = np.divmod(codes, count)
    entities, accounts = np.divmod(place, len(frame.accounts))
    return TrialBalance(frame, by, entities, accounts, member, amounts, order >= len(total))


@dataclass(frozen=True)
class EntityPart:
    """One entity's rows by their places, and opening, debits, credits and closing over its money accounts in minor
    units; None where some are sealed."""

    entity: str
    start: int
    stop: int
    totals: tuple[int, int, int, int] | None

    @property
    def ties(self) -> bool:
        """Whether opening and closing come to nothing and debits equal credits; not where that can't be told."""
        if self.totals is None:
            return False
        opening, debits, credits, closing = self.totals
        return opening == closing == 0 and debits == credits


def _entity_mask(view: View, entity: str) -> BoolArray:
    seen = view.visible_entities()
    if not entity:
        return seen
    codes = view.frame.entities
    mask = np.zeros(len(codes), dtype=bool)
    if entity not in codes.index or not seen[codes.index[entity]]:
        known = [item.code for item, visible in zip(codes.items, seen, strict=True) if visible]
        raise NotFound(f"Entity '{entity}' does not exist.", hint=one_of(entity, known), subject="entity")
    mask[codes.index[entity]] = True
    return mask
