"""Long lists in pieces: the first is written, the others come once they are near, or all of them for whom asks so."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from itertools import pairwise
from typing import Any

from django.http import HttpRequest, HttpResponse

from rulka.core.values import whole
from rulka.ledger.seat import Seat
from rulka.screen import Screen

MANY = 150
"""Rows from which a list comes in pieces, and that are written of a page at first."""
SIZE = 60
"""Rows of a list's first piece; those that follow have twice as many, since each takes room while it waits."""
ROW_HEIGHT = 26


@dataclass
class ListPiece:
    """Rows that follow each other, by their places in the list; `rows` is filled where they are written."""

    number: int
    start: int
    stop: int
    written: bool
    rows: Sequence[Any] = field(default_factory=tuple)

    @property
    def count(self) -> int:
        return self.stop - self.start

    @property
    def height(self) -> int:
        """Pixels that the rows take once they are written."""
        return self.count * ROW_HEIGHT


class ListPieces:
    """How the lists of a page are cut. `here` is the address that a piece is asked for at."""

    def __init__(self, request: HttpRequest, seat: Seat) -> None:
        asked = request.GET.copy()
        given = asked.pop("piece", [""])[0]
        self.every = given == "all"
        self.only = whole(given, "piece") if given and not self.every else None
        for name, value in (("ledger", seat.ledger.code), ("period", seat.period.code), ("node", seat.node)):
            asked.setdefault(name, value)
        self.here = asked.urlencode()
        self.count = 0
        self.written = 0

    def cut(self, rows: int, needed: int = -1) -> list[ListPiece]:
        """The next list of the page in pieces; the one with the row `needed` is written too."""
        ends = [*range(SIZE, rows, 2 * SIZE)] if rows > MANY else []
        pieces = []
        for start, stop in pairwise([0, *ends, rows] if rows else []):
            number = self.count
            if self.only is not None:
                chosen = number == self.only
            else:
                chosen = self.every or self.written < MANY or start <= needed < stop
            pieces.append(ListPiece(number, start, stop, chosen))
            self.count += 1
            self.written += MANY if rows > MANY else rows
        return pieces

    def answer(self, request: HttpRequest, html: str, lists: Sequence[ListInPieces]) -> HttpResponse | None:
        """The one piece that was asked for, out of lists, by the template of its rows; None for a whole page or a
        change."""
        if self.only is None or request.method != "GET":
            return None
        for one in lists:
            for piece in one.pieces:
                if piece.number == self.only:
                    return replace(one, piece=piece, here=self.here).response(request, template=html)
        return HttpResponse(status=204)


@dataclass(frozen=True, kw_only=True)
class ListInPieces(Screen):
    """A list in pieces, with what the rows of a piece name besides; one `piece` where that alone was asked for."""

    pieces: Sequence[ListPiece]
    piece: ListPiece | None = None
    here: str = ""
