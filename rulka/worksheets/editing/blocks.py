"""Blocks on a worksheet: placed, refreshed, frozen, made live again, given other choices, taken away."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from rulka.core.errors import NotFound, RulkaError
from rulka.core.sheet import blocks
from rulka.core.sheet.blocks import LaidBlock, Layout
from rulka.core.sheet.ledger_functions import code_text
from rulka.core.sheet.steps import apply
from rulka.core.sheet.tokens import FormulaFault
from rulka.core.sheet.values import Array, SheetError
from rulka.core.sheet.workbook import Sheet, Workbook, copied
from rulka.worksheets.running.live import Live

HOW = ("place", "refresh", "freeze", "thaw", "remove", "choose")


def layout_for(live: Live, sheet: Sheet, block: Mapping[str, Any]) -> Layout:
    """What a block shows now, for who has the worksheet open; raises RulkaError for what isn't there or permitted."""
    if block["kind"] == "table":
        choices = {str(of): str(value) for of, value in block.get("choices", {}).items() if value}
        meant = tuple((of, _value(live, sheet, value)) for of, value in choices.items())
        piece = live.source.pieces.piece(block["name"], meant)
        if isinstance(piece, SheetError):
            raise NotFound(piece.note, subject="block")
        return blocks.table_layout(piece, choices)
    if block["kind"] == "statement":
        computed = live.outside.computed(block["name"])
        return blocks.statement_layout(computed, block["name"], block.get("lines", ""), block.get("columns", ""))
    raise NotFound(f"'{block['kind']}' can't be placed.", hint="Place a table or a statement.", subject="block")


def _value(live: Live, sheet: Sheet, value: str) -> str:
    """A choice, or what stands in the cell that it names."""
    if not value.startswith("="):
        return value
    try:
        found = live.calculation.tried((sheet.number, 0, 0), value)
    except FormulaFault as fault:
        raise RulkaError(fault.error.note, hint="Name a cell, such as =B2.", subject="choices") from None
    single = found.rows[0][0] if isinstance(found, Array) else found
    if isinstance(single, SheetError):
        raise RulkaError(single.note or single.code, hint="Mend the cell.", subject="choices")
    return code_text(single)


def act_on_block(workbook: Workbook, live: Live, sheet: Sheet, how: str, asked: Mapping[str, Any]) -> LaidBlock:
    """Do something with a block of a sheet."""
    if how == "place":
        block = {
            "kind": asked["kind"],
            "name": asked["name"],
            "lines": asked.get("lines", ""),
            "columns": asked.get("columns", ""),
            "choices": {of: value for of, value in asked.get("choices", {}).items() if value},
        }
        piece, choices = asked.get("piece", "live"), block["choices"]
        top, left = asked["at"]
        laid = layout_for(live, sheet, block)
        return blocks.place(workbook, sheet, top, left, laid, piece=piece, choices=choices)
    block = blocks.find_block(sheet, asked["id"])
    if how == "remove":
        return blocks.remove(workbook, sheet, block)
    if how == "freeze":
        return blocks.freeze(sheet, block, lambda row, column: live.calculation.shown_at((sheet.number, row, column)))
    if how == "choose":
        given = {of: value for of, value in asked.get("choices", {}).items() if value}
        block = {**block, "former": block.get("choices", {}), "choices": given}
        if block["piece"] == "frozen":
            raise RulkaError("A frozen block has no choices.", hint="Make it live again first.", subject="block")
    layout = layout_for(live, sheet, block)
    if how == "thaw":
        return blocks.thaw(
            workbook,
            sheet,
            block,
            layout,
            lambda text, row, column: live.calculation.tried((sheet.number, row, column), text),
        )
    if block["piece"] == "frozen":
        raise RulkaError("A frozen block isn't refreshed.", hint="Make it live again first.", subject="block")
    return blocks.refresh(workbook, sheet, block, layout)


def refresh_all(workbook: Workbook, live: Live) -> LaidBlock:
    """Refresh every block of a workbook that isn't frozen, one after the other."""
    done = LaidBlock()
    trial = copied(workbook)
    for sheet in workbook.sheets:
        for one in sheet.settings.get("blocks", []):
            if one["piece"] == "frozen":
                continue
            own = trial.sheet(sheet.number)
            block = blocks.find_block(own, one["id"])
            found = blocks.refresh(trial, own, block, layout_for(live, own, block))
            for step in found.steps:
                apply(trial, step)
            done.steps += found.steps
            done.told += found.told
    done.told = done.told or ["All blocks are as the ledger has them"]
    return done
