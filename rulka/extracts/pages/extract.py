"""One extract: its fields, questions, rows and their count; the panel by which it is shaped."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from time import perf_counter
from typing import Any

from django.http import HttpRequest, HttpResponse, HttpResponseRedirect
from django.urls import reverse
from django.utils import timezone
from django.views.decorators.http import require_GET, require_POST

from rulka.core.errors import NotFound, RulkaError
from rulka.core.extracting.asking import default_of
from rulka.core.extracting.definitions import (
    FORMATS,
    TOTAL_WORDS,
    TYPES,
    AskDef,
    ExtractColumnDef,
    ExtractDef,
    LayoutDef,
    PivotDef,
    extract_from,
)
from rulka.core.extracting.fields import Field, RowKind
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
from rulka.extracts.models import Extract, ExtractRun
from rulka.extracts.output.templates import subject_for
from rulka.extracts.output.writing import FORMS
from rulka.extracts.pages.readers import ANSWER, ExtractRequest, asked_for, back
from rulka.extracts.pages.showing import (
    MOST_SHOWN,
    ShownHeading,
    ShownText,
    SmallPivot,
    SumRow,
    cell,
    heads,
    small_pivot,
    sum_rows,
)
from rulka.extracts.running import runs
from rulka.extracts.running.asked import AskedExtract, opened
from rulka.extracts.running.checking import row_kind_of
from rulka.formats.extract_file import EXTRACTS
from rulka.ledger.reading.row_reader import TOO_LONG
from rulka.ledger.seat import Seat, SeatedPage
from rulka.screen import Screen
from rulka.statements.library.leads import Lead, leads
from rulka.statements.library.shelves import shelves_seen
from rulka.statements.models import Shelf, Template
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


@dataclass(frozen=True)
class ShownAsk:
    """A question with its answer, and what it can be chosen from."""

    one: AskDef
    name: str
    label: str
    text: str
    default: str
    known: Sequence[tuple[str, str]]


@dataclass(frozen=True, kw_only=True)
class SumsShown(Screen):
    """The sums above an extract's rows; `later` where they are asked for once the page is there, `width` columns."""

    html = "extracts/_sums.html"
    sums: Sequence[SumRow] = ()
    later: bool = False
    width: int = 0
    problem: RulkaError | None = None


@dataclass(frozen=True, kw_only=True)
class RowsShown(Screen):
    """The first rows with their headings, sums and count; or why there are none (`refused`), or none yet (`slow`)."""

    html = "extracts/_rows.html"
    refused: RulkaError | None = None
    slow: RulkaError | None = None
    count: int | None = None
    sums: SumsShown = SumsShown()
    heads: Sequence[ShownHeading] = ()
    rows: Sequence[Sequence[ShownText]] = ()
    rows_of: RowKind | None = None
    notes: Sequence[str] = ()
    bounded: bool = True
    revision: int = 0
    days: int | None = None
    sealed: bool = False


@dataclass(frozen=True, kw_only=True)
class ExtractPage(SeatedPage):
    """An extract with its first rows (`shown`), its questions, and one of its panels; `chosen` is a column's key,
    `groups` the fields that there are, each with whether it is a column."""

    html = "extracts/page.html"
    where: str = "extracts"
    extract: Extract
    found: ExtractDef
    tab: str
    may_change: bool
    query: str
    plain_query: str
    address: str
    layouts: Sequence[LayoutDef]
    layout: LayoutDef
    undo: tuple[str, str]
    chosen: str
    asks: Sequence[ShownAsk]
    unbounded: RulkaError | None
    entered: Mapping[str, str]
    shown: RowsShown
    groups: Sequence[tuple[str, Sequence[tuple[Field, bool]]]]
    panel: Screen
    taken: str
    tabs: Sequence[tuple[str, str]] = TABS
    types: Sequence[str] = TYPES
    totals: Sequence[tuple[str, str]] = tuple(TOTAL_WORDS.items())
    forms: Sequence[tuple[str, str]] = tuple((form, FORM_WORDS[form]) for form in FORMS)


