"""Tags and figures to facts: concept, time, members, unit and value, as a report says them."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field, replace
from decimal import Decimal
from typing import Final

from rulka.core.filings.definitions import ColumnTag, FilingDef, LineTag
from rulka.core.filings.reported import (
    Reported,
    ReportedCell,
    ReportedTime,
    ReportedWords,
    decimals_shown,
    number_shown,
)
from rulka.core.filings.taxonomy import Concept, Concepts

PURE, SHARES = "xbrli:pure", "xbrli:shares"
FITS: Final[Mapping[str, tuple[str, ...]]] = {
    "money": ("money",), "number": ("quantity", "ratio"), "pure": ("ratio", "quantity"), "shares": ("quantity",),
    "per share": ("ratio", "money"),
}  # fmt: skip
"""By kind of concept which figures it takes."""


@dataclass(frozen=True)
class FilingPlace:
    """Where something is in a filing, to be opened there."""

    statement: str = ""
    line: str = ""
    column: str = ""
    section: str = ""
    concept: str = ""


@dataclass(frozen=True)
class Fact:
    """A number that is reported: `value` in whole units as a reader of the report gets it, exact to `decimals`."""

    concept: str
    time: ReportedTime
    members: tuple[tuple[str, str], ...]
    unit: str
    value: Decimal
    decimals: int
    scale: int
    cell: ReportedCell
    name: str = ""
    """The line and column that it comes from, as people read them."""

    @property
    def place(self) -> FilingPlace:
        return FilingPlace(self.cell.statement, self.cell.line, self.cell.column, "", self.concept)

    @property
    def key(self) -> tuple[str, ReportedTime, tuple[tuple[str, str], ...], str]:
        """Facts with the same key are about the same."""
        return (self.concept, self.time, self.members, self.unit)

    @property
    def bounds(self) -> tuple[Decimal, Decimal]:
        """Between which numbers what was rounded to it lies."""
        half = Decimal(1).scaleb(-self.decimals) / 2
        return self.value - half, self.value + half


@dataclass(frozen=True)
class TextFact:
    """Words that are reported: the sections that they are made of."""

    concept: str
    time: ReportedTime
    sections: tuple[str, ...]

    @property
    def place(self) -> FilingPlace:
        return FilingPlace(section=self.sections[0] if self.sections else "", concept=self.concept)


@dataclass(frozen=True)
class Material:
    """All that a filing is made of: its statements and words as they are, the time that words are about, which part of
    the whole is seen (empty for all of it)."""

    filing: FilingDef
    taxonomy: Concepts
    statements: tuple[Reported, ...]
    words: tuple[ReportedWords, ...]
    time: ReportedTime
    period: str = ""
    part: str = ""
    problems: Mapping[str, str] = field(default_factory=dict)
    """Statements that can't be shown, and why."""

    def statement(self, name: str) -> Reported | None:
        return next((one for one in self.statements if one.name == name), None)


@dataclass(frozen=True)
class Tagged:
    """A cell with the tags of its line and column, each of which may be missing."""

    reported: Reported
    cell: ReportedCell
    line: LineTag | None
    column: ColumnTag | None

    @property
    def name(self) -> str:
        line, column = self.reported.line(self.cell.line), self.reported.column(self.cell.column)
        return f"{line.label if line else self.cell.line}, {column.title if column else self.cell.column}"

    @property
    def place(self) -> FilingPlace:
        return FilingPlace(self.cell.statement, self.cell.line, self.cell.column)

    @property
    def is_left_out(self) -> bool:
        return (self.line is not None and self.line.left_out) or (self.column is not None and not self.column.reported)

    @property
    def concepts(self) -> tuple[str, ...]:
        """What it is tagged as: by its line, by its column."""
        found = (self.line.concept if self.line else "", self.column.concept if self.column else "")
        return tuple(one for one in found if one)

    @property
    def is_tagged(self) -> bool:
        """Whether it is reported: its column is, and something says as what."""
        return not self.is_left_out and self.column is not None and bool(self.concepts)

    @property
    def members(self) -> dict[str, str]:
        return {**(self.column.members if self.column else {}), **(self.line.members if self.line else {})}


