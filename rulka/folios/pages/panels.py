"""The panel beside a folio's page: the section and its steps, its figures and typed numbers, its style, its history;
where the outline is changed its settings."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from django.http import HttpRequest

from rulka.core.errors import RulkaError
from rulka.core.folios.edits import kinds_to_choose, turns_text
from rulka.core.folios.filled import FilledFigure
from rulka.core.folios.styles import CHOICES, Difference
from rulka.core.folios.typed import TypedFigure
from rulka.extracts.library.opening import seen_extracts
from rulka.folios.editing.uploading import FORMS
from rulka.folios.models import Content, Remark, SectionStep
from rulka.folios.pages.readers import FolioRequest
from rulka.folios.running.comparing import beside_master
from rulka.folios.running.sections import SectionRead
from rulka.formats.folio_file import FOLIOS
from rulka.overviews.library.opening import seen_overviews
from rulka.people.library.persons import people_named, people_of
from rulka.people.library.preferences import day_text
from rulka.people.models import Person
from rulka.screen import Screen
from rulka.statements.library.opening import seen_definitions
from rulka.statements.library.shelves import RUN, shelves_seen
from rulka.statements.models import Shelf
from rulka.worksheets.library.opening import seen_worksheets

MOST_STEPS = 40


@dataclass(frozen=True, kw_only=True)
class FolioPanel(Screen):
    """A panel, with what the page asks of it whichever it is: numbers typed in the section that look like figures,
    whether whoever looks holds it, and the files that can be uploaded for it."""

    typed: Sequence[TypedFigure] = ()
    holds: bool = False
    uploads: Sequence[str] = ()


def panel_of(request: HttpRequest, asked: FolioRequest, problem: RulkaError | None) -> FolioPanel | None:
    """The panel that is asked for; none in a folio without a section."""
    entered = request.POST.dict() if problem is not None else {}
    if asked.arranging:
        return _arranging(asked, entered)
    read = asked.read
    if read is None:
        return None
    match asked.panel:
        case "figures":
            return _figures(read)
        case "style":
            return _style(asked, read)
        case "history":
            return _history(asked, read)
        case _:
            desk = request.session.pop(f"desk-{asked.folio.pk}-{read.section.key}", "")
            return _section(asked, read, entered, desk)


# the section and its steps --------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class ShownTurn:
    """Somebody's turn at a section: whether it is `now` theirs, and whether they have left."""

    who: str
    does: str
    due: str
    now: bool
    left: bool


@dataclass(frozen=True, kw_only=True)
class SectionPanel(FolioPanel):
    """The section, whose turn it is, and remarks on it; how many styles differ from the master and how many of those
    are undecided; what a refused form held; the address for a program on the desk, once."""

    html = "folios/_panel_section.html"
    turns: Sequence[ShownTurn]
    holder: Person | None
    remarks: Sequence[Remark]
    settled: int
    differs: int
    undecided: int
    reason: str
    quote: str
    said: str
    desk: str


def _section(asked: FolioRequest, read: SectionRead, entered: Mapping[str, str], desk: str) -> SectionPanel:
    people = people_named({turn.who for turn in read.section.turns} | {read.standing.holder})
    holder = people.get(read.standing.holder)
    mine = holder == asked.seat.person
    remarks = list(read.row.remarks.select_related("person")) if read.row.pk else []
    differs = beside_master(asked.folio, read.content) if mine else []
    chosen = read.content.chosen if read.content is not None else {}
    looks = mine or read.standing.responsible == asked.seat.person.username
    return SectionPanel(
        typed=read.typed[:12] if looks else (),
        holds=mine,
        uploads=FORMS.get(read.section.kind, ()),
        turns=_turns(read, people),
        holder=holder,
        remarks=[one for one in remarks if not one.settled],
        settled=sum(one.settled for one in remarks),
        differs=len(differs),
        undecided=sum(one.key not in chosen for one in differs),
        reason=entered.get("reason", ""),
        quote=entered.get("quote", ""),
        said=entered.get("text", ""),
        desk=desk,
    )


def _turns(read: SectionRead, people: Mapping[str, Person]) -> list[ShownTurn]:
    now = read.standing
    return [
        ShownTurn(
            people[turn.who].called if turn.who in people else turn.who,
            "writes" if at < len(read.section.writers) else "reviews",
            day_text(turn.due) if turn.due else "",
            now.responsible == turn.who and at == now.turn,
            turn.who not in people or not people[turn.who].is_active,
        )
        for at, turn in enumerate(read.section.turns)
    ]


# figures, style, history ----------------------------------------------------------------------------------------------


@dataclass(frozen=True, kw_only=True)
class FiguresPanel(FolioPanel):
    """The figures that stand live in a section, and the tables by their sources."""

    html = "folios/_panel_figures.html"
    live: Sequence[FilledFigure]
    sources: Sequence[str]


def _figures(read: SectionRead) -> FiguresPanel:
    return FiguresPanel(typed=read.typed, live=list(read.filled.figures.values()), sources=list(read.filled.tables))


@dataclass(frozen=True, kw_only=True)
class StylePanel(FolioPanel):
    """What of a section's file differs from the folio's master, each with what was chosen of it."""

    html = "folios/_panel_style.html"
    differences: Sequence[tuple[Difference, str]]
    undecided: int
    may_choose: bool
    master_name: str
    choices: Sequence[tuple[str, str]] = tuple(CHOICES.items())


