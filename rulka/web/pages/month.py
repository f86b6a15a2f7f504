"""The page one starts on: what waits in the reporting period, what holds, how the books stand, what was used last."""

from __future__ import annotations

from dataclasses import dataclass
from time import perf_counter

from django.http import HttpRequest, HttpResponse
from django.utils import timezone
from django.views.decorators.http import require_GET

from rulka.ledger.models import Revision
from rulka.ledger.month import Month, month_of
from rulka.ledger.reading.history import latest_revision
from rulka.ledger.seat import SeatedPage, seat_of


@dataclass(frozen=True, kw_only=True)
class MonthPage(SeatedPage):
    """A reporting period as it stands, `days` after its end; `empty` where nothing was loaded yet."""

    html = "web/month.html"
    where: str = "month"
    month: Month
    latest: Revision | None
    days: int
    empty: bool
    taken: str


@require_GET
def month(request: HttpRequest) -> HttpResponse:
    """The reporting period as it stands for whoever looks."""
    before = perf_counter()
    seat = seat_of(request)
    latest = latest_revision(seat.ledger)
    page = MonthPage(
        seat=seat,
        month=month_of(seat),
        latest=latest,
        days=(timezone.localdate() - seat.period.end).days,
        empty=latest is None,
        taken=f"{(perf_counter() - before) * 1000:.0f}",
    )
    return page.answer(request)
