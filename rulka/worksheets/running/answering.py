"""Figures for live links: a workbook that is recalculated asks for thousands in a few seconds, so what was checked of a
key stands for a second, and its figures come from the kept worksheet."""

from __future__ import annotations

import time
from dataclasses import dataclass
from threading import Lock

from rulka.core.books.book import View
from rulka.core.books.calendar import Period
from rulka.core.errors import RulkaError
from rulka.core.sheet.values import Scalar, SheetError
from rulka.ledger.models import Ledger
from rulka.ledger.reading.queries import view_of
from rulka.ledger.seat import latest_period
from rulka.statements.library.shelves import depth_on
from rulka.worksheets.library.links import cell_now, count_asked, digest_of, open_link
from rulka.worksheets.models import LiveLink
from rulka.worksheets.running.live import Live, WorksheetReader, opened
from rulka.worksheets.running.revisions import newest_for

FRESH = 1.0
"""Seconds for which what was found of a key stands: its end, its owner's rights, the ledger and the worksheet."""

MOST_FRESH = 64


@dataclass
class _Checked:
    """A key that was found good, and the worksheet as its owner sees it."""

    until: float
    link: LiveLink
    live: Live


_CHECKED: dict[str, _Checked] = {}
_GUARD = Lock()


def figure_for(key: str, sheet: int, row: int, column: int) -> Scalar:
    """One value of a live link's worksheet; raises Refused, TooOften, or NotFound."""
    digest = digest_of(key)
    with _GUARD:
        found = _CHECKED.get(digest)
    if found is None or found.until <= time.monotonic():
        found = _check(key)
        with _GUARD:
            if len(_CHECKED) >= MOST_FRESH:
                _CHECKED.clear()
            _CHECKED[digest] = found
    else:
        count_asked(found.link)
    live = found.live
    with live.lock:
        live.workbook.sheet(sheet)
        place = cell_now(found.link, live.version, sheet, row, column)
        return live.calculation.shown_at((sheet, *place)) if place else SheetError("#REF!", "It was taken out.")


def _check(key: str) -> _Checked:
    until = time.monotonic() + FRESH
    link, access = open_link(key)
    ledger: Ledger = access.ledger
    view = view_of(ledger, access.own_fence().down_to(depth_on(access.person, link.worksheet.shelf_id)))
    reader = newest_for(link.worksheet, WorksheetReader(ledger, view, _period(link, view), link.node, link.person))
    with opened(link.worksheet, reader, link.values) as live:
        return _Checked(until, link, live)


def _period(link: LiveLink, view: View) -> Period:
    if link.follows:
        return latest_period(view)
    found = view.frame.calendar.by_code.get(link.period)
    if found is None:
        raise RulkaError(f"The calendar has no period {link.period} any more.", hint="Export it again.")
    return found
