"""Counting, averages, spread and order."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from decimal import ROUND_FLOOR, Decimal

from rulka.core.sheet.functions.criteria import chosen, over_conditions
from rulka.core.sheet.functions.maths import chosen_numbers, numbers_of, total
from rulka.core.sheet.registry import Cells, Given, Number, Whole, sheet_function
from rulka.core.sheet.values import (
    DIV0,
    DIVIDED,
    NA,
    NUM,
    ONE,
    ZERO,
    Array,
    Fault,
    SheetError,
    Value,
    array_of,
    number_in,
)


@sheet_function("statistics", area=True, takes_errors=True)
def COUNT(*values: Given) -> Value:
    """How many numbers there are. `=COUNT(B2:B99)`"""
    count = 0
    for value in values:
        if isinstance(value, Array) or hasattr(value, "array"):
            count += sum(type(cell) is Decimal for cell in array_of(value).flat())
        else:
            count += isinstance(value, (Decimal, bool)) or (isinstance(value, str) and number_in(value) is not None)
    return Decimal(count)


@sheet_function("statistics", area=True, takes_errors=True)
def COUNTA(*values: Given) -> Value:
    """How many values there are of any kind. `=COUNTA(A2:A99)`"""
    return Decimal(sum(cell is not None for value in values for cell in array_of(value).flat()))


@sheet_function("statistics", area=True, takes_errors=True)
def COUNTBLANK(area: Given) -> Value:
    """How many cells are empty. `=COUNTBLANK(A2:A99)`"""
    return Decimal(sum(cell is None or cell == "" for cell in array_of(area).flat()))


@sheet_function("statistics", area=True)
def COUNTIF(area: Given, condition: Given) -> Value:
    """How many cells meet a condition. `=COUNTIF(A2:A99, "4*")`"""
    return over_conditions(lambda pairs: Decimal(len(chosen(pairs)[0])), [area, condition])


@sheet_function("statistics", area=True)
def COUNTIFS(area: Given, condition: Given, *further: Given) -> Value:
    """How many rows meet every condition. `=COUNTIFS(A2:A99, "4*", B2:B99, ">0")`"""
    return over_conditions(lambda pairs: Decimal(len(chosen(pairs)[0])), [area, condition, *further])


def mean(numbers: Sequence[Decimal]) -> Decimal:
    """The average of some numbers; Fault without any."""
    if not numbers:
        raise Fault(DIV0, "There is no number to average.")
    return DIVIDED.divide(total(iter(numbers)), Decimal(len(numbers)))


@sheet_function("statistics", area=True)
def AVERAGE(*numbers: Given) -> Value:
    """The average of numbers. `=AVERAGE(B2:B13)`"""
    return mean(list(numbers_of(numbers)))


def _any_numbers(values: Sequence[Value]) -> list[Decimal]:
    """Numbers with logical values as 1 and 0 and text in areas as 0."""
    found = []
    for value in values:
        for cell in array_of(value).flat():
            if isinstance(cell, SheetError):
                raise Fault(cell)
            if cell is not None:
                found.append(cell if isinstance(cell, Decimal) else Decimal(cell is True))
    return found


@sheet_function("statistics", area=True)
def AVERAGEA(*values: Given) -> Value:
    """The average of values; text counts as 0. `=AVERAGEA(B2:B13)`"""
    return mean(_any_numbers(values))


@sheet_function("statistics", area=True)
def MAXA(*values: Given) -> Value:
    """The largest value; text counts as 0. `=MAXA(B2:B13)`"""
    return max(_any_numbers(values), default=ZERO)


@sheet_function("statistics", area=True)
def MINA(*values: Given) -> Value:
    """The smallest value; text counts as 0. `=MINA(B2:B13)`"""
    return min(_any_numbers(values), default=ZERO)


@sheet_function("statistics", area=True)
def AVERAGEIF(area: Given, condition: Given, average_area: Given = None) -> Value:
    """The average of the cells whose partner meets a condition. `=AVERAGEIF(A2:A9, "4*", B2:B9)`"""
    own = area if average_area is None else average_area
    return over_conditions(lambda pairs: mean(chosen_numbers(own, pairs)), [area, condition])


@sheet_function("statistics", area=True)
def AVERAGEIFS(average_area: Given, area: Given, condition: Given, *further: Given) -> Value:
    """The average of the cells whose partners meet every condition. `=AVERAGEIFS(C2:C9, A2:A9, "4*")`"""
    return over_conditions(lambda pairs: mean(chosen_numbers(average_area, pairs)), [area, condition, *further])


@sheet_function("statistics", area=True)
def MAXIFS(area: Given, condition_area: Given, condition: Given, *further: Given) -> Value:
    """The largest of the cells whose partners meet every condition. `=MAXIFS(C2:C9, A2:A9, "4*")`"""
    pairs = [condition_area, condition, *further]
    return over_conditions(lambda given: max(chosen_numbers(area, given), default=ZERO), pairs)


@sheet_function("statistics", area=True)
def MINIFS(area: Given, condition_area: Given, condition: Given, *further: Given) -> Value:
    """The smallest of the cells whose partners meet every condition. `=MINIFS(C2:C9, A2:A9, "4*")`"""
    pairs = [condition_area, condition, *further]
    return over_conditions(lambda given: min(chosen_numbers(area, given), default=ZERO), pairs)


@sheet_function("statistics", area=True)
def MAX(*numbers: Given) -> Value:
    """The largest number. `=MAX(B2:B13)`"""
    return max(numbers_of(numbers), default=ZERO)


@sheet_function("statistics", area=True)
def MIN(*numbers: Given) -> Value:
    """The smallest number. `=MIN(B2:B13)`"""
    return min(numbers_of(numbers), default=ZERO)


def middle(numbers: Sequence[Decimal]) -> Decimal:
    """The median of some numbers."""
    if not numbers:
        raise Fault(NUM, "There is no number.")
    ordered = sorted(numbers)
    half = len(ordered) // 2
    return ordered[half] if len(ordered) % 2 else (ordered[half - 1] + ordered[half]) / 2


@sheet_function("statistics", area=True)
def MEDIAN(*numbers: Given) -> Value:
    """The number in the middle. `=MEDIAN(B2:B13)`"""
    return middle(list(numbers_of(numbers)))


def most_often(numbers: Sequence[Decimal]) -> Decimal:
    counted = Counter(numbers)
    most = max(counted.values(), default=0)
    if most < 2:
        raise Fault(NA, "No number is there twice.")
    return next(number for number in numbers if counted[number] == most)


@sheet_function("statistics", "MODE.SNGL", aliases=("MODE",), area=True)
def mode(*numbers: Given) -> Value:
    """The number that is there most often. `=MODE.SNGL(B2:B13)`"""
    return most_often(list(numbers_of(numbers)))


def _numbers(cells: Array) -> list[Decimal]:
    return list(numbers_of([cells]))


def nth(numbers: Sequence[Decimal], place: Decimal, *, largest: bool) -> Decimal:
    number = int(place.to_integral_value(rounding="ROUND_CEILING"))
    if not 1 <= number <= len(numbers):
        raise Fault(NUM, f"There are {len(numbers)} numbers.")
    return sorted(numbers, reverse=largest)[number - 1]


@sheet_function("statistics")
def LARGE(area: Cells, place: Number) -> Value:
    """The largest, second largest and so on. `=LARGE(B2:B13, 2)`"""
    return nth(_numbers(area), place, largest=True)


@sheet_function("statistics")
def SMALL(area: Cells, place: Number) -> Value:
    """The smallest, second smallest and so on. `=SMALL(B2:B13, 2)`"""
    return nth(_numbers(area), place, largest=False)


@sheet_function("statistics", "RANK.EQ", aliases=("RANK",))
def rank_eq(number: Number, area: Cells, ascending: Whole = 0) -> Value:
    """Which place a number has among others; equal ones share the first. `=RANK.EQ(B2, B2:B13)`"""
    numbers = _numbers(area)
    if number not in numbers:
        raise Fault(NA, "The number is not among them.")
    return Decimal(1 + sum((other < number) if ascending else (other > number) for other in numbers))


@sheet_function("statistics", "RANK.AVG")
def rank_avg(number: Number, area: Cells, ascending: Whole = 0) -> Value:
    """Which place a number has among others; equal ones share the average. `=RANK.AVG(B2, B2:B13)`"""
    numbers = _numbers(area)
    if number not in numbers:
        raise Fault(NA, "The number is not among them.")
    before = sum((other < number) if ascending else (other > number) for other in numbers)
    return Decimal(before) + DIVIDED.divide(Decimal(numbers.count(number) + 1), Decimal(2))


def _squares(numbers: Sequence[Decimal]) -> Decimal:
    average = mean(numbers)
    return total((number - average) ** 2 for number in numbers)


def variance(numbers: Sequence[Decimal], *, sample: bool) -> Decimal:
    """The variance of a sample or of all."""
    count = len(numbers) - sample
    if count <= 0:
        raise Fault(DIV0, "There are too few numbers.")
    return DIVIDED.divide(_squares(numbers), Decimal(count))


def deviation(numbers: Sequence[Decimal], *, sample: bool) -> Decimal:
    """The standard deviation of a sample or of all."""
    return DIVIDED.sqrt(variance(numbers, sample=sample))


@sheet_function("statistics", "STDEV.S", aliases=("STDEV",), area=True)
def stdev_s(*numbers: Given) -> Value:
    """The standard deviation of a sample. `=STDEV.S(B2:B13)`"""
    return deviation(list(numbers_of(numbers)), sample=True)


@sheet_function("statistics", "STDEV.P", aliases=("STDEVP",), area=True)
def stdev_p(*numbers: Given) -> Value:
    """The standard deviation of all. `=STDEV.P(B2:B13)`"""
    return deviation(list(numbers_of(numbers)), sample=False)


@sheet_function("statistics", "VAR.S", aliases=("VAR",), area=True)
def var_s(*numbers: Given) -> Value:
    """The variance of a sample. `=VAR.S(B2:B13)`"""
    return variance(list(numbers_of(numbers)), sample=True)


@sheet_function("statistics", "VAR.P", aliases=("VARP",), area=True)
def var_p(*numbers: Given) -> Value:
    """The variance of all. `=VAR.P(B2:B13)`"""
    return variance(list(numbers_of(numbers)), sample=False)


@sheet_function("statistics", area=True)
def AVEDEV(*numbers: Given) -> Value:
    """The average distance from the average. `=AVEDEV(B2:B13)`"""
    found = list(numbers_of(numbers))
    average = mean(found)
    return mean([abs(number - average) for number in found])


@sheet_function("statistics", area=True)
def DEVSQ(*numbers: Given) -> Value:
    """The squares of distances from the average, added up. `=DEVSQ(B2:B13)`"""
    return _squares(list(numbers_of(numbers)))


@sheet_function("statistics", area=True)
def GEOMEAN(*numbers: Given) -> Value:
    """The geometric mean. `=GEOMEAN(2, 8)` is 4"""
    found = list(numbers_of(numbers))
    if not found or any(number <= 0 for number in found):
        raise Fault(NUM, "Only positive numbers.")
    return DIVIDED.exp(mean([DIVIDED.ln(number) for number in found]))


@sheet_function("statistics", area=True)
def HARMEAN(*numbers: Given) -> Value:
    """The harmonic mean. `=HARMEAN(2, 6)` is 3"""
    found = list(numbers_of(numbers))
    if not found or any(number <= 0 for number in found):
        raise Fault(NUM, "Only positive numbers.")
    return DIVIDED.divide(ONE, mean([DIVIDED.divide(ONE, number) for number in found]))


@sheet_function("statistics")
def TRIMMEAN(area: Cells, part: Number) -> Value:
    """The average without a part of the largest and smallest. `=TRIMMEAN(B2:B13, 0.2)`"""
    numbers = sorted(_numbers(area))
    if not 0 <= part < 1:
        raise Fault(NUM, "Give a part from 0 to below 1.")
    cut = int(len(numbers) * part / 2)
    return mean(numbers[cut : len(numbers) - cut])


def at_part(numbers: Sequence[Decimal], part: Decimal, *, inclusive: bool = True) -> Decimal:
    """The number below which a part of the others lies, between two of them where it falls there."""
    ordered = sorted(numbers)
    count = len(ordered)
    place = part * (count - 1) if inclusive else part * (count + 1) - 1
    if not ordered or not 0 <= part <= 1 or place < 0 or place > count - 1:
        raise Fault(NUM, "Give a part from 0 to 1 that lies among the numbers.")
    low = int(place.to_integral_value(rounding=ROUND_FLOOR))
    rest = place - low
    return ordered[low] if not rest else ordered[low] + (ordered[low + 1] - ordered[low]) * rest


@sheet_function("statistics", "PERCENTILE.INC", aliases=("PERCENTILE",))
def percentile_inc(area: Cells, part: Number) -> Value:
    """The number below which a part lies. `=PERCENTILE.INC(B2:B13, 0.9)`"""
    return at_part(_numbers(area), part)


@sheet_function("statistics", "PERCENTILE.EXC")
def percentile_exc(area: Cells, part: Number) -> Value:
    """The number below which a part lies, ends left out. `=PERCENTILE.EXC(B2:B13, 0.9)`"""
    return at_part(_numbers(area), part, inclusive=False)


@sheet_function("statistics", "QUARTILE.INC", aliases=("QUARTILE",))
def quartile_inc(area: Cells, quarter: Whole) -> Value:
    """The number below which so many quarters lie. `=QUARTILE.INC(B2:B13, 1)`"""
    return at_part(_numbers(area), Decimal(quarter) / 4)


@sheet_function("statistics", "QUARTILE.EXC")
def quartile_exc(area: Cells, quarter: Whole) -> Value:
    """The number below which so many quarters lie, ends left out. `=QUARTILE.EXC(B2:B13, 1)`"""
    if not 1 <= quarter <= 3:
        raise Fault(NUM, "Give 1, 2 or 3.")
    return at_part(_numbers(area), Decimal(quarter) / 4, inclusive=False)


def _pairs(first: Array, second: Array) -> list[tuple[Decimal, Decimal]]:
    if first.height * first.width != second.height * second.width:
        raise Fault(NA, "The areas are of different sizes.")
    found = []
    for a, b in zip(first.flat(), second.flat(), strict=True):
        for cell in (a, b):
            if isinstance(cell, SheetError):
                raise Fault(cell)
        if type(a) is Decimal and type(b) is Decimal:
            found.append((a, b))
    return found


def _products(pairs: Sequence[tuple[Decimal, Decimal]]) -> tuple[Decimal, Decimal, Decimal, Decimal, Decimal]:
    """Averages of both, and sums of the products and squares of distances from them."""
    average_a, average_b = mean([a for a, _ in pairs]), mean([b for _, b in pairs])
    both = total((a - average_a) * (b - average_b) for a, b in pairs)
    return (
        average_a,
        average_b,
        both,
        total((a - average_a) ** 2 for a, _ in pairs),
        total((b - average_b) ** 2 for _, b in pairs),
    )


@sheet_function("statistics", aliases=("PEARSON",))
def CORREL(first: Cells, second: Cells) -> Value:
    """How closely two rows of numbers go together, -1 to 1. `=CORREL(B2:B13, C2:C13)`"""
    _, _, both, a, b = _products(_pairs(first, second))
    if a == 0 or b == 0:
        raise Fault(DIV0)
    return DIVIDED.divide(both, DIVIDED.sqrt(a * b))


@sheet_function("statistics")
def RSQ(known_y: Cells, known_x: Cells) -> Value:
    """The square of the correlation. `=RSQ(B2:B13, C2:C13)`"""
    _, _, both, a, b = _products(_pairs(known_y, known_x))
    if a == 0 or b == 0:
        raise Fault(DIV0)
    return DIVIDED.divide(both * both, a * b)


def _line(known_y: Array, known_x: Array) -> tuple[Decimal, Decimal]:
    average_y, average_x, both, _, squares = _products(_pairs(known_y, known_x))
    if squares == 0:
        raise Fault(DIV0, "All x are alike.")
    slope = DIVIDED.divide(both, squares)
    return slope, average_y - slope * average_x


@sheet_function("statistics")
def SLOPE(known_y: Cells, known_x: Cells) -> Value:
    """How steep the best line through points is. `=SLOPE(B2:B13, A2:A13)`"""
    return _line(known_y, known_x)[0]


@sheet_function("statistics")
def INTERCEPT(known_y: Cells, known_x: Cells) -> Value:
    """Where the best line through points begins. `=INTERCEPT(B2:B13, A2:A13)`"""
    return _line(known_y, known_x)[1]


@sheet_function("statistics", "FORECAST.LINEAR", aliases=("FORECAST",))
def forecast(x: Number, known_y: Cells, known_x: Cells) -> Value:
    """What the best line through points gives elsewhere. `=FORECAST.LINEAR(13, B2:B13, A2:A13)`"""
    slope, start = _line(known_y, known_x)
    return start + slope * x


@sheet_function("statistics", "COVARIANCE.P")
def covariance_p(first: Cells, second: Cells) -> Value:
    """How two rows of numbers vary together, of all. `=COVARIANCE.P(B2:B13, C2:C13)`"""
    pairs = _pairs(first, second)
    return DIVIDED.divide(_products(pairs)[2], Decimal(len(pairs)))


@sheet_function("statistics", "COVARIANCE.S")
def covariance_s(first: Cells, second: Cells) -> Value:
    """How two rows of numbers vary together, of a sample. `=COVARIANCE.S(B2:B13, C2:C13)`"""
    pairs = _pairs(first, second)
    if len(pairs) < 2:
        raise Fault(DIV0)
    return DIVIDED.divide(_products(pairs)[2], Decimal(len(pairs) - 1))


@sheet_function("statistics")
def STANDARDIZE(number: Number, average: Number, spread: Number) -> Value:
    """How many deviations a number is from the average. `=STANDARDIZE(42, 40, 1.5)`"""
    if spread <= 0:
        raise Fault(NUM, "The deviation has to be positive.")
    return DIVIDED.divide(number - average, spread)
