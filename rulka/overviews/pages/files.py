"""An overview as a file."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse
from django.utils import timezone
from django.utils.http import content_disposition_header
from django.views.decorators.http import require_GET

from rulka.core.errors import NotFound, one_of
from rulka.overviews.output.leaving import leave
from rulka.overviews.output.making import ENDINGS, FORMS, TYPES, run_of
from rulka.overviews.output.shown import Ways
from rulka.overviews.pages.readers import asked_for


@require_GET
def download(request: HttpRequest, name: str, form: str) -> HttpResponse:
    """All pages of an overview as shown, in one of the forms; its figures lead back here."""
    asked = asked_for(request, name)
    if form not in FORMS:
        raise NotFound(f"There is no file as '{form[:20]}'.", hint=one_of(form, FORMS), subject="file")
    run = run_of(asked.readings, asked.switch, asked.chosen.code if asked.chosen else "")
    ways = Ways(
        lambda statement, query: _whole(request, asked.ways.trace(statement, query)),
        lambda code: _whole(request, asked.ways.node(code)),
    )
    content = leave(run, form, asked.overview, at=timezone.localtime(), person=asked.seat.person, ways=ways)
    response = HttpResponse(content, content_type=TYPES[form])
    file = f"{name}-{run.readings.node.code}-{run.readings.period.code}.{ENDINGS.get(form, form)}"
    response["Content-Disposition"] = content_disposition_header(True, file) or "attachment"
    return response


def _whole(request: HttpRequest, address: str) -> str:
    return request.build_absolute_uri(address) if address else ""
