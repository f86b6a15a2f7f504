"""Arrays that spill: filtered, sorted, stacked, cut, counted up."""

from __future__ import annotations

from collections.abc import Sequence
from decimal import Decimal
from functools import cmp_to_key

from rulka.core.sheet.registry import Cells, Flag, Given, Number, Single, Whole, sheet_function
from rulka.core.sheet.values import (
    MOST_CELLS,
    NA,
    NUM,
    ONE,
    VALUE,
    Array,
    Fault,
    Scalar,
    SheetError,
    Value,
    array_of,
    as_flag,
    as_number,
    rank,
)

NOTHING = SheetError(NA.code, "Nothing is left.")


@sheet_function("arrays", "FILTER")
def filter_(area: Cells, keep: Cells, otherwise: Given = None) -> Value:
    """The rows (or columns) for which a condition holds. `=FILTER(A2:C99, C2:C99>0, "none")`"""
    if keep.width == 1 and keep.height == area.height:
        flags = [_flag(row[0]) for row in keep.rows]
        rows = [row for row, kept in zip(area.rows, flags, strict=True) if kept]
        if rows:
            return Array(rows, area.looks)
    elif keep.height == 1 and keep.width == area.width:
        places = [place for place, cell in enumerate(keep.rows[0]) if _flag(cell)]
        if places:
            return Array([[row[place] for place in places] for row in area.rows])
    else:
        raise Fault(VALUE, "The condition needs a value for each row, or one for each column.")
    if otherwise is None:
        raise Fault(NOTHING)
    return otherwise


def _flag(value: Scalar) -> bool:
    if isinstance(value, SheetError):
        raise Fault(value)
    return as_flag(value)


def _ordered(rows: list[tuple[list[Scalar], object]], directions: Sequence[int]) -> list[object]:
    """Things by keys: numbers, text, logical; empty ones last whatever the direction; equal ones keep their order."""

    def compared(left: tuple[list[Scalar], object], right: tuple[list[Scalar], object]) -> int:
        for one, other, direction in zip(left[0], right[0], directions, strict=True):
            if one is None or other is None:
                step = (one is None) - (other is None)
            else:
                a, b = rank(one), rank(other)
                step = ((a > b) - (a < b)) * direction
            if step:
                return step
        return 0

    return [thing for _, thing in sorted(rows, key=cmp_to_key(compared))]


def _direction(value: Scalar) -> int:
    number = as_number(value)
    if number not in (1, -1):
        raise Fault(VALUE, "A direction is 1 (rising) or -1 (falling).")
    return int(number)


@sheet_function("arrays", "SORT")
def sort_(area: Cells, by: Given = ONE, direction: Given = ONE, across: Flag = False) -> Value:
    """Rows in order of a column. `=SORT(A2:C99, 3, -1)`"""
    source = _turned(area) if across else area
    places = [int(as_number(cell)) for cell in array_of(by).flat()]
    directions = [_direction(cell) for cell in array_of(direction).flat()]
    if len(directions) == 1:
        directions *= len(places)
    if len(directions) != len(places) or any(not 1 <= place <= source.width for place in places):
        raise Fault(VALUE, f"There are {source.width} columns to sort by.")
    rows = [([row[place - 1] for place in places], list(row)) for row in source.rows]
    result = Array(_ordered(rows, directions), source.looks)  # type: ignore[arg-type]
    return _turned(result) if across else result


@sheet_function("arrays")
def SORTBY(area: Cells, by: Cells, direction: Given = ONE, *further: Given) -> Value:
    """Rows in order of other cells. `=SORTBY(A2:A99, C2:C99, -1)`"""
    keys: list[Array] = [by]
    directions = [_direction(array_of(direction).rows[0][0])]
    for place in range(0, len(further), 2):
        keys.append(array_of(further[place]))
        given = further[place + 1] if place + 1 < len(further) else ONE
        directions.append(_direction(array_of(given).rows[0][0]))
    across = keys[0].height == 1 and area.width == keys[0].width and area.height != 1
    source = _turned(area) if across else area
    lines = []
    for key in keys:
        line = list(key.flat())
        if len(line) != source.height or (key.height > 1 and key.width > 1):
            raise Fault(VALUE, "What is sorted by needs a value for each row.")
        lines.append(line)
    rows = [([line[place] for line in lines], list(row)) for place, row in enumerate(source.rows)]
    result = Array(_ordered(rows, directions), source.looks)  # type: ignore[arg-type]
    return _turned(result) if across else result


