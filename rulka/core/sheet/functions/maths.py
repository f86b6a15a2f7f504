"""Sums, rounding, and what else is done to plain numbers."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from decimal import ROUND_CEILING, ROUND_DOWN, ROUND_FLOOR, ROUND_HALF_UP, ROUND_UP, Decimal

from rulka.core.sheet.functions.criteria import chosen, over_conditions
from rulka.core.sheet.registry import Cells, Given, Number, Text, Whole, sheet_function
from rulka.core.sheet.values import (
    DIV0,
    DIVIDED,
    EXACT,
    NUM,
    ONE,
    VALUE,
    ZERO,
    Array,
    Fault,
    Scalar,
    SheetError,
    Value,
    array_of,
    as_number,
)


def numbers_of(values: Sequence[Value]) -> Iterator[Decimal]:
    """The numbers among some arguments: of areas only what are numbers, of single values what reads as one."""
    for value in values:
        if isinstance(value, Array) or hasattr(value, "array"):
            for row in array_of(value).rows:
                for cell in row:
                    if type(cell) is Decimal:
                        yield cell
                    elif isinstance(cell, SheetError):
                        raise Fault(cell)
        elif value is not None:
            yield as_number(value)


def total(numbers: Iterator[Decimal]) -> Decimal:
    """Exact sum."""
    found = ZERO
    for number in numbers:
        found = EXACT.add(found, number)
    return found


@sheet_function("math", area=True)
def SUM(*numbers: Given) -> Value:
    """Adds up numbers; text and empty cells of areas count nothing. `=SUM(C5:C12)`"""
    return total(numbers_of(numbers))


@sheet_function("math", area=True)
def SUMSQ(*numbers: Given) -> Value:
    """Adds up the squares of numbers. `=SUMSQ(3, 4)` is 25"""
    return total(number * number for number in numbers_of(numbers))


@sheet_function("math", area=True)
def PRODUCT(*numbers: Given) -> Value:
    """Multiplies numbers. `=PRODUCT(2, 3, 4)` is 24"""
    found, any_number = ONE, False
    for number in numbers_of(numbers):
        found, any_number = found * number, True
    return found if any_number else ZERO


@sheet_function("math")
def SUMPRODUCT(first: Cells, *further: Cells) -> Value:
    """Multiplies areas of one size cell by cell and adds up the products. `=SUMPRODUCT(B2:B9, C2:C9)`"""
    result = ZERO
    for other in further:
        if (other.height, other.width) != (first.height, first.width):
            raise Fault(VALUE, "The areas are of different sizes.")
    for cells in zip(first.flat(), *(other.flat() for other in further), strict=True):
        product = ONE
        for cell in cells:
            if isinstance(cell, SheetError):
                raise Fault(cell)
            product *= cell if type(cell) is Decimal else ZERO
        result += product
    return result


@sheet_function("math", area=True)
def SUMIF(area: Given, condition: Given, sum_area: Given = None) -> Value:
    """Adds up the cells whose partner meets a condition. `=SUMIF(A2:A9, "4*", B2:B9)`"""
    return over_conditions(lambda pairs: _summed(area if sum_area is None else sum_area, pairs), [area, condition])


@sheet_function("math", area=True)
def SUMIFS(sum_area: Given, area: Given, condition: Given, *further: Given) -> Value:
    """Adds up the cells whose partners meet every condition. `=SUMIFS(D2:D99, A2:A99, "4*", B2:B99, ">0")`"""
    return over_conditions(lambda pairs: _summed(sum_area, pairs), [area, condition, *further])


def cells_at(values: Value, places: Sequence[int], like: Array) -> Iterator[Scalar]:
    """The cells of an area at some places of another one of the same size."""
    array = array_of(values)
    if (array.height, array.width) != (like.height, like.width):
        raise Fault(VALUE, "The areas are of different sizes.")
    cells = [cell for row in array.rows for cell in row]
    return (cells[place] for place in places)


def chosen_numbers(values: Value, pairs: Sequence[Value]) -> list[Decimal]:
    """The numbers of an area whose partners meet every condition."""
    places, first = chosen(pairs)
    found = []
    for cell in cells_at(values, places, first):
        if isinstance(cell, SheetError):
            raise Fault(cell)
        if type(cell) is Decimal:
            found.append(cell)
    return found


def _summed(values: Value, pairs: Sequence[Value]) -> Decimal:
    return total(iter(chosen_numbers(values, pairs)))


@sheet_function("math")
def ABS(number: Number) -> Value:
    """A number without its sign. `=ABS(-5)` is 5"""
    return abs(number)


@sheet_function("math")
def SIGN(number: Number) -> Value:
    """-1, 0 or 1. `=SIGN(-5)` is -1"""
    return Decimal((number > 0) - (number < 0))


@sheet_function("math")
def INT(number: Number) -> Value:
    """The next whole number below. `=INT(-1.5)` is -2"""
    return number.to_integral_value(rounding=ROUND_FLOOR)


def rounded(number: Decimal, digits: int, how: str) -> Decimal:
    """A number to so many decimals; negative digits round before the point."""
    if abs(digits) > 300:
        return number if digits > 0 else ZERO
    unit = Decimal(1).scaleb(-digits)
    exponent = number.as_tuple().exponent
    if digits >= 0 and isinstance(exponent, int) and exponent >= -digits:
        return number
    return EXACT.multiply(
        (number / unit if digits < 0 else number.scaleb(digits)).to_integral_value(rounding=how), unit
    )


@sheet_function("math")
def ROUND(number: Number, digits: Whole = 0) -> Value:
    """Rounds to so many decimals, half away from zero. `=ROUND(2.345, 2)` is 2.35"""
    return rounded(number, digits, ROUND_HALF_UP)


@sheet_function("math")
def ROUNDUP(number: Number, digits: Whole = 0) -> Value:
    """Rounds away from zero. `=ROUNDUP(2.341, 2)` is 2.35"""
    return rounded(number, digits, ROUND_UP)


@sheet_function("math")
def ROUNDDOWN(number: Number, digits: Whole = 0) -> Value:
    """Rounds towards zero. `=ROUNDDOWN(2.349, 2)` is 2.34"""
    return rounded(number, digits, ROUND_DOWN)


@sheet_function("math")
def TRUNC(number: Number, digits: Whole = 0) -> Value:
    """Cuts off decimals. `=TRUNC(-2.9)` is -2"""
    return rounded(number, digits, ROUND_DOWN)


@sheet_function("math")
def MROUND(number: Number, multiple: Number) -> Value:
    """The nearest multiple. `=MROUND(17, 5)` is 15"""
    if multiple == 0 or number == 0:
        return ZERO
    if (number > 0) != (multiple > 0):
        raise Fault(NUM, "Number and multiple have different signs.")
    return DIVIDED.divide(number, multiple).to_integral_value(rounding=ROUND_HALF_UP) * multiple


def _to_multiple(number: Decimal, step: Decimal, how: str) -> Decimal:
    return DIVIDED.divide(number, step).to_integral_value(rounding=how) * step


@sheet_function("math")
def CEILING(number: Number, step: Number) -> Value:
    """The next multiple of a step away from zero, or up. `=CEILING(17, 5)` is 20"""
    if step == 0:
        return ZERO
    if number > 0 > step:
        raise Fault(NUM, "A positive number has no negative step.")
    return _to_multiple(number, step, ROUND_CEILING)


@sheet_function("math")
def FLOOR(number: Number, step: Number) -> Value:
    """The next multiple of a step towards zero, or down. `=FLOOR(17, 5)` is 15"""
    if number == 0:
        return ZERO
    if step == 0:
        raise Fault(DIV0)
    if number > 0 > step:
        raise Fault(NUM, "A positive number has no negative step.")
    return _to_multiple(number, step, ROUND_FLOOR)


@sheet_function("math", "CEILING.MATH")
def ceiling_math(number: Number, step: Number = ONE, mode: Number = ZERO) -> Value:
    """The next multiple of a step upwards; with a mode, negative numbers go down. `=CEILING.MATH(-4.1)` is -4"""
    if step == 0:
        return ZERO
    return _to_multiple(number, abs(step), ROUND_FLOOR if mode and number < 0 else ROUND_CEILING)


@sheet_function("math", "FLOOR.MATH")
def floor_math(number: Number, step: Number = ONE, mode: Number = ZERO) -> Value:
    """The next multiple of a step downwards; with a mode, negative numbers go up. `=FLOOR.MATH(4.9)` is 4"""
    if step == 0:
        return ZERO
    return _to_multiple(number, abs(step), ROUND_CEILING if mode and number < 0 else ROUND_FLOOR)


@sheet_function("math")
def EVEN(number: Number) -> Value:
    """The next even number away from zero. `=EVEN(3)` is 4"""
    return (number / 2).to_integral_value(rounding=ROUND_UP) * 2


@sheet_function("math")
def ODD(number: Number) -> Value:
    """The next odd number away from zero. `=ODD(2)` is 3"""
    if number == 0:
        return ONE
    size = ((abs(number) - 1) / 2).to_integral_value(rounding=ROUND_CEILING) * 2 + 1
    return max(size, ONE).copy_sign(number)


@sheet_function("math")
def MOD(number: Number, divisor: Number) -> Value:
    """What is left of a division, with the divisor's sign. `=MOD(-3, 2)` is 1"""
    if divisor == 0:
        raise Fault(DIV0)
    whole = EXACT.divide(number, divisor).to_integral_value(rounding=ROUND_FLOOR)
    return number - divisor * whole


