"""What every page's frame shows: the reporting period with its steps, one setting that all pages follow."""

from __future__ import annotations

from typing import Any
from urllib.parse import urlencode

from django.http import HttpRequest
from django.urls import reverse


def shell(request: HttpRequest) -> dict[str, Any]:
    """Context of the frame: the former and the next period as (title, query), None at the calendar's ends."""
    seat = getattr(request, "seat", None)
    if seat is None:
        return {"former": None, "next": None}

    def step(by: int) -> tuple[str, str] | None:
        period = seat.stepped(by)
        query = {"ledger": seat.ledger.code, "period": period.code if period else "", "node": seat.node}
        if not request.path.startswith(reverse("statements")):  # other pages keep what they are asked for
            query = {name: value for name, value in request.GET.items() if name not in ("after", "before", "end")} | query
        return (period.title, urlencode(query)) if period else None

    return {"former": step(-1), "next": step(1)}
