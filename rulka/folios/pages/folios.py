"""The list of folios, and new ones."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime

from django.http import HttpRequest, HttpResponse, HttpResponseRedirect
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from rulka.core.books.calendar import Period
from rulka.core.errors import RulkaError
from rulka.folios.library.opening import rows_of, seen_folios, standing_of
from rulka.folios.library.storing import TEXTS, outline_of
from rulka.folios.models import Folio, Section
from rulka.ledger.seat import SeatedPage, seat_of
from rulka.statements.library.on_shelves import may_run_among


@dataclass(frozen=True)
class FolioLine:
    """A folio in the list: how far it is, and how many sections wait for whoever looks."""

    folio: Folio
    period: str
    done: int
    sections: int
    mine: int
    changed: datetime
    opens: bool


@dataclass(frozen=True, kw_only=True)
class FoliosPage(SeatedPage):
    """The folios of the ledger."""

    html = "folios/list.html"
    where: str = "folios"
    lines: Sequence[FolioLine]


@require_GET
def folio_list(request: HttpRequest) -> HttpResponse:
    """The folios of the ledger, those that wait for whoever looks first."""
    seat = seat_of(request)
    seen = seen_folios(seat.ledger, seat.person)
    opens = {one.pk for one in may_run_among(seen, seat.person)}
    periods = seat.view.frame.calendar.by_code
    lines = [_line(one, seat.person.username, one.pk in opens, periods) for one in seen]
    lines.sort(key=lambda one: (-one.mine, one.folio.title.casefold()))
    return FoliosPage(seat=seat, lines=lines).answer(request)


def _line(folio: Folio, name: str, opens: bool, periods: Mapping[str, Period]) -> FolioLine:
    outline, rows = outline_of(folio), rows_of(folio)
    done = mine = 0
    for section in outline.sections:
        row = rows.get(section.key) or Section(folio=folio, key=section.key)
        done += row.state == Section.State.DONE
        now = standing_of(folio, section, row)
        mine += folio.state == Folio.State.WRITING and now.responsible == name
    period = periods[outline.period].title if outline.period in periods else outline.period
    return FolioLine(folio, period, done, len(outline.sections), mine, folio.changed, opens)


@require_POST
def begin(request: HttpRequest) -> HttpResponse:
    """A new folio without a section, for the reporting period and node."""
    seat = seat_of(request)
    TEXTS.required_maker(seat.person)
    title = " ".join(request.POST.get("title", "").split())[:120]
    if not title:
        raise RulkaError("A folio needs a title.", hint="Such as 'Board pack'.", subject="title")
    body = {
        "folio": TEXTS.free_name(seat.ledger, title), "title": title, "period": seat.period.code, "node": seat.node,
        "owner": seat.person.username, "sections": [],
    }  # fmt: skip
    folio, _ = TEXTS.store(seat.ledger, body, seat.person)
    folio.owner = seat.person
    folio.save(update_fields=["owner"])
    return HttpResponseRedirect(f"{reverse('folio', args=[folio.name])}?{seat.query}&arrange=yes")
