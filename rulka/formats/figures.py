"""One figure as text: its style, decimals, separators and the words that stand in its place."""

from __future__ import annotations

from collections.abc import Callable, Collection
from datetime import datetime
from fractions import Fraction

from rulka.core.compute.columns import Column
from rulka.core.compute.computed import Computed
from rulka.core.compute.rows import Row
from rulka.core.definitions.expressions import Value
from rulka.core.definitions.looks import UNITS, NumberStyle
from rulka.core.definitions.statements import StatementDef
from rulka.core.money import (
    GAP,
    QUANTITY_DIGITS,
    READ_AS,
    SEPARATORS,
    USUAL,
    exact_text,
    grouped,
    ratio_text,
    round_half_away,
    symbol_of,
)

DASH = "\u2013"


def figure_text(value: Value, *, digits: int, scale: int = 0) -> str:
    """A value rounded to `digits` decimals of 10**scale units; a dash where it is exactly zero, n/m without meaning."""
    if value is None:
        return "n/m"
    if value == 0:
        return DASH
    return grouped(round_half_away(value / 10**scale, digits), digits)


def unit_title(computed: Computed) -> str:
    """`EUR thousands`, or only the currency."""
    unit = computed.statement.unit
    return computed.node.currency + ("" if unit == "units" else f" {unit}")


EXPANDED = ("account", "member", "subtotal")


OWN_STYLES = ("percent", "quantity", "per unit")


BY_UNIT = {"money": "amount", "quantity": "quantity", "ratio": "per unit", "rate": "per unit", "plain": "per unit"}


DECIMALS = {"percent": 1, "quantity": 0, "per unit": 2}


def style_of(row: Row, column: Column, computed: Computed) -> NumberStyle:
    """How a cell is written, every setting decided.

    A percent or share column writes percent. Else a line of percent, quantities or rates keeps its own style, then the
    column's style goes before the line's, and the statement's comes last.
    """
    statement = computed.statement
    below = NumberStyle("amount", statement.decimals, statement.unit, "minus", "dash", "never")
    below = statement.number.over(below)
    line = row.look.number
    own = line.style or ("quantity" if column.shows_quantities else BY_UNIT[row.unit])
    if column.kind in ("percent", "share"):
        return _decided(column.asked.number.over(line), "percent", below)
    if own in OWN_STYLES:
        return _decided(line.over(NumberStyle(decimals=-1)), own, below)
    return _decided(column.asked.number.over(line), column.asked.number.style or own, below)


def _decided(chosen: NumberStyle, style: str, below: NumberStyle) -> NumberStyle:
    decimals = chosen.decimals if chosen.decimals >= 0 else DECIMALS.get(style, below.decimals)
    return NumberStyle(
        style,
        decimals,
        chosen.unit or below.unit,
        chosen.negative or below.negative,
        chosen.zero or below.zero,
        chosen.currency or below.currency,
        chosen.word or below.word,
    )


def with_word(text: str, style: NumberStyle) -> str:
    """A written figure with its unit's own word behind it: `2.4 times`."""
    return f"{text}{GAP}{style.word}" if style.word and text.strip(DASH) else text


def names_currency(row: Row, style: NumberStyle, firsts: Collection[str]) -> bool:
    """Whether a figure of a row names its currency: on totals, and on the rows that `firsts` names."""
    if style.style != "amount" or style.currency not in NAMING:
        return False
    return row.key in firsts or row.kind in ("total", "calculation") or row.is_whole


def currency_word(computed: Computed, column: Column) -> str:
    """A column's currency as its statement names it: by code or by symbol."""
    code = computed.plan.node_of(column).currency
    return symbol_of(code) if computed.statement.currency_as == "symbol" else code


NAMING = ("first and totals", "sections and totals")
"""The settings by which figures name their currency; the second one on the first line of each section too."""


def first_rows(computed: Computed) -> dict[str, frozenset[str]]:
    """The rows that name the currency because they are first, by the setting: of the page, or of each section."""
    found, open_section = list[str](), True
    for row in computed.rows:
        if row.kind == "section":
            open_section = True
        elif open_section and row.has_figures and row.unit == "money" and not row.hidden:
            found.append(row.key)
            open_section = False
    return dict(zip(NAMING, (frozenset(found[:1]), frozenset(found)), strict=True))


def digits_of(row: Row, column: Column, computed: Computed) -> tuple[int, int]:
    """(decimals, power of ten) that a cell is shown with."""
    style = style_of(row, column, computed)
    return style.decimals, -2 if style.style == "percent" else UNITS[style.unit] if style.style == "amount" else 0


def verdict_of(row: Row, place: int, column: Column, value: Value) -> str:
    """Whether a difference or percent is favourable, by the line's direction and never by its sign alone."""
    direction = row.directions[place] if row.directions else 0
    if column.kind not in ("difference", "percent") or not value or not direction:
        return ""
    return "good" if value * direction > 0 else "bad"


def separators(statement: StatementDef) -> Callable[[str], str] | None:
    """What puts the statement's own separators into a written figure; nothing where they are the usual ones."""
    if (statement.grouping, statement.decimal_mark) == USUAL:
        return None
    grouping, mark = READ_AS.get()
    own = {SEPARATORS[grouping]: SEPARATORS[statement.grouping], SEPARATORS[mark]: SEPARATORS[statement.decimal_mark]}
    table = str.maketrans(own)
    return lambda text: text.translate(table)


def written(value: Fraction, style: NumberStyle) -> str:
    """A value in a number style: scaled, rounded half away from zero, grouped."""
    if value == 0:
        return {"dash": DASH, "0": grouped(0, style.decimals), "blank": ""}[style.zero]
    scale = -2 if style.style == "percent" else UNITS[style.unit] if style.style == "amount" else 0
    rounded = round_half_away(value * 100 if scale < 0 else value / 10**scale, style.decimals)
    if style.negative == "brackets" and rounded < 0:
        return f"({grouped(-rounded, style.decimals)})"
    return grouped(rounded, style.decimals)


def moment_text(moment: datetime) -> str:
    """`23 November 2026, 14:05 UTC`."""
    return f"{moment.day} {moment:%B %Y, %H:%M %Z}"


def value_text(row: Row, column: Column, value: Value, digits: int) -> str | None:
    """An exact decimal in presented sign, money to `digits`; ratios to ten decimals; None where a figure has no
    meaning."""
    if value is None:
        return None
    if column.kind in ("percent", "share") or row.unit in ("ratio", "rate"):
        return ratio_text(value)
    if column.shows_quantities:
        return exact_text(value, QUANTITY_DIGITS)
    return exact_text(value, QUANTITY_DIGITS if row.unit == "quantity" else digits if row.unit == "money" else 0)


def cell_words(row: Row, column: Column, computed: Computed) -> str:
    """What a text column says of a row; nothing for drawings."""
    what = column.asked.text
    if what == "label":
        return row.label
    if what == "accounts":
        return ", ".join(row.codes) if len(row.codes) <= 6 else f"{row.codes[0]} to {row.codes[-1]} ({len(row.codes)})"
    if what == "note":
        return row.look.note
    return row.texts.get(what, "")


def plain_text(text: str) -> str:
    """Text from data that a spreadsheet shows and never runs; a mere dash, which stands for no member, runs nowhere."""
    return "'" + text if text[:1] in ("=", "+", "-", "@", "\t", "\r", "\n") and text != "-" else text
