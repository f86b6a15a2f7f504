"""Filters that write exact amounts."""

from __future__ import annotations

import re
from fractions import Fraction

from django import template

from rulka.core.money import grouped, round_half_away

register = template.Library()


@register.filter
def amount(value: Fraction, digits: int) -> str:
    """An amount with all its decimals, zero included."""
    return grouped(round_half_away(value, digits), digits)


@register.filter
def amount_or_blank(value: Fraction, digits: int) -> str:
    """An amount, nothing where it is zero."""
    return amount(value, digits) if value else ""


@register.filter
def exact(value: Fraction | None, unit: str = "") -> str:
    """An exact value with two decimals, or a percent with one, grouped; n/m where it has no meaning."""
    if value is None:
        return "n/m"
    return (
        f"{grouped(round_half_away(value * 100, 1), 1)}\u00a0%"
        if unit == "percent"
        else grouped(round_half_away(value, 2), 2)
    )


PLAIN = re.compile(r"-?[0-9]+(\.[0-9]+)?")


@register.filter
def readable(text: str) -> str:
    """A plain decimal grouped as figures are; other text as it is."""
    return spaced(text) if PLAIN.fullmatch(text) else text


@register.filter
def spaced(text: str) -> str:
    """A plain decimal as text, grouped as figures are."""
    return grouped(int(text.replace(".", "")), len(text.partition(".")[2]))
