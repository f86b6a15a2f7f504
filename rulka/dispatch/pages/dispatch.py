"""One dispatch: who gets what, as it was rehearsed; what was sent before; and the panel by which it is changed."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from django.http import HttpRequest, HttpResponse, QueryDict
from django.views.decorators.http import require_GET, require_POST

from rulka.core.errors import NotFound, RulkaError, one_of
from rulka.core.sending.dispatches import EXISTS, FIELDS, FIGURES, FORMS, PAGES, WAYS, Recipient, Thing, Way
from rulka.core.sending.dispatches import DispatchDef as DispatchDef
from rulka.core.sending.letters import NAMES
from rulka.core.sending.occasions import HOW, SendingRule
from rulka.dispatch.editing.changing import CHANGES, change
from rulka.dispatch.library.servers import servers_of
from rulka.dispatch.library.storing import body_of, copy, delete, find_dispatch, read, rename, save_dispatch, where_used
from rulka.dispatch.models import Delivery, Dispatch, Sending, Server, Use
from rulka.dispatch.pages.common import DispatchPage, to
from rulka.dispatch.running.delivering import (
    ask,
    by_hand,
    may_read,
    rehearsal_of,
    rehearse_again,
)
from rulka.dispatch.running.schedule import comes_next
from rulka.dispatch.running.tasks import call
from rulka.formats.dispatch_file import read_dispatches, write_dispatch
from rulka.formats.output.page import show
from rulka.ledger.seat import Seat, seat_of
from rulka.people.library.persons import group_names, people_named, people_of, people_with
from rulka.people.library.rights import sees_in_words
from rulka.people.models import Person
from rulka.screen import Screen
from rulka.statements.library.opening import open_statement
from rulka.statements.output.sendable import kind_named, kinds
from rulka.statements.running.runs import page_nodes, read_by, run

TABS = (("what", "What"), ("who", "Who"), ("when", "When"), ("letter", "Letter"), ("text", "Text"))
MOST_SENT = 30
MOST_LINES = 400


@dataclass(frozen=True, kw_only=True)
class OneDispatchPage(DispatchPage):
    """A dispatch, `kept` and as it reads (`found`); its rehearsal's deliveries (`rows`) with the one that is `chosen`;
    what was sent before; one of its panels."""

    html = "dispatch/dispatch.html"
    kept: Dispatch
    found: DispatchDef
    ways: Sequence[WayLine]
    figures: str
    titles: Sequence[str]
    coming: Sequence[tuple[SendingRule, datetime | None]]
    rehearsal: Sending | None
    rows: Sequence[DeliveryRow]
    chosen: DeliveryRow | None
    may_read: bool
    total: int
    people_count: int
    kept_back: Sequence[DeliveryRow]
    sent: Sequence[SentBefore]
    tab: str
    entered: QueryDict | Mapping[str, str]
    panel: Screen
    tabs: Sequence[tuple[str, str]] = TABS


@dataclass(frozen=True)
class WayLine:
    """A way that a dispatch goes, whether it is switched off, and where files go by it."""

    name: str
    kind: str
    off: bool
    path: str
    exists: str
    server: str


@dataclass(frozen=True)
class DeliveryRow:
    """A delivery as a table shows it: `first` where the line above is of somebody else."""

    one: Delivery
    called: str
    sees: str
    forms: str
    bytes: int
    first: bool


@dataclass(frozen=True)
class SentBefore:
    """An occasion that was, with how much of it arrived."""

    sending: Sending
    done: int
    of: int
    bad: str


def rows_of(sending: Sending, people: dict[int, Person]) -> list[DeliveryRow]:
    """The deliveries of an occasion, each with what its recipient sees."""
    rows, before, sees = [], 0, dict[int, str]()
    for one in sending.deliveries.all():
        person = people.get(one.person)
        if one.person not in sees:
            sees[one.person] = sees_in_words(person, sending.ledger) if person else ""
        forms = ", ".join(dict.fromkeys(file["name"].rpartition(".")[2] for file in one.files))
        size = sum(file["bytes"] for file in one.files)
        called = person.called if person else one.person_name
        rows.append(
            DeliveryRow(one, called, _shortly(sees[one.person]), forms, size, one.person != before or not one.person)
        )
        before = one.person
    return rows


def _shortly(text: str) -> str:
    return text.removesuffix(" (their own)").removesuffix("; all of it") or "nothing"


def people_in(sendings: Iterable[Sending]) -> dict[int, Person]:
    """The people that some occasions go to, by key."""
    keys = {key for one in sendings for key in one.deliveries.values_list("person", flat=True)}
    return people_with(keys)


def _sent(dispatch: Dispatch) -> list[SentBefore]:
    found = []
    before = Sending.objects.filter(ledger=dispatch.ledger.code, dispatch=dispatch.name, rehearsal=False)
    for one in before[:MOST_SENT]:
        states = list(one.deliveries.values_list("state", "person_name"))
        done = sum(state in (Delivery.State.DELIVERED, Delivery.State.RECALLED) for state, _ in states)
        bad = [
            f"{name} {Delivery.State(state).value}"
            for state, name in states
            if state in ("refused", "not sent", "not known")
        ]
        found.append(SentBefore(one, done, len(states), "; ".join(dict.fromkeys(bad))))
    return found


@require_GET
def dispatch(request: HttpRequest, name: str) -> HttpResponse:
    """A dispatch with its panel."""
    seat = seat_of(request)
    return _page(request, seat, find_dispatch(seat.ledger, name, person=seat.person))


def _page(request: HttpRequest, seat: Seat, kept: Dispatch, problem: RulkaError | None = None) -> HttpResponse:
    found = read(body_of(kept))
    rehearsal = rehearsal_of(kept, seat.period.code)
    rows = rows_of(rehearsal, people_in([rehearsal])) if rehearsal else []
    chosen = next((row for row in rows if row.one.identity == request.GET.get("to")), None) or next(
        (row for row in rows if row.one.letter), None
    )
    asked = request.POST.get("tab") or request.GET.get("tab", "")
    tab = asked if asked in dict(TABS) else "letter" if rows else "what"
    return OneDispatchPage(
        seat=seat,
        problem=problem,
        kept=kept,
        found=found,
        ways=[_way_line(way, raw) for way, raw in zip(found.ways, kept.body["ways"], strict=True)],
        figures=FIGURES[found.figures],
        titles=_titles(seat, found.things),
        coming=comes_next(kept),
        rehearsal=rehearsal,
        rows=rows,
        chosen=chosen,
        may_read=chosen is not None and may_read(chosen.one, seat.person),
        total=sum(row.bytes for row in rows),
        people_count=len({row.one.person_name for row in rows}),
        kept_back=[row for row in rows if row.one.state == Delivery.State.NOT_SENT],
        sent=_sent(kept),
        tab=tab,
        entered=request.POST if problem else {},
        panel=PANELS[tab](seat, kept),
    ).answer(request)


def _titles(seat: Seat, things: Iterable[Thing]) -> list[str]:
    """What goes, by title; by name where that isn't theirs to see."""
    of_kinds = {kind: kind_named(kind).names(seat.ledger, seat.person) for kind in {thing.kind for thing in things}}
    known = {(kind, name): title for kind, names in of_kinds.items() for name, title in names}
    return list(dict.fromkeys(known.get(thing.key, thing.name) for thing in things))


