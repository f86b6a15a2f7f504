"""For whom a page of an extract is answered: the one gate from a request to an extract's rows."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from urllib.parse import urlencode

from django.http import HttpRequest, HttpResponseRedirect
from django.urls import reverse

from rulka.core.extracting.definitions import ExtractDef, LayoutDef
from rulka.extracts.library.opening import may_change, open_extract
from rulka.extracts.library.storing import definition_of
from rulka.extracts.models import Extract
from rulka.extracts.output.making import fence_for
from rulka.extracts.running.asked import ExtractReader
from rulka.ledger.seat import Seat, seat_of

ANSWER = "a-"
"""What names of answers begin with in addresses."""


@dataclass(frozen=True)
class ExtractRequest:
    """A request about an extract: who sits where, the extract with the layouts they have, what they answered."""

    seat: Seat
    extract: Extract
    definition: ExtractDef
    given: dict[str, str]
    layout: str
    tab: str

    @property
    def reader(self) -> ExtractReader:
        """Behind whose fence rows are read."""
        seat = self.seat
        return ExtractReader(
            seat.ledger, fence_for(self.extract, seat.person), seat.period.code, seat.node, seat.person
        )

    @property
    def may_change(self) -> bool:
        return may_change(self.seat.person, self.extract)

    @property
    def chosen(self) -> LayoutDef:
        """The layout chosen; of one that is gone the first."""
        names = {one.name.casefold(): one for one in self.definition.layouts}
        return names.get(self.layout.casefold()) or self.definition.layout("")

    def query(self, **more: str) -> str:
        """What an address has to carry to show the same: seat, answers, layout and tab."""
        own = {f"{ANSWER}{name}": text for name, text in self.given.items()}
        told = {"layout": self.layout, "tab": self.tab, **own, **more}
        return f"{self.seat.query}&{urlencode({name: value for name, value in told.items() if value})}"


def asked_for(request: HttpRequest, name: str, *, edit: bool = False) -> ExtractRequest:
    """The extract that an address names, for the person who asks; refused for who may not run or edit it."""
    seat = seat_of(request)
    extract = open_extract(seat.ledger, name, person=seat.person, edit=edit)
    definition = definition_of(extract, seat.person)
    sent: Mapping[str, str] = {**request.GET.dict(), **request.POST.dict()}
    given = {
        one.name: " ".join(sent[ANSWER + one.name].split("\r\n")) if one.type != "list" else sent[ANSWER + one.name]
        for one in definition.asks
        if sent.get(ANSWER + one.name, "").strip()
    }
    return ExtractRequest(seat, extract, definition, given, sent.get("layout", ""), sent.get("tab", ""))


def back(page: ExtractRequest, **more: str) -> HttpResponseRedirect:
    """On to the extract's page, with what it shows."""
    return HttpResponseRedirect(f"{reverse('extract', args=[page.extract.name])}?{page.query(**more)}")
