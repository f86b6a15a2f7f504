"""What goes by itself: each rule is looked at from where it was looked at last, so that nothing is forgotten while no
worker was there; what came is written down before the look is, so that nothing comes twice."""

from __future__ import annotations

import logging
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date, datetime

from django.utils import timezone

from rulka.core.books.fence import NO_FENCE
from rulka.core.errors import RulkaError
from rulka.core.sending.dispatches import DispatchDef as Sent
from rulka.core.sending.occasions import (
    SendingRule,
    WorkDays,
    due,
    due_by_clock,
    happened,
    load_is_large,
    moment_after_close,
    next_moment,
)
from rulka.dispatch.library.days import days_of
from rulka.dispatch.library.storing import body_of, is_theirs, read
from rulka.dispatch.models import Dispatch, Looked, Sending
from rulka.dispatch.running.delivering import ask, could_not, something_waits
from rulka.dispatch.running.tasks import call
from rulka.ledger.models import Ledger
from rulka.ledger.reading.closing import closed_since
from rulka.ledger.reading.history import revisions_since, turnover_of
from rulka.ledger.reading.queries import calendar_of, view_of
from rulka.ledger.seat import latest_period
from rulka.statements.output.editions import kept_since
from rulka.work.services.backups import held_since

logger = logging.getLogger("rulka.dispatch")


@dataclass(frozen=True)
class Came:
    """Something that came by a rule: when, for which period, and what names it."""

    moment: datetime
    period: str
    occasion: str


def look(now: datetime | None = None) -> int:
    """Look at the rules of all dispatches, and have the worker send what came; how many occasions that were."""
    if held_since():
        return 0
    at, found = now or timezone.now(), 0
    for dispatch in Dispatch.objects.select_related("ledger", "owner"):
        try:
            found += _look_at(dispatch, at)
        except RulkaError as error:  # one that can't be read keeps no other from its turn
            logger.warning("dispatch %s of %s: %s", dispatch.name, dispatch.ledger.code, error)
    if something_waits():
        call()
    return found


def _look_at(dispatch: Dispatch, now: datetime) -> int:
    rules = read(dispatch.body).when
    if not rules or not is_theirs(dispatch, dispatch.owner):
        return 0
    work, found = days_of(dispatch.ledger), 0
    sent = read(body_of(dispatch))
    for rule in rules:
        looked, new = Looked.objects.get_or_create(
            ledger=dispatch.ledger.code, dispatch=dispatch.name, rule=rule.text, defaults={"until": now}
        )
        if new or looked.until >= now:
            continue
        for came, state, late in came_of(rule, dispatch.ledger, sent, work, looked.until, now):
            found += _written(dispatch, came, state, late=late)
        Looked.objects.filter(pk=looked.pk, until=looked.until).update(until=now)
    return found


def _written(dispatch: Dispatch, came: Came, state: str, *, late: bool) -> int:
    """Write down an occasion; one that is written down already came to another worker."""
    if Sending.objects.filter(ledger=dispatch.ledger.code, dispatch=dispatch.name, occasion=came.occasion).exists():
        return 0
    try:
        ask(dispatch, came.period, came.occasion, person=dispatch.owner, state=state, due=came.moment, late=late)
    except RulkaError as error:
        could_not(dispatch, came.period, came.occasion, str(error), came.moment)
    return 1


def came_of(
    rule: SendingRule, ledger: Ledger, sent: Sent, work: WorkDays, since: datetime, now: datetime
) -> list[tuple[Came, str, bool]]:
    """What came by a rule between two moments, each with the state it is written down in, and whether it is late."""
    if rule.goes_by_clock:
        told = due_by_clock(rule, work, since, now)
        named = {
            moment: _by_clock(ledger, work, moment) for moment in (*told.waits, *([told.goes] if told.goes else []))
        }
    elif rule.kind == "after close":
        named = {came.moment: came for came in _closings(rule, ledger, work) if since < came.moment <= now}
        told = due(sorted(named), now)
    else:
        events = _editions(ledger, sent, since) if rule.kind == "edition" else _loads(rule, ledger, since)
        named = {came.moment: came for came in events}
        told = happened(sorted(named), now)
    goes = [
        (named[moment], Sending.State.ASKED.value, told.late)
        for moment in (*told.several, *([told.goes] if told.goes else []))
    ]
    return goes + [(named[moment], Sending.State.WAITS.value, True) for moment in told.waits]


def _by_clock(ledger: Ledger, work: WorkDays, moment: datetime) -> Came:
    local = moment.astimezone(work.zone)
    return Came(moment, period_before(ledger, local.date()), f"{local:%Y-%m-%d %H:%M}")


def period_before(ledger: Ledger, day: date) -> str:
    """The last period that had ended on a day, but for adjusting ones; the first of the calendar before any had."""
    periods = [one for one in calendar_of(ledger).periods if not one.adjusting]
    ended = [one for one in periods if one.end < day]
    return (ended[-1] if ended else periods[0]).code


def _closings(rule: SendingRule, ledger: Ledger, work: WorkDays) -> Iterable[Came]:
    """Each period that is closed now, and when what comes after it is."""
    for period, last in closed_since(ledger, rule.entity):
        occasion = f"{period}, closed {last.astimezone(work.zone):%Y-%m-%d %H:%M:%S}"
        yield Came(moment_after_close(rule, work, last), period, occasion)


def _editions(ledger: Ledger, sent: Sent, since: datetime) -> Iterable[Came]:
    names = [thing.name for thing in sent.things if thing.kind == "statement"]
    kept = kept_since(ledger, names, since)
    return [Came(one.at, one.period, f"edition {one.pk}, {one.name}"[:80]) for one in kept]


def _loads(rule: SendingRule, ledger: Ledger, since: datetime) -> Iterable[Came]:
    found = []
    for number, at in revisions_since(ledger, since):
        if any(load_is_large(rule, amount) for amount in turnover_of(ledger, number).values()):
            period = latest_period(view_of(ledger, NO_FENCE)).code
            found.append(Came(at, period, f"revision {number}"))
    return found


def comes_next(dispatch: Dispatch, now: datetime | None = None) -> list[tuple[SendingRule, datetime | None]]:
    """The rules of a dispatch, each with the moment at which it comes next where the clock says that."""
    at, work = now or timezone.now(), days_of(dispatch.ledger)
    return [(rule, next_moment(rule, work, at) if rule.goes_by_clock else None) for rule in read(dispatch.body).when]
