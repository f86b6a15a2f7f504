"""When something goes by itself: rules in words, the days they mean, and what is due after a while without anybody.

Days are those of one time zone, that of the ledger; moments are in UTC. Working days are the weekdays that aren't
holidays.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, replace
from datetime import UTC, date, datetime, time, timedelta
from decimal import Decimal
from typing import Literal
from zoneinfo import ZoneInfo

from rulka.core.errors import RulkaError, one_of

WEEKDAYS = ("monday", "tuesday", "wednesday", "thursday", "friday", "saturday", "sunday")
FREE = (5, 6)
"""Weekdays without work."""

MOST_WORKING_DAYS = 15
MOST_DAYS_LOOKED = 800
"""Days that are looked through for the next one: more than two years, so that a rule that never comes is told."""

HOW = (
    "once 2026-11-06 at 08:00",
    "each week on monday at 08:00",
    "each month on day 31 at 08:00",
    "each month on working day 3 at 08:00",
    "3 working days after close at 08:00",
    "3 working days after close of TF at 08:00",
    "when an edition is kept",
    "when a load changes more than 10000",
)
"""Every kind of rule, as it is written."""

Kind = Literal["once", "week", "month day", "working day", "after close", "edition", "load"]
CLOCK = r" at (?P<hour>[0-9]{1,2}):(?P<minute>[0-9]{2})"
PATTERNS: tuple[tuple[Kind, re.Pattern[str]], ...] = (
    ("once", re.compile(r"(?i)once (?P<day>[0-9]{4}-[0-9]{2}-[0-9]{2})" + CLOCK)),
    ("week", re.compile(r"(?i)each week on (?P<weekday>[a-z]+)" + CLOCK)),
    ("month day", re.compile(r"(?i)each month on day (?P<number>[0-9]{1,2})" + CLOCK)),
    ("working day", re.compile(r"(?i)each month on working day (?P<number>[0-9]{1,2})" + CLOCK)),
    (
        "after close",
        re.compile(r"(?i)(?P<number>[0-9]{1,2}) working days? after close( of (?P<entity>[^ ]{1,40}))?" + CLOCK),
    ),
    ("edition", re.compile(r"(?i)when an edition is kept")),
    ("load", re.compile(r"(?i)when a load changes more than (?P<amount>[0-9]+(\.[0-9]+)?)")),
)


@dataclass(frozen=True)
class SendingRule:
    """One rule: its kind, and of day, weekday, number, clock and amount what the kind has."""

    kind: Kind
    clock: time | None = None
    day: date | None = None
    weekday: int = 0
    number: int = 0
    amount: Decimal = Decimal(0)
    entity: str = ""
    """Whose close it waits for; that of all entities where it is empty."""

    @property
    def goes_by_clock(self) -> bool:
        """Whether it comes by itself, without anything that happens before."""
        return self.kind in ("once", "week", "month day", "working day")

    @property
    def text(self) -> str:
        """The rule as it is written."""
        clock = f" at {self.clock:%H:%M}" if self.clock else ""
        of = f" of {self.entity}" if self.entity else ""
        days = "day" if self.number == 1 else "days"
        return {
            "once": f"once {self.day}{clock}",
            "week": f"each week on {WEEKDAYS[self.weekday]}{clock}",
            "month day": f"each month on day {self.number}{clock}",
            "working day": f"each month on working day {self.number}{clock}",
            "after close": f"{self.number} working {days} after close{of}{clock}",
            "edition": "when an edition is kept",
            "load": f"when a load changes more than {self.amount:f}",
        }[self.kind]


def rule_from(written: str) -> SendingRule:
    """A rule from its words; raises RulkaError with how they are written."""
    text = " ".join(written.split())
    for kind, pattern in PATTERNS:
        if found := pattern.fullmatch(text):
            return _rule(kind, found.groupdict())
    raise RulkaError(f"'{written[:80]}' says no occasion.", hint=f"Write it as one of: {'; '.join(HOW)}.",
                     subject="when")  # fmt: skip


def _rule(kind: Kind, said: dict[str, str]) -> SendingRule:
    rule = SendingRule(kind, entity=said.get("entity") or "")
    if "hour" in said:
        hour, minute = int(said["hour"]), int(said["minute"])
        if hour > 23 or minute > 59:
            raise RulkaError(f"There is no time {hour}:{minute:02d}.", hint="Write 00:00 to 23:59.", subject="when")
        rule = replace(rule, clock=time(hour, minute))
    if "day" in said:
        try:
            rule = replace(rule, day=date.fromisoformat(said["day"]))
        except ValueError:
            raise RulkaError(f"There is no day {said['day']}.", hint="Write it as 2026-11-06.",
                             subject="when") from None  # fmt: skip
    if "weekday" in said:
        said["weekday"] = said["weekday"].casefold()
        if said["weekday"] not in WEEKDAYS:
            raise RulkaError(f"'{said['weekday'][:20]}' is no day of the week.",
                             hint=one_of(said["weekday"], WEEKDAYS), subject="when")  # fmt: skip
        rule = replace(rule, weekday=WEEKDAYS.index(said["weekday"]))
    if "number" in said:
        most = 31 if kind == "month day" else MOST_WORKING_DAYS
        number = int(said["number"])
        if not 1 <= number <= most:
            raise RulkaError(f"{number} is out of range.", hint=f"Write 1 to {most}.", subject="when")
        rule = replace(rule, number=number)
    return replace(rule, amount=Decimal(said["amount"])) if "amount" in said else rule


# days ---------------------------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class WorkDays:
    """The time zone of a ledger and its holidays; `names` says what they are."""

    zone: ZoneInfo
    holidays: frozenset[date] = frozenset()

    def works(self, day: date) -> bool:
        """Whether a day is one to work on."""
        return day.weekday() not in FREE and day not in self.holidays

    def after(self, day: date, count: int) -> date:
        """The working day that comes so many working days after a day; the first one from it on for 0."""
        while count or not self.works(day):
            day += timedelta(days=1)
            if count and self.works(day):
                count -= 1
        return day

    def of_month(self, year: int, month: int, number: int) -> date | None:
        """The working day of that number in a month; None where the month has none."""
        day = date(year, month, 1)
        while day.month == month:
            number -= 1 if self.works(day) else 0
            if not number:
                return day
            day += timedelta(days=1)
        return None

    def moment(self, day: date, clock: time) -> datetime:
        """The moment, in UTC, that a clock on the wall shows on a day. An hour that a clock skips is the same time
        after the gap; of an hour that it repeats it is the first one."""
        return datetime.combine(day, clock, tzinfo=self.zone).astimezone(UTC)

    def today(self, now: datetime) -> date:
        """The day that it is where the ledger is."""
        return now.astimezone(self.zone).date()


def days_of(rule: SendingRule, work: WorkDays, first: date) -> Iterator[date]:
    """The days from one on, that day too, on which a rule that goes by the clock comes. In a month without its day it
    comes on the last one; on a day without work it comes on the next one with."""
    if rule.kind == "once":
        if rule.day is not None and rule.day >= first:
            yield rule.day
        return
    day, found = first - timedelta(days=40), set[date]()
    for _ in range(MOST_DAYS_LOOKED):  # what was put off from a day before may come now
        meant = _meant(rule, work, day)
        if meant is not None and meant >= first and meant not in found:
            found.add(meant)
            yield meant
        day += timedelta(days=1)


def _meant(rule: SendingRule, work: WorkDays, day: date) -> date | None:
    """The day on which a rule comes because of a day of the calendar; None where it says nothing about that one."""
    if rule.kind == "week":
        return work.after(day, 0) if day.weekday() == rule.weekday else None
    if rule.kind == "month day":
        is_last = (day + timedelta(days=1)).month != day.month
        hit = day.day == rule.number or (is_last and day.day < rule.number)
        return work.after(day, 0) if hit else None
    return day if work.of_month(day.year, day.month, rule.number) == day else None


def next_moment(rule: SendingRule, work: WorkDays, after: datetime) -> datetime | None:
    """The first moment of a rule that goes by the clock after another one; None where it never comes again."""
    return next(_moments(rule, work, after), None)


def _moments(rule: SendingRule, work: WorkDays, after: datetime) -> Iterator[datetime]:
    clock = rule.clock or time(0)
    for day in days_of(rule, work, work.today(after) - timedelta(days=1)):
        moment = work.moment(day, clock)
        if moment > after:
            yield moment


def moment_after_close(rule: SendingRule, work: WorkDays, closed: datetime) -> datetime:
    """When a rule after the close comes, for a period closed at a moment: never before it was closed."""
    moment = work.moment(work.after(work.today(closed), rule.number), rule.clock or time(0))
    return max(moment, closed)


# after a while without anybody --------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Due:
    """What is to be done now: the occasion that goes, `late` where it should have gone before; or, where several were
    missed, those that wait for a person."""

    goes: datetime | None = None
    late: bool = False
    waits: tuple[datetime, ...] = ()
    several: tuple[datetime, ...] = ()
    """Those that all go."""

    @property
    def going(self) -> tuple[datetime, ...]:
        """All that goes."""
        return (*self.several, *((self.goes,) if self.goes else ()))


PROMPT = timedelta(minutes=15)
"""How long after its moment an occasion isn't late yet."""

