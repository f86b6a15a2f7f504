"""Books by a calendar that entities name for themselves: the same lines, put into other periods by their dates."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date

import numpy as np

from rulka.core.books.calendar import FiscalCalendar, Period
from rulka.core.books.chart import BoolArray, IntArray
from rulka.core.books.frame import Frame, Keys, Movements
from rulka.core.books.journal import EntryLine, Grouped, Historical, JournalReader, LinesAsked, LineSums, Texts
from rulka.core.errors import NotFound, RulkaError, one_of


def own_period(calendar: FiscalCalendar, of_group: Period, day: date) -> Period:
    """The period of another calendar that a line falls into: by its date, an adjusting one into the same year's first
    adjusting period."""
    period = calendar.on(day)
    if period is None:
        raise RulkaError(
            f"{day} lies outside the entity's own calendar.", hint="Make that calendar longer.", subject="calendar"
        )
    if of_group.adjusting:
        own = [one for one in calendar.of_year(period.year) if one.adjusting]
        if own:
            return own[0]
    return period


def first_day(calendar: FiscalCalendar, wanted: Sequence[Period]) -> date:
    """Where periods of a calendar begin; an adjusting one takes lines of all of its year."""
    return min(calendar.of_year(period.year)[0].start if period.adjusting else period.start for period in wanted)


def last_day(calendar: FiscalCalendar, wanted: Sequence[Period]) -> date:
    """Where periods of a calendar end, as they begin."""
    return max(calendar.of_year(period.year)[-1].end if period.adjusting else period.end for period in wanted)


def periods_of_group(
    group: FiscalCalendar, own: FiscalCalendar, wanted: Sequence[Period], *, whole: bool
) -> list[Period]:
    """The group's periods whose lines may stand in some periods of another calendar; their days decide further.

    Lines of adjusting periods stand in the other calendar's adjusting ones where it has any, else by their dates.
    """
    start, end = first_day(own, wanted), last_day(own, wanted)
    reached = [period for period in group.periods if period.end >= start and period.start <= end]
    has_adjusting = any(period.adjusting for at in wanted for period in own.of_year(at.year))
    if not whole:
        return [period for period in reached if not period.adjusting]
    if not has_adjusting:
        return reached
    kinds = {period.adjusting for period in wanted}
    return [period for period in reached if period.adjusting in kinds]


@dataclass(frozen=True)
class OwnBooks:
    """Books by another calendar: the frame with its periods, movements by scenario, and a journal read by it."""

    frame: Frame
    movements: Mapping[str, Movements]
    journal: JournalReader


def in_calendar(
    name: str, frame: Frame, keys: Keys, movements: Callable[[str], Movements], journal: JournalReader
) -> OwnBooks:
    """The books of the entities that name a calendar, in its periods; posting keys stand where they stood, others hold
    nothing.

    A budget's period has no days of its own: it falls where its last day does.
    """
    if name not in frame.calendars:
        raise NotFound(f"Calendar '{name}' does not exist.", hint=one_of(name, frame.calendars), subject="calendar")
    calendar, group = frame.calendars[name], frame.calendar.periods
    names_it = np.array([own == name for own in frame.entity_calendars], dtype=bool)
    read = _Journal(journal, frame.calendar, calendar, names_it[keys.entity])
    placed = {"actual": read.grouped((), 0, len(calendar.periods) - 1).movements}
    for scenario in frame.scenarios:
        if scenario != "actual":
            planned = movements(scenario)
            planned = planned.only(names_it[keys.entity[planned.key]])
            own = [own_period(calendar, group[place], group[place].end).index for place in planned.period.tolist()]
            placed[scenario] = replace(planned, period=np.array(own, dtype=np.int64))
    return OwnBooks(replace(frame, calendar=calendar, calendars={}), placed, read)


class _Journal:
    """A journal read by another calendar, of the posting keys that are kept by it."""

    def __init__(self, journal: JournalReader, group: FiscalCalendar, own: FiscalCalendar, keys: BoolArray) -> None:
        self.journal, self.group, self.own, self.keys = journal, group, own, keys

    def grouped(self, fields: tuple[str, ...], first: int, last: int) -> Grouped:
        whole = self.journal.grouped(tuple(sorted({*fields, "day"})), 0, len(self.group.periods) - 1)
        moved, kept = whole.movements, self.keys[whole.movements.key]
        days = [date.fromisoformat(text) for text in whole.labels["day"]]
        pairs = np.unique(np.stack([moved.period[kept], whole.codes["day"][kept]], axis=1), axis=0)
        table = np.full((len(self.group.periods), max(len(days), 1)), -1, dtype=np.int64)
        for period, day in pairs.tolist():
            table[period, day] = own_period(self.own, self.group.periods[period], days[day]).index
        own = table[moved.period, whole.codes["day"]] if len(moved.key) else moved.period
        chosen = kept & (own >= first) & (own <= last)
        codes = {name: whole.codes[name][chosen] for name in fields}
        return Grouped(replace(moved, period=own).only(chosen), codes, whole.labels, whole.names)

    def lines(self, keys: IntArray, first: int, last: int, most: int, texts: Texts = ()) -> Sequence[EntryLine]:
        reached = [
            period.index
            for period in periods_of_group(self.group, self.own, self.own.periods[first : last + 1], whole=True)
        ]
        if not reached:
            return []
        found = []
        for line in self.journal.lines(keys, min(reached), max(reached), most, texts):
            own = own_period(self.own, self.group.periods[line.period], line.day)
            if first <= own.index <= last:
                found.append(replace(line, period=own.index))
        return found

    def sums(self, asked: LinesAsked, fields: tuple[str, ...], *, by_key: bool) -> LineSums:
        """Sums of lines whose days fall into periods of this calendar; always by key, since days are told apart."""
        keys = asked.keys[self.keys[asked.keys]]
        pieces, wanted, whole = [], set(), asked.start is None
        for effect, periods in asked.pieces:
            wanted |= {(effect, period) for period in periods}
            reached = {
                of_group.index
                for period in periods
                for of_group in periods_of_group(self.group, self.own, [self.own.periods[period]], whole=whole)
            }
            pieces.append((effect, tuple(sorted(reached))))
        of_days = self.journal.sums(
            replace(asked, keys=keys, pieces=tuple(pieces)), tuple(sorted({*fields, "day"})), by_key=True
        )
        period = np.array(
            [
                own_period(self.own, self.group.periods[number], date.fromisoformat(day)).index
                for number, day in zip(of_days.period.tolist(), of_days.texts["day"], strict=True)
            ],
            dtype=np.int64,
        )
        pairs = zip(of_days.effect.tolist(), period.tolist(), strict=True)
        inside = [row for row, pair in enumerate(pairs) if pair in wanted]
        chosen = np.array(inside, dtype=np.int64)
        return LineSums(
            of_days.key[chosen],
            period[chosen],
            of_days.effect[chosen],
            of_days.debit[chosen],
            of_days.credit[chosen],
            of_days.count[chosen],
            {name: [texts[row] for row in inside] for name, texts in of_days.texts.items()},
            of_days.names,
        )

    def historical(self) -> Historical:
        raise RulkaError(
            "Books by a calendar of their own aren't translated.", hint="Use the group's calendar.", subject="calendar"
        )
