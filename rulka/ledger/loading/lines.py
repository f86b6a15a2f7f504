"""Staged lines as rows of the line table, and what they add to balances."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from itertools import repeat
from typing import Any

import numpy as np

from rulka.core.books.chart import IntArray
from rulka.core.intake.blocks import BlockHead
from rulka.core.intake.entries import LINE_TEXTS
from rulka.ledger.loading.bulk import put_columns
from rulka.ledger.loading.staging import Staged

TEXTS = tuple('"user"' if name == "user" else name for name in LINE_TEXTS)
AMOUNTS = ("historical_amount", "transaction_amount")
LINE_NAMES = ("line", "key_id", "period", "date", "status", "effect", "debit", "credit", *AMOUNTS, *TEXTS)
MANY_SUMS = 1_000_000
"""Sums that are kept apart until they are added up."""


def line_columns(heads: Sequence[BlockHead], staged: Staged, place_keys: IntArray) -> list[list[Any] | str | None]:
    """The columns of staged lines in the order of LINE_NAMES: a list with a value for each line, or what all say."""
    lines, head = staged.lines, np.repeat(staged.head, staged.count)
    held = np.array([(one.date, one.period, one.status, one.effect) for one in heads], dtype=object)
    period, date, status, effect = (held[head, at].tolist() for at in (1, 0, 2, 3))
    fixed: list[list[Any] | str | None] = [
        lines.line.texts(), place_keys[lines.place].tolist(), period, date, status, effect,
        lines.debit.tolist(), lines.credit.tolist(), lines.historical, lines.transaction,
    ]  # fmt: skip
    return fixed + ["" if column.is_empty else column.texts() for column in lines.texts]


def line_rows(heads: Sequence[BlockHead], staged: Staged, place_keys: IntArray) -> Iterator[tuple[Any, ...]]:
    """Staged lines as tuples in the order of LINE_NAMES."""
    columns = line_columns(heads, staged, place_keys)
    count = len(staged.lines.place)
    return zip(*(column if isinstance(column, list) else repeat(column, count) for column in columns), strict=True)


def put_lines(heads: Sequence[BlockHead], staged: Staged, place_keys: IntArray, revision: int) -> None:
    """Put lines in that are new with this revision."""
    columns = dict(zip(LINE_NAMES, line_columns(heads, staged, place_keys), strict=True))
    columns["entry_id"] = np.repeat(staged.entry_ids, staged.count).tolist()
    columns["revision"] = [revision] * len(staged.lines.place)
    put_columns("ledger_journalline", columns)


class EntrySums:
    """Adds lines up to rows of (scenario, key, period, status, effect, debit, credit, count)."""

    def __init__(self, scenario: int, heads: Sequence[BlockHead], place_keys: IntArray) -> None:
        self.scenario, self.place_keys = scenario, place_keys
        moments, self.moment = np.unique(
            np.array([(head.period, head.status, head.effect) for head in heads], dtype=np.int64).reshape(-1, 3),
            axis=0, return_inverse=True,
        )  # fmt: skip
        self.moments = moments
        self.waiting: list[IntArray] = []

    def add(self, staged: Staged) -> None:
        """Take the lines of a block in."""
        lines = staged.lines
        moment = np.repeat(self.moment[staged.head], staged.count)
        code = moment * len(self.place_keys) + lines.place
        self.waiting.append(_summed(np.column_stack([code, lines.debit, lines.credit, np.ones_like(code)])))
        if sum(map(len, self.waiting)) > MANY_SUMS and len(self.waiting) > 1:
            self.waiting = [_summed(np.concatenate(self.waiting))]

    def total(self) -> IntArray:
        """All rows."""
        if not self.waiting:
            return np.zeros((0, 8), dtype=np.int64)
        total = _summed(np.concatenate(self.waiting))
        moment, place = np.divmod(total[:, 0], len(self.place_keys))
        scenario = np.full(len(total), self.scenario, dtype=np.int64)
        return np.column_stack([scenario, self.place_keys[place], self.moments[moment], total[:, 1:]])


def _summed(rows: IntArray) -> IntArray:
    """Rows of (code, amounts), one for each code."""
    rows = rows[np.argsort(rows[:, 0], kind="stable")]
    starts = np.flatnonzero(np.diff(rows[:, 0], prepend=-1))
    rows = np.column_stack([rows[starts, 0], np.add.reduceat(rows[:, 1:], starts, axis=0)])
    return rows
