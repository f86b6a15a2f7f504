"""Rules over entries: booked twice, posted into the past, round amounts and unusual days."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from datetime import date, timedelta
from itertools import pairwise

import numpy as np

from rulka.core.books.frame import ACTIVITY, STATUS_CHOICES
from rulka.core.books.journal import EntryLine, LinesAsked
from rulka.core.findings.evidence import MOST_LINES, Evidence
from rulka.core.findings.finding import Finding

FAR = 31
"""Days outside of its period that an entry's day may lie at most."""

ROUND = 1_000
"""What a round amount is a multiple of, in major units."""

FEW = 30
"""Entries that a source must have in the month before a round amount of it is unusual."""

MONTHS = 6
MANY_WEEKENDS = 4
"""Weekend days of the month on which a source booked, from which on they are nothing unusual."""

FEW_DAYS = 60
"""Days of so many months on which a source must have booked before a weekend of it is unusual."""

SATURDAY = 5


def _code(evidence: Evidence, line: EntryLine) -> str:
    return evidence.view.frame.accounts.items[int(evidence.view.keys.account[line.key])].code


def twice(evidence: Evidence) -> Iterator[Finding]:
    """The same thing in two entries: of this month, or of this one and one of the three before."""
    days = evidence.tuning.of("twice").degree
    own = [line for line in evidence.lines if line.counterparty and line.effect == ACTIVITY]
    if not own:
        return
    groups: dict[tuple[object, ...], list[EntryLine]] = {}
    for line in [*own, *_lately(evidence, own)]:
        groups.setdefault((line.entity, _code(evidence, line), line.counterparty, line.debit + line.credit), []).append(
            line
        )
    for alike in groups.values():
        for same, sure in _same(alike, days):
            if any(line.period == evidence.at for line in same):
                yield _twice(evidence, same, sure)


def _lately(evidence: Evidence, own: Sequence[EntryLine]) -> Sequence[EntryLine]:
    """Lines of the three months before on the same posting keys, of the same counterparties."""
    if not evidence.before:
        return ()
    keys = np.array(sorted({line.key for line in own}), dtype=np.int64)
    parties = tuple(sorted({line.counterparty for line in own}))
    found = evidence.view.lines(
        keys, evidence.before[:3][-1], evidence.before[0], MOST_LINES, (("counterparty", parties),)
    )
    return [line for line in found if line.effect == ACTIVITY]


def _same(alike: Sequence[EntryLine], days: int) -> Iterator[tuple[list[EntryLine], int]]:
    """Lines of one account, counterparty and amount that are the same thing, and how sure."""
    by_document: dict[str, list[EntryLine]] = {}
    for line in alike:
        by_document.setdefault(line.document, []).append(line)
    for document, lines in by_document.items():
        if document and (same := _not_taken_back(lines)):
            yield same, 95
    bare = _not_taken_back(by_document.get("", []))
    entries = sorted({(line.day, line.number) for line in bare})
    close = [day for (day, _), (next_day, _) in pairwise(entries) if next_day - day <= timedelta(days)]
    if close and len(entries) == 2:  # what comes again and again is no mistake
        yield bare, 50


def _not_taken_back(lines: Sequence[EntryLine]) -> list[EntryLine]:
    """The lines of the side that more entries stand on, where it has two more than the other; else none."""
    debit = [line for line in lines if line.debit]
    credit = [line for line in lines if line.credit]
    more, fewer = (debit, credit) if len(debit) >= len(credit) else (credit, debit)
    entries = {line.number for line in more}
    return more if len(entries) > 1 and len(entries) - len({line.number for line in fewer}) > 1 else []


def _twice(evidence: Evidence, lines: Sequence[EntryLine], sure: int) -> Finding:
    frame = evidence.view.frame
    line = lines[0]
    amount, code = line.debit + line.credit, _code(evidence, line)
    entity = frame.entities.items[line.entity].code
    numbers = sorted({one.number for one in lines})
    what = f"document {line.document}" if line.document else "no document"
    return Finding(
        "twice",
        f"{entity} {code} {' '.join(numbers)}"[:200],
        f"{line.counterparty}, {what}, booked {len(numbers)} times",
        f"The same amount on {code} in entries {', '.join(numbers[:4])}.",
        amount * (len(numbers) - 1),
        frame.currencies[line.entity],
        evidence.digits(line.entity),
        sure,
        entity,
        (code,),
        evidence.entries_of(lines),
    )


