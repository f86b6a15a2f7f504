"""Conditions such as `">100"`, `"4*"` or a plain value, as SUMIFS and its like take them."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from decimal import Decimal
from functools import lru_cache

from rulka.core.sheet.evaluating import COMPARISONS
from rulka.core.sheet.values import (
    VALUE,
    Array,
    Fault,
    Scalar,
    SheetError,
    Value,
    array_of,
    compare,
    number_in,
    single,
    spread,
)

OPERATORS = ("<>", "<=", ">=", "=", "<", ">")


@lru_cache(maxsize=4096)
def wildcard(text: str) -> re.Pattern[str]:
    """A text with `*` and `?` as a pattern, whatever the case; `~` before one means the character itself."""
    pieces: list[str] = []
    place = 0
    while place < len(text):
        character = text[place]
        if character == "~" and place + 1 < len(text) and text[place + 1] in "*?~":
            place += 1
            pieces.append(re.escape(text[place]))
        elif character == "*":
            if not pieces or pieces[-1] != ".*":
                pieces.append(".*")
        else:
            pieces.append("." if character == "?" else re.escape(character))
        place += 1
    return re.compile("".join(pieces), re.IGNORECASE | re.DOTALL)


def has_wildcard(text: str) -> bool:
    return "*" in text or "?" in text or "~" in text


def condition(wanted: Scalar) -> Callable[[Scalar], bool]:
    """What a condition asks of a cell."""
    if isinstance(wanted, SheetError):
        return lambda value: isinstance(value, SheetError) and value.code == wanted.code
    if not isinstance(wanted, str):
        own = Decimal(0) if wanted is None else wanted
        return _equal(own)
    operator = next((sign for sign in OPERATORS if wanted.startswith(sign)), "")
    text = wanted[len(operator) :]
    number = number_in(text) if text else None
    flag = {"TRUE": True, "FALSE": False}.get(text.upper())
    if operator in ("", "=", "<>"):
        holds = _equal(number if number is not None else flag if flag is not None else text)
        if operator == "=" and not text:
            holds = lambda value: value is None  # noqa: E731
        elif not operator and not text:
            holds = lambda value: value is None or value == ""  # noqa: E731
        return (lambda value: not holds(value)) if operator == "<>" else holds
    order = COMPARISONS[operator]
    against: Scalar = number if number is not None else flag if flag is not None else text
    kind = type(against)

    def compared(value: Scalar) -> bool:
        return type(value) is kind and order(compare(value, against))

    return compared


def _equal(wanted: Scalar) -> Callable[[Scalar], bool]:
    if isinstance(wanted, bool):
        return lambda value: value is wanted
    if isinstance(wanted, Decimal):

        def same_number(value: Scalar) -> bool:
            if type(value) is Decimal:
                return value == wanted
            return isinstance(value, str) and number_in(value) == wanted

        return same_number
    assert isinstance(wanted, str)
    if has_wildcard(wanted):
        pattern = wildcard(wanted)
        return lambda value: isinstance(value, str) and pattern.fullmatch(value) is not None
    folded = wanted.casefold()
    return lambda value: isinstance(value, str) and value.casefold() == folded


def chosen(pairs: Sequence[Value]) -> tuple[list[int], Array]:
    """Places (row by row) of the cells that meet every condition of (area, condition) pairs, and the first area."""
    if not pairs or len(pairs) % 2:
        raise Fault(VALUE, "Each area needs a condition.")
    arrays = [array_of(value) for value in pairs[::2]]
    first = arrays[0]
    for array in arrays[1:]:
        if (array.height, array.width) != (first.height, first.width):
            raise Fault(VALUE, "The areas are of different sizes.")
    places = list(range(first.height * first.width))
    for array, wanted in zip(arrays, pairs[1::2], strict=True):
        value = single(wanted)
        holds = condition(value.rows[0][0] if isinstance(value, Array) else value)
        cells = [cell for row in array.rows for cell in row]
        places = [place for place in places if holds(cells[place])]
    return places, first


def over_conditions(work: Callable[[Sequence[Value]], Scalar], pairs: Sequence[Value]) -> Value:
    """Something for (area, condition) pairs; where conditions are arrays, for each of their values."""
    many = [at for at in range(1, len(pairs), 2) if isinstance(single(pairs[at]), Array)]
    if not many:
        return work(pairs)

    def one(*values: Scalar) -> Scalar:
        given = list(pairs)
        for at, value in zip(many, values, strict=True):
            given[at] = value
        try:
            return work(given)
        except Fault as fault:
            return fault.error

    return spread(one, [pairs[at] for at in many])