def _turned(array: Array) -> Array:
    return Array([list(column) for column in zip(*array.rows, strict=True)])


@sheet_function("arrays")
def TRANSPOSE(area: Cells) -> Value:
    """Rows as columns. `=TRANSPOSE(A1:C1)`"""
    return _turned(area)


def _same(value: Scalar) -> object:
    if value is None:
        return 0, Decimal(0)
    return rank(value)


@sheet_function("arrays")
def UNIQUE(area: Cells, across: Flag = False, once: Flag = False) -> Value:
    """Each row once; with once, those that are there only once. `=UNIQUE(A2:A99)`"""
    source = _turned(area) if across else area
    found: dict[object, list[object]] = {}
    for row in source.rows:
        entry = found.setdefault(tuple(_same(cell) for cell in row), [row, 0])
        entry[1] += 1  # type: ignore[operator]
    rows = [row for row, count in found.values() if not once or count == 1]
    if not rows:
        raise Fault(NOTHING)
    result = Array(rows, source.looks)  # type: ignore[arg-type]
    return _turned(result) if across else result


@sheet_function("arrays")
def SEQUENCE(rows: Whole, columns: Whole = 1, start: Number = ONE, step: Number = ONE) -> Value:
    """Numbers one after the other. `=SEQUENCE(12)`"""
    if rows < 1 or columns < 1:
        raise Fault(VALUE, "Rows and columns are at least 1.")
    if rows * columns > MOST_CELLS:
        raise Fault(NUM, f"An array holds at most {MOST_CELLS:,} cells.")
    return Array([[start + step * (row * columns + column) for column in range(columns)] for row in range(rows)])


def _within(height: int, width: int) -> None:
    if height * width > MOST_CELLS:
        raise Fault(NUM, f"An array holds at most {MOST_CELLS:,} cells.")


@sheet_function("arrays")
def VSTACK(*areas: Cells) -> Value:
    """Areas below each other. `=VSTACK(A2:B9, D2:E9)`"""
    width = max(area.width for area in areas)
    _within(sum(area.height for area in areas), width)
    looks = areas[0].looks if areas[0].width == width else ()
    return Array([[*row, *[NA] * (width - area.width)] for area in areas for row in area.rows], looks)


@sheet_function("arrays")
def HSTACK(*areas: Cells) -> Value:
    """Areas beside each other. `=HSTACK(A2:A9, C2:C9)`"""
    height = max(area.height for area in areas)
    _within(height, sum(area.width for area in areas))
    rows: list[list[Scalar]] = [[] for _ in range(height)]
    for area in areas:
        for place, row in enumerate(rows):
            row.extend(area.rows[place] if place < area.height else [NA] * area.width)
    looks: tuple[str, ...] = ()
    if any(area.looks for area in areas):
        looks = tuple(look for area in areas for look in (area.looks or ("",) * area.width))
    return Array(rows, looks)


def _part(count: int | None, size: int, *, take: bool) -> range:
    if count is None:
        return range(size)
    if take:
        chosen = range(min(count, size)) if count > 0 else range(max(size + count, 0), size)
    else:
        chosen = range(min(count, size), size) if count >= 0 else range(max(size + count, 0))
    if not len(chosen):
        raise Fault(NOTHING)
    return chosen


def _whole(value: Value) -> int | None:
    return None if value is None else int(as_number(array_of(value).rows[0][0]))


def _chosen(area: Array, rows: Sequence[int], columns: Sequence[int]) -> Array:
    looks = tuple(area.looks[column] for column in columns) if area.looks else ()
    return Array([[area.rows[row][column] for column in columns] for row in rows], looks)


@sheet_function("arrays")
def TAKE(area: Cells, rows: Given, columns: Given = None) -> Value:
    """The first rows and columns; the last with negative numbers. `=TAKE(A2:C99, 10)`"""
    return _chosen(area, _part(_whole(rows), area.height, take=True), _part(_whole(columns), area.width, take=True))


