"""Pages of worksheets: the list, the sheet itself, its cells by block, edits."""

from __future__ import annotations

import json
from time import perf_counter
from typing import Any

from django.core.exceptions import RequestDataTooBig
from django.http import HttpRequest, HttpResponse, HttpResponseRedirect, JsonResponse
from django.shortcuts import render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from rulka.core.errors import NotFound, RulkaError
from rulka.core.sheet.showing import plain_value
from rulka.core.sheet.workbook import Sheet, Workbook
from rulka.core.values import key_in
from rulka.ledger.reading.history import latest_revision
from rulka.ledger.seat import Seat, seat_of
from rulka.worksheets.editing import edit as editing
from rulka.worksheets.editing.actions import action_for
from rulka.worksheets.library.opening import open_worksheet, required_editor, seen_worksheets
from rulka.worksheets.library.storing import store_workbook
from rulka.worksheets.models import Worksheet
from rulka.worksheets.pages.cells import MOST_ROWS_SENT, block_of, cells_at, layout_of, next_found
from rulka.worksheets.pages.panel import panel_context
from rulka.worksheets.running.live import Live, Reader, forget, opened


def reader_of(seat: Seat) -> Reader:
    """For whom a page calculates."""
    return Reader(seat.ledger, seat.view, seat.period, seat.node, seat.person)


@require_GET
def worksheet_list(request: HttpRequest) -> HttpResponse:
    """The worksheets of the ledger."""
    seat = seat_of(request)
    search = request.GET.get("search", "")
    found = [one for one in seen_worksheets(seat.ledger) if search.casefold() in one.title.casefold()]
    template = "worksheets/_list.html" if request.headers.get("HX-Request") else "worksheets/list.html"
    return render(request, template, {"where": "worksheets", "worksheets": found, "search": search, "seat": seat})


@require_POST
def begin(request: HttpRequest) -> HttpResponse:
    """A new, empty worksheet."""
    seat = seat_of(request)
    required_editor(seat.person)
    title = request.POST.get("title", "").strip() or "New worksheet"
    found = store_workbook(seat.ledger, title, Workbook([Sheet(1, "Sheet 1")]), person=seat.person)
    return HttpResponseRedirect(f"{reverse('worksheet', args=[found.name])}?{seat.query}")


@require_POST
def rename(request: HttpRequest, name: str) -> HttpResponse:
    """Another title for a worksheet; its address stays."""
    seat = seat_of(request)
    worksheet = open_worksheet(seat.ledger, name, person=seat.person, edit=True)
    title = " ".join(request.POST.get("title", "").split())
    if not title or len(title) > 120:
        raise RulkaError("A title has 1 to 120 characters.", hint="Type one.", subject="title")
    worksheet.title = title
    worksheet.save(update_fields=["title"])
    return HttpResponseRedirect(f"{reverse('worksheet', args=[worksheet.name])}?{seat.query}")


@require_POST
def delete(request: HttpRequest, name: str) -> HttpResponse:
    """Delete a worksheet for good, once its title was typed."""
    seat = seat_of(request)
    worksheet = open_worksheet(seat.ledger, name, person=seat.person, edit=True)
    if request.POST.get("title", "").strip() != worksheet.title:
        raise RulkaError(
            f"'{worksheet.title}' was not deleted.",
            hint="Type its title to delete it; this can't be undone.",
            subject="title",
        )
    forget(worksheet)
    worksheet.delete()
    return HttpResponseRedirect(f"{reverse('worksheets')}?{seat.query}")


def sheet_asked(live: Live, request: HttpRequest) -> Sheet:
    """The sheet that an address names by its number, the first without one."""
    asked = request.GET.get("sheet", "")
    if not asked:
        return live.workbook.sheets[0]
    return live.workbook.sheet(key_in(asked))


@require_GET
def worksheet_page(request: HttpRequest, name: str) -> HttpResponse:
    """A worksheet with its side panel; the first rows come with it."""
    seat = seat_of(request)
    before = perf_counter()
    worksheet = open_worksheet(seat.ledger, name, person=seat.person)
    with opened(worksheet, reader_of(seat)) as live:
        sheet = sheet_asked(live, request)
        context = {
            **panel_context(seat, worksheet, live, sheet, request.GET),
            "where": "worksheets",
            "worksheet": worksheet,
            "sheets": live.workbook.sheets,
            "sheet": sheet,
            "first": _state(worksheet, live, sheet, seat) | {"rows": block_of(live, sheet, 0, MOST_ROWS_SENT - 1)},
            "latest": latest_revision(seat.ledger),
        }
    context["taken"] = f"{(perf_counter() - before) * 1000:.0f}"
    return render(request, "worksheets/page.html", context)


