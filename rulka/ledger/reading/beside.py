"""Tables beside the ledger: loaded as they came, read as far as they lie inside of a fence."""

from __future__ import annotations

from collections.abc import Hashable, Iterable, Sequence
from typing import Any

from rulka.core.books.book import View
from rulka.core.books.narrowing import codes_of
from rulka.core.books.selection import select
from rulka.core.errors import NotFound, one_of
from rulka.ledger.models import Ledger, SideTable


def keep_table(ledger: Ledger, name: str, columns: Sequence[str], rows: Iterable[Sequence[Any]]) -> SideTable:
    """Keep a table under a name; one that bears it is replaced."""
    found, _ = SideTable.objects.update_or_create(
        ledger=ledger, name=name[:80], defaults={"columns": list(columns), "rows": [list(row) for row in rows]}
    )
    return found


def tables_of(ledger: Ledger) -> list[SideTable]:
    """The tables of a ledger by name, without their rows."""
    return list(SideTable.objects.filter(ledger=ledger).defer("rows").order_by("name"))


def find_table(ledger: Ledger, name: str) -> SideTable:
    """A table by its name."""
    found = SideTable.objects.filter(ledger=ledger, name=name).first()
    if found is None:
        known = list(SideTable.objects.filter(ledger=ledger).values_list("name", flat=True))
        raise NotFound(f"There is no table '{name[:40]}'.", hint=one_of(name, known))
    return found


def state_of(ledger: Ledger, name: str) -> Hashable:
    """What moves when a table is loaded anew."""
    return SideTable.objects.filter(ledger=ledger, name=name).values_list("at").first()


def inside(view: View, table: SideTable) -> list[list[str]]:
    """The rows that lie inside of a fence; raises where the table says nothing that a fence could go by."""
    columns = [str(name).casefold() for name in table.columns]
    rows: list[list[str]] = table.rows
    fence = view.fence
    if fence.hides_nothing:
        return rows
    for name in fence.names:
        if name not in columns:
            raise NotFound(
                f"There is no table '{table.name}' for you.", hint=f"It doesn't say which {name} a row is of."
            )
    kept = [False] * len(rows)
    for bounds in fence.bounds:
        masks = [(columns.index(name), codes_of(name, view.frame), bounds.of(name)) for name in bounds.names]
        chosen = [(at, codes.index, select(text, codes).mask) for at, codes, text in masks]
        for number, row in enumerate(rows):
            kept[number] |= all(row[at] in index and bool(mask[index[row[at]]]) for at, index, mask in chosen)
    return [row for row, inside_any in zip(rows, kept, strict=True) if inside_any]