@sheet_function("math")
def QUOTIENT(number: Number, divisor: Number) -> Value:
    """A division without its rest. `=QUOTIENT(7, 2)` is 3"""
    if divisor == 0:
        raise Fault(DIV0)
    return EXACT.divide(number, divisor).to_integral_value(rounding=ROUND_DOWN)


@sheet_function("math")
def POWER(number: Number, exponent: Number) -> Value:
    """A number to a power. `=POWER(1.05, 3)`"""
    from rulka.core.sheet.evaluating import ARITHMETIC

    return ARITHMETIC["^"](number, exponent)


@sheet_function("math")
def SQRT(number: Number) -> Value:
    """The square root. `=SQRT(16)` is 4"""
    if number < 0:
        raise Fault(NUM, "A negative number has no square root.")
    return DIVIDED.sqrt(number)


@sheet_function("math")
def EXP(number: Number) -> Value:
    """e to a power. `=EXP(1)`"""
    if number > 700:
        raise Fault(NUM)
    return DIVIDED.exp(number)


@sheet_function("math")
def LN(number: Number) -> Value:
    """The natural logarithm. `=LN(2.718281828)`"""
    if number <= 0:
        raise Fault(NUM, "Only positive numbers have a logarithm.")
    return DIVIDED.ln(number)


