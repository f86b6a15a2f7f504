"""Query texts: SQL over documented views, each of which is a set of rows as one person may see it. What lies outside of
their fence, and lines of sealed accounts, are in no view; the query itself runs in a process of its own."""

from __future__ import annotations

import json
import os
import re
import secrets
import sqlite3
import subprocess
import sys
import tempfile
from collections.abc import Iterable, Iterator, Mapping, Sequence
from contextlib import closing, contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Final

from django.db import connection

from rulka.core.books.fence import Fence
from rulka.core.errors import RulkaError
from rulka.core.extracting.fields import Field
from rulka.core.extracting.formulas import formula_name
from rulka.core.extracting.query import Query, ResultColumn
from rulka.ledger.models import Ledger
from rulka.ledger.reading.beside import tables_of
from rulka.ledger.reading.history import view_at
from rulka.ledger.reading.queries import snapshot
from rulka.ledger.reading.row_kinds import BY_LINE, TITLES
from rulka.ledger.reading.row_reader import RowReader

VIEWS: Final = {
    "lines": "journal lines", **{name: name for name in TITLES if name not in ("journal lines", "documents")},
}  # fmt: skip
"""The views by name, with the set of rows that each holds."""
MOST_ROWS, MOST_BYTES = 200_000, 64_000_000
MOST_SIDE: Final = 1_000_000
SECONDS, MEMORY = 20.0, 700_000_000
MOST_TEXT = 50_000
WORD = re.compile(r"[a-z_][a-z0-9_]*")


@dataclass(frozen=True)
class Answered:
    """What a query gave: its columns by name, its rows; `cut` where there are more."""

    columns: tuple[str, ...]
    rows: tuple[tuple[Any, ...], ...]
    cut: bool


@dataclass(frozen=True)
class QueryView:
    """A view that queries read: its name, what rows it holds, its columns with their fields."""

    name: str
    title: str
    columns: tuple[tuple[str, Field], ...]


class _Views(RowReader):
    """Sets of rows as the text of views; what they read besides the ledger's tables is written into a file beside."""

    side: sqlite3.Connection

    def _written(self, columns: Sequence[str], rows: Iterable[Sequence[Any]]) -> str:
        name = f"rows_{secrets.token_hex(16)}"
        self._tables.append(name)
        self.side.execute(f"CREATE TABLE {name} ({', '.join(columns)})")
        holders = ", ".join("?" * len(columns))
        self.side.executemany(f"INSERT INTO {name} VALUES ({holders})", _few(rows))
        return f"side.{name}"

    def _indexed(self, name: str, columns: Sequence[str]) -> None:  # type: ignore[override]
        table = name.removeprefix("side.")
        self.side.execute(f"CREATE INDEX {table}_by ON {table} ({', '.join(columns)})")

    def close(self) -> None:
        """Its tables go with their file."""
        self._tables.clear()
        self._made.clear()

    def described(self, name: str, set_name: str, of: str = "") -> QueryView:
        """A set of rows as a view: its fields by the names that formulas give them."""
        rows = self.row_kind(set_name, of)
        columns: dict[str, Field] = {}
        for field in rows.fields:
            columns.setdefault(formula_name(field.name).lower(), field)
        return QueryView(name, rows.title, tuple(columns.items()))

    def text_of(self, view: QueryView, set_name: str, of: str) -> str:
        """What a view selects."""
        rows = self.row_kind(set_name, of)
        query = Query(rows, tuple(ResultColumn(name, name, field, field=field) for name, field in view.columns), ())
        source = self._source(set_name, of)
        selected = ", ".join(source.sql[field.name] for _, field in view.columns)
        sql = self._from(source, query, self._fields_used(query))
        if sql.values:
            raise ValueError(f"the view {view.name} needs values")
        return f"SELECT {selected} FROM {sql.text}".replace("%%", "%")

    def named(self) -> dict[str, tuple[str, str]]:
        """The views that this person has, by name: the set of each, and of which table it is."""
        known = {
            name: (set_name, "") for name, set_name in VIEWS.items()
            if self.view.fence.shows_lines or set_name not in BY_LINE
        }  # fmt: skip
        for table in tables_of(self.ledger):
            name = formula_name(table.name).lower()
            if name and name not in known:
                known[name] = ("table", table.name)
        return known


