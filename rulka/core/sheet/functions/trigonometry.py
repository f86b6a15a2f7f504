"""Angles; computed in floating point, to about 15 digits."""

from __future__ import annotations

import math
from collections.abc import Callable
from decimal import Decimal

from rulka.core.sheet.registry import Number, sheet_function
from rulka.core.sheet.values import DIV0, DIVIDED, NUM, Fault, Value

PI_TEXT = Decimal("3.141592653589793238462643383279502884197")


def from_float(number: float) -> Decimal:
    """A floating-point result as a number of 17 digits."""
    if math.isnan(number) or math.isinf(number):
        raise Fault(NUM)
    return Decimal(repr(number))


def _angle(name: str, work: Callable[[float], float], words: str) -> None:
    def body(number: Number) -> Value:
        if abs(number) > 10**15:
            raise Fault(NUM)
        return from_float(work(float(number)))

    body.__doc__ = words
    sheet_function("math", name)(body)


_angle("SIN", math.sin, "The sine of an angle in radians. `=SIN(PI()/2)` is 1")
_angle("COS", math.cos, "The cosine of an angle in radians. `=COS(0)` is 1")
_angle("TAN", math.tan, "The tangent of an angle in radians. `=TAN(0)` is 0")
_angle("ASIN", math.asin, "The angle of a sine. `=ASIN(1)`")
_angle("ACOS", math.acos, "The angle of a cosine. `=ACOS(1)` is 0")
_angle("ATAN", math.atan, "The angle of a tangent. `=ATAN(1)`")
_angle("SINH", math.sinh, "The hyperbolic sine. `=SINH(0)` is 0")
_angle("COSH", math.cosh, "The hyperbolic cosine. `=COSH(0)` is 1")
_angle("TANH", math.tanh, "The hyperbolic tangent. `=TANH(0)` is 0")


@sheet_function("math")
def ATAN2(x: Number, y: Number) -> Value:
    """The angle to a point. `=ATAN2(1, 1)`"""
    if x == 0 and y == 0:
        raise Fault(DIV0)
    return from_float(math.atan2(float(y), float(x)))


@sheet_function("math")
def RADIANS(degrees: Number) -> Value:
    """Degrees as radians. `=RADIANS(180)`"""
    return DIVIDED.divide(degrees * PI_TEXT, Decimal(180))


@sheet_function("math")
def DEGREES(radians: Number) -> Value:
    """Radians as degrees. `=DEGREES(PI())` is 180"""
    return DIVIDED.divide(radians * 180, PI_TEXT)
