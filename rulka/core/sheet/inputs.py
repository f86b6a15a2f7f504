"""What somebody types into a cell to its value: numbers and days exactly, all else as the text it is.

A period or a code never turns into a date or a number: `2026-10`, `1/2`, `0100` and `2027-P07` stay texts; a day is
written `2026-10-15`. An apostrophe in front makes a text of anything.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from functools import lru_cache

from rulka.core.sheet.values import ERRORS, MOST_TEXT, VALUE, Scalar, SheetError, as_text, day_in, number_in, serial

CODE = re.compile(r"[+-]?0[0-9]+", re.ASCII)
"""Digits with a zero in front are a code."""

DAY_LOOK, PERCENT_LOOK = "yyyy-mm-dd", "0.0%"


@dataclass(frozen=True)
class Input:
    """A typed value and the number format that its writing asks for, empty for none."""

    value: Scalar
    look: str = ""


@lru_cache(maxsize=50_000)
def read_input(text: str) -> Input:
    """What a text means that was typed and is no formula."""
    if text.startswith("'"):
        return Input(text[1:])
    plain = text.strip()
    upper = plain.upper()
    if upper in ("TRUE", "FALSE"):
        return Input(upper == "TRUE")
    if upper in ERRORS:
        return Input(ERRORS[upper])
    if len(text) > MOST_TEXT:
        return Input(SheetError(VALUE.code, f"A text holds at most {MOST_TEXT:,} characters."))
    if CODE.fullmatch(plain):
        return Input(text)
    if (day := day_in(plain)) is not None:
        return Input(serial(day), DAY_LOOK)
    number = number_in(plain)
    if number is not None and not (plain.endswith("%") and not plain[:-1].strip()):
        if plain.endswith("%"):
            decimals = len(plain.rstrip("% ").partition(".")[2])
            return Input(number, "0." + "0" * decimals + "%" if decimals else "0%")
        return Input(number)
    return Input(text)


def typed(value: Scalar) -> str:
    """The input that gives a value again: text that would be read otherwise gets its apostrophe."""
    if value is None:
        return ""
    if isinstance(value, SheetError):
        return value.code
    text = as_text(value)
    if isinstance(value, str):
        return literal(text)
    return f"{value:f}" if not isinstance(value, bool) else text


def literal(text: str) -> str:
    """A text as it has to be typed to stay one."""
    if not text:
        return ""
    if text[0] in "='" or read_input(text).value != text:
        return "'" + text
    return text
