"""A query or a headed list from elsewhere, pasted or uploaded: what it becomes here, what is unknown."""

from __future__ import annotations

from dataclasses import dataclass

from django.http import HttpRequest, HttpResponse, HttpResponseRedirect
from django.urls import reverse
from django.views.decorators.http import require_http_methods

from rulka.core.errors import RulkaError
from rulka.core.extracting.bringing import Draft
from rulka.extracts.editing.bringing import bring, drafted
from rulka.extracts.library.storing import TEXTS
from rulka.formats.extract_file import EXTRACTS
from rulka.formats.intake.table_file import find_encoding
from rulka.ledger.seat import SeatedPage, seat_of


@dataclass(frozen=True, kw_only=True)
class BringPage(SeatedPage):
    """What was pasted, and the draft that it becomes, also as a file would have it."""

    html = "extracts/bring.html"
    where: str = "extracts"
    text: str
    title: str
    draft: Draft | None
    as_text: str


@require_http_methods(["GET", "POST"])
def bring_list(request: HttpRequest) -> HttpResponse:
    """Paste a query or a list; see what it becomes; make the extract."""
    seat = seat_of(request)
    TEXTS.required_maker(seat.person)
    problem, draft, text, title, as_text = None, None, "", "", ""
    if request.method == "POST":
        try:
            text, title = _text(request), " ".join(request.POST.get("title", "").split())[:120]
            if request.POST.get("do") == "make":
                made, _ = bring(seat.ledger, seat.view.fence, text, title, person=seat.person)
                return HttpResponseRedirect(f"{reverse('extract', args=[made.name])}?{seat.query}")
            draft = drafted(seat.ledger, seat.view.fence, text, title)
            as_text = EXTRACTS.write({"extract": "draft", **draft.body})
        except RulkaError as error:
            problem = error
    page = BringPage(seat=seat, problem=problem, text=text, title=title, draft=draft, as_text=as_text)
    return page.answer(request)


def _text(request: HttpRequest) -> str:
    """What was pasted, or the file that was chosen."""
    sent = request.FILES.get("file")
    if sent is None:
        return request.POST.get("text", "").replace("\r\n", "\n")
    from rulka.formats.intake.foreign_query import MOST_TEXT

    data: bytes = sent.read(MOST_TEXT * 2 + 1)
    try:
        return data.decode(find_encoding(data[:200_000])).replace("\r\n", "\n")
    except (UnicodeDecodeError, LookupError):
        raise RulkaError("The file is no text.", hint="Choose a .sql, .txt or .csv file.", subject="file") from None
