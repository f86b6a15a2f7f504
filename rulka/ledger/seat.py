"""Where a person sits: which ledger, behind which fence, at which reporting period and node.

Every page, fragment and download starts here; there is no other way from a request to figures.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import cached_property
from typing import Any
from urllib.parse import urlencode

import numpy as np
from django.http import HttpRequest

from rulka.core.books.book import View
from rulka.core.books.calendar import Period
from rulka.core.books.fence import DEPTHS, Fence
from rulka.core.compute.nodes import REST, WHOLE, find_node, first_node, nodes_of
from rulka.core.errors import NotFound, RulkaError, one_of
from rulka.ledger.feeds.asking import pull_on_opening
from rulka.ledger.models import Ledger
from rulka.ledger.reading.queries import view_of
from rulka.people.library.persons import Readers
from rulka.people.library.rights import accesses_of
from rulka.people.models import Person
from rulka.screen import Page
from rulka.work.services.backups import held_since
from rulka.work.services.waiting import aside

FIGURES, ACCOUNTS, ENTRIES = DEPTHS
_AT_FIGURES = {"periods", "find"}
_AT_ENTRIES = {
    "ledger-journal", "journal-export", "ledger-entry",
    "ledger-wrong", "dismiss-finding", "restore-finding", "finding-rules",
}  # fmt: skip
LimitsDepth = Callable[[Ledger, Person, str, Mapping[str, Any]], str]
_LIMITS: list[LimitsDepth] = []


def opens_at_figures(*names: str) -> None:
    """Register addresses that somebody may open who gets no deeper than figures; all others are closed to them."""
    _AT_FIGURES.update(names)


def limits_depth(limit: LimitsDepth) -> None:
    """Register what else limits how deep somebody gets at an address, such as the shelf on which its statement stands:
    it gets ledger, person, the address's route and arguments, and says the depth."""
    _LIMITS.append(limit)


def needs_depth(name: str) -> str:
    """How deep somebody has to get to open an address."""
    return FIGURES if name in _AT_FIGURES else ENTRIES if name in _AT_ENTRIES else ACCOUNTS


OPENING_LASTS = 3_600
"""Seconds after which somebody who comes back opens the ledger again."""


@dataclass(frozen=True)
class Seat:
    """One request's view of a ledger."""

    person: Person
    ledger: Ledger
    view: View
    period: Period
    node: str
    of: str = ""
    """A node of the statement's own scope, where it has one."""

    beside: str = ""
    """Nodes that stand beside it, their codes with commas between them."""

    @cached_property
    def query(self) -> str:
        """What an address has to carry to show the same figures."""
        own = {name: value for name, value in (("of", self.of), ("beside", self.beside)) if value}
        return urlencode({"ledger": self.ledger.code, "period": self.period.code, "node": self.node, **own})

    @cached_property
    def readers(self) -> Readers:
        """The people who may see the ledger."""
        return Readers(self.ledger.code)

    def stepped(self, by: int) -> Period | None:
        """The next or former period, adjusting ones too."""
        periods = self.view.frame.calendar.periods
        place = self.period.index + by
        return periods[place] if 0 <= place < len(periods) else None

    @property
    def nodes(self) -> list[tuple[str, str, str]]:
        """(code, name, why it can't be shown) of every node this person may ask for."""
        choices = []
        seen = self.view.visible_entities()
        named = [
            (item.code, item.name)
            for item, visible in zip(self.view.frame.entities.items, seen, strict=True)
            if visible
        ]
        alone = {node.code.removesuffix(REST): node for node in nodes_of(self.view) if node.code.endswith(REST)}
        named = [
            pair
            for code, name in named
            for pair in ((code, name), *(((alone[code].code, alone[code].name),) if code in alone else ()))
        ]
        if len(named) > 1:
            named.append((WHOLE, self.view.frame.name))
        for code, name in named:
            try:
                find_node(self.view, code)
                choices.append((code, name, ""))
            except RulkaError as error:
                choices.append((code, name, str(error)))
        return choices


