"""Drawings on a sheet, as its reader sees them: of cells, or of what apps above register."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from decimal import Decimal
from fractions import Fraction
from typing import Any, Protocol

from rulka.core.errors import NotFound, RulkaError
from rulka.core.money import grouped, round_half_away
from rulka.core.picturing.drawings import ASCENT, LINE, SIZE, Drawing, DrawnWords
from rulka.core.picturing.range_drawing import grid_of, range_drawing
from rulka.core.picturing.words import broken
from rulka.core.sheet.addresses import Box
from rulka.core.sheet.values import SheetError
from rulka.core.sheet.workbook import Sheet
from rulka.formats.output.drawn import svg_of
from rulka.ledger.models import Ledger
from rulka.people.models import Person
from rulka.worksheets.running.live import Live, WorksheetReader

MOST_CELLS = 10_000
Drawn = Mapping[str, Any]
"""A drawing as a sheet keeps it: `picture` its name, `box` where it lies, its sizes, and `of` (cells) or `kind`, `name`
and `piece` (what somebody registered)."""


class Drawer(Protocol):
    """Drawings that another app registers."""

    def names(self, ledger: Ledger, person: Person) -> Sequence[tuple[str, str, str]]:
        """(name, piece, title) of each drawing that somebody may place."""

    def draw(self, reader: WorksheetReader, name: str, piece: str, wide: int) -> Drawing:
        """One of them at a width; raises RulkaError where the reader may not see it."""


_DRAWERS: dict[str, Drawer] = {}


def draws(kind: str, drawer: Drawer) -> None:
    """Register another kind of drawings."""
    _DRAWERS[kind] = drawer


def drawings_to_place(ledger: Ledger, person: Person) -> list[tuple[str, str]]:
    """(what names it, title) of all drawings that somebody may place."""
    return [
        ("|".join((kind, name, piece)), title)
        for kind, drawer in _DRAWERS.items()
        for name, piece, title in drawer.names(ledger, person)
    ]


def is_drawn(one: Mapping[str, Any]) -> bool:
    """Whether a picture of a sheet is drawn, and not one that was brought."""
    return isinstance(one["picture"], str)


def find_drawing(sheet: Sheet, name: str) -> Drawn:
    """A drawing of a sheet by its name."""
    for one in sheet.settings.get("pictures", ()):
        if one["picture"] == name:
            return dict(one)
    raise NotFound("This drawing isn't there any more.", hint="Load the page again.", subject="drawing")


def drawing_of(live: Live, sheet: Sheet, one: Drawn) -> Drawing:
    """A drawing as its reader sees it now."""
    if "of" in one:
        return _of_cells(live, sheet, Box(*one["of"]), int(one["width"]))
    if one["kind"] not in _DRAWERS:
        raise NotFound(f"Nothing of the kind '{one['kind']}' is drawn.", hint="Take it away.", subject="drawing")
    return _DRAWERS[one["kind"]].draw(live.reader, one["name"], one["piece"], int(one["width"]))


def _of_cells(live: Live, sheet: Sheet, box: Box, wide: int) -> Drawing:
    if (box.bottom - box.top + 1) * (box.right - box.left + 1) > MOST_CELLS:
        raise RulkaError(f"A drawing is of {MOST_CELLS:,} cells at most.", hint="Choose fewer.", subject="drawing")
    shower = live.shower()
    cells: list[list[Fraction | str | None]] = []
    digits = 0
    for row in range(box.top, box.bottom + 1):
        found: list[Fraction | str | None] = []
        for column in range(box.left, box.right + 1):
            key = (sheet.number, row, column)
            value = live.calculation.shown_at(key)
            shown = shower.shown(key)
            if isinstance(value, SheetError):
                raise RulkaError(f"A cell says {value.code}.", hint="Mend it, or choose others.", subject="drawing")
            is_number = isinstance(value, Decimal) and shown.kind in ("number", "negative")
            found.append(Fraction(value) if is_number and isinstance(value, Decimal) else shown.text or None)
            digits = max(digits, _decimals(shown.text) if is_number else 0)
        cells.append(found)
    return range_drawing(grid_of(cells), wide, lambda value: grouped(round_half_away(value, digits), digits))


def _decimals(text: str) -> int:
    """How many decimals a figure is written with, two at most."""
    _, mark, after = text.rpartition(".")
    return min(sum(letter in "0123456789" for letter in after), 2) if mark else 0


def svg_on(live: Live, sheet: Sheet, one: Drawn) -> str:
    """A drawing as SVG; one that can't be made says why in its place."""
    title = str(one.get("title", "")) or "A drawing"
    try:
        return svg_of(drawing_of(live, sheet, one), title, lambda key: "")
    except RulkaError as error:
        return svg_of(_refused(str(error), int(one["width"])), title, lambda key: "")


def _refused(text: str, wide: int) -> Drawing:
    lines = broken(text, wide - 8, SIZE, lines=4)
    words = [DrawnWords(4, ASCENT + 4 + place * LINE, line, whole=text) for place, line in enumerate(lines)]
    return Drawing(wide, LINE * len(lines) + 8, [], words, [])
