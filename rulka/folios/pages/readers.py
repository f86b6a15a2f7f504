"""What every page of a folio begins with: the folio behind its gate, as the person who asks reads it."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from urllib.parse import urlencode

from django.http import HttpRequest, HttpResponseRedirect
from django.urls import reverse

from rulka.folios.library.opening import may_manage, open_folio
from rulka.folios.models import Folio
from rulka.folios.running.sections import FolioReading, SectionRead
from rulka.ledger.seat import Seat, seat_of
from rulka.people.models import Person
from rulka.statements.library.on_shelves import may_change_on

PANELS = (("section", "Section"), ("figures", "Figures"), ("style", "Style"), ("history", "History"))
OUTLINE = (("outline", "Section"), ("about", "Folio"), ("master", "Master"), ("text", "Text"))


@dataclass(frozen=True)
class FolioRequest:
    """A folio as a page asks for it: which section, which panel, whether the outline is changed or a text written."""

    seat: Seat
    folio: Folio
    reading: FolioReading
    key: str
    panel: str
    arranging: bool
    writing: bool

    @cached_property
    def manages(self) -> bool:
        return may_manage(self.seat.person, self.folio)

    @cached_property
    def may_change(self) -> bool:
        """Whether they may change the outline."""
        return _may_change(self.seat.person, self.folio)

    @cached_property
    def read(self) -> SectionRead | None:
        """The section that is shown; none in an empty folio."""
        return self.reading.section(self.key) if self.key else None

    def query(self, **more: str) -> str:
        """What an address has to carry to show the same."""
        own = {
            "ledger": self.seat.ledger.code, "section": self.key, "panel": self.panel,
            "arrange": "yes" if self.arranging else "", **more,
        }  # fmt: skip
        return urlencode({name: value for name, value in own.items() if value})


def _may_change(person: Person, folio: Folio) -> bool:
    return person.may_edit and may_change_on(person, folio)


def asked_for(request: HttpRequest, name: str, key: str = "", *, edit: bool = False) -> FolioRequest:
    """The folio that an address names, for the person who asks; refused for who may not open it."""
    seat = seat_of(request)
    folio = open_folio(seat.ledger, name, person=seat.person, edit=edit)
    reading = FolioReading(folio, seat.view.fence, seat.person, drafts=True)
    key = key or request.GET.get("section", "")
    keys = [one.key for one in reading.outline.sections]
    if not key and keys:
        mine = [one.section.key for one in reading.sections() if one.standing.responsible == seat.person.username]
        key = (mine or keys)[0]
    if key:
        reading.outline.section(key)
    arranging = request.GET.get("arrange") == "yes" and _may_change(seat.person, folio)
    known = dict(OUTLINE if arranging else PANELS)
    panel = request.GET.get("panel", "")
    panel = panel if panel in known else next(iter(known))
    return FolioRequest(seat, folio, reading, key, panel, arranging, request.GET.get("write") == "yes")


def back(asked: FolioRequest, **more: str) -> HttpResponseRedirect:
    """On to the folio's page, with what it shows."""
    return HttpResponseRedirect(f"{reverse('folio', args=[asked.folio.name])}?{asked.query(**more)}")