@sheet_function("arrays")
def DROP(area: Cells, rows: Given, columns: Given = None) -> Value:
    """All but the first rows and columns; but the last with negative numbers. `=DROP(A1:C99, 1)`"""
    return _chosen(area, _part(_whole(rows), area.height, take=False), _part(_whole(columns), area.width, take=False))


def _places(values: Sequence[Value], size: int) -> list[int]:
    found = []
    for value in values:
        for cell in array_of(value).flat():
            number = int(as_number(cell))
            if not 1 <= abs(number) <= size:
                raise Fault(VALUE, f"There are {size} of them.")
            found.append(number - 1 if number > 0 else size + number)
    return found


@sheet_function("arrays")
def CHOOSECOLS(area: Cells, column: Given, *further: Given) -> Value:
    """Some columns. `=CHOOSECOLS(A2:E99, 1, 5)`"""
    return _chosen(area, range(area.height), _places([column, *further], area.width))


@sheet_function("arrays")
def CHOOSEROWS(area: Cells, row: Given, *further: Given) -> Value:
    """Some rows. `=CHOOSEROWS(A2:E99, 1, -1)`"""
    return _chosen(area, _places([row, *further], area.height), range(area.width))


def _line_of(area: Array, leave_out: int, by_column: bool) -> list[Scalar]:
    if leave_out not in range(4):
        raise Fault(VALUE, "Leave out 0 nothing, 1 empty, 2 errors, 3 both.")
    cells = list((_turned(area) if by_column else area).flat())
    if leave_out in (1, 3):
        cells = [cell for cell in cells if cell is not None]
    if leave_out in (2, 3):
        cells = [cell for cell in cells if not isinstance(cell, SheetError)]
    if not cells:
        raise Fault(NOTHING)
    return cells


@sheet_function("arrays")
def TOCOL(area: Cells, leave_out: Whole = 0, by_column: Flag = False) -> Value:
    """All cells in one column. `=TOCOL(A2:C9)`"""
    return Array([[cell] for cell in _line_of(area, leave_out, by_column)])


@sheet_function("arrays")
def TOROW(area: Cells, leave_out: Whole = 0, by_column: Flag = False) -> Value:
    """All cells in one row. `=TOROW(A2:C9)`"""
    return Array([_line_of(area, leave_out, by_column)])


def _wrapped(area: Array, length: int, fill: Scalar) -> list[list[Scalar]]:
    if area.height > 1 and area.width > 1:
        raise Fault(VALUE, "What is wrapped is one row or one column.")
    if length < 1:
        raise Fault(NUM, "At least 1.")
    cells = list(area.flat())
    length = min(length, MOST_CELLS)
    lines = [cells[start : start + length] for start in range(0, len(cells), length)]
    _within(len(lines), length if len(lines) > 1 else len(cells))
    if len(lines) > 1 or length <= len(cells):
        lines[-1] += [fill] * (length - len(lines[-1]))
    return lines


@sheet_function("arrays")
def WRAPROWS(area: Cells, length: Whole, fill: Single = NA) -> Value:
    """A row or column cut into rows. `=WRAPROWS(A1:A12, 3)`"""
    return Array(_wrapped(area, length, fill))


@sheet_function("arrays")
def WRAPCOLS(area: Cells, length: Whole, fill: Single = NA) -> Value:
    """A row or column cut into columns. `=WRAPCOLS(A1:A12, 3)`"""
    return _turned(Array(_wrapped(area, length, fill)))


@sheet_function("arrays")
def EXPAND(area: Cells, rows: Given, columns: Given = None, fill: Single = NA) -> Value:
    """An area made larger. `=EXPAND(A1:B2, 3, 3, 0)`"""
    height, width = _whole(rows) or area.height, _whole(columns) or area.width
    if height < area.height or width < area.width:
        raise Fault(VALUE, "It is larger already.")
    _within(height, width)
    return Array(
        [
            [area.rows[row][column] if row < area.height and column < area.width else fill for column in range(width)]
            for row in range(height)
        ]
    )
