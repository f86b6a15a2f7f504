"""Sections as somebody reads them: what was written, with figures live or, once done, as they were finished."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field
from functools import cached_property

from rulka.core.books.calendar import Period
from rulka.core.books.fence import Fence
from rulka.core.folios.filled import Filled, FolioFact, facts_of, filled_from
from rulka.core.folios.outline import FolioDef, SectionDef
from rulka.core.folios.standing import SectionStanding
from rulka.core.folios.typed import TypedFigure, judge
from rulka.core.folios.writing import Document, LiveTable, document_from, figure_named, plain_lines
from rulka.folios.library.opening import content_seen, draft_of, rows_of, standing_of
from rulka.folios.library.storing import outline_of
from rulka.folios.models import Content, Folio, Section
from rulka.folios.running.places import FolioSources
from rulka.formats.writing.docx_read import lines_of, tags_of
from rulka.formats.writing.docx_write import refilled, tag_of
from rulka.formats.writing.marked import document_marked
from rulka.formats.writing.slides import slide_lines
from rulka.ledger.reading.queries import view_of
from rulka.ledger.seat import latest_period
from rulka.people.models import Person
from rulka.statements.library.shelves import depth_on


@dataclass(eq=False)
class FolioReading:
    """A folio as one person reads it, behind their fence."""

    folio: Folio
    fence: Fence
    person: Person | None
    drafts: bool = False
    """Whether what they keep themselves goes before what was released."""

    _places: dict[tuple[str, str, int | None], FolioSources] = field(default_factory=dict)
    _read: dict[str, SectionRead] = field(default_factory=dict)

    @cached_property
    def outline(self) -> FolioDef:
        return outline_of(self.folio)

    @cached_property
    def rows(self) -> dict[str, Section]:
        return rows_of(self.folio)

    @cached_property
    def deep(self) -> Fence:
        """No deeper than the folio's shelf lets them get."""
        if self.person is None:
            return self.fence
        return self.fence.down_to(depth_on(self.person, self.folio.shelf_id))

    @cached_property
    def period(self) -> Period:
        """The folio's period; the last one with anything booked where it names none."""
        view = view_of(self.folio.ledger, self.deep)
        if self.outline.period:
            return view.frame.calendar.period(self.outline.period)
        return latest_period(view)

    def places(self, period: str = "", node: str | None = None, revision: int | None = None) -> FolioSources:
        """What figures are read from; of the folio itself without another period, node and revision."""
        own = (period, node or "", revision) if period else (
            self.period.code, self.outline.node, self.outline.revision
        )  # fmt: skip
        if own not in self._places:
            self._places[own] = FolioSources(self.folio.ledger, self.deep, self.person, *own)
        return self._places[own]

    def section(self, key: str) -> SectionRead:
        """One section as they read it."""
        if key not in self._read:
            section = self.outline.section(key)
            row = self.rows.get(key) or Section(folio=self.folio, key=key)
            self._read[key] = SectionRead(self, section, row)
        return self._read[key]

    def sections(self) -> Iterator[SectionRead]:
        """All of them, in order."""
        yield from (self.section(one.key) for one in self.outline.sections)

    @cached_property
    def facts(self) -> list[FolioFact]:
        """Every figure that the folio shows, live ones and those of finished sections."""
        return [fact for one in self.sections() for fact in one.facts]

    def facts_at(self, period: str, revision: int | None) -> list[FolioFact]:
        """The live figures as they were at another period and revision."""
        return [
            fact
            for one in self.sections() if not one.is_frozen
            for fact in facts_of(one.live(period, self.outline.node, revision), one.section.key)
        ]  # fmt: skip

    @cached_property
    def former(self) -> list[FolioFact]:
        """The live figures as they were in the period before."""
        codes = [one.code for one in self.places().view.frame.calendar.periods if not one.adjusting]
        own = codes.index(self.period.code) if self.period.code in codes else 0
        return self.facts_at(codes[own - 1], self.outline.revision) if own else []


