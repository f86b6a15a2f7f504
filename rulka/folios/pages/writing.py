"""The editor's own requests: what was written is kept, live places are chosen and filled."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from django.http import HttpRequest, HttpResponse, JsonResponse
from django.views.decorators.http import require_GET, require_POST

from rulka.core.errors import RulkaError
from rulka.core.folios.filled import Filled
from rulka.core.folios.writing import Document, LiveTable, figure_named
from rulka.core.overviews.definitions import KINDS
from rulka.extracts.library.opening import runnable as runnable_extracts
from rulka.extracts.library.storing import definition_of
from rulka.folios.editing.acting import keep_text
from rulka.folios.models import Folio
from rulka.folios.pages.readers import FolioRequest, asked_for
from rulka.formats.writing.page import as_page
from rulka.overviews.library.opening import runnable as runnable_overviews
from rulka.screen import Screen
from rulka.statements.library.on_shelves import may_run_among
from rulka.statements.library.opening import seen_definitions
from rulka.statements.library.shelves import RUN
from rulka.worksheets.library.opening import seen_worksheets

MOST_SENT = 2_400_000
KIND_TITLES = (("statement", "statement"), ("overview", "overview"), ("worksheet", "worksheet"), ("extract", "extract"))


@require_POST
def keep(request: HttpRequest, name: str, key: str) -> HttpResponse:
    """Keep what was written; how often it was kept, and what typed numbers look like figures."""
    asked = asked_for(request, name, key)
    try:
        sent = _sent(request)
        seen = sent.get("version")
        content = keep_text(
            asked.folio, key, sent.get("document"), asked.seat.person,
            seen=seen if isinstance(seen, int) and not isinstance(seen, bool) else None,
        )  # fmt: skip
    except RulkaError as error:
        return JsonResponse({"problem": error.message, "hint": error.hint, "code": error.code}, status=422)
    return JsonResponse({"version": content.version})


def _sent(request: HttpRequest) -> dict[str, Any]:
    if int(request.META.get("CONTENT_LENGTH") or 0) > MOST_SENT:
        raise RulkaError("The section is too long.", hint="Make two sections of it.", subject="text")
    try:
        sent = json.loads(request.body)
    except (ValueError, RecursionError):
        raise RulkaError("That is no text of a section.", hint="Load the page again.", subject="text") from None
    if not isinstance(sent, dict):
        raise RulkaError("That is no text of a section.", hint="Load the page again.", subject="text")
    return sent


@require_GET
def fill(request: HttpRequest, name: str, key: str) -> HttpResponse:
    """How a live place reads: a figure by its key, or a table by its source."""
    asked = asked_for(request, name, key)
    places = asked.reading.places()
    text = request.GET.get("source", "")[:700]
    if "#" in text:
        filled = places.filled([figure_named(text)], ())
        figure = filled.figure(text)
        return JsonResponse(
            {"text": figure.text or "?", "title": ", ".join(filter(None, (figure.name, figure.heading))),
             "problem": figure.problem}
        )  # fmt: skip
    found: Filled = places.filled((), [text])
    return JsonResponse({"html": as_page(Document((LiveTable(text),)), found), "problem": ""})


@dataclass(frozen=True)
class PlaceableThings:
    """What of a thing can be placed: lines, each (key, title, depth) and columns, for one figure; whole `pieces`, each
    (source, title); a `hint` where it is written out."""

    rows: Sequence[tuple[str, str, int]] = ()
    columns: Sequence[tuple[str, str]] = ()
    pieces: Sequence[tuple[str, str]] = ()
    hint: str = ""


@dataclass(frozen=True, kw_only=True)
class PlacesPart(Screen):
    """Where a live figure or table is chosen: the things of a `kind`, and what can be placed `of` one."""

    html = "folios/_places.html"
    folio: Folio
    kind: str
    of: str
    things: Sequence[tuple[str, str]]
    found: PlaceableThings
    row: str
    problem: RulkaError | None
    kinds: Sequence[tuple[str, str]] = KIND_TITLES


@require_GET
def places(request: HttpRequest, name: str) -> HttpResponse:
    """What can be placed: a thing, then what of it."""
    asked = asked_for(request, name)
    kind, of = request.GET.get("kind", "statement"), request.GET.get("of", "")
    things = _things(asked, kind)
    if of not in dict(things):
        of = next((one for one, _ in things), "")
    found, problem = PlaceableThings(), None
    try:
        found = _pieces(asked, kind, of) if of else found
    except RulkaError as error:
        problem = error
    row = request.GET.get("row", "")
    part = PlacesPart(folio=asked.folio, kind=kind, of=of, things=things, found=found, row=row, problem=problem)
    return part.response(request)


def _things(asked: FolioRequest, kind: str) -> list[tuple[str, str]]:
    ledger, person = asked.seat.ledger, asked.seat.person
    if kind == "overview":
        return [(one.name, one.title) for one in runnable_overviews(ledger, person)]
    if kind == "worksheet":
        return [(one.name, one.title) for one in may_run_among(seen_worksheets(ledger, person), person)]
    if kind == "extract":
        return [(one.name, one.title) for one in runnable_extracts(ledger, person)]
    seen = seen_definitions(ledger, person, "statement", level=RUN)
    return [(one.name, one.title) for one in seen]


def _pieces(asked: FolioRequest, kind: str, of: str) -> PlaceableThings:
    """What of a thing can be placed: lines and columns of a statement, tiles and lines of an overview, blocks of a
    worksheet, sums of an extract."""
    places = asked.reading.places()
    if kind == "statement":
        _, computed = places.computed(of)
        rows = [(row.key, row.label, row.depth) for row in computed.rows if row.has_figures and not row.hidden]
        columns = [
            (one.key, ", ".join(filter(None, (one.group, one.heading)))) for one in computed.columns
            if one.kind != "text" and not one.hidden
        ]  # fmt: skip
        return PlaceableThings(rows, columns, [(f"statement:{of}", "The whole statement")])
    if kind == "overview":
        definition = places.overview(of)[0].definition
        pieces = [(f"overview:{of}|{tile.key}", tile.title or KINDS[tile.kind]) for tile in definition.tiles]
        lines = {line.title: line for tile in definition.tiles for line in tile.lines}
        columns = [(f"{window}-{what}", f"{title}, {what}")
                   for window, title in (("month", "month"), ("date", "year to date"), ("year", "whole year"))
                   for what in ("actual", "budget", "gap", "prior", "change")]  # fmt: skip
        return PlaceableThings([(name, name, 0) for name in lines], columns, pieces)
    if kind == "worksheet":
        return PlaceableThings(hint="Write a cell or cells, such as Sheet!B4 or Sheet!A1:D9, or a block's name.")
    extract = next(one for one in runnable_extracts(asked.seat.ledger, asked.seat.person) if one.name == of)
    summed = definition_of(extract, asked.seat.person).columns
    rows = [("rows", "How many rows", 0), *((one.key, one.title, 0) for one in summed)]
    return PlaceableThings(rows, pieces=[(f"extract:{of}", "Its rows as a table")])
