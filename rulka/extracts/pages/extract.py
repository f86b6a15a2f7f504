"""One extract: its fields, questions, rows and their count; the panel by which it is shaped."""

from __future__ import annotations

from time import perf_counter
from typing import Any

from django.http import HttpRequest, HttpResponse, HttpResponseRedirect
from django.shortcuts import render
from django.urls import reverse
from django.utils import timezone
from django.views.decorators.http import require_GET, require_POST

from rulka.core.errors import NotFound, RulkaError
from rulka.core.extracting.asking import default_of
from rulka.core.extracting.definitions import FORMATS, TOTAL_WORDS, TYPES, AskDef, extract_from
from rulka.core.extracting.fields import RowKind
from rulka.core.extracting.pivots import asked_pivot
from rulka.core.values import is_whole
from rulka.extracts.editing.actions import act
from rulka.extracts.library.opening import may_change, open_extract, seen_extracts
from rulka.extracts.library.storing import (
    TEXTS,
    drop_layout,
    keep_layout,
    own_layout_names,
)
from rulka.extracts.output.templates import subject_for
from rulka.extracts.output.writing import FORMS
from rulka.extracts.pages.readers import ANSWER, Page, asked_for, back
from rulka.extracts.pages.showing import MOST_SHOWN, cell, heads, small_pivot, sum_rows
from rulka.extracts.running import runs
from rulka.extracts.running.asked import Asked, opened
from rulka.extracts.running.checking import row_kind_of
from rulka.formats.extract_file import EXTRACTS
from rulka.ledger.reading.row_reader import TOO_LONG
from rulka.statements.library.leads import leads
from rulka.statements.library.shelves import shelves_seen
from rulka.statements.output.templates import forget, newest

TABS = (("layout", "Layout"), ("column", "Column"), ("ask", "Ask"), ("runs", "Runs"), ("text", "Text"))
MOST_KNOWN = 400
"""Codes up to which an answer is offered as a list to choose from."""
AT_ONCE = 60_000
"""Rows up to which sums come with the page; those of more follow."""
LONGEST = 2.0
"""Seconds that a preview may take."""
FORM_WORDS = {"xlsx": "Workbook", "csv": "CSV", "json": "JSON", "parquet": "Parquet"}


@require_GET
def extract_page(request: HttpRequest, name: str) -> HttpResponse:
    """An extract with its first rows and its panel."""
    return page_of(request, asked_for(request, name))


def page_of(request: HttpRequest, page: Page, problem: RulkaError | None = None) -> HttpResponse:
    """The page; with a problem it says so and has changed nothing."""
    before = perf_counter()
    seat, definition = page.seat, page.definition
    tab = page.tab if page.tab in dict(TABS) else "layout"
    chosen = request.GET.get("column", "").casefold()
    context: dict[str, Any] = {
        "where": "extracts", "seat": seat, "page": page, "extract": page.extract, "found": definition, "tab": tab,
        "tabs": TABS, "may_change": page.may_change, "problem": problem, "query": page.query(tab=tab),
        "plain_query": page.query(tab=""), "layouts": definition.layouts, "layout": page.chosen,
        "forms": [(form, FORM_WORDS[form]) for form in FORMS], "undo": TEXTS.can_undo(page.extract), "chosen": chosen,
        "given": page.given, "asks": [_ask(one, page) for one in definition.asks], "unbounded": None,
        "types": TYPES, "totals": TOTAL_WORDS.items(), "entered": _entered(request, problem),
    }  # fmt: skip
    if problem is not None and problem.code == "unbounded":
        context["unbounded"] = problem
    try:
        with opened(definition, page.reader, page.given, layout=page.chosen) as asked:
            context |= _rows(asked, chosen)
            for one in context["asks"]:
                one["known"] = _known(asked, one["one"])
            context |= _panel(page, tab, asked, context)
    except RulkaError as error:
        context |= {"refused": error, "rows": [], "heads": [], "sums": [], "pivot": None, "later": False, "count": None}
        context["rows_of"] = _fields_even_so(page)
        context |= _panel(page, tab, None, context)
    context["taken"] = f"{(perf_counter() - before) * 1000:.0f}"
    # what is sent by a script is shown in the page's place whatever came of it
    told = problem is not None and not request.headers.get("HX-Request")
    return render(request, "extracts/page.html", context, status=422 if told else 200)


