"""Pages of what a ledger holds: overview, accounts, members, scenarios, rates."""

from __future__ import annotations

from collections.abc import Container, Iterable, Mapping, Sequence
from dataclasses import dataclass
from fractions import Fraction
from itertools import compress
from typing import Any

from django.db.models import QuerySet
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect
from django.urls import reverse
from django.utils.http import url_has_allowed_host_and_scheme, urlencode
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from rulka.core.books.calendar import Period, period_code, period_number
from rulka.core.books.chart import TYPES, CodeList, Item
from rulka.core.books.frame import Frame
from rulka.core.books.overview import (
    Held,
    account_course,
    account_use,
    compare_scenarios,
    held_by_period,
    lines_by_member,
    spark_points,
)
from rulka.core.compute.nodes import Node, find_node
from rulka.core.definitions.windows import read_window, window_at
from rulka.core.errors import NotFound, RulkaError
from rulka.core.money import QUANTITY_DIGITS, grouped, round_half_away
from rulka.core.values import key_in
from rulka.ledger import editing
from rulka.ledger.editing import editor_of
from rulka.ledger.models import ClosedPeriod, Rate, Scenario
from rulka.ledger.pages.common import LedgerPage, frame_of, money, sees_whole
from rulka.ledger.pages.forms import AccountForm, MemberForm, PeriodForm, taken
from rulka.ledger.pages.pieces import ListInPieces, ListPiece, ListPieces
from rulka.ledger.placement import placements
from rulka.ledger.reading.queries import budget_counts
from rulka.ledger.seat import Seat, seat_of
from rulka.people.library.rights import accesses_of
from rulka.screen import Screen

MOST_PERIODS = 240
"""Periods that are listed at once; others are found by name."""


@require_GET
def periods(request: HttpRequest) -> HttpResponse:
    """Every period to go to, or those whose names begin as what is typed; `to` is the page that they lead to."""
    seat = seat_of(request)
    calendar, typed = seat.view.frame.calendar, request.GET.get("typed", "").strip()
    to = request.GET.get("to", "")
    if not url_has_allowed_host_and_scheme(to, allowed_hosts=None) or not to.startswith("/"):
        to = reverse("statements")
    kept = request.GET.copy()
    for name in ("to", "period", "typed", "go"):
        kept.pop(name, None)
    problem = None
    if request.GET.get("go"):
        try:
            query = {**{name: str(value) for name, value in kept.items()}, "period": calendar.period(typed).code}
            return redirect(f"{to}?{urlencode(query)}")
        except RulkaError as error:
            problem = error
    found = [
        period for period in calendar.periods if typed.casefold() in f"{period.title} {period.code}".casefold()
    ] or calendar.named(typed)
    near = sorted(found or calendar.periods, key=lambda period: abs(period.index - seat.period.index))[:MOST_PERIODS]
    years: dict[int, list[Period]] = {}
    for period in sorted(near if found or problem else [], key=lambda period: period.index):
        years.setdefault(period.year, []).append(period)
    return PeriodsPage(
        seat=seat,
        years=sorted(years.items(), reverse=True),
        to=to,
        kept=kept.urlencode(),
        fields=kept.items(),
        typed=typed,
        more=len(found) - len(near),
        problem=problem,
    ).response(
        request,
        template="ledger/_periods.html" if request.headers.get("HX-Request") else "",
        status=422 if problem else 200,
    )


@dataclass(frozen=True, kw_only=True)
class PeriodsPage(Screen):
    """Periods by year to go to, on the page `to`, whose address keeps `fields`; `more` fit what is typed."""

    html = "ledger/periods.html"
    where: str = "ledger"
    seat: Seat
    years: Sequence[tuple[int, Sequence[Period]]]
    to: str
    kept: str
    fields: Iterable[tuple[str, Any]]
    typed: str
    more: int
    problem: RulkaError | None


@dataclass(frozen=True)
class PeriodCell:
    """What an entity holds in a period: its lines, debits in whole units, whether it is closed, and how much debits and
    credits are apart where they are."""

    period: Period
    held: Held
    total: str
    closed: bool
    off: str


@dataclass(frozen=True)
class EntityRow:
    """An entity with its periods of a year, and how many lines they have."""

    entity: Item
    currency: str
    cells: Sequence[PeriodCell]
    lines: int


