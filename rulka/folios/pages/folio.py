"""One folio: its sections and where they stand, the one that is read or written, its panel."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime
from time import perf_counter
from typing import Any
from urllib.parse import urlencode

from django.http import HttpRequest, HttpResponse
from django.urls import reverse
from django.utils import timezone
from django.views.decorators.http import require_GET

from rulka.core.errors import RulkaError
from rulka.core.folios.outline import FolioDef
from rulka.core.folios.standing import STEPS, SectionStanding, Step, refused
from rulka.core.folios.writing import document_to
from rulka.folios.editing.notifying import saw
from rulka.folios.library.opening import actor_of
from rulka.folios.library.storing import TEXTS
from rulka.folios.models import Folio, Section
from rulka.folios.output.making import TITLES
from rulka.folios.pages.panels import FolioPanel, panel_of
from rulka.folios.pages.readers import OUTLINE, PANELS, FolioRequest, asked_for
from rulka.folios.running.sections import SectionRead
from rulka.formats.writing.docx_read import as_web_page
from rulka.formats.writing.page import as_page
from rulka.formats.writing.slides import slides_told
from rulka.ledger.models import Revision
from rulka.ledger.reading.history import latest_revision
from rulka.ledger.seat import SeatedPage
from rulka.people.library.persons import people_named
from rulka.people.library.preferences import day_text
from rulka.statements.library.leads import Lead, leads


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
    address: str


@require_GET
def folio_page(request: HttpRequest, name: str) -> HttpResponse:
    """A folio's page."""
    asked = asked_for(request, name)
    saw(asked.folio, asked.seat.person)
    return page_of(request, asked)


@dataclass(frozen=True)
class ShownSection:
    """A section as it is read on the page: its words as `html`, or its slides' words; whether it is whoever looks' own
    draft and something newer was released since (`behind`); how many live places can't be filled (`problems`)."""

    number: int
    is_own: bool
    html: str
    slides: Sequence[Sequence[str]]
    empty: bool
    changed: datetime | None
    behind: bool
    frozen_at: str
    problems: int


@dataclass(frozen=True, kw_only=True)
class FolioPage(SeatedPage):
    """A folio: its sections with those that are whoever looks' own first, the one that is read or written, and a panel;
    `told` what was done."""

    html = "folios/page.html"
    where: str = "folios"
    asked: FolioRequest
    folio: Folio
    outline: FolioDef
    mine: Sequence[SectionLine]
    lines: Sequence[SectionLine]
    done: int
    count: int
    counts: Sequence[tuple[str, int]]
    not_begun: Sequence[SectionRead]
    late: Sequence[SectionRead]
    read: SectionRead | None
    shown: ShownSection | None
    steps: Mapping[str, str]
    writes: bool
    editor: Mapping[str, Any] | None
    panel: FolioPanel | None
    panels: Sequence[tuple[str, str]]
    undo: tuple[str, str]
    leads: Sequence[Lead]
    period_title: str
    revision: int
    latest: Revision | None
    query: str
    told: str
    taken: str
    forms: Sequence[tuple[str, str]] = tuple(TITLES.items())


def page_of(request: HttpRequest, asked: FolioRequest, problem: RulkaError | None = None) -> HttpResponse:
    """The page; with a problem it says so and has changed nothing."""
    before = perf_counter()
    reading, folio, read, person = asked.reading, asked.folio, asked.read, asked.seat.person
    sections = list(reading.sections())
    lines = _lines(asked, sections)
    mine = [line for line in lines if line.mine] if folio.state == Folio.State.WRITING else []
    states = [one.standing.shown for one in sections]
    writes = read is not None and _writes(asked, read)
    return FolioPage(
        seat=asked.seat,
        problem=problem,
        asked=asked,
        folio=folio,
        outline=reading.outline,
        mine=mine,
        lines=[line for line in lines if line not in mine],
        done=states.count("done"),
        count=len(sections),
        counts=[(state, states.count(state)) for state in COUNTED if state in states],
        not_begun=_not_begun(sections) if asked.manages and folio.state == Folio.State.WRITING else [],
        late=[one for one in sections if _is_late(one.standing) and folio.state == Folio.State.WRITING],
        read=read,
        shown=_shown(asked, read) if read is not None else None,
        steps=steps_for(asked, read) if read is not None else {},
        writes=writes,
        editor=_editor(read) if writes and read is not None else None,
        panel=panel_of(request, asked, problem),
        panels=OUTLINE if asked.arranging else PANELS,
        undo=TEXTS.can_undo(folio),
        leads=leads("folio") if person.may_edit else [],
        period_title=reading.period.title,
        revision=reading.places().view.revision,
        latest=latest_revision(asked.seat.ledger),
        query=asked.query(),
        told=request.session.pop("folio-told", ""),
        taken=f"{(perf_counter() - before) * 1000:.0f}",
    ).answer(request, swapped=True)


