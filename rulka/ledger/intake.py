"""Loads a ledger folder into the tables: read and check everything, then write it in one transaction."""

from __future__ import annotations

import gc
from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager, nullcontext
from dataclasses import dataclass, field
from datetime import datetime
from pathlib import Path
from typing import Any

import numpy as np
from django.db import connection, transaction

from rulka.core.book import POSTED
from rulka.core.calendar import Period
from rulka.core.chart import CARRYING, TYPES, Item, parent_errors
from rulka.core.errors import RulkaError
from rulka.core.intake import (
    NO_MEMBER,
    Books,
    Budget,
    Entry,
    EntryChecker,
    EntryLine,
    check_budgets,
    check_total,
    code_problem,
    group_rows,
    row_error,
)
from rulka.core.money import AMOUNT
from rulka.formats.currencies import minor_digits
from rulka.formats.ledger_folder import LedgerFolder, LedgerSettings, in_file
from rulka.formats.ledger_source import ledger_folder
from rulka.ledger.models import Account, Counterparty, Entity, JournalLine, Ledger, Member, PostingKey, Rate, Revision, Scenario
from rulka.ledger.queries import calendar_of, period_number

RATES = ("closing", "average", "historical")


@dataclass
class Tally:
    """How a load met one kind of thing."""

    new: int = 0
    changed: int = 0
    same: int = 0
    skipped: int = 0
    withdrawn: int = 0

    def as_text(self) -> str:
        parts = [f"{self.new} new", f"{self.changed} changed", f"{self.same} same"]
        if self.skipped:
            parts.append(f"{self.skipped} skipped")
        if self.withdrawn:
            parts.append(f"{self.withdrawn} withdrawn")
        return ", ".join(parts)


@dataclass
class LoadReport:
    """What a load did; `revision` stays the former number when nothing changed."""

    ledger: str
    revision: int = 0
    tallies: dict[str, Tally] = field(default_factory=dict)
    notes: list[str] = field(default_factory=list)
    dry_run: bool = False

    def tally(self, what: str) -> Tally:
        return self.tallies.setdefault(what, Tally())

    @property
    def moved(self) -> bool:
        return any(tally.new or tally.changed or tally.withdrawn for tally in self.tallies.values())

    def as_text(self) -> str:
        state = "would be" if self.dry_run else "is"
        head = f"Ledger {self.ledger} {state} at revision {self.revision}" + ("" if self.moved else "; nothing changed")
        lines = [f"  {what}: {tally.as_text()}" for what, tally in self.tallies.items()]
        refused = "  refused: 0"
        return "\n".join([head, *lines, refused, *(f"  note: {note}" for note in self.notes)])


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


@contextmanager
def _without_collector() -> Iterator[None]:
    """A load makes millions of objects that all live to its end; looking for cycles among them takes a third of its time."""
    enabled = gc.isenabled()
    gc.disable()
    try:
        yield
    finally:
        if enabled:
            gc.enable()


class _DryRun(Exception):
    pass


def load_folder(code: str, path: Path, *, person: Any = None, dry_run: bool = False) -> LoadReport:
    """Load a folder, .zip or .xlsx into a ledger, made when new; all or nothing.

    Raises RulkaErrors with every refused row; then nothing was changed.
    """
    if problem := code_problem(code):
        raise RulkaError(f"The ledger code {problem}.", subject="ledger")
    with ledger_folder(path) as readable:
        folder = LedgerFolder.open(readable, name=str(path))
        settings = folder.settings()
        report = LoadReport(code, dry_run=dry_run)
        try:
            with _without_collector(), transaction.atomic():
                _Load(code, folder, settings, person, report).run()
                if dry_run:
                    raise _DryRun
        except _DryRun:
            pass
    if not dry_run and report.tally("entries").new > 5000:
        with connection.cursor() as cursor:
            cursor.execute("ANALYZE")
    return report


def _check_settings(settings: LedgerSettings, folder: LedgerFolder) -> None:
    try:
        minor_digits(settings.group_currency)
    except RulkaError as error:
        folder.errors.append(in_file("ledger.json", error))