def late(evidence: Evidence) -> Iterator[Finding]:
    """Entries that came when their period was over or closed, or whose day lies far outside of it."""
    degree, frame = evidence.tuning.of("late").degree, evidence.view.frame
    entries: dict[tuple[int, str], list[EntryLine]] = {}
    for line in evidence.lines:
        if line.effect == ACTIVITY:
            entries.setdefault((line.entity, line.number), []).append(line)
    for (entity, number), lines in entries.items():
        came = min(line.revision for line in lines)
        after = evidence.arrivals.booked_before.get(came, -1) - evidence.at
        shut = evidence.arrivals.closed.get((entity, evidence.at))
        outside = evidence.days_outside(lines[0].day)
        if shut is not None and came >= shut:
            title, detail, sure = "posted into a closed period", "It came after the period was closed.", 98
        elif after >= degree:
            title, sure = "came late", min(90, 60 + 10 * after)
            detail = f"It came when {after} later periods were booked already."
        elif outside > FAR:
            title, detail, sure = "is dated far away", f"Its day is {outside} days outside of the period.", 70
        else:
            continue
        code = frame.entities.items[entity].code
        amount = max(sum(line.debit for line in lines), sum(line.credit for line in lines))
        yield Finding(
            "late",
            f"{code} {number}",
            f"{number} {title}",
            f"{detail} {lines[0].description}".strip(),
            amount,
            frame.currencies[entity],
            evidence.digits(entity),
            sure,
            code,
            tuple(dict.fromkeys(_code(evidence, line) for line in lines)),
            evidence.entries_of(lines),
        )


def unusual(evidence: Evidence) -> Iterator[Finding]:
    """Entries of round thousands, or on a day of the week, that their source hardly ever has."""
    tuned, frame = evidence.tuning.of("unusual"), evidence.view.frame
    if not evidence.has_history or not evidence.lines:
        return
    entries: dict[tuple[int, str], list[EntryLine]] = {}
    for line in evidence.lines:
        if line.effect == ACTIVITY and line.source:
            entries.setdefault((line.entity, line.number), []).append(line)
    former = _source_days(evidence)
    round_ones = {name: _round(evidence, lines) for name, lines in entries.items()}
    by_source: dict[str, list[bool]] = {}
    for name, lines in entries.items():
        by_source.setdefault(lines[0].source, []).append(bool(round_ones[name]))
    for (entity, number), lines in entries.items():
        source, day = lines[0].source, lines[0].day
        of_month, amount = by_source[source], round_ones[(entity, number)]
        days, weekends = former.get(source, (0, 0))
        rounded = amount and len(of_month) >= FEW and sum(of_month) * 100 <= tuned.degree * len(of_month)
        off_day = day.weekday() >= SATURDAY and days >= FEW_DAYS and weekends * 100 <= tuned.degree * days
        if not rounded and not off_day:
            continue
        size = max(sum(line.debit for line in lines), sum(line.credit for line in lines))
        told = ([f"on a {day:%A}"] if off_day else []) + (["of round thousands"] if rounded else [])
        code = frame.entities.items[entity].code
        yield Finding(
            "unusual",
            f"{code} {number}",
            f"{number} of {source} {' and '.join(told)}",
            f"{source.capitalize()} hardly ever has such. {lines[0].description}".strip(),
            size,
            frame.currencies[entity],
            evidence.digits(entity),
            50 if off_day and rounded else 40,
            code,
            tuple(dict.fromkeys(_code(evidence, line) for line in lines)),
            evidence.entries_of(lines),
        )


def _round(evidence: Evidence, lines: Sequence[EntryLine]) -> int:
    """The largest amount of an entry where it is round and worth it, else 0."""
    unit = 10 ** evidence.digits(lines[0].entity)
    largest = max(line.debit + line.credit for line in lines)
    least = evidence.tuning.of("unusual").least * unit
    return largest if largest % (ROUND * unit) == 0 and largest >= least else 0


def _source_days(evidence: Evidence) -> dict[str, tuple[int, int]]:
    """By source that booked on few weekend days of the month: on how many days of the months before it booked anything,
    and how many of these were weekends; only what it books on the same posting keys is looked at."""
    weekends: dict[str, set[date]] = {}
    for line in evidence.lines:
        if line.day.weekday() >= SATURDAY and line.effect == ACTIVITY:
            weekends.setdefault(line.source, set()).add(line.day)
    doubtful = {source for source, days in weekends.items() if source and len(days) < MANY_WEEKENDS}
    if not doubtful:
        return {}
    keys = np.array(sorted({line.key for line in evidence.lines if line.source in doubtful}), dtype=np.int64)
    pieces = ((ACTIVITY, tuple(sorted(evidence.before[:MONTHS]))),)
    texts = (("source", tuple(sorted(doubtful))),)
    sums = evidence.view.sums(LinesAsked(keys, pieces, STATUS_CHOICES["with pending"], texts=texts), ("source", "day"))
    found: dict[str, tuple[int, int]] = {}
    for source, day in zip(sums.texts["source"], sums.texts["day"], strict=True):
        days, before = found.get(source, (0, 0))
        found[source] = days + 1, before + (date.fromisoformat(day[:10]).weekday() >= SATURDAY)
    return found
