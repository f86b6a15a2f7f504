"""Finding values in areas, and cells by their place."""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from collections.abc import Sequence
from decimal import Decimal

from rulka.core.sheet.addresses import MOST_COLUMNS, MOST_ROWS, Box, letters
from rulka.core.sheet.environment import Area, Environment
from rulka.core.sheet.functions.criteria import has_wildcard, wildcard
from rulka.core.sheet.registry import Cells, Flag, Given, Single, Text, Whole, sheet_function
from rulka.core.sheet.tokens import FormulaFault, is_inside, quoted_sheet, read_area, tokens_of
from rulka.core.sheet.values import NA, REF, VALUE, Array, Fault, Scalar, Value, array_of, compare, rank, spread


def place_of(
    wanted: Scalar, cells: Sequence[Scalar], how: int, *, patterns: bool = False, backwards: bool = False
) -> int | None:
    """Where a value stands among others: exactly (0), or else the next smaller (-1) or larger (1) one; None nowhere.

    Text is compared whatever its case; with `patterns` * and ? stand for any characters.
    """
    order = range(len(cells) - 1, -1, -1) if backwards else range(len(cells))
    if patterns and isinstance(wanted, str) and has_wildcard(wanted):
        pattern = wildcard(wanted)
        for place in order:
            cell = cells[place]
            if isinstance(cell, str) and pattern.fullmatch(cell):
                return place
        return None
    kind = _kind(wanted)
    best: int | None = None
    for place in order:
        cell = cells[place]
        if cell is None or _kind(cell) != kind:
            continue
        step = compare(cell, wanted)
        if step == 0:
            return place
        if how and step == how and (best is None or compare(cell, cells[best]) == -how):
            best = place
    return best


def _kind(value: Scalar) -> int:
    return 0 if value is None else rank(value)[0]


def sorted_place(wanted: Scalar, cells: Sequence[Scalar], *, descending: bool = False) -> int | None:
    """The last place in a sorted row that is not beyond a value; None where all are."""
    kind = _kind(wanted)
    places = [place for place, cell in enumerate(cells) if cell is not None and _kind(cell) == kind]
    if descending:
        last = None
        for place in places:
            if compare(cells[place], wanted) < 0:
                break
            last = place
        return last
    keys = [rank(cells[place]) for place in places]
    beyond = bisect_right(keys, rank(Decimal(0) if wanted is None else wanted))
    return places[beyond - 1] if beyond else None


def _line(array: Array, what: str) -> list[Scalar]:
    if array.width == 1:
        return [row[0] for row in array.rows]
    if array.height == 1:
        return list(array.rows[0])
    raise Fault(VALUE, f"{what} is one row or one column.")


def _missing(wanted: Scalar) -> Fault:
    return Fault(NA, f"{'' if wanted is None else str(wanted)[:40]!r} was not found.")


@sheet_function("lookup")
def VLOOKUP(wanted: Single, table: Cells, column: Whole, near: Flag = True) -> Value:
    """A value from the row whose first cell is the wanted one. `=VLOOKUP("4010", A2:C99, 2, FALSE)`"""
    if column < 1:
        raise Fault(VALUE, "Columns are counted from 1.")
    if column > table.width:
        raise Fault(REF, f"The table has {table.width} columns.")
    first = [row[0] for row in table.rows]
    place = sorted_place(wanted, first) if near else place_of(wanted, first, 0, patterns=True)
    if place is None:
        raise _missing(wanted)
    return table.rows[place][column - 1]


@sheet_function("lookup")
def HLOOKUP(wanted: Single, table: Cells, row: Whole, near: Flag = True) -> Value:
    """A value from the column whose first cell is the wanted one. `=HLOOKUP("2027-P07", B1:M9, 3, FALSE)`"""
    if row < 1:
        raise Fault(VALUE, "Rows are counted from 1.")
    if row > table.height:
        raise Fault(REF, f"The table has {table.height} rows.")
    first = table.rows[0]
    place = sorted_place(wanted, first) if near else place_of(wanted, first, 0, patterns=True)
    if place is None:
        raise _missing(wanted)
    return table.rows[row - 1][place]


@sheet_function("lookup")
def LOOKUP(wanted: Single, cells: Cells, results: Given = None) -> Value:
    """The value beside the last one not beyond the wanted, in sorted cells. `=LOOKUP(B2, A2:A9, C2:C9)`"""
    if results is None:
        wide = cells.width > cells.height
        line = list(cells.rows[0]) if wide else [row[0] for row in cells.rows]
        of = list(cells.rows[-1]) if wide else [row[-1] for row in cells.rows]
    else:
        line, of = _line(cells, "What is searched"), _line(array_of(results), "The result")
    place = sorted_place(wanted, line)
    if place is None or place >= len(of):
        raise _missing(wanted)
    return of[place]


