"""Runs of an extract: asked for, their progress, their files, run again, compared, cancelled."""

from __future__ import annotations

from typing import Any

from django.http import FileResponse, HttpRequest, HttpResponse
from django.shortcuts import render
from django.utils.http import content_disposition_header
from django.views.decorators.http import require_GET, require_POST

from rulka.core.errors import NotFound, RulkaError, one_of
from rulka.core.values import key_in
from rulka.extracts.models import ExtractRun
from rulka.extracts.output.asking import ask
from rulka.extracts.output.making import may_take
from rulka.extracts.output.writing import FORMS
from rulka.extracts.pages.extract import page_of
from rulka.extracts.pages.readers import Page, asked_for, back
from rulka.extracts.pages.showing import cell
from rulka.extracts.running import runs
from rulka.extracts.running.asked import Reader
from rulka.extracts.running.news import compared
from rulka.work.services import files

TYPES = {
    "xlsx": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet", "csv": "text/csv; charset=utf-8",
    "json": "application/json", "parquet": "application/vnd.apache.parquet",
}  # fmt: skip
MOST_SHOWN = 400


@require_POST
def run(request: HttpRequest, name: str) -> HttpResponse:
    """Run the extract in the background, with the answers and the layout that its page shows; or only what is new since
    the last run."""
    page = asked_for(request, name)
    form = request.POST.get("form", "xlsx")
    try:
        if form not in FORMS:
            raise NotFound(f"There is no form '{form[:20]}'.", hint=one_of(form, FORMS), subject="form")
        since = None
        if request.POST.get("news"):
            last = runs.last_run(page.extract, page.seat.person)
            if last is None or last.revision is None:
                raise RulkaError("It was never run, so all of it is new.", hint="Run it first.", subject="news")
            since = last.revision
        ask(page.seat.ledger, page.extract, page.seat.person, period=page.seat.period.code, node=page.seat.node,
            given=page.given, layout=page.chosen.name, form=form, since=since,
            whole=request.POST.get("whole") == "yes")  # fmt: skip
    except RulkaError as error:
        return page_of(request, page, error)
    return back(page, tab="runs")


@require_POST
def again(request: HttpRequest, name: str, number: int) -> HttpResponse:
    """Run once more what was run before: its answers by the reporting period of now, its layout and form."""
    page = asked_for(request, name)
    try:
        former = runs.find_run(page.seat.ledger, number, page.seat.person)
        known = {one.name for one in page.definition.asks}
        given = {key: value for key, value in former.given.items() if key in known}
        layout = former.layout if former.layout in {one.name for one in page.definition.layouts} else ""
        ask(page.seat.ledger, page.extract, page.seat.person, period=page.seat.period.code, node=page.seat.node,
            given=given, layout=layout, form=former.form, whole=former.whole)  # fmt: skip
    except RulkaError as error:
        return page_of(request, page, error)
    return back(page, tab="runs")


@require_POST
def cancel(request: HttpRequest, name: str, number: int) -> HttpResponse:
    """Stop a run."""
    page = asked_for(request, name)
    runs.cancel(runs.find_run(page.seat.ledger, number, page.seat.person).pk)
    return back(page, tab="runs")


@require_GET
def progress(request: HttpRequest, name: str) -> HttpResponse:
    """The runs as they are now, while one goes on."""
    page = asked_for(request, name)
    listed = runs.runs_of(page.extract, page.seat.person)
    context: dict[str, Any] = {
        "seat": page.seat, "page": page, "extract": page.extract, "query": page.query(tab="runs"),
        "runs": [(one, one.state == "ready" and bool(one.file)) for one in listed],
        "open_runs": any(one.is_open for one in listed),
    }  # fmt: skip
    return render(request, "extracts/_runs.html", context)


@require_GET
def download(request: HttpRequest, name: str, number: int) -> HttpResponse | FileResponse:
    """The file of a run, for whoever asked for it, as long as they may see all that is in it."""
    page = asked_for(request, name)
    found = runs.find_run(page.seat.ledger, number, page.seat.person)
    if found.extract != page.extract.pk:
        raise NotFound("This run does not exist.", hint="Run it again.", subject="run")
    if not may_take(found, page.seat.person):
        raise RulkaError(
            "What you may see changed since it was made.", hint="Run it again.", subject="file", code="rights"
        )
    where = files.find(found.file) if found.state == ExtractRun.State.READY else None
    if where is None:
        raise NotFound("Its file is gone.", hint="Run it again.", subject="file")
    response = FileResponse(where.open("rb"), content_type=TYPES[found.form])
    response["Content-Disposition"] = content_disposition_header(True, found.file_name) or "attachment"
    return response


@require_GET
def compare(request: HttpRequest, name: str) -> HttpResponse:
    """Two runs held against each other: rows that are new, gone or changed, both computed as one may see them now."""
    page = asked_for(request, name)
    chosen = [key_in(text) for text in request.GET.getlist("run")]
    context: dict[str, Any] = {
        "where": "extracts", "seat": page.seat, "page": page, "extract": page.extract, "found": page.definition,
        "query": page.query(tab="runs"), "problem": None, "compared": None, "first": None, "last": None, "rows": [],
    }  # fmt: skip
    try:
        if len(chosen) != 2:
            raise RulkaError("Two runs are compared.", hint="Tick two of the list.", subject="runs")
        first, last = (runs.find_run(page.seat.ledger, number, page.seat.person) for number in sorted(chosen))
        context |= {"first": first, "last": last}
        found = compared(
            page.definition, _reader(page, first), first.given, page.definition, _reader(page, last), last.given,
            most=MOST_SHOWN,
        )  # fmt: skip
        calendar = page.seat.view.frame.calendar
        context |= {
            "compared": found, "told": found.found, "notes": found.notes,
            "heads": [(one.title, one.is_numeric) for one in found.columns],
            "rows": [
                (one.what, [cell(value, column.shows, calendar)
                            for value, column in zip(one.row, found.columns, strict=True)], found.was(at))
                for at, one in enumerate(found.found.rows)
            ],
        }  # fmt: skip
    except RulkaError as error:
        context["problem"] = error
    return render(request, "extracts/compared.html", context, status=422 if context["problem"] else 200)


def _reader(page: Page, run: ExtractRun) -> Reader:
    own = page.reader
    return Reader(own.ledger, own.fence, run.period, run.node, own.person, run.revision)
