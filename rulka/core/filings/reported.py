"""What can be reported: the figures of a filing's statements and the words of its sections, with all that a tag needs
to know of them."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import date
from decimal import Decimal
from typing import Final, Literal

What = Literal["money", "quantity", "ratio"]
ZERO: Final = "\u2013"
"""What stands for a zero."""

MINUSES: Final = "\u2212-"
NUMBER: Final = re.compile(r"[0-9]{1,24}(\.[0-9]{1,12})?", re.ASCII)
CODE: Final = re.compile(r"^[A-Z]{3}[\u00a0 ]")
GROUPS: Final = "\u00a0\u202f ,.'\u2019"


@dataclass(frozen=True)
class ReportedTime:
    """A day (`first` is None), or a time from one day to another, both included."""

    first: date | None
    last: date

    @property
    def kind(self) -> Literal["instant", "duration"]:
        return "instant" if self.first is None else "duration"

    @property
    def told(self) -> str:
        return f"{self.last}" if self.first is None else f"{self.first} to {self.last}"


@dataclass(frozen=True)
class ReportedCell:
    """A figure of a statement. `text` is what shows, `exact` the figure itself as a decimal, in presented sign; `scale`
    the power of ten that it is shown in, with so many `decimals`. `side` says whether it shows debits (1) or credits
    (-1) as positive, 0 where that can't be said; `word` stands where there is no figure."""

    statement: str
    line: str
    column: str
    text: str
    exact: Decimal | None
    scale: int = 0
    decimals: int = 0
    mark: str = "."
    what: What = "money"
    currency: str = ""
    time: ReportedTime | None = None
    side: int = 0
    word: str = ""

    @property
    def source(self) -> str:
        """What names it in a folio."""
        return f"statement:{self.statement}|{self.line}|{self.column}"

    @property
    def is_shown(self) -> bool:
        """Whether a figure stands there."""
        return self.exact is not None and bool(self.text.strip())


@dataclass(frozen=True)
class ReportedLine:
    """A line of a statement: `above` are the sections that it stands in."""

    key: str
    label: str
    above: tuple[str, ...] = ()
    depth: int = 0
    strong: bool = False
    has_figures: bool = True


@dataclass(frozen=True)
class ReportedColumn:
    """A column: `works` says that it works on others (a difference, a percent)."""

    key: str
    title: str
    works: bool = False


@dataclass(frozen=True)
class Reported:
    """A statement as the folio shows it: `sections` are those that show it, `known_lines` and `known_columns` what it
    has whether shown or not, `adjusted` says that what shows was made to foot."""

    name: str
    title: str
    sections: tuple[str, ...]
    lines: tuple[ReportedLine, ...]
    columns: tuple[ReportedColumn, ...]
    cells: Mapping[tuple[str, str], ReportedCell] = field(default_factory=dict)
    known_lines: frozenset[str] = frozenset()
    known_columns: frozenset[str] = frozenset()
    adjusted: bool = False

    def line(self, key: str) -> ReportedLine | None:
        return next((one for one in self.lines if one.key == key), None)

    def column(self, key: str) -> ReportedColumn | None:
        return next((one for one in self.columns if one.key == key), None)


@dataclass(frozen=True)
class ReportedWords:
    """A section of the folio: `form` as it was written (text, docx, pptx, pdf, none), `finished` once everybody
    accepted it, `of_period` the period that it was finished for. `is_written` tells words from figures alone."""

    key: str
    title: str
    form: str
    is_empty: bool
    finished: bool
    of_period: str = ""
    is_written: bool = True
    is_begun: bool = True
    """Whether somebody wrote it, rather than that it stands as it begins."""


def _without_currency(text: str) -> str:
    """A figure without the currency's code before it."""
    return CODE.sub("", text.strip(), count=1)


def number_shown(text: str, mark: str = ".") -> Decimal | None:
    """The number that a text shows, without its scale; None where it shows none."""
    plain = _without_currency(text)
    if plain == ZERO:
        return Decimal(0)
    negative = plain.startswith("(") and plain.endswith(")")
    plain = plain.strip("()").removesuffix("%").strip()
    if plain[:1] and plain[0] in MINUSES:
        negative, plain = True, plain[1:].strip()
    whole, _, rest = plain.partition(mark)
    for group in GROUPS.replace(mark, ""):
        whole = whole.replace(group, "")
    digits = f"{whole}.{rest}" if rest else whole
    if NUMBER.fullmatch(digits) is None:
        return None
    number = Decimal(digits)
    return -number if negative else number


def decimals_shown(text: str, mark: str = ".") -> int:
    """How many decimals a text shows."""
    return len(digits_shown(text).partition(mark)[2])


def digits_shown(text: str) -> str:
    """The part of a text that is its number: without currency, sign, brackets and percent."""
    return _without_currency(text).strip("()").lstrip(MINUSES).rstrip("%").strip("\u00a0\u202f ")
