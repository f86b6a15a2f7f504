"""For whom a page of a worksheet calculates: the one gate from a request to a worksheet's figures."""

from __future__ import annotations

from dataclasses import dataclass

from django.http import HttpRequest

from rulka.core.sheet.workbook import Sheet
from rulka.core.values import key_in
from rulka.ledger.seat import Seat, seat_of
from rulka.worksheets.library.opening import may_change, open_worksheet
from rulka.worksheets.models import Worksheet
from rulka.worksheets.running.live import Live, WorksheetReader
from rulka.worksheets.running.revisions import reader_for


@dataclass(frozen=True)
class WorksheetRequest:
    """A request about a worksheet: who sits where, the worksheet, and the reader at the revision they see it at."""

    seat: Seat
    worksheet: Worksheet
    reader: WorksheetReader

    @property
    def may_change(self) -> bool:
        return may_change(self.seat.person, self.worksheet)


def reader_of(seat: Seat) -> WorksheetReader:
    """Whoever sits there, at the newest revision."""
    return WorksheetReader(seat.ledger, seat.view, seat.period, seat.node, seat.person)


def asked_for(request: HttpRequest, name: str, *, edit: bool = False) -> WorksheetRequest:
    """The worksheet that an address names, for the person who asks; refused for who may not run or edit it."""
    seat = seat_of(request)
    worksheet = open_worksheet(seat.ledger, name, person=seat.person, edit=edit)
    return WorksheetRequest(seat, worksheet, reader_for(worksheet, reader_of(seat)))


def sheet_asked(live: Live, request: HttpRequest) -> Sheet:
    """The sheet that an address names by its number, the first without one."""
    asked = request.GET.get("sheet", "")
    if not asked:
        return live.workbook.sheets[0]
    return live.workbook.sheet(key_in(asked))
