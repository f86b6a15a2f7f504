"""Checked entries on their way into the tables. Heads wait in temporary tables and lines in an unnamed file: they lock
nobody out, and go away with the process, whatever ends it.

`stage_entry` holds heads; `stage_worth` lines whose historical amount has the other sign; `stage_opening` what opening
entries bring by account; `stage_party` the counterparties that lines name.
"""

from __future__ import annotations

import pickle
import tempfile
from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from typing import Any

import numpy as np
from django.db import connection

from rulka.core.books.chart import IntArray
from rulka.core.intake.blocks import BlockChecker, BlockHead, BlockLines, BlockPlace, Checked, EntryBlock, Scattered
from rulka.core.intake.columns import grouped
from rulka.core.intake.entries import LINE_TEXTS, BookSoFar
from rulka.formats.intake.arrow_columns import join
from rulka.ledger.loading.bulk import put_columns

NEW, CHANGED, SAME, OLDER = range(4)
ENTRY_COLUMNS = {
    "id": "INTEGER PRIMARY KEY",
    "entity": "TEXT",
    "number": "TEXT",
    "date": "TEXT",
    "period": "INT",
    "status": "INT",
    "effect": "INT",
    "kind": "TEXT",
    "modified_at": "TEXT",
    "digest": "BLOB",
    "line_row": "INT",
    "lines": "INT",
}
"""What an entry brings, in the order in which it is put in; `MARKED` is what it means against the ledger."""
MARKED = {"state": "INT DEFAULT 0", "entry_id": "INT"}
TABLES = {
    "stage_entry": {**ENTRY_COLUMNS, **MARKED},
    "stage_worth": {"entry": "INT", "line": "TEXT", "account": "TEXT", "own": "INT", "worth": "INT"},
    "stage_opening": {"entry": "INT", "account": "TEXT", "amount": "INT"},
    "stage_party": {"code": "TEXT PRIMARY KEY", "name": "TEXT"},
}
"""Each table's columns by name: made from, filled and read by."""


LARGER_NAME = " ON CONFLICT (code) DO UPDATE SET name = MAX(name, excluded.name)"


def _put_rows(table: str, rows: Iterable[tuple[Any, ...]], tail: str = "") -> None:
    columns = [list(column) for column in zip(*rows, strict=True)]
    if columns:
        put_columns(f"temp.{table}", dict(zip(TABLES[table], columns, strict=True)), tail)


def drop_stage() -> None:
    """Take the temporary tables away."""
    with connection.cursor() as cursor:
        for name in TABLES:
            cursor.execute(f"DROP TABLE IF EXISTS temp.{name}")


@contextmanager
def stage() -> Iterator[Stage]:
    """Empty temporary tables for one load; in a file where no transaction is open already, so that memory stays
    small."""
    connection.ensure_connection()
    with connection.cursor() as cursor:
        former = None
        if not connection.in_atomic_block:
            cursor.execute("PRAGMA temp_store")
            former = cursor.fetchone()[0]
            cursor.execute("PRAGMA temp_store = FILE")
        drop_stage()
        for name, columns in TABLES.items():
            told = ", ".join(f"{column} {kind}" for column, kind in columns.items())
            cursor.execute(f"CREATE TEMP TABLE {name} ({told})")
        made = Stage()
        try:
            yield made
        finally:
            made.close()
            if not connection.needs_rollback:
                drop_stage()
            if former is not None:
                cursor.execute(f"PRAGMA temp_store = {former}")


@dataclass(frozen=True)
class Staged:
    """Staged entries of one block, by the ids of their heads in `stage_entry` and (where compared) in the ledger; both,
    `head` and `count`, (entries,)."""

    ids: IntArray
    entry_ids: IntArray
    head: IntArray
    count: IntArray
    lines: BlockLines


