"""What becomes of a formula that leaves for a desktop spreadsheet: one that asks the ledger can't go along, others go
as they are, with what spills written out as the cells it fills."""

from __future__ import annotations

from rulka.core.sheet.addresses import Box, Key, cell_text
from rulka.core.sheet.calculating import Calculation
from rulka.core.sheet.tokens import FormulaFault, quoted_sheet, read_area, split_sheet, tokens_of

OWN = "RULKA."
"""What the functions begin with that only Rulka knows."""


def asks_ledger(calculation: Calculation, key: Key, names: dict[str, str]) -> bool:
    """Whether the formula of a cell, or a name in it, calls a function that only Rulka knows."""
    text = calculation.sheets[key[0]].cells.get((key[1], key[2]), "")
    return _asks(text, {name.casefold(): meaning for name, meaning in names.items()}, 0)


def _asks(text: str, names: dict[str, str], depth: int) -> bool:
    if not text.startswith("=") or depth > 8:
        return False
    try:
        tokens = tokens_of(text[1:])
    except FormulaFault:
        return False
    return any(
        (token.kind == "call" and token.text.upper().startswith(OWN))
        or (token.kind == "name" and _asks(names.get(token.text.casefold(), ""), names, depth + 1))
        for token in tokens
    )


def for_elsewhere(calculation: Calculation, key: Key) -> str:
    """A formula as a desktop spreadsheet reads it: `A5#` becomes the cells that A5 fills now."""
    text = calculation.sheets[key[0]].cells[key[1], key[2]]
    found = []
    tokens = tokens_of(text[1:])
    at = 0
    while at < len(tokens):
        token = tokens[at]
        following = tokens[at + 1] if at + 1 < len(tokens) else None
        if token.kind == "area" and following is not None and following.kind == "operator" and following.text == "#":
            found.append(_written_out(calculation, key, token.text))
            at += 2
            continue
        found.append(token.text)
        at += 1
    return "=" + "".join(found)


def _written_out(calculation: Calculation, key: Key, text: str) -> str:
    name, _ = split_sheet(text)
    area = read_area(text)
    number = calculation.sheet_number(name) if name else key[0]
    if area.top is None or area.left is None or number is None:
        return text
    array = calculation.spills.get((number, area.top, area.left))
    if array is None:
        return text
    box = Box(area.top, area.left, area.top + array.height - 1, area.left + array.width - 1)
    first, last = (cell_text(*at) for at in ((box.top, box.left), (box.bottom, box.right)))
    cells = ":".join("$" + _fixed(end) for end in (first, last))
    return f"{quoted_sheet(name)}!{cells}" if name else cells


def _fixed(cell: str) -> str:
    letters = cell.rstrip("0123456789")
    return f"{letters}${cell[len(letters) :]}"