@sheet_function("lookup")
def MATCH(wanted: Single, cells: Cells, kind: Whole = 1) -> Value:
    """Where a value stands in a row or column; kind 0 exactly. `=MATCH("4010", A2:A99, 0)`"""
    line = _line(cells, "What is searched")
    exact = kind == 0
    place = place_of(wanted, line, 0, patterns=True) if exact else sorted_place(wanted, line, descending=kind < 0)
    if place is None:
        raise _missing(wanted)
    return Decimal(place + 1)


def _found(wanted: Scalar, line: Sequence[Scalar], kind: int, direction: int) -> int | None:
    if kind not in (0, -1, 1, 2) or direction not in (1, -1, 2, -2):
        raise Fault(VALUE, "Kind is 0, -1, 1 or 2; direction 1, -1, 2 or -2.")
    if direction in (2, -2) and kind != 2:
        return _binary(wanted, line, kind, descending=direction == -2)
    return place_of(wanted, line, kind if kind in (-1, 1) else 0, patterns=kind == 2, backwards=direction == -1)


def _binary(wanted: Scalar, line: Sequence[Scalar], kind: int, *, descending: bool) -> int | None:
    cells = list(reversed(line)) if descending else list(line)
    keys = [rank(cell) for cell in cells]
    own = rank(Decimal(0) if wanted is None else wanted)
    at = bisect_left(keys, own)
    if at < len(keys) and keys[at] == own:
        place = at
    elif kind == -1 and at:
        place = at - 1
    elif kind == 1 and at < len(keys):
        place = at
    else:
        return None
    return len(cells) - 1 - place if descending else place


@sheet_function("lookup")
def XMATCH(wanted: Single, cells: Cells, kind: Whole = 0, direction: Whole = 1) -> Value:
    """Where a value stands; kind -1 or 1 takes the next smaller or larger, 2 patterns. `=XMATCH("4010", A2:A99)`"""
    place = _found(wanted, _line(cells, "What is searched"), kind, direction)
    if place is None:
        raise _missing(wanted)
    return Decimal(place + 1)


@sheet_function("lookup", needs=True, takes_errors=True)
def XLOOKUP(
    environment: Environment,
    wanted: Given,
    cells: Cells,
    results: Cells,
    otherwise: Given = None,
    kind: Whole = 0,
    direction: Whole = 1,
) -> Value:
    """What stands beside a value in another row or column. `=XLOOKUP("4010", A2:A99, C2:C99, "none")`"""
    line = _line(cells, "What is searched")
    tall = cells.width == 1
    if (results.height if tall else results.width) != len(line):
        raise Fault(VALUE, "What is searched and the result are of different lengths.")
    asked = array_of(wanted)

    def of(value: Scalar) -> Value:
        if hasattr(value, "code"):
            return Array([[value]])
        place = _found(value, line, kind, direction)
        if place is None:
            return array_of(otherwise) if otherwise is not None else Array([[_missing(value).error]])
        return Array([results.rows[place]], results.looks) if tall else Array([[row[place]] for row in results.rows])

    if asked.height * asked.width == 1:
        return of(asked.rows[0][0])
    return spread(lambda value: of(value).rows[0][0], [asked])


@sheet_function("lookup", area=True)
def INDEX(area: Given, row: Whole = 0, column: Whole = 0) -> Value:
    """The cell at a row and column of an area; 0 means all of them. `=INDEX(B2:D9, 3, 2)`"""
    height, width = (
        (area.box.rows, area.box.columns) if isinstance(area, Area) else (array_of(area).height, array_of(area).width)
    )
    if height == 1 and column == 0 and width > 1:
        row, column = 1 if row else 0, row
    if row < 0 or column < 0:
        raise Fault(VALUE, "Rows and columns are counted from 1.")
    if row > height or column > width:
        raise Fault(REF, f"The area has {height} rows and {width} columns.")
    if isinstance(area, Area):
        box = area.box
        top, bottom = (box.top, box.bottom) if row == 0 else (box.top + row - 1,) * 2
        left, right = (box.left, box.right) if column == 0 else (box.left + column - 1,) * 2
        if row and column:
            return area.calculation.value_at((area.sheet, top, left))
        return Area(area.calculation, area.sheet, Box(top, left, bottom, right))
    array = array_of(area)
    rows = array.rows if row == 0 else [array.rows[row - 1]]
    return Array([list(one) if column == 0 else [one[column - 1]] for one in rows])