@sheet_function("math")
def LOG(number: Number, base: Number = Decimal(10)) -> Value:
    """The logarithm to a base, 10 by default. `=LOG(8, 2)` is 3"""
    if number <= 0 or base <= 0:
        raise Fault(NUM, "Only positive numbers have a logarithm.")
    if base == 1:
        raise Fault(DIV0)
    found = DIVIDED.divide(DIVIDED.ln(number), DIVIDED.ln(base))
    near = found.to_integral_value()
    return near if abs(found - near) < Decimal("1e-25") else found


@sheet_function("math")
def LOG10(number: Number) -> Value:
    """The logarithm to base 10. `=LOG10(1000)` is 3"""
    if number <= 0:
        raise Fault(NUM, "Only positive numbers have a logarithm.")
    return DIVIDED.log10(number)


@sheet_function("math")
def PI() -> Value:
    """The number pi. `=PI()`"""
    return Decimal("3.141592653589793238462643383")


@sheet_function("math")
def FACT(number: Whole) -> Value:
    """The factorial. `=FACT(5)` is 120"""
    if not 0 <= number <= 170:
        raise Fault(NUM, "Give a number from 0 to 170.")
    return EXACT.create_decimal(math.factorial(number))


@sheet_function("math")
def COMBIN(number: Whole, chosen: Whole) -> Value:
    """In how many ways so many can be chosen. `=COMBIN(5, 2)` is 10"""
    if not 0 <= chosen <= number or number > 5_000:
        raise Fault(NUM, "Choose from 0 to as many as there are.")
    return _fitting(math.comb(number, chosen))


@sheet_function("math")
def PERMUT(number: Whole, chosen: Whole) -> Value:
    """In how many orders so many can be chosen. `=PERMUT(5, 2)` is 20"""
    if not 0 <= chosen <= number or number > 5_000:
        raise Fault(NUM, "Choose from 0 to as many as there are.")
    return _fitting(math.perm(number, chosen))


def _fitting(number: int) -> Decimal:
    if number.bit_length() > 1_020:
        raise Fault(NUM)
    return EXACT.create_decimal(number)


