"""Pages of what looks wrong in a month: the findings, one of them with its entries, and the rules."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any
from urllib.parse import urlencode

from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from rulka.core.errors import RulkaError
from rulka.core.findings.finding import RULES, FindingRule, Tuned
from rulka.core.money import exact_text, grouped
from rulka.ledger import judging
from rulka.ledger.editing import editor_of
from rulka.ledger.pages.common import LedgerPage, frame_of, sees_whole
from rulka.ledger.pages.pieces import ListInPieces, ListPiece, ListPieces
from rulka.ledger.reading.entries import show_entry
from rulka.ledger.reading.suspects import Suspect, suspects, tuning_of
from rulka.ledger.seat import Seat, seat_of

MOST_ENTRIES = 8


@dataclass(frozen=True)
class ShownSuspect:
    """A finding as the list shows it."""

    one: Suspect
    rule: FindingRule
    amount: str
    query: str
    chosen: bool

    @property
    def sure(self) -> str:
        """How sure, in words."""
        sure = self.one.finding.sure
        return "almost certain" if sure >= 90 else "likely" if sure >= 60 else "perhaps"


@require_GET
def wrong(request: HttpRequest) -> HttpResponse:
    """What looks wrong in the reporting period."""
    return _page(request, seat_of(request))


@dataclass(frozen=True, kw_only=True)
class WrongPage(LedgerPage):
    """What looks wrong in a month: findings that stand, in pieces, those that were dismissed, the one that is chosen
    with its entries, and the rules; `empty` says why nothing could be looked for."""

    html = "ledger/wrong.html"
    pieces: Sequence[ListPiece]
    here: str
    dismissed: Sequence[ShownSuspect]
    chosen: ShownSuspect | None
    entries: Sequence[Any]
    rules: Sequence[tuple[FindingRule, Tuned, str, bool]]
    may_judge: bool
    may_tune: bool
    show_rules: bool
    reason: str
    empty: RulkaError | None


@dataclass(frozen=True, kw_only=True)
class WrongRows(ListInPieces):
    """Findings in pieces."""

    seat: Seat


def _page(request: HttpRequest, seat: Seat, *, problem: RulkaError | None = None, entered: Any = None) -> HttpResponse:
    given = entered or request.GET
    asked = (given.get("rule", ""), given.get("subject", ""))
    empty: RulkaError | None = None
    found: list[ShownSuspect] = []
    try:
        found = [_shown(one, asked) for one in suspects(seat.ledger, seat.view, seat.period)]
    except RulkaError as error:
        empty = error
    chosen = next((one for one in found if one.chosen), None)
    standing, cut = [one for one in found if one.one.stands], ListPieces(request, seat)
    pieces = cut.cut(len(standing), standing.index(chosen) if chosen in standing else -1)
    for piece in pieces:
        piece.rows = standing[piece.start : piece.stop]
    part = cut.answer(request, "ledger/_wrong_rows.html", [WrongRows(pieces=pieces, seat=seat)])
    if part is not None:
        return part
    return WrongPage(
        seat=seat,
        frame=frame_of(seat, "ledger-wrong"),
        problem=problem,
        pieces=pieces,
        here=cut.here,
        dismissed=[one for one in found if not one.one.stands],
        chosen=chosen,
        entries=_entries(seat, chosen) if chosen else [],
        rules=_rules(seat),
        may_judge=seat.person.may_explain and sees_whole(seat),
        may_tune=seat.person.may_change and sees_whole(seat),
        show_rules=bool(given.get("show_rules") or given.get("name")),
        reason=given.get("reason", ""),
        empty=empty,
    ).answer(request)


def _shown(one: Suspect, asked: tuple[str, str]) -> ShownSuspect:
    finding = one.finding
    name = (finding.rule, finding.subject)
    query = urlencode({"rule": finding.rule, "subject": finding.subject})
    return ShownSuspect(one, RULES[finding.rule], grouped(finding.amount, finding.digits), query, name == asked)


def _entries(seat: Seat, chosen: ShownSuspect) -> list[Any]:
    """The entries of a finding, as far as the person sees them."""
    names = chosen.one.finding.entries[:MOST_ENTRIES]
    return [show_entry(seat.ledger, seat.view, name.entity, name.number) for name in names]


def _rules(seat: Seat) -> list[tuple[FindingRule, Tuned, str, bool]]:
    """Every rule, how it is tuned, its smallest amount as text, and whether somebody tuned it."""
    tuning = tuning_of(seat.ledger)
    tuned = {rule.name: tuning.of(rule.name) for rule in RULES.values()}
    return [(rule, tuned[name], exact_text(tuned[name].least, 0), name in tuning.own) for name, rule in RULES.items()]


def _back(seat: Seat, **query: str) -> HttpResponse:
    return redirect(f"{reverse('ledger-wrong')}?{seat.query}&{urlencode(query)}")


@require_POST
def dismiss(request: HttpRequest) -> HttpResponse:
    """Say that a finding is no matter."""
    seat = seat_of(request)
    rule, subject = request.POST.get("rule", ""), request.POST.get("subject", "")
    try:
        editor = editor_of(seat.person, seat.ledger, seat.view)
        judging.dismiss(editor, seat.period, rule, subject, request.POST.get("reason", ""))
    except RulkaError as error:
        return _page(request, seat, problem=error, entered=request.POST)
    return _back(seat, rule=rule, subject=subject)


@require_POST
def restore(request: HttpRequest) -> HttpResponse:
    """Let a finding stand again."""
    seat = seat_of(request)
    rule, subject = request.POST.get("rule", ""), request.POST.get("subject", "")
    try:
        judging.restore(editor_of(seat.person, seat.ledger, seat.view), rule, subject)
    except RulkaError as error:
        return _page(request, seat, problem=error, entered=request.POST)
    return _back(seat, rule=rule, subject=subject)


@require_POST
def rules(request: HttpRequest) -> HttpResponse:
    """Tune a rule."""
    seat = seat_of(request)
    try:
        judging.tune(
            editor_of(seat.person, seat.ledger, seat.view),
            request.POST.get("name", ""),
            on=bool(request.POST.get("on")),
            least=request.POST.get("least", ""),
            degree=request.POST.get("degree", ""),
        )
    except RulkaError as error:
        return _page(request, seat, problem=error, entered=request.POST)
    return _back(seat, show_rules="yes")
