"""SUBTOTAL and AGGREGATE: one of several statistics by its number, other subtotals left out."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from decimal import Decimal

from rulka.core.sheet.functions.maths import total
from rulka.core.sheet.functions.statistics import at_part, deviation, mean, middle, most_often, nth, variance
from rulka.core.sheet.registry import Given, Whole, sheet_function
from rulka.core.sheet.values import ONE, VALUE, ZERO, Array, Fault, Scalar, SheetError, Value, array_of, as_number


def _product(numbers: Sequence[Decimal]) -> Decimal:
    found = ONE
    for number in numbers:
        found *= number
    return found if numbers else ZERO


SUBTOTALS: dict[int, Callable[[list[Decimal]], Value]] = {
    1: mean,
    2: lambda numbers: Decimal(len(numbers)),
    3: lambda numbers: Decimal(len(numbers)),
    4: lambda numbers: max(numbers, default=ZERO),
    5: lambda numbers: min(numbers, default=ZERO),
    6: _product,
    7: lambda numbers: deviation(numbers, sample=True),
    8: lambda numbers: deviation(numbers, sample=False),
    9: lambda numbers: total(iter(numbers)),
    10: lambda numbers: variance(numbers, sample=True),
    11: lambda numbers: variance(numbers, sample=False),
    12: middle,
    13: most_often,
    **{kind: lambda numbers: ZERO for kind in range(14, 20)},  # these take a place too, see ORDERED
}

"""What SUBTOTAL and AGGREGATE do, by their number."""

ORDERED: dict[int, Callable[[list[Decimal], Decimal], Scalar]] = {
    14: lambda numbers, place: nth(numbers, place, largest=True),
    15: lambda numbers, place: nth(numbers, place, largest=False),
    16: lambda numbers, part: at_part(numbers, part),
    17: lambda numbers, quarter: at_part(numbers, quarter / 4),
    18: lambda numbers, part: at_part(numbers, part, inclusive=False),
    19: lambda numbers, quarter: at_part(numbers, quarter / 4, inclusive=False),
}
"""Kinds of AGGREGATE that take a place or a part besides."""


@sheet_function("math", area=True)
def SUBTOTAL(kind: Whole, *areas: Given) -> Value:
    """Adds up (kind 9), counts (2, 3), averages (1) and more, leaving out other subtotals. `=SUBTOTAL(9, C5:C12)`"""
    kind = kind - 100 if 101 <= kind <= 111 else kind
    if kind not in SUBTOTALS or kind > 11:
        raise Fault(
            VALUE, "Kind is 1 to 11: average, count, count of any, largest, smallest, product, deviations, sum."
        )
    if kind == 3:
        return Decimal(sum(cell is not None for area in areas for cell in _without_subtotals(area).flat()))
    found = []
    for area in areas:
        for cell in _without_subtotals(area).flat():
            if isinstance(cell, SheetError):
                raise Fault(cell)
            if type(cell) is Decimal:
                found.append(cell)
    return SUBTOTALS[kind](found)


def _without_subtotals(area: Value) -> Array:
    array = array_of(area)
    formulas = getattr(getattr(area, "calculation", None), "formulas", None)
    if formulas is None:
        return array
    box = area.box
    rows = []
    for at, row in enumerate(array.rows):
        cells: list[Scalar] = []
        for on, cell in enumerate(row):
            formula = formulas.get((area.sheet, box.top + at, box.left + on))
            cells.append(None if formula is not None and formula.shape.functions & {"SUBTOTAL", "AGGREGATE"} else cell)
        rows.append(cells)
    return Array(rows)


@sheet_function("math", area=True, takes_errors=True)
def AGGREGATE(kind: Whole, leave_out: Whole, *areas: Given) -> Value:
    """Like SUBTOTAL; with leave_out 6 or 7 errors count nothing. `=AGGREGATE(9, 6, C5:C12)`"""
    if kind not in SUBTOTALS or not 0 <= leave_out <= 7:
        raise Fault(VALUE, "Kind is 1 to 19, what is left out 0 to 7.")
    skip_errors, skip_inner = leave_out in (2, 3, 6, 7), leave_out in (0, 1, 2, 3)
    last = areas[-1] if kind >= 14 else None
    found, count = [], 0
    for area in areas[: -1 if last is not None else None]:
        for cell in (_without_subtotals(area) if skip_inner else array_of(area)).flat():
            if isinstance(cell, SheetError) and not skip_errors:
                raise Fault(cell)
            count += cell is not None and not isinstance(cell, SheetError)
            if type(cell) is Decimal:
                found.append(cell)
    if kind == 3:
        return Decimal(count)
    if last is None:
        return SUBTOTALS[kind](found)
    value = array_of(last).rows[0][0]
    return ORDERED[kind](found, as_number(value))
