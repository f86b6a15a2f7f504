"""A query text run in a process of its own: on a connection that can only read, through views alone, within limits of
memory, time, length and rows. Run as a program; it knows nothing but what it is asked, and answers in JSON."""

from __future__ import annotations

import json
import math
import re
import resource
import sqlite3
import sys
import time
from collections.abc import Mapping
from typing import Any, Final

FIRST_WORDS: Final = ("select", "with", "values")
COMMENT = re.compile(r"--[^\n]*|/\*.*?(?:\*/|\Z)", re.DOTALL)
FUNCTIONS: Final = frozenset({
    "abs", "avg", "char", "coalesce", "count", "cume_dist", "date", "datetime", "dense_rank", "first_value", "format",
    "glob", "group_concat", "hex", "ifnull", "iif", "instr", "json", "json_array", "json_array_length", "json_each",
    "json_extract", "json_group_array", "json_group_object", "json_object", "json_quote", "json_type", "json_valid",
    "julianday", "lag", "last_value", "lead", "length", "like", "likelihood", "likely", "lower", "ltrim", "max", "min",
    "nth_value", "ntile", "nullif", "percent_rank", "printf", "quote", "rank", "replace", "round", "row_number",
    "rtrim", "sign", "strftime", "substr", "substring", "sum", "time", "total", "trim", "typeof", "unicode",
    "unixepoch", "unlikely", "upper", "->", "->>",
})  # fmt: skip
"""What a query may call: what neither writes, reads a file, nor makes large things out of nothing."""
LIMITS: Final = {
    sqlite3.SQLITE_LIMIT_LENGTH: 2_000_000, sqlite3.SQLITE_LIMIT_SQL_LENGTH: 200_000, sqlite3.SQLITE_LIMIT_COLUMN: 400,
    sqlite3.SQLITE_LIMIT_EXPR_DEPTH: 200, sqlite3.SQLITE_LIMIT_COMPOUND_SELECT: 50,
    sqlite3.SQLITE_LIMIT_VDBE_OP: 1_000_000, sqlite3.SQLITE_LIMIT_FUNCTION_ARG: 100, sqlite3.SQLITE_LIMIT_ATTACHED: 0,
    sqlite3.SQLITE_LIMIT_LIKE_PATTERN_LENGTH: 500, sqlite3.SQLITE_LIMIT_VARIABLE_NUMBER: 200,
    sqlite3.SQLITE_LIMIT_TRIGGER_DEPTH: 1, sqlite3.SQLITE_LIMIT_WORKER_THREADS: 0,
}  # fmt: skip
TABLES_OF_FUNCTIONS: Final = ("json_each", "json_tree")
STEPS: Final = 20_000
"""Steps of SQLite's machine between two looks at the clock."""


class QueryRefused(Exception):
    """What isn't answered: a message, and what to do."""

    def __init__(self, message: str, hint: str = "") -> None:
        super().__init__(message)
        self.message, self.hint = message, hint


def main() -> None:
    """Answer the one question on standard input."""
    asked = json.loads(sys.stdin.read())
    try:
        told = run(asked)
    except QueryRefused as error:
        told = {"refused": {"message": error.message, "hint": error.hint}}
    except MemoryError:
        told = {"refused": {"message": "It takes too much memory.", "hint": "Put fewer rows together."}}
    json.dump(told, sys.stdout, ensure_ascii=False)


def run(asked: Mapping[str, Any]) -> dict[str, Any]:
    """What a query gives: its columns and rows; raises Refused for all that it may not or can't do."""
    text = str(asked["text"])
    _check_text(text)
    connection = _opened(asked)
    until = time.monotonic() + float(asked["seconds"])
    connection.set_progress_handler(lambda: int(time.monotonic() > until), STEPS)
    _close_down(connection, {str(one["name"]).lower() for one in asked["views"]},
                frozenset(str(one["inner"]) for one in asked["views"]))  # fmt: skip
    _bound_process(int(asked["memory"]), int(asked["seconds"]) + 5)
    try:
        cursor = connection.execute(text, dict(asked["values"]))
        names = [str(one[0]) for one in cursor.description or ()]
        return {"columns": names, **_rows(cursor, int(asked["rows"]), int(asked["bytes"]))}
    except (sqlite3.Error, sqlite3.Warning) as error:
        raise _in_words(error, time.monotonic() > until) from None
    except OverflowError:
        raise QueryRefused("A number is too large.", "Numbers go up to 9,223,372,036,854,775,807.") from None


def _check_text(text: str) -> None:
    plain = COMMENT.sub(" ", text).strip().lower()
    word = re.match(r"[a-z]*", plain)
    if "\x00" in text or word is None or word[0] not in FIRST_WORDS:
        raise QueryRefused("A query begins with SELECT or WITH.", "It only reads; nothing else is run.")


