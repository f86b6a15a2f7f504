"""A folio, or sections of it, as pages: made in the background, looked at one below the other, taken away."""

from __future__ import annotations

import io
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from django.http import HttpRequest, HttpResponse, HttpResponseRedirect
from django.urls import reverse
from django.utils.http import content_disposition_header
from django.views.decorators.http import require_GET, require_POST

from rulka.core.errors import NotFound, RulkaError
from rulka.core.later import later
from rulka.folios.models import Folio, FolioJob
from rulka.folios.output import jobs
from rulka.folios.output.asking import ask
from rulka.folios.output.background import LIVE, may_take
from rulka.folios.output.making import TYPES
from rulka.folios.pages.folio import page_of
from rulka.folios.pages.readers import FolioRequest, asked_for, back
from rulka.formats.output.paper import page_picture
from rulka.ledger.seat import SeatedPage
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


@dataclass(frozen=True)
class LiveFigure:
    """Where on a page a figure stands, in percent of the page's size, and where it leads."""

    href: str
    left: str
    top: str
    wide: str
    high: str
    said: str = "Trace this figure"


@dataclass(frozen=True)
class PaperPage:
    """A page: its words for who reads them, its size in points, and its live figures."""

    number: int
    words: str
    wide: float
    high: float
    links: Sequence[LiveFigure]


@dataclass(frozen=True, kw_only=True)
class PagesPage(SeatedPage):
    """A folio as pages (`texts`), or how far they are; the page on which each section begins, as (key, title, page)."""

    html = "folios/pages.html"
    where: str = "folios"
    asked: FolioRequest
    folio: Folio
    job: FolioJob
    query: str
    sections: Sequence[tuple[str, str, int]]
    opens: int
    says: Sequence[str]
    texts: Sequence[PaperPage]


@require_GET
def pages(request: HttpRequest, name: str, number: int) -> HttpResponse:
    """The pages as they are, or how far they are; it opens at one's own section."""
    asked = asked_for(request, name)
    job = jobs.find_job(asked.folio, number, asked.seat.person)
    told: Mapping[str, Any] = job.told
    begins: Mapping[str, int] = told.get("begins", {})
    titles = {one.key: one.title for one in asked.reading.outline.sections}
    ready = job.state == FolioJob.State.READY and job.preview
    page = PagesPage(
        seat=asked.seat,
        asked=asked,
        folio=asked.folio,
        job=job,
        query=asked.query(),
        sections=[(key, titles[key], page) for key, page in begins.items() if key in titles],
        opens=begins.get(asked.key, 1),
        says=told.get("says", []),
        texts=_texts(_data(asked, job)) if ready else [],
    )
    if request.headers.get("HX-Request"):
        if job.is_open:
            return page.response(request, template="folios/_progress.html")
        return HttpResponse(headers={"HX-Refresh": "true"})
    return page.answer(request)


def _data(asked: FolioRequest, job: FolioJob) -> bytes:
    """The bytes of what is ready; refused where they are gone, or somebody's bounds are others by now."""
    where = files.find(job.file) if job.state == FolioJob.State.READY else None
    if where is None or not may_take(asked.folio, job, asked.seat.person):
        raise NotFound("There are no such pages any more.", hint="Ask for them again.", subject="pages")
    return where.read_bytes()


def _texts(pdf: bytes) -> list[PaperPage]:
    links = _links(pdf)
    document = pypdfium2.PdfDocument(pdf)
    try:
        return [
            PaperPage(at + 1, page.get_textpage().get_text_bounded(), page.get_width(), page.get_height(), links[at])
            for at in range(len(document))
            for page in (document[at],)
        ]
    finally:
        document.close()


def _links(pdf: bytes) -> list[list[LiveFigure]]:
    """By page its live figures."""
    with pikepdf.open(io.BytesIO(pdf)) as opened:
        return [_links_of(page) for page in opened.pages]


def _links_of(page: Any) -> list[LiveFigure]:
    left, low, right, high = (float(one) for one in page.mediabox)
    wide, tall = right - left, high - low
    found = []
    for one in page.obj.get("/Annots", []):
        address = str(one.get("/A", {}).get("/URI", ""))
        if address.startswith(f"{LIVE}/"):
            box = [float(edge) for edge in one.Rect]
            found.append(LiveFigure(
                address.removeprefix(LIVE),
                left=f"{(box[0] - left) / wide * 100:.2f}", top=f"{(high - box[3]) / tall * 100:.2f}",
                wide=f"{(box[2] - box[0]) / wide * 100:.2f}", high=f"{(box[3] - box[1]) / tall * 100:.2f}",
            ))  # fmt: skip
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
