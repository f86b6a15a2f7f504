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

    def over(self, below: NumberStyle) -> NumberStyle:
        """This style with what it leaves open taken from another."""
        return NumberStyle(
            self.style or below.style,
            self.decimals if self.decimals >= 0 else below.decimals,
            self.unit or below.unit,
            self.negative or below.negative,
            self.zero or below.zero,
            self.currency or below.currency,
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
    )


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
