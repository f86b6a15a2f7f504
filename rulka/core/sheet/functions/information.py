"""What kind of value something is, and plain logic."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from decimal import Decimal

from rulka.core.sheet.environment import Environment
from rulka.core.sheet.registry import Flag, Given, Number, Single, sheet_function
from rulka.core.sheet.values import (
    ERRORS,
    NA,
    VALUE,
    Array,
    Fault,
    Scalar,
    SheetError,
    Value,
    array_of,
    as_flag,
)


def _flags(values: Sequence[Value]) -> list[bool]:
    found = []
    for value in values:
        if isinstance(value, Array) or hasattr(value, "array"):
            for cell in array_of(value).flat():
                if isinstance(cell, SheetError):
                    raise Fault(cell)
                if isinstance(cell, (bool, Decimal)):
                    found.append(as_flag(cell))
        else:
            found.append(as_flag(value))
    if not found:
        raise Fault(VALUE, "There is nothing that is TRUE or FALSE.")
    return found


@sheet_function("logic", "AND", area=True)
def and_(*tests: Given) -> Value:
    """Whether all tests hold. `=AND(B2>0, C2>0)`"""
    return all(_flags(tests))


@sheet_function("logic", "OR", area=True)
def or_(*tests: Given) -> Value:
    """Whether any test holds. `=OR(B2>0, C2>0)`"""
    return any(_flags(tests))


@sheet_function("logic", "XOR", area=True)
def xor_(*tests: Given) -> Value:
    """Whether an odd number of tests holds. `=XOR(TRUE, FALSE)` is TRUE"""
    return sum(_flags(tests)) % 2 == 1


@sheet_function("logic", "NOT")
def not_(test: Flag) -> Value:
    """The opposite. `=NOT(B2>0)`"""
    return not test


@sheet_function("logic", "TRUE")
def true_() -> Value:
    """TRUE. `=TRUE()`"""
    return True


@sheet_function("logic", "FALSE")
def false_() -> Value:
    """FALSE. `=FALSE()`"""
    return False


def _asks(name: str, holds: Callable[[Scalar], bool], words: str) -> None:
    def body(value: Single) -> Value:
        return holds(value)

    body.__doc__ = words
    sheet_function("information", name, takes_errors=True)(body)


_asks("ISBLANK", lambda value: value is None, "Whether a cell is empty. `=ISBLANK(B2)`")
_asks("ISNUMBER", lambda value: isinstance(value, Decimal), "Whether a value is a number. `=ISNUMBER(B2)`")
_asks("ISTEXT", lambda value: isinstance(value, str), "Whether a value is text. `=ISTEXT(B2)`")
_asks("ISNONTEXT", lambda value: not isinstance(value, str), "Whether a value is no text. `=ISNONTEXT(B2)`")
_asks("ISLOGICAL", lambda value: isinstance(value, bool), "Whether a value is TRUE or FALSE. `=ISLOGICAL(B2)`")
_asks("ISERROR", lambda value: isinstance(value, SheetError), "Whether a value is an error. `=ISERROR(B2)`")
_asks(
    "ISERR",
    lambda value: isinstance(value, SheetError) and value.code != NA.code,
    "Whether a value is an error other than #N/A. `=ISERR(B2)`",
)
_asks(
    "ISNA",
    lambda value: isinstance(value, SheetError) and value.code == NA.code,
    "Whether a value is #N/A. `=ISNA(B2)`",
)


@sheet_function("information")
def ISEVEN(number: Number) -> Value:
    """Whether a whole number is even. `=ISEVEN(4)` is TRUE"""
    return int(number) % 2 == 0


@sheet_function("information")
def ISODD(number: Number) -> Value:
    """Whether a whole number is odd. `=ISODD(4)` is FALSE"""
    return int(number) % 2 == 1


@sheet_function("information", area=True, takes_errors=True, needs=True)
def ISFORMULA(environment: Environment, cell: Given) -> Value:
    """Whether a cell holds a formula. `=ISFORMULA(B2)`"""
    if not hasattr(cell, "box"):
        raise Fault(VALUE, "Refer to a cell.")
    return (cell.sheet, cell.box.top, cell.box.left) in cell.calculation.formulas


@sheet_function("information", area=True, takes_errors=True)
def FORMULATEXT(cell: Given) -> Value:
    """The formula that a cell holds. `=FORMULATEXT(B2)`"""
    if not hasattr(cell, "box"):
        raise Fault(VALUE, "Refer to a cell.")
    text = cell.calculation.sheets[cell.sheet].cells.get((cell.box.top, cell.box.left), "")
    if not text.startswith("="):
        raise Fault(NA, "The cell holds no formula.")
    return text


@sheet_function("information", area=True, takes_errors=True)
def ISREF(value: Given) -> Value:
    """Whether a value is a reference. `=ISREF(B2)` is TRUE"""
    return hasattr(value, "box")


@sheet_function("information", "NA")
def na_() -> Value:
    """The error #N/A. `=NA()`"""
    return NA


@sheet_function("information", takes_errors=True)
def TYPE(value: Given) -> Value:
    """A number for the kind of a value: 1 number, 2 text, 4 logical, 16 error, 64 several. `=TYPE("a")` is 2"""
    array = array_of(value)
    if array.height * array.width > 1:
        return Decimal(64)
    cell = array.rows[0][0]
    kinds = ((bool, 4), (Decimal, 1), (str, 2), (SheetError, 16))
    return Decimal(next((number for kind, number in kinds if isinstance(cell, kind)), 1))


@sheet_function("information", "ERROR.TYPE", takes_errors=True)
def error_type(value: Single) -> Value:
    """A number for the kind of an error. `=ERROR.TYPE(NA())` is 7"""
    order = ["#NULL!", "#DIV/0!", "#VALUE!", "#REF!", "#NAME?", "#NUM!", "#N/A"]
    if not isinstance(value, SheetError):
        raise Fault(NA, "The value is no error.")
    return Decimal(order.index(value.code) + 1) if value.code in order else Decimal(len(ERRORS))
