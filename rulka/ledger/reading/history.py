"""A ledger as it was at a former revision, and what changed between two revisions."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from decimal import Decimal
from functools import lru_cache
from typing import Any, Final

import numpy as np
from django.db import connection

from rulka.core.books.book import Book, View
from rulka.core.books.calendar import period_code
from rulka.core.books.chart import BoolArray
from rulka.core.books.fence import NO_FENCE, Fence
from rulka.core.errors import NotFound
from rulka.core.money import QUANTITY_DIGITS, minor_text
from rulka.ledger.models import (
    Account,
    BalanceChangeChunk,
    BalanceChunk,
    Entity,
    JournalEntry,
    JournalLine,
    JournalLineFormer,
    Ledger,
    MasterFormer,
    Member,
    Rate,
    Revision,
    Scenario,
)
from rulka.ledger.reading.changes import sum_changes
from rulka.ledger.reading.queries import MasterRows, build_frame, build_keys, movements_from, snapshot, view_of, within

MODELS: dict[str, Any] = {
    "entities": Entity,
    "accounts": Account,
    "members": Member,
    "scenarios": Scenario,
    "rates": Rate,
}
IDENTITIES = {
    "entities": ("code",),
    "accounts": ("code",),
    "members": ("dimension", "code"),
    "scenarios": ("code",),
    "rates": ("period", "source", "target"),
}


def find_revision(ledger: Ledger, number: int) -> Revision:
    """A revision by its number."""
    found = ledger.revisions.filter(number=number).first()
    if found is None:
        raise NotFound(
            f"Revision {number} does not exist.",
            hint=f"The newest is {ledger.revision}.",
            subject=f"ledger {ledger.code}",
        )
    return found


def latest_revision(ledger: Ledger) -> Revision | None:
    """The newest revision; None before the first load."""
    return ledger.revisions.first()


def rows_at(ledger: Ledger, what: str, revision: int) -> list[Any]:
    """Things of one kind with the values that they had at a revision; unsaved copies, ids kept."""
    model = MODELS[what]
    identity = IDENTITIES[what]
    former = {
        tuple(values[name] for name in identity): values
        for values in MasterFormer.objects.filter(
            ledger=ledger, what=what, since_revision__lte=revision, until_revision__gte=revision
        ).values_list("values", flat=True)
    }
    found = []
    for thing in model.objects.filter(ledger=ledger):
        if thing.revision > revision:
            values = former.get(tuple(getattr(thing, name) for name in identity))
            if values is None:
                continue
            for name, value in values.items():
                setattr(thing, name, value)
        found.append(thing)
    return found


def settings_at(ledger: Ledger, revision: int) -> Ledger:
    """The ledger with the settings that it had at a revision; not to be saved."""
    ledger = Ledger.objects.get(pk=ledger.pk)
    if ledger.settings_revision > revision:
        former = MasterFormer.objects.get(
            ledger=ledger, what="settings", since_revision__lte=revision, until_revision__gte=revision
        )
        for name, value in former.values.items():
            setattr(ledger, name, value)
    return ledger


def view_at(ledger: Ledger, revision: int, fence: Fence) -> View:
    """The ledger through a fence as at a revision, with the accounts, parents and members of that time."""
    if revision == ledger.revision:
        return view_of(ledger, fence)
    found = find_revision(ledger, revision)
    return _book_at(ledger.pk, found.at, revision).within(fence)


@lru_cache(maxsize=4)
def _book_at(ledger_id: int, at: datetime, revision: int) -> Book:
    """`at` tells a ledger from another one that once had its place in the database."""
    with snapshot():
        current = Ledger.objects.get(pk=ledger_id)
        ledger = settings_at(current, revision)
        rows = MasterRows(
            *(rows_at(ledger, what, revision) for what in ("entities", "accounts", "members", "scenarios"))
        )
        frame = build_frame(ledger, rows)
        keys, ids = build_keys(ledger, frame, rows)
        movements = movements_from(_chunks_at(ledger, revision), ids, frame, rows.scenarios)
    return Book(frame, keys, movements, revision)


def _chunks_at(ledger: Ledger, revision: int) -> list[tuple[Any, ...]]:
    """Balance chunks as at a revision: the current ones less all later changes."""
    fields = ("scenario_id", "period", "status", "effect", "keys", "debits", "credits", "counts")
    later = sum_changes(
        BalanceChangeChunk.objects.filter(revision__ledger=ledger, revision__number__gt=revision).values_list(*fields)
    )
    chunks = []
    for row in BalanceChunk.objects.filter(scenario__ledger=ledger).values_list(*fields):
        place = row[:4]
        change = later.pop(place, None)
        chunks.append(row)
        if change is not None:
            chunks.append((*place, *_less(change)))
    return chunks + [(*place, *_less(change)) for place, change in later.items()]


def _less(change: Any) -> list[bytes]:
    return [(change[:, 0]).tobytes(), *((-change[:, at]).tobytes() for at in (1, 2, 3))]


# what changed -------------------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class ChangedEntry:
    """An entry that a span of revisions brought, changed or withdrew; only lines inside the fence are counted."""

    entity: str
    number: str
    date: str
    what: str
    lines_new: int
    lines_gone: int
    document: str = ""
    who: str = ""
    text: str = ""
    counterparty: str = ""
    sums: tuple[EntrySum, ...] = ()
    """What it added by posting key and period, the largest first."""


@dataclass(frozen=True)
class EntrySum:
    """What a changed entry added to a posting key (by its place in the view) in a period: a plain decimal, debit
    positive."""

    account: str
    period: str
    net: str
    key: int


@dataclass(frozen=True)
class ChangedSum:
    """What a span of revisions added to one account in one period; plain decimals, debit positive."""

    scenario: str
    entity: str
    account: str
    name: str
    period: str
    debit: str
    credit: str
    net: str


@dataclass(frozen=True)
class Changes:
    """What changed after revision `first` up to `last`."""

    first: int
    last: int
    count: int
    entries: tuple[ChangedEntry, ...]
    sums: tuple[ChangedSum, ...]
    master: tuple[tuple[str, str, str], ...]


NEW_LINES: Final = (
    "SELECT entry_id, COUNT(*) FROM (SELECT entry_id FROM ledger_journalline WHERE revision > %s AND revision <= %s "
    "AND key_id IN (SELECT value FROM json_each(%s)) UNION ALL SELECT entry_id FROM ledger_journallineformer WHERE "
    "since_revision > %s AND since_revision <= %s AND until_revision >= %s "
    "AND key_id IN (SELECT value FROM json_each(%s))) GROUP BY 1"
)
GONE_LINES: Final = (
    "SELECT entry_id, COUNT(*) FROM ledger_journallineformer WHERE since_revision <= %s AND until_revision >= %s AND "
    "until_revision < %s AND key_id IN (SELECT value FROM json_each(%s)) GROUP BY 1"
)


def _counts_between(cursor: Any, inside: Sequence[int], first: int, last: int) -> dict[int, list[int]]:
    """By entry how many lines of some posting keys came after `first` up to `last`, and how many went."""
    keys = json.dumps(inside)
    counts: dict[int, list[int]] = {}
    asked: tuple[tuple[str, list[Any]], ...] = (
        (NEW_LINES, [first, last, keys, first, last, last, keys]),
        (GONE_LINES, [first, first, last, keys]),
    )
    for at, (sql, given) in enumerate(asked):
        cursor.execute(sql, given)
        for entry_id, count in cursor.fetchall():
            counts.setdefault(entry_id, [0, 0])[at] = count
    return counts


def changes_between(
    view: View, ledger: Ledger, first: int, last: int, *, most: int = 200, only: BoolArray | None = None
) -> Changes:
    """Entries, sums by account and period, and master data that changed after `first` up to and including `last`; of
    `only` some of the view's posting keys `(keys,)` where that is said."""
    for number in {first, last} - {0}:
        find_revision(ledger, number)
    if first > last:
        first, last = last, first
    chosen = np.ones(len(view.keys), dtype=bool) if only is None else only
    inside = [int(key) for key in view.keys.ids[chosen & ~view.sealed_keys] if key]
    with snapshot(), connection.cursor() as cursor:
        counts = _counts_between(cursor, inside, first, last)
        entries = (
            JournalEntry.objects.filter(ledger=ledger, **within("pk", list(counts)))
            .select_related("entity")
            .order_by("date", "entity__code", "number")
        )
        listed = []
        shown = list(entries[:most])
        detail = _details(view, chosen, [entry.pk for entry in shown], first, last)
        for entry in shown:
            new, gone = counts[entry.pk]
            what = "withdrawn" if not new else "changed" if gone else "new"
            code, day = entry.entity.code, entry.date.isoformat()
            listed.append(ChangedEntry(code, entry.number, day, what, new, gone, **detail.get(entry.pk, {})))
        sums = _sums_between(view, chosen, ledger, first, last)
        # codes and names of what lies outside a fence are not told
        master = _master_between(ledger, first, last) if view.fence.hides_nothing else ()
    return Changes(first, last, len(counts), tuple(listed), sums, master)


