"""Pages of worksheets: the list, the sheet itself, its cells by block, edits."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from time import perf_counter
from typing import Any

from django.core.exceptions import RequestDataTooBig
from django.http import HttpRequest, HttpResponse, HttpResponseRedirect, JsonResponse
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from rulka.core.errors import NotFound, RulkaError
from rulka.core.sheet.showing import plain_value
from rulka.core.sheet.workbook import Sheet, Workbook
from rulka.core.values import key_in
from rulka.ledger.seat import SeatedPage, seat_of
from rulka.statements.library.leads import Lead, leads
from rulka.statements.models import Template
from rulka.statements.output.templates import forget as forget_templates
from rulka.statements.output.templates import names_of
from rulka.worksheets.editing import edit as editing
from rulka.worksheets.editing.actions import action_for
from rulka.worksheets.editing.bringing import open_as_worksheet
from rulka.worksheets.library.opening import open_worksheet, required_editor, seen_worksheets
from rulka.worksheets.library.storing import store_workbook
from rulka.worksheets.library.tables import seen_tables
from rulka.worksheets.models import BoundedTable, Worksheet
from rulka.worksheets.output.templates import subject_for
from rulka.worksheets.pages.cells import MOST_ROWS_SENT, block_of, cells_at, layout_of, next_found
from rulka.worksheets.pages.panel import WorksheetPanel, covers_text, worksheet_panel
from rulka.worksheets.pages.readers import WorksheetRequest, asked_for, reader_of, sheet_asked
from rulka.worksheets.pages.since import Age, age_of, done_since
from rulka.worksheets.running.live import Live, forget, opened
from rulka.worksheets.running.revisions import marks_of, note_seen


@dataclass(frozen=True, kw_only=True)
class WorksheetsPage(SeatedPage):
    """The worksheets by shelf, and the bounded tables."""

    html = "worksheets/list.html"
    where: str = "worksheets"
    groups: Sequence[tuple[str, Sequence[Worksheet]]]
    search: str
    tables: Sequence[BoundedTable]


@require_GET
def worksheet_list(request: HttpRequest) -> HttpResponse:
    """The worksheets of the ledger."""
    seat = seat_of(request)
    search = request.GET.get("search", "")
    seen = seen_worksheets(seat.ledger, seat.person)
    found = [one for one in seen if search.casefold() in one.title.casefold()]
    shelves = sorted({one.shelf for one in found if one.shelf}, key=lambda shelf: shelf.name.casefold())
    groups = [(shelf.name, [one for one in found if one.shelf_id == shelf.pk]) for shelf in shelves]
    groups += [("", alone)] if (alone := [one for one in found if one.shelf_id is None]) else []
    page = WorksheetsPage(seat=seat, groups=groups, search=search, tables=seen_tables(seat.ledger, seat.person))
    return page.response(request, template="worksheets/_list.html" if request.headers.get("HX-Request") else "")


@require_POST
def begin(request: HttpRequest) -> HttpResponse:
    """A new, empty worksheet."""
    seat = seat_of(request)
    required_editor(seat.person)
    title = request.POST.get("title", "").strip() or "New worksheet"
    found = store_workbook(seat.ledger, title, Workbook([Sheet(1, "Sheet 1")]), person=seat.person)
    return HttpResponseRedirect(f"{reverse('worksheet', args=[found.name])}?{seat.query}")


@require_POST
def open_statement_as(request: HttpRequest, name: str) -> HttpResponse:
    """A statement laid down as a new worksheet."""
    seat = seat_of(request)
    found = open_as_worksheet(reader_of(seat), name, of=seat.of)
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
    forget_templates("worksheet", worksheet.ledger, worksheet.pk)
    worksheet.delete()
    return HttpResponseRedirect(f"{reverse('worksheets')}?{seat.query}")


@dataclass(frozen=True, kw_only=True)
class WorksheetPage(SeatedPage):
    """A worksheet: the panel beside it, the `first` rows with what the page knows besides, how old its figures are."""

    html = "worksheets/page.html"
    where: str = "worksheets"
    worksheet: Worksheet
    may_change: bool
    panel: WorksheetPanel
    cell: str
    leads: Sequence[Lead]
    templates: Sequence[Template]
    sheet: Sheet
    first: Mapping[str, Any]
    age: Age
    taken: str


@require_GET
def worksheet_page(request: HttpRequest, name: str) -> HttpResponse:
    """A worksheet with its side panel; the first rows come with it."""
    before = perf_counter()
    asked = asked_for(request, name)
    note_seen(asked.worksheet, reader_of(asked.seat))
    with opened(asked.worksheet, asked.reader) as live:
        sheet = sheet_asked(live, request)
        rows = block_of(live, sheet, 0, MOST_ROWS_SENT - 1)
        panel = worksheet_panel(asked, live, sheet, request.GET)
        page = WorksheetPage(
            seat=asked.seat,
            worksheet=asked.worksheet,
            may_change=asked.may_change,
            panel=panel,
            cell=panel.cell,
            leads=leads("worksheet"),
            templates=names_of(subject_for(asked.worksheet, asked.seat.person), asked.seat.person),
            sheet=sheet,
            first=_state(asked, live, sheet) | {"rows": rows},
            age=age_of(asked),
            taken=f"{(perf_counter() - before) * 1000:.0f}",
        )
    return page.answer(request)


def _state(asked: WorksheetRequest, live: Live, sheet: Sheet, *, every: bool = False) -> dict[str, Any]:
    """What the page has to know besides the cells."""
    calculation, worksheet, person = live.calculation, asked.worksheet, asked.seat.person
    own = asked.may_change
    undo, redo = (editing.undoable(worksheet, person), editing.redoable(worksheet, person)) if own else (None, None)
    first = min(calculation.errors, default=None)
    told = asked_text(calculation.told.questions)
    return {
        "version": live.version,
        "sheet": sheet.number,
        "sheets": [[one.number, one.name] for one in live.workbook.sheets],
        "layout": layout_of(live, sheet, every=every),
        "looks": live.workbook.looks,
        "names": live.workbook.names,
        "editable": own,
        "undo": undo.what if undo else "",
        "redo": redo.what if redo else "",
        "used": calculation.used_rows(sheet.number),
        "errors": len(calculation.errors),
        "error": [*first, plain_value(calculation.shown_at(first))] if first else None,
        "covers": covers_text(live, sheet),
        "marks": marks_of(worksheet, person, sheet.number),
        "told": told,
    }


def asked_text(count: int) -> str:
    """How much the last calculation asked of the ledger, in words."""
    return f"{count:,} question{'s' if count != 1 else ''} to the ledger in one go" if count else ""


MOST_ANSWERED = 4_000
"""Cells that an edit's answer lists; beyond that the page fetches what it shows."""