def page_of(request: HttpRequest, page: ExtractRequest, problem: RulkaError | None = None) -> HttpResponse:
    """The page; with a problem it says so and has changed nothing."""
    before = perf_counter()
    tab = page.tab if page.tab in dict(TABS) else "layout"
    chosen = request.GET.get("column", "").casefold()
    asks = [_ask(one, page) for one in page.definition.asks]
    try:
        with opened(page.definition, page.reader, page.given, layout=page.chosen) as asked:
            shown = _rows(asked, chosen)
            asks = [_ask(one, page, asked) for one in page.definition.asks]
            panel = _panel(page, tab, asked, chosen)
    except RulkaError as error:
        shown = RowsShown(refused=error, rows_of=_fields_even_so(page))
        panel = _panel(page, tab, None, chosen)
    return ExtractPage(
        seat=page.seat,
        problem=problem,
        extract=page.extract,
        found=page.definition,
        tab=tab,
        may_change=page.may_change,
        query=page.query(tab=tab),
        plain_query=page.query(tab=""),
        address=f"{reverse('extract', args=[page.extract.name])}?{page.query(tab='')}",
        layouts=page.definition.layouts,
        layout=page.chosen,
        undo=TEXTS.can_undo(page.extract),
        chosen=chosen,
        asks=asks,
        unbounded=problem if problem is not None and problem.code == "unbounded" else None,
        entered=_entered(request, problem),
        shown=shown,
        groups=_groups(page, shown.rows_of),
        panel=panel,
        taken=f"{(perf_counter() - before) * 1000:.0f}",
    ).answer(request, swapped=True)


def _groups(page: ExtractRequest, rows: RowKind | None) -> list[tuple[str, list[tuple[Field, bool]]]]:
    """The fields of the rows by group, each with whether it is a column."""
    plain = {one.field for one in page.definition.columns if one.field and not one.total}
    groups = rows.groups.items() if rows else ()
    return [(name, [(one, one.name in plain) for one in fields]) for name, fields in groups]


def _entered(request: HttpRequest, problem: RulkaError | None) -> dict[str, str]:
    """What a refused form sent, so that nothing of it is lost."""
    sent = request.POST if problem is not None else {}
    return {name: sent.get(name, "") for name in ("name", "text", "form")}


def _ask(one: AskDef, page: ExtractRequest, asked: AskedExtract | None = None) -> ShownAsk:
    known = _known(asked, one) if asked is not None else []
    return ShownAsk(one, ANSWER + one.name, one.label, page.given.get(one.name, ""), default_of(one), known)


def _known(asked: AskedExtract, ask: AskDef) -> list[tuple[str, str]]:
    """What an answer can be chosen from, where that are not too many; not of counterparties, which the whole journal
    has to be read for."""
    if ask.type not in ("list", "selection") or ask.several or not ask.of or ask.of == "counterparty":
        return []
    codes = asked.rows.known(ask.of) or {}
    return list(codes.items()) if len(codes) <= MOST_KNOWN else []


def _rows(asked: AskedExtract, chosen: str) -> RowsShown:
    """The first rows with their headings, and the sums where they are quick to have."""
    query, calendar = asked.query, asked.view.frame.calendar
    asked.rows.check_currencies(query)
    slow, rows = None, list[Sequence[Any]]()
    try:
        rows = list(asked.rows.rows(query, MOST_SHOWN, within=LONGEST))
    except RulkaError as error:
        if error.message != TOO_LONG:
            raise
        slow = error
    several = asked.rows.expected(query)
    count, sums = None, SumsShown(later=True, width=len(query.columns))
    if slow is None and (several is None or several <= AT_ONCE):
        found = asked.rows.sums(query, different=True)
        count, sums = found.count, SumsShown(sums=sum_rows(found, query.columns))
    sort = {query.columns[at].key.casefold(): "falling" if falling else "rising" for at, falling in query.sort}
    revision = asked.rows.ledger.revisions.filter(number=asked.view.revision).first()
    return RowsShown(
        slow=slow,
        count=count,
        sums=sums,
        heads=heads(query.columns, sort, chosen),
        rows=[
            [cell(value, one.shows, calendar) for value, one in zip(row, query.columns, strict=True)] for row in rows
        ],
        rows_of=query.rows,
        notes=asked.notes,
        bounded=query.is_bounded or query.is_grouped,
        revision=asked.view.revision,
        days=(timezone.localdate() - timezone.localdate(revision.at)).days if revision else None,
        sealed=bool(asked.rows.has_sealed(query)),
    )