def _style(asked: FolioRequest, read: SectionRead) -> StylePanel:
    content = read.content
    found = beside_master(asked.folio, content)
    chosen = content.chosen if content is not None else {}
    return StylePanel(
        differences=[(one, chosen.get(one.key, "")) for one in found],
        undecided=sum(one.key not in chosen for one in found),
        may_choose=read.draft is not None and read.standing.holder == asked.seat.person.username,
        master_name=asked.folio.master_names.get(content.form if content is not None else "docx", ""),
    )


@dataclass(frozen=True, kw_only=True)
class HistoryPanel(FolioPanel):
    """A section's versions and steps, the newest first."""

    html = "folios/_panel_history.html"
    versions: Sequence[Content]
    history: Sequence[SectionStep]


def _history(asked: FolioRequest, read: SectionRead) -> HistoryPanel:
    if not read.row.pk:
        return HistoryPanel(versions=(), history=())
    person = asked.seat.person
    versions = [
        one for one in read.row.contents.select_related("person")
        if one.state == Content.State.RELEASED or one.person_id == person.pk
    ]  # fmt: skip
    steps = read.row.steps.select_related("person")
    if not asked.manages:
        private = ("kept", "uploaded", "dropped", "given up")
        steps = steps.exclude(what__in=private) | steps.filter(person=person)
    return HistoryPanel(versions=versions[:30], history=list(steps.order_by("-pk")[:MOST_STEPS]))


# the outline ----------------------------------------------------------------------------------------------------------


def _arranging(asked: FolioRequest, entered: Mapping[str, str]) -> FolioPanel:
    match asked.panel:
        case "about":
            return _about(asked, entered)
        case "master":
            return _masters(asked)
        case "text":
            return TextPanel(text=entered.get("text") or FOLIOS.write(asked.folio.body))
        case _:
            return _outline(asked, entered)


@dataclass(frozen=True, kw_only=True)
class OutlinePanel(FolioPanel):
    """The settings of a section (`raw`), its writers and reviewers as text; kinds and things for another one, by kind:
    (name, title)."""

    html = "folios/_outline_section.html"
    raw: Mapping[str, str]
    writers: str
    reviewers: str
    things: Mapping[str, Sequence[tuple[str, str]]]
    people: Sequence[Person]
    kinds: Sequence[tuple[str, str]] = tuple(kinds_to_choose())


def _outline(asked: FolioRequest, entered: Mapping[str, str]) -> OutlinePanel:
    ledger, person = asked.seat.ledger, asked.seat.person
    raw: Mapping[str, Any] = {}
    if asked.read is not None:
        raw = asked.folio.body["sections"][asked.reading.outline.number(asked.key) - 1]
    names = ("title", "kind", "of", "part", "orientation", "begins")
    return OutlinePanel(
        raw={name: entered.get(name, raw.get(name, "")) for name in names},
        writers=entered.get("writers", turns_text(raw.get("writers"))),
        reviewers=entered.get("reviewers", turns_text(raw.get("reviewers"))),
        things={
            "statement": _titles(seen_definitions(ledger, person, "statement", level=RUN)),
            "overview": _titles(seen_overviews(ledger, person)),
            "worksheet": _titles(seen_worksheets(ledger, person)),
            "extract": _titles(seen_extracts(ledger, person)),
        },
        people=people_of(ledger.code),
    )


def _titles(seen: Sequence[Any]) -> list[tuple[str, str]]:
    return [(one.name, one.title) for one in seen]


@dataclass(frozen=True, kw_only=True)
class AboutPanel(FolioPanel):
    """The settings of the folio itself, and where it stands."""

    html = "folios/_outline_about.html"
    about: Mapping[str, str]
    takes_back: bool
    nodes: Sequence[tuple[str, str, str]]
    people: Sequence[Person]
    shelves: Sequence[Shelf]


def _about(asked: FolioRequest, entered: Mapping[str, str]) -> AboutPanel:
    body, seat = asked.folio.body, asked.seat
    names = ("title", "about", "period", "node", "revision", "owner")
    return AboutPanel(
        about={name: entered.get(name, body.get(name, "")) for name in names},
        takes_back=body.get("take back") == "yes",
        nodes=seat.nodes,
        people=people_of(seat.ledger.code),
        shelves=shelves_seen(seat.ledger, seat.person),
    )


@dataclass(frozen=True, kw_only=True)
class MastersPanel(FolioPanel):
    """The files whose styles everything takes: (form, title, suffix, the name of the one that was given)."""

    html = "folios/_outline_master.html"
    masters: Sequence[tuple[str, str, str, str]]


def _masters(asked: FolioRequest) -> MastersPanel:
    own = asked.folio.master_names
    return MastersPanel(masters=[
        (form, title, f".{form}", own.get(form, "")) for form, title in (("docx", "Word file"), ("pptx", "Slides"))
    ])  # fmt: skip


@dataclass(frozen=True, kw_only=True)
class TextPanel(FolioPanel):
    """The folio as its file has it."""

    html = "folios/_outline_text.html"
    text: str
