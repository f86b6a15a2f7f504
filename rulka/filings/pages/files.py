"""Files of a filing: asked for, made and validated in the background, taken away."""

from __future__ import annotations

from dataclasses import dataclass

from django.http import HttpRequest, HttpResponse, HttpResponseRedirect
from django.urls import reverse
from django.utils.http import content_disposition_header
from django.views.decorators.http import require_GET, require_POST

from rulka.core.errors import NotFound, RulkaError
from rulka.filings.models import Filing, FilingJob
from rulka.filings.output import jobs
from rulka.filings.output.asking import ask
from rulka.filings.output.background import may_take
from rulka.filings.output.making import TYPES
from rulka.filings.pages.filing import page_of
from rulka.filings.pages.readers import asked_for, back
from rulka.ledger.seat import SeatedPage
from rulka.work.services import files


@require_POST
def make(request: HttpRequest, name: str) -> HttpResponse:
    """Ask for a file."""
    asked, sent = asked_for(request, name), request.POST
    try:
        job = ask(asked.filing, asked.seat.person, sent.get("form", ""), sent.get("period", "").strip() or asked.at)
    except RulkaError as error:
        return page_of(request, asked, error)
    return HttpResponseRedirect(f"{reverse('filing-file', args=[name, job.pk])}?{asked.query(panel='files')}")


@dataclass(frozen=True, kw_only=True)
class FilePage(SeatedPage):
    """How far a file of a filing is, or how it ended."""

    html = "filings/file.html"
    where: str = "folios"
    filing: Filing
    job: FilingJob
    query: str


@require_GET
def job_page(request: HttpRequest, name: str, number: int) -> HttpResponse:
    """How far a file is, or how it ended."""
    asked = asked_for(request, name)
    job = jobs.find_job(asked.filing, number, asked.seat.person)
    page = FilePage(seat=asked.seat, filing=asked.filing, job=job, query=asked.query())
    if request.headers.get("HX-Request"):
        if job.is_open:
            return page.response(request, template="filings/_progress.html")
        return HttpResponse(headers={"HX-Refresh": "true"})
    return page.answer(request)


@require_GET
def take(request: HttpRequest, name: str, number: int) -> HttpResponse:
    """What was made, as a file."""
    asked = asked_for(request, name)
    job = jobs.find_job(asked.filing, number, asked.seat.person)
    where = files.find(job.file) if job.state == FilingJob.State.READY else None
    if where is None or not may_take(asked.filing, job, asked.seat.person):
        raise NotFound("There is no such file any more.", hint="Make it again.", subject="file")
    response = HttpResponse(where.read_bytes(), content_type=TYPES[job.form])
    response["Content-Disposition"] = content_disposition_header(True, job.file_name) or "attachment"
    return response


@require_POST
def stop(request: HttpRequest, name: str, number: int) -> HttpResponse:
    """Stop what is made."""
    asked = asked_for(request, name)
    jobs.cancel(jobs.find_job(asked.filing, number, asked.seat.person).pk)
    return back(asked, panel="files")