def _state(worksheet: Worksheet, live: Live, sheet: Sheet, seat: Seat) -> dict[str, Any]:
    """What the page has to know besides the cells."""
    calculation = live.calculation
    own = seat.person.may_edit
    undo, redo = (
        (editing.undoable(worksheet, seat.person), editing.redoable(worksheet, seat.person)) if own else (None, None)
    )
    first = min(calculation.errors, default=None)
    return {
        "version": live.version,
        "sheet": sheet.number,
        "sheets": [[one.number, one.name] for one in live.workbook.sheets],
        "layout": layout_of(live, sheet),
        "looks": live.workbook.looks,
        "names": live.workbook.names,
        "editable": own,
        "undo": undo.what if undo else "",
        "redo": redo.what if redo else "",
        "used": calculation.used_rows(sheet.number),
        "errors": len(calculation.errors),
        "error": [*first, plain_value(calculation.shown_at(first))] if first else None,
        "told": f"{calculation.told.questions:,} questions to the ledger in one go"
        if calculation.told.questions
        else "",
    }


def asked_text(count: int) -> str:
    """How much the last calculation asked of the ledger, in words."""
    return f"{count:,} question{'s' if count != 1 else ''} to the ledger in one go" if count else ""


@require_GET
def cells(request: HttpRequest, name: str) -> JsonResponse:
    """The cells of some rows of a sheet, and with `state` what the page has to know besides."""
    seat = seat_of(request)
    worksheet = open_worksheet(seat.ledger, name, person=seat.person)
    first = key_in(request.GET.get("first", "0"))
    last = min(key_in(request.GET.get("last", "0")), first + MOST_ROWS_SENT - 1)
    with opened(worksheet, reader_of(seat)) as live:
        sheet = sheet_asked(live, request)
        if wanted := request.GET.get("find", ""):
            return JsonResponse({"found": next_found(live, sheet, wanted, request.GET.get("after", ""))})
        answer: dict[str, Any] = {"version": live.version, "first": first, "last": last}
        answer["rows"] = block_of(live, sheet, first, last)
        if request.GET.get("state"):
            answer |= _state(worksheet, live, sheet, seat)
    return JsonResponse(answer)


MOST_ANSWERED = 4_000
"""Cells that an edit's answer lists; beyond that the page fetches what it shows."""


@require_POST
def edit(request: HttpRequest, name: str) -> JsonResponse:
    """Do one edit; the answer says which cells of the sheet show something else now."""
    seat = seat_of(request)
    worksheet = open_worksheet(seat.ledger, name, person=seat.person, edit=True)
    asked = _body(request)
    number = asked.get("sheet") if isinstance(asked.get("sheet"), int) else 0
    before = perf_counter()
    with opened(worksheet, reader_of(seat)) as live:
        live.calculation.changed.clear()
        former = (worksheet.looks, live.workbook.names)
        shape = [(one.number, one.name, one.settings) for one in live.workbook.sheets]
        do = asked.get("do")
        if do == "undo":
            done = f"Undone: {editing.undo(worksheet, person=seat.person)}"
        elif do == "redo":
            done = f"Done again: {editing.redo(worksheet, person=seat.person)}"
        else:
            what, action = action_for(asked)
            seen = asked.get("version")
            changed = editing.change_worksheet(
                worksheet, what, action, live, person=seat.person, seen=seen if isinstance(seen, int) else 0
            )
            done = "" if changed else "Nothing changed."
        calculation = live.calculation
    with opened(worksheet, reader_of(seat)) as live:
        sheet = next((one for one in live.workbook.sheets if one.number == number), live.workbook.sheets[0])
        rebuilt = live.calculation is not calculation
        reshaped = rebuilt or shape != [(one.number, one.name, one.settings) for one in live.workbook.sheets]
        keys = sorted(key for key in live.calculation.changed if key[0] == sheet.number)
        answer = _state(worksheet, live, sheet, seat)
        reload = reshaped or len(keys) > MOST_ANSWERED or former[1] != live.workbook.names
        answer |= {"done": done, "reload": reload, "cells": [] if reload else cells_at(live, keys)}
        answer["taken"] = f"{(perf_counter() - before) * 1000:.0f}"
    return JsonResponse(answer)


def _body(request: HttpRequest) -> dict[str, Any]:
    """What a page sends as JSON; refused in words where it can't be read."""
    try:
        found = json.loads(request.body)
    except RequestDataTooBig:
        raise RulkaError(
            "That is more than fits into one edit, about 2.5 million characters.",
            hint="Paste it in parts.",
            subject="edit",
        ) from None
    except (ValueError, RecursionError):
        found = None
    if not isinstance(found, dict):
        raise RulkaError("What was sent can't be read.", hint="Load the page again.", subject="edit")
    return found


@require_POST
def choose(request: HttpRequest, name: str) -> HttpResponse:
    """Choose values for parameters; whoever may read may."""
    seat = seat_of(request)
    worksheet = open_worksheet(seat.ledger, name, person=seat.person)
    reader = reader_of(seat)
    with opened(worksheet, reader) as live:
        given = {
            parameter.name: request.POST[f"value-{parameter.name}"]
            for parameter in live.parameters
            if f"value-{parameter.name}" in request.POST
        }
        if not given:
            raise NotFound("No value was chosen.", hint="Choose one.", subject="parameters")
        editing.choose_values(worksheet, given, live, reader)
        sheet = sheet_asked(live, request)
    with opened(worksheet, reader) as live:
        context = panel_context(seat, worksheet, live, live.workbook.sheet(sheet.number), request.GET)
    response = render(request, "worksheets/_panel.html", {**context, "worksheet": worksheet})
    response["HX-Trigger"] = "sheet-changed"
    return response