COUNTED = ("in review", "sent back", "held", "to write")


def _not_begun(sections: Sequence[SectionRead]) -> list[SectionRead]:
    return [
        one for one in sections if one.section.is_written and one.row.released_id is None and not one.row.holder_id
        and one.row.state != Section.State.DONE
    ]  # fmt: skip


def _writes(asked: FolioRequest, read: SectionRead) -> bool:
    """Whether the section is written on the page now, not read."""
    holds = read.standing.holder == asked.seat.person.username
    return read.form == "text" and read.section.is_written and holds and asked.writing


def _lines(asked: FolioRequest, sections: Sequence[SectionRead]) -> list[SectionLine]:
    called = people_named({name for one in sections for name in (one.standing.responsible, one.standing.holder)})
    return [_line(asked, one, called) for one in sections]


def _line(asked: FolioRequest, read: SectionRead, called: dict[str, Any]) -> SectionLine:
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
        tone, about, read.section.key == asked.key, mine, _address(asked, read.section.key),
    )  # fmt: skip


def _address(asked: FolioRequest, key: str) -> str:
    """Where a section is shown, with the panel that is open now."""
    shown = asked.panel if asked.panel != "section" and not asked.arranging else ""
    more = {"arrange": "yes" if asked.arranging else "", "panel": shown}
    asked_for = {"ledger": asked.seat.ledger.code, "section": key, **{name: one for name, one in more.items() if one}}
    return f"{reverse('folio', args=[asked.folio.name])}?{urlencode(asked_for)}"


def _when(moment: datetime | None) -> str:
    if moment is None:
        return "?"
    local = timezone.localtime(moment)
    return f"{local:%H:%M}" if local.date() == timezone.localdate() else f"{day_text(local.date())}"


def _is_late(now: SectionStanding) -> bool:
    return isinstance(now.due, date) and now.due < timezone.localdate() and now.state != "done"


def steps_for(asked: FolioRequest, read: SectionRead) -> dict[str, str]:
    """The steps that somebody may do now, by name, and what each is called; of those with a reason it is asked for."""
    who = actor_of(asked.seat.person, asked.folio)
    names: tuple[Step, ...] = (
        "hold", "keep", "release", "hand in", "give up", "accept", "send back", "take back", "free"
    )  # fmt: skip
    now = read.standing
    if read.section.kind == "text" and now.holder == who.name:
        now = replace(now, has_text=True)  # what is being written is kept before it is released
    return {name.replace(" ", "_"): STEPS[name] for name in names if refused(name, now, who, "a reason") is None}


def _shown(asked: FolioRequest, read: SectionRead) -> ShownSection:
    content, draft, released = read.content, read.draft, read.row.released
    own = draft is not None and content is not None and content.pk == draft.pk
    html = as_page(read.document, read.filled) if read.form == "text" else ""
    return ShownSection(
        number=asked.reading.outline.number(read.section.key),
        is_own=own,
        html=as_web_page(read.file) if read.form == "docx" else html,
        slides=slides_told(read.raw) if read.form == "pptx" else [],
        empty=read.form == "text" and read.section.is_written and read.document.is_empty,
        changed=content.at if content is not None else None,
        behind=own and draft is not None and released is not None and released.at > draft.at,
        frozen_at=read.row.period if read.is_frozen else "",
        problems=read.filled.problems,
    )


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
