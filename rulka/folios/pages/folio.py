"""One folio: its sections and where they stand, the one that is read or written, its panel."""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import date, datetime
from time import perf_counter
from typing import Any

from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.utils import timezone
from django.views.decorators.http import require_GET

from rulka.core.errors import RulkaError
from rulka.core.folios.standing import STEPS, Standing, Step, refused
from rulka.core.folios.writing import document_to
from rulka.folios.editing.notifying import saw
from rulka.folios.library.opening import actor_of
from rulka.folios.library.storing import TEXTS
from rulka.folios.models import Content, Folio, Section
from rulka.folios.output.making import TITLES
from rulka.folios.pages.panels import panel_context
from rulka.folios.pages.readers import OUTLINE, PANELS, Asked, asked_for
from rulka.folios.running.sections import SectionRead
from rulka.formats.writing.docx_read import as_web_page
from rulka.formats.writing.page import as_page
from rulka.formats.writing.slides import slides_told
from rulka.ledger.reading.history import latest_revision
from rulka.people.library.persons import people_named
from rulka.people.library.preferences import day_text
from rulka.statements.library.leads import leads


@dataclass(frozen=True)
class SectionLine:
    """A section in the list beside the page."""

    key: str
    number: int
    title: str
    kind: str
    state: str
    tone: str
    about: str
    chosen: bool
    mine: bool


@require_GET
def folio_page(request: HttpRequest, name: str) -> HttpResponse:
    """A folio's page."""
    asked = asked_for(request, name)
    saw(asked.folio, asked.seat.person)
    return page_of(request, asked)


def page_of(request: HttpRequest, asked: Asked, problem: RulkaError | None = None) -> HttpResponse:
    """The page; with a problem it says so and has changed nothing."""
    before = perf_counter()
    context = {**page_context(asked), **panel_context(request, asked, problem), "problem": problem}
    context["told"] = request.session.pop("folio-told", "")
    context["taken"] = f"{(perf_counter() - before) * 1000:.0f}"
    told = problem is not None and not request.headers.get("HX-Request")
    return render(request, "folios/page.html", context, status=422 if told else 200)


def page_context(asked: Asked) -> dict[str, Any]:
    """What a folio's page shows beside its panel."""
    reading, folio, read = asked.reading, asked.folio, asked.read
    sections = list(reading.sections())
    names = {one.standing.responsible for one in sections} | {one.standing.holder for one in sections}
    called = people_named(names)
    lines = [_line(asked, one, called) for one in sections]
    mine = [line for line in lines if line.mine] if folio.state == Folio.State.WRITING else []
    shown = _shown(asked, read) if read is not None else {}
    steps = steps_for(asked, read) if read is not None else {}
    states = [one.standing.shown for one in sections]
    late = [one for one in sections if _is_late(one.standing) and folio.state == Folio.State.WRITING]
    begun = [one for one in sections if one.section.is_written and one.row.released_id is None
             and not one.row.holder_id and one.row.state != Section.State.DONE]  # fmt: skip
    writes = bool(read is not None and read.form == "text" and read.section.is_written
                  and read.standing.holder == asked.seat.person.username and asked.writing)  # fmt: skip
    return {
        "where": "folios", "seat": asked.seat, "asked": asked, "folio": folio, "outline": reading.outline,
        "read": read, "mine": mine, "lines": [line for line in lines if line not in mine],
        "period_title": reading.period.title, "revision": reading.places().view.revision,
        "done": states.count("done"), "count": len(sections),
        "counts": [(state, states.count(state)) for state in ("in review", "sent back", "held", "to write")
                   if states.count(state)],
        "not_begun": begun if asked.manages and folio.state == Folio.State.WRITING else [], "late": late,
        "forms": list(TITLES.items()),
        "panels": OUTLINE if asked.arranging else PANELS, "latest": latest_revision(asked.seat.ledger),
        "writes": writes, "steps": steps, "query": asked.query(), "undo": TEXTS.can_undo(folio),
        "leads": leads("folio") if asked.seat.person.may_edit else [],
        "editor": _editor(read) if writes and read is not None else None, **shown,
    }  # fmt: skip


