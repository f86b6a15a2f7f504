"""Amount text to int64 minor units and back, and the one rounding rule."""

from __future__ import annotations

import re
from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from decimal import Decimal
from fractions import Fraction

AMOUNT = re.compile(r"-?[0-9]+(\.[0-9]+)?", re.ASCII)
LIMIT = 1 << 62
"""All absolute amounts of a ledger sum to below this many minor units (LEDGER_FORMAT.md, Amounts)."""

QUANTITY_DIGITS = 2
"""Decimals of a statistical quantity, whatever the entity's currency."""


def parse_minor(text: str, digits: int) -> int:
    """Turn `-?[0-9]+(.[0-9]+)?` into minor units; ValueError says in words what is wrong."""
    match = AMOUNT.fullmatch(text)
    if match is None:
        raise ValueError(f"'{text}' is not a number; write digits with a point, no grouping or sign of currency")
    decimals = match[1]
    if decimals is None:
        return int(text + "0" * digits)
    missing = digits - len(decimals) + 1
    if missing < 0:
        raise ValueError(f"'{text}' has {len(decimals) - 1} decimals where at most {digits} are allowed")
    return int(text.replace(".", "") + "0" * missing)


def minor_text(value: int, digits: int) -> str:
    """Write minor units as a plain decimal: ASCII minus, no grouping, always `digits` decimals."""
    sign = "-" if value < 0 else ""
    whole, part = divmod(abs(value), 10**digits)
    return f"{sign}{whole}.{part:0{digits}d}" if digits else f"{sign}{whole}"


MINUS, GAP = "\u2212", "\u00a0"
SEPARATORS = {"space": GAP, "comma": ",", "point": ".", "apostrophe": "\u2019", "none": ""}
"""What stands between thousands, and before decimals, by the words that statements use for it."""


USUAL = ("space", "point")
READ_AS: ContextVar[tuple[str, str]] = ContextVar("read as", default=USUAL)
"""What stands between thousands and before decimals for the person who reads now; the usual in files."""


@contextmanager
def as_usual() -> Iterator[None]:
    """Write figures as everybody reads them: for files, which others open too."""
    token = READ_AS.set(USUAL)
    try:
        yield
    finally:
        READ_AS.reset(token)


def grouped(value: int, digits: int, grouping: str = "", mark: str = "") -> str:
    """Minor units as a person reads them, with grouping and a true minus: 1234567 with 2 digits is `12 345.67`, unless
    whoever reads has chosen otherwise."""
    grouping, mark = grouping or READ_AS.get()[0], mark or READ_AS.get()[1]
    whole, _, decimals = minor_text(abs(value), digits).partition(".")
    parts: list[str] = []
    while len(whole) > 3:
        whole, parts = whole[:-3], [whole[-3:], *parts]
    text = SEPARATORS[grouping].join([whole, *parts]) + (f"{SEPARATORS[mark]}{decimals}" if decimals else "")
    return MINUS + text if value < 0 else text


def round_half_away(value: Fraction, digits: int) -> int:
    """Round to `digits` decimals, half away from zero; the result counts units of 10**-digits."""
    scaled = abs(value) * 10**digits
    rounded: int = (2 * scaled.numerator + scaled.denominator) // (2 * scaled.denominator)
    return -rounded if value < 0 else rounded


def exact_text(value: Fraction, digits: int, most: int = 10) -> str:
    """Write a value with at least `digits` decimals and at most `most`, half away from zero."""
    text = minor_text(round_half_away(value, max(most, digits)), max(most, digits))
    if max(most, digits) == digits:
        return text
    whole, _, decimals = text.partition(".")
    decimals = decimals[:digits] + decimals[digits:].rstrip("0")
    return f"{whole}.{decimals}" if decimals else whole


def ratio_text(value: Fraction) -> str:
    """Write a ratio to ten decimals, half away from zero."""
    return minor_text(round_half_away(value, 10), 10)


def as_decimal(value: Fraction, digits: int = 12) -> Decimal:
    """The nearest Decimal with `digits` decimals, half away from zero."""
    return Decimal(round_half_away(value, digits)).scaleb(-digits)


SYMBOLS = {
    "AUD": "A$", "BRL": "R$", "CAD": "CA$", "CNY": "CN¥", "CZK": "Kč", "DKK": "kr", "EUR": "€", "GBP": "£",
    "HKD": "HK$",
    "HUF": "Ft", "ILS": "₪", "INR": "₹", "ISK": "kr", "JPY": "¥", "KRW": "₩", "MXN": "MX$", "NOK": "kr", "NZD": "NZ$",
    "PHP": "₱", "PLN": "zł", "RON": "lei", "SEK": "kr", "THB": "฿", "TRY": "₺", "TWD": "NT$", "UAH": "₴", "USD": "$",
    "VND": "₫", "ZAR": "R",
}  # fmt: skip
"""Symbols that are read without doubt where figures are of one currency; all others are named by their code."""


def symbol_of(code: str) -> str:
    """A currency's symbol, or its code where it has none that everybody reads."""
    return SYMBOLS.get(code, code)
