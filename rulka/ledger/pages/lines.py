"""Pages of lines and balances: the journal browser, one entry, the trial balance."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any
from urllib.parse import urlencode

from django.http import HttpRequest, HttpResponse, QueryDict, StreamingHttpResponse
from django.shortcuts import redirect
from django.urls import reverse
from django.utils.http import content_disposition_header
from django.views.decorators.http import require_GET, require_http_methods

from rulka.core.books.calendar import Period, period_code
from rulka.core.books.chart import Item
from rulka.core.books.frame import Frame
from rulka.core.books.selection import SelectionPart, select
from rulka.core.books.trial_balance import EntityPart, TrialBalance, TrialBalanceRow, trial_balance
from rulka.core.errors import NotFound, RulkaError
from rulka.core.money import grouped, minor_text
from rulka.core.values import whole
from rulka.formats.figures import DASH, plain_text
from rulka.ledger import editing
from rulka.ledger.leaving import left_rows, rows_as_csv, rows_as_workbook
from rulka.ledger.models import Scenario
from rulka.ledger.pages.common import LedgerPage, exact, frame_of
from rulka.ledger.pages.pieces import ListInPieces, ListPieces
from rulka.ledger.reading.calendars import in_own_calendar
from rulka.ledger.reading.entries import SeenEntry, seen_entry
from rulka.ledger.reading.history import view_at
from rulka.ledger.reading.journal import Journal, JournalFilter, JournalPage, JournalRow, came_to
from rulka.ledger.seat import Seat, seat_of

SEALED = "sealed"
MORE = ("source", "user", "batch", "partner", "kind", "least", "most", "attribute", "entry")
HEADINGS = (
    "entity",
    "entry",
    "line",
    "date",
    "period",
    "account",
    "name",
    "partner",
    "debit",
    "credit",
    "description",
    "document",
    "counterparty",
    "counterparty name",
    "source",
    "user",
    "batch",
    "status",
    "kind",
)


def _wanted(request: HttpRequest, seat: Seat) -> JournalFilter:
    return JournalFilter.from_query(request.GET.dict(), list(seat.ledger.dimensions))


@dataclass(frozen=True)
class ShownLines:
    """A page of lines with debit and credit as text, and sums by currency."""

    page: JournalPage
    rows: Sequence[tuple[JournalRow, str, str]]
    sums: Sequence[tuple[str, str, str]]
    warnings: Sequence[str]


@dataclass(frozen=True, kw_only=True)
class JournalScreen(LedgerPage):
    """The lines that a filter lets through; `kept` is the filter as addresses carry it, `more` whether settings are
    used that are folded, `standing` what the filter means."""

    html = "ledger/journal.html"
    shown: ShownLines | None
    wanted: JournalFilter
    kept: str
    members: Sequence[tuple[str, str]]
    more: bool
    standing: Mapping[str, Any]


@require_GET
def journal(request: HttpRequest) -> HttpResponse:
    """All lines that a filter lets through, a page at a time."""
    seat = seat_of(request)
    wanted = _wanted(request, seat)
    problem, shown = None, None
    try:
        browser = Journal(seat.view, seat.ledger, wanted)
        found = browser.page(
            after=request.GET.get("after", ""), before=request.GET.get("before", ""), end=request.GET.get("end") == "1"
        )
        rows = [(row, exact(row.debit, row.digits), exact(row.credit, row.digits)) for row in found.rows]
        sums = [
            (code or "quantities", exact(debit, digits) or "0", exact(credit, digits) or "0")
            for code, debit, credit, digits in found.sums
        ]
        shown = ShownLines(found, rows, sums, browser.warnings)
    except RulkaError as error:
        problem = error
    kept = request.GET.copy()
    for name in ("after", "before", "end"):
        kept.pop(name, None)
    return JournalScreen(
        seat=seat,
        frame=frame_of(seat, "ledger-journal"),
        problem=problem,
        shown=shown,
        wanted=wanted,
        kept=kept.urlencode(),
        members=[(key, wanted.members.get(key, "")) for key in seat.ledger.dimensions],
        more=any(getattr(wanted, name) for name in MORE),
        standing=_standing(seat, wanted),
    ).answer(request)


def _standing(seat: Seat, wanted: JournalFilter) -> dict[str, Any]:
    """What a filter shows, by what: the codes that its selections mean."""
    frame, found = seat.view.frame, dict[str, Any]()
    asked = {"account": (wanted.accounts, frame.accounts), "entity": (wanted.entities, frame.entities)}
    asked |= {name: (wanted.members.get(name, ""), codes) for name, codes in frame.dimensions.items()}
    for name, (text, codes) in asked.items():
        if text:
            try:
                mask = select(text, codes).mask
            except RulkaError:
                continue  # the page says itself what is wrong with it
            found[name] = [item.code for item, chosen in zip(codes.items, mask, strict=True) if chosen]
    found |= {"counterparty": wanted.counterparty, "document": wanted.document, "entry": wanted.entry}
    periods = [code for code in (wanted.first, wanted.last) if code]
    return found | ({"period": f"{periods[0]} to {periods[-1]}"} if len(periods) == 2 else {})


def _cells(row: JournalRow) -> list[Any]:
    texts = (row.entity, row.entry, row.line, row.date, row.period, row.account, row.account_name, row.partner)
    amounts = [
        minor_text(int(value * 10**row.digits), row.digits) if value else "" for value in (row.debit, row.credit)
    ]
    rest = (
        row.description,
        row.document,
        row.counterparty,
        row.counterparty_name,
        row.source,
        row.user,
        row.batch,
        row.status,
        row.kind,
    )
    return [*map(plain_text, texts), *amounts, *map(plain_text, rest), *map(plain_text, row.members)]


@require_GET
def journal_export(request: HttpRequest, form: str) -> Any:
    """Every line of the filter as a CSV file or a workbook."""
    seat = seat_of(request)
    if form not in ("csv", "xlsx"):
        raise NotFound(f"There is no export as '{form}'.", hint="Ask for csv or xlsx.", subject="export")
    found = Journal(seat.view, seat.ledger, _wanted(request, seat))
    headings = [*HEADINGS, *map(plain_text, seat.ledger.dimensions)]
    asked = {"asked": request.GET.dict(), "run": {"lines": came_to(found)}}
    left = left_rows(seat.ledger, seat.view, seat.person, "journal", "journal", seat.period.code, asked)
    rows = (_cells(row) for row in found.every())
    if form == "csv":
        lines = rows_as_csv(left, headings, rows)
        return _attachment(StreamingHttpResponse(lines, content_type="text/csv; charset=utf-8"), "journal.csv")
    data = rows_as_workbook(left, "Journal", headings, rows, amounts={8, 9})
    return _attachment(
        HttpResponse(data, content_type="application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"),
        "journal.xlsx",
    )


def _attachment(response: Any, name: str) -> Any:
    response["Content-Disposition"] = content_disposition_header(True, name) or "attachment"
    return response


@dataclass(frozen=True, kw_only=True)
class EntryPage(LedgerPage):
    """An entry: its lines as they are and as they were, with debit, credit and members as text, whether some are
    `hidden`, the period it is `of`, and the year's adjusting periods."""

    html = "ledger/entry.html"
    entry: Any
    standing: Mapping[str, Any]
    lines: Sequence[tuple[Any, str, str, Sequence[str]]]
    hidden: bool
    former_lines: Sequence[tuple[Any, str, str]]
    of: Period
    adjusting: Sequence[Period]
    entities: Sequence[Item]
    dimensions: Sequence[str]


