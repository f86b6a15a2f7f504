"""A filing as somebody reads it: its folio at the filing's period and node, and all that can be reported of it."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property

from rulka.core.books.fence import Fence
from rulka.core.errors import RulkaError
from rulka.core.filings.checking import FilingCheck, judged
from rulka.core.filings.definitions import FilingDef, filing_from
from rulka.core.filings.facts import Fact, Material, facts_of
from rulka.core.filings.reported import Reported, ReportedTime, ReportedWords
from rulka.core.filings.taxonomy import Concepts as Concepts
from rulka.core.folios.filled import FilledProblem, FilledTable
from rulka.core.money import as_usual
from rulka.filings.library.taxonomies import concepts_of, find_taxonomy
from rulka.filings.models import Filing, Taxonomy
from rulka.filings.running.reported import ShownStatementLines, reported_from
from rulka.folios.library.opening import open_folio
from rulka.folios.models import Folio
from rulka.folios.running.places import column_named, row_named, source_from
from rulka.folios.running.sections import FolioReading, SectionRead
from rulka.people.models import Person


@dataclass(eq=False)
class FilingReading:
    """A filing for one person, behind their fence, at a period and node; its own, else the folio's, where none is
    said."""

    filing: Filing
    fence: Fence
    person: Person | None
    asked_period: str = ""
    asked_node: str = ""

    @cached_property
    def definition(self) -> FilingDef:
        return filing_from(self.filing.body)

    @cached_property
    def folio(self) -> Folio:
        """The folio that is filed, as far as they may open it."""
        return open_folio(self.filing.ledger, self.definition.folio, person=self.person)

    @cached_property
    def reading(self) -> FolioReading:
        found = FolioReading(self.folio, self.fence, self.person)
        period = self.asked_period or self.definition.period or found.outline.period
        node = self.asked_node or self.definition.node or found.outline.node
        found.outline = replace(found.outline, period=period, node=node)
        return found

    @cached_property
    def taxonomy_row(self) -> Taxonomy:
        return find_taxonomy(self.filing.ledger, self.definition.taxonomy)

    @cached_property
    def taxonomy(self) -> Concepts:
        return concepts_of(self.taxonomy_row)

    @cached_property
    def former(self) -> Concepts | None:
        """The taxonomy that its tags were made for, where that is another one and still there."""
        name = self.definition.former
        if not name or name == self.definition.taxonomy:
            return None
        try:
            return concepts_of(find_taxonomy(self.filing.ledger, name))
        except RulkaError:
            return None

    @cached_property
    def sections(self) -> list[SectionRead]:
        return list(self.reading.sections())

    @cached_property
    def time(self) -> ReportedTime:
        """The time that its words are about: the fiscal year up to the end of the period."""
        period, calendar = self.reading.period, self.reading.places().view.frame.calendar
        return ReportedTime(calendar.of_year(period.year)[0].start, period.end)

    @cached_property
    @as_usual()
    def material(self) -> Material:
        """All that can be reported, and what is tagged of it."""
        shown: dict[str, ShownStatementLines] = {}
        problems: dict[str, str] = {}
        for read in self.sections:
            for source, pieces in read.filled.tables.items():
                if not source.startswith("statement:"):
                    continue
                named = source_from(source)
                own = shown.setdefault(named.name, ShownStatementLines())
                own.sections.append(read.section.key)
                own.whole = own.whole or not named.parts
                for piece in pieces:
                    if isinstance(piece, FilledProblem):
                        problems[named.name] = piece.message
                    elif isinstance(piece, FilledTable):
                        for cell in (cell for row in piece.rows for cell in row.cells if cell.source):
                            _, line, column = cell.source.rsplit("|", 2)
                            own.cells[line, column] = cell
        statements = [self._reported(name, one) for name, one in shown.items() if name not in problems]
        return Material(
            self.definition, self.taxonomy, tuple(statements), tuple(self._words(one) for one in self.sections),
            self.time, self.reading.period.code, self.reading.places().view.part, problems,
        )  # fmt: skip

    def _reported(self, name: str, shown: ShownStatementLines) -> Reported:
        return reported_from(self.reading.places().computed(name)[1], shown)

    def _words(self, read: SectionRead) -> ReportedWords:
        finished = read.is_frozen or not read.section.turns
        empty = read.form == "none" or (read.form == "text" and read.section.is_written and read.document.is_empty)
        return ReportedWords(
            read.section.key, read.section.title, read.form, empty, finished, self._frozen_for(read),
            read.section.is_written, not read.section.is_written or read.content is not None,
        )  # fmt: skip

    def _frozen_for(self, read: SectionRead) -> str:
        """The period that a section is done for, with its node where that is another one than the filing's; empty while
        its figures follow the filing."""
        if not read.is_frozen:
            return ""
        own = self.reading.outline.node
        return read.row.period if read.row.node == own else f"{read.row.period} at {read.row.node or 'no node'}"

    @cached_property
    def checks(self) -> list[FilingCheck]:
        """What must hold before it leaves."""
        return judged(self.material)

    @cached_property
    def facts(self) -> list[Fact]:
        return facts_of(self.material)

    @cached_property
    def facts_by_source(self) -> dict[str, Fact]:
        """The facts by what names their figures in the folio: in statements, and in words, where labels may stand for
        keys."""
        found = {one.cell.source: one for one in self.facts}
        for read in self.sections:
            for key in read.filled.figures:
                source = key.partition("#")[0]
                fact = found.get(self._canonical(source)) if source not in found else None
                if fact is not None:
                    found[source] = fact
        return found

    def _canonical(self, text: str) -> str:
        """A figure's source with the keys of its line and column; as it is where it names none of a statement."""
        try:
            source = source_from(text)
            if source.kind != "statement" or len(source.parts) != 2:
                return text
            computed = self.reading.places().computed(source.name)[1]
            row, column = row_named(computed, source.parts[0]), column_named(computed, source.parts[1])
        except RulkaError:
            return text
        return f"statement:{source.name}|{row.key}|{column.key}"
