"""Keeps balances up: what a revision moved goes into the balance rows, their chunks, and the change that history
needs."""

from __future__ import annotations

from itertools import pairwise
from typing import Any

import numpy as np
from django.db import connection

from rulka.core.books.chart import IntArray
from rulka.ledger.loading.bulk import put_columns
from rulka.ledger.models import Revision
from rulka.ledger.reading.changes import merged

Change = dict[tuple[int, int, int, int, int], list[int]]
"""(scenario, key, period, status, effect) -> debit, credit, count added."""

MANY_ROWS = 50_000
"""Rows that are written at a time."""
BALANCE = ("scenario_id", "key_id", "period", "status", "effect", "debit", "credit", "count")
ADDED = " ON CONFLICT (scenario_id, period, status, effect, key_id) DO UPDATE SET " + ", ".join(
    f"{name} = {name} + excluded.{name}" for name in BALANCE[5:]
)
ARRAYS = ("keys", "debits", "credits", "counts")


def write_balances(changes: Change, added: IntArray, revision: Revision) -> None:
    """Add changes, and rows of them in an array, to balance rows and chunks; keep them as this revision's."""
    rows = np.concatenate(
        [added, np.array([(*place, *change) for place, change in changes.items()], dtype=np.int64).reshape(-1, 8)]
    )
    rows = _summed(rows)
    if not len(rows):
        return
    chunk = rows[:, [0, 2, 3, 4]]
    starts = [0, *(np.flatnonzero((chunk[1:] != chunk[:-1]).any(axis=1)) + 1).tolist(), len(rows)]
    with connection.cursor() as cursor:
        for part in np.array_split(rows, len(rows) // MANY_ROWS + 1):
            columns = dict(zip(BALANCE, part.T.tolist(), strict=True))
            put_columns("ledger_balance", columns, ADDED)
        for start, end in pairwise(starts):
            place = chunk[start].tolist()
            cursor.execute(
                "INSERT INTO ledger_balancechangechunk (revision_id, scenario_id, period, status, effect, keys, "
                "debits, credits, counts) "
                "VALUES (%s, %s, %s, %s, %s, %s, %s, %s, %s)",
                [revision.pk, *place, *_bytes(rows[start:end, [1, 5, 6, 7]])],
            )
            _write_chunk(cursor, place, rows[start:end, [1, 5, 6, 7]], revision.number)


def _summed(rows: IntArray) -> IntArray:
    """One row for each scenario, period, status, effect and key, in this order; rows that come to nothing are left
    out."""
    if not len(rows):
        return rows
    rows = rows[np.lexsort((rows[:, 1], rows[:, 4], rows[:, 3], rows[:, 2], rows[:, 0]))]
    starts = np.flatnonzero(np.concatenate([[True], (rows[1:, :5] != rows[:-1, :5]).any(axis=1)]))
    total = rows[starts]
    total[:, 5:] = np.add.reduceat(rows[:, 5:], starts, axis=0)
    summed: IntArray = total[(total[:, 5:] != 0).any(axis=1)]
    return summed


def _write_chunk(cursor: Any, place: list[int], added: IntArray, revision: int) -> None:
    """Add rows (key, debit, credit, count) to a chunk; keys that come to nothing leave it and the balance rows."""
    where = "scenario_id = %s AND period = %s AND status = %s AND effect = %s"
    cursor.execute(f"SELECT {', '.join(ARRAYS)} FROM ledger_balancechunk WHERE {where}", place)
    found = cursor.fetchone()
    if found:
        stored = np.stack([np.frombuffer(data, dtype=np.int64) for data in found], axis=1)
        total = merged([stored, added])
    else:
        total = added
    empty = (total[:, 1:] == 0).all(axis=1)
    if empty.any():
        cursor.executemany(
            f"DELETE FROM ledger_balance WHERE {where} AND key_id = %s",
            [[*place, key] for key in total[empty, 0].tolist()],
        )
        total = total[~empty]
    cursor.execute(
        "INSERT INTO ledger_balancechunk (scenario_id, period, status, effect, keys, debits, credits, counts, "
        "revision) "
        "VALUES (%s, %s, %s, %s, %s, %s, %s, %s, %s) ON CONFLICT (scenario_id, period, status, effect) DO UPDATE SET "
        "keys = excluded.keys, debits = excluded.debits, credits = excluded.credits, counts = excluded.counts, "
        "revision = excluded.revision",
        [*place, *_bytes(total), revision],
    )


def _bytes(rows: IntArray) -> list[bytes]:
    return [np.ascontiguousarray(rows[:, at]).tobytes() for at in range(4)]