@dataclass(frozen=True, kw_only=True)
class SeatedPage(Page):
    """A page about a ledger: who looks, from which seat, and `where` in the application it is."""

    where: str
    seat: Seat


def seat_of(request: HttpRequest) -> Seat:
    """Seat the signed-in person; what the address leaves open is what the session last had."""
    person = request.user
    assert isinstance(person, Person)
    accesses = {access.ledger.code: access for access in accesses_of(person)}
    if not accesses:
        raise NotFound("You have no ledger yet.", hint="Ask an administrator to give you one.", subject="ledger")
    asked = request.GET.get("ledger") or request.session.get("ledger", "")
    if asked not in accesses:
        if request.GET.get("ledger"):
            raise NotFound(f"Ledger '{asked}' does not exist.", hint=one_of(asked, accesses), subject="ledger")
        asked = next(iter(accesses))
    access = accesses[asked]
    opened = request.session.get("opened", {})
    if person.looked_by is None and not held_since() and time.time() - opened.get(asked, 0) > OPENING_LASTS:
        request.session["opened"] = {**opened, asked: time.time()}
        with aside("work"):
            pull_on_opening(asked)
    view = view_of(access.ledger, _deep(request, person, access.ledger, access.own_fence()))
    beside = ",".join(request.GET.getlist("besides")) or request.GET.get("beside", "")
    # a page that is refused for its period or node has the frame of one that could be shown
    fallback = Seat(
        person,
        access.ledger,
        view,
        _kept_period(request, view),
        _kept_node(request, view),
        request.GET.get("of", ""),
        beside,
    )
    request.seat = fallback  # type: ignore[attr-defined]
    period = _period(request, view)
    node = find_node_code(request, view)
    for name, value in (("ledger", asked), ("period", period.code), ("node", node)):
        if request.session.get(name) != value:
            request.session[name] = value
    seat = Seat(person, access.ledger, view, period, node, request.GET.get("of", ""), beside)
    request.seat = seat  # type: ignore[attr-defined]
    return seat


def _deep(request: HttpRequest, person: Person, ledger: Ledger, fence: Fence) -> Fence:
    """The fence, no deeper than the address lets its reader get; refused where the address lies deeper than they do."""
    match = request.resolver_match
    name, arguments = (match.url_name or "", match.kwargs) if match else ("", {})
    for limit in _LIMITS:
        fence = fence.down_to(limit(ledger, person, match.route if match else "", arguments))
    if DEPTHS.index(fence.depth) < DEPTHS.index(needs_depth(name)):
        raise RulkaError(
            f"You see {fence.depth} only.", hint="Ask an administrator if you need to get deeper.", code="depth"
        )
    return fence


def _period(request: HttpRequest, view: View) -> Period:
    if asked := request.GET.get("period"):
        return view.frame.calendar.period(asked)
    return _kept_period(request, view)


def _kept_period(request: HttpRequest, view: View) -> Period:
    """The session's period, else the last one with anything booked."""
    return view.frame.calendar.by_code.get(request.session.get("period", "")) or latest_period(view)


def latest_period(view: View) -> Period:
    """The last period with anything booked in the actuals, the first of the calendar in an empty ledger."""
    counts = view.balances("actual").counts
    moved = np.flatnonzero((counts[:, 1:] != counts[:, :-1]).any(axis=0))
    return view.frame.calendar.periods[int(moved[-1]) if len(moved) else 0]


def find_node_code(request: HttpRequest, view: View) -> str:
    """The node asked for, else the session's where it can be shown, else the first entity."""
    if asked := request.GET.get("node"):
        return find_node(view, asked).code
    return _kept_node(request, view)


def _kept_node(request: HttpRequest, view: View) -> str:
    try:
        return find_node(view, request.session.get("node", "")).code
    except RulkaError:
        return first_node(view).code
