"""A folio's outline as asked for: sections in order, what each is of, who writes and who reviews it, by when."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from typing import Any, Final, Literal

from rulka.core.definitions.keys import slug
from rulka.core.errors import NotFound, RulkaError, one_of
from rulka.core.values import whole

Kind = Literal["text", "slides", "statement", "overview", "worksheet", "extract", "document"]
KINDS: Final[Mapping[Kind, str]] = {
    "text": "Text", "slides": "Slides", "statement": "Statement", "overview": "Overview",
    "worksheet": "Worksheet part", "extract": "Extract table", "document": "Uploaded document",
}  # fmt: skip
WRITTEN: Final = ("text", "slides", "document")
"""Kinds that somebody writes; all others are made of figures alone."""

NAMES_WHAT: Final = ("statement", "overview", "worksheet", "extract")
"""Kinds that are of something by its name."""

ORIENTATIONS: Final = ("", "portrait", "landscape")
MOST_SECTIONS: Final = 200
MOST_PEOPLE: Final = 12


@dataclass(frozen=True)
class Turn:
    """One person's turn at a section: their sign-in name, and the day by which they are through."""

    who: str
    due: date | None = None


@dataclass(frozen=True)
class SectionDef:
    """One section: `of` names the statement, overview, worksheet or extract that it shows, `part` what of it."""

    key: str
    title: str
    kind: Kind
    of: str = ""
    part: str = ""
    writers: tuple[Turn, ...] = ()
    reviewers: tuple[Turn, ...] = ()
    orientation: str = ""
    begins: str = ""

    @property
    def is_written(self) -> bool:
        """Whether somebody writes it; otherwise it is made of figures alone."""
        return self.kind in WRITTEN

    @property
    def turns(self) -> tuple[Turn, ...]:
        """All who have their turn at it, in order: writers, then reviewers."""
        return self.writers + self.reviewers

    @property
    def source(self) -> str:
        """What its figures come from, as a live table names it."""
        return "|".join(filter(None, (f"{self.kind}:{self.of}", self.part))) if self.of else ""


@dataclass(frozen=True)
class FolioDef:
    """A folio: its sections in order, and the period, node and revision of all its figures; without a revision they
    follow the newest."""

    name: str
    title: str
    about: str
    period: str
    node: str
    revision: int | None
    owner: str
    takes_back: bool
    sections: tuple[SectionDef, ...]

    def section(self, key: str) -> SectionDef:
        """A section by its key; NotFound otherwise."""
        for one in self.sections:
            if one.key == key:
                return one
        raise NotFound(
            f"The folio has no section '{key[:40]}'.", hint=one_of(key, [one.key for one in self.sections]),
            subject="section",
        )  # fmt: skip

    def number(self, key: str) -> int:
        """The place of a section, counted from 1."""
        return self.sections.index(self.section(key)) + 1


def folio_from(body: Mapping[str, Any]) -> FolioDef:
    """A checked mapping as a folio; raises RulkaError that says which section is wrong."""
    raw = list(body.get("sections", ()))
    if len(raw) > MOST_SECTIONS:
        raise RulkaError(f"A folio has {MOST_SECTIONS} sections at most.", hint="Make two of it.", subject="sections")
    sections, seen = [], set[str]()
    for place, one in enumerate(raw, 1):
        section = section_from(one, place)
        if section.key in seen:
            raise RulkaError(
                f"Two sections are called '{section.key}'.", hint="Give one another key.", subject=f"section {place}"
            )
        seen.add(section.key)
        sections.append(section)
    return FolioDef(
        name=str(body["folio"]),
        title=str(body.get("title") or body["folio"]),
        about=str(body.get("about", "")),
        period=str(body.get("period", "")),
        node=str(body.get("node", "")),
        revision=whole(str(body["revision"]), "revision") if body.get("revision") else None,
        owner=str(body.get("owner", "")),
        takes_back=str(body.get("take back", "")) == "yes",
        sections=tuple(sections),
    )


def section_from(raw: Mapping[str, Any], place: int) -> SectionDef:
    """One section; raises RulkaError with its place."""
    where = f"section {place}"
    title = " ".join(str(raw.get("title", "")).split())
    if not title:
        raise RulkaError("A section needs a title.", hint="Such as 'The month in words'.", subject=where)
    kind = _kind(str(raw.get("kind", "text")), where)
    of = str(raw.get("of", ""))
    if (kind in NAMES_WHAT) != bool(of):
        told = f"It doesn't say which {kind}." if kind in NAMES_WHAT else f"A section of {kind} is of nothing."
        raise RulkaError(told, hint="Set 'of' for figures, leave it out for words.", subject=f"{where}, {title}")
    orientation = str(raw.get("orientation", ""))
    if orientation not in ORIENTATIONS:
        raise RulkaError(
            f"'{orientation[:20]}' is no orientation.", hint="Write portrait or landscape.", subject=f"{where}, {title}"
        )
    part = str(raw.get("part", ""))
    if kind == "worksheet" and not part:
        raise RulkaError("It doesn't say which part.", hint="Write 'Sheet!A1:D20'.", subject=f"{where}, {title}")
    return SectionDef(
        key=str(raw.get("section", "")) or slug(title)[:60] or f"section-{place}",
        title=title,
        kind=kind,
        of=of,
        part=part,
        writers=turns_from(raw.get("writers", ()), f"{where}, {title}, writers"),
        reviewers=turns_from(raw.get("reviewers", ()), f"{where}, {title}, reviewers"),
        orientation=orientation,
        begins=str(raw.get("begins", "")),
    )


def _kind(text: str, where: str) -> Kind:
    for kind in KINDS:
        if kind == text:
            return kind
    raise NotFound(f"There is no section of the kind '{text[:20]}'.", hint=one_of(text, KINDS), subject=where)


def turns_from(raw: Sequence[Any], where: str) -> tuple[Turn, ...]:
    """People in order, each a name or a mapping with `who` and `due`."""
    found = []
    for one in raw:
        who, due = (str(one.get("who", "")), str(one.get("due", ""))) if isinstance(one, Mapping) else (str(one), "")
        if not who:
            raise RulkaError("A turn names nobody.", hint="Write who, and due as YYYY-MM-DD.", subject=where)
        found.append(Turn(who, day_from(due, where)))
    if len(found) > MOST_PEOPLE:
        raise RulkaError(f"{MOST_PEOPLE} people have a turn at most.", hint="Name fewer.", subject=where)
    return tuple(found)


def day_from(text: str, where: str) -> date | None:
    """A day written YYYY-MM-DD; none where nothing is written."""
    if not text.strip():
        return None
    try:
        return date.fromisoformat(text.strip())
    except ValueError:
        raise RulkaError(f"'{text[:20]}' is no day.", hint="Write YYYY-MM-DD.", subject=where) from None
