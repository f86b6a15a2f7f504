"""How a line or column looks: type, rulings and number style, as a definition file writes them."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

UNITS = {"units": 0, "thousands": 3, "millions": 6}


@dataclass(frozen=True)
class NumberStyle:
    """How figures are written; an empty setting leaves it to what lies below: column, line, statement, in the order
    that `over` gives."""

    style: str = ""
    decimals: int = -1
    unit: str = ""
    negative: str = ""
    zero: str = ""
    currency: str = ""
    word: str = ""
    """What is said behind each figure, such as times or points."""

    def over(self, below: NumberStyle) -> NumberStyle:
        """This style with what it leaves open taken from another."""
        return NumberStyle(
            self.style or below.style,
            self.decimals if self.decimals >= 0 else below.decimals,
            self.unit or below.unit,
            self.negative or below.negative,
            self.zero or below.zero,
            self.currency or below.currency,
            self.word or below.word,
        )


ANY_STYLE = NumberStyle()


@dataclass(frozen=True)
class Look:
    """A line's presentation; `above` and `below` are rulings, empty where the kind of line decides."""

    bold: str = ""
    italic: str = ""
    align: str = ""
    shade: str = ""
    above: str = ""
    below: str = ""
    box: bool = False
    indent: int = 0
    note: str = ""
    page_break: str = ""
    keep: str = ""
    number: NumberStyle = ANY_STYLE


PLAIN = Look()


def number_from(raw: Mapping[str, Any]) -> NumberStyle:
    """A number style from a checked mapping."""
    return NumberStyle(
        raw.get("style", ""),
        int(raw.get("decimals", "-1")),
        raw.get("unit", ""),
        raw.get("negative", ""),
        raw.get("zero", ""),
        raw.get("currency", ""),
        raw.get("word", ""),
    )


@dataclass(frozen=True)
class TotalLook:
    """How all totals of a statement look that say nothing of their own: a shade, rulings above and below their figures;
    empty where the kind of line decides."""

    shade: str = ""
    above: str = ""
    below: str = ""


PLAIN_TOTALS = TotalLook()

RULED = {
    "above": ("single", "none"),
    "below": ("none", "single"),
    "above and below": ("single", "single"),
    "double below": ("single", "double"),
    "not": ("none", "none"),
}
"""Rulings above and below by the words of the setting for all totals."""


def total_look_from(figures: Mapping[str, Any]) -> TotalLook:
    """The look of all totals from a statement's checked figures."""
    above, below = RULED.get(figures.get("totals ruled", ""), ("", ""))
    return TotalLook(figures.get("totals shaded", ""), above, below)


def look_from(raw: Mapping[str, Any]) -> Look:
    """A look from a checked mapping; `yes` and `no` stay text where empty means by default."""
    words = ("bold", "italic", "align", "shade", "above", "below", "note", "keep")
    plain = {name: raw[name] for name in words if name in raw}
    return replace(
        Look(**plain),
        box=raw.get("box") == "yes",
        indent=int(raw.get("indent", "0")),
        page_break=raw.get("break", ""),
        number=number_from(raw.get("number", {})),
    )