def _entered(request: HttpRequest, problem: RulkaError | None) -> dict[str, str]:
    """What a refused form sent, so that nothing of it is lost."""
    sent = request.POST if problem is not None else {}
    return {name: sent.get(name, "") for name in ("name", "text", "form")}


def _ask(one: AskDef, page: Page) -> dict[str, Any]:
    return {
        "one": one, "name": ANSWER + one.name, "label": one.label, "text": page.given.get(one.name, ""),
        "default": default_of(one), "known": [],
    }  # fmt: skip


def _known(asked: Asked, ask: AskDef) -> list[tuple[str, str]]:
    """What an answer can be chosen from, where that are not too many; not of counterparties, which the whole journal
    has to be read for."""
    if ask.type not in ("list", "selection") or ask.several or not ask.of or ask.of == "counterparty":
        return []
    codes = asked.rows.known(ask.of) or {}
    return list(codes.items()) if len(codes) <= MOST_KNOWN else []


def _rows(asked: Asked, chosen: str) -> dict[str, Any]:
    """The first rows with their headings, and the sums where they are quick to have."""
    query, calendar = asked.query, asked.view.frame.calendar
    asked.rows.check_currencies(query)
    told: dict[str, Any] = {"refused": None, "slow": None, "later": False, "count": None, "sums": []}
    try:
        rows = list(asked.rows.rows(query, MOST_SHOWN, within=LONGEST))
    except RulkaError as error:
        if error.message != TOO_LONG:
            raise
        told["slow"], rows = error, []
    sort = {query.columns[at].key.casefold(): "falling" if falling else "rising" for at, falling in query.sort}
    several = asked.rows.expected(query)
    if told["slow"] is None and (several is None or several <= AT_ONCE):
        sums = asked.rows.sums(query, different=True)
        told |= {"count": sums.count, "sums": sum_rows(sums, query.columns)}
    else:
        told["later"] = True
    revision = asked.rows.ledger.revisions.filter(number=asked.view.revision).first()
    return {
        **told, "heads": heads(query.columns, sort, chosen),
        "rows": [[cell(value, one.shows, calendar) for value, one in zip(row, query.columns, strict=True)]
                 for row in rows],
        "notes": asked.notes, "bounded": query.is_bounded or query.is_grouped, "rows_of": query.rows,
        "revision": asked.view.revision,
        "days": (timezone.localdate() - timezone.localdate(revision.at)).days if revision else None,
        "sealed": bool(asked.rows.has_sealed(query)),
    }  # fmt: skip


@require_GET
def sums(request: HttpRequest, name: str) -> HttpResponse:
    """How many rows there are and their sums, where they take longer than the page."""
    page = asked_for(request, name)
    context: dict[str, Any] = {"sums": [], "count": None, "problem": None}
    try:
        with opened(page.definition, page.reader, page.given, layout=page.chosen) as asked:
            found = asked.rows.sums(asked.query, within=LONGEST * 10)
            context |= {"sums": sum_rows(found, asked.query.columns), "count": found.count}
    except RulkaError as error:
        context["problem"] = error
    return render(request, "extracts/_sums.html", context)


def _fields_even_so(page: Page) -> RowKind | None:
    """The fields of an extract whose rows can't be read now."""
    try:
        return row_kind_of(page.seat.ledger, page.reader.fence, page.seat.person, page.extract.body)
    except RulkaError:
        return None


# the panel ------------------------------------------------------------------------------------------------------------