@dataclass(frozen=True)
class Totals:
    """How much a ledger holds."""

    accounts: int
    lines: int
    pending: int


@dataclass(frozen=True, kw_only=True)
class LedgerOverview(LedgerPage):
    """Entities by periods of a year, as lines or debits; periods that were closed; which ledgers there are besides."""

    html = "ledger/overview.html"
    year: int
    years: Sequence[int]
    periods: Sequence[Period]
    rows: Sequence[EntityRow]
    whole: bool
    show: str
    ties: bool
    calendars: Mapping[str, str]
    choices: Sequence[str]
    closings: Sequence[ClosedPeriod]
    ledgers: Sequence[Any]
    totals: Totals


def _closed_by_entity(closings: QuerySet[ClosedPeriod]) -> dict[str, set[int]]:
    closed: dict[str, set[int]] = {}
    for code, period in closings.values_list("entity__code", "period"):
        closed.setdefault(code, set()).add(period)
    return closed


def _period_cell(period: Period, held: Held, digits: int, closed: Container[int], whole: bool) -> PeriodCell:
    """What an entity holds in a period; how far debits and credits are apart only where one sees the whole of it."""
    off = money(held.debit - held.credit, digits) if whole and not held.ties else ""
    total = grouped(round_half_away(Fraction(held.debit, 10**digits), 0), 0)
    return PeriodCell(period, held, total, period_number(period.code) in closed, off)


@require_GET
def overview(request: HttpRequest) -> HttpResponse:
    """Entities by periods of a fiscal year: lines, whether debits equal credits, open or closed."""
    seat = seat_of(request)
    frame, whole = seat.view.frame, sees_whole(seat)
    asked = request.GET.get("year", "")
    year = key_in(asked) if key_in(asked) in frame.calendar.years else seat.period.year
    periods = frame.calendar.of_year(year)
    held = held_by_period(seat.view)
    closings = ClosedPeriod.objects.of_ledger(seat.ledger).select_related("entity", "person", "opener")
    closed = _closed_by_entity(closings.standing())
    of_period = closings.filter(period=period_number(seat.period.code))
    seen = {item.code for item in compress(frame.entities.items, seat.view.visible_entities())}
    rows = []
    for entity, digits, currency, own in zip(frame.entities.items, frame.digits, frame.currencies, held, strict=True):
        if entity.code in seen:
            shut = closed.get(entity.code, ())
            cells = [_period_cell(one, own[one.index], int(digits), shut, whole) for one in periods]
            rows.append(EntityRow(entity, currency, cells, sum(cell.held.lines for cell in cells)))
    entities = {entity.code: entity.calendar for entity in seat.ledger.entities.all()}
    return LedgerOverview(
        seat=seat,
        frame=frame_of(seat, "ledger"),
        year=year,
        years=frame.calendar.years,
        periods=periods,
        rows=rows,
        whole=whole,
        show="debits" if request.GET.get("show") == "debits" else "lines",
        ties=all(one.ties for row in held for one in row),
        calendars=entities if seat.ledger.calendars else {},
        choices=list(seat.ledger.calendars),
        closings=[one for one in of_period if one.entity.code in seen][:20],
        ledgers=[access.ledger for access in accesses_of(seat.person)],
        totals=Totals(
            int(seat.view.visible_accounts().sum()),
            sum(one.lines for row in held for one in row),
            sum(one.pending for row in held for one in row),
        ),
    ).answer(request)


@require_POST
def close_period(request: HttpRequest) -> HttpResponse:
    """Close an entity's period or open it again."""
    seat = seat_of(request)
    asked = taken(PeriodForm(request.POST))
    editor = editor_of(seat.person, seat.ledger, seat.view)
    editing.set_closed(editor, asked["entity"], asked["of"], asked["closed"] == "1", reason=asked["reason"])
    return redirect(f"{reverse('ledger')}?{seat.query}&year={request.POST.get('year', '')}")


@require_POST
def entity_calendar(request: HttpRequest, code: str) -> HttpResponse:
    """Let an entity name a calendar of its own."""
    seat = seat_of(request)
    editor = editor_of(seat.person, seat.ledger, seat.view)
    editing.change_entity_calendar(editor, code, request.POST.get("calendar", ""))
    return redirect(f"{reverse('ledger')}?{seat.query}")


