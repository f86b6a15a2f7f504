"""Writes a checked load: master data, entries and budgets with their history, balances and the revision."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from contextlib import contextmanager, nullcontext
from itertools import islice
from typing import Any

import numpy as np
from django.db import connection
from django.db.models import Max
from django.utils import timezone

from rulka.core.books.calendar import period_number
from rulka.core.books.frame import POSTED
from rulka.core.intake.entries import NO_MEMBER, Budget, check_total
from rulka.ledger.loading.balances import Change, write_balances
from rulka.ledger.loading.bulk import check_references, last_ids, put_columns
from rulka.ledger.loading.lines import LINE_NAMES, EntrySums, line_rows, put_lines
from rulka.ledger.loading.master_data import WantedThings, compare_wanted
from rulka.ledger.loading.report import LoadReport
from rulka.ledger.loading.staging import CHANGED, NEW, SAME, Stage, Staged
from rulka.ledger.models import (
    Account,
    Entity,
    Feed,
    JournalLine,
    Ledger,
    MasterFormer,
    Member,
    PostingKey,
    Revision,
    Scenario,
)

MANY_LINES = 20_000
"""From here on a first load builds the line indices afterwards."""

LINE_COLUMNS = ", ".join(LINE_NAMES)
LINE_WIDTH = len(LINE_NAMES)


@contextmanager
def _indexed_afterwards() -> Iterator[None]:
    """Drop the line indices for a bulk write into an empty table and build them again, in the same transaction."""
    with connection.cursor() as cursor:
        names = [index.name for index in JournalLine._meta.indexes]
        cursor.execute(f"SELECT name, sql FROM sqlite_master WHERE name IN ({', '.join(['%s'] * len(names))})", names)
        indices = cursor.fetchall()
        for name, _ in indices:
            cursor.execute(f"DROP INDEX {name}")
        yield
        for _, statement in indices:
            cursor.execute(statement)


class LoadWriter:
    """One load, inside a transaction that the caller holds."""

    def __init__(
        self,
        ledger: Ledger,
        *,
        source: str,
        person: Any,
        report: LoadReport,
        feed: Feed | None = None,
        by_hand: bool = False,
    ) -> None:
        self.ledger, self.source, self.person, self.report, self.feed = ledger, source, person, report, feed
        self.now = ledger.revision + 1
        # a change by hand is no look at the source
        self.looked: dict[str, Any] = {} if by_hand else {"loaded_at": timezone.now()}
        self.changes: Change = {}
        self.added = np.zeros(
            (0, 8), dtype=np.int64
        )  # the same for new entries: scenario, key, period, status, effect, debit, credit, count
        self.absolute = int(ledger.absolute_total)

    def write(
        self,
        stage: Stage | None = None,
        budgets: Sequence[Budget] = (),
        *,
        values: dict[str, Any] | None = None,
        wanted: Sequence[WantedThings] = (),
        withdraw: Sequence[int] = (),
    ) -> None:
        """Write everything; a revision is made only when something moved. `withdraw` are ids of entries to take out."""
        last = last_ids()
        if values is not None:
            self._settings(values)
        for one in wanted:
            self._store(one)
        self._codes()
        if stage is not None:
            self._write_entries(stage)
        for entry_id in withdraw:
            self._withdraw(entry_id)
        self._write_budgets(budgets)
        if not self.report.moved:
            self.report.revision = self.ledger.revision
            if self.looked:
                Ledger.objects.filter(pk=self.ledger.pk).update(**self.looked)
            return
        check_total(self.absolute)
        self._finish()
        check_references(last)

    # master data ----------------------------------------------------------------------------------------------------

    def _settings(self, values: dict[str, Any]) -> None:
        tally = self.report.tally("settings")
        if self.ledger.pk is None:
            for name, value in values.items():
                setattr(self.ledger, name, value)
            self.ledger.save()
            tally.new = 1
        elif all(getattr(self.ledger, name) == value for name, value in values.items()):
            tally.same = 1
        else:
            former = {name: getattr(self.ledger, name) for name in values}
            self._keep_former("settings", former, self.ledger.settings_revision)
            added = values["dimensions"][len(self.ledger.dimensions) :]
            for name, value in values.items():
                setattr(self.ledger, name, value)
            self.ledger.settings_revision = self.now
            self.ledger.save()
            self._grow_keys(self.ledger, added)
            tally.changed = 1

    def _keep_former(self, what: str, values: dict[str, Any], since: int) -> None:
        if since < self.now:
            MasterFormer.objects.create(
                ledger=self.ledger, what=what, values=values, since_revision=since, until_revision=self.now - 1
            )

    def _grow_keys(self, ledger: Ledger, added: list[str]) -> None:
        for dimension in added:
            none, _ = Member.objects.get_or_create(
                ledger=ledger, dimension=dimension, code=NO_MEMBER, defaults={"name": "none", "revision": self.now}
            )
            for key in PostingKey.objects.filter(ledger=ledger):
                key.members = f"{key.members},{none.pk}" if key.members else str(none.pk)
                key.save(update_fields=["members"])

    def _store(self, wanted: WantedThings) -> None:
        """Make, change or leave one row for each identity; what a changed one was goes to history."""
        model: Any = wanted.model
        tally = self.report.tally(wanted.what)
        new, changed, same = compare_wanted(wanted, self.ledger)
        tally.new, tally.changed, tally.same = len(new), len(changed), same
        for key, thing in changed.items():
            values = wanted.rows[key]
            self._keep_former(wanted.what, {name: getattr(thing, name) for name in values}, thing.revision)
            for name, value in values.items():
                setattr(thing, name, value)
            thing.revision = self.now
            thing.save()
        model.objects.bulk_create([model(ledger=self.ledger, revision=self.now, **wanted.rows[key]) for key in new])

    def _codes(self) -> None:
        ledger = self.ledger
        self.entity_ids = dict(Entity.objects.filter(ledger=ledger).values_list("code", "pk"))
        self.account_ids = dict(Account.objects.filter(ledger=ledger).values_list("code", "pk"))
        self.scenario_ids = dict(Scenario.objects.filter(ledger=ledger).values_list("code", "pk"))
        self.member_ids = {
            (d, c): pk for d, c, pk in Member.objects.filter(ledger=ledger).values_list("dimension", "code", "pk")
        }
        keys = PostingKey.objects.filter(ledger=ledger).values_list(
            "account_id", "entity_id", "partner_id", "members", "pk"
        )
        self.key_ids: dict[tuple[int, int, int | None, str], int] = {(a, e, p, m): pk for a, e, p, m, pk in keys}

    def _keys(self, wanted: Sequence[tuple[str, str, str, tuple[str, ...]]]) -> list[int]:
        """Ids of posting keys by (entity, account, partner, members), made where they are new."""
        identities = []
        for entity, account, partner, members in wanted:
            ids = ",".join(str(self.member_ids[pair]) for pair in zip(self.ledger.dimensions, members, strict=True))
            identities.append(
                (self.account_ids[account], self.entity_ids[entity], self.entity_ids[partner] if partner else None, ids)
            )
        fresh = list(dict.fromkeys(identity for identity in identities if identity not in self.key_ids))
        if fresh:
            last = PostingKey.objects.aggregate(last=Max("pk"))["last"] or 0
            made = list(range(last + 1, last + 1 + len(fresh)))
            names = ("account_id", "entity_id", "partner_id", "members")
            columns = {name: list(column) for name, column in zip(names, zip(*fresh, strict=True), strict=True)}
            put_columns("ledger_postingkey", {"id": made, "ledger_id": [self.ledger.pk] * len(made), **columns})
            self.key_ids |= zip(fresh, made, strict=True)
        return [self.key_ids[identity] for identity in identities]

    # entries --------------------------------------------------------------------------------------------------------

    def _moves(
        self, scenario: int, key: int, period: int, status: int, effect: int, debit: int, credit: int, count: int
    ) -> None:
        change = self.changes.setdefault((scenario, key, period, status, effect), [0, 0, 0])
        change[0] += debit
        change[1] += credit
        change[2] += count
        self.absolute += debit + credit

    def _write_entries(self, stage: Stage) -> None:
        self.actual = self.scenario_ids["actual"]
        key_ids = self._keys([place[:4] for place in stage.places])
        self.place_keys = np.array(key_ids, dtype=np.int64)
        with connection.cursor() as cursor:
            stage.compare(self.ledger.pk)
            tallies, entries, lines = stage.tally(), self.report.tally("entries"), self.report.tally("lines")
            entries.new, lines.new = tallies.get(NEW, (0, 0))
            entries.same, lines.same = tallies.get(SAME, (0, 0))
            self._write_older(stage)
            self._write_new(cursor, stage, lines.new)
            if CHANGED in tallies:
                for staged in stage.staged(CHANGED):
                    self._change_all(cursor, stage, staged)
            cursor.execute(
                "UPDATE ledger_journalentry SET modified_at = s.modified_at FROM temp.stage_entry s "
                "WHERE s.state = %s AND s.entry_id = ledger_journalentry.id AND s.modified_at IS NOT "
                "ledger_journalentry.modified_at",
                [SAME],
            )

    def _write_older(self, stage: Stage) -> None:
        count, older = stage.entries_where("state = 3", most=20)
        self.report.tally("entries").skipped = count
        self.report.notes += [
            f"entries.csv, row {row}: {number} of {entity} is older than what is stored, skipped"
            for entity, number, _, row in older
        ]
        if count > len(older):
            self.report.notes.append(f"... and {count - len(older)} more entries that are older than what is stored")

    def _write_new(self, cursor: Any, stage: Stage, lines: int) -> None:
        """New entries in bulk, and what they add to balances."""
        cursor.execute("SELECT COALESCE(MAX(id), 0) FROM ledger_journalentry")
        base = cursor.fetchone()[0]
        cursor.execute("UPDATE temp.stage_entry SET entry_id = id + %s WHERE state = %s", [base, NEW])
        cursor.execute(
            "INSERT INTO ledger_journalentry (id, ledger_id, entity_id, number, date, period, status, kind, "
            "modified_at, digest, revision, withdrawn, "
            "feed_id, row) SELECT s.entry_id, %s, e.id, s.number, s.date, s.period, s.status, s.kind, s.modified_at, "
            "s.digest, %s, 0, %s, s.line_row "
            "FROM temp.stage_entry s CROSS JOIN ledger_entity e WHERE s.state = %s AND e.ledger_id = %s AND e.code = "
            "s.entity ORDER BY s.id",
            [self.ledger.pk, self.now, self.feed.pk if self.feed else None, NEW, self.ledger.pk],
        )
        if not lines:
            return
        first = lines >= MANY_LINES and not JournalLine.objects.exists()
        sums = EntrySums(self.actual, stage.heads, self.place_keys)
        with _indexed_afterwards() if first else nullcontext():
            for staged in stage.staged(NEW):
                put_lines(stage.heads, staged, self.place_keys, self.now)
                sums.add(staged)
        self.added = sums.total()
        self.absolute += int(self.added[:, 5:7].sum())

    def _change_all(self, cursor: Any, stage: Stage, staged: Staged) -> None:
        """Replace the changed entries of a block."""
        rows = line_rows(stage.heads, staged, self.place_keys)
        counts = staged.count.tolist()
        for one, entry_id, count in zip(staged.ids.tolist(), staged.entry_ids.tolist(), counts, strict=True):
            self._change(cursor, one, entry_id, {row[0]: row for row in islice(rows, count)})

    def _change(self, cursor: Any, staged: int, entry_id: int, wanted: dict[str, tuple[Any, ...]]) -> None:
        """Replace an entry: former values of changed and withdrawn lines go to history, equal lines stay."""
        tally = self.report.tally("lines")
        columns = "date, period, status, effect, kind, modified_at, digest, line_row"
        cursor.execute(f"SELECT {columns} FROM temp.stage_entry WHERE id = %s", [staged])
        date, period, status, effect, kind, modified_at, digest, row = cursor.fetchone()
        former = self._former(cursor, entry_id)
        fresh = []
        for code, line in wanted.items():
            old = former.get(code)
            if old is not None and old[:LINE_WIDTH] == line:
                tally.same += 1
                del former[code]
                continue
            fresh.append((*line, entry_id, self.now))
            self._moves(self.actual, line[1], period, status, effect, line[6], line[7], 1)
            if old is None:
                tally.new += 1
            else:
                tally.changed += 1
        tally.withdrawn += len(former.keys() - wanted.keys())
        self._take_out(cursor, entry_id, former.values())
        holders = ", ".join(["%s"] * (LINE_WIDTH + 2))
        cursor.executemany(
            f"INSERT INTO ledger_journalline ({LINE_COLUMNS}, entry_id, revision) VALUES ({holders})", fresh
        )
        cursor.execute("SELECT kind, withdrawn, revision FROM ledger_journalentry WHERE id = %s", [entry_id])
        former_kind, withdrawn, revision = cursor.fetchone()
        moved = fresh or former or withdrawn or former_kind != kind
        cursor.execute(
            "UPDATE ledger_journalentry SET date = %s, period = %s, status = %s, kind = %s, modified_at = %s, digest "
            "= %s, revision = %s, withdrawn = 0 WHERE id = %s",
            [date, period, status, kind, modified_at, digest, self.now if moved else revision, entry_id],
        )
        if not moved:
            self.report.tally("entries").same += 1
            return
        feed = self.feed.pk if self.feed else None
        cursor.execute("UPDATE ledger_journalentry SET row = %s, feed_id = %s WHERE id = %s", [row, feed, entry_id])
        self.report.tally("entries").changed += 1

    def _former(self, cursor: Any, entry_id: int) -> dict[str, tuple[Any, ...]]:
        """An entry's stored lines by code, their dates as text; revision and id come last."""
        cursor.execute(f"SELECT {LINE_COLUMNS}, revision, id FROM ledger_journalline WHERE entry_id = %s", [entry_id])
        return {
            row[0]: (*row[:3], row[3] if isinstance(row[3], str) else row[3].isoformat(), *row[4:])
            for row in cursor.fetchall()
        }

    def _take_out(self, cursor: Any, entry_id: int, lines: Any) -> None:
        """Move lines to history."""
        for row in lines:
            cursor.execute(
                f"INSERT INTO ledger_journallineformer ({LINE_COLUMNS}, entry_id, since_revision, until_revision) "
                f"VALUES ({', '.join(['%s'] * 22)})",
                [*row[:LINE_WIDTH], entry_id, row[LINE_WIDTH], self.now - 1],
            )
            cursor.execute("DELETE FROM ledger_journalline WHERE id = %s", [row[LINE_WIDTH + 1]])
            self._moves(self.actual, row[1], row[2], row[4], row[5], -row[6], -row[7], -1)

    def _withdraw(self, entry_id: int) -> None:
        """Take an entry out: its lines go to history, its head says so; it comes back when a source brings it again."""
        self.actual = self.scenario_ids["actual"]
        with connection.cursor() as cursor:
            former = self._former(cursor, entry_id)
            self._take_out(cursor, entry_id, former.values())
            cursor.execute(
                "UPDATE ledger_journalentry SET withdrawn = 1, digest = %s, revision = %s WHERE id = %s",
                [b"", self.now, entry_id],
            )
        self.report.tally("entries").withdrawn += 1
        self.report.tally("lines").withdrawn += len(former)

    # budgets --------------------------------------------------------------------------------------------------------

    def _write_budgets(self, budgets: Sequence[Budget]) -> None:
        tally = self.report.tally("budget rows")
        if not budgets:
            return
        keys = self._keys([(budget.entity, budget.account, "", budget.members) for budget in budgets])
        with connection.cursor() as cursor:
            cursor.execute(
                "SELECT b.scenario_id, b.key_id, b.period, b.amount, b.note, b.revision, b.id FROM ledger_budgetline b "
                "JOIN ledger_scenario s ON s.id = b.scenario_id WHERE s.ledger_id = %s",
                [self.ledger.pk],
            )
            stored = {row[:3]: row[3:] for row in cursor.fetchall()}
            fresh = []
            for budget, key in zip(budgets, keys, strict=True):
                scenario, period = self.scenario_ids[budget.scenario], period_number(budget.period.code)
                found = stored.get((scenario, key, period))
                if found and found[:2] == (budget.amount, budget.note):
                    tally.same += 1
                    continue
                if found:
                    cursor.execute(
                        "INSERT INTO ledger_budgetlineformer (scenario_id, key_id, period, amount, note, "
                        "since_revision, until_revision) "
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
                "INSERT INTO ledger_budgetline (scenario_id, key_id, period, amount, note, revision) VALUES (%s, %s, "
                "%s, %s, %s, %s)",
                fresh,
            )

    # balances and revision ------------------------------------------------------------------------------------------

    def _finish(self) -> None:
        self.report.revision = self.now
        revision = Revision.objects.create(
            ledger=self.ledger,
            number=self.now,
            person=self.person,
            source=self.source,
            counts={what: tally.__dict__ for what, tally in self.report.tallies.items()},
            report=self.report.as_data(),
            feed=self.feed,
        )
        Ledger.objects.filter(pk=self.ledger.pk).update(
            revision=self.now, absolute_total=str(self.absolute), **self.looked
        )
        write_balances(self.changes, self.added, revision)