class Stage:
    """What a load brings, checked, and what it means against the ledger as stored. Lines count `heads` and `places`."""

    def __init__(self) -> None:
        self.entries = self.lines = 0
        self.heads: list[BlockHead] = []
        self.places: list[BlockPlace] = []
        self.sums: dict[tuple[str, str, int], list[int]] = {}
        self.absolute = 0
        self._blocks = tempfile.TemporaryFile()  # noqa: SIM115 (closed by `stage`)

    def close(self) -> None:
        """Let the lines go."""
        self._blocks.close()

    def fill(self, books: BookSoFar, blocks: Callable[[bool], Iterable[EntryBlock]]) -> list[Any]:
        """Check all blocks; returns the errors. Blocks are asked for once more, with the rows of each entry brought
        together, where they stand apart."""
        checker = BlockChecker(books, join)
        try:
            self._fill(checker, blocks(False))
        except Scattered:
            with connection.cursor() as cursor:
                for name in TABLES:
                    cursor.execute(f"DELETE FROM temp.{name}")
            self._blocks.seek(0)
            self._blocks.truncate()
            self.entries = self.lines = 0
            checker = BlockChecker(books, join)
            self._fill(checker, blocks(True))
        self.heads, self.places = checker.heads, checker.places
        self.sums, self.absolute = checker.sums, checker.absolute
        return checker.errors

    def _fill(self, checker: BlockChecker, blocks: Iterable[EntryBlock]) -> None:
        for checked in checker.check(blocks):
            if len(checked):
                self._put(checked, checker.heads, checker.places)

    def _put(self, checked: Checked, heads: list[BlockHead], places: list[BlockPlace]) -> None:
        first, last = self.entries + 1, self.entries + len(checked)
        told = [heads[at] for at in checked.head.tolist()]
        entries = [
            list(range(first, last + 1)),
            checked.entity.texts(),
            checked.number.texts(),
            [head.date for head in told],
            [head.period for head in told],
            [head.status for head in told],
            [head.effect for head in told],
            [head.kind for head in told],
            checked.moment.pick([moment_text(moment) for moment in checked.moment.values]).tolist(),
            checked.digest,
            checked.row.tolist(),
            checked.count.tolist(),
        ]
        put_columns("temp.stage_entry", dict(zip(ENTRY_COLUMNS, entries, strict=True)))
        owner = np.repeat(np.arange(first, last + 1), checked.count)
        _put_rows("stage_worth", _worth_otherwise(checked.lines, owner, places))
        _put_rows("stage_opening", _openings(checked, owner, heads, places))
        _put_rows("stage_party", _parties(checked.lines), LARGER_NAME)
        pickle.dump((first, checked.head, checked.count, checked.lines), self._blocks, protocol=5)
        self.entries, self.lines = last, self.lines + len(checked.lines.place)

    def staged(self, state: int) -> Iterator[Staged]:
        """The entries of a state with their lines, a block at a time."""
        self._blocks.seek(0)
        last = 0
        while last < self.entries:
            first, head, count, lines = pickle.load(self._blocks)
            last = first + len(head) - 1
            with connection.cursor() as cursor:
                cursor.execute(
                    "SELECT id, entry_id FROM temp.stage_entry WHERE id BETWEEN %s AND %s AND state = %s ORDER BY id",
                    [first, last, state],
                )
                found = np.array(cursor.fetchall(), dtype=np.int64).reshape(-1, 2)
            if not len(found):
                continue
            if len(found) < len(head):
                wanted = np.zeros(len(head), dtype=bool)
                wanted[found[:, 0] - first] = True
                lines = lines.take(np.repeat(wanted, count))
                head, count = head[wanted], count[wanted]
            yield Staged(found[:, 0], found[:, 1], head, count, lines)

    def compare(self, ledger_id: int | None) -> None:
        """Mark each entry as new, changed, same or older than what is stored."""
        if ledger_id is None:
            return
        with connection.cursor() as cursor:
            cursor.execute("SELECT EXISTS(SELECT 1 FROM ledger_journalentry WHERE ledger_id = %s)", [ledger_id])
            if not cursor.fetchone()[0]:
                return
            cursor.execute(
                "UPDATE temp.stage_entry SET entry_id = j.id, state = CASE "
                "WHEN stage_entry.modified_at < j.modified_at THEN %s WHEN j.digest = stage_entry.digest THEN %s ELSE "
                "%s END "
                "FROM ledger_entity e, ledger_journalentry j "
                "WHERE e.ledger_id = %s AND e.code = stage_entry.entity AND j.entity_id = e.id AND j.number = "
                "stage_entry.number",
                [OLDER, SAME, CHANGED, ledger_id],
            )

    def tally(self) -> dict[int, tuple[int, int]]:
        """Entries and lines by state."""
        with connection.cursor() as cursor:
            cursor.execute("SELECT state, COUNT(*), SUM(lines) FROM temp.stage_entry GROUP BY state")
            return {state: (count, lines) for state, count, lines in cursor.fetchall()}

    def entries_where(
        self, condition: str, values: Iterable[Any] = (), *, most: int = 200
    ) -> tuple[int, list[tuple[str, str, str, int]]]:
        """How many staged entries meet a condition of ours, and the first of them as (entity, number, date, row)."""
        given = list(values)
        with connection.cursor() as cursor:
            cursor.execute(f"SELECT COUNT(*) FROM temp.stage_entry WHERE {condition}", given)
            count = cursor.fetchone()[0]
            cursor.execute(
                f"SELECT entity, number, date, line_row FROM temp.stage_entry WHERE {condition} ORDER BY id LIMIT "
                f"{most}",
                given,
            )
            return count, cursor.fetchall()


def _worth_otherwise(lines: BlockLines, owner: IntArray, places: list[BlockPlace]) -> Iterator[tuple[Any, ...]]:
    """Lines that debit and say they were worth a credit in the group's currency, or the other way round."""
    if lines.historical is None:
        return
    own = (lines.debit - lines.credit).tolist()
    for at, worth in enumerate(lines.historical):
        if worth and (own[at] > 0) != (worth > 0):
            line = lines.line.values[lines.line.codes[at]]
            yield int(owner[at]), line, places[lines.place[at]].account, own[at], worth


def _openings(
    checked: Checked, owner: IntArray, heads: list[BlockHead], places: list[BlockPlace]
) -> Iterator[tuple[Any, ...]]:
    """What opening entries bring, by entry and account."""
    opening = np.fromiter((head.kind == "opening" for head in heads), dtype=bool, count=len(heads))[checked.head]
    if not opening.any():
        return
    lines = checked.lines
    for at in checked.lines_of(np.flatnonzero(opening)).tolist():
        yield int(owner[at]), places[lines.place[at]].account, int(lines.debit[at] - lines.credit[at])


def _parties(lines: BlockLines) -> Iterator[tuple[str, str]]:
    """The counterparties that lines name, with the name that they give them."""
    code, name = (lines.texts[LINE_TEXTS.index(field)] for field in ("counterparty", "counterparty_name"))
    if code.is_empty:
        return
    found, _ = grouped([(code.codes, len(code.values)), (name.codes, len(name.values))], len(code.codes))
    pairs = zip(code.take(found).texts(), name.take(found).texts(), strict=True)
    yield from ((party, called) for party, called in pairs if party)


def moment_text(moment: str) -> str | None:
    """A UTC ISO moment as the database keeps it, always with microseconds so that text order is time order."""
    if not moment:
        return None
    day, time = moment[:10], moment[11 : moment.index("+", 11)]
    return f"{day} {time}" if "." in time else f"{day} {time}.000000"