def _way_line(way: Way, raw: Mapping[str, str]) -> WayLine:
    return WayLine(way.name, way.kind, way.off, *(raw.get(field, "") for field in ("path", "exists", "server")))


# the panel ------------------------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class ThingLine:
    """Something that goes, at its place among those that do: as which files, for which nodes and sheets."""

    at: int
    title: str
    forms: Sequence[str]
    node: str
    sheets: str | Sequence[str]
    each: bool


@dataclass(frozen=True, kw_only=True)
class WhatPanel(Screen):
    """What goes, of its own and chosen elsewhere (`uses`), and what could; how fresh its figures are."""

    html = "dispatch/_what.html"
    things: Sequence[ThingLine]
    uses: Sequence[Use]
    choices: Sequence[tuple[str, Sequence[tuple[str, str]]]]
    used: Sequence[str]
    forms: Sequence[str] = tuple(FORMS)
    pages: Sequence[tuple[str, str]] = tuple(PAGES.items())
    freshness: Sequence[tuple[str, str]] = tuple(FIGURES.items())


def _what(seat: Seat, kept: Dispatch) -> WhatPanel:
    choices = [(kind, kind_named(kind).names(seat.ledger, seat.person)) for kind in kinds()]
    titles = {(kind, name): title for kind, names in choices for name, title in names}
    things = [
        ThingLine(
            at,
            _title_of(raw, titles),
            _several(raw.get("as", "workbook")),
            ", ".join(_several(raw.get("node", ""))),
            raw.get("sheets", ""),
            raw.get("files") == "each",
        )
        for at, raw in enumerate(kept.body.get("sends", ()))
    ]
    return WhatPanel(things=things, uses=list(kept.uses.all()), choices=choices, used=where_used(kept))


