"""Runs of an extract: asked for, their progress, their files, run again, compared, cancelled."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from django.http import FileResponse, HttpRequest, HttpResponse
from django.utils.http import content_disposition_header
from django.views.decorators.http import require_GET, require_POST

from rulka.core.errors import NotFound, RulkaError, one_of
from rulka.core.extracting.changes import Differences
from rulka.core.extracting.definitions import ExtractDef
from rulka.core.values import key_in
from rulka.extracts.models import Extract, ExtractRun
from rulka.extracts.output.asking import ask
from rulka.extracts.output.making import may_take
from rulka.extracts.output.writing import FORMS
from rulka.extracts.pages.extract import page_of, runs_shown
from rulka.extracts.pages.readers import ExtractRequest, asked_for, back
from rulka.extracts.pages.showing import ShownText, cell
from rulka.extracts.running import runs
from rulka.extracts.running.asked import ExtractReader
from rulka.extracts.running.news import compared
from rulka.ledger.seat import SeatedPage
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
    return runs_shown(page).response(request)


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


@dataclass(frozen=True)
class HeldAgainst:
    """Two runs held against each other: how many rows differ (`told`), and the first of them as (what happened, its
    cells, what it was before)."""

    first: ExtractRun
    last: ExtractRun
    told: Differences
    notes: Sequence[str]
    heads: Sequence[tuple[str, bool]]
    rows: Sequence[tuple[str, Sequence[ShownText], str]]


@dataclass(frozen=True, kw_only=True)
class ComparedPage(SeatedPage):
    """Two runs of an extract held against each other."""

    html = "extracts/compared.html"
    where: str = "extracts"
    extract: Extract
    found: ExtractDef
    query: str
    compared: HeldAgainst | None


@require_GET
def compare(request: HttpRequest, name: str) -> HttpResponse:
    """Two runs held against each other: rows that are new, gone or changed, both computed as one may see them now."""
    page = asked_for(request, name)
    problem, found = None, None
    try:
        found = _held_against(page, [key_in(text) for text in request.GET.getlist("run")])
    except RulkaError as error:
        problem = error
    return ComparedPage(
        seat=page.seat,
        problem=problem,
        extract=page.extract,
        found=page.definition,
        query=page.query(tab="runs"),
        compared=found,
    ).answer(request)


def _held_against(page: ExtractRequest, chosen: Sequence[int]) -> HeldAgainst:
    if len(chosen) != 2:
        raise RulkaError("Two runs are compared.", hint="Tick two of the list.", subject="runs")
    first, last = (runs.find_run(page.seat.ledger, number, page.seat.person) for number in sorted(chosen))
    one, other = _reader(page, first), _reader(page, last)
    found = compared(page.definition, one, first.given, page.definition, other, last.given, most=MOST_SHOWN)
    columns, calendar = found.columns, page.seat.view.frame.calendar
    rows = [
        (row.what, [cell(value, column.shows, calendar) for value, column in zip(row.row, columns, strict=True)],
         found.was(at))
        for at, row in enumerate(found.found.rows)
    ]  # fmt: skip
    return HeldAgainst(first, last, found.found, found.notes, [(one.title, one.is_numeric) for one in columns], rows)


def _reader(page: ExtractRequest, run: ExtractRun) -> ExtractReader:
    own = page.reader
    return ExtractReader(own.ledger, own.fence, run.period, run.node, own.person, run.revision)
