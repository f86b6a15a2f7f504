"""A file that came back: dropped on a page, held against what it was when it left."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_http_methods

from rulka.core.errors import RulkaError
from rulka.formats.intake.read_back import MOST_BYTES, read_apart
from rulka.ledger.seat import seat_of
from rulka.statements.output.origins import verify as verified

MOST_SHOWN = 200


@require_http_methods(["GET", "POST"])
def verify(request: HttpRequest) -> HttpResponse:
    """Choose a file; whether it is what it names, which cells were changed by hand, and what moved since."""
    seat = seat_of(request)
    context: dict[str, Any] = {"seat": seat, "where": "statements", "found": None, "problem": None, "name": ""}
    if request.method == "POST":
        try:
            sent = request.FILES.get("file")
            if sent is None:
                raise RulkaError("No file came.", hint="Choose one, or drop it on the field.", subject="file")
            context["name"] = (sent.name or "file")[:120]
            if (sent.size or 0) > MOST_BYTES:
                raise RulkaError(f"The file is larger than {MOST_BYTES:,} bytes.", subject=context["name"])
            found = verified(sent.read(MOST_BYTES + 1), context["name"], seat.person, read=read_apart)
            context |= {
                "found": found,
                "altered": found.altered[:MOST_SHOWN],
                "here": found.left.ledger == seat.ledger.code,
            }
        except RulkaError as error:
            context["problem"] = error
    return render(request, "statements/verify.html", context, status=422 if context["problem"] else 200)
