"""Pages of what a ledger holds: overview, accounts, members, scenarios, rates."""

from __future__ import annotations

from fractions import Fraction
from typing import Any

from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.utils.http import url_has_allowed_host_and_scheme, urlencode
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from rulka.core.books.calendar import Period, period_code, period_number
from rulka.core.books.chart import TYPES, CodeList
from rulka.core.books.overview import account_use, compare_scenarios, held_by_period, lines_by_member, spark_points
from rulka.core.compute.nodes import find_node
from rulka.core.definitions.windows import read_window, window_at
from rulka.core.errors import NotFound, RulkaError
from rulka.core.money import QUANTITY_DIGITS, grouped, round_half_away
from rulka.core.values import key_in
from rulka.ledger import editing
from rulka.ledger.editing import editor_of
from rulka.ledger.models import ClosedPeriod, Rate
from rulka.ledger.pages.common import money, page, sees_whole
from rulka.ledger.pages.forms import AccountForm, MemberForm, PeriodForm, taken
from rulka.ledger.placement import placements
from rulka.ledger.reading.queries import budget_counts
from rulka.ledger.seat import Seat, seat_of
from rulka.people.library.rights import accesses_of

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
    context = {
        "seat": seat,
        "years": sorted(years.items(), reverse=True),
        "to": to,
        "kept": kept.urlencode(),
        "fields": kept.items(),
        "typed": typed,
        "more": len(found) - len(near),
        "where": "ledger",
        "problem": problem,
    }
    template = "ledger/_periods.html" if request.headers.get("HX-Request") else "ledger/periods.html"
    return render(request, template, context, status=422 if problem else 200)


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
    closed = set(closings.standing().values_list("entity__code", "period"))
    of_period = closings.filter(period=period_number(seat.period.code))
    seen = {
        item.code for item, inside in zip(frame.entities.items, seat.view.visible_entities(), strict=True) if inside
    }
    rows = []
    for at, entity in enumerate(frame.entities.items):
        if not seat.view.visible_entities()[at]:
            continue
        cells = []
        for period in periods:
            one = held[at][period.index]
            off = money(one.debit - one.credit, int(frame.digits[at])) if whole and not one.ties else ""
            total = grouped(round_half_away(Fraction(one.debit, 10 ** int(frame.digits[at])), 0), 0)
            cells.append(
                {
                    "period": period,
                    "held": one,
                    "total": total,
                    "closed": (entity.code, period_number(period.code)) in closed,
                    "off": off,
                }
            )
        lines = [held[at][period.index].lines for period in periods]
        rows.append({"entity": entity, "currency": frame.currencies[at], "cells": cells, "lines": sum(lines)})
    entities = {entity.code: entity.calendar for entity in seat.ledger.entities.all()}
    context = {
        "year": year,
        "years": frame.calendar.years,
        "periods": periods,
        "rows": rows,
        "whole": whole,
        "show": "debits" if request.GET.get("show") == "debits" else "lines",
        "ties": all(one.ties for row in held for one in row),
        "calendars": entities if seat.ledger.calendars else {},
        "choices": list(seat.ledger.calendars),
        "closings": [one for one in of_period if one.entity.code in seen][:20],
        "ledgers": [access.ledger for access in accesses_of(seat.person)],
        "totals": {
            "accounts": int(seat.view.visible_accounts().sum()),
            "lines": sum(one.lines for row in held for one in row),
            "pending": sum(one.pending for row in held for one in row),
        },
    }
    return page(request, seat, "ledger", "ledger/overview.html", context)


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
    problem, entered = None, None
    if request.method == "POST":
        entered = request.POST.dict()
        try:
            editor = editor_of(seat.person, seat.ledger, seat.view)
            editing.change_account(editor, code, taken(AccountForm(request.POST)))
            return redirect(f"{reverse('ledger-accounts')}?{_kept(request)}")
        except RulkaError as error:
            problem = error
    return page(
        request,
        seat,
        "ledger-accounts",
        "ledger/accounts.html",
        _accounts(request, seat, code) | {"problem": problem, "entered": entered},
        status=422 if problem else 200,
    )


def _kept(request: HttpRequest) -> str:
    return request.GET.urlencode()


