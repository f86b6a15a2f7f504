"""For whom a page of an overview is answered: the one gate from a request to an overview's figures."""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cached_property
from urllib.parse import urlencode

from django.http import HttpRequest, HttpResponseRedirect
from django.urls import reverse

from rulka.core.overviews.definitions import BESIDE, WINDOWS, LineRef, OverviewDef, OverviewPageDef
from rulka.core.values import key_in
from rulka.ledger.seat import Seat, seat_of
from rulka.overviews.library.opening import may_change, open_overview
from rulka.overviews.library.storing import checked
from rulka.overviews.models import Overview
from rulka.overviews.output.shown import Ways
from rulka.overviews.running.readings import OverviewReader, StatementReadings

SWITCHES = (("month", "Month"), ("date", "Year to date"), ("year", "Whole year"), (BESIDE, "Side by side"))


@dataclass(frozen=True)
class OverviewRequest:
    """A request about an overview: who sits where, which page of it, which window, which line was chosen."""

    seat: Seat
    overview: Overview
    definition: OverviewDef
    switch: str
    line: str
    number: int
    arranging: bool = False
    readings: StatementReadings = field(init=False)

    def __post_init__(self) -> None:
        seat = self.seat
        reader = OverviewReader(seat.ledger, seat.view.fence, seat.person, seat.period.code, seat.node, seat.of)
        object.__setattr__(self, "readings", StatementReadings(self.definition, reader))

    @cached_property
    def page(self) -> OverviewPageDef:
        """The page of the overview that is shown."""
        pages = self.definition.pages
        return pages[min(self.number, len(pages)) - 1]

    @property
    def chosen(self) -> LineRef | None:
        return self.definition.chosen(self.line)

    @property
    def may_change(self) -> bool:
        return may_change(self.seat.person, self.overview)

    def query(self, **more: str) -> str:
        """What an address has to carry to show the same: seat, window, line and page."""
        told = {
            "window": self.switch,
            "line": self.line,
            "page": str(self.number) if self.number > 1 else "",
            "arrange": "yes" if self.arranging else "",
            **more,
        }
        own = {name: value for name, value in told.items() if value}
        if "of" in own or "node" in own:  # one of the seat's is said otherwise
            seat = self.seat
            whole = {"ledger": seat.ledger.code, "period": seat.period.code, "node": seat.node, "of": seat.of}
            return urlencode({**{name: value for name, value in whole.items() if value}, **own})
        return f"{self.seat.query}&{urlencode(own)}"

    @property
    def ways(self) -> Ways:
        """Where figures and nodes lead; figures nowhere for whoever sees nothing behind them."""
        name = self.overview.name
        trace, page = reverse("overview-trace", args=[name]), reverse("overview", args=[name])
        opens = self.seat.view.fence.opens_figures
        field_name = "of" if self.readings.has_own_nodes else "node"
        base = f"{trace}?{self.query()}"
        bases: dict[str, str] = {}

        def traced(statement: str, query: str) -> str:
            if not opens:
                return ""
            if statement not in bases:
                bases[statement] = f"{base}&{urlencode({'statement': statement})}"
            return f"{bases[statement]}&{query}"

        return Ways(traced, lambda code: f"{page}?{self.query(**{field_name: code})}")


def asked_for(request: HttpRequest, name: str, *, edit: bool = False) -> OverviewRequest:
    """The overview that an address names, for the person who asks; refused for who may not open or edit it."""
    seat = seat_of(request)
    overview = open_overview(seat.ledger, name, person=seat.person, edit=edit)
    known = [switch for switch, _ in SWITCHES]
    sent = request.GET.get("window", "") or request.session.get("overview-window", "")
    switch = sent if sent in known else WINDOWS[1]
    if request.GET.get("window") in known:
        request.session["overview-window"] = switch
    return OverviewRequest(
        seat,
        overview,
        checked(overview.body),
        switch,
        request.GET.get("line", ""),
        key_in(request.GET.get("page", "")) or 1,
        request.GET.get("arrange") == "yes",
    )


def back(asked: OverviewRequest, **more: str) -> HttpResponseRedirect:
    """On to the overview's page, with what it shows."""
    return HttpResponseRedirect(f"{reverse('overview', args=[asked.overview.name])}?{asked.query(**more)}")
