"""The panel of blocks: what lies on the sheet, and what may be placed."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from django.http import QueryDict

from rulka.core.errors import RulkaError
from rulka.core.sheet.addresses import Box, Key
from rulka.core.sheet.bounded import BoundedPiece
from rulka.core.sheet.values import SheetError
from rulka.screen import PanelBody
from rulka.statements.library.opening import seen_definitions
from rulka.statements.library.shelves import RUN
from rulka.worksheets.library.tables import seen_tables
from rulka.worksheets.pages.readers import WorksheetRequest
from rulka.worksheets.running.live import Live


@dataclass(frozen=True)
class ShownChoice:
    """One of what lies on a table's page: what is chosen, and what may be."""

    of: str
    value: str
    permitted: tuple[str, ...]


@dataclass(frozen=True)
class ShownBlock:
    """A block in the panel: where it lies, what it shows, whether it is older than the ledger, its choices."""

    id: str
    title: str
    piece: str
    cells: str
    corner: str
    is_older: bool
    revision: int
    choices: tuple[ShownChoice, ...] = ()
    problem: str = ""


@dataclass(frozen=True, kw_only=True)
class BlocksPanel(PanelBody):
    """Blocks of the sheet; tables and statements that may be placed, as (name, title)."""

    html = "worksheets/_panel_blocks.html"
    blocks: Sequence[ShownBlock]
    tables: Sequence[tuple[str, str]]
    statements: Sequence[tuple[str, str]]
    may_make: bool


def blocks_panel(page: WorksheetRequest, live: Live, key: Key, asked: QueryDict) -> BlocksPanel:
    """Blocks of the sheet; tables and statements that may be placed."""
    sheet = live.workbook.sheet(key[0])
    person, ledger = page.seat.person, page.seat.ledger
    tables = [(table.name, table.title) for table in seen_tables(ledger, person)]
    seen = seen_definitions(ledger, person, "statement", level=RUN)
    statements = [(one.name, one.title) for one in seen]
    titles = {"table": dict(tables), "statement": dict(statements)}
    return BlocksPanel(
        blocks=[_shown(live, block, titles) for block in sheet.settings.get("blocks", [])],
        tables=tables,
        statements=statements,
        may_make=person.may_give,
    )


def _shown(live: Live, block: dict[str, Any], titles: dict[str, dict[str, str]]) -> ShownBlock:
    box = Box(*block["box"])
    choices: tuple[ShownChoice, ...] = ()
    problem = ""
    if block["kind"] == "table":
        plain = tuple((of, value) for of, value in block.get("choices", {}).items() if not value.startswith("="))
        piece = live.source.pieces.piece(block["name"], plain)
        if isinstance(piece, SheetError):
            problem = piece.note
        else:
            choices = tuple(_choices(piece, block))
    return ShownBlock(
        block["id"],
        titles[block["kind"]].get(block["name"], block["name"]),
        block["piece"],
        box.text(),
        Box(box.top, box.left, box.top, box.left).text(),
        block["revision"] < live.reader.view.revision and block["piece"] != "closed",
        block["revision"],
        choices,
        problem,
    )


def _choices(piece: BoundedPiece, block: dict[str, Any]) -> list[ShownChoice]:
    found = []
    for one in piece.table.page:
        try:
            permitted = tuple(piece.permitted(one))
        except RulkaError:
            permitted = (one.default,)
        found.append(ShownChoice(one.of, block.get("choices", {}).get(one.of, one.default), permitted))
    return found