def _accounts(request: HttpRequest, seat: Seat, code: str) -> dict[str, Any]:
    view, frame = seat.view, seat.view.frame
    node = find_node(view, seat.node)
    uses = account_use(view, node.entities, seat.period.index)
    placed = placements(seat.ledger, view, seat.person)
    seen = view.visible_accounts()
    search, of_type = request.GET.get("search", "").strip().lower(), request.GET.get("type", "")
    unused = request.GET.get("unused") == "1"
    rows: list[dict[str, Any]] = []
    for at, depth in _indented(frame.accounts):
        item, use = frame.accounts.items[at], uses[at]
        if (
            not seen[at]
            or (search and search not in f"{item.code} {item.name} {item.category}".lower())
            or (of_type and item.type != of_type)
        ):
            continue
        if use.first is not None and unused:
            continue
        digits = QUANTITY_DIGITS if item.type == "statistical" else node.digits
        rows.append(
            {
                "item": item,
                "depth": 0 if search or of_type else min(depth, 4),
                "balance": "sealed" if view.withheld[at] else money(use.balances[-1], digits),
                "points": spark_points(use.balances),
                "lines": use.lines,
                "first": frame.calendar.periods[use.first].code if use.first is not None else "",
                "last": frame.calendar.periods[use.last].code if use.last is not None else "",
                "placed": placed.get(item.code, []),
                "sealed": bool(view.sealed[at]),
                "negative": use.balances[-1] < 0,
            }
        )
    if code and (code not in frame.accounts.index or not seen[frame.accounts.index[code]]):
        raise NotFound(f"Account '{code}' does not exist.", subject="account")
    chosen = next((row for row in rows if row["item"].code == code), None)
    if code and chosen is None:
        chosen = {
            "item": frame.accounts[code],
            "placed": placed.get(code, []),
            "lines": uses[frame.accounts.index[code]].lines,
        }
    return {
        "rows": rows,
        "chosen": chosen,
        "types": TYPES,
        "node": node,
        "nodes": seat.nodes,
        "search": request.GET.get("search", ""),
        "of_type": of_type,
        "unused": unused,
        "categories": sorted(
            {item.category for item, inside in zip(frame.accounts.items, seen, strict=True) if inside and item.category}
        ),
    }


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
    return page(
        request,
        seat,
        "ledger-members",
        "ledger/members.html",
        {"shown": shown, "chosen": chosen, "dimension": dimension, "problem": problem},
        status=422 if problem else 200,
    )


@require_GET
def scenarios(request: HttpRequest) -> HttpResponse:
    """Scenarios with what they hold, and two of them compared account by account."""
    seat = seat_of(request)
    view, frame = seat.view, seat.view.frame
    node = find_node(view, seat.node)
    counts = budget_counts(seat.ledger, view)
    listed = [(scenario, counts.get(scenario.code)) for scenario in seat.ledger.scenarios.order_by("pk")]
    one, other = request.GET.get("one", ""), request.GET.get("other", "")
    rows, total = [], None
    if one and other:
        window = window_at(
            frame.calendar, read_window("year" if request.GET.get("whole") else "year to date"), seat.period
        )
        assert window is not None  # every period has its year
        found = compare_scenarios(view, node.entities, window, one, other)
        for at, a, b in found.rows:
            item = frame.accounts.items[at]
            digits = QUANTITY_DIGITS if item.type == "statistical" else node.digits
            rows.append((item, grouped(a, digits), grouped(b, digits), grouped(b - a, digits)))
        total = ("sealed", "sealed", "sealed", window.title)
        if found.results is not None:
            a, b = found.results
            total = (grouped(a, node.digits), grouped(b, node.digits), grouped(b - a, node.digits), window.title)
    context = {
        "listed": listed,
        "one": one,
        "other": other,
        "rows": rows,
        "total": total,
        "node": node,
        "nodes": seat.nodes,
        "whole": request.GET.get("whole"),
    }
    return page(request, seat, "ledger-scenarios", "ledger/scenarios.html", context)


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
    return page(request, seat, "ledger-rates", "ledger/rates.html", {"pairs": pairs, "rows": rows})