def _line(asked: Asked, read: SectionRead, called: dict[str, Any]) -> SectionLine:
    now, person = read.standing, asked.seat.person
    holder, responsible = called.get(now.holder), called.get(now.responsible)
    who = responsible.called if responsible is not None else ""
    due = f", due {day_text(now.due)}" if isinstance(now.due, date) else ""
    match now.shown:
        case "held":
            held = "you" if holder == person else holder.called if holder is not None else "somebody"
            gone = " (left)" if holder is not None and not holder.is_active else ""
            state, tone = "held", "good" if holder == person else ""
            about = f", held by {held}{gone} since {_when(read.row.held)}"
        case "sent back":
            state, tone, about = "sent back", "bad", f", {who}: {read.row.reason}"
        case "in review":
            state, tone, about = "in review", "open", f", {who}{due}"
        case "done":
            state, tone, about = "done", "good", ""
        case _:
            state = "released" if read.row.released_id else "to write"
            tone, about = ("bad" if _is_late(now) else ""), f", {who}{due}" if who else ""
    kind = {"text": "text", "slides": "slides", "document": "document"}.get(read.section.kind, read.section.kind)
    form = {"docx": ", .docx", "pptx": ", uploaded", "pdf": ", .pdf"}.get(read.form, "")
    mine = now.responsible == person.username
    return SectionLine(
        read.section.key, asked.reading.outline.number(read.section.key), read.section.title, f"{kind}{form}", state,
        tone, about, read.section.key == asked.key, mine,
    )  # fmt: skip


def _when(moment: datetime | None) -> str:
    if moment is None:
        return "?"
    local = timezone.localtime(moment)
    return f"{local:%H:%M}" if local.date() == timezone.localdate() else f"{day_text(local.date())}"


def _is_late(now: Standing) -> bool:
    return isinstance(now.due, date) and now.due < timezone.localdate() and now.state != "done"


def steps_for(asked: Asked, read: SectionRead) -> dict[str, str]:
    """The steps that somebody may do now, by name, and what each is called; of those with a reason it is asked for."""
    who = actor_of(asked.seat.person, asked.folio)
    names: tuple[Step, ...] = (
        "hold", "keep", "release", "hand in", "give up", "accept", "send back", "take back", "free"
    )  # fmt: skip
    now = read.standing
    if read.section.kind == "text" and now.holder == who.name:
        now = replace(now, has_text=True)  # what is being written is kept before it is released
    return {name.replace(" ", "_"): STEPS[name] for name in names if refused(name, now, who, "a reason") is None}


def _shown(asked: Asked, read: SectionRead) -> dict[str, Any]:
    """A section as it is read on the page."""
    own = read.draft is not None and read.content is not None and read.content.pk == read.draft.pk
    told: dict[str, Any] = {
        "number": asked.reading.outline.number(read.section.key), "is_own": own, "html": "", "slides": [],
        "changed": read.content.at if read.content is not None else None,
        "behind": own and read.row.released is not None and read.draft is not None
        and read.row.released.at > read.draft.at,
        "frozen_at": read.row.period if read.is_frozen else "", "problems": read.filled.problems,
    }  # fmt: skip
    if read.form == "text":
        told["html"] = as_page(read.document, read.filled)
        told["empty"] = read.section.is_written and read.document.is_empty
    elif read.form == "docx":
        told["html"] = as_web_page(read.file)
    elif read.form == "pptx":
        told["slides"] = slides_told(read.raw)
    return {"shown": told}


def _editor(read: SectionRead) -> dict[str, Any]:
    """What the editor in the browser begins with: the text, and how its live places read now."""
    filled = read.filled
    figures = {
        one.key: {"text": filled.figure(one.key).text or "?", "title": filled.figure(one.key).name}
        for one in read.document.figures()
    }
    places = {
        one.source: as_page(type(read.document)((one,)), filled) for one in read.document.tables()
    }  # fmt: skip
    return {
        "document": document_to(read.document), "version": read.draft.version if read.draft is not None else 0,
        "figures": figures, "tables": places,
        "remarks": [
            {"quote": one.quote, "text": one.text} for one in read.row.remarks.filter(settled=False) if one.quote
        ],
    }  # fmt: skip


def content_named(content: Content) -> str:
    """What a version is called."""
    return content.file_name or "written here"
