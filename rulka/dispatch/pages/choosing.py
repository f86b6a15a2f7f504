"""Sending from where one works: the dispatches with which a statement, a worksheet and the like go, remembered with it;
one step sends it by all of them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from django.http import HttpRequest, HttpResponse
from django.views.decorators.http import require_http_methods

from rulka.core.errors import RulkaError
from rulka.core.sending.dispatches import FORMS, PAGES
from rulka.dispatch.library.storing import (
    body_of,
    choose,
    dispatches_of,
    editor_required,
    find_dispatch,
    leave_out,
    uses_of,
)
from rulka.dispatch.models import Dispatch, Sending, Use
from rulka.dispatch.pages.common import DispatchPage, to
from rulka.dispatch.running.delivering import ask, by_hand
from rulka.dispatch.running.tasks import call
from rulka.ledger.seat import Seat, seat_of
from rulka.statements.output.sendable import kind_named

BACK = {"statement": "statement", "worksheet": "worksheet", "extract": "extract", "overview": "overview"}
"""The page of each kind that something is sent from."""


@dataclass(frozen=True, kw_only=True)
class ChoosingPage(DispatchPage):
    """The dispatches that something goes with, each with how, and `others` to choose; what was `sent` just now."""

    html = "dispatch/choosing.html"
    name: str
    title: str
    uses: Sequence[tuple[Use, str]]
    others: Sequence[Dispatch]
    forms: Sequence[str]
    pages: Sequence[tuple[str, str]]
    has_sheets: bool
    back: str
    sent: Sequence[Sending]


@require_http_methods(["GET", "POST"])
def choosing(request: HttpRequest, of: str, name: str) -> HttpResponse:
    """The dispatches that something goes with; chosen, left out, or sent by all of them at once."""
    seat, problem = seat_of(request), None
    editor_required(seat.person)
    kind = kind_named(of)
    kind.check(seat.ledger, name, seat.person)
    title = dict(kind.names(seat.ledger, seat.person)).get(name, name)
    sent: list[Sending] = []
    if request.method == "POST":
        try:
            sent = _done(request, seat, of, name)
            if not sent:
                return to(seat, f"send-{of}", name)
        except RulkaError as error:
            problem = error
    uses = uses_of(seat.ledger, of, name, seat.person)
    taken = {use.dispatch_id for use in uses}
    return ChoosingPage(
        seat=seat,
        problem=problem,
        name=name,
        title=title,
        uses=[(use, _words(use.body)) for use in uses],
        others=[one for one in dispatches_of(seat.ledger, seat.person) if one.pk not in taken],
        forms=list(FORMS),
        pages=list(PAGES.items()) if of == "statement" else (),
        has_sheets=of == "worksheet",
        back=BACK.get(of, ""),
        sent=sent,
    ).answer(request)


def _words(body: Mapping[str, Any]) -> str:
    said = body.get("as", "workbook")
    told = said if isinstance(said, str) else ", ".join(said)
    node, sheets = body.get("node", ""), body.get("sheets", "")
    parts = [told]
    parts += [f"node {node if isinstance(node, str) else ', '.join(node)}"] if node else []
    parts += [f"sheets {sheets if isinstance(sheets, str) else ', '.join(sheets)}"] if sheets else []
    parts += [PAGES[body["pages"]]] if body.get("pages") else []
    parts += ["one file each"] if body.get("files") == "each" else []
    return "; ".join(parts)


def _done(request: HttpRequest, seat: Seat, kind: str, name: str) -> list[Sending]:
    """What was asked for, done; the occasions where it was sent."""
    given, person = request.POST, seat.person
    what = given.get("do", "")
    if what == "send":
        sent = []
        for use in uses_of(seat.ledger, kind, name, person):
            period = seat.period.code
            sent.append(ask(use.dispatch, period, by_hand(use.dispatch, period), person=person,
                            body=body_of(use.dispatch, use)))  # fmt: skip
        if not sent:
            raise RulkaError("No dispatch is chosen for it.", hint="Choose one first.", subject="dispatch")
        call()
        return sent
    kept = find_dispatch(seat.ledger, given.get("dispatch", ""), person=person)
    if what == "leave":
        leave_out(kept, kind, name, person=person)
        return []
    nodes = [one.strip() for one in given.get("node", "").split(",") if one.strip()]
    sheets = [one.strip() for one in given.get("sheets", "").split(",") if one.strip()]
    said = {
        "as": given.getlist("as") or ["workbook"],
        "node": nodes[0] if len(nodes) == 1 else nodes,
        "sheets": sheets,
        "pages": given.get("pages", "") if given.get("pages") != "node" else "",
        "files": "each" if given.get("files") == "each" else "",
    }
    choose(kept, kind, name, said, person=person)
    return []
