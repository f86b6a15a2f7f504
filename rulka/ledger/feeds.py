"""Feeds: setting them up, pulling from them, and what becomes of what was pulled."""

from __future__ import annotations

import contextlib
import fcntl
import json
import logging
import os
import secrets
import shutil
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any

from croniter import CroniterError, croniter
from django.conf import settings
from django.utils import timezone

from rulka.core.errors import RulkaError, RulkaErrors, one_of
from rulka.core.selection import select
from rulka.formats.bounds import Bounds, OpeningRules, bound_entries
from rulka.formats.ledger_folder import TABLES, LedgerFolder, calendar_from
from rulka.formats.ledger_source import ledger_folder
from rulka.formats.mapping import MappingDefinition, convert, side_rows
from rulka.formats.odata import Service, SignIn, pull, pull_openings, sets_from
from rulka.ledger.intake import Loading, load
from rulka.ledger.models import Feed, Ledger, SideTable
from rulka.ledger.queries import book_of
from rulka.ledger.report import ACCEPT, FINDINGS, RULES, LoadReport
from rulka.people.models import Person
from rulka.work import services as work
from rulka.work.models import Load

logger = logging.getLogger("rulka.ledger")

Watch = Callable[[str, int, int], None]
"""Told what is being done, how many rows of it, and of how many; raises Cancelled when somebody asked for that."""

ENOUGH = timedelta(hours=1)
MOST_UPLOAD = 500_000_000


def loads_folder(load_id: int) -> Path:
    """Where a load keeps what it pulled until it is decided."""
    return Path(settings.VAR) / "loads" / str(load_id)


def feed_folder() -> Path:
    """The one folder that feeds may read files from."""
    folder = Path(settings.FEED_FOLDER)
    folder.mkdir(parents=True, exist_ok=True)
    return folder


def place_of(location: str) -> Path:
    """A feed's file or folder; refused outside the folder of feeds."""
    base = feed_folder().resolve()
    path = (base / location).resolve()
    if not path.is_relative_to(base):
        raise RulkaError(
            f"'{location}' lies outside the folder of feeds.", hint=f"Put it below {base}.", subject="location"
        )
    if not path.exists():
        raise RulkaError(
            f"'{location}' does not exist.", hint=f"Put it into {base}, or hand a file in.", subject="location"
        )
    return path


# setting up ---------------------------------------------------------------------------------------------------------


def save_feed(ledger: Ledger, values: dict[str, Any], *, feed: Feed | None = None) -> Feed:
    """Make or change a feed; everything it says is checked first."""
    name = values.get("name", feed.name if feed else "").strip()
    if not name:
        raise RulkaError("The feed has no name.", hint="Write one.", subject="name")
    if Feed.objects.filter(ledger=ledger, name=name).exclude(pk=feed.pk if feed else -1).exists():
        raise RulkaError(f"There is a feed '{name}' already.", hint="Choose another name.", subject="name")
    feed = feed or Feed(ledger=ledger)
    for field_name in ("kind", "location", "mapping", "options", "rules", "schedule", "on_opening"):
        if field_name in values:
            setattr(feed, field_name, values[field_name])
    feed.name = name
    if feed.kind not in Feed.Kind.values:
        raise RulkaError(
            f"'{feed.kind}' is no kind of source.", hint=one_of(feed.kind, Feed.Kind.values), subject="kind"
        )
    if feed.schedule:
        check_schedule(feed.schedule)
    for kind, action in feed.rules.items():
        if kind not in FINDINGS or action not in ("refuse", "hold", "accept"):
            raise RulkaError(f"'{kind}: {action}' is no rule.", hint="Choose refuse, hold or accept.", subject="rules")
    if feed.kind == Feed.Kind.TABLE and feed.mapping:
        MappingDefinition.from_data(feed.mapping)
    if feed.kind == Feed.Kind.SERVICE:
        sets_from(feed.mapping)
    bounds_of(feed)
    feed.save()
    return feed