@dataclass(eq=False)
class SectionRead:
    """A section with what somebody reads of it."""

    reading: FolioReading
    section: SectionDef
    row: Section

    @cached_property
    def draft(self) -> Content | None:
        """What they keep that nobody else sees."""
        return draft_of(self.row, self.reading.person)

    @cached_property
    def content(self) -> Content | None:
        """What they read of it; what is done is what was released."""
        drafts = self.reading.drafts and self.row.state != Section.State.DONE
        return content_seen(self.row, self.reading.person, draft=drafts)

    @cached_property
    def standing(self) -> SectionStanding:
        return standing_of(self.reading.folio, self.section, self.row, self.draft)

    @property
    def form(self) -> str:
        """What it is made of: text, docx, pptx or pdf; `none` before anything was written."""
        if not self.section.is_written:
            return "text"
        if self.content is not None:
            return self.content.form
        return "text" if self.section.kind == "text" else "none"

    @cached_property
    def document(self) -> Document:
        """What was written here; of figures alone their place; before anything was written what it begins with."""
        if not self.section.is_written:
            return Document((LiveTable(self.section.source),))
        if self.content is not None and self.content.form == "text":
            return document_from(self.content.body)
        return document_marked(self.section.begins) if self.content is None else Document()

    @cached_property
    def raw(self) -> bytes:
        """A file as it was uploaded; empty where there is none."""
        return bytes(self.content.data) if self.content is not None and self.content.data else b""

    @property
    def is_frozen(self) -> bool:
        """Whether its figures stand as it was finished with."""
        return self.row.state == Section.State.DONE

    @cached_property
    def own_frozen(self) -> Filled | None:
        """The very figures that they saw when it was finished, kept for each reader: as long as their bounds are the
        same, and they may still open what these are of. None for all others, who get the same period and revision
        behind their own fence."""
        kept = self.row.frozen or {}
        own = kept.get("people", {}).get(reader_key(self.reading.person))
        if own is None or own["fence"] != self.reading.deep.digest:
            return None
        found = filled_from(kept["filled"][own["at"]])
        return found if all(self.reading.places().opens(source) for source in found.sources) else None

    @cached_property
    def filled(self) -> Filled:
        """Its figures: live, or as it was finished with."""
        if not self.is_frozen:
            return self.live()
        if self.own_frozen is not None:
            return self.own_frozen
        return self.live(self.row.period, self.row.node, self.row.revision)

    @property
    def sources(self) -> set[str]:
        """What its figures come from."""
        return self.filled.sources

    def live(self, period: str = "", node: str = "", revision: int | None = None) -> Filled:
        """Its figures as they are, or were at another period and revision."""
        places = self.reading.places(period, node, revision)
        if self.form == "docx":
            figures, sources = self.tagged
            return places.filled([figure_named(key) for key in figures.values()], sources.values())
        document = self.document
        filled = places.filled(document.figures(), (one.source for one in document.tables()))
        return filled if self.section.is_written else filled.untitled(self.section.title)

    @cached_property
    def tagged(self) -> tuple[dict[str, str], dict[str, str]]:
        """The live places in a file that was written elsewhere: figures and tables by their tags."""
        known = self.reading.folio.sources
        found = {tag: known[tag] for tag in tags_of(self.raw) if tag in known}
        figures = {tag: key for tag, key in found.items() if "#" in key}
        return figures, {tag: key for tag, key in found.items() if "#" not in key}

    @cached_property
    def file(self) -> bytes:
        """A file as it reads now: its live places filled."""
        if self.form != "docx":
            return self.raw
        figures, tables = self.tagged
        return refilled(self.raw, figures, tables, self.filled) if figures or tables else self.raw

    def version(self, content: Content) -> SectionRead:
        """Another version of it, its live places filled for the same reader: what its writer saw in them stays with
        them."""
        made = SectionRead(self.reading, self.section, self.row)
        made.content = content
        if content.pk != self.row.released_id:
            made.filled = made.live()
        return made

    @cached_property
    def facts(self) -> list[FolioFact]:
        """The figures it shows."""
        return list(facts_of(self.filled, self.section.key))

    @cached_property
    def lines(self) -> list[str]:
        """What somebody typed, line by line, without live figures."""
        if not self.section.is_written:
            return []
        if self.form == "text":
            return plain_lines(self.document)
        if self.form == "docx":
            return lines_of(self.raw, typed=True)
        return slide_lines(self.raw) if self.form == "pptx" else []

    @property
    def _former(self) -> list[FolioFact]:
        """What the folio's figures were in the period before, and when this was written."""
        written = self.content.revision if self.content is not None else None
        newest = self.reading.places().view.revision
        then = self.reading.facts_at(self.reading.period.code, written) if written and written != newest else []
        return [*then, *self.reading.former]

    @cached_property
    def typed(self) -> list[TypedFigure]:
        """Typed numbers that are figures of the folio, contradict one or were right once; not those that somebody said
        to leave."""
        if not any(letter.isalnum() for line in self.lines for letter in line):
            return []
        left = set(self.row.left)
        return [one for one in judge(self.lines, self.reading.facts, self._former) if one.key not in left]


def reader_key(person: Person | None) -> str:
    """What names a reader in what is kept for each; commands read for nobody."""
    return str(person.pk) if person is not None else ""


def tags_for(document: Document) -> dict[str, str]:
    """What names each live place of a document, by the tag that it has in a word file."""
    keys = [one.key for one in document.figures()] + [one.source for one in document.tables()]
    return {tag_of(key): key for key in keys}
