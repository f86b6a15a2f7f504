"""Writes a checked load: master data, entries and budgets with their history, balances and the revision."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager, nullcontext
from datetime import datetime
from typing import Any

import numpy as np
from django.db import connection

from rulka.core.book import POSTED
from rulka.core.intake import NO_MEMBER, Budget, Entry, EntryLine, check_total
from rulka.ledger.master_data import MasterData, Wanted
from rulka.ledger.models import Account, Entity, JournalLine, Ledger, Member, PostingKey, Revision, Scenario
from rulka.ledger.queries import period_number
from rulka.ledger.report import LoadReport

MANY_LINES = 20_000
"""From here on a first load builds the line indices afterwards."""


@contextmanager
def _indexed_afterwards() -> Iterator[None]:
    """Drop the line indices for a bulk write into an empty table and build them again, in the same transaction."""
    with connection.cursor() as cursor:
        names = [index.name for index in JournalLine._meta.indexes]
        cursor.execute("SELECT name, sql FROM sqlite_master WHERE name IN (%s, %s)", names)
        indices = cursor.fetchall()
        for name, _ in indices:
            cursor.execute(f"DROP INDEX {name}")
        yield
        for _, statement in indices:
            cursor.execute(statement)


class LoadWriter:
    """One load, inside a transaction that the caller holds."""

    def __init__(self, ledger: Ledger, master: MasterData, person: Any, report: LoadReport) -> None:
        self.ledger, self.master, self.settings, self.person, self.report = ledger, master, master.settings, person, report
        self.now = ledger.revision + 1
        self.changes: dict[tuple[int, int, int, int, int], list[int]] = {}
        self.absolute = int(ledger.absolute_total)

    def write(self, entries: list[Entry], budgets: list[Budget]) -> None:
        """Write everything; a revision is made only when something moved."""
        self._settings()
        for wanted in self.master.wanted:
            self._store(wanted)
        self._codes()
        self._write_entries(entries)
        self._write_budgets(budgets)
        if not self.report.moved:
            self.report.revision = self.ledger.revision
            return
        check_total(self.absolute)
        self._finish()

    def _settings(self) -> None:
        tally, values = self.report.tally("settings"), self.master.values
        if self.ledger.pk is None:
            for name, value in values.items():
                setattr(self.ledger, name, value)
            self.ledger.save()
            tally.new = 1
        elif all(getattr(self.ledger, name) == value for name, value in values.items()):
            tally.same = 1
        else:
            added = values["dimensions"][len(self.ledger.dimensions) :]
            for name, value in values.items():
                setattr(self.ledger, name, value)
            self.ledger.save()
            self._grow_keys(self.ledger, added)
            tally.changed = 1

    def _grow_keys(self, ledger: Ledger, added: list[str]) -> None:
        for dimension in added:
            none, _ = Member.objects.get_or_create(ledger=ledger, dimension=dimension, code=NO_MEMBER, defaults={"name": "none"})
            for key in PostingKey.objects.filter(ledger=ledger):
                key.members = f"{key.members},{none.pk}" if key.members else str(none.pk)
                key.save(update_fields=["members"])

    def _store(self, wanted: Wanted) -> None:
        """Make, change or leave one row for each identity."""
        model: Any = wanted.model
        tally = self.report.tally(wanted.what)
        stored = {wanted.identity(thing): thing for thing in model.objects.filter(ledger=self.ledger)}
        fresh = []
        for key, values in wanted.rows.items():
            thing = stored.get(key)
            if thing is None:
                fresh.append(model(ledger=self.ledger, **values))
                tally.new += 1
            elif any(getattr(thing, name) != value for name, value in values.items()):
                for name, value in values.items():
                    setattr(thing, name, value)
                thing.save()
                tally.changed += 1
            else:
                tally.same += 1
        model.objects.bulk_create(fresh)

    def _codes(self) -> None:
        ledger = self.ledger
        self.entity_ids = dict(Entity.objects.filter(ledger=ledger).values_list("code", "pk"))
        self.account_ids = dict(Account.objects.filter(ledger=ledger).values_list("code", "pk"))
        self.scenario_ids = dict(Scenario.objects.filter(ledger=ledger).values_list("code", "pk"))
        self.member_ids = {(d, c): pk for d, c, pk in Member.objects.filter(ledger=ledger).values_list("dimension", "code", "pk")}
        keys = PostingKey.objects.filter(ledger=ledger).values_list("account_id", "entity_id", "partner_id", "members", "pk")
        self.key_ids: dict[tuple[int, int, int | None, str], int] = {(a, e, p, m): pk for a, e, p, m, pk in keys}
        self.key_cache: dict[tuple[Any, ...], int] = {}

    def _key(self, entity: str, account: str, partner: str, members: tuple[str, ...]) -> int:
        cached = (entity, account, partner, members)
        found = self.key_cache.get(cached)
        if found is None:
            ids = ",".join(str(self.member_ids[pair]) for pair in zip(self.settings.dimensions, members, strict=True))
            identity = (self.account_ids[account], self.entity_ids[entity], self.entity_ids[partner] if partner else None, ids)
            if identity not in self.key_ids:
                key = PostingKey.objects.create(
                    ledger=self.ledger, account_id=identity[0], entity_id=identity[1], partner_id=identity[2], members=ids
                )
                self.key_ids[identity] = key.pk
            found = self.key_cache[cached] = self.key_ids[identity]
        return found

    def _moves(self, scenario: int, key: int, period: int, status: int, effect: int, debit: int, credit: int, count: int) -> None:
        place = (scenario, key, period, status, effect)
        change = self.changes.get(place)
        if change is None:
            self.changes[place] = [debit, credit, count]
        else:
            change[0] += debit
            change[1] += credit
            change[2] += count
        self.absolute += debit + credit

    def _write_entries(self, entries: list[Entry]) -> None:
        tally, actual = self.report.tally("entries"), self.scenario_ids["actual"]
        lines_tally = self.report.tally("lines")
        with connection.cursor() as cursor:
            cursor.execute(
                "SELECT entity_id, number, id, digest, modified_at, revision FROM ledger_journalentry WHERE ledger_id = %s", [self.ledger.pk]
            )
            stored = {(row[0], row[1]): row[2:] for row in cursor.fetchall()}
            cursor.execute("SELECT COALESCE(MAX(id), 0) FROM ledger_journalentry")
            next_id = cursor.fetchone()[0] + 1
            heads: list[tuple[Any, ...]] = []
            lines: list[tuple[Any, ...]] = []
            for entry in entries:
                found = stored.get((self.entity_ids[entry.entity], entry.number))
                digest, period = entry.digest(), period_number(entry.period.code)
                if found is None:
                    heads.append(
                        (
                            next_id,
                            self.ledger.pk,
                            self.entity_ids[entry.entity],
                            entry.number,
                            entry.date.isoformat(),
                            period,
                            entry.status,
                            entry.kind,
                            _moment(entry.modified_at),
                            digest,
                            self.now,
                        )
                    )
                    for line in entry.lines:
                        lines.append(self._new_line(entry, line, next_id, period, actual))
                    lines_tally.new += len(entry.lines)
                    tally.new += 1
                    next_id += 1
                    continue
                entry_id, former_digest, modified_at, _ = found
                incoming = _moment(entry.modified_at)
                former_moment = _moment(modified_at) if isinstance(modified_at, datetime) else modified_at
                if incoming and former_moment and incoming < former_moment:
                    tally.skipped += 1
                    self.report.notes.append(f"entries.csv, row {entry.row}: {entry.number} of {entry.entity} is older than what is stored, skipped")
                elif bytes(former_digest) == digest:
                    tally.same += 1
                    lines_tally.same += len(entry.lines)
                    if incoming != former_moment:
                        cursor.execute("UPDATE ledger_journalentry SET modified_at = %s WHERE id = %s", [incoming, entry_id])
                else:
                    tally.changed += 1
                    lines += self._changed(cursor, entry, entry_id, digest, period, actual)
            first = not JournalLine.objects.exists() and len(lines) >= MANY_LINES
            cursor.executemany(
                "INSERT INTO ledger_journalentry (id, ledger_id, entity_id, number, date, period, status, kind, modified_at, digest, revision) "
                "VALUES (%s, %s, %s, %s, %s, %s, %s, %s, %s, %s, %s)",
                heads,
            )
            with _indexed_afterwards() if first else nullcontext():
                cursor.executemany(f"INSERT INTO ledger_journalline ({LINE_COLUMNS}, entry_id, revision) VALUES ({', '.join(['%s'] * 17)})", lines)

    def _new_line(self, entry: Entry, line: EntryLine, entry_id: int, period: int, actual: int) -> tuple[Any, ...]:
        key = self._key(entry.entity, line.account, line.partner, line.members)
        self._moves(actual, key, period, entry.status, entry.effect, line.debit, line.credit, 1)
        return (*_stored(entry, line, key, period), entry_id, self.now)

    def _changed(self, cursor: Any, entry: Entry, entry_id: int, digest: bytes, period: int, actual: int) -> list[tuple[Any, ...]]:
        """Replace an entry: former values of changed and withdrawn lines go to history, equal lines stay."""
        tally = self.report.tally("lines")
        cursor.execute(f"SELECT {LINE_COLUMNS}, revision, id FROM ledger_journalline WHERE entry_id = %s", [entry_id])
        former = {row[0]: row for row in cursor.fetchall()}
        fresh = []
        gone = set(former)
        for line in entry.lines:
            key = self._key(entry.entity, line.account, line.partner, line.members)
            wanted = _stored(entry, line, key, period)
            old = former.get(line.line)
            if old is not None and _plain(old[:15]) == wanted:
                tally.same += 1
                gone.discard(line.line)
                continue
            fresh.append(self._new_line(entry, line, entry_id, period, actual))
            if old is None:
                tally.new += 1
            else:
                tally.changed += 1
        kept = {line.line for line in entry.lines}
        for code in gone:
            row = former[code]
            if code not in kept:
                tally.withdrawn += 1
            cursor.execute(
                f"INSERT INTO ledger_journallineformer ({LINE_COLUMNS}, entry_id, since_revision, until_revision) VALUES ({', '.join(['%s'] * 18)})",
                [*_plain(row[:15]), entry_id, row[15], self.now - 1],
            )
            cursor.execute("DELETE FROM ledger_journalline WHERE id = %s", [row[16]])
            self._moves(actual, row[1], row[2], row[4], row[5], -row[6], -row[7], -1)
        cursor.execute(
            "UPDATE ledger_journalentry SET date = %s, period = %s, status = %s, kind = %s, modified_at = %s, digest = %s, "
            "revision = %s WHERE id = %s",
            [entry.date.isoformat(), period, entry.status, entry.kind, _moment(entry.modified_at), digest, self.now, entry_id],
        )
        return fresh

    def _write_budgets(self, budgets: list[Budget]) -> None:
        tally = self.report.tally("budget rows")
        with connection.cursor() as cursor:
            cursor.execute(
                "SELECT b.scenario_id, b.key_id, b.period, b.amount, b.note, b.revision, b.id FROM ledger_budgetline b "
                "JOIN ledger_scenario s ON s.id = b.scenario_id WHERE s.ledger_id = %s",
                [self.ledger.pk],
            )
            stored = {row[:3]: row[3:] for row in cursor.fetchall()}
            fresh = []
            for budget in budgets:
                scenario, period = self.scenario_ids[budget.scenario], period_number(budget.period.code)
                key = self._key(budget.entity, budget.account, "", budget.members)
                found = stored.get((scenario, key, period))
                if found and found[:2] == (budget.amount, budget.note):
                    tally.same += 1
                    continue
                if found:
                    cursor.execute(
                        "INSERT INTO ledger_budgetlineformer (scenario_id, key_id, period, amount, note, since_revision, until_revision) "
                        "VALUES (%s, %s, %s, %s, %s, %s, %s)",
                        [scenario, key, period, found[0], found[1], found[2], self.now - 1],
                    )
                    cursor.execute("DELETE FROM ledger_budgetline WHERE id = %s", [found[3]])
                    self._moves(scenario, key, period, POSTED, 0, -max(found[0], 0), -max(-found[0], 0), -1)
                    tally.changed += 1
                else:
                    tally.new += 1
                fresh.append((scenario, key, period, budget.amount, budget.note, self.now))
                self._moves(scenario, key, period, POSTED, 0, max(budget.amount, 0), max(-budget.amount, 0), 1)
            cursor.executemany(
                "INSERT INTO ledger_budgetline (scenario_id, key_id, period, amount, note, revision) VALUES (%s, %s, %s, %s, %s, %s)", fresh
            )

    # balances and revision ------------------------------------------------------------------------------------------

    def _finish(self) -> None:
        self.report.revision = self.now
        revision = Revision.objects.create(
            ledger=self.ledger,
            number=self.now,
            person=self.person,
            source=self.master.folder.name,
            counts={what: tally.__dict__ for what, tally in self.report.tallies.items()},
        )
        Ledger.objects.filter(pk=self.ledger.pk).update(revision=self.now, absolute_total=str(self.absolute))
        moved = [(*place, *change) for place, change in self.changes.items() if any(change)]
        with connection.cursor() as cursor:
            cursor.executemany(
                "INSERT INTO ledger_balance (scenario_id, key_id, period, status, effect, debit, credit, count) "
                "VALUES (%s, %s, %s, %s, %s, %s, %s, %s) ON CONFLICT (scenario_id, period, status, effect, key_id) DO UPDATE SET "
                "debit = debit + excluded.debit, credit = credit + excluded.credit, count = count + excluded.count",
                moved,
            )
            cursor.executemany(
                "INSERT INTO ledger_balancechange (scenario_id, key_id, period, status, effect, debit, credit, count, revision_id) "
                f"VALUES (%s, %s, %s, %s, %s, %s, %s, %s, {revision.pk})",
                moved,
            )
            for chunk in sorted({(row[0], row[2], row[3], row[4]) for row in moved}):
                write_chunk(cursor, *chunk, self.now)


LINE_COLUMNS = (
    "line, key_id, period, date, status, effect, debit, credit, description, source, document, counterparty, "
    'counterparty_name, "user", historical_amount'
)


def _stored(entry: Entry, line: EntryLine, key: int, period: int) -> tuple[Any, ...]:
    """A line's values in the order of LINE_COLUMNS."""
    head = (line.line, key, period, entry.date.isoformat(), entry.status, entry.effect)
    return (*head, line.debit, line.credit, *line.text, line.historical_amount)


