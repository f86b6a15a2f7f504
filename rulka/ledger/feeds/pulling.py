"""A pull, done: whatever a source is becomes a plain ledger folder, which is loaded, held or refused."""

from __future__ import annotations

import csv
import json
import shutil
from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import datetime
from pathlib import Path
from typing import Any

from django.utils import timezone

from rulka.core.errors import RulkaError, RulkaErrors
from rulka.formats.intake.bounds import MemoryBounds, OpeningRules, bound_entries
from rulka.formats.intake.ledger_folder import TABLES, LedgerFolder, calendar_from
from rulka.formats.intake.ledger_source import ledger_folder
from rulka.formats.intake.mapping import MappingDefinition, convert, side_rows
from rulka.formats.intake.odata import Service, ServiceSignIn, pull, pull_openings, sets_from
from rulka.ledger.feeds.settings import bounds_of, loads_folder, outside, place_of, secret_of
from rulka.ledger.loading.load import Loading, alone, load
from rulka.ledger.loading.report import ACCEPT, FINDINGS, RULES, LoadReport
from rulka.ledger.models import Feed, Ledger
from rulka.ledger.reading.beside import keep_table
from rulka.people.library.persons import find_person
from rulka.work.models import Load
from rulka.work.services import loads as work

Watch = Callable[[str, int, int], None]
"""Told what is being done, how many rows of it, and of how many; raises Cancelled when somebody asked for that."""


# asking for a load --------------------------------------------------------------------------------------------------


def run(load_id: int) -> None:
    """Do a waiting load to its end; every way it can end is kept with it."""
    job = work.claim(load_id)
    if job is None:
        return
    try:
        with alone(job.ledger):
            _run(job)
    except work.LoadCancelled:
        _clear(job)
        work.finish(job.pk, Load.State.CANCELLED)
    except RulkaError as error:
        report = LoadReport(job.ledger)
        report.refuse(error.errors if isinstance(error, RulkaErrors) else [error])
        _clear(job)
        work.finish(job.pk, Load.State.REFUSED, report=report.as_data())


def _clear(job: Load) -> None:
    shutil.rmtree(loads_folder(job.pk), ignore_errors=True)


def _run(job: Load) -> None:
    feed = Feed.objects.select_related("ledger").filter(pk=job.feed or -1).first()
    if feed is None and not (job.accepting and job.feed is None):
        raise RulkaError("The feed is gone.", hint="Set it up again.", subject=job.feed_name)
    watch = work.watcher(job.pk)
    watch("reading", 0, 0)
    person = find_person(job.person)
    source = Prepared.kept(loads_folder(job.pk)) if job.accepting or feed is None else _prepare(feed, job, watch)
    if source is None:  # a table beside the ledger: nothing of the ledger changes
        return
    work.note(job.pk, mark=source.mark, folder=str(source.folder))
    outcome = load(
        Loading(
            job.ledger,
            source.folder,
            person=person,
            source=f"{job.feed_name}: {source.name}" if source.name else job.feed_name,
            feed=feed,
            rules=dict.fromkeys(FINDINGS, ACCEPT) if job.accepting or feed is None else RULES | feed.rules,
            hold=not job.accepting and not job.unattended,
            full=source.full,
            withdraw=job.withdraw,
            keep=bool(feed and feed.options.get("keep_columns")),
            watch=watch,
            rows=source.rows,
        )
    )
    if outcome.state == "held":
        work.finish(job.pk, Load.State.HELD, report=outcome.report.as_data())
        return
    _clear(job)
    if outcome.state == "refused":
        work.finish(job.pk, Load.State.REFUSED, report=outcome.report.as_data())
        return
    if feed is not None:
        # a load that waited long may be accepted after a newer one: the mark never goes back
        Feed.objects.filter(pk=feed.pk).update(pulled_at=timezone.now(), mark=max(source.mark, feed.mark))
    work.finish(job.pk, Load.State.ACCEPTED, report=outcome.report.as_data(), revision=outcome.report.revision)


@dataclass
class Prepared:
    """What a pull made of a source: a plain ledger folder."""

    folder: Path
    name: str = ""
    mark: str = ""
    full: bool = False
    rows: dict[str, list[int]] = field(default_factory=dict)

    def keep(self, where: Path) -> Prepared:
        """Write down beside the folder what a later look needs to know."""
        (where / "prepared.json").write_text(
            json.dumps({"name": self.name, "mark": self.mark, "full": self.full, "rows": self.rows})
        )
        return self

    @classmethod
    def kept(cls, where: Path) -> Prepared:
        """What `keep` wrote; refused when it is gone."""
        try:
            about = json.loads((where / "prepared.json").read_text())
        except FileNotFoundError:
            raise RulkaError("What was pulled is no longer there.", hint="Pull again.", subject="load") from None
        return cls(where / "ledger", about["name"], about["mark"], about["full"], about["rows"])


