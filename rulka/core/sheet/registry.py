"""What a function of the sheet is: its arguments, what becomes of them, how it goes over arrays, and its words.

A function is written as plain Python with annotated parameters; `sheet_function` registers it. Annotations say what an
argument becomes: `Number`, `Whole`, `Text`, `Flag`, `Single` (one scalar as it is), `Cells` (an array), `Given` (as it
came: scalar, array or area). A parameter `*rest` takes any number. Arguments that are single values go over arrays cell
by cell.
"""

from __future__ import annotations

import inspect
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from decimal import Decimal, DivisionByZero, InvalidOperation, Overflow
from functools import cached_property
from typing import Any

from rulka.core.sheet.environment import Environment
from rulka.core.sheet.values import (
    DIV0,
    NUM,
    PENDING,
    Array,
    Fault,
    Scalar,
    SheetError,
    Value,
    array_of,
    as_flag,
    as_number,
    as_text,
    foremost,
    spread,
)

Number = Decimal
Whole = int
Text = str
Flag = bool
Single = Scalar
Cells = Array
Given = Any

SINGLES = ("Number", "Whole", "Text", "Flag", "Single")
EXPECTED = {
    "Number": "a number",
    "Whole": "a whole number",
    "Text": "a text",
    "Flag": "TRUE or FALSE",
    "Cells": "cells",
}


def as_whole(value: Scalar) -> int:
    """A scalar as a whole number: what follows the point is cut off."""
    number = as_number(value)
    if abs(number) >= 10**15:
        raise Fault(NUM, "A number is too large here.")
    return int(number)


def _as_given(value: Value) -> Value:
    return value


CONVERTERS: dict[str, Callable[[Any], Any]] = {
    "Number": as_number,
    "Whole": as_whole,
    "Text": as_text,
    "Flag": as_flag,
    "Single": _as_given,
    "Cells": array_of,
    "Given": _as_given,
}


@dataclass(frozen=True)
class FunctionArgument:
    """One argument of a function: its name, what it becomes, whether it may be left out, whether it repeats."""

    name: str
    kind: str
    default: Any = inspect.Parameter.empty
    repeats: bool = False

    @property
    def is_optional(self) -> bool:
        return self.repeats or self.default is not inspect.Parameter.empty


