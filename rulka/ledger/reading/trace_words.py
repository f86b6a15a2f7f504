"""Figures of a trace in words."""

from __future__ import annotations

from rulka.core.definitions.expressions import Value
from rulka.core.money import QUANTITY_DIGITS
from rulka.formats.figures import figure_text


def text_of(value: Value, unit: str, money_digits: int) -> str:
    """A traced value in full: money to its minor unit, whatever the statement is scaled to."""
    if unit == "percent":
        return figure_text(None if value is None else value * 100, digits=1) + ("" if value is None else " %")
    digits = {"money": money_digits, "quantity": QUANTITY_DIGITS}.get(unit, 4)
    text = figure_text(value, digits=digits)
    return f"{0:.{digits}f}" if value == 0 else text