def tagged_cells(material: Material) -> Iterator[Tagged]:
    """Every figure of the filing's statements with its tags."""
    for reported in material.statements:
        tags = material.filing.tags(reported.name)
        lines = {one.line: one for one in reversed(tags.lines)}
        columns = {one.column: one for one in reversed(tags.columns)}
        for cell in reported.cells.values():
            yield Tagged(reported, cell, lines.get(cell.line), columns.get(cell.column))


def unit_of(concept: Concept, cell: ReportedCell, said: str = "") -> str:
    """The unit of a fact."""
    if said:
        return said
    if concept.kind == "money":
        return f"iso4217:{cell.currency}"
    if concept.kind == "per share":
        return f"iso4217:{cell.currency}/{SHARES}"
    return SHARES if concept.kind == "shares" else PURE


def fact_of(tagged: Tagged, concept: Concept) -> Fact | None:
    """A tagged cell as a fact; None where no number shows or its time isn't known."""
    cell, tag = tagged.cell, tagged.line or LineTag(tagged.cell.line)
    number = number_shown(cell.text, cell.mark) if cell.is_shown else None
    if number is None or cell.time is None:
        return None
    scale = cell.scale if tag.scale is None else tag.scale
    value = number.scaleb(scale) if number else Decimal(0)
    return Fact(
        concept.name, cell.time, tuple(sorted(tagged.members.items())), unit_of(concept, cell, tag.unit),
        -value if tag.turned else value, cell.decimals - scale, scale, cell, tagged.name,
    )  # fmt: skip


def facts_of(material: Material) -> list[Fact]:
    """The facts of everything that is tagged with one concept that the taxonomy has."""
    found = []
    for one in tagged_cells(material):
        if not one.is_tagged or len(one.concepts) != 1:
            continue
        concept = material.taxonomy.concepts.get(one.concepts[0])
        if concept is None or concept.abstract or not concept.is_numeric:
            continue
        fact = fact_of(one, concept)
        if fact is not None:
            found.append(fact)
    return found


def text_facts_of(material: Material) -> list[TextFact]:
    """The texts that are reported; one at a day is about the last one."""
    found = []
    for one in material.filing.texts:
        concept = material.taxonomy.concepts.get(one.concept)
        if concept is None or concept.abstract or concept.kind not in ("block", "text"):
            continue
        known = {words.key for words in material.words if words.is_written}
        time = material.time if concept.period == "duration" else ReportedTime(None, material.time.last)
        sections = tuple(words.key for words in material.words if words.key in one.sections)
        if sections and set(one.sections) <= known:
            found.append(TextFact(one.concept, time, sections))
    return found


SCALES: Final = (0, 3, 6, 9, -2)


def in_words(fact: Fact, text: str) -> Fact | None:
    """The same fact where words show it in another unit or with other decimals; None where what they show isn't it. A
    figure in words may show without its sign."""
    for mark in (".", ","):
        number = number_shown(text, mark)
        if number is None or fact.cell.exact is None:
            continue
        decimals = decimals_shown(text, mark)
        wanted = -fact.cell.exact if _is_turned(fact) else fact.cell.exact
        for scale in dict.fromkeys((fact.scale, *SCALES)):
            value = abs(number).scaleb(scale)
            if abs(value - abs(wanted)) <= Decimal(1).scaleb(scale - decimals) / 2 and (number or not wanted):
                signed = value if wanted >= 0 else -value
                return replace(fact, value=signed, decimals=decimals - scale, scale=scale)
    return None


def _is_turned(fact: Fact) -> bool:
    shown = number_shown(fact.cell.text, fact.cell.mark) or Decimal(0)
    return bool(shown) and (shown > 0) != (fact.value > 0)


def most_exact(facts: Iterable[Fact]) -> list[Fact]:
    """Of facts about the same the one with most decimals, in the order of the first of each."""
    found: dict[object, Fact] = {}
    for one in facts:
        if one.key not in found or one.decimals > found[one.key].decimals:
            found[one.key] = one
    return list(found.values())
