"""How a worksheet leaves: files, live links, and the figures that these fetch."""

from __future__ import annotations

from django.contrib.auth.decorators import login_not_required
from django.http import HttpRequest, HttpResponse, HttpResponseRedirect
from django.urls import reverse
from django.utils import timezone
from django.utils.http import content_disposition_header
from django.views.decorators.http import require_GET, require_POST

from rulka.core.errors import NotFound, RulkaError, one_of
from rulka.core.sheet.addresses import read_cell
from rulka.core.sheet.showing import plain_value
from rulka.core.sheet.values import SheetError
from rulka.core.values import key_in, whole
from rulka.statements.output.templates import template_asked
from rulka.worksheets.library.links import LinkRefused, TooOften, make_link, revoke_link
from rulka.worksheets.output.files import as_file
from rulka.worksheets.output.leaving import leave
from rulka.worksheets.output.templates import subject_for
from rulka.worksheets.output.workbook import MODES, Links, as_xlsx
from rulka.worksheets.pages.readers import WorksheetRequest, asked_for
from rulka.worksheets.running.answering import figure_for
from rulka.worksheets.running.live import chosen_of, opened

TYPES = {
    "xlsx": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
    "xls": "application/vnd.ms-excel",
    "pdf": "application/pdf",
    "html": "text/html; charset=utf-8",
    "csv": "text/csv; charset=utf-8",
    "json": "application/json",
}


def _file(asked: WorksheetRequest, form: str, content: bytes) -> HttpResponse:
    response = HttpResponse(content, content_type=TYPES[form])
    name = f"{asked.worksheet.name} {asked.reader.period.code}.{form}"
    response["Content-Disposition"] = content_disposition_header(True, name) or "attachment"
    return response


@require_GET
def download(request: HttpRequest, name: str, form: str) -> HttpResponse:
    """The worksheet as a file; a workbook as values, or with live formulas."""
    asked = asked_for(request, name)
    if form not in TYPES:
        raise NotFound(f"There is no export as '{form[:20]}'.", hint=one_of(form, TYPES), subject="export")
    mode = request.GET.get("mode", "values")
    if mode not in MODES or mode == "links":
        raise NotFound(f"There is no workbook of '{mode[:20]}'.", hint=one_of(mode, MODES), subject="export")
    template = template_asked(
        subject_for(asked.worksheet, asked.seat.person), request.GET.get("template", ""), form, asked.seat.person
    )
    mode = template.layout["mode"] if template else mode
    with opened(asked.worksheet, asked.reader) as live:
        content = leave(
            live, form, lambda stamp: as_file(live, form, timezone.localtime(), mode, stamp), mode=mode,
            template=template,
        )  # fmt: skip
    return _file(asked, form, content)


@require_POST
def linked(request: HttpRequest, name: str) -> HttpResponse:
    """A workbook whose figures are fetched from here, with a new key for it."""
    asked = asked_for(request, name)
    days = whole(request.POST.get("days", "90"), "days", least=1, most=400)
    with opened(asked.worksheet, asked.reader) as live:
        key = make_link(
            asked.worksheet,
            person=asked.seat.person,
            period=asked.reader.period.code,
            node=asked.reader.node,
            values=chosen_of(asked.worksheet, asked.seat.person),
            days=days,
            follows=request.POST.get("follows") == "yes",
        )
        address = request.build_absolute_uri(reverse("live-root", args=[key]))
        content = leave(live, "xlsx", lambda stamp: as_xlsx(live, "links", Links(address), stamp), mode="links")
    return _file(asked, "xlsx", content)


@require_POST
def revoke(request: HttpRequest, name: str) -> HttpResponse:
    """Let a live link open nothing any more."""
    asked = asked_for(request, name)
    revoke_link(asked.worksheet, key_in(request.POST.get("link", "0")), person=asked.seat.person)
    return HttpResponseRedirect(f"{reverse('worksheet', args=[asked.worksheet.name])}?{asked.seat.query}&panel=sheet")


def _plain(text: str, status: int = 200) -> HttpResponse:
    response = HttpResponse(text, content_type="text/plain; charset=utf-8", status=status)
    response["Referrer-Policy"] = "no-referrer"
    return response


@login_not_required
@require_GET
def live_figure(request: HttpRequest, key: str, sheet: str = "", cell: str = "") -> HttpResponse:
    """One value for a live link, as plain text: a number with a point, a text as it is, an error as its code. Whose
    figures these are is asked anew each time."""
    at = read_cell(cell)
    try:
        if at is None:
            raise NotFound("No cell is named.", hint="Ask for a sheet and a cell.", subject="cell")
        value = figure_for(key, key_in(sheet), *at)
    except TooOften as error:
        return _plain(str(error), 429)
    except LinkRefused as error:
        return _plain(str(error), 403)
    except RulkaError as error:
        return _plain(str(error), 404)
    if isinstance(value, SheetError):
        return _plain(f"{value.code} {value.note}".strip())
    plain = plain_value(value)
    return _plain("" if plain is None else "TRUE" if plain is True else "FALSE" if plain is False else str(plain))