@sheet_function("lookup", "ROW", area=True, needs=True)
def row_(environment: Environment, cell: Given = None) -> Value:
    """The number of a row, its own without an argument. `=ROW(B7)` is 7"""
    if cell is None:
        return Decimal(environment.row + 1)
    if not isinstance(cell, Area):
        raise Fault(VALUE, "Refer to cells.")
    if cell.box.rows == 1:
        return Decimal(cell.box.top + 1)
    return Array([[Decimal(row + 1)] for row in range(cell.box.top, cell.box.bottom + 1)])


@sheet_function("lookup", "COLUMN", area=True, needs=True)
def column_(environment: Environment, cell: Given = None) -> Value:
    """The number of a column, its own without an argument. `=COLUMN(B7)` is 2"""
    if cell is None:
        return Decimal(environment.column + 1)
    if not isinstance(cell, Area):
        raise Fault(VALUE, "Refer to cells.")
    if cell.box.columns == 1:
        return Decimal(cell.box.left + 1)
    return Array([[Decimal(column + 1) for column in range(cell.box.left, cell.box.right + 1)]])


@sheet_function("lookup", area=True)
def ROWS(area: Given) -> Value:
    """How many rows an area has. `=ROWS(B2:B9)` is 8"""
    return Decimal(area.box.rows if isinstance(area, Area) else array_of(area).height)


@sheet_function("lookup", area=True)
def COLUMNS(area: Given) -> Value:
    """How many columns an area has. `=COLUMNS(B2:D9)` is 3"""
    return Decimal(area.box.columns if isinstance(area, Area) else array_of(area).width)


@sheet_function("lookup")
def ADDRESS(row: Whole, column: Whole, fixed: Whole = 1, plain: Flag = True, sheet: Text = "") -> Value:
    """A cell's address as text. `=ADDRESS(7, 2)` is $B$7"""
    if not (1 <= row <= MOST_ROWS and 1 <= column <= MOST_COLUMNS) or fixed not in (1, 2, 3, 4) or not plain:
        raise Fault(VALUE, "The address lies outside of a sheet.")
    name = letters(column - 1)
    text = f"{'$' if fixed in (1, 3) else ''}{name}{'$' if fixed in (1, 2) else ''}{row}"
    return f"{quoted_sheet(sheet)}!{text}" if sheet else text


@sheet_function("lookup", volatile=True, needs=True)
def INDIRECT(environment: Environment, text: Text, plain: Flag = True) -> Value:
    """The cells whose address is written in a text. `=INDIRECT("B" & 7)`"""
    if not plain:
        raise Fault(REF, "Addresses are written as B7.")
    try:
        tokens = tokens_of(text)
    except FormulaFault as fault:
        raise Fault(REF, fault.error.note) from None
    if len(tokens) != 1 or tokens[0].kind != "area":
        raise Fault(REF, f"'{text[:40]}' is no address.")
    area = read_area(text)
    sheet = environment.calculation.sheet_number(area.sheet) if area.sheet else environment.sheet
    if sheet is None or not is_inside(area):
        raise Fault(REF, f"'{text[:40]}' is not there.")
    box = Box(
        0 if area.top is None else area.top,
        0 if area.left is None else area.left,
        MOST_ROWS - 1 if area.bottom is None else area.bottom,
        MOST_COLUMNS - 1 if area.right is None else area.right,
    )
    return Area(environment.calculation, sheet, box)


@sheet_function("lookup", volatile=True, area=True)
def OFFSET(cell: Given, rows: Whole, columns: Whole, height: Whole = 0, width: Whole = 0) -> Value:
    """Cells so many rows and columns from others. `=SUM(OFFSET(B2, 0, 0, 3, 1))`"""
    if not isinstance(cell, Area):
        raise Fault(VALUE, "Refer to cells.")
    top, left = cell.box.top + rows, cell.box.left + columns
    height, width = height or cell.box.rows, width or cell.box.columns
    if height < 0:
        top, height = top + height + 1, -height
    if width < 0:
        left, width = left + width + 1, -width
    box = Box(top, left, top + height - 1, left + width - 1)
    if top < 0 or left < 0 or box.bottom >= MOST_ROWS or box.right >= MOST_COLUMNS:
        raise Fault(REF, "The cells lie outside of the sheet.")
    return Area(cell.calculation, cell.sheet, box)
