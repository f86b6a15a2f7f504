"""A trial balance: opening, gross debits and credits, closing by entity and account."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from itertools import groupby

import numpy as np

from rulka.core.books.book import View
from rulka.core.books.calendar import Period
from rulka.core.books.chart import BoolArray
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


def trial_balance(
    view: View,
    first: Period,
    last: Period,
    *,
    entity: str = "",
    scenario: str = "actual",
    pending: bool = False,
    by: str = "",
) -> list[TrialBalanceRow]:
    """Opening before the first period, closing after the last; rows that are zero throughout are left out.

    Sorted by entity and account, statistical accounts and rolled retained earnings included, no totals. `by` breaks
    each account down by the members of a dimension, in the order of their codes.
    """
    if first.index > last.index:
        raise RulkaError(
            f"{first.code} comes after {last.code}.", hint="Give the earlier period first.", subject="period range"
        )
    frame, keys = view.frame, view.keys
    chosen = view.keys_of(_entity_mask(view, entity))
    balances = view.balances(scenario, pending=pending)
    if by and by not in frame.dimensions:
        raise NotFound(
            f"'{by}' is no dimension of this ledger.", hint=one_of(by, frame.dimensions), subject="breakdown"
        )
    members = keys.members[:, list(frame.dimensions).index(by)] if by else np.zeros(len(keys), dtype=np.int64)
    seal = view.seal
    is_fine = seal is not None and (pending or not seal.is_whole or not view.by_group or not {by} <= {"", *seal.grain})
    hidden = view.coarse if is_fine else np.zeros(len(frame.accounts), dtype=bool)
    chosen = chosen & ~hidden[keys.account]
    shape = (len(frame.entities), len(frame.accounts), len(frame.dimensions[by]) if by else 1)
    sums = []
    for amounts in (
        balances.opening[:, first.index],
        balances.debits[:, last.index + 1] - balances.debits[:, first.index],
        balances.credits[:, last.index + 1] - balances.credits[:, first.index],
        balances.closing[:, last.index],
    ):
        total = np.zeros(shape, dtype=np.int64)
        np.add.at(total, (keys.entity[chosen], keys.account[chosen], members[chosen]), amounts[chosen])
        sums.append(total)
    rows = _sealed_rows(view, entity, hidden)
    for e, a, m in np.argwhere(np.any([total != 0 for total in sums], axis=0)):
        account = frame.accounts.items[a]
        member = frame.dimensions[by].items[m].code if by else ""
        digits = QUANTITY_DIGITS if account.type == "statistical" else int(frame.digits[e])
        opening, debits, credits, closing = (int(total[e, a, m]) for total in sums)
        rows.append(
            TrialBalanceRow(
                frame.entities.items[e].code,
                account.code,
                account.name,
                opening,
                debits,
                credits,
                closing,
                digits,
                member,
            )
        )
    order = (frame.entities.index, frame.accounts.index)
    return sorted(rows, key=lambda row: (order[0][row.entity], order[1][row.account])) if hidden.any() else rows


def _sealed_rows(view: View, entity: str, hidden: BoolArray) -> list[TrialBalanceRow]:
    """A row without amounts for each account of an entity that may not be told apart like this."""
    if not hidden.any():
        return []
    frame, keys = view.frame, view.keys
    chosen = view.keys_of(_entity_mask(view, entity)) & hidden[keys.account]
    pairs = sorted({(int(keys.entity[key]), int(keys.account[key])) for key in np.flatnonzero(chosen)})
    return [
        TrialBalanceRow(
            frame.entities.items[e].code,
            frame.accounts.items[a].code,
            frame.accounts.items[a].name,
            0,
            0,
            0,
            0,
            2,
            is_sealed=True,
        )
        for e, a in pairs
    ]


@dataclass(frozen=True)
class EntityPart:
    """One entity's rows, and opening, debits, credits and closing over its money accounts in minor units; None where
    some are sealed."""

    entity: str
    rows: tuple[TrialBalanceRow, ...]
    totals: tuple[int, int, int, int] | None

    @property
    def ties(self) -> bool:
        """Whether opening and closing come to nothing and debits equal credits; not where that can't be told."""
        if self.totals is None:
            return False
        opening, debits, credits, closing = self.totals
        return opening == closing == 0 and debits == credits


def by_entity(rows: Iterable[TrialBalanceRow], frame: Frame) -> list[EntityPart]:
    """A trial balance in parts by entity; quantities are in no total."""
    parts = []
    for entity, group in groupby(rows, key=lambda row: row.entity):
        own = tuple(group)
        money = [row for row in own if frame.accounts[row.account].type != "statistical"]
        sums = (
            sum(row.opening for row in money),
            sum(row.debits for row in money),
            sum(row.credits for row in money),
            sum(row.closing for row in money),
        )
        parts.append(EntityPart(entity, own, None if any(row.is_sealed for row in own) else sums))
    return parts


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