def _few(rows: Iterable[Sequence[Any]]) -> Iterator[Sequence[Any]]:
    for count, row in enumerate(rows):
        if count == MOST_SIDE:
            raise RulkaError(
                f"A view of more than {MOST_SIDE:,} balances is too much.", hint="Sum lines in its place.",
                code="too-much",
            )  # fmt: skip
        yield row


@contextmanager
def _views(ledger: Ledger, fence: Fence, revision: int | None, folder: str) -> Iterator[tuple[_Views, int]]:
    """Views of a ledger behind a fence, with the revision that the tables stand at."""
    with snapshot(), closing(sqlite3.connect(Path(folder) / "side.sqlite3", isolation_level=None)) as side:
        side.execute("PRAGMA journal_mode=OFF")
        side.execute("PRAGMA synchronous=OFF")
        side.execute("BEGIN")
        ledger = Ledger.objects.get(pk=ledger.pk)
        view = view_at(ledger, ledger.revision if revision is None else revision, fence)
        reader = _Views(ledger, view)
        reader.side = side
        yield reader, ledger.revision
        side.execute("COMMIT") if side.in_transaction else None


def views_of(ledger: Ledger, fence: Fence) -> list[QueryView]:
    """The views that somebody may read, with their columns."""
    with (
        tempfile.TemporaryDirectory(prefix="rulka-query-") as folder,
        _views(ledger, fence, None, folder) as (found, _),
    ):
        views = []
        for name, (set_name, of) in found.named().items():
            try:
                views.append(found.described(name, set_name, of))
            except RulkaError:
                continue  # a table beside the ledger that says nothing these bounds could go by
        return views


def answer(
    ledger: Ledger, fence: Fence, text: str, values: Mapping[str, Any], *, revision: int | None = None,
    rows: int = MOST_ROWS, seconds: float = SECONDS,
) -> Answered:  # fmt: skip
    """What a query gives somebody behind a fence, at a revision (the newest without one); `values` are its parameters
    by name. Raises RulkaError for all that it may not or can't do."""
    if len(text) > MOST_TEXT:
        raise RulkaError(f"The query is longer than {MOST_TEXT:,} signs.", hint="Make it shorter.", subject="query")
    words = set(WORD.findall(text.lower()))
    with tempfile.TemporaryDirectory(prefix="rulka-query-") as folder:
        with _views(ledger, fence, revision, folder) as (found, now):
            views = []
            for name, (set_name, of) in found.named().items():
                if name in words:
                    view = found.described(name, set_name, of)
                    inner, columns = f"v_{secrets.token_hex(16)}", [one for one, _ in view.columns]
                    sql = found.text_of(view, set_name, of)
                    views.append({"name": name, "inner": inner, "columns": columns, "sql": sql})
        asked = {
            "database": _file(), "side": str(Path(folder) / "side.sqlite3"), "ledger": ledger.pk, "revision": now,
            "views": views, "text": text, "values": dict(values), "rows": rows, "bytes": MOST_BYTES, "seconds": seconds,
            "memory": MEMORY,
        }  # fmt: skip
        told = _asked(asked, seconds)
    if "refused" in told:
        raise RulkaError(told["refused"]["message"], hint=told["refused"]["hint"], subject="query")
    return Answered(tuple(told["columns"]), tuple(tuple(row) for row in told["rows"]), bool(told["cut"]))


def _file() -> str:
    """Where the ledger's tables lie."""
    return str(connection.settings_dict["NAME"])


def _asked(asked: Mapping[str, Any], seconds: float) -> dict[str, Any]:
    """What the process of its own answers; it gets nothing of this one's environment."""
    hint = "Bound it by a period, or put fewer rows together."
    try:
        done = subprocess.run(
            [sys.executable, "-I", str(Path(__file__).with_name("query_process.py"))], input=json.dumps(asked),
            capture_output=True, text=True, timeout=seconds + 10, env={"PATH": os.defpath, "LC_ALL": "C.UTF-8"},
        )  # fmt: skip
    except subprocess.TimeoutExpired:
        raise RulkaError("It takes too long.", hint=hint, subject="query") from None
    if done.returncode or not done.stdout:
        raise RulkaError("It takes too much memory or time.", hint="Ask for less.", subject="query")
    told: dict[str, Any] = json.loads(done.stdout)
    return told
