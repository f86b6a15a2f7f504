"""What choice lists and parameters offer that take their choices from cells."""

from __future__ import annotations

from rulka.core.sheet.addresses import Box, read_box
from rulka.core.sheet.parameters import Parameter
from rulka.core.sheet.tokens import split_sheet
from rulka.core.sheet.workbook import Sheet
from rulka.worksheets.running.live import Live

MOST_OPTIONS = 300


def options_of(live: Live, sheet: Sheet, given: str) -> list[str]:
    """What a choice list offers: texts with semicolons between, or `=` and the cells that hold them."""
    if not given.startswith("="):
        return [part.strip() for part in given.split(";") if part.strip()][:MOST_OPTIONS]
    name, rest = split_sheet(given[1:].strip())
    number = live.calculation.sheet_number(name) if name else sheet.number
    spills = rest.endswith("#")
    box = read_box(rest.rstrip("#").replace("$", ""))
    if number is None or box is None:
        return []
    if spills and (array := live.calculation.spills.get((number, box.top, box.left))):
        box = Box(box.top, box.left, box.top + array.height - 1, box.left)
    shower = live.shower()
    texts = (shower.shown((number, *cell)).text for cell in list(box.cells())[: MOST_OPTIONS * 4])
    return list(dict.fromkeys(text for text in texts if text))[:MOST_OPTIONS]


def listed_for(live: Live, parameter: Parameter) -> list[str]:
    """The choices of a parameter that stand in cells; none where it names no cells."""
    if not parameter.listed:
        return []
    return options_of(live, live.workbook.sheet(parameter.sheet), parameter.listed)