def _details(view: View, chosen: BoolArray, entries: list[int], first: int, last: int) -> dict[int, dict[str, Any]]:
    """Document, who and what some entries added after `first` up to `last`, by entry; of lines on the chosen keys that
    aren't sealed."""
    places = np.flatnonzero(chosen & ~view.sealed_keys)
    place_of = {int(view.keys.ids[place]): int(place) for place in places if view.keys.ids[place]}
    now = JournalLine.objects.filter(**within("entry", entries))
    former = JournalLineFormer.objects.filter(**within("entry", entries))
    came = {"since_revision__gt": first, "since_revision__lte": last, "until_revision__gte": last}
    went = {"since_revision__lte": first, "until_revision__gte": first, "until_revision__lt": last}
    lines: list[tuple[int, Any]] = [(1, line) for line in now.filter(revision__gt=first, revision__lte=last)]
    lines += [(1, line) for line in former.filter(**came)] + [(-1, line) for line in former.filter(**went)]
    details: dict[int, dict[str, Any]] = {}
    sums: dict[int, dict[tuple[int, int], int]] = {}
    for sign, line in sorted(lines, key=lambda pair: (-pair[0], pair[1].pk)):
        place = place_of.get(line.key_id)
        if place is None:
            continue
        entry = details.setdefault(line.entry_id, {"document": "", "who": "", "text": "", "counterparty": ""})
        for name, text in (("document", line.document), ("who", line.user), ("text", line.description),
                           ("counterparty", line.counterparty_name or line.counterparty)):  # fmt: skip
            entry[name] = entry[name] or text
        of_entry = sums.setdefault(line.entry_id, {})
        key = (place, line.period)
        of_entry[key] = of_entry.get(key, 0) + sign * (line.debit - line.credit)
    for number, of_entry in sums.items():
        ordered = sorted(of_entry.items(), key=lambda pair: (-abs(pair[1]), pair[0]))
        details[number]["sums"] = tuple(
            EntrySum(
                view.frame.accounts.items[view.keys.account[place]].code,
                period_code(period),
                minor_text(net, view.digits_of(place)),
                place,
            )
            for (place, period), net in ordered
            if net
        )
    return details