def _indented(codes: CodeList) -> list[tuple[int, int]]:
    """(place, depth) of every item, parents before what is below them, in code order."""
    children: dict[str, list[int]] = {}
    for at, item in enumerate(codes.items):
        children.setdefault(item.parent, []).append(at)
    found: list[tuple[int, int]] = []

    def walk(parent: str, depth: int) -> None:
        for at in children.get(parent, ()):
            found.append((at, depth))
            walk(codes.items[at].code, depth + 1)

    walk("", 0)
    return found


@require_http_methods(["GET", "POST"])
def accounts(request: HttpRequest) -> HttpResponse:
    """The chart of accounts with balances and their course, where each is used and placed; one of them to edit."""
    seat = seat_of(request)
    code = request.GET.get("account", "")
    problem = None
    if request.method == "POST":
        try:
            editor = editor_of(seat.person, seat.ledger, seat.view)
            editing.change_account(editor, code, taken(AccountForm(request.POST)))
            return redirect(f"{reverse('ledger-accounts')}?{_kept(request)}")
        except RulkaError as error:
            problem = error
    shown = _Accounts(request, seat, code)
    part = shown.cut.answer(request, "ledger/_account_rows.html", [shown.rows])
    return part or shown.page(problem, request.POST.dict() if request.method == "POST" else None).answer(request)


def _kept(request: HttpRequest) -> str:
    return request.GET.urlencode()


@dataclass(frozen=True, kw_only=True)
class ToldAccount:
    """An account, the (name, title) of statements that place it, and how many lines it has; none where it is sealed."""

    item: Item
    placed: Sequence[tuple[str, str]]
    lines: int | None


@dataclass(frozen=True, kw_only=True)
class AccountRow(ToldAccount):
    """... as the list shows it: how deep it stands, its balance and the points of its course, from when to when it is
    used."""

    depth: int
    balance: str
    points: str
    first: str
    last: str
    sealed: bool


@dataclass(frozen=True, kw_only=True)
class AccountRows(ListInPieces):
    """Accounts in pieces, at a node, one of them chosen."""

    seat: Seat
    node: Node
    chosen: ToldAccount | None
    search: str
    of_type: str
    unused: bool


@dataclass(frozen=True, kw_only=True)
class AccountsPage(LedgerPage):
    """The accounts that fit what was asked, one of them to edit, with what was `entered` for it."""

    html = "ledger/accounts.html"
    pieces: Sequence[ListPiece]
    here: str
    node: Node
    chosen: ToldAccount | None
    search: str
    of_type: str
    unused: bool
    types: Sequence[str]
    nodes: Sequence[tuple[str, str, str]]
    categories: Sequence[str]
    entered: Mapping[str, Any] | None