@require_GET
def sums(request: HttpRequest, name: str) -> HttpResponse:
    """How many rows there are and their sums, where they take longer than the page."""
    page = asked_for(request, name)
    try:
        with opened(page.definition, page.reader, page.given, layout=page.chosen) as asked:
            found = asked.rows.sums(asked.query, within=LONGEST * 10)
            return SumsShown(sums=sum_rows(found, asked.query.columns)).response(request)
    except RulkaError as error:
        return SumsShown(problem=error).response(request)


def _fields_even_so(page: ExtractRequest) -> RowKind | None:
    """The fields of an extract whose rows can't be read now."""
    try:
        return row_kind_of(page.seat.ledger, page.reader.fence, page.seat.person, page.extract.body)
    except RulkaError:
        return None


# the panel ------------------------------------------------------------------------------------------------------------


def _panel(page: ExtractRequest, tab: str, asked: AskedExtract | None, chosen: str) -> Screen:
    match tab:
        case "column":
            columns = page.definition.columns
            return ColumnPanel(column=next((one for one in columns if one.key.casefold() == chosen), None))
        case "ask":
            return _ask_panel(page)
        case "runs":
            return _runs_panel(page, asked)
        case "text":
            return _text_panel(page)
        case _:
            return _layout_panel(page, asked)


@dataclass(frozen=True, kw_only=True)
class ColumnPanel(Screen):
    """The column that is chosen."""

    html = "extracts/_panel_column.html"
    column: ExtractColumnDef | None


@dataclass(frozen=True, kw_only=True)
class AskPanel(Screen):
    """The questions; `others` are extracts whose questions can be taken over, `codes` what answers are chosen from."""

    html = "extracts/_panel_ask.html"
    others: Sequence[Extract]
    codes: Sequence[str]


def _ask_panel(page: ExtractRequest) -> AskPanel:
    ledger = page.seat.ledger
    seen = seen_extracts(ledger, page.seat.person)
    return AskPanel(
        others=[one for one in seen if one.body.get("ask") and one.pk != page.extract.pk],
        codes=["account", "entity", "partner", *ledger.dimensions, "counterparty", "scenario"],
    )


@dataclass(frozen=True, kw_only=True)
class RunsShown(Screen):
    """One's runs of an extract, each with whether its file is there."""

    html = "extracts/_runs.html"
    seat: Seat
    extract: Extract
    query: str
    runs: Sequence[tuple[ExtractRun, bool]]
    open_runs: bool


def runs_shown(page: ExtractRequest) -> RunsShown:
    """One's runs as they are now."""
    listed = runs.runs_of(page.extract, page.seat.person)
    return RunsShown(
        seat=page.seat,
        extract=page.extract,
        query=page.query(tab="runs"),
        runs=[(one, one.state == "ready" and bool(one.file)) for one in listed],
        open_runs=any(one.is_open for one in listed),
    )


@dataclass(frozen=True, kw_only=True)
class RunsPanel(Screen):
    """One's runs, and those of others for whom sees all that they saw."""

    html = "extracts/_panel_runs.html"
    listed: RunsShown
    by_others: Sequence[ExtractRun]


def _runs_panel(page: ExtractRequest, asked: AskedExtract | None) -> RunsPanel:
    person = page.seat.person
    sees_all = asked is not None and asked.view.fence.is_open
    every = runs.runs_of(page.extract, person, everybody=True) if sees_all else []
    return RunsPanel(listed=runs_shown(page), by_others=[one for one in every if one.person != person.pk])


@dataclass(frozen=True, kw_only=True)
class TextPanel(Screen):
    """The extract as its file has it, its shelf, and what can be made of it."""

    html = "extracts/_panel_text.html"
    text: str
    leads: Sequence[Lead]
    shelves: Sequence[Shelf]


