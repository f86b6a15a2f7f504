"""The panel beside a filing: what a line, a column or a section is reported as, the checks, the files, the settings."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from django.urls import reverse

from rulka.core.books.calendar import Period
from rulka.core.filings.checking import FilingCheck, verdict_on
from rulka.core.filings.definitions import ColumnTag, LineTag, StatementTags, TextTag
from rulka.core.filings.facts import FilingPlace
from rulka.core.filings.proposing import ConceptProposal, best_label, moved_to, proposals
from rulka.core.filings.reported import Reported, ReportedCell, ReportedColumn, ReportedLine, ReportedWords
from rulka.core.filings.taxonomy import Concept
from rulka.core.filings.taxonomy import Concepts as Concepts
from rulka.filings.editing.tagging import former_tags
from rulka.filings.library.taxonomies import taxonomies_of
from rulka.filings.models import FilingJob, Taxonomy
from rulka.filings.output.jobs import jobs_of
from rulka.filings.output.making import TITLES
from rulka.filings.pages.readers import FilingRequest
from rulka.formats.filing_file import FILINGS
from rulka.screen import Screen
from rulka.statements.library.shelves import shelves_seen
from rulka.statements.models import Shelf

VERDICTS: Mapping[str, str] = {
    "holds": "All checks hold: it can be filed.",
    "warns": "It can be filed; look at what warns.",
    "fails": "It can't be filed yet.",
    "not judged": "Nothing is tagged yet.",
}


def panel_of(asked: FilingRequest, part: str, sent: Mapping[str, str]) -> Screen:
    """The panel that is asked for; `sent` is what a refused form held."""
    match asked.panel:
        case "about":
            return about_panel(asked, sent)
        case "checks":
            return _checks_panel(asked)
        case "files":
            return _files_panel(asked, part)
        case _:
            return _tag_panel(asked, part, sent)


# tags -----------------------------------------------------------------------------------------------------------------


@dataclass(frozen=True, kw_only=True)
class ChoosePanel(Screen):
    """What to do first: nothing is chosen yet, of sections of words or of a statement."""

    html = "filings/_choose.html"
    words: bool


@dataclass(frozen=True, kw_only=True)
class GonePanel(Screen):
    """A line, column or section that was tagged and is gone."""

    html = "filings/_gone.html"
    gone: str


Axes = Sequence[tuple[str, str, Sequence[tuple[str, str, bool]]]]
"""Each axis of a taxonomy with its members: (name, title, ((name, title, whether it is chosen) ...))."""


@dataclass(frozen=True, kw_only=True)
class LinePanel(Screen):
    """A line with its tag and the `concept` it names, where the taxonomy has that; concepts on offer, or what one that
    is gone may be called now (`moves`); its figures; the next line without a tag (`following`)."""

    html = "filings/_line.html"
    reported: Reported
    line: ReportedLine
    tag: LineTag | None
    concept: Concept | None
    taxonomy: Concepts
    offers: Sequence[ConceptProposal]
    moves: Sequence[ConceptProposal]
    axes: Axes
    entered: Mapping[str, str]
    cells: Sequence[ReportedCell]
    following: str


@dataclass(frozen=True, kw_only=True)
class ColumnPanel(Screen):
    """A column, and whether it is reported with which members."""

    html = "filings/_column.html"
    reported: Reported
    column: ReportedColumn
    axes: Axes
    entered: Mapping[str, str]


@dataclass(frozen=True, kw_only=True)
class SectionPanel(Screen):
    """A section of words and the text that it is reported in."""

    html = "filings/_section.html"
    section: ReportedWords
    tag: TextTag | None
    concept: Concept | None
    text_offers: Sequence[Concept]


def _tag_panel(asked: FilingRequest, part: str, sent: Mapping[str, str]) -> Screen:
    reported = asked.reading.material.statement(part)
    if reported is None:
        return _section_panel(asked) if part == "words" else ChoosePanel(words=False)
    if asked.column:
        return _column_panel(asked, reported, sent)
    return _line_panel(asked, reported, sent) if asked.line else ChoosePanel(words=False)


def _line_panel(asked: FilingRequest, reported: Reported, sent: Mapping[str, str]) -> Screen:
    material = asked.reading.material
    tags, line = material.filing.tags(reported.name), reported.line(asked.line)
    if line is None:
        return GonePanel(gone=asked.line)
    tag = tags.line(line.key)
    concept = material.taxonomy.concepts.get(tag.concept) if tag is not None else None
    lost = tag is not None and bool(tag.concept) and concept is None
    return LinePanel(
        reported=reported,
        line=line,
        tag=tag,
        concept=concept,
        taxonomy=material.taxonomy,
        offers=proposals(material, reported, line, former_tags(asked.seat.ledger, asked.seat.person)),
        moves=moved_to(material.taxonomy, tag.concept, asked.reading.former) if tag is not None and lost else [],
        axes=_axes(material.taxonomy, tag.members if tag else {}),
        entered=_entered(tag, sent),
        cells=[cell for (key, _), cell in reported.cells.items() if key == line.key and cell.is_shown],
        following=_following(reported, tags, line),
    )


def _following(reported: Reported, tags: StatementTags, line: ReportedLine) -> str:
    """The first other line that nothing was said of yet."""
    waiting = (one.key for one in reported.lines if one.has_figures and tags.line(one.key) is None)
    return next((key for key in waiting if key != line.key), "")


def _column_panel(asked: FilingRequest, reported: Reported, sent: Mapping[str, str]) -> Screen:
    material, column = asked.reading.material, reported.column(asked.column)
    if column is None:
        return GonePanel(gone=asked.column)
    own = material.filing.tags(reported.name).column(column.key)
    axes = _axes(material.taxonomy, own.members if own else {})
    return ColumnPanel(reported=reported, column=column, axes=axes, entered=_entered(own, sent))


def _section_panel(asked: FilingRequest) -> Screen:
    material = asked.reading.material
    section = next((one for one in material.words if one.key == asked.line and one.is_written), None)
    if section is None:
        return GonePanel(gone=asked.line) if asked.line else ChoosePanel(words=True)
    tag = next((text for text in material.filing.texts if asked.line in text.sections), None)
    kinds = [one for one in material.taxonomy.reportable if one.kind in ("block", "text")]
    return SectionPanel(
        section=section,
        tag=tag,
        concept=material.taxonomy.concepts.get(tag.concept) if tag else None,
        text_offers=sorted(kinds, key=lambda one: -best_label(one, section.title))[:8],
    )


def _entered(tag: LineTag | ColumnTag | None, sent: Mapping[str, str]) -> dict[str, str]:
    """What the fields of a tag hold: what was sent and refused, else what is."""
    scale = getattr(tag, "scale", None)
    own = {
        "concept": tag.concept if tag else "",
        "unit": getattr(tag, "unit", ""),
        "scale": "" if scale is None else str(scale),
    }
    return {name: sent.get(name, value) for name, value in own.items()}


def _axes(taxonomy: Concepts, members: Mapping[str, str]) -> Axes:
    def title(name: str) -> str:
        return taxonomy.concepts[name].label if name in taxonomy.concepts else name

    defaults = {member for cube in taxonomy.cubes for member in cube.defaults.values()}
    return [
        (axis, title(axis), [(one, title(one), members.get(axis) == one) for one in known if one not in defaults])
        for axis, known in taxonomy.axes.items()
    ]


# checks ---------------------------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class CheckLine:
    """A check with its problems, each with where it leads: (message, hint, address, warns)."""

    judged: FilingCheck
    problems: tuple[tuple[str, str, str, bool], ...]


@dataclass(frozen=True, kw_only=True)
class ChecksPanel(Screen):
    """The checks, and what they come to."""

    html = "filings/_checks.html"
    verdict: str
    verdict_told: str
    checks: Sequence[CheckLine]


def _checks_panel(asked: FilingRequest) -> ChecksPanel:
    checks = asked.reading.checks
    verdict = verdict_on(checks)
    return ChecksPanel(verdict=verdict, verdict_told=VERDICTS[verdict], checks=[_check(asked, one) for one in checks])


def _check(asked: FilingRequest, one: FilingCheck) -> CheckLine:
    return CheckLine(
        one, tuple((each.message, each.hint, _leads(asked, one, each.place), each.warns) for each in one.problems)
    )


def _leads(asked: FilingRequest, one: FilingCheck, place: FilingPlace) -> str:
    if one.code == "who":
        return f"{reverse('filing', args=[asked.filing.name])}?{asked.query(panel='about')}"
    return asked.to(place) if any((place.statement, place.section)) else ""


# files ----------------------------------------------------------------------------------------------------------------


@dataclass(frozen=True, kw_only=True)
class FilesPanel(Screen):
    """The files that were asked for, and what one can ask for: which forms, of which periods."""

    html = "filings/_files.html"
    period: Period
    periods: Sequence[tuple[str, str]]
    part: str
    jobs: Sequence[FilingJob]
    forms: Sequence[tuple[str, str]] = tuple(TITLES.items())


def _files_panel(asked: FilingRequest, part: str) -> FilesPanel:
    return FilesPanel(
        period=asked.reading.reading.period,
        periods=_periods(asked),
        part=part,
        jobs=jobs_of(asked.filing, asked.seat.person),
    )


def _periods(asked: FilingRequest) -> list[tuple[str, str]]:
    """The periods that end a year, the newest first, and the filing's own: (code, title)."""
    own, calendar = asked.reading.reading.period, asked.seat.view.frame.calendar
    regular = [one for one in calendar.periods if not one.adjusting]
    ends = {one.year: one for one in regular}
    found = sorted({one.index: one for one in (own, *ends.values())}.values(), key=lambda one: -one.index)
    return [(one.code, f"{one.title}, {one.code}") for one in found]


# settings -------------------------------------------------------------------------------------------------------------


@dataclass(frozen=True, kw_only=True)
class AboutPanel(Screen):
    """The filing's settings, its text, the taxonomies and shelves that there are."""

    html = "filings/_about.html"
    about: Mapping[str, str]
    text: str
    taxonomies: Sequence[Taxonomy]
    shelves: Sequence[Shelf]


def about_panel(asked: FilingRequest, sent: Mapping[str, str]) -> AboutPanel:
    """The settings; a filing that can't be opened has them alone."""
    body = asked.filing.body
    names = ("title", "about", "folio", "scheme", "identifier", "period", "node")
    return AboutPanel(
        about={name: sent.get(name, body.get(name, "")) for name in names},
        text=sent.get("text") or FILINGS.write(body),
        taxonomies=taxonomies_of(asked.seat.ledger),
        shelves=shelves_seen(asked.seat.ledger, asked.seat.person),
    )
