"""One filing: its statements with what each line is tagged as, its texts, its checks."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from time import perf_counter
from typing import Any

from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.urls import reverse
from django.views.decorators.http import require_GET

from rulka.core.errors import RulkaError
from rulka.core.filings.checking import Judged, verdict_on
from rulka.core.filings.definitions import ColumnTag, LineTag
from rulka.core.filings.facts import Place
from rulka.core.filings.proposing import all_proposals, best_label, fits_cells, moved_to, proposals, searched
from rulka.core.filings.reported import Column, Line, Reported
from rulka.filings.editing.tagging import former_tags
from rulka.filings.library.storing import TEXTS
from rulka.filings.library.taxonomies import taxonomies_of
from rulka.filings.output.jobs import jobs_of
from rulka.filings.output.making import TITLES
from rulka.filings.pages.readers import PANELS, Asked, asked_for
from rulka.formats.filing_file import FILINGS
from rulka.statements.library.shelves import shelves_seen

MOST_SEARCHED = 30
VERDICTS: Mapping[str, str] = {
    "holds": "All checks hold: it can be filed.", "warns": "It can be filed; look at what warns.",
    "fails": "It can't be filed yet.", "not judged": "Nothing is tagged yet.",
}  # fmt: skip


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

    line: Line
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

    column: Column
    told: str
    tone: str
    chosen: bool


@dataclass(frozen=True)
class CheckLine:
    """A check with its problems, each with where it leads."""

    judged: Judged
    problems: tuple[tuple[str, str, str, bool], ...]
    """(message, hint, address, warns)"""


@require_GET
def filing_page(request: HttpRequest, name: str) -> HttpResponse:
    """A filing's page."""
    return page_of(request, asked_for(request, name))


def page_of(request: HttpRequest, asked: Asked, problem: RulkaError | None = None) -> HttpResponse:
    """The page; with a problem it says so and has changed nothing. One whose folio or taxonomy can't be opened says why
    and still lets it be changed."""
    before = perf_counter()
    context: dict[str, Any] = {
        "where": "folios", "seat": asked.seat, "asked": asked, "filing": asked.filing, "problem": problem,
        "definition": asked.reading.definition, "panels": PANELS, "query": asked.query(), "closed": None,
        "undo": TEXTS.can_undo(asked.filing), "told": request.session.pop("filing-told", ""),
    }  # fmt: skip
    try:
        context |= _context(request, asked, problem)
    except RulkaError as error:
        context |= {"closed": error, "parts": [], "sent": {}} | _about(asked, {})
    context["taken"] = f"{(perf_counter() - before) * 1000:.0f}"
    status = 422 if problem is not None and not request.headers.get("HX-Request") else 200
    return render(request, "filings/page.html", context, status=status)


def _context(request: HttpRequest, asked: Asked, problem: RulkaError | None) -> dict[str, Any]:
    reading = asked.reading
    material, checks = reading.material, reading.checks
    sent = request.POST.dict() if problem is not None else {}
    parts = list(_parts(asked))
    part = asked.part if any(one.name == asked.part for one in parts) else parts[0].name if parts else ""
    shown = _shown(asked, part)
    failing = [one for one in checks if one.state == "fails"]
    figures = sum(cell.is_shown for one in material.statements for cell in one.cells.values())
    return {
        "parts": parts, "part": part, "period_title": reading.reading.period.title,
        "node": reading.reading.outline.node, "revision": reading.reading.places().view.revision,
        "taxonomy": reading.taxonomy, "taxonomy_row": reading.taxonomy_row, "folio": reading.folio,
        "verdict": verdict_on(checks), "verdict_told": VERDICTS[verdict_on(checks)], "failing": failing,
        "facts": len(reading.facts), "shown": figures,
        "checks": [_check(asked, one) for one in checks], "sent": sent,
        "jobs": jobs_of(asked.filing, asked.seat.person), "forms": list(TITLES.items()),
        "period": reading.reading.period, "periods": _periods(asked), "entered": _entered(shown["tag"], sent),
        **shown, **_about(asked, sent),
    }  # fmt: skip


def _entered(tag: Any, sent: Mapping[str, str]) -> dict[str, str]:
    """What the fields of a tag hold: what was sent and refused, else what is."""
    scale = getattr(tag, "scale", None)
    own = {
        "concept": getattr(tag, "concept", ""), "unit": getattr(tag, "unit", ""),
        "scale": "" if scale is None else str(scale),
    }  # fmt: skip
    return {name: sent.get(name, value) for name, value in own.items()}


def _periods(asked: Asked) -> list[tuple[str, str]]:
    """The periods that end a year, the newest first, and the filing's own: (code, title)."""
    own, calendar = asked.reading.reading.period, asked.seat.view.frame.calendar
    regular = [one for one in calendar.periods if not one.adjusting]
    ends = {one.year: one for one in regular}
    found = sorted({one.index: one for one in (own, *ends.values())}.values(), key=lambda one: -one.index)
    return [(one.code, f"{one.title}, {one.code}") for one in found]


def _about(asked: Asked, sent: Mapping[str, str]) -> dict[str, Any]:
    body = asked.filing.body
    names = ("title", "about", "folio", "scheme", "identifier", "period", "node")
    return {
        "about": {name: sent.get(name, body.get(name, "")) for name in names},
        "text": sent.get("text") or FILINGS.write(body), "taxonomies": taxonomies_of(asked.seat.ledger),
        "shelves": shelves_seen(asked.seat.ledger, asked.seat.person),
    }  # fmt: skip