def _text_panel(page: ExtractRequest) -> TextPanel:
    person = page.seat.person
    return TextPanel(
        text=EXTRACTS.write(page.extract.body),
        leads=leads("extract") if person.may_edit else [],
        shelves=shelves_seen(page.seat.ledger, person) if page.may_change else [],
    )


@dataclass(frozen=True)
class LayoutColumn:
    """A column as a layout has it: where it stands (`at`) and its `index` in the extract."""

    key: str
    at: int
    index: int
    shown: bool
    width: int | str
    format: str
    title: str


@dataclass(frozen=True)
class PivotKeys:
    """The columns that a pivot's fields have chosen, empty where one has none."""

    first: str
    second: str
    across: str
    filter: str


def _pivot_keys(pivot: PivotDef) -> PivotKeys:
    first, second, *_ = (*pivot.down, "", "")
    return PivotKeys(first, second, next(iter(pivot.across), ""), next(iter(pivot.filters), ""))


@dataclass(frozen=True, kw_only=True)
class LayoutPanel(Screen):
    """A layout with its columns in order, a look at its pivot, and its template; `mine` where it is one's own."""

    html = "extracts/_panel_layout.html"
    mine: bool
    own_names: Collection[str]
    columns: Sequence[LayoutColumn]
    keys: Sequence[str]
    pivot: SmallPivot | None
    pivot_problem: RulkaError | None
    pivot_keys: PivotKeys
    template: Template | None
    template_problem: RulkaError | None
    formats: Sequence[str] = tuple(FORMATS)


def _layout_panel(page: ExtractRequest, asked: AskedExtract | None) -> LayoutPanel:
    layout, mine = page.chosen, own_layout_names(page.extract, page.seat.person)
    template, pivot, template_problem, pivot_problem = None, None, None, None
    if layout.template:
        try:
            template = newest(subject_for(page.extract, page.seat.person), layout.name, page.seat.person)
        except RulkaError as error:
            template_problem = error
    if asked is not None and layout.pivot:
        try:
            found = asked.rows.pivot(asked.query, asked_pivot(layout.pivot, asked.query))
            pivot = small_pivot(found, asked.query.columns, asked.view.frame.calendar)
        except RulkaError as error:
            pivot_problem = error
    return LayoutPanel(
        mine=layout.name in mine,
        own_names=mine,
        columns=_layout_columns(page.definition, layout),
        keys=page.definition.column_keys,
        pivot=pivot,
        pivot_problem=pivot_problem,
        pivot_keys=_pivot_keys(layout.pivot),
        template=template,
        template_problem=template_problem,
    )


def _layout_columns(definition: ExtractDef, layout: LayoutDef) -> list[LayoutColumn]:
    """All columns of an extract, those of the layout first in its order."""
    order = {key.casefold(): at for at, key in enumerate(layout.columns)}
    keys = definition.column_keys
    return [
        LayoutColumn(
            key,
            at,
            keys.index(key),
            not order or key.casefold() in order,
            _of(layout.widths, key),
            _of(layout.formats, key),
            _of(layout.titles, key),
        )
        for at, key in enumerate(sorted(keys, key=lambda key: order.get(key.casefold(), len(order))), 1)
    ]


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


def _layout_sent(page: ExtractRequest, request: HttpRequest) -> dict[str, Any]:
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
                key = page.extract.pk
                TEXTS.delete_typed(page.extract, page.definition.title, sent.get("title", ""), seat.person)
                forget("extract", seat.ledger, key)
                return HttpResponseRedirect(f"{reverse('extracts')}?{seat.query}")
            case _:
                raise NotFound("Nothing is called so here.", hint="Load the page again.", subject="action")
    except RulkaError as error:
        return page_of(request, page, error)


def _text(page: ExtractRequest, text: str) -> HttpResponse:
    from rulka.extracts.running.checking import check_in

    body = TEXTS.only_body(EXTRACTS.read(text, "text"), page.extract)
    open_extract(page.seat.ledger, page.extract.name, person=page.seat.person, edit=True)
    check_in(page.seat.ledger, page.reader.fence, page.seat.person, body)
    TEXTS.change(page.extract, body, "its text", page.seat.person)
    return back(page)
