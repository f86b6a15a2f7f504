"""An extract's rows as a table that worksheets read: its questions answered as they are without an answer."""

from __future__ import annotations

from collections.abc import Hashable
from decimal import Decimal

from rulka.core.errors import RulkaError
from rulka.core.extracting.fields import Field
from rulka.core.extracting.query import plain
from rulka.extracts.library.opening import open_extract, seen_extracts
from rulka.extracts.library.storing import definition_of
from rulka.extracts.running.asked import ExtractReader, opened
from rulka.ledger.models import Ledger
from rulka.people.models import Person
from rulka.statements.library.shelves import depth_on

MOST_ROWS = 20_000
Cell = None | bool | Decimal | str


def extract_names(ledger: Ledger, person: Person | None) -> set[str]:
    """The names and titles by which a worksheet may name extracts."""
    seen = seen_extracts(ledger, person)
    return {one.name for one in seen} | {one.title for one in seen}


def extract_table(ledger: Ledger, name: str, reader: ExtractReader) -> tuple[list[str], list[list[Cell]]]:
    """The headings and rows of an extract as somebody reads it; raises RulkaError where it isn't there for them."""
    extract = open_extract(ledger, name, person=reader.person)
    deep = reader.fence.down_to(depth_on(reader.person, extract.shelf_id)) if reader.person else reader.fence
    own = ExtractReader(ledger, deep, reader.period, reader.node, reader.person, reader.revision)
    with opened(definition_of(extract), own, {}) as asked:
        asked.rows.check_currencies(asked.query)
        count = asked.rows.count(asked.query)
        if count > MOST_ROWS:
            raise RulkaError(
                f"'{extract.title}' has {count:,} rows; a worksheet takes {MOST_ROWS:,}.",
                hint="Bound it, or put its rows together.", code="too-much",
            )  # fmt: skip
        columns = asked.query.columns
        rows = [
            [cell_of(value, one.shows) for value, one in zip(row, columns, strict=True)]
            for row in asked.rows.rows(asked.query)
        ]
        return [one.title for one in columns], rows


def cell_of(value: object, shows: Field) -> Cell:
    """A stored value as a worksheet holds it: exact numbers, codes and days as text."""
    if value is None:
        return None
    if shows.is_numeric:
        return Decimal(plain(value, shows))
    if shows.kind == "flag":
        return bool(value)
    return plain(value, shows)


def extract_state(ledger: Ledger, name: str, person: Person | None) -> Hashable:
    """What moves when an extract is changed, or is somebody's no longer."""
    try:
        extract = open_extract(ledger, name, person=person)
        return extract.pk, extract.version, depth_on(person, extract.shelf_id) if person else ""
    except RulkaError as error:
        return str(error)