def _opened(asked: Mapping[str, Any]) -> sqlite3.Connection:
    """A connection that reads, with the views and what they read from."""
    connection = sqlite3.connect(f"file:{_quoted(asked['database'])}?mode=ro", uri=True, isolation_level=None)
    connection.execute(f"PRAGMA hard_heap_limit={int(asked['memory']) // 2}")
    connection.execute("PRAGMA temp_store=MEMORY")
    connection.execute("PRAGMA cache_size=-65536")
    connection.execute("PRAGMA trusted_schema=ON")
    connection.execute("ATTACH ? AS side", (f"file:{_quoted(asked['side'])}?mode=ro&immutable=1",))
    connection.execute("BEGIN")
    found = connection.execute("SELECT revision FROM ledger_ledger WHERE id = ?", (asked["ledger"],)).fetchone()
    if found is None or found[0] != asked["revision"]:
        raise QueryRefused("The ledger was loaded just now.", "Ask again.")
    for one in asked["views"]:
        columns = ", ".join(f'"{column}"' for column in one["columns"])
        connection.execute(f'CREATE TEMP VIEW "{one["inner"]}" ({columns}) AS {one["sql"]}')
        connection.execute(f'CREATE TEMP VIEW "{one["name"]}" AS SELECT * FROM "{one["inner"]}"')
    for name in TABLES_OF_FUNCTIONS:  # made on first use, which is not allowed afterwards
        connection.execute(f"SELECT 1 FROM {name}('[]')").fetchall()
    connection.execute("PRAGMA query_only=ON")
    return connection


def _quoted(path: Any) -> str:
    return str(path).replace("%", "%25").replace("?", "%3f").replace("#", "%23")


def _close_down(connection: sqlite3.Connection, views: set[str], inner: frozenset[str]) -> None:
    """Let the connection do nothing but read the views. Their tables are read only from inside of them: an inner view
    has a name that nobody can guess, and that is another one each time."""
    for limit, value in LIMITS.items():
        connection.setlimit(limit, value)

    def allowed(
        action: int, first: str | None, second: str | None, database: str | None, within: str | None
    ) -> int:  # fmt: skip
        if action in (sqlite3.SQLITE_SELECT, sqlite3.SQLITE_RECURSIVE):
            return sqlite3.SQLITE_OK
        if action == sqlite3.SQLITE_FUNCTION:
            return sqlite3.SQLITE_OK if (second or "").lower() in FUNCTIONS else sqlite3.SQLITE_DENY
        if action == sqlite3.SQLITE_READ:
            return sqlite3.SQLITE_OK if _may_read(first or "", second or "", database, within) else sqlite3.SQLITE_DENY
        return sqlite3.SQLITE_DENY

    def _may_read(table: str, column: str, database: str | None, within: str | None) -> bool:
        name = table.lower()
        if within in inner:
            return not name.startswith("sqlite_")
        if database == "side":  # a table of a view that nothing is taken from; nobody can guess its name either
            return column == ""
        if database == "temp" and (name in views or table in inner):
            return name in views or (within or "").lower() in views
        return name in TABLES_OF_FUNCTIONS

    connection.set_authorizer(allowed)


def _bound_process(memory: int, seconds: int) -> None:
    """Bounds that the system keeps: address space, processor, no new file, no other process."""
    for name, value in (
        (resource.RLIMIT_AS, memory), (resource.RLIMIT_CPU, seconds), (resource.RLIMIT_FSIZE, 0),
        (resource.RLIMIT_NPROC, 0), (resource.RLIMIT_CORE, 0),
    ):  # fmt: skip
        resource.setrlimit(name, (value, value))


def _rows(cursor: sqlite3.Cursor, most: int, most_bytes: int) -> dict[str, Any]:
    rows: list[list[Any]] = []
    size = 0
    while block := cursor.fetchmany(500):
        for row in block:
            if len(rows) == most:
                return {"rows": rows, "cut": True}
            plain = [_plain(value) for value in row]
            size += sum(len(value) if isinstance(value, str) else 8 for value in plain)
            if size > most_bytes:
                raise QueryRefused("Its rows are too large.", "Ask for fewer columns, or shorter texts.")
            rows.append(plain)
    return {"rows": rows, "cut": False}


def _plain(value: Any) -> Any:
    """A value as JSON says it exactly: fractions as text with a mark, bytes as nothing that is shown."""
    if isinstance(value, float):
        return {"number": repr(value)} if math.isfinite(value) else None
    if isinstance(value, bytes):
        raise QueryRefused("A column holds bytes.", "Let it be text: use hex().")
    return value


def _in_words(error: Exception, late: bool) -> QueryRefused:
    text = str(error)
    if late or "interrupted" in text:
        return QueryRefused("It takes too long.", "Bound it by a period, or put fewer rows together.")
    if "not authorized" in text or "prohibited" in text:
        return QueryRefused(
            "It reads or does what no query may.", "Queries read the documented views, by usual functions."
        )
    if "out of memory" in text:
        return QueryRefused("It takes too much memory.", "Put fewer rows together.")
    if "too big" in text or "too long" in text or "too many" in text or "too large" in text:
        return QueryRefused("It makes something too large.", "Ask for less.")
    if "one statement" in text:
        return QueryRefused("It holds several statements.", "Keep one.")
    if "binding" in text.lower():
        return QueryRefused(
            f"Its parameters aren't those that are asked: {text}.", "Name each as :name, and ask for it."
        )
    if "integer overflow" in text:
        return QueryRefused("A sum is too large.", "Put fewer rows together.")
    return QueryRefused(f"The query can't be read: {text[:200]}.", "See the list of views.")


if __name__ == "__main__":
    main()