def _panel(page: Page, tab: str, asked: Asked | None, context: dict[str, Any]) -> dict[str, Any]:
    definition, person = page.definition, page.seat.person
    rows: RowKind | None = context["rows_of"]
    plain = {one.field for one in definition.columns if one.field and not one.total}
    told: dict[str, Any] = {
        "groups": [(name, [(one, one.name in plain) for one in fields]) for name, fields in rows.groups.items()]
        if rows else [], "pivot": None,
    }  # fmt: skip
    if tab == "column":
        told["column"] = next((one for one in definition.columns if one.key.casefold() == context["chosen"]), None)
        told["sort"] = {one.column.casefold(): one.falling for one in definition.sort}
    elif tab == "layout":
        told |= _layout_panel(page, asked)
    elif tab == "runs":
        listed = runs.runs_of(page.extract, person)
        told["runs"] = [(one, one.state == "ready" and bool(one.file)) for one in listed]
        told["open_runs"] = any(one.is_open for one in listed)
        sees_all = asked is not None and asked.view.fence.is_open
        every = runs.runs_of(page.extract, person, everybody=True) if sees_all else []
        told["by_others"] = [one for one in every if one.person != person.pk]
    elif tab == "ask":
        told["others"] = [
            one for one in seen_extracts(page.seat.ledger, person) if one.body.get("ask") and one.pk != page.extract.pk
        ]
        told["codes"] = ["account", "entity", "partner", *page.seat.ledger.dimensions, "counterparty", "scenario"]
    elif tab == "text":
        told["text"] = EXTRACTS.write(page.extract.body)
        told["leads"] = leads("extract") if person.may_edit else []
        told["shelves"] = shelves_seen(page.seat.ledger, person) if page.may_change else []
    return told


def _layout_panel(page: Page, asked: Asked | None) -> dict[str, Any]:
    layout, definition = page.chosen, page.definition
    mine = own_layout_names(page.extract, page.seat.person)
    order = [key.casefold() for key in layout.columns]
    keys = definition.column_keys
    shown = sorted(
        keys, key=lambda key: (order.index(key.casefold()) if key.casefold() in order else 999, keys.index(key))
    )
    told: dict[str, Any] = {
        "mine": layout.name in mine, "own_names": mine,
        "columns": [
            {"key": key, "at": at, "index": keys.index(key), "shown": not order or key.casefold() in order,
             "width": _of(layout.widths, key), "format": _of(layout.formats, key), "title": _of(layout.titles, key)}
            for at, key in enumerate(shown, 1)
        ],
        "keys": keys, "formats": list(FORMATS), "pivot": None, "pivot_problem": None, "template": None,
        "template_problem": None,
    }  # fmt: skip
    if layout.template:
        try:
            told["template"] = newest(subject_for(page.extract, page.seat.person), layout.name, page.seat.person)
        except RulkaError as error:
            told["template_problem"] = error
    if asked is not None and layout.pivot:
        try:
            pivot = asked.rows.pivot(asked.query, asked_pivot(layout.pivot, asked.query))
            told["pivot"] = small_pivot(pivot, asked.query.columns, asked.view.frame.calendar)
        except RulkaError as error:
            told["pivot_problem"] = error
    return told


def _of(told: Any, key: str) -> Any:
    return next((value for name, value in told.items() if name.casefold() == key.casefold()), "")


# changes --------------------------------------------------------------------------------------------------------------


@require_POST
def edit(request: HttpRequest, name: str) -> HttpResponse:
    """Change the extract; on to its page as it is then."""
    page = asked_for(request, name, edit=True)
    sent = request.POST.dict()
    try:
        act(page.extract, sent.get("do", ""), sent, request.POST.getlist("fields"), fence=page.reader.fence,
            person=page.seat.person)  # fmt: skip
    except RulkaError as error:
        return page_of(request, page, error)
    title = " ".join(sent.get("title", "").split())
    column = {"column": title or sent.get("column", ""), "formula": title}.get(
        sent.get("do", ""), sent.get("column", "")
    )
    return back(page, column=column)


@require_POST
def undo(request: HttpRequest, name: str) -> HttpResponse:
    """Take the last change back, or do it again."""
    page = asked_for(request, name, edit=True)
    try:
        TEXTS.undo(page.extract, page.seat.person, redo=request.POST.get("redo") == "yes")
    except RulkaError as error:
        return page_of(request, page, error)
    return back(page)