def _change(posted: QueryDict, seat: Seat, entity: str, number: str) -> None:
    """Change an entry as its form says; raises RulkaError where that can't be."""
    mark = "partner-"
    partners = {name.removeprefix(mark): str(value) for name, value in posted.items() if name.startswith(mark)}
    values = {name: str(posted[name]) for name in ("status", "kind", "period") if name in posted}
    editor = editing.editor_of(seat.person, seat.ledger, seat.view)
    editing.change_entry(editor, entity, number, values, partners)


def _standing_of(seen: SeenEntry) -> dict[str, str | list[str]]:
    """What of an entry can be asked about, by the names the palette knows."""
    return {
        "entry": seen.entry.number,
        "entity": seen.entry.entity.code,
        "period": period_code(seen.entry.period),
        "account": [one.line.key.account.code for one in seen.lines],
        "counterparty": [one.line.counterparty for one in seen.lines],
        "document": [one.line.document for one in seen.lines],
    }


@require_http_methods(["GET", "POST"])
def entry(request: HttpRequest, entity: str, number: str) -> HttpResponse:
    """One whole entry with its former values; its status, kind, period and partners can be changed."""
    seat = seat_of(request)
    problem = None
    if request.method == "POST":
        try:
            _change(request.POST, seat, entity, number)
            return redirect(f"{reverse('ledger-entry', args=[entity, number])}?{seat.query}")
        except RulkaError as error:
            problem = error
    seen = seen_entry(seat.ledger, seat.view, entity, number)
    found = seen.entry
    lines = [
        (one.line, _amount(one.line.debit, one.digits), _amount(one.line.credit, one.digits), _members(seat, one.key))
        for one in sorted(seen.lines, key=lambda one: one.line.line)
    ]
    former = [
        (one.line, _amount(one.line.debit, one.digits), _amount(one.line.credit, one.digits)) for one in seen.former
    ]
    calendar = seat.view.frame.calendar
    code = period_code(found.period)
    period = calendar.by_code[code]
    adjusting = [one for one in calendar.of_year(period.year) if one.adjusting]
    return EntryPage(
        seat=seat,
        frame=frame_of(seat, "ledger-journal"),
        problem=problem,
        entry=found,
        standing=_standing_of(seen),
        lines=lines,
        hidden=seen.hidden,
        former_lines=former,
        of=period,
        adjusting=adjusting,
        entities=seat.view.frame.entities.items,
        dimensions=list(seat.ledger.dimensions),
    ).answer(request)


