"""Query texts: their list, one that is written beside the views and tried before it is kept."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from time import perf_counter
from typing import Any

from django.http import HttpRequest, HttpResponse, HttpResponseRedirect
from django.urls import reverse
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from rulka.core.errors import NotFound, RulkaError
from rulka.core.extracting.conditions import Clock
from rulka.core.extracting.definitions import TYPES as ASK_TYPES
from rulka.core.extracting.definitions import AskDef
from rulka.core.extracting.queries import TYPES, QueryColumn, asked_names, query_from, rows_of, stored
from rulka.core.values import whole
from rulka.extracts.library.queries import (
    TEXTS,
    change_query,
    delete_query,
    open_query,
    required_administrator,
    seen_queries,
    store_query,
    used_by,
    uses_of,
)
from rulka.extracts.models import Extract, QueryText
from rulka.extracts.pages.showing import ShownText, cell
from rulka.extracts.running.queries import TriedQuery, known_of, tried
from rulka.ledger.reading.queried import QueryView, views_of
from rulka.ledger.reading.row_kinds import scale_of
from rulka.ledger.reading.row_reader import reading
from rulka.ledger.seat import Seat, SeatedPage, seat_of
from rulka.statements.library.shelves import shelves_seen
from rulka.statements.models import Shelf

BEGINNING = """SELECT account, account_name, sum(amount) AS amount
FROM lines
WHERE period BETWEEN :period_from AND :period_to AND currency = 'EUR' AND status = 'posted'
GROUP BY account, account_name
ORDER BY account"""


@dataclass(frozen=True, kw_only=True)
class QueriesPage(SeatedPage):
    """The query texts with the extracts of their rows; `writes` for who may change them."""

    html = "extracts/queries.html"
    where: str = "extracts"
    queries: Sequence[tuple[QueryText, Sequence[Extract]]]
    writes: bool


@require_GET
def query_list(request: HttpRequest) -> HttpResponse:
    """The query texts that somebody sees, with the extracts that are of their rows."""
    seat = seat_of(request)
    uses = uses_of(seat.ledger)
    found = [(one, uses.get(one.name, [])) for one in seen_queries(seat.ledger, seat.person)]
    return QueriesPage(seat=seat, queries=found, writes=seat.person.administers).answer(request)


@dataclass(frozen=True)
class ShownRows:
    """The first rows of a query that was tried, its headings as (column, whether it holds numbers)."""

    tried: TriedQuery
    rows: Sequence[Sequence[ShownText]]
    heads: Sequence[tuple[QueryColumn, bool]]
    taken: str


@dataclass(frozen=True, kw_only=True)
class QueryPage(SeatedPage):
    """A query text, or a new one (`query` is None), beside the views it may read; its first rows where it was tried.
    `columns` are (name, what it holds, heading)."""

    html = "extracts/query.html"
    where: str = "extracts"
    query: QueryText | None
    shown: ShownRows | None
    title: str
    sql: str
    about: str
    asks: Sequence[AskDef]
    columns: Sequence[tuple[str, str, str]]
    holds: Sequence[str]
    codes: Sequence[str]
    views: Sequence[QueryView]
    writes: bool
    used_by: Sequence[Extract]
    shelves: Sequence[Shelf]
    undo: tuple[str, str]
    ask_types: Sequence[str] = ASK_TYPES


@require_http_methods(["GET", "POST"])
def query_page(request: HttpRequest, name: str) -> HttpResponse:
    """One query text: what is sent is tried, or kept; a new one under `new`."""
    seat = seat_of(request)
    stored_query = None if name == "new" else open_query(seat.ledger, name, person=seat.person)
    if name == "new" or request.method == "POST":
        required_administrator(seat.person)
    body = _sent(request, stored_query) if request.method == "POST" else _body(seat, stored_query)
    problem, shown = None, None
    do = request.POST.get("do", "")
    try:
        if do == "delete" and stored_query is not None:
            if request.POST.get("typed", "").strip() != stored_query.title:
                raise RulkaError(f"'{stored_query.title}' was not deleted.", hint="Type its title.", subject="title")
            delete_query(stored_query, person=seat.person)
            return HttpResponseRedirect(f"{reverse('queries')}?{seat.query}")
        if do:
            body, shown = _tried(seat, body)
        if do == "keep":
            kept = _keep(seat, stored_query, body, request.POST.get("version", ""))
            return HttpResponseRedirect(f"{reverse('query', args=[kept.name])}?{seat.query}")
    except RulkaError as error:
        problem = error
    return _page(seat, stored_query, body, shown, problem).answer(request)


def _body(seat: Seat, found: QueryText | None) -> dict[str, Any]:
    if found is not None:
        return dict(found.body)
    ask = [{"ask": "period", "type": "period", "required": "yes", "default": "this"}]
    return {"query": "new", "title": "", "sql": BEGINNING, "ask": ask}


def _sent(request: HttpRequest, found: QueryText | None) -> dict[str, Any]:
    """A query text as its form sends it: a question for each of its parameters, what each column holds."""
    sent = request.POST
    sql = sent.get("sql", "").replace("\r\n", "\n").strip()
    former = {one["ask"]: one for one in (found.body.get("ask", ()) if found else ())}
    asks = []
    for name in asked_names(sql):
        one = {"ask": name, **former.get(name, {})}
        for key in ("title", "type", "of", "default"):
            if f"{key}-{name}" in sent:
                one[key] = sent[f"{key}-{name}"].strip()
        if f"type-{name}" in sent:
            one["required"] = "yes" if sent.get(f"required-{name}") else ""
            one["several"] = "yes" if sent.get(f"several-{name}") else ""
        one.setdefault("type", _type_of(name, sql))
        asks.append({key: value for key, value in one.items() if value})
    holds = {name.removeprefix("holds-"): sent[name] for name in sent if name.startswith("holds-")}
    titles = {name.removeprefix("as-"): sent[name] for name in sent if name.startswith("as-")}
    columns = [{"column": name, "holds": kind, "title": " ".join(titles.get(name, "").split())}
               for name, kind in holds.items()]  # fmt: skip
    body = {
        "query": found.name if found else "new", "title": " ".join(sent.get("title", "").split())[:120], "sql": sql,
        "about": " ".join(sent.get("about", "").split())[:1000], "ask": asks,
        "columns": [{key: value for key, value in one.items() if value} for one in columns],
    }  # fmt: skip
    return {key: value for key, value in body.items() if value or key in ("query", "sql")}


def _type_of(name: str, sql: str) -> str:
    """What a new parameter seems to take, by what it is called."""
    if f":{name}_from" in sql or f":{name}_to" in sql:
        return "date" if "da" in name else "period"
    return "period" if name == "period" else "text"


def _tried(seat: Seat, body: Mapping[str, Any]) -> tuple[dict[str, Any], ShownRows]:
    """The first rows of a query text, and its text with what its columns hold."""
    query = query_from(body)
    before = perf_counter()
    fence = seat.view.fence
    with reading(seat.ledger, fence) as reader:
        calendar = reader.view.frame.calendar
        found = tried(query, seat.ledger, fence, {}, Clock(calendar, calendar.period(seat.period.code)), reader)
        rows = rows_of(replace(query, columns=found.columns), scale_of(reader.view, seat.ledger), known_of(reader.view))
        lines = [
            [cell(stored(value, field), field, calendar) for value, field in zip(row, rows.fields, strict=True)]
            for row in found.rows
        ]
    heads = [(one, field.is_numeric) for one, field in zip(found.columns, rows.fields, strict=True)]
    shown = ShownRows(found, lines, heads, f"{(perf_counter() - before) * 1000:.0f}")
    return {**body, "columns": [_column(one) for one in found.columns]}, shown


def _column(one: QueryColumn) -> dict[str, str]:
    return {"column": one.name, "holds": one.holds, "title": one.title}


def _keep(seat: Seat, found: QueryText | None, body: Mapping[str, Any], version: str) -> QueryText:
    if not body.get("title"):
        raise RulkaError("A query needs a title.", hint="Such as 'Fuel by supplier'.", subject="title")
    if found is None:
        named = {**body, "query": TEXTS.free_name(seat.ledger, str(body["title"]))}
        return store_query(seat.ledger, named, person=seat.person)[0]
    seen = whole(version, "version") if version else None
    return change_query(found, body, "its text", person=seat.person, version=seen)


def _page(
    seat: Seat,
    found: QueryText | None,
    body: Mapping[str, Any],
    shown: ShownRows | None,
    problem: RulkaError | None,
) -> QueryPage:
    try:
        asks = query_from(body).asks
    except RulkaError:
        asks = ()  # what is wrong with it was said; its text is shown as it was sent
    columns = [{"column": one} if isinstance(one, str) else one for one in body.get("columns", ())]
    known = known_of(seat.view)
    return QueryPage(
        seat=seat,
        problem=problem,
        query=found,
        shown=shown,
        title=body.get("title", ""),
        sql=body.get("sql", ""),
        about=body.get("about", ""),
        asks=asks,
        columns=[(one["column"], one.get("holds", "text"), one.get("title", "")) for one in columns],
        holds=[*TYPES, *known],
        codes=known,
        views=views_of(seat.ledger, seat.view.fence),
        writes=seat.person.administers,
        used_by=used_by(found) if found else [],
        shelves=shelves_seen(seat.ledger, seat.person),
        undo=TEXTS.can_undo(found) if found else ("", ""),
    )


@require_POST
def manage(request: HttpRequest, name: str) -> HttpResponse:
    """Put a query text on a shelf, or take its last change back."""
    seat = seat_of(request)
    required_administrator(seat.person)
    found = open_query(seat.ledger, name, person=seat.person)
    match request.POST.get("do"):
        case "shelf":
            TEXTS.put_on_shelf(found, request.POST.get("shelf", ""), seat.person)
        case "undo" | "redo" as do:
            TEXTS.undo(found, seat.person, redo=do == "redo")
        case _:
            raise NotFound("Nothing is called so here.", hint="Load the page again.", subject="action")
    return HttpResponseRedirect(f"{reverse('query', args=[found.name])}?{seat.query}")
