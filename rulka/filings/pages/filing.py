"""One filing: its statements with what each line is tagged as, its texts, its checks."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from time import perf_counter

from django.http import HttpRequest, HttpResponse
from django.views.decorators.http import require_GET

from rulka.core.errors import RulkaError
from rulka.core.filings.checking import FilingCheck, verdict_on
from rulka.core.filings.definitions import ColumnTag, FilingDef, LineTag
from rulka.core.filings.proposing import all_proposals, fits_cells, searched
from rulka.core.filings.reported import Reported, ReportedColumn, ReportedLine, ReportedWords
from rulka.core.filings.taxonomy import Concept
from rulka.core.filings.taxonomy import Concepts as Concepts
from rulka.filings.editing.tagging import former_tags
from rulka.filings.library.storing import TEXTS
from rulka.filings.models import Filing
from rulka.filings.pages.panels import VERDICTS, about_panel, panel_of
from rulka.filings.pages.readers import PANELS, FilingRequest, asked_for
from rulka.folios.models import Folio
from rulka.ledger.seat import SeatedPage
from rulka.screen import Screen

MOST_SEARCHED = 30


@dataclass(frozen=True)
class PartLine:
    """A statement in the list, or all words: how much of it is tagged."""

    name: str
    title: str
    state: str
    tone: str
    about: str
    chosen: bool


@dataclass(frozen=True)
class TagLine:
    """A line of a statement with its tag in words."""

    line: ReportedLine
    tag: LineTag | None
    told: str
    tone: str
    flags: str
    figures: tuple[tuple[str, bool], ...]
    """(text, whether its column is reported)"""

    chosen: bool


@dataclass(frozen=True)
class ColumnHead:
    """A column with whether it is reported."""

    column: ReportedColumn
    told: str
    tone: str
    chosen: bool


@require_GET
def filing_page(request: HttpRequest, name: str) -> HttpResponse:
    """A filing's page."""
    return page_of(request, asked_for(request, name))


@dataclass(frozen=True)
class Opened:
    """What of a filing shows once its folio and taxonomy open: its verdict with the checks that fail, how many `facts`
    of how many figures that are `shown`."""

    period_title: str
    node: str
    revision: int
    taxonomy: Concepts
    folio: Folio
    verdict: str
    verdict_told: str
    failing: Sequence[FilingCheck]
    facts: int
    shown: int


@dataclass(frozen=True, kw_only=True)
class FilingPage(SeatedPage):
    """A filing: its parts, one of them (`desk`) and one of its panels; `closed` says why it can't be opened, `told`
    what was done."""

    html = "filings/page.html"
    where: str = "folios"
    asked: FilingRequest
    filing: Filing
    definition: FilingDef
    query: str
    undo: tuple[str, str]
    told: str
    closed: RulkaError | None
    opened: Opened | None
    parts: Sequence[PartLine]
    part: str
    desk: Screen | None
    panel: Screen | None
    taken: str
    panels: Sequence[tuple[str, str]] = PANELS


def page_of(request: HttpRequest, asked: FilingRequest, problem: RulkaError | None = None) -> HttpResponse:
    """The page; with a problem it says so and has changed nothing. One whose folio or taxonomy can't be opened says why
    and still lets it be changed."""
    before = perf_counter()
    sent = request.POST.dict() if problem is not None else {}
    closed, opened, parts, part, desk, panel = None, None, list[PartLine](), "", None, None
    try:
        opened = _opened(asked)
        parts = list(_parts(asked))
        part = asked.part if any(one.name == asked.part for one in parts) else parts[0].name if parts else ""
        desk, panel = _desk(asked, part), panel_of(asked, part, sent)
    except RulkaError as error:
        closed, parts = error, []
        panel = about_panel(asked, sent) if asked.panel == "about" else None
    return FilingPage(
        seat=asked.seat,
        problem=problem,
        asked=asked,
        filing=asked.filing,
        definition=asked.reading.definition,
        query=asked.query(),
        undo=TEXTS.can_undo(asked.filing),
        told=request.session.pop("filing-told", ""),
        closed=closed,
        opened=opened,
        parts=parts,
        part=part,
        desk=desk,
        panel=panel,
        taken=f"{(perf_counter() - before) * 1000:.0f}",
    ).answer(request, swapped=True)


def _opened(asked: FilingRequest) -> Opened:
    reading = asked.reading
    verdict = verdict_on(reading.checks)
    return Opened(
        period_title=reading.reading.period.title,
        node=reading.reading.outline.node,
        revision=reading.reading.places().view.revision,
        taxonomy=reading.taxonomy,
        folio=reading.folio,
        verdict=verdict,
        verdict_told=VERDICTS[verdict],
        failing=[one for one in reading.checks if one.state == "fails"],
        facts=len(reading.facts),
        shown=sum(cell.is_shown for one in reading.material.statements for cell in one.cells.values()),
    )