def _amount(minor: int, digits: int) -> str:
    return grouped(minor, digits) if minor else ""


def _members(seat: Seat, key: int) -> list[str]:
    dimensions = enumerate(seat.view.frame.dimensions.values())
    return [codes.items[seat.view.keys.members[key, at]].code for at, codes in dimensions]


# trial balance ------------------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class TrialBalanceTerms:
    """What a trial balance is of: periods, a dimension that splits accounts, an entity, the revision as a `mark`, in
    whose calendar, whether the journal shows the same lines (`in_journal`), and whether pending ones count."""

    first: Period
    last: Period
    by: str
    entity: str
    mark: str
    frame: Frame
    calendar: str
    in_journal: bool
    pending: bool


def _trial_balance(request: HttpRequest, seat: Seat) -> tuple[TrialBalance, TrialBalanceTerms]:
    asked = request.GET
    view, mark = seat.view, ""
    revision = asked.get("revision", "")
    if revision:
        view = view_at(seat.ledger, whole(revision, "revision", hint="Write its number."), seat.view.fence)
        mark = f"as at revision {revision}"
    entity = asked.get("entity", "")
    if asked.get("calendar") == "own":
        if not entity:
            raise RulkaError("An own calendar belongs to one entity.", hint="Choose an entity.", subject="calendar")
        view = in_own_calendar(view, entity)
    calendar = view.frame.calendar
    here = calendar.on(seat.period.end) or calendar.periods[-1]
    last = calendar.period(asked["to"]) if asked.get("to") else here
    first = calendar.period(asked["from"]) if asked.get("from") else calendar.of_year(last.year)[0]
    by = asked.get("by", "")
    rows = trial_balance(
        view,
        first,
        last,
        entity=entity,
        scenario=asked.get("scenario") or "actual",
        pending=asked.get("pending") == "1",
        by=by,
    )
    return rows, TrialBalanceTerms(
        first,
        last,
        by,
        entity,
        mark,
        view.frame,
        asked.get("calendar", ""),
        in_journal=not revision and not asked.get("calendar") and (asked.get("scenario") or "actual") == "actual",
        pending=asked.get("pending") == "1",
    )


@dataclass(frozen=True, kw_only=True)
class BalancesOf(ListInPieces):
    """An entity's rows in pieces, with its totals and whether they tie."""

    entity: Item
    currency: str
    by: str
    sums: Sequence[str]
    ties: bool | None


@dataclass(frozen=True, kw_only=True)
class TrialBalancePage(LedgerPage):
    """The trial balance by entity; `range` are its periods as the form has them, `about` what it is of, None where it
    was refused."""

    html = "ledger/trial_balance.html"
    groups: Sequence[BalancesOf]
    here: str
    range: Sequence[str]
    about: TrialBalanceTerms | None
    scenarios: Sequence[Scenario]
    asked: Mapping[str, str]
    kept: str
    dimensions: Sequence[str]
    nodes: Sequence[tuple[str, str, str]]
    calendars: Mapping[str, str]
    entities: Sequence[str]


def _balances_of(found: TrialBalance, part: EntityPart, pieces: ListPieces, about: TrialBalanceTerms) -> BalancesOf:
    """The rows of one entity, those of its written pieces only, and its totals."""
    frame = about.frame
    at = frame.entities.index[part.entity]
    cut = pieces.cut(part.stop - part.start)
    for piece in cut:
        if piece.written:
            rows = found.rows(part.start + piece.start, part.start + piece.stop)
            piece.rows = [_shown(row, about) for row in rows]
    return BalancesOf(
        pieces=cut,
        entity=frame.entities.items[at],
        currency=frame.currencies[at],
        by=about.by,
        sums=[grouped(amount, int(frame.digits[at])) for amount in part.totals] if part.totals else [SEALED] * 4,
        ties=part.ties,
    )


