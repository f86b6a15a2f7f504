"""A folio, or sections of it, as pages: made in the background, looked at one below the other, taken away."""

from __future__ import annotations

import io
from typing import TYPE_CHECKING, Any

from django.http import HttpRequest, HttpResponse, HttpResponseRedirect
from django.shortcuts import render
from django.urls import reverse
from django.utils.http import content_disposition_header
from django.views.decorators.http import require_GET, require_POST

from rulka.core.errors import NotFound, RulkaError
from rulka.core.later import later
from rulka.folios.models import FolioJob
from rulka.folios.output import jobs
from rulka.folios.output.asking import ask
from rulka.folios.output.background import LIVE, may_take
from rulka.folios.output.making import TYPES
from rulka.folios.pages.folio import page_of
from rulka.folios.pages.readers import Asked, asked_for, back
from rulka.formats.output.paper import page_picture
from rulka.work.services import files

if TYPE_CHECKING:
    import pikepdf
    import pypdfium2
else:
    pikepdf = later("pikepdf")
    pypdfium2 = later("pypdfium2")


@require_POST
def ask_pages(request: HttpRequest, name: str) -> HttpResponse:
    """Ask for pages to look at, or for a file."""
    asked, sent = asked_for(request, name), request.POST
    keys = [key for key in sent.getlist("key") if key]
    preview = sent.get("form", "preview") == "preview"
    try:
        job = ask(asked.folio, asked.seat.person, "pdf" if preview else sent.get("form", ""), keys, preview=preview,
                  draft=preview)  # fmt: skip
    except RulkaError as error:
        return page_of(request, asked, error)
    return HttpResponseRedirect(f"{reverse('folio-pages', args=[name, job.pk])}?{asked.query()}")


@require_GET
def pages(request: HttpRequest, name: str, number: int) -> HttpResponse:
    """The pages as they are, or how far they are; it opens at one's own section."""
    asked = asked_for(request, name)
    job = jobs.find_job(asked.folio, number, asked.seat.person)
    told: dict[str, Any] = dict(job.told)
    begins: dict[str, int] = told.get("begins", {})
    context = {
        "where": "folios", "seat": asked.seat, "folio": asked.folio, "asked": asked, "job": job, "query": asked.query(),
        "sections": [(key, asked.reading.outline.section(key).title, page) for key, page in begins.items()
                     if key in {one.key for one in asked.reading.outline.sections}],
        "opens": begins.get(asked.key, 1), "says": told.get("says", []), "texts": [], "alone": len(job.keys) == 1,
    }  # fmt: skip
    if job.state == FolioJob.State.READY and job.preview:
        context["texts"] = _texts(_data(asked, job))
    if request.headers.get("HX-Request"):
        if job.is_open:
            return render(request, "folios/_progress.html", context)
        return HttpResponse(headers={"HX-Refresh": "true"})
    return render(request, "folios/pages.html", context)


def _data(asked: Asked, job: FolioJob) -> bytes:
    """The bytes of what is ready; refused where they are gone, or somebody's bounds are others by now."""
    where = files.find(job.file) if job.state == FolioJob.State.READY else None
    if where is None or not may_take(asked.folio, job, asked.seat.person):
        raise NotFound("There are no such pages any more.", hint="Ask for them again.", subject="pages")
    return where.read_bytes()


def _texts(pdf: bytes) -> list[dict[str, Any]]:
    """By page its words, for who reads them, and where in it figures lead, in percent of its size."""
    links = _links(pdf)
    document = pypdfium2.PdfDocument(pdf)
    try:
        return [
            {"links": links[at], "number": at + 1, "words": document[at].get_textpage().get_text_bounded(),
             "wide": document[at].get_width(), "high": document[at].get_height()}
            for at in range(len(document))
        ]  # fmt: skip
    finally:
        document.close()


def _links(pdf: bytes) -> list[list[dict[str, Any]]]:
    """By page where its figures stand, in percent of its size, and where they lead."""
    found = []
    with pikepdf.open(io.BytesIO(pdf)) as opened:
        for page in opened.pages:
            left, low, right, high = (float(one) for one in page.mediabox)
            wide, tall = right - left, high - low
            own: list[dict[str, Any]] = []
            annotations: Any = page.obj.get("/Annots", [])
            for one in annotations:
                address = str(one.get("/A", {}).get("/URI", ""))
                if not address.startswith(f"{LIVE}/"):
                    continue
                box = [float(edge) for edge in one.Rect]
                own.append({
                    "href": address.removeprefix(LIVE), "said": "Trace this figure",
                    "left": f"{(box[0] - left) / wide * 100:.2f}", "top": f"{(high - box[3]) / tall * 100:.2f}",
                    "wide": f"{(box[2] - box[0]) / wide * 100:.2f}", "high": f"{(box[3] - box[1]) / tall * 100:.2f}",
                })  # fmt: skip
            found.append(own)
    return found


@require_GET
def picture(request: HttpRequest, name: str, number: int, page: int) -> HttpResponse:
    """One page as a picture."""
    asked = asked_for(request, name)
    job = jobs.find_job(asked.folio, number, asked.seat.person)
    data, _ = page_picture(_data(asked, job), page)
    return HttpResponse(data, content_type="image/png")


@require_GET
def take(request: HttpRequest, name: str, number: int) -> HttpResponse:
    """What was made, as a file."""
    asked = asked_for(request, name)
    job = jobs.find_job(asked.folio, number, asked.seat.person)
    response = HttpResponse(_data(asked, job), content_type=TYPES[job.form])
    response["Content-Disposition"] = content_disposition_header(True, job.file_name) or "attachment"
    return response


@require_POST
def stop(request: HttpRequest, name: str, number: int) -> HttpResponse:
    """Stop what is made."""
    asked = asked_for(request, name)
    jobs.cancel(jobs.find_job(asked.folio, number, asked.seat.person).pk)
    return back(asked)