def _plain(row: tuple[Any, ...]) -> tuple[Any, ...]:
    """A stored line as bound: its date as text."""
    day = row[3]
    return (*row[:3], day if isinstance(day, str) else day.isoformat(), *row[4:])


def _moment(moment: datetime | None) -> str | None:
    """A UTC moment as the database keeps it."""
    return moment.strftime("%Y-%m-%d %H:%M:%S.%f") if moment else None


def write_chunk(cursor: Any, scenario: int, period: int, status: int, effect: int, revision: int) -> None:
    """Derive one balance chunk again from its balance rows."""
    place = [scenario, period, status, effect]
    cursor.execute(
        "DELETE FROM ledger_balance WHERE scenario_id = %s AND period = %s AND status = %s AND effect = %s AND count = 0 "
        "AND debit = 0 AND credit = 0",
        place,
    )
    cursor.execute(
        "SELECT key_id, debit, credit, count FROM ledger_balance WHERE scenario_id = %s AND period = %s AND status = %s "
        "AND effect = %s ORDER BY key_id",
        place,
    )
    rows = np.array(cursor.fetchall(), dtype=np.int64).reshape(-1, 4)
    columns = [np.ascontiguousarray(rows[:, at]).tobytes() for at in range(4)]
    cursor.execute(
        "INSERT INTO ledger_balancechunk (scenario_id, period, status, effect, keys, debits, credits, counts, revision) "
        "VALUES (%s, %s, %s, %s, %s, %s, %s, %s, %s) ON CONFLICT (scenario_id, period, status, effect) DO UPDATE SET "
        "keys = excluded.keys, debits = excluded.debits, credits = excluded.credits, counts = excluded.counts, revision = excluded.revision",
        [*place, *columns, revision],
    )