def check_schedule(text: str) -> None:
    """Refuse what is no schedule of five fields, or one whose time never comes."""
    if len(text.split()) != 5 or not croniter.is_valid(text):
        raise RulkaError(
            f"'{text}' is no schedule.",
            hint="Write minute, hour, day, month and weekday: 30 6 * * 1-5.",
            subject="schedule",
        )
    if next_pull(text, timezone.now()) is None:
        raise RulkaError(
            f"The time of '{text}' never comes.", hint="Give a day that its month has: 30 6 28 2 *.", subject="schedule"
        )


def next_pull(schedule: str, after: datetime) -> datetime | None:
    """When a schedule comes next; None where it never does."""
    try:
        found: datetime = croniter(schedule, after).get_next(datetime)
    except CroniterError:
        return None
    return found


def remove_feed(feed: Feed) -> None:
    """Take a feed away with its secret and its sample; what it brought stays. Refused while a load of it is not
    decided."""
    if _busy(feed):
        raise RulkaError(
            "A load of this feed runs or waits for a decision.", hint="Decide or cancel it first.", subject=feed.name
        )
    for kept in (
        Path(settings.VAR) / "secrets" / f"feed-{feed.pk}",
        Path(settings.VAR) / "samples" / f"feed-{feed.pk}",
    ):
        if kept.is_dir():
            shutil.rmtree(kept)
        else:
            kept.unlink(missing_ok=True)
    feed.delete()


def keep_secret(feed: Feed, secret: str) -> None:
    """Keep a service's password or token in a file of its own that only we may read."""
    folder = Path(settings.VAR) / "secrets"
    folder.mkdir(mode=0o700, parents=True, exist_ok=True)
    descriptor = os.open(folder / f"feed-{feed.pk}", os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600)
    with os.fdopen(descriptor, "w") as file:
        file.write(secret)


def _secret(feed: Feed) -> str:
    path = Path(settings.VAR) / "secrets" / f"feed-{feed.pk}"
    return path.read_text() if path.exists() else ""


def bounds_of(feed: Feed) -> Bounds:
    """A feed's bounds, with its selections resolved against the ledger as it is."""
    asked = feed.options.get("bounds") or {}
    if not any(asked.values()):
        return Bounds()
    book = book_of(feed.ledger)
    frame = book.frame
    first = asked.get("first_day", "")
    if first and not any(
        period.start.isoformat() == first for period in frame.calendar.periods if not period.adjusting
    ):
        raise RulkaError(
            f"'{first}' is not the first day of a period.",
            hint="Openings come at the start of a period.",
            subject="bounds, first day",
        )

    def codes(text: str, items: Any) -> tuple[str, ...]:
        if not text:
            return ()
        matched = select(text, items)
        if matched.warnings:
            raise RulkaError(
                f"{'; '.join(matched.warnings)}.", hint="Name what the ledger has.", subject=f"bounds, {items.kind}"
            )
        return tuple(item.code for item, inside in zip(items.items, matched.mask, strict=True) if inside)

    rest = asked.get("rest_account", "")
    if asked.get("accounts") and rest not in frame.accounts.index:
        raise RulkaError(
            f"Account '{rest}' does not exist.",
            hint="Name the account that takes the rest of an entry.",
            subject="bounds, rest account",
        )
    return Bounds(
        first, codes(asked.get("entities", ""), frame.entities), codes(asked.get("accounts", ""), frame.accounts), rest
    )


# asking for a load --------------------------------------------------------------------------------------------------


