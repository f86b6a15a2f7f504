"""The page one starts on: what waits in the reporting period, what holds, how the books stand, what was used last."""

from __future__ import annotations

from time import perf_counter

from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.utils import timezone
from django.views.decorators.http import require_GET

from rulka.ledger.month import month_of
from rulka.ledger.reading.history import latest_revision
from rulka.ledger.seat import seat_of


@require_GET
def month(request: HttpRequest) -> HttpResponse:
    """The reporting period as it stands for whoever looks."""
    before = perf_counter()
    seat = seat_of(request)
    latest = latest_revision(seat.ledger)
    context = {
        "where": "month",
        "seat": seat,
        "month": month_of(seat),
        "latest": latest,
        "days": (timezone.localdate() - seat.period.end).days,
        "empty": latest is None,
    }
    context["taken"] = f"{(perf_counter() - before) * 1000:.0f}"
    return render(request, "web/month.html", context)