class _Accounts:
    """The accounts that fit what was asked, in pieces, and the one that was chosen."""

    def __init__(self, request: HttpRequest, seat: Seat, code: str) -> None:
        self.view, self.frame, self.seat = seat.view, seat.view.frame, seat
        self.node = find_node(self.view, seat.node)
        self.use = account_use(self.view, self.node.entities)
        self.placed = placements(seat.ledger, self.view, seat.person)
        written, of_type = request.GET.get("search", ""), request.GET.get("type", "")
        search, unused = written.strip().lower(), request.GET.get("unused") == "1"
        listed = self._fitting(search, of_type, unused=unused)
        chosen = self._chosen(code)
        self.cut = ListPieces(request, seat)
        places = [at for at, _ in listed]
        pieces = self.cut.cut(len(listed), places.index(chosen) if chosen in places else -1)
        for piece in pieces:
            if piece.written:
                piece.rows = self._rows(listed[piece.start : piece.stop], flat=bool(search or of_type))
        told = self._told(chosen) if chosen is not None else None
        self.rows = AccountRows(
            pieces=pieces, seat=seat, node=self.node, chosen=told, search=written, of_type=of_type, unused=unused
        )

    def page(self, problem: RulkaError | None, entered: Mapping[str, Any] | None) -> AccountsPage:
        """The page with them."""
        seen, rows = zip(self.frame.accounts.items, self.view.visible_accounts(), strict=True), self.rows
        return AccountsPage(
            frame=frame_of(self.seat, "ledger-accounts"),
            problem=problem,
            seat=self.seat,
            pieces=rows.pieces,
            here=self.cut.here,
            node=self.node,
            chosen=rows.chosen,
            search=rows.search,
            of_type=rows.of_type,
            unused=rows.unused,
            types=TYPES,
            nodes=self.seat.nodes,
            categories=sorted({item.category for item, inside in seen if inside and item.category}),
            entered=entered,
        )

    def _fitting(self, search: str, of_type: str, *, unused: bool) -> list[tuple[int, int]]:
        """(place, depth) of each account to list."""
        seen, items, first = self.view.visible_accounts(), self.frame.accounts.items, self.use.first.tolist()
        return [
            (at, depth)
            for at, depth in self.view.kept(("accounts indented",), lambda: _indented(self.frame.accounts))
            if seen[at]
            and (not of_type or items[at].type == of_type)
            and not (unused and first[at] >= 0)
            and (not search or search in f"{items[at].code} {items[at].name} {items[at].category}".lower())
        ]

    def _chosen(self, code: str) -> int | None:
        if not code:
            return None
        at = self.frame.accounts.index.get(code)
        if at is None or not self.view.visible_accounts()[at]:
            raise NotFound(f"Account '{code}' does not exist.", subject="account")
        return at

    def _told(self, at: int) -> ToldAccount:
        item = self.frame.accounts.items[at]
        lines = None if self.view.sealed[at] else int(self.use.lines[at])
        return ToldAccount(item=item, placed=self.placed.get(item.code, []), lines=lines)

    def _rows(self, listed: list[tuple[int, int]], *, flat: bool) -> list[AccountRow]:
        places, view, codes = [at for at, _ in listed], self.view, [one.code for one in self.frame.calendar.periods]
        courses = account_course(view, self.node.entities, self.seat.period.index, places).tolist()
        rows = []
        for (at, depth), course in zip(listed, courses, strict=True):
            first, last = int(self.use.first[at]), int(self.use.last[at])
            told = self._told(at)
            digits = QUANTITY_DIGITS if told.item.type == "statistical" else self.node.digits
            rows.append(
                AccountRow(
                    item=told.item,
                    placed=told.placed,
                    lines=told.lines,
                    depth=0 if flat else min(depth, 4),
                    balance="sealed" if view.withheld[at] else money(course[-1], digits),
                    points=spark_points(course),
                    first=codes[first] if first >= 0 else "",
                    last=codes[last] if last >= 0 else "",
                    sealed=bool(view.sealed[at]),
                )
            )
        return rows


@require_http_methods(["GET", "POST"])
def members(request: HttpRequest) -> HttpResponse:
    """Dimensions with their members as hierarchies, what each holds, and one of them to edit."""
    seat = seat_of(request)
    dimension, code = request.GET.get("dimension", ""), request.GET.get("member", "")
    problem = None
    if request.method == "POST":
        try:
            editor = editor_of(seat.person, seat.ledger, seat.view)
            editing.change_member(editor, dimension, code, taken(MemberForm(request.POST)))
            return redirect(f"{reverse('ledger-members')}?{_kept(request)}")
        except RulkaError as error:
            problem = error
    view, frame = seat.view, seat.view.frame
    shown = []
    for name, codes in frame.dimensions.items():
        counts = lines_by_member(view, name)
        is_open = view.fence.leaves_open(name)
        rows = [
            (codes.items[place], depth, int(counts[place]))
            for place, depth in _indented(codes)
            if is_open or counts[place]
        ]
        shown.append((name, rows))
    chosen = None
    if code:
        if dimension not in frame.dimensions or code not in frame.dimensions[dimension].index:
            raise NotFound(f"Member '{code}' of {dimension} does not exist.", subject="member")
        chosen = frame.dimensions[dimension][code]
        if chosen not in [item for name, rows in shown if name == dimension for item, _, _ in rows]:
            raise NotFound(f"Member '{code}' of {dimension} does not exist.", subject="member")
    return MembersPage(
        seat=seat,
        frame=frame_of(seat, "ledger-members"),
        problem=problem,
        shown=shown,
        chosen=chosen,
        dimension=dimension,
    ).answer(request)


