"""A drawing of lines and columns of a statement, looked at and kept on an overview."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from rulka.core.errors import RulkaError
from rulka.core.overviews import edits
from rulka.core.overviews.definitions import OverviewDef, overview_from
from rulka.ledger.seat import Seat
from rulka.overviews.library.opening import open_overview
from rulka.overviews.library.storing import TEXTS
from rulka.overviews.models import Overview
from rulka.overviews.running.checking import check_in


def chart_of(statement: str, rows: Sequence[str], columns: Sequence[str], title: str) -> dict[str, Any]:
    """The tile that draws some lines and columns."""
    if not rows or not columns:
        raise RulkaError("A chart needs a line and a column.", hint="Tick at least one of both.", subject="chart")
    named = {"title": " ".join(title.split())[:120]} if title.strip() else {}
    return {"tile": "chart", **named, "of": statement, "rows": list(rows), "columns": list(columns)}


def overview_of(tile: dict[str, Any]) -> OverviewDef:
    """An overview of that tile alone, as wide as the page beside its panel."""
    return overview_from({"overview": "chart", "of": tile["of"], "pages": [{"tiles": [{**tile, "wide": "9"}]}]})


def keep_chart(seat: Seat, tile: dict[str, Any], name: str, title: str) -> tuple[Overview, str]:
    """Keep a chart on an overview, or on a new one where none is named; the overview, and the tile's key."""
    person = seat.person
    if not name:
        TEXTS.required_maker(person)
        wanted = " ".join(title.split())[:120] or "Charts"
        body: dict[str, Any] = {
            "overview": TEXTS.free_name(seat.ledger, wanted), "title": wanted, "of": tile["of"],
            "pages": [{"tiles": []}],
        }  # fmt: skip
        body, key = edits.add_tile(body, 1, tile)
        check_in(seat.ledger, seat.view.fence, person, body)
        return TEXTS.store(seat.ledger, body, person)[0], key
    overview = open_overview(seat.ledger, name, person=person, edit=True)
    body, key = edits.add_tile(overview.body, 1, tile)
    check_in(seat.ledger, seat.view.fence, person, body)
    return TEXTS.change(overview, body, "a chart kept", person), key