def _several(said: Any) -> list[str]:
    return [said] if isinstance(said, str) else list(said)


def _title_of(raw: dict[str, Any], titles: dict[tuple[str, str], str]) -> str:
    kind = next(one for one in kinds() if one in raw)
    return titles.get((kind, raw[kind]), f"{raw[kind]}, which isn't there")


@dataclass(frozen=True)
class RecipientLine:
    """A recipient, at its place among them, and what people call it."""

    at: int
    one: Recipient
    called: str


@dataclass(frozen=True, kw_only=True)
class WhoPanel(Screen):
    """Who gets it, and who could."""

    html = "dispatch/_who.html"
    recipients: Sequence[RecipientLine]
    people: Sequence[Person]
    groups: Sequence[str]


def _who(seat: Seat, kept: Dispatch) -> WhoPanel:
    every = read(kept.body).recipients
    called = {name: person.called for name, person in people_named(each.person for each in every).items()}
    recipients = [
        RecipientLine(number, each, each.text if each.rule else called.get(each.person, each.text))
        for number, each in enumerate(every)
    ]
    return WhoPanel(recipients=recipients, people=people_of(seat.ledger.code), groups=group_names())


@dataclass(frozen=True, kw_only=True)
class WhenPanel(Screen):
    """When it goes, with `how` rules are written."""

    html = "dispatch/_when.html"
    how: Sequence[str] = HOW


def _when(seat: Seat, kept: Dispatch) -> WhenPanel:
    return WhenPanel()


@dataclass(frozen=True, kw_only=True)
class LetterPanel(Screen):
    """The letters of a dispatch, and what may stand in them, as (token, words) and as tokens alone; ways to add."""

    html = "dispatch/_letter.html"
    letters: Sequence[Mapping[str, Any]]
    figure_tokens: Sequence[tuple[str, str]]
    servers: Sequence[Server]
    tokens: Sequence[str] = tuple(f"{{{name}}}" for name in NAMES)
    exists: Sequence[str] = EXISTS
    kinds: Sequence[str] = WAYS


def _letter(seat: Seat, kept: Dispatch) -> LetterPanel:
    """The letters of the dispatch, and the figures of its statements that may stand in them."""
    found, figures = read(body_of(kept)), []
    for thing in found.things:
        if thing.kind == "statement":
            try:
                figures += _figures_of(seat, thing.name)
            except RulkaError:  # not theirs, or not for this node: its figures aren't offered
                continue
    letters = [
        {"name": raw.get("name") or raw["way"], **{field: raw.get(field, "") for field in FIELDS["mail"]}}
        for raw in kept.body["ways"]
        if raw["way"] == "mail"
    ]
    return LetterPanel(letters=letters, figure_tokens=figures[:MOST_LINES], servers=servers_of(seat.ledger))


def _figures_of(seat: Seat, name: str) -> list[tuple[str, str]]:
    """(token, words) of the figures of a statement that show."""
    definitions = open_statement(seat.ledger, name, person=seat.person)
    scope = definitions.get("scope")
    node = seat.node if scope is None else page_nodes(read_by(definitions, seat.person), seat.view)[0].code
    computed = run(definitions, seat.period.code, node, seat.view.fence, seat.person).computed
    shown = show(computed)
    found = []
    for row in shown.rows:
        for cell in row.cells:
            if cell.text.strip() and not cell.words and not cell.trend:
                key = row.key.removesuffix(".total")
                heading = next((one.heading for one in shown.columns if one.key == cell.column), cell.column)
                found.append((f"{{figure {name} / {key} / {cell.column}}}", f"{row.label}, {heading}"))
    return [(f"{{table {name}}}", f"{shown.title}, as a table"), *found]


