"""A query or a headed list from elsewhere, pasted or uploaded: what it becomes here, what is unknown."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest, HttpResponse, HttpResponseRedirect
from django.shortcuts import render
from django.urls import reverse
from django.views.decorators.http import require_http_methods

from rulka.core.errors import RulkaError
from rulka.extracts.editing.bringing import bring, drafted
from rulka.extracts.library.storing import TEXTS
from rulka.formats.extract_file import EXTRACTS
from rulka.formats.intake.table_file import find_encoding
from rulka.ledger.seat import seat_of


@require_http_methods(["GET", "POST"])
def bring_list(request: HttpRequest) -> HttpResponse:
    """Paste a query or a list; see what it becomes; make the extract."""
    seat = seat_of(request)
    TEXTS.required_maker(seat.person)
    context: dict[str, Any] = {
        "where": "extracts", "seat": seat, "draft": None, "problem": None, "text": "", "title": "", "as_text": "",
    }  # fmt: skip
    if request.method == "POST":
        sent = request.POST
        try:
            context |= {"text": _text(request), "title": " ".join(sent.get("title", "").split())[:120]}
            if sent.get("do") == "make":
                made, _ = bring(seat.ledger, seat.view.fence, context["text"], context["title"], person=seat.person)
                return HttpResponseRedirect(f"{reverse('extract', args=[made.name])}?{seat.query}")
            found = drafted(seat.ledger, seat.view.fence, context["text"], context["title"])
            context |= {"draft": found, "as_text": EXTRACTS.write({"extract": "draft", **found.body})}
        except RulkaError as error:
            context["problem"] = error
    return render(request, "extracts/bring.html", context, status=422 if context["problem"] else 200)


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
