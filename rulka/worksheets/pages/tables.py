"""Bounded tables: the page on which one is made or changed, with a preview of what others will see."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from django.http import HttpRequest, HttpResponse, HttpResponseRedirect, QueryDict
from django.shortcuts import render
from django.urls import reverse
from django.views.decorators.http import require_http_methods

from rulka.core.errors import RulkaError
from rulka.core.money import GAP, MINUS
from rulka.core.sheet.amounts import CURRENCIES, MEASURES, SIGNS, Amounts
from rulka.core.sheet.bounded import LEVELS, PLAIN, SHOWS, Piece, bounded_from, check_bounded
from rulka.core.sheet.number_format import write
from rulka.core.sheet.surroundings import Surroundings
from rulka.core.sheet.values import Array, SheetError, as_text
from rulka.ledger.seat import Seat, seat_of
from rulka.statements.library.shelves import find_shelf, shelves_seen
from rulka.worksheets.library.tables import delete_table, open_table, required_maker, save_table

SIDES = {"rows": 2, "columns": 2}
"""How many things the page lets one lay on each side."""

PAGE, BESIDE = 4, 3
ROWS = 30


@require_http_methods(["GET", "POST"])
def table(request: HttpRequest, name: str = "") -> HttpResponse:
    """Make or change a bounded table; a look at it changes nothing."""
    seat = seat_of(request)
    required_maker(seat.person)
    found = open_table(seat.ledger, name, person=seat.person) if name else None
    raw = _asked(request.POST, name) if request.method == "POST" else dict(found.body) if found else dict(FIRST)
    do = request.POST.get("do", "look")
    context: dict[str, Any] = {
        "where": "worksheets",
        "seat": seat,
        "table": found,
        "raw": _filled(raw),
        "kinds": [*PLAIN, *seat.view.frame.dimensions],
        "levels": LEVELS,
        "shows": SHOWS,
        "measures": MEASURES,
        "signs": SIGNS,
        "currencies": CURRENCIES,
        "shelves": shelves_seen(seat.ledger, seat.person),
    }
    status = 200
    try:
        if request.method == "POST" and do == "delete" and found is not None:
            delete_table(seat.ledger, name, person=seat.person)
            return HttpResponseRedirect(f"{reverse('worksheets')}?{seat.query}")
        if request.method == "POST" and do == "save":
            saved = save_table(seat.ledger, raw, seat.view, seat.period, seat.node, person=seat.person)
            chosen = request.POST.get("shelf", "")
            saved.shelf = find_shelf(seat.ledger, chosen, person=seat.person) if chosen else None
            saved.save(update_fields=["shelf"])
            return HttpResponseRedirect(f"{reverse('bounded-table', args=[saved.name])}?{seat.query}")
        context |= _preview(seat, raw)
    except RulkaError as error:
        context["refused"] = error
        status = 422 if request.method == "POST" else 200
    return render(request, "worksheets/table.html", context, status=status)


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


def _preview(seat: Seat, raw: Mapping[str, Any]) -> dict[str, Any]:
    """What the table shows at the page's node and period."""
    body = {"table": "preview", **raw}
    body["table"] = raw.get("table") or "preview"
    around = Surroundings(seat.view, seat.period, seat.node, seat.ledger.code)
    made = bounded_from(body)
    check_bounded(made, seat.view, around)
    piece = Piece(made, (), Amounts(around))
    value = piece.array()
    if isinstance(value, SheetError):
        return {"preview": [], "preview_note": value.note, "preview_head": piece.head(), "keys": list(piece.column_at)}
    assert isinstance(value, Array)
    rows = [[(_text(cell), not isinstance(cell, str) and cell is not None) for cell in row] for row in value.rows]
    return {
        "preview": rows[: ROWS + 1],
        "preview_head": piece.head(),
        "preview_note": f"and {len(rows) - 1 - ROWS:,} more rows" if len(rows) - 1 > ROWS else "",
        "keys": list(piece.column_at),
    }


def _text(value: Any) -> str:
    if isinstance(value, SheetError):
        return value.code
    if isinstance(value, str) or value is None:
        return as_text(value)
    return write(value, '#,##0.00;-#,##0.00;"–"', gap=GAP, minus=MINUS)