def revisions_since(ledger: Ledger, since: datetime) -> list[tuple[int, datetime]]:
    """The revisions after a moment, each with when it was made, the oldest first."""
    later = Revision.objects.filter(ledger=ledger, at__gt=since).order_by("number")
    return list(later.values_list("number", "at"))


def turnover_of(ledger: Ledger, revision: int) -> dict[str, Decimal]:
    """How much a revision moved in the actuals, by entity and in its currency: the debits or the credits that it added,
    whichever is more."""
    view = view_at(ledger, revision, NO_FENCE)
    found: dict[str, list[Decimal]] = {}
    quantities = {item.code for item in view.frame.accounts.items if item.type == "statistical"}
    for one in _sums_between(view, np.ones(len(view.keys), dtype=bool), ledger, revision - 1, revision):
        if one.scenario == "actual" and one.account not in quantities:
            total = found.setdefault(one.entity, [Decimal(0), Decimal(0)])
            total[0] += Decimal(one.debit)
            total[1] += Decimal(one.credit)
    return {entity: max(abs(debit), abs(credit)) for entity, (debit, credit) in found.items()}


def _sums_between(view: View, chosen: BoolArray, ledger: Ledger, first: int, last: int) -> tuple[ChangedSum, ...]:
    fields = ("scenario__code", "period", "status", "effect", "keys", "debits", "credits", "counts")
    found = sum_changes(
        BalanceChangeChunk.objects.filter(
            revision__ledger=ledger, revision__number__gt=first, revision__number__lte=last
        ).values_list(*fields)
    )
    keys, frame = view.keys, view.frame
    place_of = {int(key): place for place, key in enumerate(keys.ids) if key and chosen[place]}
    totals: dict[tuple[str, int, int, int], list[int]] = {}
    for (scenario, period, _, _), rows in found.items():
        for key, debit, credit, _ in rows.tolist():
            place = place_of.get(key)
            if place is None:
                continue
            at = (str(scenario), int(keys.entity[place]), int(keys.account[place]), period)
            total = totals.setdefault(at, [0, 0])
            total[0] += debit
            total[1] += credit
    sums = []
    for (code, entity, account, period), (debit, credit) in sorted(totals.items()):
        if not debit and not credit:
            continue
        item = frame.accounts.items[account]
        digits = QUANTITY_DIGITS if item.type == "statistical" else int(frame.digits[entity])
        texts = (minor_text(debit, digits), minor_text(credit, digits), minor_text(debit - credit, digits))
        sums.append(
            ChangedSum(code, frame.entities.items[entity].code, item.code, item.name, period_code(period), *texts)
        )
    return tuple(sums)


def _master_between(ledger: Ledger, first: int, last: int) -> tuple[tuple[str, str, str], ...]:
    """(kind, code, what) of master data that came or changed."""
    found = []
    for what in MODELS:
        before = {_identity(thing, what): thing for thing in rows_at(ledger, what, first)} if first else {}
        for thing in rows_at(ledger, what, last):
            former = before.get(_identity(thing, what))
            if former is None:
                found.append((what, _identity(thing, what), "new"))
                continue
            names = [f.name for f in thing._meta.fields if f.name not in ("id", "revision", "ledger", "position")]
            told = [
                f"{name} {getattr(former, name) or 'none'} → {getattr(thing, name) or 'none'}"
                for name in names
                if getattr(former, name) != getattr(thing, name)
            ]
            if told:
                found.append((what, _identity(thing, what), ", ".join(told)))
    return tuple(found)


def _identity(thing: Any, what: str) -> str:
    return " ".join(str(getattr(thing, name)) for name in IDENTITIES[what])
