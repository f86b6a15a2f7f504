"""The panel beside a folio's page: the section and its steps, its figures and typed numbers, its style, its history;
where the outline is changed its settings."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest

from rulka.core.errors import RulkaError
from rulka.core.folios.edits import kinds_to_choose, turns_text
from rulka.core.folios.outline import KINDS
from rulka.core.folios.styles import CHOICES
from rulka.extracts.library.opening import seen_extracts
from rulka.folios.editing.uploading import FORMS
from rulka.folios.models import Content
from rulka.folios.pages.readers import Asked
from rulka.folios.running.comparing import beside_master
from rulka.folios.running.sections import SectionRead
from rulka.formats.folio_file import FOLIOS
from rulka.overviews.library.opening import seen_overviews
from rulka.people.library.persons import people_named, people_of
from rulka.people.library.preferences import day_text
from rulka.statements.library.opening import seen_definitions
from rulka.statements.library.shelves import RUN, shelves_seen
from rulka.worksheets.library.opening import seen_worksheets

MOST_STEPS = 40
NOTHING: dict[str, Any] = {"typed": [], "holds": False, "uploads": (), "differs": 0}
"""What the page asks of its panel, whichever it is."""


def panel_context(request: HttpRequest, asked: Asked, problem: RulkaError | None) -> dict[str, Any]:
    """What the panel shows."""
    return {**NOTHING, **_panel(request, asked, problem)}


def _panel(request: HttpRequest, asked: Asked, problem: RulkaError | None) -> dict[str, Any]:
    if asked.arranging:
        return _outline(request, asked, problem)
    read = asked.read
    if read is None:
        return {}
    match asked.panel:
        case "figures":
            return _figures(read)
        case "style":
            return _style(asked, read)
        case "history":
            return _history(asked, read)
        case _:
            return _section(request, asked, read, problem)


def _section(request: HttpRequest, asked: Asked, read: SectionRead, problem: RulkaError | None) -> dict[str, Any]:
    names = {turn.who for turn in read.section.turns} | {read.standing.holder}
    people = people_named(names)
    turns = [
        {
            "who": people[turn.who].called if turn.who in people else turn.who,
            "does": "writes" if at < len(read.section.writers) else "reviews",
            "due": day_text(turn.due) if turn.due else "", "now": read.standing.responsible == turn.who
            and at == read.standing.turn, "left": turn.who not in people or not people[turn.who].is_active,
        }
        for at, turn in enumerate(read.section.turns)
    ]  # fmt: skip
    holder = people.get(read.standing.holder)
    mine = holder == asked.seat.person
    remarks = list(read.row.remarks.select_related("person")) if read.row.pk else []
    differs = beside_master(asked.folio, read.content) if mine else []
    chosen = read.content.chosen if read.content is not None else {}
    return {
        "turns": turns, "holder": holder, "holds": mine,
        "remarks": [one for one in remarks if not one.settled], "settled": sum(one.settled for one in remarks),
        "typed": read.typed[:12] if mine or read.standing.responsible == asked.seat.person.username else [],
        "uploads": FORMS.get(read.section.kind, ()), "differs": len(differs),
        "undecided": sum(one.key not in chosen for one in differs),
        "reason": request.POST.get("reason", "") if problem is not None else "",
        "quote": request.POST.get("quote", "") if problem is not None else "",
        "said": request.POST.get("text", "") if problem is not None else "",
        "desk": request.session.pop(f"desk-{asked.folio.pk}-{read.section.key}", ""),
    }  # fmt: skip


def _figures(read: SectionRead) -> dict[str, Any]:
    live = [
        {"source": key.partition("#")[0], "text": one.text, "name": one.name, "heading": one.heading,
         "address": one.address, "problem": one.problem}
        for key, one in read.filled.figures.items()
    ]  # fmt: skip
    return {"live": live, "typed": read.typed, "sources": list(read.filled.tables)}


def _style(asked: Asked, read: SectionRead) -> dict[str, Any]:
    content = read.content
    found = beside_master(asked.folio, content)
    chosen = content.chosen if content is not None else {}
    return {
        "differences": [(one, chosen.get(one.key, "")) for one in found], "choices": list(CHOICES.items()),
        "undecided": sum(one.key not in chosen for one in found),
        "may_choose": read.draft is not None and read.standing.holder == asked.seat.person.username,
        "master_name": asked.folio.master_names.get(content.form if content is not None else "docx", ""),
    }  # fmt: skip


def _history(asked: Asked, read: SectionRead) -> dict[str, Any]:
    if not read.row.pk:
        return {"history": [], "versions": []}
    person = asked.seat.person
    versions = [
        one for one in read.row.contents.select_related("person")
        if one.state == Content.State.RELEASED or one.person_id == person.pk
    ]  # fmt: skip
    steps = read.row.steps.select_related("person")
    if not asked.manages:
        private = ("kept", "uploaded", "dropped", "given up")
        steps = steps.exclude(what__in=private) | steps.filter(person=person)
    return {"history": list(steps.order_by("-pk")[:MOST_STEPS]), "versions": versions[:30]}


def _outline(request: HttpRequest, asked: Asked, problem: RulkaError | None) -> dict[str, Any]:
    entered = request.POST if problem is not None else {}
    raw = next((one for one in asked.folio.body.get("sections", ()) if asked.read is not None
                and (one.get("section") or "") == asked.key), None)  # fmt: skip
    if raw is None and asked.read is not None:
        place = asked.reading.outline.number(asked.key) - 1
        raw = asked.folio.body["sections"][place]
    raw = raw or {}
    body = asked.folio.body
    seat = asked.seat
    things = {
        "statement": [(one.name, one.title)
                      for one in seen_definitions(seat.ledger, seat.person, "statement", level=RUN)],
        "overview": [(one.name, one.title) for one in seen_overviews(seat.ledger, seat.person)],
        "worksheet": [(one.name, one.title) for one in seen_worksheets(seat.ledger, seat.person)],
        "extract": [(one.name, one.title) for one in seen_extracts(seat.ledger, seat.person)],
    }  # fmt: skip
    return {
        "raw": {name: entered.get(name, raw.get(name, "")) for name in ("title", "kind", "of", "part", "orientation",
                                                                      "begins")},
        "writers": entered.get("writers", turns_text(raw.get("writers"))),
        "reviewers": entered.get("reviewers", turns_text(raw.get("reviewers"))),
        "kinds": kinds_to_choose(), "kind_titles": KINDS, "things": things,
        "people": people_of(seat.ledger.code),
        "about": {name: entered.get(name, body.get(name, "")) for name in ("title", "about", "period", "node",
                                                                          "revision", "owner")},
        "takes_back": body.get("take back") == "yes",
        "text": entered.get("text") or FOLIOS.write(body), "shelves": shelves_seen(seat.ledger, seat.person),
        "nodes": seat.nodes,
        "masters": [
            (form, title, f".{form}", asked.folio.master_names.get(form, ""))
            for form, title in (("docx", "Word file"), ("pptx", "Slides"))
        ],
    }  # fmt: skip
