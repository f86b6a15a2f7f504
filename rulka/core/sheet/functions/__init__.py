"""The functions of the sheet, a module for each kind; importing them registers them."""

from rulka.core.sheet.functions import (
    arrays,
    dates,
    finance,
    information,
    lookup,
    maths,
    statistics,
    subtotals,
    texts,
    trigonometry,
)

__all__ = [
    "arrays",
    "dates",
    "finance",
    "information",
    "lookup",
    "maths",
    "statistics",
    "subtotals",
    "texts",
    "trigonometry",
]
