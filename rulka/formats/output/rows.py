"""Typed rows to files: a workbook that streams in constant memory, CSV, JSON and Parquet. Values come as they are
stored: scaled whole numbers, days as text, yes and no as 1 and 0."""

from __future__ import annotations

import csv
import io
import json
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime
from decimal import Decimal
from pathlib import Path
from typing import Any

from rulka.core.books.calendar import period_code
from rulka.core.extracting.fields import Field
from rulka.core.extracting.query import plain
from rulka.core.money import minor_text
from rulka.formats.figures import plain_text
from rulka.formats.output.stamp import Stamp

BLOCK = 5_000
Row = tuple[Any, ...]


@dataclass(frozen=True)
class RowColumn:
    """One column of a file: what it is called, what its cells hold, its width in characters, how it is written by name,
    both 0 or empty where they follow from what is in it."""

    title: str
    shows: Field
    width: int = 0
    written: str = ""


def value_of(value: Any, field: Field) -> Any:
    """A stored value as a plain one: Decimal, date, datetime, bool, text or None."""
    if value is None:
        return None
    if field.is_numeric:
        return Decimal(int(value)).scaleb(-field.digits) if field.digits else int(value)
    if field.kind == "period":
        return period_code(int(value))
    if field.kind == "flag":
        return bool(value)
    if field.kind == "date":
        return date.fromisoformat(str(value)[:10]) if value else None
    if field.kind == "moment":
        return datetime.fromisoformat(str(value)) if value else None
    return str(value)


# CSV and JSON -------------------------------------------------------------------------------------------------------


def csv_writer(shows: Field) -> Callable[[Any], str]:
    """What writes the cells of a column: exact numbers; text that would be a formula is shown, never run."""
    if shows.is_numeric:
        return lambda value: "" if value is None else minor_text(value, shows.digits)
    if shows.kind in ("code", "text", "date", "moment"):
        return lambda value: "" if value is None else plain_text(value)
    return lambda value: plain(value, shows)


def csv_lines(columns: Sequence[RowColumn], rows: Iterable[Row], foot: str = "") -> Iterator[str]:
    """The lines of a CSV file, its headings first; its origin in the last one."""
    target = io.StringIO(newline="")
    writer = csv.writer(target, lineterminator="\r\n")

    def taken() -> str:
        text = target.getvalue()
        target.seek(0)
        target.truncate()
        return text

    writer.writerow([plain_text(column.title) for column in columns])
    cells = [csv_writer(column.shows) for column in columns]
    for at, row in enumerate(rows):
        writer.writerow([write(value) for write, value in zip(cells, row, strict=True)])
        if at % 500 == 0:
            yield taken()
    if foot:
        writer.writerow([plain_text(foot), *("" for _ in columns[1:])])
    yield taken()


def json_parts(head: Mapping[str, Any], columns: Sequence[RowColumn], rows: Iterable[Row], foot: Mapping[str, Any]) -> (
    Iterator[str]
):  # fmt: skip
    """A JSON object as text in parts: what it is of, its columns, its rows with exact values as text, what came of
    it."""
    text = json.dumps(dict(head), ensure_ascii=False, indent=1)[:-2]
    names = [{"title": one.title, "field": one.shows.name, "kind": one.shows.kind} for one in columns]
    yield f'{text},\n "columns": {json.dumps(names, ensure_ascii=False)},\n "rows": ['
    mark = "\n  "
    for row in rows:
        cells = [None if value is None else plain(value, one.shows) for value, one in zip(row, columns, strict=True)]
        yield mark + json.dumps(cells, ensure_ascii=False)
        mark = ",\n  "
    rest = json.dumps(dict(foot), ensure_ascii=False, indent=1)[1:]
    yield f"\n ],{rest}\n"


# Parquet ------------------------------------------------------------------------------------------------------------


def write_parquet(path: Path, columns: Sequence[RowColumn], rows: Iterable[Row], stamp: Stamp | None) -> int:
    """Write rows as Parquet, a block at a time; amounts as exact decimals. How many there were."""
    import pyarrow as arrow
    from pyarrow import parquet

    kinds = [_arrow_type(arrow, column.shows) for column in columns]
    schema = arrow.schema(
        [arrow.field(column.title, kind) for column, kind in zip(columns, kinds, strict=True)],
        metadata={"rulka origin": stamp.line} if stamp else None,
    )
    count = 0
    with parquet.ParquetWriter(str(path), schema, compression="zstd") as writer:
        for block in _blocks(rows):
            count += len(block)
            arrays = [
                arrow.array([value_of(row[at], column.shows) for row in block], type=kind)
                for at, (column, kind) in enumerate(zip(columns, kinds, strict=True))
            ]
            writer.write_table(arrow.Table.from_arrays(arrays, schema=schema))
    return count


def _arrow_type(arrow: Any, field: Field) -> Any:
    if field.is_numeric:
        return arrow.decimal128(28, field.digits) if field.digits else arrow.int64()
    return {"date": arrow.date32(), "moment": arrow.timestamp("s"), "flag": arrow.bool_()}.get(
        field.kind, arrow.string()
    )


def _blocks(rows: Iterable[Row]) -> Iterator[list[Row]]:
    block: list[Row] = []
    for row in rows:
        block.append(row)
        if len(block) == BLOCK:
            yield block
            block = []
    if block:
        yield block