def _check(asked: Asked, one: Judged) -> CheckLine:
    return CheckLine(
        one, tuple((each.message, each.hint, _leads(asked, one, each.place), each.warns) for each in one.problems)
    )


def _leads(asked: Asked, one: Judged, place: Place) -> str:
    if one.code == "who":
        return f"{reverse('filing', args=[asked.filing.name])}?{asked.query(panel='about')}"
    return asked.to(place) if any((place.statement, place.section)) else ""


def _parts(asked: Asked) -> Iterator[PartLine]:
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


def _shown(asked: Asked, part: str) -> dict[str, Any]:
    """What is chosen on the page."""
    reported = asked.reading.material.statement(part)
    empty: dict[str, Any] = {
        "reported": reported, "lines": [], "columns": [], "line": None, "column": None, "section": None, "words": [],
        "tag": None, "concept": None, "offers": [], "axes": [], "gone": "", "moves": [], "following": "",
        "proposed": 0, "cells": [], "text_offers": [],
    }  # fmt: skip
    if reported is not None:
        return {**empty, **_statement(asked, reported)}
    return {**empty, **_words(asked)} if part == "words" else empty


def _statement(asked: Asked, reported: Reported) -> dict[str, Any]:
    material = asked.reading.material
    tags, taxonomy = material.filing.tags(reported.name), material.taxonomy
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
        ColumnHead(one, is_reported[one.key], "warn" if is_reported[one.key] == "not said" else "", one.key ==
                   asked.column)
        for one in reported.columns
    ]  # fmt: skip
    former = former_tags(asked.seat.ledger, asked.seat.person)
    proposed = sum(one is reported for one, _, _ in all_proposals(material, former))
    found: dict[str, Any] = {
        "lines": lines, "columns": columns, "axes": _axes(asked, {}), "proposed": proposed
    }  # fmt: skip
    if asked.line and not asked.column:
        return found | _line(asked, reported, tags.line(asked.line))
    if asked.column:
        column, own = reported.column(asked.column), tags.column(asked.column)
        concept = taxonomy.concepts.get(own.concept) if own is not None else None
        gone = asked.column if column is None else ""
        return found | {
            "column": column, "tag": own, "concept": concept, "gone": gone,
            "axes": _axes(asked, own.members if own else {}),
        }  # fmt: skip
    return found


def _line(asked: Asked, reported: Reported, tag: LineTag | None) -> dict[str, Any]:
    material = asked.reading.material
    line = reported.line(asked.line)
    concept = material.taxonomy.concepts.get(tag.concept) if tag is not None else None
    offers = proposals(material, reported, line, former_tags(asked.seat.ledger, asked.seat.person)) if line else []
    moves = []
    if tag is not None and tag.concept and concept is None:
        moves = moved_to(material.taxonomy, tag.concept, asked.reading.former)
    waiting = [one for one in reported.lines if one.has_figures and material.filing.tags(reported.name).line(one.key)
               is None and one.key != asked.line]  # fmt: skip
    return {
        "line": line, "tag": tag, "concept": concept, "offers": offers, "moves": moves,
        "gone": asked.line if line is None else "", "axes": _axes(asked, tag.members if tag else {}),
        "cells": [cell for (key, _), cell in reported.cells.items() if key == asked.line and cell.is_shown],
        "following": waiting[0].key if waiting else "",
    }  # fmt: skip


def _axes(asked: Asked, members: Mapping[str, str]) -> list[tuple[str, str, list[tuple[str, str, bool]]]]:
    """Each axis of the taxonomy with its members: (name, title, ((name, title, whether it is chosen) ...))."""
    taxonomy = asked.reading.taxonomy

    def title(name: str) -> str:
        return taxonomy.concepts[name].label if name in taxonomy.concepts else name

    defaults = {member for cube in taxonomy.cubes for member in cube.defaults.values()}
    return [
        (axis, title(axis), [(one, title(one), members.get(axis) == one) for one in known if one not in defaults])
        for axis, known in taxonomy.axes.items()
    ]


def _is_reported(tag: ColumnTag | None) -> str:
    return "not said" if tag is None else "reported" if tag.reported else "left out"


def _told(asked: Asked, line: Line, tag: LineTag | None) -> tuple[str, str]:
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


def _words(asked: Asked) -> dict[str, Any]:
    material = asked.reading.material
    by_section = {key: text for text in material.filing.texts for key in text.sections}
    rows = []
    for one in material.words:
        if one.is_written:
            text = by_section.get(one.key)
            concept = material.taxonomy.concepts.get(text.concept) if text is not None else None
            told = concept.label if concept else (text.concept if text else "not reported")
            rows.append((one, told, "good" if concept else "bad" if text else "soft", one.key == asked.line))
    section = next((one for one in material.words if one.key == asked.line and one.is_written), None)
    tag = by_section.get(asked.line)
    offers = []
    if section is not None:
        kinds = [one for one in material.taxonomy.reportable if one.kind in ("block", "text")]
        offers = sorted(kinds, key=lambda one: -best_label(one, section.title))[:8]
    return {
        "words": rows, "section": section, "tag": tag, "text_offers": offers,
        "gone": asked.line if asked.line and section is None else "",
        "concept": material.taxonomy.concepts.get(tag.concept) if tag else None,
    }  # fmt: skip


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
    context = {
        "found": [(one, one.name in fits) for one in found[:MOST_SEARCHED]], "more": max(len(found) - MOST_SEARCHED, 0),
        "typed": request.GET.get("q", ""),
    }  # fmt: skip
    return render(request, "filings/_found.html", context)
