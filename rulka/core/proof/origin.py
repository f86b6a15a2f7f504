"""A file that left, read back, held against what it was when it left: which cells were changed by hand."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal, InvalidOperation
from typing import Any

ALPHABET = "23456789ABCDEFGHJKMNPQRSTVWXYZ"
"""Letters and digits that nobody takes for each other."""

CODE = re.compile(rf"\bR-[{ALPHABET}]{{5}}-[{ALPHABET}]{{5}}\b")
MOST_NUMBER = 40
ROW = re.compile(r"(?<=^row )[0-9]+|(?<=[A-Z])[0-9]+$")
CELL = re.compile(r"(?P<column>[A-Z]+)(?P<row>[0-9]{1,9})")
PIECES = re.compile(r"([0-9]{1,9})|([^0-9]+)")
NUMBER = re.compile(r"[+-]?[0-9]+(\.[0-9]+)?([eE][+-]?[0-9]{1,3})?")


@dataclass(frozen=True)
class ReadCell:
    """What stands in one place of a file: its plain text, the formula behind it, and how a figure is written."""

    text: str
    formula: str = ""
    look: str = ""


@dataclass(frozen=True)
class ReadPart:
    """A sheet, table or page of a file: its cells by place, and what of it doesn't show (`row 12`, `column C`)."""

    name: str
    cells: Mapping[str, ReadCell]
    hidden: frozenset[str] = frozenset()


@dataclass(frozen=True)
class Altered:
    """A place that isn't what it was. `what` is figure, text, formula, look, hidden or part; `follows` says that it is
    a formula whose value went with others."""

    part: str
    at: str
    what: str
    was: str
    now: str
    follows: bool = False
    label: str = ""
    """What stands first in its row."""


def figures_altered(was: Mapping[str, str], now: Mapping[str, str]) -> list[Altered]:
    """The figures, by what they are called, that aren't what they were."""
    return [
        Altered(name, "", "figure", was.get(name, ""), now.get(name, ""))
        for name in sorted(was.keys() | now.keys())
        if was.get(name) != now.get(name)
    ]


def plain_number(text: str) -> str:
    """A number in its plainest writing, so that the same one is the same however a program saved it; other text as it
    is."""
    stripped = text.strip()
    if len(stripped) > MOST_NUMBER or not NUMBER.fullmatch(stripped):
        return text
    try:
        value = Decimal(stripped)
    except InvalidOperation:
        return text
    return f"{Decimal(f'{value:.15g}').normalize():f}" if value else "0"


def altered(kept: Sequence[ReadPart], found: Sequence[ReadPart]) -> list[Altered]:
    """Every place of a file that isn't what it was, what was changed itself before what followed; empty where nothing
    was."""
    theirs = {part.name: part for part in found}
    told: list[Altered] = []
    for part in kept:
        other = theirs.pop(part.name, None)
        if other is None:
            told.append(Altered(part.name, "", "part", "was there", "is gone"))
            continue
        told += _cells(part, other)
        for what in sorted(part.hidden ^ other.hidden, key=_order):
            shown = ("hidden", "shows") if what in part.hidden else ("shown", "is hidden")
            told.append(Altered(part.name, what, "hidden", *shown, label=_label(part, what)))
    told += [Altered(name, "", "part", "", "was added") for name in theirs]
    return sorted(told, key=lambda one: one.follows)


def _cells(part: ReadPart, other: ReadPart) -> Iterable[Altered]:
    nothing = ReadCell("")
    for at in sorted(part.cells.keys() | other.cells.keys(), key=_order):
        was, now = part.cells.get(at, nothing), other.cells.get(at, nothing)
        if was.text != now.text:
            unsaved = was.formula and not now.text and now.formula == was.formula
            if unsaved:  # a program that keeps formulas without their values
                continue
            numbers = NUMBER.fullmatch(was.text) or NUMBER.fullmatch(now.text)
            follows = bool(was.formula) and was.formula == now.formula
            what, label = "figure" if numbers else "text", _label(part, at)
            yield Altered(part.name, at, what, was.text, now.text, follows, label)
        elif was.formula and now.formula and was.formula != now.formula:
            yield Altered(part.name, at, "formula", was.formula, now.formula, label=_label(part, at))
        elif was.text and was.look != now.look:
            yield Altered(part.name, at, "look", was.look, now.look, label=_label(part, at))


def _label(part: ReadPart, at: str) -> str:
    """What stands first in the row of a place, unless it is that itself."""
    row = ROW.search(at)
    for first in (f"A{row[0]}", f"row {row[0]} cell 1") if row else ():
        if first in part.cells and first != at:
            return part.cells[first].text
    return ""


def _order(at: str) -> tuple[tuple[int, str], ...]:
    """Places in the order in which one reads them: row by row."""
    if cell := CELL.fullmatch(at):
        return ((int(cell["row"]), ""), (len(cell["column"]), cell["column"]))
    pieces = PIECES.findall(at)
    return tuple((int(number), "") if number else (0, words) for number, words in pieces)


def packed(parts: Iterable[ReadPart]) -> list[Any]:
    """Parts as plain data, to be kept."""
    return [
        [part.name, {at: [cell.text, cell.formula, cell.look] for at, cell in part.cells.items()}, sorted(part.hidden)]
        for part in parts
    ]


def unpacked(told: Iterable[Any]) -> tuple[ReadPart, ...]:
    """Parts that were packed."""
    return tuple(
        ReadPart(name, {at: ReadCell(*cell) for at, cell in cells.items()}, frozenset(hidden))
        for name, cells, hidden in told
    )


def codes_in(texts: Iterable[str]) -> list[str]:
    """The codes of origin that texts name, each once."""
    return list(dict.fromkeys(code for text in texts for code in CODE.findall(text.upper())))
