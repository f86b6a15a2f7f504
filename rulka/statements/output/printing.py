"""What would be printed, as pictures: the PDF itself, made once for a state of the statement, and looked at page by
page."""

from __future__ import annotations

from functools import lru_cache
from typing import Any

from rulka.formats.output.paper import page_picture
from rulka.ledger.seat import Seat
from rulka.statements.library.assemble import Definitions
from rulka.statements.library.storing import stamp_of
from rulka.statements.output.exports import export
from rulka.statements.running.explained import explained_of, notes_of
from rulka.statements.running.nodes import outcomes_of

MOST_PREVIEWED = 400
"""Rows of a page that are looked at before printing: more than the pictures shown hold."""


@lru_cache(maxsize=8)
def _kept(key: tuple[Any, ...]) -> list[bytes]:
    return []


def printed(seat: Seat, definitions: Definitions) -> bytes:
    """The PDF of what is shown; kept for a person while nothing that it depends on changes."""
    stamp = stamp_of(definitions)
    outcomes = outcomes_of(seat, definitions)
    notes = tuple(notes_of(explained_of(seat.ledger, one.computed, seat.readers)) for one in outcomes)
    kept = _kept((seat.ledger.pk, seat.view.revision, seat.person.pk, stamp, seat.query, seat.view.fence, notes))
    if not kept:
        content = export(outcomes, seat.ledger, "pdf", most_rows=MOST_PREVIEWED)
        kept.append(content if isinstance(content, bytes) else content.encode())
    return kept[0]


def preview_page(seat: Seat, definitions: Definitions, number: int) -> tuple[bytes, int]:
    """The PNG of a page of what would be printed, and how many pages there are."""
    return page_picture(printed(seat, definitions), number)
