"""Checked entries on their way into the tables: kept in temporary tables, which lock nobody out, until they are
written.

`stage_entry` holds heads, `stage_line` lines in the same order, `stage_place` the distinct posting keys by code.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import contextmanager
from typing import Any

from django.db import connection

from rulka.core.books.calendar import period_number
from rulka.core.intake.blocks import BlockChecker, Columns, EntryBlock, EntryHead, Place, PlacedLine, Scattered
from rulka.core.intake.entries import Books

NEW, CHANGED, SAME, OLDER = range(4)
LINE_TEXTS = (
    'description, source, document, counterparty, counterparty_name, "user", batch, transaction_currency, attributes'
)
LINE_FIELDS = ['"user"' if name == "user" else name for name in PlacedLine._fields]
OPTIONAL_AMOUNTS = ("historical_amount", "transaction_amount")
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
    "first": "INT",
}
"""What an entry brings, in the order in which it is put in; `MARKED` is what it means against the ledger."""
MARKED = {"state": "INT DEFAULT 0", "entry_id": "INT"}
LINE_COLUMNS = {
    "id": "INTEGER PRIMARY KEY",
    "entry": "INT",
    "line": "TEXT",
    "place": "INT DEFAULT 0",
    "debit": "INT DEFAULT 0",
    "credit": "INT DEFAULT 0",
    **dict.fromkeys(OPTIONAL_AMOUNTS, "INT"),
    **dict.fromkeys(LINE_TEXTS.split(", "), "TEXT DEFAULT ''"),
}
PLACE_COLUMNS = {"id": "INTEGER PRIMARY KEY", "entity": "TEXT", "account": "TEXT", "money": "INT"}
TABLES = {
    "stage_entry": {**ENTRY_COLUMNS, **MARKED},
    "stage_line": LINE_COLUMNS,
    "stage_place": {**PLACE_COLUMNS, "key_id": "INT"},
}
"""Each table's columns by name: made from, filled and read by."""


def insert_into(table: str, columns: Iterable[str]) -> str:
    """The statement that puts rows of these columns into a temporary table."""
    names = list(columns)
    return f"INSERT INTO temp.{table} ({', '.join(names)}) VALUES ({', '.join(['%s'] * len(names))})"


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
        try:
            yield Stage()
        finally:
            if not connection.needs_rollback:
                drop_stage()
            if former is not None:
                cursor.execute(f"PRAGMA temp_store = {former}")


class Stage:
    """What a load brings, checked, and what it means against the ledger as stored."""

    def __init__(self) -> None:
        self.entries = self.lines = 0
        self.places: list[Place] = []
        self.sums: dict[tuple[str, str, int], list[int]] = {}
        self.absolute = 0

    def fill(self, books: Books, blocks: Callable[[], Iterable[EntryBlock]]) -> list[Any]:
        """Check all blocks into the tables; returns the errors. Grouped whole where the rows of an entry stand
        apart."""
        checker = BlockChecker(books)
        try:
            for heads, lines in checker.check(blocks()):
                self._put(heads, lines)
        except Scattered:
            with connection.cursor() as cursor:
                for name in TABLES:
                    cursor.execute(f"DELETE FROM temp.{name}")
            self.entries = self.lines = 0
            checker = BlockChecker(books)
            self._put(*checker.check_scattered(blocks()))
        self.places, self.sums, self.absolute = checker.places, checker.sums, checker.absolute
        with connection.cursor() as cursor:
            rows = [(at, place.entity, place.account, int(place.money)) for at, place in enumerate(self.places)]
            cursor.executemany(insert_into("stage_place", PLACE_COLUMNS), rows)
        return checker.errors

    def _put(self, heads: list[EntryHead], lines: Columns) -> None:
        if not heads:
            return
        entries, at, first = [], self.entries, self.lines
        owners: list[int] = []
        for head in heads:
            at += 1
            entries.append(
                (
                    at,
                    head.entity,
                    head.number,
                    head.date,
                    period_number(head.period),
                    head.status,
                    head.effect,
                    head.kind,
                    moment_text(head.moment),
                    head.digest,
                    head.row,
                    head.lines,
                    first + 1,
                )
            )
            owners += [at] * head.lines
            first += head.lines
        with connection.cursor() as cursor:
            cursor.executemany(insert_into("stage_entry", ENTRY_COLUMNS), entries)
            filled = [(name, column) for name, column in zip(LINE_FIELDS, lines, strict=True) if _told(name, column)]
            cursor.executemany(
                insert_into("stage_line", ("entry", *(name for name, _ in filled))),
                list(zip(owners, *(column for _, column in filled), strict=True)),
            )
        self.entries, self.lines = at, first

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


def _told(name: str, column: Sequence[Any]) -> bool:
    """Whether a column of lines says more than its default; an amount of zero is more than none."""
    return any(column) or (name in OPTIONAL_AMOUNTS and any(value is not None for value in column)) or name == "line"


def moment_text(moment: str) -> str | None:
    """A UTC ISO moment as the database keeps it, always with microseconds so that text order is time order."""
    if not moment:
        return None
    day, time = moment[:10], moment[11 : moment.index("+", 11)]
    return f"{day} {time}" if "." in time else f"{day} {time}.000000"