def ask(
    feed: Feed,
    *,
    person: Person | None = None,
    full: bool = False,
    unattended: bool = False,
    upload: Any = None,
    upload_name: str = "",
) -> Load:
    """Queue a pull from a feed; `upload` is an open file that a person handed in, in the place of the feed's
    location."""
    from rulka.ledger.tasks import run_load

    if not unattended and upload is None and not feed.location:
        raise RulkaError("This feed has no location.", hint="Hand a file in.", subject=feed.name)
    load = Load.objects.create(
        ledger=feed.ledger.code,
        feed=feed.pk,
        feed_name=feed.name,
        person=person.pk if person else None,
        person_name=(person.title or person.username) if person else "",
        source=upload_name or feed.location,
        full=full,
        unattended=unattended,
    )
    if upload is not None:
        folder = loads_folder(load.pk)
        shutil.rmtree(folder, ignore_errors=True)
        folder.mkdir(parents=True)
        name = Path(upload_name).name or "upload"
        size = 0
        with (folder / f"upload-{name}").open("wb") as target:
            while block := upload.read(1 << 20):
                size += len(block)
                if size > MOST_UPLOAD:
                    shutil.rmtree(folder, ignore_errors=True)
                    load.delete()
                    raise RulkaError(
                        f"'{name}' is larger than {MOST_UPLOAD // 1_000_000} MB.",
                        hint="Put it into the folder of feeds instead.",
                        subject="file",
                    )
                target.write(block)
        Load.objects.filter(pk=load.pk).update(folder=str(folder))
    run_load.enqueue(load.pk)
    load.refresh_from_db()
    return load


def hold_draft(code: str, path: Path, report: LoadReport) -> Load:
    """Keep a checked folder, .zip or .xlsx for a person to accept or drop."""
    job = Load.objects.create(
        ledger=code,
        feed=None,
        feed_name="load_ledger",
        source=str(path),
        state=Load.State.HELD,
        report=report.as_data(),
    )
    folder = loads_folder(job.pk) / "ledger"
    with ledger_folder(path) as readable:
        shutil.copytree(readable, folder)
    Prepared(folder, str(path)).keep(loads_folder(job.pk))
    return job


def accept(load: Load, *, person: Person, withdraw: bool = False) -> Load:
    """Let a held load count: it is checked once more and written whatever its rules say."""
    from rulka.ledger.tasks import run_load

    if load.state != Load.State.HELD:
        raise RulkaError("This load is not waiting for a decision.", subject="load")
    Load.objects.filter(pk=load.pk).update(
        state=Load.State.WAITING,
        accepting=True,
        withdraw=withdraw,
        person=person.pk,
        person_name=person.title or person.username,
    )
    run_load.enqueue(load.pk)
    load.refresh_from_db()
    return load


def drop(load: Load) -> Load:
    """Let a held load go; nothing of it counts."""
    if load.state != Load.State.HELD:
        raise RulkaError("This load is not waiting for a decision.", subject="load")
    shutil.rmtree(loads_folder(load.pk), ignore_errors=True)
    work.finish(load.pk, Load.State.DROPPED)
    load.refresh_from_db()
    return load


# doing it -----------------------------------------------------------------------------------------------------------


@contextlib.contextmanager
def alone(code: str, *, wait: bool = True) -> Iterator[None]:
    """One load a ledger at a time, whichever process does it; the lock goes with the process that holds it."""
    folder = Path(settings.VAR) / "locks"
    folder.mkdir(parents=True, exist_ok=True)
    with (folder / f"{code}.lock".replace("/", "_")).open("w") as file:
        try:
            fcntl.flock(file, fcntl.LOCK_EX | (0 if wait else fcntl.LOCK_NB))
        except BlockingIOError:
            raise RulkaError(
                "Another load of this ledger runs.",
                hint="Wait until it is done, then load again.",
                subject=f"ledger {code}",
            ) from None
        yield


