"""Cells of a calculated sheet as the page draws them: short rows of text, kind, look and input."""

from __future__ import annotations

import math
from collections.abc import Iterable
from typing import Any

from rulka.core.sheet.addresses import MOST_COLUMNS, MOST_ROWS, Key, cell_text, read_cell
from rulka.core.sheet.showing import Shower
from rulka.core.sheet.workbook import Sheet
from rulka.worksheets.running.live import Live
from rulka.worksheets.running.options import options_of

MOST_ROWS_SENT = 400

FORMULA, SPILLED = 1, 2
"""Flags of a cell: a formula stands in it; another cell's formula spilled into it."""


def block_of(live: Live, sheet: Sheet, first: int, last: int) -> list[list[Any]]:
    """The cells of some rows that show anything: [row, column, text, kind, look, input, flags, note], and where
    a formula elsewhere filled it, that one's address."""
    last = min(last, MOST_ROWS - 1)
    number = sheet.number
    calculation = live.calculation
    keys = {(number, row, column) for row, column in sheet.cells if first <= row <= last}
    for anchor, array in calculation.spills.items():
        if anchor[0] == number and anchor[1] <= last and anchor[1] + array.height > first:
            top, bottom = max(anchor[1], first), min(anchor[1] + array.height - 1, last)
            keys |= {
                (number, row, column)
                for row in range(top, bottom + 1)
                for column in range(anchor[2], anchor[2] + array.width)
            }
    return cells_at(live, sorted(keys))


def cells_at(live: Live, keys: Iterable[Key]) -> list[list[Any]]:
    """Some cells, empty ones too."""
    shower = live.shower()
    return [_cell(shower, key) for key in keys]


def _cell(shower: Shower, key: Key) -> list[Any]:
    cell, shown = shower.cell(key), shower.shown(key)
    flags = FORMULA * shown.formula + SPILLED * shown.spilled
    text = shown.text if len(shown.text) <= 2_000 else shown.text[:2_000] + "…"
    found = [key[1], key[2], text, shown.kind, cell.look, cell.input, flags, shown.note]
    if shown.spilled:
        anchor = shower.calculation.anchor_of(key)
        found.append(cell_text(anchor[1], anchor[2]))
    return found


def layout_of(live: Live, sheet: Sheet, *, every: bool = False) -> dict[str, Any]:
    """Widths, what is hidden (no rows where `every` one is to show), frozen panes, spans, choices, parameters."""
    settings = sheet.settings
    rows, columns = ((), settings.get("hidden columns", ())) if every else live.hidden(sheet)
    return {
        "rows": MOST_ROWS,
        "columns": MOST_COLUMNS,
        "widths": settings.get("widths", {}) | _fitted(live, sheet),
        "heights": _heights(live, sheet),
        "hiddenRows": sorted(rows),
        "hiddenColumns": sorted(columns),
        "frozen": settings.get("frozen", [0, 0]),
        "spans": [one["box"] for one in settings.get("spans", ())],
        "choices": [
            {"box": one["box"], "options": options_of(live, sheet, one["from"])} for one in settings.get("choices", ())
        ],
        "filter": settings.get("filter"),
        "columnLooks": settings.get("column looks", {}),
        "comments": settings.get("comments", {}),
        "pictures": settings.get("pictures", []),
        "gridlines": settings.get("gridlines", "on"),
        "blocks": [block_box(live, sheet, block) for block in settings.get("blocks", ())],
        "parameters": [[*parameter.cell] for parameter in live.parameters if parameter.sheet == sheet.number],
    }


def block_box(live: Live, sheet: Sheet, block: dict[str, Any]) -> dict[str, Any]:
    """Where a block lies: what a closed piece spills is part of it."""
    top, left, bottom, right = block["box"]
    if block["piece"] == "closed" and (array := live.calculation.spills.get((sheet.number, top + 1, left))):
        bottom, right = top + array.height, left + array.width - 1
    older = block["piece"] != "closed" and block["revision"] < live.reader.view.revision
    return {"box": [top, left, bottom, right], "piece": block["piece"], "older": older}


LINE = 24


def _heights(live: Live, sheet: Sheet) -> dict[str, int]:
    """Heights of rows: given by hand, else of those with cells that wrap as many lines as their longest text needs."""
    looks = {number for number, look in enumerate(live.workbook.looks) if look.get("wrap")}
    wrapping = {place for place, cell in sheet.cells.items() if cell.look in looks} if looks else set()
    widths = sheet.settings.get("widths", {})
    shower = live.shower()
    found: dict[str, int] = dict(sheet.settings.get("heights", {}))
    given = set(found)
    for row, column in sorted(place for place in wrapping if str(place[0]) not in given):
        room = max((int(widths.get(str(column), 96)) - 16) / 6.6, 1)
        text = shower.shown((sheet.number, row, column)).text
        lines = sum(max(math.ceil(len(part) / room), 1) for part in text.split("\n"))
        if lines > 1:
            found[str(row)] = max(found.get(str(row), LINE), min(lines, 20) * LINE)
    return found


def _fitted(live: Live, sheet: Sheet) -> dict[str, int]:
    """Widths for columns that nobody gave one and that something spilled into: as wide as their longest text."""
    given = sheet.settings.get("widths", {})
    shower = live.shower()
    found: dict[str, int] = {}
    for anchor, array in live.calculation.spills.items():
        if anchor[0] != sheet.number:
            continue
        for on in range(array.width):
            name = str(anchor[2] + on)
            if name in given:
                continue
            rows = range(anchor[1], anchor[1] + min(array.height, 60))
            longest = max(len(shower.shown((anchor[0], row, anchor[2] + on)).text) for row in rows)
            found[name] = max(found.get(name, 0), min(max(longest * 7 + 20, 70), 320))
    return found


def next_found(live: Live, sheet: Sheet, wanted: str, after: str) -> list[int] | None:
    """The next cell, row by row and round again, whose input or text holds a text; None where there is none."""
    shower = live.shower()
    text = wanted.casefold()
    keys = sorted((row, column) for number, row, column in live.calculation.values if number == sheet.number)
    start = read_cell(after) or (-1, -1)
    for row, column in [key for key in keys if key > start] + [key for key in keys if key <= start]:
        key = (sheet.number, row, column)
        if text in shower.cell(key).input.casefold() or text in shower.shown(key).text.casefold():
            return [row, column]
    return None
