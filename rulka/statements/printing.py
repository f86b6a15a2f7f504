"""What would be printed, as pictures: the PDF itself, made once for a state of the statement, and looked at page by page."""

from __future__ import annotations

from functools import lru_cache
from typing import Any

from rulka.formats.paper import page_picture
from rulka.ledger.seat import Seat
from rulka.statements.assemble import find_definition
from rulka.statements.exports import export
from rulka.statements.services import node_asked, run_pages


@lru_cache(maxsize=8)
def _kept(key: tuple[Any, ...]) -> list[bytes]:
    return []


def printed(seat: Seat, name: str, stamp: str) -> bytes:
    """The PDF of what is shown; kept while nothing that it depends on changes."""
    kept = _kept((seat.ledger.pk, seat.view.book.revision, name, stamp, seat.query, repr(seat.view.fence)))
    if not kept:
        node = node_asked(find_definition(seat.ledger, "statement", name), node=seat.node, of=seat.of)
        content = export(run_pages(seat.ledger, name, seat.period.code, node, seat.view.fence, in_depth=True), seat.ledger, "pdf")
        kept.append(content if isinstance(content, bytes) else content.encode())
    return kept[0]


def preview_page(seat: Seat, name: str, stamp: str, number: int) -> tuple[bytes, int]:
    """The PNG of a page of what would be printed, and how many pages there are."""
    return page_picture(printed(seat, name, stamp), number)