@dataclass(frozen=True, kw_only=True)
class MembersPage(LedgerPage):
    """By dimension its members, each with how deep it stands and how many lines it has; one of them to edit."""

    html = "ledger/members.html"
    shown: Sequence[tuple[str, Sequence[tuple[Item, int, int]]]]
    chosen: Item | None
    dimension: str


@dataclass(frozen=True, kw_only=True)
class ScenariosPage(LedgerPage):
    """The scenarios with what each holds, and two of them compared at a node: rows in pieces, and their total with its
    window."""

    html = "ledger/scenarios.html"
    listed: Sequence[tuple[Scenario, Any]]
    one: str
    other: str
    pieces: Sequence[ListPiece]
    here: str
    total: tuple[str, str, str, str] | None
    node: Node
    nodes: Sequence[tuple[str, str, str]]
    whole: str | None


@require_GET
def scenarios(request: HttpRequest) -> HttpResponse:
    """Scenarios with what they hold, and two of them compared account by account."""
    seat = seat_of(request)
    view, frame = seat.view, seat.view.frame
    node = find_node(view, seat.node)
    counts = budget_counts(seat.ledger, view)
    listed = [(scenario, counts.get(scenario.code)) for scenario in seat.ledger.scenarios.order_by("pk")]
    one, other = request.GET.get("one", ""), request.GET.get("other", "")
    cut = ListPieces(request, seat)
    pieces, total = list[ListPiece](), None
    if one and other:
        window = window_at(
            frame.calendar, read_window("year" if request.GET.get("whole") else "year to date"), seat.period
        )
        assert window is not None  # every period has its year
        found = compare_scenarios(view, node.entities, window, one, other)
        pieces = cut.cut(len(found.rows))
        for piece in pieces:
            if piece.written:
                piece.rows = [_compared(frame, row, node.digits) for row in found.rows[piece.start : piece.stop]]
        part = cut.answer(request, "ledger/_scenario_rows.html", [ListInPieces(pieces=pieces)])
        if part is not None:
            return part
        total = ("sealed", "sealed", "sealed", window.title)
        if found.results is not None:
            a, b = found.results
            total = (grouped(a, node.digits), grouped(b, node.digits), grouped(b - a, node.digits), window.title)
    return ScenariosPage(
        seat=seat,
        frame=frame_of(seat, "ledger-scenarios"),
        listed=listed,
        one=one,
        other=other,
        pieces=pieces,
        here=cut.here,
        total=total,
        node=node,
        nodes=seat.nodes,
        whole=request.GET.get("whole"),
    ).answer(request)


def _compared(frame: Frame, row: tuple[int, int, int], money_digits: int) -> tuple[Item, str, str, str]:
    """An account with both its amounts and their difference, as text."""
    at, a, b = row
    item = frame.accounts.items[at]
    digits = QUANTITY_DIGITS if item.type == "statistical" else money_digits
    return item, grouped(a, digits), grouped(b, digits), grouped(b - a, digits)


@require_GET
def rates(request: HttpRequest) -> HttpResponse:
    """Average and closing rates by period and pair of currencies."""
    seat = seat_of(request)
    found = list(Rate.objects.filter(ledger=seat.ledger).order_by("-period", "source", "target"))
    pairs = sorted({(rate.source, rate.target) for rate in found})
    table: dict[int, dict[tuple[str, str], Rate]] = {}
    for rate in found:
        table.setdefault(rate.period, {})[rate.source, rate.target] = rate
    titles = {period_number(period.code): period.title for period in seat.view.frame.calendar.periods}
    rows = [
        (period_code(number), titles.get(number, ""), [row.get(pair) for pair in pairs])
        for number, row in table.items()
    ]
    return RatesPage(seat=seat, frame=frame_of(seat, "ledger-rates"), pairs=pairs, rows=rows).answer(request)


@dataclass(frozen=True, kw_only=True)
class RatesPage(LedgerPage):
    """By period (code, title) the rate of each pair of currencies."""

    html = "ledger/rates.html"
    pairs: Sequence[tuple[str, str]]
    rows: Sequence[tuple[str, str, Sequence[Rate | None]]]