@dataclass(frozen=True)
class Function:
    """One function of the sheet. `area` says that references come as areas even where they are one cell; `takes_errors`
    that errors are its business; `needs` that it is given its surroundings first."""

    name: str
    group: str
    body: Callable[..., Value]
    parameters: tuple[FunctionArgument, ...]
    area: bool = False
    takes_errors: bool = False
    needs: bool = False
    volatile: bool = False
    doc: str = field(default="", compare=False)

    @cached_property
    def least(self) -> int:
        return sum(not parameter.is_optional for parameter in self.parameters)

    @cached_property
    def most(self) -> int | None:
        return None if any(parameter.repeats for parameter in self.parameters) else len(self.parameters)

    @cached_property
    def signature(self) -> str:
        """`LEFT(text, [count])`."""
        parts = [
            f"[{parameter.name}]..."
            if parameter.repeats
            else f"[{parameter.name}]"
            if parameter.is_optional
            else parameter.name
            for parameter in self.parameters
        ]
        return f"{self.name}({', '.join(parts)})"

    def parameter(self, place: int) -> FunctionArgument:
        """The parameter that the argument at a place is for."""
        if place < len(self.parameters):
            return self.parameters[place]
        repeating = [parameter for parameter in self.parameters if parameter.repeats]
        return (
            repeating[(place - len(self.parameters) + len(repeating)) % len(repeating)]
            if repeating
            else self.parameters[-1]
        )

    def counts(self, given: int) -> str:
        """What is wrong with so many arguments; empty where nothing is."""
        if given < self.least:
            missing = self.parameters[given].name if given < len(self.parameters) else ""
            return f"Argument {given + 1}, {missing}, is missing: {self.signature}."
        if self.most is not None and given > self.most:
            return f"It takes at most {self.most} arguments: {self.signature}."
        return ""

    def invoke(self, environment: Environment, values: Sequence[Value]) -> Value:
        """The function of some arguments: what waits goes first, then errors; arrays cell by cell."""
        lifted = False
        for place, value in enumerate(values):
            kind = type(value)
            if kind is SheetError:
                if value is PENDING:
                    return PENDING
                if not self.takes_errors:
                    return foremost([other for other in values if type(other) is SheetError])
            elif kind is not Decimal and kind is not str and not lifted and (kind is Array or hasattr(value, "array")):
                lifted = self.parameter(place).kind in SINGLES
        if lifted:
            return self._over(environment, values)
        return self._single(environment, values)

    def _over(self, environment: Environment, values: Sequence[Value]) -> Value:
        places = [
            place
            for place, value in enumerate(values)
            if (isinstance(value, Array) or hasattr(value, "array")) and self.parameter(place).kind in SINGLES
        ]
        given = list(values)

        def one(*chosen: Scalar) -> Scalar:
            for place, value in zip(places, chosen, strict=True):
                given[place] = value
            if not self.takes_errors or any(value is PENDING for value in chosen):
                errors = [value for value in chosen if type(value) is SheetError]
                if errors:
                    return foremost(errors)
            result = self._single(environment, given)
            if isinstance(result, Array):
                return result.rows[0][0]
            return array_of(result).rows[0][0] if hasattr(result, "array") else result

        return spread(one, [values[place] for place in places])

    def _single(self, environment: Environment, values: Sequence[Value]) -> Value:
        arguments: list[Any] = [environment] if self.needs else []
        place = -1
        try:
            for place, value in enumerate(values):
                parameter = self.parameter(place)
                if value is LEFT_OUT:
                    value = parameter.default
                    if value is inspect.Parameter.empty:
                        value = CONVERTERS[parameter.kind](None)
                    arguments.append(value)
                    continue
                arguments.append(CONVERTERS[parameter.kind](value))
            place = -1
            return self.body(*arguments)
        except Fault as fault:
            if place < 0 or fault.error is PENDING:
                return PENDING if fault.error.code == PENDING.code else fault.error
            parameter = self.parameter(place)
            expected = EXPECTED.get(parameter.kind, "")
            note = f"{self.name}, argument {place + 1}, {parameter.name}: {fault.error.note}"
            return SheetError(
                fault.error.code,
                note + (f" Expected is {expected}." if expected and fault.error.code == "#VALUE!" else ""),
            )
        except DivisionByZero:
            return DIV0
        except (Overflow, InvalidOperation, OverflowError):
            return NUM
        except ValueError:
            return NUM


class _LeftOut:
    def __repr__(self) -> str:
        return "left out"


LEFT_OUT = _LeftOut()
"""Stands for an argument between commas that says nothing."""

FUNCTIONS: dict[str, Function] = {}


def sheet_function(
    group: str, name: str = "", *, aliases: Sequence[str] = (), **options: Any
) -> Callable[[Callable[..., Value]], Callable[..., Value]]:
    """Register a function of the sheet by its Python name in capitals, or by another one."""

    def register(body: Callable[..., Value]) -> Callable[..., Value]:
        own = name or body.__name__.upper().rstrip("_")
        signature = list(inspect.signature(body).parameters.values())
        if options.get("needs"):
            signature = signature[1:]
        parameters = tuple(
            FunctionArgument(
                parameter.name.rstrip("_"),
                str(parameter.annotation),
                parameter.default,
                parameter.kind is inspect.Parameter.VAR_POSITIONAL,
            )
            for parameter in signature
        )
        for parameter in parameters:
            if parameter.kind not in CONVERTERS:
                raise TypeError(f"{own}: argument {parameter.name} is annotated {parameter.kind}")
        doc = inspect.cleandoc(body.__doc__ or "")
        for called in (own, *aliases):
            FUNCTIONS[called] = Function(called, group, body, parameters, doc=doc, **options)
        return body

    return register