MOST_MISSED = 100


def happened(moments: Iterable[datetime], now: datetime) -> Due:
    """The same of what happens without a clock, such as a load: what is prompt goes however much it is, and what was
    missed waits where there are several."""
    passed = [moment for moment in moments if moment <= now][:MOST_MISSED]
    late = [moment for moment in passed if now - moment > PROMPT]
    if len(late) > 1:
        return Due(waits=tuple(passed))
    return Due(several=tuple(passed), late=bool(late))


def due(moments: Iterable[datetime], now: datetime) -> Due:
    """Of the moments since the last time anybody looked, in order: the one that goes now, or those that were missed and
    wait for a person."""
    passed: list[datetime] = []
    for moment in moments:
        if moment > now or len(passed) >= MOST_MISSED:
            break
        passed.append(moment)
    if not passed:
        return Due()
    if len(passed) == 1:
        return Due(passed[0], late=now - passed[0] > PROMPT)
    return Due(waits=tuple(passed))


def due_by_clock(rule: SendingRule, work: WorkDays, since: datetime, now: datetime) -> Due:
    """What of a rule that goes by the clock is due now, if nobody has looked since a moment."""
    return due(_moments(rule, work, since), now)


# amounts ------------------------------------------------------------------------------------------------------------


def load_is_large(rule: SendingRule, changed: Decimal) -> bool:
    """Whether a load that changed so much of an entity, in its currency, is more than a rule says."""
    return abs(changed) > rule.amount
