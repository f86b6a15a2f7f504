"""What is new, changed or withdrawn in an extract's rows: between two revisions, or between two runs."""

from __future__ import annotations

import json
import zlib
from collections.abc import Mapping
from dataclasses import dataclass, replace

from rulka.core.errors import RulkaError
from rulka.core.extracting.changes import Differences, differences
from rulka.core.extracting.definitions import ExtractDef
from rulka.core.extracting.query import Query, ResultColumn, plain
from rulka.extracts.models import ExtractRun
from rulka.extracts.running.asked import AskedExtract, ExtractReader, opened

MOST_TOLD = 50_000
MOST_COMPARED = 500_000


@dataclass(frozen=True)
class ComparedRows:
    """Two states of an extract's rows."""

    columns: tuple[ResultColumn, ...]
    found: Differences
    first: int
    last: int
    notes: tuple[str, ...] = ()

    def was(self, at: int) -> str:
        """What a changed row said before: `Amount was 12.00`."""
        row = self.found.rows[at]
        if row.before is None or row.after is None:
            return ""
        told = [
            f"{self.columns[place].title} was {plain(row.before[place], self.columns[place].shows) or 'empty'}"
            for place in row.places
        ]
        return "; ".join(told)


def has_identity(query: Query, extract: ExtractDef) -> bool:
    """Whether something tells a row from every other one."""
    return bool(query.is_grouped or query.rows.identity or extract.keys)


def news(
    extract: ExtractDef, reader: ExtractReader, given: Mapping[str, str], since: int, *, most: int = MOST_TOLD
) -> ComparedRows:
    """What is new, changed or withdrawn since a revision, by the same answers."""
    by_line = extract.rows in ("journal lines", "entries") and not extract.is_grouped
    touched = since if by_line else None
    return compared(extract, replace(reader, revision=since), given, extract, reader, given, since=touched, most=most)


def compared(
    former: ExtractDef,
    before: ExtractReader,
    before_given: Mapping[str, str],
    extract: ExtractDef,
    after: ExtractReader,
    after_given: Mapping[str, str],
    *,
    since: int | None = None,
    most: int = MOST_TOLD,
) -> ComparedRows:
    """The rows of two states held against each other, both computed now."""
    with opened(former, before, before_given, since=since) as asked:
        _few(asked)
        keys = [column.key for column in asked.query.columns]
        old = list(asked.rows.rows(asked.query))
        first, notes = asked.view.revision, asked.notes
    with opened(extract, after, after_given, since=since) as asked:
        _few(asked)
        query = asked.query
        if [column.key for column in query.columns] != keys:
            raise RulkaError(
                "Its columns are others now.", hint="Compare runs made with the same columns.", subject=extract.title
            )
        if not has_identity(query, extract):
            raise RulkaError(
                "Nothing tells one row from another.", hint="Say its keys, or add the columns that do.", subject="keys"
            )
        rows = asked.rows.rows(query)
        found = differences(old, rows, query.identity, most)
        return ComparedRows(
            query.columns, found, first, asked.view.revision, tuple(dict.fromkeys([*notes, *asked.notes]))
        )


def news_of_table(
    extract: ExtractDef, reader: ExtractReader, given: Mapping[str, str], former: ExtractRun
) -> ComparedRows:
    """What is new, changed or gone in a table beside the ledger since a run, whose rows were kept; its keys tell one
    row from another."""

    if former.kept is None or former.fence != reader.fence.digest:
        raise RulkaError(
            "Nothing is kept of the last run, or what you may see changed since.", hint="Run it again.", code="refused"
        )
    with opened(extract, reader, given) as asked:
        query = asked.query
        if not has_identity(query, extract):
            raise RulkaError(
                "Nothing tells one row of the table from another.", hint="Say its keys, in its text.", subject="keys"
            )
        told = json.loads(zlib.decompress(bytes(former.kept)))
        if told["columns"] != [column.key for column in query.columns]:
            raise RulkaError("Its columns are others now.", hint="Run it again.", subject=extract.title)
        before = [tuple(row) for row in told["rows"]]
        found = differences(before, asked.rows.rows(query), query.identity, MOST_TOLD)
        return ComparedRows(query.columns, found, former.revision or 0, asked.view.revision, tuple(asked.notes))


def packed_rows(asked: AskedExtract) -> bytes | None:
    """The rows of an extract whose set keeps no former state, to be held against later ones; None of others, and of
    more than so many."""
    if asked.extract.rows != "table" or asked.rows.count(asked.query) > MOST_TOLD:
        return None
    told = {"columns": [column.key for column in asked.query.columns], "rows": list(asked.rows.rows(asked.query))}
    return zlib.compress(json.dumps(told, ensure_ascii=False).encode(), 6)


def _few(asked: AskedExtract) -> None:
    count = asked.rows.count(asked.query)
    if count > MOST_COMPARED:
        raise RulkaError(f"{count:,} rows are too many to compare.", hint="Bound it by a period.", code="too-much")
