"""Bounded tables: the page on which one is made or changed, with a preview of what others will see."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from django.http import HttpRequest, HttpResponse, HttpResponseRedirect, QueryDict
from django.urls import reverse
from django.views.decorators.http import require_http_methods

from rulka.core.errors import RulkaError
from rulka.core.money import GAP, MINUS
from rulka.core.sheet.amounts import CURRENCIES, MEASURES, SIGNS, Amounts
from rulka.core.sheet.bounded import LEVELS, PLAIN, SHOWS, BoundedPiece, bounded_from, check_bounded
from rulka.core.sheet.number_format import write
from rulka.core.sheet.surroundings import Surroundings
from rulka.core.sheet.values import Array, SheetError, as_text
from rulka.ledger.seat import Seat, SeatedPage, seat_of
from rulka.statements.library.shelves import find_shelf, shelves_seen
from rulka.statements.models import Shelf
from rulka.worksheets.library.tables import delete_table, open_table, required_maker, save_table
from rulka.worksheets.models import BoundedTable

SIDES = {"rows": 2, "columns": 2}
"""How many things the page lets one lay on each side."""

PAGE, BESIDE = 4, 3
ROWS = 30


@dataclass(frozen=True)
class Preview:
    """What a table shows: its `head` in words, the first rows as (text, whether it is a number), a note on the rest;
    the keys by which its columns are named in formulas."""

    head: str
    rows: Sequence[Sequence[tuple[str, bool]]]
    note: str
    keys: Sequence[str]


@dataclass(frozen=True, kw_only=True)
class TablePage(SeatedPage):
    """A bounded table, or a new one (`table` is None), as it is written (`raw`), with a look at it."""

    html = "worksheets/table.html"
    where: str = "worksheets"
    table: BoundedTable | None
    raw: Mapping[str, Any]
    preview: Preview | None
    kinds: Sequence[str]
    shelves: Sequence[Shelf]
    levels: Sequence[str] = LEVELS
    shows: Sequence[str] = SHOWS
    measures: Sequence[str] = MEASURES
    signs: Sequence[str] = SIGNS
    currencies: Sequence[str] = CURRENCIES


@require_http_methods(["GET", "POST"])
def table(request: HttpRequest, name: str = "") -> HttpResponse:
    """Make or change a bounded table; a look at it changes nothing."""
    seat = seat_of(request)
    required_maker(seat.person)
    found = open_table(seat.ledger, name, person=seat.person) if name else None
    raw = _asked(request.POST, name) if request.method == "POST" else dict(found.body) if found else dict(FIRST)
    problem, preview = None, None
    try:
        if request.method == "POST" and (onwards := _done(request, seat, found, raw)) is not None:
            return onwards
        preview = _preview(seat, raw)
    except RulkaError as error:
        problem = error
    page = TablePage(
        seat=seat,
        problem=problem,
        table=found,
        raw=_filled(raw),
        preview=preview,
        kinds=[*PLAIN, *seat.view.frame.dimensions],
        shelves=shelves_seen(seat.ledger, seat.person),
    )
    return page.answer(request) if request.method == "POST" else page.response(request)


def _done(request: HttpRequest, seat: Seat, found: BoundedTable | None, raw: Mapping[str, Any]) -> HttpResponse | None:
    """On from a table that was kept or deleted; None where it is only looked at."""
    do = request.POST.get("do", "look")
    if do == "delete" and found is not None:
        delete_table(seat.ledger, found.name, person=seat.person)
        return HttpResponseRedirect(f"{reverse('worksheets')}?{seat.query}")
    if do != "save":
        return None
    saved = save_table(seat.ledger, raw, seat.view, seat.period, seat.node, person=seat.person)
    chosen = request.POST.get("shelf", "")
    saved.shelf = find_shelf(seat.ledger, chosen, person=seat.person) if chosen else None
    saved.save(update_fields=["shelf"])
    return HttpResponseRedirect(f"{reverse('bounded-table', args=[saved.name])}?{seat.query}")


FIRST: Mapping[str, Any] = {
    "title": "",
    "rows": [{"of": "account", "level": "posted", "show": "both"}],
    "columns": [{"of": "time", "take": "ytd, ytd this - 1 year", "level": "as named"}],
}


def _asked(posted: QueryDict, name: str) -> dict[str, Any]:
    """A table as the page sends it."""
    raw: dict[str, Any] = {"table": name, "title": posted.get("title", "").strip()}
    for side, count in SIDES.items():
        axes = []
        for at in range(count):
            of = posted.get(f"{side}-{at}-of", "")
            if of:
                axis = {"of": of}
                for field in ("take", "level", "show", "total"):
                    if value := posted.get(f"{side}-{at}-{field}", "").strip():
                        axis[field] = value
                axes.append(axis)
        raw[side] = axes
    raw["page"] = [
        {
            "of": posted[f"page-{at}-of"],
            "default": posted.get(f"page-{at}-default", "").strip(),
            "permitted": [part.strip() for part in posted.get(f"page-{at}-permitted", "").split(";") if part.strip()],
        }
        for at in range(PAGE)
        if posted.get(f"page-{at}-of")
    ]
    raw["beside"] = [
        {"title": posted[f"beside-{at}-title"], "formula": posted.get(f"beside-{at}-formula", "").strip()}
        for at in range(BESIDE)
        if posted.get(f"beside-{at}-title", "").strip()
    ]
    for field in ("accounts", "measure", "sign", "entries", "currency", "narrow"):
        raw[field] = posted.get(field, "").strip()
    raw["empty rows"] = "dropped" if posted.get("empty") == "yes" else ""
    return {key: value for key, value in raw.items() if value not in ("", [])}


def _filled(raw: Mapping[str, Any]) -> dict[str, Any]:
    """A table for the page: each side with all its places."""
    filled: dict[str, Any] = {side: _padded(raw.get(side), count) for side, count in SIDES.items()}
    filled["page"] = [
        {**one, "permitted": "; ".join(one.get("permitted", []))} for one in _padded(raw.get("page"), PAGE)
    ]
    filled["beside"] = _padded(raw.get("beside"), BESIDE)
    fields = ("title", "accounts", "measure", "sign", "entries", "currency", "narrow")
    return {**filled, **{name: raw.get(name, "") for name in fields}, "empty": raw.get("empty rows", "")}


AXIS = {"of": "", "take": "", "level": "", "show": "", "total": "", "default": "", "permitted": [], "title": "",
        "formula": ""}  # fmt: skip


def _padded(given: Any, count: int) -> list[dict[str, Any]]:
    found = [{**AXIS, **one} for one in given or ()]
    return found + [dict(AXIS) for _ in range(count - len(found))]


def _preview(seat: Seat, raw: Mapping[str, Any]) -> Preview:
    """What the table shows at the page's node and period."""
    around = Surroundings(seat.view, seat.period, seat.node, seat.ledger.code)
    made = bounded_from({**raw, "table": raw.get("table") or "preview"})
    check_bounded(made, seat.view, around)
    piece = BoundedPiece(made, (), Amounts(around))
    value, keys = piece.array(), list(piece.column_at)
    if isinstance(value, SheetError):
        return Preview(piece.head(), [], value.note, keys)
    assert isinstance(value, Array)
    rows = [[(_text(cell), not isinstance(cell, str) and cell is not None) for cell in row] for row in value.rows]
    more = len(rows) - 1 - ROWS
    return Preview(piece.head(), rows[: ROWS + 1], f"and {more:,} more rows" if more > 0 else "", keys)


def _text(value: Any) -> str:
    if isinstance(value, SheetError):
        return value.code
    if isinstance(value, str) or value is None:
        return as_text(value)
    return write(value, '#,##0.00;-#,##0.00;"–"', gap=GAP, minus=MINUS)
