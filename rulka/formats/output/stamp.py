"""What every file that leaves says of where it comes from: in its properties, and by a short code in its foot."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

PROPERTY = "Rulka origin"
"""The property of a workbook that holds its code."""


@dataclass(frozen=True)
class Stamp:
    """A file's code, and what it is of: statement, node, period, revision, and digests of definitions and figures."""

    code: str
    facts: tuple[tuple[str, str], ...]

    @property
    def line(self) -> str:
        """The foot of a page."""
        return f"Origin {self.code}: {', '.join(f'{name.lower()} {text}' for name, text in self.facts)}"

    @property
    def as_mapping(self) -> dict[str, str]:
        return {"code": self.code, **{name.lower(): text for name, text in self.facts}}


def set_origin(book: Any, stamp: Stamp) -> None:
    """Say in a workbook's properties what it is of."""
    book.set_custom_property(PROPERTY, stamp.code)
    for fact, text in stamp.facts:
        book.set_custom_property(f"Rulka {fact.lower()}", text[:255])