class _Load:
    def __init__(self, code: str, folder: LedgerFolder, settings: LedgerSettings, person: Any, report: LoadReport) -> None:
        self.folder, self.settings, self.person, self.report = folder, settings, person, report
        _check_settings(settings, folder)
        self.ledger = self._ledger(code)
        self.now = self.ledger.revision + 1
        self.changes: dict[tuple[int, int, int, int, int], list[int]] = {}
        self.absolute = int(self.ledger.absolute_total)

    def run(self) -> None:
        books = self._master_data()
        self.folder.refuse_if_errors()
        entries, budgets = self._check(books)
        self.folder.refuse_if_errors()
        self._codes()
        self._write_entries(entries)
        self._write_budgets(budgets)
        self.report.notes += self.folder.notes
        if not self.report.moved:
            self.report.revision = self.ledger.revision
            return
        check_total(self.absolute)
        self._finish()

    # settings and master data ---------------------------------------------------------------------------------------

    def _ledger(self, code: str) -> Ledger:
        settings = self.settings
        values = {
            "name": settings.name,
            "group_currency": settings.group_currency,
            "calendar": settings.calendar_text,
            "retained_earnings": settings.retained_earnings,
            "translation_reserve": settings.translation_reserve,
            "dimensions": list(settings.dimensions),
        }
        self.folder.refuse_if_errors()
        ledger = Ledger.objects.filter(code=code).first()
        tally = self.report.tally("settings")
        if ledger is None:
            tally.new = 1
            return Ledger.objects.create(code=code, **values)
        former = {name: getattr(ledger, name) for name in values}
        if former == values:
            tally.same = 1
            return ledger
        tally.changed = 1
        self._check_calendar(ledger)
        former_dimensions = list(ledger.dimensions)
        if list(settings.dimensions)[: len(former_dimensions)] != former_dimensions:
            raise RulkaError(
                f"The dimensions were {', '.join(former_dimensions) or 'none'}.",
                hint="Keep these in this order; new ones can be added at the end.",
                subject="ledger.json, dimensions",
            )
        for name, value in values.items():
            setattr(ledger, name, value)
        ledger.save()
        self._grow_keys(ledger, list(settings.dimensions)[len(former_dimensions) :])
        return ledger

    def _check_calendar(self, ledger: Ledger) -> None:
        for period in calendar_of(ledger).periods:
            kept = self.settings.calendar.by_code.get(period.code)
            if kept is None or (kept.start, kept.end, kept.adjusting) != (period.start, period.end, period.adjusting):
                raise RulkaError(
                    f"Period {period.code} is missing or has other dates than before.",
                    hint="A calendar can be made longer, its periods stay as they are.",
                    subject="ledger.json, calendar",
                )

    def _grow_keys(self, ledger: Ledger, added: list[str]) -> None:
        for dimension in added:
            none, _ = Member.objects.get_or_create(ledger=ledger, dimension=dimension, code=NO_MEMBER, defaults={"name": "none"})
            for key in PostingKey.objects.filter(ledger=ledger):
                key.members = f"{key.members},{none.pk}" if key.members else str(none.pk)
                key.save(update_fields=["members"])

    def _error(self, file: str, message: str, row: int, column: str = "", hint: str = "") -> None:
        self.folder.errors.append(in_file(file, row_error(message, row, column, hint)))

    def _coded_rows(self, file: str, *, within: str = "") -> Iterable[tuple[int, dict[str, str]]]:
        """Rows whose code is sound and stands once (in its dimension)."""
        seen: dict[tuple[str, str], int] = {}
        for row, values in self.folder.table(file):
            code, identity = values["code"], (values.get(within, "") if within else "", values["code"])
            if problem := code_problem(code):
                self._error(file, f"The code '{code[:60]}' {problem}.", row, "code", "Correct it and load again.")
            elif identity in seen:
                self._error(file, f"The code '{code}' stands in row {seen[identity]} already.", row, "code", "Keep one row.")
            else:
                seen[identity] = row
                yield row, values

    def _store(self, what: str, model: Any, identity: Callable[[Any], Any], wanted: dict[Any, dict[str, Any]]) -> None:
        """Make, change or leave one row for each identity."""
        tally = self.report.tally(what)
        stored = {identity(thing): thing for thing in model.objects.filter(ledger=self.ledger)}
        fresh = []
        for key, values in wanted.items():
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

    def _master_data(self) -> Books:
        self._entities()
        self._accounts()
        self._members()
        self._scenarios()
        self._rates()
        rows = {
            values["code"]: dict(code=values["code"], name=values["name"], kind=values.get("kind", ""), address=values.get("address", ""))
            for _, values in self._coded_rows("counterparties.csv")
        }
        self._store("counterparties", Counterparty, lambda thing: thing.code, rows)
        members = {
            key: frozenset(Member.objects.filter(ledger=self.ledger, dimension=key).values_list("code", flat=True))
            for key in self.settings.dimensions
        }
        digits = {}
        for entity in Entity.objects.filter(ledger=self.ledger):
            digits[entity.code] = minor_digits(entity.currency)
        return Books(
            calendar=self.settings.calendar,
            digits=digits,
            accounts=dict(Account.objects.filter(ledger=self.ledger).values_list("code", "type")),
            members=members,
            scenarios=dict(Scenario.objects.filter(ledger=self.ledger).values_list("code", "kind")),
            group_digits=minor_digits(self.settings.group_currency),
        )

    def _entities(self) -> None:
        file = "entities.csv"
        stored = {e.code: e for e in Entity.objects.filter(ledger=self.ledger)}
        used = set(PostingKey.objects.filter(ledger=self.ledger).values_list("entity__code", flat=True))
        wanted: dict[str, dict[str, Any]] = {}
        for row, values in self._coded_rows(file):
            code, currency = values["code"], values["currency"]
            try:
                minor_digits(currency)
            except RulkaError as error:
                self._error(file, error.message, row, "currency", error.hint)
                continue
            if code in used and stored[code].currency != currency:
                self._error(
                    file, f"{code} has lines in {stored[code].currency} and can't change to {currency}.", row, "currency", "Use a new entity."
                )
                continue
            position = stored[code].position if code in stored else len(stored) + len(wanted)
            wanted[code] = dict(code=code, name=values["name"], currency=currency, parent=values.get("parent", ""), position=position)
        self._check_parents(file, "entity", stored, wanted)
        if not self.folder.errors:
            self._store("entities", Entity, lambda thing: thing.code, wanted)

    def _check_parents(self, file: str, kind: str, stored: dict[str, Any], wanted: dict[str, dict[str, Any]]) -> None:
        parents = {code: thing.parent for code, thing in stored.items()} | {code: v["parent"] for code, v in wanted.items()}
        items = [Item(code, "", parent) for code, parent in parents.items()]
        self.folder.errors += [in_file(file, error) for error in parent_errors(kind, items)]

    def _accounts(self) -> None:
        file = "accounts.csv"
        stored = {a.code: a for a in Account.objects.filter(ledger=self.ledger)}
        used = set(PostingKey.objects.filter(ledger=self.ledger).values_list("account__code", flat=True))
        wanted: dict[str, dict[str, Any]] = {}
        for row, values in self._coded_rows(file):
            code, type_ = values["code"], values["type"]
            default_rate = "average" if type_ in ("revenue", "expense") else "historical" if type_ == "equity" else "closing"
            rate = values.get("rate", "") or default_rate
            for column, value, allowed in (
                ("type", type_, TYPES),
                ("rate", rate, RATES),
                ("intercompany", values.get("intercompany", ""), ("", "0", "1")),
                ("active", values.get("active", ""), ("", "0", "1")),
            ):
                if value not in allowed:
                    self._error(file, f"'{value}' is not allowed here.", row, column, "Write " + ", ".join(a for a in allowed if a) + ".")
            if code in used and (stored[code].type == "statistical") != (type_ == "statistical"):
                self._error(file, f"{code} has lines and can't change between money and quantities.", row, "type", "Use a new account.")
            wanted[code] = dict(
                code=code,
                name=values["name"],
                type=type_,
                category=values.get("category", ""),
                parent=values.get("parent", ""),
                unit=values.get("unit", ""),
                intercompany=values.get("intercompany") == "1",
                rate=rate,
                active=values.get("active") != "0",
            )
        self._check_parents(file, "account", stored, wanted)
        types = {code: a.type for code, a in stored.items()} | {code: v["type"] for code, v in wanted.items()}
        for setting in ("retained_earnings", "translation_reserve"):
            code = getattr(self.settings, setting)
            if code and types.get(code) not in CARRYING[:3]:
                what = "is no account" if code not in types else f"is of type {types[code]}"
                self.folder.errors.append(
                    RulkaError(f"{setting} '{code}' {what}.", hint="Name an equity account of accounts.csv.", subject="ledger.json")
                )
        if not self.settings.retained_earnings:
            self.folder.errors.append(RulkaError("retained_earnings is empty.", hint="Name an equity account.", subject="ledger.json"))
        if not self.folder.errors:
            self._store("accounts", Account, lambda thing: thing.code, wanted)

    def _members(self) -> None:
        file = "members.csv"
        wanted: dict[Any, dict[str, Any]] = {}
        for row, values in self._coded_rows(file, within="dimension"):
            if values["dimension"] not in self.settings.dimensions:
                self._error(
                    file,
                    f"'{values['dimension']}' is no dimension of this ledger.",
                    row,
                    "dimension",
                    f"ledger.json lists {', '.join(self.settings.dimensions) or 'none'}.",
                )
                continue
            wanted[values["dimension"], values["code"]] = dict(
                dimension=values["dimension"], code=values["code"], name=values["name"], parent=values.get("parent", "")
            )
        stored = {(m.dimension, m.code): m for m in Member.objects.filter(ledger=self.ledger)}
        for dimension in self.settings.dimensions:
            if (dimension, NO_MEMBER) not in stored:
                wanted.setdefault((dimension, NO_MEMBER), dict(dimension=dimension, code=NO_MEMBER, name="none", parent=""))
            self._check_parents(
                file,
                dimension,
                {code: m for (key, code), m in stored.items() if key == dimension},
                {code: v for (key, code), v in wanted.items() if key == dimension},
            )
        if not self.folder.errors:
            self._store("members", Member, lambda thing: (thing.dimension, thing.code), wanted)

    def _scenarios(self) -> None:
        file = "scenarios.csv"
        wanted: dict[str, dict[str, Any]] = {}
        for row, values in self._coded_rows(file):
            if values["kind"] not in ("actual", "budget", "forecast"):
                self._error(file, f"'{values['kind']}' is not a kind.", row, "kind", "Write actual, budget or forecast.")
            elif values["code"] == "actual" and values["kind"] != "actual":
                self._error(
                    file,
                    f"Scenario '{values['code']}' is of kind {values['kind']}.",
                    row,
                    "kind",
                    "The scenario actual is of kind actual.",
                )
            wanted[values["code"]] = dict(code=values["code"], name=values["name"], kind=values["kind"])
        if not Scenario.objects.filter(ledger=self.ledger, code="actual").exists():
            wanted.setdefault("actual", dict(code="actual", name="Actual", kind="actual"))
        if not self.folder.errors:
            self._store("scenarios", Scenario, lambda thing: thing.code, wanted)

    def _rates(self) -> None:
        file = "rates.csv"
        wanted: dict[Any, dict[str, Any]] = {}
        for row, values in self.folder.table(file):
            if values["period"] not in self.settings.calendar.by_code:
                self._error(file, f"Period '{values['period']}' does not exist.", row, "period", "Write it as 2027-P07.")
                continue
            for column in ("from", "to"):
                try:
                    minor_digits(values[column])
                except RulkaError as error:
                    self._error(file, error.message, row, column, error.hint)
            for column in ("average", "closing"):
                text = values.get(column, "")
                if (text or column == "closing") and (not AMOUNT.fullmatch(text) or text.startswith("-") or not text.strip("0.")):
                    self._error(file, f"'{text}' is not a rate.", row, column, "Write a decimal above zero.")
            identity = (period_number(values["period"]), values["from"], values["to"])
            if identity in wanted:
                self._error(file, "This period and pair of currencies stands twice.", row, "period", "Keep one row.")
            wanted[identity] = dict(
                period=identity[0], source=identity[1], target=identity[2], average=values.get("average", ""), closing=values["closing"]
            )
        if not self.folder.errors:
            self._store("rates", Rate, lambda thing: (thing.period, thing.source, thing.target), wanted)

    # entries and budgets --------------------------------------------------------------------------------------------

    def _check(self, books: Books) -> tuple[list[Entry], list[Budget]]:
        checker = EntryChecker(books)
        checked = [checker.check(rows) for rows in group_rows(self.folder.entries(self.settings.dimensions)).values()]
        self.folder.errors += [in_file("entries.csv", error) for error in checker.errors]
        budgets, errors = check_budgets(self.folder.budgets(self.settings.dimensions), books)
        self.folder.errors += [in_file("budgets.csv", error) for error in errors]
        return [entry for entry in checked if entry is not None], budgets

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
            source=self.folder.name,
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


__all__ = ["LoadReport", "Period", "load_folder"]