def _prepare(feed: Feed, job: Load, watch: Watch) -> Prepared | None:
    where = loads_folder(job.pk)
    folder = where / "ledger"
    shutil.rmtree(folder, ignore_errors=True)
    folder.mkdir(parents=True)
    if feed.kind == Feed.Kind.SERVICE:
        return _from_service(feed, job, folder, watch).keep(where)
    upload = next(where.glob("upload-*"), None)
    path = upload or place_of(feed.location)
    name = path.name.removeprefix("upload-")
    if feed.kind == Feed.Kind.TABLE:
        return _from_table(feed, job, path, folder, name, where, watch)
    with ledger_folder(path) as readable:
        shutil.copytree(readable, folder, dirs_exist_ok=True)
    _bound(feed, folder)
    return Prepared(folder, name, full=job.full).keep(where)


def _settings_file(ledger: Ledger, folder: Path) -> None:
    """The ledger's own settings, and empty tables, where a source brings neither."""
    calendar = calendar_from(ledger.calendar)
    (folder / "ledger.json").write_text(
        json.dumps(
            {
                "name": ledger.name,
                "group_currency": ledger.group_currency,
                "calendar": {},
                "retained_earnings": ledger.retained_earnings,
                "translation_reserve": ledger.translation_reserve,
                "dimensions": ledger.dimensions,
            }
        )
    )
    with (folder / "periods.csv").open("w", encoding="utf-8", newline="") as file:
        writer = csv.writer(file, lineterminator="\n")
        writer.writerow(["year", "number", "start", "end", "name", "adjusting", "calendar"])
        for key, periods in (("", calendar), *((name, calendar_from(one)) for name, one in ledger.calendars.items())):
            for p in periods.periods:
                writer.writerow([p.year, p.number, p.start, p.end, p.name, int(p.adjusting), key])
    for table in TABLES.values():
        if table.must_exist and not (folder / table.file).exists():
            (folder / table.file).write_text(",".join(table.required) + "\n", encoding="utf-8")


def _from_table(
    feed: Feed, job: Load, path: Path, folder: Path, name: str, where: Path, watch: Watch
) -> Prepared | None:
    if not feed.mapping:
        raise RulkaError(
            "This feed has no mapping yet.", hint="Open the feed and say which column is what.", subject=feed.name
        )
    mapping = MappingDefinition.from_data(feed.mapping)
    if mapping.table == "side":
        columns, beside = side_rows(path, mapping)
        keep_table(feed.ledger, mapping.side_name or feed.name, columns, beside)
        report = LoadReport(
            feed.ledger.code,
            revision=feed.ledger.revision,
            notes=[f"{len(beside)} rows of {len(columns)} columns are kept beside the ledger"],
        )
        _clear(job)
        work.finish(job.pk, Load.State.ACCEPTED, report=report.as_data(), revision=feed.ledger.revision)
        return None
    converted = convert(path, mapping, folder, feed.ledger.dimensions, watch=lambda rows: watch("reading", rows, rows))
    if converted.errors:
        raise RulkaErrors(converted.errors, message=f"Refused, nothing was loaded: {len(converted.errors)} errors.")
    _settings_file(feed.ledger, folder)
    _bound(feed, folder)
    # bounds write rows of their own: the source's rows can't be named then
    rows = {} if feed.options.get("bounds") else {converted.file: converted.rows}
    return Prepared(folder, name, full=mapping.table == "entries" and job.full, rows=rows).keep(where)


def _from_service(feed: Feed, job: Load, folder: Path, watch: Watch) -> Prepared:
    sets = sets_from(feed.mapping)
    about = feed.options.get("sign_in") or {}
    sign_in = ServiceSignIn(about.get("kind", ""), about.get("user", ""), secret_of(feed))
    bounds = bounds_of(feed)
    since = "" if job.full else feed.mark
    dimensions = feed.ledger.dimensions
    seconds, wait = float(feed.options.get("seconds", 30)), float(feed.options.get("wait", 0.5))
    with Service(
        feed.location,
        sign_in,
        outside=outside(),
        seconds=seconds,
        wait=wait,
        watch=lambda rows, of: watch("reading", rows, of),
    ) as service:
        pulled = pull(service, sets, folder, dimensions, since=since, bounds=bounds)
        _settings_file(feed.ledger, folder)
        if not bounds.is_open:
            openings = None
            if bounds.first_day and "entries" in sets:
                rules = _rules(feed, folder, bounds)
                former = pull_openings(service, sets["entries"], dimensions, rules.year_start, "", bounds)
                openings = [{**row, "former": "1"} for row in former]
                openings += pull_openings(
                    service, sets["entries"], dimensions, bounds.first_day, rules.year_start, bounds
                )
            _bound(feed, folder, openings)
    return Prepared(folder, feed.location, pulled.mark, full=not since)


def _rules(feed: Feed, folder: Path, bounds: MemoryBounds) -> OpeningRules:
    readable = LedgerFolder.open(folder)
    types = dict(feed.ledger.accounts.values_list("code", "type")) | {
        values["code"]: values["type"] for _, values in readable.table("accounts.csv")
    }
    calendar = readable.settings().calendar
    start = ""
    if bounds.first_day:
        period = calendar.on(datetime.fromisoformat(bounds.first_day).date())
        start = calendar.of_year(period.year)[0].start.isoformat() if period else ""
    return OpeningRules(start, types, feed.ledger.retained_earnings, feed.ledger.dimensions)


def _bound(feed: Feed, folder: Path, openings: Any = None) -> None:
    bounds = bounds_of(feed)
    if not bounds.is_open:
        bound_entries(folder, bounds, _rules(feed, folder, bounds), openings=openings)
