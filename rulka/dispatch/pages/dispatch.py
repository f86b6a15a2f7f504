"""One dispatch: who gets what, as it was rehearsed; what was sent before; and the panel by which it is changed."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from typing import Any

from django.http import HttpRequest, HttpResponse
from django.views.decorators.http import require_GET, require_POST

from rulka.core.errors import NotFound, RulkaError, one_of
from rulka.core.sending.dispatches import EXISTS, FIELDS, FIGURES, FORMS, PAGES, WAYS, Thing, Way
from rulka.core.sending.letters import NAMES
from rulka.core.sending.occasions import HOW
from rulka.dispatch.editing.changing import CHANGES, change
from rulka.dispatch.library.servers import servers_of
from rulka.dispatch.library.storing import body_of, copy, delete, find_dispatch, read, rename, save_dispatch, where_used
from rulka.dispatch.models import Delivery, Dispatch, Sending
from rulka.dispatch.pages.common import page, to
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
from rulka.statements.library.opening import open_statement
from rulka.statements.output.sendable import kind_named, kinds
from rulka.statements.running.runs import page_nodes, read_by, run

TABS = (("what", "What"), ("who", "Who"), ("when", "When"), ("letter", "Letter"), ("text", "Text"))
MOST_SENT = 30
MOST_LINES = 400


@dataclass(frozen=True)
class Row:
    """A delivery as a table shows it: `first` where the line above is of somebody else."""

    one: Delivery
    called: str
    sees: str
    forms: str
    bytes: int
    first: bool


@dataclass(frozen=True)
class Sent:
    """An occasion that was, with how much of it arrived."""

    sending: Sending
    done: int
    of: int
    bad: str


def rows_of(sending: Sending, people: dict[int, Person]) -> list[Row]:
    """The deliveries of an occasion, each with what its recipient sees."""
    rows, before, sees = [], 0, dict[int, str]()
    for one in sending.deliveries.all():
        person = people.get(one.person)
        if one.person not in sees:
            sees[one.person] = sees_in_words(person, sending.ledger) if person else ""
        forms = ", ".join(dict.fromkeys(file["name"].rpartition(".")[2] for file in one.files))
        size = sum(file["bytes"] for file in one.files)
        called = person.called if person else one.person_name
        rows.append(Row(one, called, _shortly(sees[one.person]), forms, size, one.person != before or not one.person))
        before = one.person
    return rows


def _shortly(text: str) -> str:
    return text.removesuffix(" (their own)").removesuffix("; all of it") or "nothing"


def people_in(sendings: Iterable[Sending]) -> dict[int, Person]:
    """The people that some occasions go to, by key."""
    keys = {key for one in sendings for key in one.deliveries.values_list("person", flat=True)}
    return people_with(keys)


def _sent(dispatch: Dispatch) -> list[Sent]:
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
        found.append(Sent(one, done, len(states), "; ".join(dict.fromkeys(bad))))
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
    context: dict[str, Any] = {
        "kept": kept,
        "found": found,
        "ways": [_way_line(way, raw) for way, raw in zip(found.ways, kept.body["ways"], strict=True)],
        "figures": FIGURES[found.figures],
        "titles": _titles(seat, found.things),
        "coming": comes_next(kept),
        "rehearsal": rehearsal,
        "rows": rows,
        "chosen": chosen,
        "may_read": chosen is not None and may_read(chosen.one, seat.person),
        "total": sum(row.bytes for row in rows),
        "people_count": len({row.one.person_name for row in rows}),
        "kept_back": [row for row in rows if row.one.state == Delivery.State.NOT_SENT],
        "sent": _sent(kept),
        "tab": tab,
        "tabs": TABS,
        "entered": request.POST if problem else {},
        "uses": list(kept.uses.all()),
        **PANELS[tab](seat, kept),
    }
    return page(request, seat, "dispatch", context, problem)


def _titles(seat: Seat, things: Iterable[Thing]) -> list[str]:
    """What goes, by title; by name where that isn't theirs to see."""
    of_kinds = {kind: kind_named(kind).names(seat.ledger, seat.person) for kind in {thing.kind for thing in things}}
    known = {(kind, name): title for kind, names in of_kinds.items() for name, title in names}
    return list(dict.fromkeys(known.get(thing.key, thing.name) for thing in things))


def _way_line(way: Way, raw: dict[str, Any]) -> dict[str, Any]:
    said = {field: raw.get(field, "") for field in ("path", "exists", "server")}
    return {"name": way.name, "kind": way.kind, "off": way.off, **said}


# the panel ------------------------------------------------------------------------------------------------------------


def _what(seat: Seat, kept: Dispatch) -> dict[str, Any]:
    choices = [(kind, kind_named(kind).names(seat.ledger, seat.person)) for kind in kinds()]
    titles = {(kind, name): title for kind, names in choices for name, title in names}
    return {
        "things": [
            {"at": at, "sheets": raw.get("sheets", ""), "each": raw.get("files") == "each",
             "title": _title_of(raw, titles), "forms": _several(raw.get("as", "workbook")),
             "node": ", ".join(_several(raw.get("node", "")))}
            for at, raw in enumerate(kept.body.get("sends", ()))
        ],
        "choices": choices,
        "forms": list(FORMS),
        "pages": PAGES.items(),
        "freshness": FIGURES.items(),
        "used": where_used(kept),
    }  # fmt: skip


def _several(said: Any) -> list[str]:
    return [said] if isinstance(said, str) else list(said)


def _title_of(raw: dict[str, Any], titles: dict[tuple[str, str], str]) -> str:
    kind = next(one for one in kinds() if one in raw)
    return titles.get((kind, raw[kind]), f"{raw[kind]}, which isn't there")


def _who(seat: Seat, kept: Dispatch) -> dict[str, Any]:
    found = read(kept.body)
    named = people_named(one.person for one in found.recipients)
    called = {name: one.called for name, one in named.items()}
    return {
        "recipients": [
            {"at": at, "one": one, "called": called.get(one.person, one.text) if not one.rule else one.text}
            for at, one in enumerate(found.recipients)
        ],
        "people": people_of(seat.ledger.code),
        "groups": group_names(),
    }


def _when(seat: Seat, kept: Dispatch) -> dict[str, Any]:
    return {"how": HOW}


def _letter(seat: Seat, kept: Dispatch) -> dict[str, Any]:
    """The letters of the dispatch, and the figures of its statements that may stand in them."""
    found, figures = read(body_of(kept)), []
    for thing in found.things:
        if thing.kind == "statement":
            try:
                figures += _figures_of(seat, thing.name)
            except RulkaError:  # not theirs, or not for this node: its figures aren't offered
                continue
    return {
        "letters": [
            {"name": raw.get("name") or raw["way"], **{field: raw.get(field, "") for field in FIELDS["mail"]}}
            for raw in kept.body["ways"]
            if raw["way"] == "mail"
        ],
        "tokens": [f"{{{name}}}" for name in NAMES],
        "figure_tokens": figures[:MOST_LINES],
        "exists": EXISTS,
        "kinds": WAYS,
        "servers": servers_of(seat.ledger),
    }


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


def _text(seat: Seat, kept: Dispatch) -> dict[str, Any]:
    return {"text": write_dispatch(kept.body)}


PANELS: dict[str, Callable[[Seat, Dispatch], dict[str, Any]]] = {
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
    return page(request, seat, "_rehearsing", {"kept": kept, "rehearsal": rehearsal})