def _whole_numbers(numbers: Sequence[Value]) -> list[int]:
    found = [int(number) for number in numbers_of(numbers)]
    if any(number < 0 or number >= 10**15 for number in found):
        raise Fault(NUM, "Only whole numbers that are not negative.")
    return found


@sheet_function("math", area=True)
def GCD(*numbers: Given) -> Value:
    """The greatest common divisor. `=GCD(12, 18)` is 6"""
    return Decimal(math.gcd(*_whole_numbers(numbers)))


@sheet_function("math", area=True)
def LCM(*numbers: Given) -> Value:
    """The least common multiple. `=LCM(4, 6)` is 12"""
    return _fitting(math.lcm(*_whole_numbers(numbers)))


DIGITS = "0123456789ABCDEFGHIJKLMNOPQRSTUVWXYZ"


@sheet_function("math")
def BASE(number: Whole, radix: Whole, least: Whole = 0) -> Value:
    """A number in another base. `=BASE(255, 16)` is FF"""
    if number < 0 or not 2 <= radix <= 36 or not 0 <= least <= 255:
        raise Fault(NUM)
    text = ""
    while number:
        number, rest = divmod(number, radix)
        text = DIGITS[rest] + text
    return (text or "0").rjust(least, "0")


@sheet_function("math")
def DECIMAL(text: Text, radix: Whole) -> Value:
    """A number written in another base. `=DECIMAL("FF", 16)` is 255"""
    if not 2 <= radix <= 36 or len(text) > 60:
        raise Fault(NUM)
    found = 0
    for character in text.strip().upper():
        digit = DIGITS.find(character)
        if not 0 <= digit < radix:
            raise Fault(NUM, f"'{text[:40]}' is not written in base {radix}.")
        found = found * radix + digit
    return EXACT.create_decimal(found)


ROMAN_PARTS = (
    (1000, "M"), (900, "CM"), (500, "D"), (400, "CD"), (100, "C"), (90, "XC"),
    (50, "L"), (40, "XL"), (10, "X"), (9, "IX"), (5, "V"), (4, "IV"), (1, "I"),
)  # fmt: skip


@sheet_function("math")
def ROMAN(number: Whole) -> Value:
    """A number in Roman figures. `=ROMAN(1999)` is MCMXCIX"""
    if not 0 <= number <= 3999:
        raise Fault(VALUE, "Give a number from 0 to 3999.")
    text = ""
    for size, figure in ROMAN_PARTS:
        count, number = divmod(number, size)
        text += figure * count
    return text


@sheet_function("math")
def MMULT(left: Cells, right: Cells) -> Value:
    """The product of two matrices. `=MMULT(A1:B2, D1:E2)`"""
    if left.width != right.height:
        raise Fault(VALUE, "The first needs as many columns as the second has rows.")
    if left.height * left.width * right.width > 2_000_000:
        raise Fault(NUM, "The matrices are too large.")
    rows = [[_only_number(cell) for cell in row] for row in left.rows]
    columns = [[_only_number(cell) for cell in column] for column in zip(*right.rows, strict=True)]
    return Array([[_dot(row, column) for column in columns] for row in rows])


def _only_number(cell: Scalar) -> Decimal:
    if isinstance(cell, SheetError):
        raise Fault(cell)
    if not isinstance(cell, Decimal):
        raise Fault(VALUE, "Only numbers.")
    return cell


def _dot(row: Sequence[Decimal], column: Sequence[Decimal]) -> Decimal:
    return total(EXACT.multiply(a, b) for a, b in zip(row, column, strict=True))


@sheet_function("math")
def N(value: Given) -> Value:
    """A value as a number: logical as 1 and 0, text as 0. `=N(TRUE)` is 1"""
    cell = array_of(value).rows[0][0]
    cell = ONE if cell is True else ZERO if cell is False else cell
    return cell if isinstance(cell, (Decimal, SheetError)) else ZERO


@sheet_function("math")
def SERIESSUM(number: Number, first: Number, step: Number, coefficients: Cells) -> Value:
    """A power series. `=SERIESSUM(2, 0, 1, {1,1,1})` is 7"""
    from rulka.core.sheet.evaluating import ARITHMETIC

    result = ZERO
    for place, coefficient in enumerate(coefficients.flat()):
        exponent = first + step * place
        power = ONE if exponent == 0 else ARITHMETIC["^"](number, exponent)
        if isinstance(power, SheetError):
            raise Fault(power)
        result += as_number(coefficient) * as_number(power)
    return result
