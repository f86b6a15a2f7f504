"""The record: read, searched, taken as a file."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from django.http import HttpRequest, HttpResponse, HttpResponseBase, StreamingHttpResponse
from django.views.decorators.http import require_GET

from rulka.core.errors import NotFound, RulkaError, one_of
from rulka.core.values import key_in
from rulka.people.library import record
from rulka.people.library.rights import accesses_of
from rulka.people.models import Recorded
from rulka.people.pages.mine import me
from rulka.screen import Page

PAGE = 100
NAMES = ("person", "what", "thing", "text", "since")
TYPES = {"csv": "text/csv; charset=utf-8", "json": "application/json"}


def _found(request: HttpRequest) -> Any:
    given = {name: request.GET.get(name, "") for name in NAMES}
    record.check_day(given["since"])
    person = me(request)
    whole = [one.ledger.code for one in accesses_of(person) if one.own_fence().hides_nothing]
    return record.searched(record.record_for(person, whole), given), given


@dataclass(frozen=True, kw_only=True)
class RecordPage(Page):
    """The record as it was searched (`given`); `more` is the last row's key where there are more rows."""

    html = "people/record.html"
    rows: Sequence[Recorded]
    given: Mapping[str, str]
    more: int
    query: str
    kinds: Sequence[tuple[str, str]] = tuple(record.KINDS.items())


@require_GET
def record_page(request: HttpRequest) -> HttpResponse:
    """The record as far as somebody may read it, the newest first."""
    problem: RulkaError | None = None
    rows, given, more = [], {name: request.GET.get(name, "") for name in NAMES}, 0
    try:
        found, given = _found(request)
        before = key_in(request.GET.get("before", ""))
        found = found.filter(pk__lt=before) if before else found
        rows = list(found[: PAGE + 1])
        more = rows[PAGE - 1].pk if len(rows) > PAGE else 0
    except RulkaError as error:
        problem = error
    page = RecordPage(problem=problem, rows=rows[:PAGE], given=given, more=more, query=request.GET.urlencode())
    return page.answer(request)


@require_GET
def record_file(request: HttpRequest, form: str) -> HttpResponseBase:
    """What was searched, as a file."""
    if form not in TYPES:
        raise NotFound(f"There is no export as '{form[:20]}'.", hint=one_of(form, TYPES), subject="export")
    found, _ = _found(request)
    response = StreamingHttpResponse(record.lines_of(found, form), content_type=TYPES[form])
    response["Content-Disposition"] = f'attachment; filename="record.{form}"'
    return response