@require_GET
def trial_balance_page(request: HttpRequest) -> HttpResponse:
    """Opening, debits, credits and closing by account, with a total for each entity."""
    seat = seat_of(request)
    problem: RulkaError | None = None
    groups: list[BalancesOf] = []
    about: TrialBalanceTerms | None = None
    pieces = ListPieces(request, seat)
    try:
        found, about = _trial_balance(request, seat)
        groups = [_balances_of(found, part, pieces, about) for part in found.parts()]
    except RulkaError as error:
        problem = error
    only = pieces.answer(request, "ledger/_balance_rows.html", groups)
    if only is not None:
        return only
    seen = seat.view.visible_entities()
    own = zip(seat.view.frame.entities.items, seat.view.frame.entity_calendars, seen, strict=True)
    calendars = {item.code: name for item, name, inside in own if name and inside}
    return TrialBalancePage(
        seat=seat,
        frame=frame_of(seat, "ledger-trial-balance"),
        problem=problem,
        groups=groups,
        here=pieces.here,
        range=_range(request, about),
        about=about,
        scenarios=list(seat.ledger.scenarios.order_by("pk")),
        asked=request.GET,
        kept=request.GET.urlencode(),
        dimensions=list(seat.ledger.dimensions),
        nodes=seat.nodes,
        calendars=calendars,
        entities=[code for code, _, _ in seat.nodes if code in seat.view.frame.entities.index],
    ).answer(request)


def _range(request: HttpRequest, about: TrialBalanceTerms | None) -> list[str]:
    """The periods in the form: as asked for, else as shown."""
    first, last = (about.first.code, about.last.code) if about else ("", "")
    return [request.GET.get("from") or first, request.GET.get("to") or last]


def _shown(row: TrialBalanceRow, about: TrialBalanceTerms) -> dict[str, Any]:
    amounts = [SEALED if row.is_sealed else grouped(amount, row.digits) if amount else DASH for amount in row.amounts]
    lines = "" if row.is_sealed else _lines_of(row, about)
    return {
        "row": row,
        "amounts": [
            (amount, lines and f"{lines}&kind=normal" if at in (1, 2) and amount != DASH else "")
            for at, amount in enumerate(amounts)
        ],
        "lines": lines,
        "quantity": about.frame.accounts[row.account].type == "statistical",
    }


def _selecting(code: str) -> str:
    """A selection that means one code, whichever signs are in it."""
    return SelectionPart("code", code).text()


def _lines_of(row: TrialBalanceRow, about: TrialBalanceTerms) -> str:
    """The journal's filter that lets a row's lines through; empty where the journal has others: those of a budget, of a
    former revision or by a calendar of an entity's own."""
    if not about.in_journal:
        return ""
    wanted = {
        "accounts": _selecting(row.account),
        "entities": _selecting(row.entity),
        "first": about.first.code,
        "last": about.last.code,
    }
    if about.by:
        wanted[f"m-{about.by}"] = _selecting(row.member)
    return urlencode(wanted if about.pending else wanted | {"status": "posted"})


@require_GET
def trial_balance_export(request: HttpRequest, form: str) -> Any:
    """The trial balance as shown, as a CSV file or a workbook."""
    seat = seat_of(request)
    if form not in ("csv", "xlsx"):
        raise NotFound(f"There is no export as '{form}'.", hint="Ask for csv or xlsx.", subject="export")
    rows, about = _trial_balance(request, seat)
    headings = [
        "entity",
        "account",
        "name",
        *([plain_text(about.by)] if about.by else []),
        "opening",
        "debits",
        "credits",
        "closing",
    ]
    cells = [
        [
            plain_text(row.entity),
            plain_text(row.account),
            plain_text(row.name),
            *([plain_text(row.member)] if about.by else []),
            *(SEALED if row.is_sealed else minor_text(amount, row.digits) for amount in row.amounts),
        ]
        for row in rows.rows()
    ]
    start = len(headings) - 4
    asked = {"asked": request.GET.dict(), "run": {"lines": [[*row[:2], *row[start:]] for row in cells]}, "lines": False}
    period = about.last.code
    left = left_rows(seat.ledger, seat.view, seat.person, "trial balance", "trial balance", period, asked)
    if form == "csv":
        text = "".join(rows_as_csv(left, headings, cells, end="\n"))
        return _attachment(HttpResponse(text, content_type="text/csv; charset=utf-8"), "trial-balance.csv")
    data = rows_as_workbook(left, "Trial balance", headings, cells, set(range(start, start + 4)))
    return _attachment(
        HttpResponse(data, content_type="application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"),
        "trial-balance.xlsx",
    )
