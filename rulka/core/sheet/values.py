"""What cells hold: empty, logical, exact numbers, text, errors as values, arrays; and how each becomes another."""

from __future__ import annotations

import re
from collections.abc import Callable, Hashable, Iterator, Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from decimal import ROUND_HALF_UP, Context, Decimal, DivisionByZero, InvalidOperation, Overflow
from typing import Any, Final

from rulka.core.sheet.addresses import MOST_COLUMNS, MOST_ROWS

EXACT = Context(prec=60, rounding=ROUND_HALF_UP, Emax=307, Emin=-323, traps=[InvalidOperation, Overflow])
"""In which sums, differences and products are made: amounts never need more digits."""

DIVIDED = Context(
    prec=28, rounding=ROUND_HALF_UP, Emax=307, Emin=-323, traps=[InvalidOperation, Overflow, DivisionByZero]
)
"""In which division, powers and finance are made."""

MOST_TEXT = 32_767
MOST_CELLS = MOST_ROWS * MOST_COLUMNS
ZERO, ONE = Decimal(0), Decimal(1)


@dataclass(frozen=True)
class SheetError:
    """An error as a value: its code, and in words what is wrong and what is expected."""

    code: str
    note: str = ""
    questions: tuple[Hashable, ...] = ()
    """Only while a cell is traced: what the ledger was asked for it."""


DIV0 = SheetError("#DIV/0!", "A number is divided by zero.")
REF = SheetError("#REF!", "It refers to cells that are not there.")
NAME = SheetError("#NAME?", "A name isn't known.")
VALUE = SheetError("#VALUE!", "A value is of another kind than expected.")
NA = SheetError("#N/A", "Nothing was found.")
NUM = SheetError("#NUM!", "A number is out of bounds.")
SPILL = SheetError("#SPILL!", "The cells it would fill are not empty.")
CIRC = SheetError("#CIRC!", "It refers to itself.")
NULL = SheetError("#NULL!", "The areas have no cell in common.")
ERRORS: Final = {error.code: error for error in (DIV0, REF, NAME, VALUE, NA, NUM, SPILL, CIRC, NULL)}

PENDING: Final = SheetError("#PENDING", "The ledger is asked.")
"""What waits for an answer of the ledger: goes before every error and through what catches errors."""

ASKED: Final = "#ASKED"
"""The code of what stands for an answer while a cell is traced."""


def foremost(errors: Sequence[SheetError]) -> SheetError:
    """Which of several errors a value shows: what waits, else the first; traced ones together."""
    first = next((error for error in errors if error is PENDING), errors[0])
    if first.questions:
        return SheetError(ASKED, "", tuple(dict.fromkeys(asked for error in errors for asked in error.questions)))
    return first


Scalar = None | bool | Decimal | str | SheetError


class Fault(Exception):
    """Ends a function with an error value."""

    def __init__(self, error: SheetError, note: str = "") -> None:
        super().__init__(note or error.note)
        self.error = SheetError(error.code, note) if note else error


class Array:
    """Rows of scalars, all of one length; `looks` are number formats of its columns, where known."""

    __slots__ = ("looks", "rows")

    def __init__(self, rows: Sequence[Sequence[Scalar]], looks: tuple[str, ...] = ()) -> None:
        if not rows or not rows[0]:
            raise Fault(SheetError("#VALUE!", "An array is empty."))
        if len(rows) * len(rows[0]) > MOST_CELLS:
            raise Fault(NUM, f"An array holds more than {MOST_CELLS:,} cells.")
        self.rows = rows
        self.looks = looks

    @property
    def height(self) -> int:
        return len(self.rows)

    @property
    def width(self) -> int:
        return len(self.rows[0])

    def flat(self) -> Iterator[Scalar]:
        for row in self.rows:
            yield from row

    def at(self, row: int, column: int) -> Scalar:
        return self.rows[row][column]

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Array) and [list(row) for row in self.rows] == [list(row) for row in other.rows]

    def __hash__(self) -> int:
        return hash(tuple(tuple(row) for row in self.rows))

    def __repr__(self) -> str:
        return f"Array({self.rows!r})"


Value = Any
"""A scalar, an `Array`, or the area of cells that a reference means (`Area` of the calculation)."""


def array_of(value: Value) -> Array:
    """Any value as an array, an area as the array of its cells."""
    if isinstance(value, Array):
        return value
    if hasattr(value, "array"):
        found: Array = value.array()
        return found
    return Array([[value]])


def single(value: Value) -> Value:
    """An array or area of one cell as that cell."""
    if isinstance(value, Array) or hasattr(value, "array"):
        array = array_of(value)
        return array.rows[0][0] if array.height == array.width == 1 else array
    return value


def is_error(value: Value) -> bool:
    return isinstance(value, SheetError)


# one kind to another -------------------------------------------------------------------------------------------------

NUMBER = re.compile(r"[+-]?(?:[0-9]+(?:\.[0-9]*)?|\.[0-9]+)(?:[eE][+-]?[0-9]{1,3})?", re.ASCII)
GROUPED = re.compile(r"[+-]?[0-9]{1,3}(?:([, \u00a0\u202f'\u2019])[0-9]{3})(?:\1[0-9]{3})*(?:\.[0-9]+)?", re.ASCII)
ISO_DAY = re.compile(r"([0-9]{4})-([0-9]{2})-([0-9]{2})", re.ASCII)
EPOCH = date(1899, 12, 30)
FIRST_SERIAL, LAST_SERIAL = 1, 2_958_465