@require_POST
def layout(request: HttpRequest, name: str) -> HttpResponse:
    """Keep a layout, or let one go."""
    page = asked_for(request, name)
    sent = request.POST
    try:
        if sent.get("do") == "drop":
            drop_layout(page.extract, sent.get("former", ""), person=page.seat.person)
            return back(page, layout="")
        raw = _layout_sent(page, request)
        shared = sent.get("for") == "everybody"
        if shared and not may_change(page.seat.person, page.extract):
            raise RulkaError("You may keep layouts for yourself.", hint="Choose mine.", code="rights")
        kept = keep_layout(page.extract, raw, person=page.seat.person, shared=shared, former=sent.get("former", ""))
    except RulkaError as error:
        return page_of(request, page, error)
    return back(page, layout=kept, tab="layout")


def _layout_sent(page: Page, request: HttpRequest) -> dict[str, Any]:
    """A layout as a form sends it: its columns by place."""
    sent = request.POST
    keys = extract_from(page.extract.body).column_keys
    placed: list[tuple[int, int, str]] = []
    widths, formats, titles = dict[str, str](), dict[str, str](), dict[str, str]()
    for at, key in enumerate(keys):
        if sent.get(f"shown-{at}"):
            place = sent.get(f"at-{at}", "")
            placed.append((int(place) if is_whole(place) else at + 1, at, key))
        for told, field in ((widths, "width"), (formats, "format"), (titles, "title")):
            if value := sent.get(f"{field}-{at}", "").strip():
                told[key] = value
    columns = [key for _, _, key in sorted(placed)]
    if not columns:
        raise RulkaError("A layout needs a column.", hint="Tick at least one.", subject="layout")
    pivot = {
        "down": sent.getlist("down"), "across": sent.getlist("across"), "filters": sent.getlist("filters"),
        "value": sent.get("value", ""), "how": sent.get("how", "sum"), "top": sent.get("top", "").strip(),
        "chart": "yes" if sent.get("chart") else "",
    }  # fmt: skip
    pivot = {key: [one for one in value if one] if isinstance(value, list) else value for key, value in pivot.items()}
    return {
        "layout": sent.get("name", ""), "columns": columns if columns != keys else [], "widths": widths,
        "formats": formats, "titles": titles, "sums": sent.get("sums", "yes"), "subtotals": sent.get("by", ""),
        "sheets": sent.get("each", ""),
        "pivot": {key: value for key, value in pivot.items() if value} if pivot["down"] and pivot["value"] else {},
    }  # fmt: skip


@require_POST
def manage(request: HttpRequest, name: str) -> HttpResponse:
    """Copy an extract, put it on a shelf, replace its text, or delete it."""
    page = asked_for(request, name)
    seat, sent = page.seat, request.POST
    try:
        match sent.get("do"):
            case "copy":
                made = TEXTS.copy(page.extract, sent.get("title") or f"{page.definition.title} 2", seat.person)
                return HttpResponseRedirect(f"{reverse('extract', args=[made.name])}?{seat.query}")
            case "shelf":
                TEXTS.put_on_shelf(page.extract, sent.get("shelf", ""), seat.person)
                return back(page)
            case "text":
                return _text(page, sent.get("text", ""))
            case "delete":
                if sent.get("title", "").strip() != page.definition.title:
                    raise RulkaError(
                        f"'{page.definition.title}' was not deleted.",
                        hint="Type its title to delete it; this can't be undone.", subject="title",
                    )  # fmt: skip
                key = page.extract.pk
                TEXTS.delete(page.extract, seat.person)
                forget("extract", seat.ledger, key)
                return HttpResponseRedirect(f"{reverse('extracts')}?{seat.query}")
            case _:
                raise NotFound("Nothing is called so here.", hint="Load the page again.", subject="action")
    except RulkaError as error:
        return page_of(request, page, error)


def _text(page: Page, text: str) -> HttpResponse:
    from rulka.extracts.running.checking import check_in

    bodies = EXTRACTS.read(text, "text")
    if len(bodies) != 1:
        raise RulkaError("It holds several extracts.", hint="Keep one here.", subject="text")
    body = {**bodies[0], "extract": page.extract.name}
    open_extract(page.seat.ledger, page.extract.name, person=page.seat.person, edit=True)
    check_in(page.seat.ledger, page.reader.fence, page.seat.person, body)
    TEXTS.change(page.extract, body, "its text", page.seat.person)
    return back(page)
