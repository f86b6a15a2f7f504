"""A row list from elsewhere: pasted, its columns told what they are beside a preview, then working rows of a worksheet
or a new statement."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from django.http import HttpRequest, HttpResponse, HttpResponseRedirect
from django.urls import reverse
from django.views.decorators.http import require_http_methods

from rulka.core.errors import RulkaError
from rulka.core.sheet.addresses import MOST_COLUMNS, Box, cell_text, read_cell
from rulka.core.sheet.edits import rows_in
from rulka.core.sheet.listed import MOST_LISTED, ROLES, Brought, bring, guessed_roles
from rulka.core.values import is_whole, key_in
from rulka.ledger.seat import Seat, SeatedPage
from rulka.worksheets.editing import edit as editing
from rulka.worksheets.editing.actions import action_for
from rulka.worksheets.editing.bringing import statement_from_rows
from rulka.worksheets.models import Worksheet
from rulka.worksheets.pages.readers import WorksheetRequest, asked_for
from rulka.worksheets.running.live import opened

SHOWN = 40
"""Rows of the preview."""


@dataclass(frozen=True, kw_only=True)
class BringPage(SeatedPage):
    """Rows that were pasted: the columns with what each is taken for, the first rows (`shown`) and how many `more`;
    what was `brought` of them, and those with a problem."""

    html = "worksheets/bring.html"
    where: str = "worksheets"
    worksheet: Worksheet
    text: str
    at: str
    sheet: str
    title: str
    columns: Sequence[tuple[int, str]] = ()
    shown: Sequence[Sequence[str]] = ()
    more: int = 0
    brought: Sequence[Brought] = ()
    problems: Sequence[Brought] = ()
    roles_known: Sequence[tuple[str, str]] = tuple(ROLES.items())


@require_http_methods(["GET", "POST"])
def bring_rows(request: HttpRequest, name: str) -> HttpResponse:
    """The page on which rows are pasted and understood; nothing changes until somebody says what becomes of them."""
    asked = asked_for(request, name, edit=True)
    page = BringPage(
        seat=asked.seat,
        worksheet=asked.worksheet,
        text=request.POST.get("text", "")[:2_000_000],
        at=request.POST.get("at") or request.GET.get("cell", "A1"),
        sheet=request.POST.get("sheet") or request.GET.get("sheet", ""),
        title=request.POST.get("title", ""),
    )
    if request.method == "POST" and page.text.strip():
        try:
            rows = rows_in(page.text)[: MOST_LISTED + 1]
            roles = _roles(request, rows, asked.seat)
            more = max(len(rows) - SHOWN, 0)
            page = replace(page, columns=list(enumerate(roles)), shown=rows[:SHOWN], more=more)
            brought = bring(rows, roles, asked.seat.view)
            page = replace(page, brought=brought[:SHOWN], problems=[one for one in brought if one.problem])
            done = _done(request, asked, page.text, roles, brought, page.at, page.sheet)
            if done is not None:
                return done
        except RulkaError as error:
            page = replace(page, problem=error)
    return page.answer(request)


def _roles(request: HttpRequest, rows: list[list[str]], seat: Seat) -> list[str]:
    width = min(max(map(len, rows), default=0), MOST_COLUMNS)
    if "role-0" not in request.POST:
        return guessed_roles(rows, seat.view)[:width]
    return [request.POST.get(f"role-{at}", "") for at in range(width)]


def _done(
    request: HttpRequest,
    asked: WorksheetRequest,
    text: str,
    roles: list[str],
    brought: list[Brought],
    where: str,
    sheet: str,
) -> HttpResponse | None:
    """What the pressed button makes of the rows; None where it only looks."""
    into = request.POST.get("into", "")
    if into == "statement":
        title = request.POST.get("title", "").strip() or "Rows brought over"
        found = statement_from_rows(asked.seat.ledger, title, brought, person=asked.seat.person)
        return HttpResponseRedirect(f"{reverse('statement', args=[found])}?{asked.seat.query}")
    if into != "rows":
        return None
    at = read_cell(where)
    if at is None:
        raise RulkaError(f"'{where[:20]}' is no cell.", hint="Write B5.", subject="at")
    with opened(asked.worksheet, asked.reader) as live:
        number = key_in(sheet) if is_whole(sheet) else live.workbook.sheets[0].number
        box = Box(at[0], at[1], at[0], at[1])
        plain = {
            "do": "bring", "sheet": number, "box": [box.top, box.left, box.bottom, box.right], "text": text,
            "roles": roles,
        }  # fmt: skip
        what, action = action_for(plain)
        editing.change_worksheet(
            asked.worksheet, what, action, live, person=asked.seat.person, seen=asked.worksheet.version
        )
    where_to = f"&sheet={number}&cell={cell_text(*at)}&panel=check"
    return HttpResponseRedirect(f"{reverse('worksheet', args=[asked.worksheet.name])}?{asked.seat.query}{where_to}")
