"""Answers to what is asked of a table, and the statement that comes of it."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from django.http import HttpRequest, HttpResponse, HttpResponseRedirect
from django.urls import reverse
from django.views.decorators.http import require_POST

from rulka.core.errors import NotFound, RulkaError
from rulka.core.rebuild.answering import LEFT_OUT
from rulka.core.rebuild.books import TableReading
from rulka.core.values import place_in
from rulka.ledger.seat import Seat, seat_of
from rulka.rebuilds.library import keeping
from rulka.rebuilds.models import Rebuild
from rulka.rebuilds.output.finding import ask
from rulka.rebuilds.output.making import ShownRebuild, make, mark_made
from rulka.rebuilds.pages.rebuild import page_of, selection_in, table_in


def _back(seat: Seat, found: Rebuild) -> HttpResponse:
    return HttpResponseRedirect(f"{reverse('rebuild', args=[found.pk])}?{seat.query}")


@require_POST
def answer(request: HttpRequest, number: int) -> HttpResponse:
    """Keep an answer; node, scale and columns are looked for again with it."""
    seat = seat_of(request)
    found = keeping.find_rebuild(seat.ledger, number, seat.person)
    try:
        if found.is_open:
            raise RulkaError("It is still being looked for.", hint="Wait for it, or stop it.", subject=found.title)
        _answered(request, seat, found)
    except RulkaError as error:
        return page_of(request, seat, found, error)
    return _back(seat, found)


def _answered(request: HttpRequest, seat: Seat, found: Rebuild) -> None:
    sent, kept = request.POST, dict(found.answers)
    do = sent.get("do", "")
    if do in ("node", "search"):
        _search(seat, found, sent, kept)
    elif do in ("column", "column-read", "column-out"):
        _column(seat, found, sent, kept, do)
    elif do == "alone":
        keeping.keep_answers(found, {**kept, "alone": True})
    elif do in ("line", "leave", "again"):
        _line(seat, found, sent, kept, do)
    elif do == "cell":
        cell = [_whole(sent.get("row", "")), _whole(sent.get("column", ""))]
        if cell not in [[one.row, one.column] for one in ShownRebuild(found, seat).odd]:
            raise NotFound("That figure is the ledger's.", hint="Load the page again.", subject="figure")
        keeping.keep_answers(found, {**kept, "cells": [*kept.get("cells", []), cell]})
    elif do == "accounts":
        taken = {code: sent.get(f"to-{code}", "?") for code in sent.getlist("code")[:400]}
        if open_ones := [code for code, text in taken.items() if text == "?"]:
            raise RulkaError(
                f"{', '.join(open_ones[:5])} have figures: say where they belong.", hint="Choose a line, or left out.",
                subject="accounts",
            )  # fmt: skip
        unplaced = {one.code for asked in ShownRebuild(found, seat).questions for one in asked.accounts}
        placed = {code: _taker(text) for code, text in taken.items() if code in unplaced}
        keeping.keep_answers(found, {**kept, "accounts": {**kept.get("accounts", {}), **placed}})
    elif do == "afresh":
        keeping.keep_answers(found, {})
    else:
        raise NotFound("That can't be answered.", hint="Load the page again.", subject="answer")


def _search(seat: Seat, found: Rebuild, sent: Any, kept: dict[str, Any]) -> None:
    node, _, scale = sent.get("node", "").partition("|")
    scale = scale or sent.get("scale", "")
    now = found.found["found"] if found.found else {}
    if sent.get("do") == "node" and node == now.get("node") and scale == str(now.get("scale")):
        keeping.keep_answers(found, {**kept, "node": True})
        return
    period = sent.get("period", "").strip()
    if period:
        seat.view.frame.calendar.period(period)
    asked = {"node": node, "period": period, "scale": int(scale) if scale in ("0", "3", "6") else None}
    keeping.keep_answers(found, {**kept, "node": sent.get("do") == "node"})
    found.refresh_from_db()
    keeping.search_again(found, asked)
    ask(found)


def _column(seat: Seat, found: Rebuild, sent: Any, kept: dict[str, Any], do: str) -> None:
    at = _whole(sent.get("column", ""))
    columns = sorted({*kept.get("columns", []), at})
    now = ShownRebuild(found, seat).proposal.readings
    if not 0 <= at < len(now):
        raise NotFound("There is no such column.", hint="Load the page again.", subject="column")
    reading = now[at]
    if do == "column-read":
        reading = _read(seat, sent, found)
    elif do == "column":
        scenario, measure, first, last = (sent.get("reading", "").split("|") + [""] * 4)[:4]
        reading = TableReading("", scenario, measure, _whole(first), _whole(last))
    own = now[at]
    same = own is not None and reading is not None and asdict(reading) | {"node": ""} == asdict(own) | {"node": ""}
    if do == "column-out" or same:
        keeping.keep_answers(found, {**kept, "columns": columns})
        return
    assert reading is not None
    asked = dict(found.asked)
    asked["columns"] = {**asked.get("columns", {}), str(at): asdict(reading)}
    keeping.keep_answers(found, {**kept, "columns": columns})
    found.refresh_from_db()
    keeping.search_again(found, asked)
    ask(found)


def _read(seat: Seat, sent: Any, found: Rebuild) -> TableReading:
    """A column as somebody says what it is."""
    calendar = seat.view.frame.calendar
    period = calendar.period(sent.get("of", ""))
    scenario, window = sent.get("scenario", ""), sent.get("window", "")
    if scenario not in seat.view.frame.scenarios:
        raise NotFound(f"There is no scenario '{scenario[:40]}'.", hint="Choose one.", subject="column")
    first = int(calendar.first_of_year()[calendar.years.index(period.year)]) if window == "year" else period.index
    return TableReading("", scenario, "closing" if window == "closing" else "activity", first, period.index)


def _line(seat: Seat, found: Rebuild, sent: Any, kept: dict[str, Any], do: str) -> None:
    row = _whole(sent.get("row", ""))
    every = ShownRebuild(found, seat).proposal.lines
    if row >= len(every) or every[row].kind != "line":
        raise NotFound("There is no such line.", hint="Load the page again.", subject="line")
    lines = {key: text for key, text in kept.get("lines", {}).items() if key != str(row)}
    if do != "again":
        text = LEFT_OUT if do == "leave" else selection_in(sent)
        if not text:
            raise RulkaError("No accounts were chosen.", hint="Mark some, or leave the line out.", subject="accounts")
        lines[str(row)] = text
    trial = {**kept, "lines": lines}
    found.answers = trial
    ShownRebuild(found, seat)  # refuses what can't be read before it is kept
    keeping.keep_answers(found, trial)


def _taker(text: str) -> int | None:
    return _whole(text) if text else None


def _whole(text: str) -> int:
    number = place_in(text)
    if number < 0:
        raise NotFound("There is no such row or column.", hint="Load the page again.", subject="answer")
    return number


@require_POST
def month(request: HttpRequest, number: int) -> HttpResponse:
    """Another month of the same statement."""
    seat = seat_of(request)
    found = keeping.find_rebuild(seat.ledger, number, seat.person)
    try:
        if found.is_open:
            raise RulkaError("It is still being looked for.", hint="Wait for it, or stop it.", subject=found.title)
        given, name = table_in(request)
        keeping.add_table(found, given, name)
    except RulkaError as error:
        return page_of(request, seat, found, error)
    ask(found)
    return _back(seat, found)


@require_POST
def stop(request: HttpRequest, number: int) -> HttpResponse:
    """Stop the search."""
    seat = seat_of(request)
    found = keeping.find_rebuild(seat.ledger, number, seat.person)
    keeping.JOBS.cancel(found.pk)
    return _back(seat, found)


@require_POST
def make_statement(request: HttpRequest, number: int) -> HttpResponse:
    """The statement, and its page at the table's period and node."""
    seat = seat_of(request)
    found = keeping.find_rebuild(seat.ledger, number, seat.person)
    try:
        shown = ShownRebuild(found, seat)
        made = make(seat.ledger, shown, request.POST.get("title", ""), seat.person)
    except RulkaError as error:
        return page_of(request, seat, found, error)
    mark_made(found, made)
    query = {"ledger": seat.ledger.code, "period": shown.bodies.period.code, "node": shown.proposal.found.node}
    return HttpResponseRedirect(reverse("statement", args=[made.name], query=query))


@require_POST
def drop_rebuild(request: HttpRequest, number: int) -> HttpResponse:
    """Take a table away."""
    seat = seat_of(request)
    keeping.drop(keeping.find_rebuild(seat.ledger, number, seat.person))
    return HttpResponseRedirect(f"{reverse('rebuilds')}?{seat.query}")
