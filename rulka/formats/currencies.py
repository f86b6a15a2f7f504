"""Currency codes and their minor digits, from ISO 4217's own table."""

from __future__ import annotations

from functools import cache

from iso4217 import Currency

from rulka.core.errors import NotFound


@cache
def minor_digits(code: str) -> int:
    """How many decimals a currency has; NotFound for a code that ISO 4217 does not list."""
    try:
        currency = Currency(code)
    except ValueError:
        raise NotFound(
            f"'{code}' is not a currency of ISO 4217.", hint="Write its three letters, such as EUR.", subject="currency"
        ) from None
    exponent = currency.exponent
    if exponent is None:
        raise NotFound(
            f"'{code}' has no minor unit in ISO 4217.",
            hint="Name a currency that amounts are kept in.",
            subject="currency",
        )
    return int(exponent)


@cache
def currency_digits() -> dict[str, int]:
    """Minor digits of every currency that amounts can be kept in."""
    return {currency.code: int(currency.exponent) for currency in Currency if currency.exponent is not None}