def _parts(asked: FilingRequest) -> Iterator[PartLine]:
    """The statements of the filing, then its words."""
    material = asked.reading.material
    problems = [problem for one in asked.reading.checks for problem in one.problems if not problem.warns]
    for reported in material.statements:
        tags = material.filing.tags(reported.name)
        lines = [one for one in reported.lines if one.has_figures]
        said = sum(tags.line(one.key) is not None for one in lines)
        bad = sum(one.place.statement == reported.name for one in problems)
        tone = "bad" if bad else "good" if said == len(lines) else ""
        about = f"{bad} problem{'s' if bad != 1 else ''}" if bad else "statement"
        yield PartLine(
            reported.name, reported.title, f"{said} of {len(lines)}", tone, about, asked.part == reported.name
        )  # fmt: skip
    for name, message in material.problems.items():
        yield PartLine(name, name, "can't be shown", "bad", message, asked.part == name)
    words = [one for one in material.words if one.is_written]
    if words:
        said = len({key for text in material.filing.texts for key in text.sections})
        yield PartLine(
            "words", "Sections of words", f"{said} of {len(words)}", "", "reported as texts", asked.part == "words"
        )


def _desk(asked: FilingRequest, part: str) -> Screen | None:
    """What stands in the middle: a statement's lines, or the sections of words."""
    reported = asked.reading.material.statement(part)
    if reported is not None:
        return _statement(asked, reported)
    return WordsDesk(words=_word_lines(asked)) if part == "words" else None


@dataclass(frozen=True, kw_only=True)
class StatementDesk(Screen):
    """A statement's lines and columns with what they are reported as; how many lines have a proposal."""

    html = "filings/_statement.html"
    reported: Reported
    lines: Sequence[TagLine]
    columns: Sequence[ColumnHead]
    proposed: int


def _statement(asked: FilingRequest, reported: Reported) -> StatementDesk:
    material = asked.reading.material
    tags = material.filing.tags(reported.name)
    is_reported = {one.key: _is_reported(tags.column(one.key)) for one in reported.columns}
    lines = []
    for line in reported.lines:
        tag = tags.line(line.key)
        told, tone = _told(asked, line, tag)
        figures = tuple(
            (cell.text if (cell := reported.cells.get((line.key, one.key))) else "", is_reported[one.key] == "reported")
            for one in reported.columns
        )
        lines.append(TagLine(line, tag, told, tone, _flags(tag), figures, line.key == asked.line))
    columns = [
        ColumnHead(one, said, "warn" if said == "not said" else "", one.key == asked.column)
        for one in reported.columns
        for said in (is_reported[one.key],)
    ]
    proposed = all_proposals(material, former_tags(asked.seat.ledger, asked.seat.person))
    return StatementDesk(
        reported=reported,
        lines=lines,
        columns=columns,
        proposed=sum(one is reported for one, _, _ in proposed),
    )


@dataclass(frozen=True, kw_only=True)
class WordsDesk(Screen):
    """The sections of words: (section, what it is reported as, tone, whether it is chosen)."""

    html = "filings/_words.html"
    words: Sequence[tuple[ReportedWords, str, str, bool]]


def _word_lines(asked: FilingRequest) -> list[tuple[ReportedWords, str, str, bool]]:
    material, rows = asked.reading.material, []
    by_section = {key: text for text in material.filing.texts for key in text.sections}
    for one in material.words:
        if one.is_written:
            text = by_section.get(one.key)
            concept = material.taxonomy.concepts.get(text.concept) if text is not None else None
            told = concept.label if concept else (text.concept if text else "not reported")
            rows.append((one, told, "good" if concept else "bad" if text else "soft", one.key == asked.line))
    return rows


def _is_reported(tag: ColumnTag | None) -> str:
    return "not said" if tag is None else "reported" if tag.reported else "left out"


def _told(asked: FilingRequest, line: ReportedLine, tag: LineTag | None) -> tuple[str, str]:
    if tag is None:
        return ("not tagged", "warn") if line.has_figures else ("", "")
    if tag.left_out:
        return "left out", "soft"
    concept = asked.reading.taxonomy.concepts.get(tag.concept)
    return (concept.label, "good") if concept is not None else (f"{tag.concept}: not in this taxonomy", "bad")


def _flags(tag: LineTag | None) -> str:
    if tag is None or tag.left_out:
        return ""
    scale = f"scale {tag.scale}" if tag.scale is not None else ""
    return ", ".join(filter(None, ("turned" if tag.turned else "", scale, tag.unit, "sure" if tag.sure else "",
                                   f"{len(tag.members)} member{'s' if len(tag.members) > 1 else ''}"
                                   if tag.members else "")))  # fmt: skip


@dataclass(frozen=True, kw_only=True)
class ConceptsFound(Screen):
    """Concepts that were found, each with whether it takes the line's figures; how many `more` there are."""

    html = "filings/_found.html"
    found: Sequence[tuple[Concept, bool]]
    more: int
    typed: str


@require_GET
def search(request: HttpRequest, name: str) -> HttpResponse:
    """Concepts by what somebody types, those first that take the line's figures."""
    asked = asked_for(request, name)
    found = searched(asked.reading.taxonomy, request.GET.get("q", ""), most=200)
    reported = asked.reading.material.statement(asked.part)
    cells = [] if reported is None else [one for (key, _), one in reported.cells.items() if key == asked.line]
    fits = {one.name for one in found if fits_cells(one, cells) and reported is not None}
    if asked.part == "words":
        fits = {one.name for one in found if one.kind in ("block", "text")}
    found.sort(key=lambda one: one.name not in fits)
    return ConceptsFound(
        found=[(one, one.name in fits) for one in found[:MOST_SEARCHED]],
        more=max(len(found) - MOST_SEARCHED, 0),
        typed=request.GET.get("q", ""),
    ).response(request)
