"""What every page of a filing begins with: the filing behind its gate, as the person who asks reads it."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from urllib.parse import urlencode

from django.http import HttpRequest, HttpResponseRedirect
from django.urls import reverse

from rulka.core.filings.facts import FilingPlace
from rulka.filings.library.opening import open_filing
from rulka.filings.models import Filing
from rulka.filings.running.reading import FilingReading
from rulka.ledger.seat import Seat, seat_of
from rulka.statements.library.on_shelves import may_change_on

PANELS = (("tag", "Tag"), ("checks", "Checks"), ("files", "Files"), ("about", "About"))


@dataclass(frozen=True)
class FilingRequest:
    """A filing as a page asks for it: which part (a statement's name, or `words`), which line, column or section of it,
    which panel, at which period where that is another one than its own."""

    seat: Seat
    filing: Filing
    reading: FilingReading
    part: str
    line: str
    column: str
    panel: str
    at: str

    @cached_property
    def may_change(self) -> bool:
        return self.seat.person.may_edit and may_change_on(self.seat.person, self.filing)

    def query(self, **more: str) -> str:
        """What an address has to carry to show the same."""
        own = {
            "ledger": self.seat.ledger.code, "part": self.part, "line": self.line, "column": self.column,
            "panel": self.panel, "at": self.at, **more,
        }  # fmt: skip
        return urlencode({name: value for name, value in own.items() if value})

    def to(self, place: FilingPlace) -> str:
        """Where a place of the filing is shown."""
        part = place.statement or ("words" if place.section else self.part)
        line, column = place.line or place.section, "" if place.line else place.column
        where = reverse("filing", args=[self.filing.name])
        return f"{where}?{self.query(part=part, line=line, column=column, panel='tag')}"


def asked_for(request: HttpRequest, name: str, *, edit: bool = False) -> FilingRequest:
    """The filing that an address names, for the person who asks; refused for who may not open it."""
    seat = seat_of(request)
    filing = open_filing(seat.ledger, name, person=seat.person, edit=edit)
    asked = request.GET
    at = asked.get("at", "")
    reading = FilingReading(filing, seat.view.fence, seat.person, at)
    panel = asked.get("panel", "")
    panel = panel if panel in dict(PANELS) else PANELS[0][0]
    return FilingRequest(
        seat, filing, reading, asked.get("part", ""), asked.get("line", ""), asked.get("column", ""), panel, at
    )  # fmt: skip


def back(asked: FilingRequest, **more: str) -> HttpResponseRedirect:
    """On to the filing's page, with what it shows."""
    return HttpResponseRedirect(f"{reverse('filing', args=[asked.filing.name])}?{asked.query(**more)}")