@require_GET
def cells(request: HttpRequest, name: str) -> JsonResponse:
    """The cells of some rows of a sheet; with `state` what the page has to know besides, with `since` what changed
    since a version, with `find` where a text stands."""
    asked = asked_for(request, name)
    every = request.GET.get("every") == "yes" and asked.may_change
    with opened(asked.worksheet, asked.reader) as live:
        sheet = sheet_asked(live, request)
        if wanted := request.GET.get("find", ""):
            return JsonResponse({"found": next_found(live, sheet, wanted, request.GET.get("after", ""))})
        if request.GET.get("since"):
            since = key_in(request.GET["since"])
            if since == live.version:
                return JsonResponse({"version": live.version})
            told = [f"{who}: {what}" for who, what in done_since(asked.worksheet, since, asked.seat.person)]
            return JsonResponse({**_changes(asked, live, sheet, since, every=every), "done": "; ".join(told[-3:])})
        first = key_in(request.GET.get("first", "0"))
        last = min(key_in(request.GET.get("last", "0")), first + MOST_ROWS_SENT - 1)
        answer: dict[str, Any] = {"version": live.version, "first": first, "last": last}
        answer["rows"] = block_of(live, sheet, first, last)
        if request.GET.get("state"):
            answer |= _state(asked, live, sheet, every=every)
    return JsonResponse(answer)


def _changes(asked: WorksheetRequest, live: Live, sheet: Sheet, since: int, *, every: bool = False) -> dict[str, Any]:
    """What a page at an older version has to take in: the cells that show something else, or word to load anew."""
    keys = live.changed_since(since)
    own = sorted(key for key in keys or () if key[0] == sheet.number)
    reload = keys is None or len(own) > MOST_ANSWERED
    answer = _state(asked, live, sheet, every=every)
    return answer | {"reload": reload, "cells": [] if reload else cells_at(live, own)}


@require_POST
def edit(request: HttpRequest, name: str) -> JsonResponse:
    """Do one edit; the answer says which cells of the sheet show something else now, and what else is to be told."""
    asked_page = asked_for(request, name, edit=True)
    worksheet, person = asked_page.worksheet, asked_page.seat.person
    asked = _body(request)
    number = asked.get("sheet") if isinstance(asked.get("sheet"), int) else 0
    seen = asked["version"] if isinstance(asked.get("version"), int) else 0
    before = perf_counter()
    with opened(worksheet, asked_page.reader) as live:
        do = asked.get("do")
        if do == "undo":
            done = f"Undone: {editing.undo(worksheet, person=person)}"
        elif do == "redo":
            done = f"Done again: {editing.redo(worksheet, person=person)}"
        else:
            what, action = action_for(asked)
            edited = editing.change_worksheet(worksheet, what, action, live, person=person, seen=seen)
            done = "; ".join(edited.told) if edited.told else "" if edited.changed else "Nothing changed."
    with opened(worksheet, asked_page.reader) as live:
        sheet = next((one for one in live.workbook.sheets if one.number == number), live.workbook.sheets[0])
        answer = _changes(asked_page, live, sheet, seen, every=asked.get("every") is True)
        answer |= {"done": done, "taken": f"{(perf_counter() - before) * 1000:.0f}"}
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
    asked = asked_for(request, name)
    with opened(asked.worksheet, asked.reader) as live:
        given = {
            parameter.name: request.POST[f"value-{parameter.name}"]
            for parameter in live.parameters
            if f"value-{parameter.name}" in request.POST
        }
        if not given:
            raise NotFound("No value was chosen.", hint="Choose one.", subject="parameters")
        editing.choose_values(asked.worksheet, given, live, asked.reader)
        sheet = sheet_asked(live, request)
    with opened(asked.worksheet, asked.reader) as live:
        panel = worksheet_panel(asked, live, live.workbook.sheet(sheet.number), request.GET)
    response = panel.response(request)
    response["HX-Trigger"] = "sheet-changed"
    return response