@dataclass(frozen=True, kw_only=True)
class TextPanel(Screen):
    """A dispatch as its file has it."""

    html = "dispatch/_text.html"
    text: str


def _text(seat: Seat, kept: Dispatch) -> TextPanel:
    return TextPanel(text=write_dispatch(kept.body))


PANELS: Mapping[str, Callable[[Seat, Dispatch], Screen]] = {
    "what": _what,
    "who": _who,
    "when": _when,
    "letter": _letter,
    "text": _text,
}


# doing ----------------------------------------------------------------------------------------------------------------


def _send(seat: Seat, kept: Dispatch, request: HttpRequest) -> HttpResponse:
    period = seat.period.code
    made = ask(kept, period, by_hand(kept, period), person=seat.person)
    call()
    return to(seat, "sending", made.pk)


def _rehearse(seat: Seat, kept: Dispatch, request: HttpRequest) -> HttpResponse:
    rehearse_again(kept, seat.period.code, person=seat.person)
    call()
    return to(seat, "dispatch", kept.name)


def _copy(seat: Seat, kept: Dispatch, request: HttpRequest) -> HttpResponse:
    return to(seat, "dispatch", copy(kept, request.POST.get("title", ""), person=seat.person).name)


def _rename(seat: Seat, kept: Dispatch, request: HttpRequest) -> HttpResponse:
    rename(kept, request.POST.get("title", ""), person=seat.person)
    return to(seat, "dispatch", kept.name, more="&tab=what")


def _delete(seat: Seat, kept: Dispatch, request: HttpRequest) -> HttpResponse:
    delete(kept, person=seat.person)
    return to(seat, "dispatches")


def _save_text(seat: Seat, kept: Dispatch, request: HttpRequest) -> HttpResponse:
    bodies = read_dispatches(request.POST.get("text", ""), kept.name)
    if len(bodies) != 1 or bodies[0].get("dispatch") != kept.name:
        raise RulkaError(f"The text is that of one dispatch, '{kept.name}'.", hint="Copy it to get another one.",
                         subject="text")  # fmt: skip
    save_dispatch(seat.ledger, bodies[0], kept.name, person=seat.person)
    return to(seat, "dispatch", kept.name, more="&tab=text")


DOING: dict[str, Callable[[Seat, Dispatch, HttpRequest], HttpResponse]] = {
    "send": _send,
    "rehearse": _rehearse,
    "copy": _copy,
    "rename": _rename,
    "delete": _delete,
    "text": _save_text,
}


@require_POST
def act(request: HttpRequest, name: str) -> HttpResponse:
    """Send, rehearse, or change a dispatch."""
    seat = seat_of(request)
    kept = find_dispatch(seat.ledger, name, person=seat.person)
    what = request.POST.get("do", "")
    try:
        if what in DOING:
            return DOING[what](seat, kept, request)
        if what not in CHANGES:
            raise NotFound(
                f"Nothing is called '{what[:40]}'.", hint=one_of(what, [*DOING, *CHANGES]), subject="dispatch"
            )
        said = {field: value for field, value in request.POST.items() if isinstance(value, str)}
        several = {field: request.POST.getlist(field) for field in ("as", "by")}
        change(kept, what, said, person=seat.person, several=several)
    except RulkaError as error:
        return _page(request, seat, find_dispatch(seat.ledger, name, person=seat.person), error)
    tab = request.POST.get("tab", "")
    return to(seat, "dispatch", name, more=f"&tab={tab}" if tab in dict(TABS) else "")


@dataclass(frozen=True, kw_only=True)
class Rehearsing(Screen):
    """What stands where the deliveries will, while a rehearsal is made."""

    html = "dispatch/_rehearsing.html"
    seat: Seat
    kept: Dispatch


@require_GET
def rehearsed(request: HttpRequest, name: str) -> HttpResponse:
    """How far a rehearsal is: the table once it is done."""
    seat = seat_of(request)
    kept = find_dispatch(seat.ledger, name, person=seat.person)
    rehearsal = rehearsal_of(kept, seat.period.code)
    if rehearsal is None or rehearsal.state not in (Sending.State.ASKED, Sending.State.MADE):
        response = HttpResponse(status=204)
        response["HX-Refresh"] = "true"
        return response
    return Rehearsing(seat=seat, kept=kept).response(request)