def run(load_id: int) -> None:
    """Do a waiting load to its end; every way it can end is kept with it."""
    job = work.claim(load_id)
    if job is None:
        return
    try:
        with alone(job.ledger):
            _run(job)
    except work.Cancelled:
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
    person = Person.objects.filter(pk=job.person or -1).first()
    source = Prepared.kept(loads_folder(job.pk)) if job.accepting or feed is None else _prepare(feed, job, watch)
    if source is None:  # a table beside the ledger: nothing of the ledger changes
        return
    Load.objects.filter(pk=job.pk).update(mark=source.mark, folder=str(source.folder))
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
    rows = ["year,number,start,end,name,adjusting,calendar"]
    for key, periods in (("", calendar), *((name, calendar_from(one)) for name, one in ledger.calendars.items())):
        rows += [
            f"{p.year},{p.number},{p.start},{p.end},{_quoted(p.name)},{int(p.adjusting)},{_quoted(key)}"
            for p in periods.periods
        ]
    (folder / "periods.csv").write_text("\n".join(rows) + "\n", encoding="utf-8")
    for table in TABLES.values():
        if table.must_exist and not (folder / table.file).exists():
            (folder / table.file).write_text(",".join(table.required) + "\n", encoding="utf-8")


def _quoted(text: str) -> str:
    return '"' + text.replace('"', '""') + '"' if text else ""


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
        SideTable.objects.update_or_create(
            ledger=feed.ledger, name=mapping.side_name or feed.name, defaults={"columns": columns, "rows": beside}
        )
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
    sign_in = SignIn(about.get("kind", ""), about.get("user", ""), _secret(feed))
    bounds = bounds_of(feed)
    since = "" if job.full else feed.mark
    dimensions = feed.ledger.dimensions
    seconds, wait = float(feed.options.get("seconds", 30)), float(feed.options.get("wait", 0.5))
    with Service(
        feed.location, sign_in, seconds=seconds, wait=wait, watch=lambda rows, of: watch("reading", rows, of)
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


def _rules(feed: Feed, folder: Path, bounds: Bounds) -> OpeningRules:
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


# by itself ----------------------------------------------------------------------------------------------------------


def due_feeds(now: datetime) -> list[Feed]:
    """Feeds whose schedule says that they should have pulled since they last did."""
    due = []
    for feed in Feed.objects.exclude(schedule="").exclude(location=""):
        last = feed.pulled_at or now - timedelta(days=1)
        latest = Load.objects.filter(feed=feed.pk).first()
        if latest is not None:
            last = max(last, latest.created)
        comes = next_pull(feed.schedule, last)
        if comes is not None and comes <= now:
            due.append(feed)
    return due


def pull_due() -> int:
    """Queue every feed that is due; returns how many. One that can't be queued is logged and keeps no other from its
    turn."""
    queued = 0
    for feed in due_feeds(timezone.now()):
        if _busy(feed):
            continue
        try:
            ask(feed, unattended=True)
            queued += 1
        except Exception:  # whatever is wrong with one feed, the others are pulled
            logger.exception("Incident %s: feed %s could not be queued", secrets.token_hex(4), feed.pk)
    return queued


def pull_on_opening(code: str) -> None:
    """Queue the feeds that want to be pulled when somebody opens the ledger, if they are an hour old."""
    for feed in Feed.objects.filter(ledger__code=code, on_opening=True).exclude(location=""):
        if (
            (feed.pulled_at is None or timezone.now() - feed.pulled_at > ENOUGH)
            and not _busy(feed)
            and not _tried(feed)
        ):
            ask(feed, unattended=True)


def _busy(feed: Feed) -> bool:
    return Load.objects.filter(
        feed=feed.pk, state__in=(Load.State.WAITING, Load.State.RUNNING, Load.State.HELD)
    ).exists()


def _tried(feed: Feed) -> bool:
    return Load.objects.filter(feed=feed.pk, created__gt=timezone.now() - ENOUGH).exists()


def recover() -> int:
    """Queue again what a dead worker left; loads change nothing before their end, so doing one again is safe."""
    from rulka.ledger.tasks import run_load

    left = work.orphans()
    for job in left:
        Load.objects.filter(pk=job.pk, state=Load.State.RUNNING).update(state=Load.State.WAITING)
        run_load.enqueue(job.pk)
    return len(left)
