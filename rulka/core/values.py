"""One reader for each kind of plain value that comes from outside: whole numbers, keys, amounts.

Only ASCII digits are digits here, and no more of them than a value can need: what else would be a number to Python
(other scripts' digits, NaN, exponents, thousands of digits) is refused in words.
"""

from __future__ import annotations

import re
from decimal import Decimal

from rulka.core.errors import RulkaError

WHOLE = re.compile(r"[0-9]{1,18}", re.ASCII)
AMOUNT = re.compile(r"-?[0-9]{1,24}(\.[0-9]{1,12})?", re.ASCII)
SHOWN = 40
"""Characters of a wrong value that a refusal repeats."""


def quoted(text: str) -> str:
    """A value as a refusal repeats it: not longer than somebody reads."""
    return f"'{text}'" if len(text) <= SHOWN else f"'{text[:SHOWN]}…'"


def is_whole(text: str) -> bool:
    """Whether a text is a whole number, not negative, that fits into 64 bits."""
    return WHOLE.fullmatch(text) is not None


def whole(text: str, subject: str, *, least: int = 0, most: int = 10**18 - 1, hint: str = "") -> int:
    """A whole number between two bounds, both included; RulkaError says what it is about."""
    if not is_whole(text.strip()) or not least <= int(text) <= most:
        bounds = f"from {least}" + (f" to {most}" if most < 10**18 - 1 else " on")
        raise RulkaError(f"{quoted(text)} is no whole number {bounds}.", hint=hint or "Write digits.", subject=subject)
    return int(text)


def key_in(text: str) -> int:
    """The key of a stored thing as an address names it; 0, which nothing has, where it is none."""
    return int(text) if is_whole(text) else 0


def place_in(text: str) -> int:
    """A place in a list, counted from 0, as an address names it; -1, where nothing is, where it is none."""
    return int(text) if is_whole(text) else -1


def amount(text: str, subject: str) -> Decimal:
    """A plain decimal: digits with a point, perhaps a minus; RulkaError otherwise."""
    if AMOUNT.fullmatch(text.strip()) is None:
        raise RulkaError(f"{quoted(text)} is not a number.", hint="Write digits with a point.", subject=subject)
    return Decimal(text.strip())


GAPS = str.maketrans("", "", ", \u00a0\u202f\u2009")


def typed_amount(text: str, subject: str) -> Decimal:
    """An amount as people type or copy it: grouped by commas or spaces, with a point, perhaps a minus."""
    return amount(text.strip().replace("\u2212", "-").translate(GAPS), subject)