def number_in(text: str) -> Decimal | None:
    """The number that a text reads as: plain, grouped in thousands, with a percent sign, or a day; else None."""
    text = text.strip().replace("\u2212", "-")
    scale = 0
    if text.endswith("%"):
        text, scale = text[:-1].rstrip(), -2
    if GROUPED.fullmatch(text):
        text = re.sub(r"[, \u00a0\u202f'\u2019]", "", text)
    if NUMBER.fullmatch(text) and len(text) <= 60:
        found = Decimal(text)
        if found.adjusted() > 307:
            return None
        return found.scaleb(scale) if scale else found
    if scale == 0 and (day := day_in(text)) is not None:
        return Decimal((day - EPOCH).days)
    return None


def day_in(text: str) -> date | None:
    """`2026-10-15` as a day; no other writing is one."""
    found = ISO_DAY.fullmatch(text.strip())
    if found is None:
        return None
    try:
        return date(int(found[1]), int(found[2]), int(found[3]))
    except ValueError:
        return None


def serial(day: date) -> Decimal:
    """A day as the number that stands for it."""
    return Decimal((day - EPOCH).days)


def day_of(value: Decimal) -> date:
    """The day that a number stands for."""
    whole = int(value.to_integral_value(rounding="ROUND_FLOOR"))
    if not 0 <= whole <= LAST_SERIAL:
        raise Fault(NUM, f"{general(value)} stands for no day.")
    return EPOCH + timedelta(days=whole)


def moment_of(value: Decimal) -> datetime:
    """The moment that a number with a fraction of a day stands for, to the second."""
    day = day_of(value)
    seconds = int(((value % 1) * 86_400).to_integral_value(rounding=ROUND_HALF_UP))
    return datetime(day.year, day.month, day.day) + timedelta(seconds=seconds)


def as_number(value: Scalar) -> Decimal:
    """A scalar as a number: logical 1 and 0, empty 0, text that reads as one; Fault otherwise."""
    if isinstance(value, Decimal):
        return value
    if value is None or value is False:
        return ZERO
    if value is True:
        return ONE
    if isinstance(value, str):
        found = number_in(value)
        if found is None:
            raise Fault(VALUE, f"'{value[:40]}' is not a number.")
        return found
    raise Fault(value)


def general(value: Decimal) -> str:
    """A number as plain text, at most 15 digits, no grouping."""
    if value == 0:
        return "0"
    if value.adjusted() > 20 or value.adjusted() < -9:
        rounded = Context(prec=15, rounding=ROUND_HALF_UP).create_decimal(value).normalize()
        mantissa, _, exponent = f"{rounded:E}".partition("E")
        return f"{mantissa}E{int(exponent):+03d}"
    digits = max(15, value.adjusted() + 1)
    text = f"{Context(prec=digits, rounding=ROUND_HALF_UP).create_decimal(value):f}"
    return text.rstrip("0").rstrip(".") if "." in text else text


def as_text(value: Scalar) -> str:
    """A scalar as text: numbers plain, logical TRUE and FALSE, empty nothing; Fault for an error."""
    if isinstance(value, str):
        return value
    if value is None:
        return ""
    if value is True:
        return "TRUE"
    if value is False:
        return "FALSE"
    if isinstance(value, Decimal):
        return general(value)
    raise Fault(value)


def as_flag(value: Scalar) -> bool:
    """A scalar as logical: numbers but zero are true, empty is false, text only TRUE and FALSE."""
    if isinstance(value, bool):
        return value
    if value is None:
        return False
    if isinstance(value, Decimal):
        return value != 0
    if isinstance(value, str):
        found = {"TRUE": True, "FALSE": False}.get(value.strip().upper())
        if found is None:
            raise Fault(VALUE, f"'{value[:40]}' is neither TRUE nor FALSE.")
        return found
    raise Fault(value)


def rank(value: Scalar) -> tuple[int, Any]:
    """How values of different kinds are ordered: numbers, text whatever its case, logical, errors, empty last."""
    if isinstance(value, bool):
        return 2, value
    if isinstance(value, Decimal):
        return 0, value
    if isinstance(value, str):
        return 1, value.casefold()
    if value is None:
        return 4, 0
    return 3, value.code


def compare(left: Scalar, right: Scalar) -> int:
    """-1, 0 or 1; an empty cell equals zero, empty text and FALSE."""
    if left is None:
        left = "" if isinstance(right, str) else False if isinstance(right, bool) else ZERO
    if right is None:
        right = "" if isinstance(left, str) else False if isinstance(left, bool) else ZERO
    one, other = rank(left), rank(right)
    return (one > other) - (one < other)


def spread(function: Callable[..., Scalar], values: Sequence[Value]) -> Value:
    """A function of scalars over arrays: cell by cell, rows and columns of one repeated, #N/A where one has none."""
    arrays = [array_of(value) for value in values]
    height, width = max(array.height for array in arrays), max(array.width for array in arrays)

    def cell(array: Array, row: int, column: int) -> Scalar:
        row, column = 0 if array.height == 1 else row, 0 if array.width == 1 else column
        return array.rows[row][column] if row < array.height and column < array.width else NA

    if height * width > MOST_CELLS:
        return SheetError("#NUM!", f"An array holds more than {MOST_CELLS:,} cells.")
    rows = [
        [function(*(cell(array, row, column) for array in arrays)) for column in range(width)] for row in range(height)
    ]
    looks = next((array.looks for array in arrays if array.looks and array.width == width), ())
    return PENDING if any(value is PENDING for row in rows for value in row) else Array(rows, looks)
