"""The list of extracts, those last run first, and new ones."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

from django.http import HttpRequest, HttpResponse, HttpResponseRedirect
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from rulka.core.errors import RulkaError
from rulka.core.extracting.fields import RowKind
from rulka.extracts.library.opening import seen_extracts
from rulka.extracts.library.queries import open_query, seen_queries, usable_queries
from rulka.extracts.library.storing import TEXTS, store_extract
from rulka.extracts.models import Extract
from rulka.extracts.running.checking import row_kind_of
from rulka.extracts.running.given import FIGURES
from rulka.extracts.running.runs import last_used
from rulka.ledger.reading.row_reader import reading
from rulka.ledger.seat import Seat, SeatedPage, seat_of
from rulka.statements.library.opening import seen_definitions

USUAL = {
    "journal lines": ("date", "account", "account name", "description", "document", "amount", "currency"),
    "entries": ("date", "entity", "entry", "description", "lines", "debits", "currency"),
    "balances": ("period", "entity", "account", "account name", "opening", "debits", "credits", "closing", "currency"),
    "budgets": ("scenario", "period", "account", "account name", "amount", "currency"),
    FIGURES: ("node", "label", "heading", "value"),
}  # fmt: skip
"""The columns that a new extract of some rows begins with; of others the first six."""


@dataclass(frozen=True, kw_only=True)
class ExtractsPage(SeatedPage):
    """The extracts by who asks, each with when it was run last; what rows a new one may be of: (name, title)."""

    html = "extracts/list.html"
    where: str = "extracts"
    groups: Sequence[tuple[str, Sequence[tuple[Extract, datetime | None]]]]
    search: str
    has_queries: bool
    sets: Sequence[tuple[str, str]]
    statements: Sequence[tuple[str, str]]
    queries: Sequence[tuple[str, str]]


@require_GET
def extract_list(request: HttpRequest) -> HttpResponse:
    """The extracts of the ledger, those last run first, then by who asks."""
    seat = seat_of(request)
    search = request.GET.get("search", "")
    sets, statements, queries = list[tuple[str, str]](), list[tuple[str, str]](), list[tuple[str, str]]()
    if seat.person.may_edit:
        with reading(seat.ledger, seat.view.fence) as rows:
            sets = rows.names()
        statements = [(one.name, one.title) for one in seen_definitions(seat.ledger, seat.person, "statement")]
        queries = [(one.name, one.title) for one in usable_queries(seat.ledger, seat.person)]
    template = "extracts/_list.html" if request.headers.get("HX-Request") else ""
    return ExtractsPage(
        seat=seat,
        groups=_grouped(seat, search),
        search=search,
        has_queries=bool(seen_queries(seat.ledger, seat.person)) or seat.person.administers,
        sets=sets,
        statements=statements,
        queries=queries,
    ).response(request, template=template)


def _grouped(seat: Seat, search: str) -> list[tuple[str, list[tuple[Extract, datetime | None]]]]:
    """Extracts that match, those last run first, then by who asks."""
    used = last_used(seat.ledger, seat.person)
    seen = [one for one in seen_extracts(seat.ledger, seat.person) if _matches(one.title, one.body, search)]
    recent = sorted((one for one in seen if one.pk in used), key=lambda one: used[one.pk], reverse=True)
    others = [one for one in seen if one.pk not in used]
    groups: list[tuple[str, list[tuple[Extract, datetime | None]]]] = []
    if recent:
        groups.append(("Last run", [(one, used[one.pk]) for one in recent]))
    names = sorted({str(one.body.get("for", "")) for one in others}, key=lambda name: (not name, name))
    for name in names:
        own = sorted((one for one in others if str(one.body.get("for", "")) == name), key=lambda one: one.title)
        groups.append((f"For {name}" if name else "Others", [(one, None) for one in own]))
    return groups


def _matches(title: str, body: dict[str, object], search: str) -> bool:
    text = f"{title} {body.get('for', '')} {body.get('about', '')}".casefold()
    return all(word in text for word in search.casefold().split())


@require_POST
def begin(request: HttpRequest) -> HttpResponse:
    """A new extract with usual columns, of the reporting period where it has one."""
    seat = seat_of(request)
    if not seat.person.may_edit:
        raise RulkaError("You may run extracts, not make them.", hint="Ask an accountant.", code="rights")
    title = " ".join(request.POST.get("title", "").split())[:120] or "New extract"
    body = _first_body(seat, title, request.POST.get("rows", "journal lines"))
    made, _ = store_extract(seat.ledger, body, person=seat.person)
    return HttpResponseRedirect(f"{reverse('extract', args=[made.name])}?{seat.query}")


def _first_body(seat: Seat, title: str, rows: str) -> dict[str, object]:
    kind, _, of = rows.partition(" ")
    told: object = {kind: of} if kind in ("table", "figures", "query") and of else rows
    body: dict[str, object] = {
        "extract": TEXTS.free_name(seat.ledger, title), "title": title, "rows": told, "columns": ["period"],
    }  # fmt: skip
    name = rows if isinstance(told, str) else FIGURES if kind == "figures" else kind
    found = row_kind_of(seat.ledger, seat.view.fence, seat.person, {**body, "columns": ["?"]})
    body["columns"] = _first_columns(found, name)
    if any(one.name == "period" for one in found.fields) and found.bounds:
        body["where"] = [{"period": "{period}"}]
        body["ask"] = [{"ask": "period", "type": "period", "required": "yes", "default": "this"}]
    elif "date" in found.bounds:
        body["where"] = [{"date": "{days}"}]
        body["ask"] = [{"ask": "days", "type": "period", "title": "Days", "required": "yes", "default": "year of this"}]
    if name == "journal lines" or name == "entries":  # what waits counts only where somebody asks for it
        body["where"] = [*body["where"], {"status": "posted"}]  # type: ignore[misc]
    if name == "balances":
        body["where"] = [{"scenario": "actual"}, *body["where"]]  # type: ignore[misc]
    if kind == "query":
        own = _plain(seat, of)
        body["columns"] = [one.name for one in found.fields if one.name in own]
        body["ask"] = [dict(one) for one in open_query(seat.ledger, of, person=seat.person).body.get("ask", ())]
    return body


def _plain(seat: Seat, name: str) -> list[str]:
    """The columns of a query itself, without what their codes are called."""
    body = open_query(seat.ledger, name, person=seat.person).body
    names = [one if isinstance(one, str) else one["column"] for one in body.get("columns", ())]
    return [name.replace("_", " ") for name in names]


def _first_columns(found: RowKind, name: str) -> list[str]:
    known = [one.name for one in found.fields]
    return [one for one in USUAL.get(name, ()) if one in known] or known[:6]
