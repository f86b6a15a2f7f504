"""Asking for a pull: by hand, by schedule, on opening; and what becomes of a load that waits for a decision."""

from __future__ import annotations

import logging
import secrets
import shutil
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any

from django.utils import timezone

from rulka.core.errors import NotFound, RulkaError
from rulka.formats.intake.ledger_source import ledger_folder
from rulka.ledger.feeds.owning import feeds_for, may_use
from rulka.ledger.feeds.pulling import Prepared
from rulka.ledger.feeds.settings import loads_folder, next_pull
from rulka.ledger.feeds.tasks import run_load
from rulka.ledger.loading.report import LoadReport
from rulka.ledger.models import Feed, Ledger
from rulka.people.models import Person
from rulka.work.models import Load
from rulka.work.services import loads as work

logger = logging.getLogger("rulka.ledger")

ENOUGH = timedelta(hours=1)
MOST_UPLOAD = 500_000_000


def ask(
    feed: Feed,
    *,
    person: Person | None = None,
    full: bool = False,
    unattended: bool = False,
    upload: Any = None,
    upload_name: str = "",
    queued: bool = True,
) -> Load:
    """Queue a pull from a feed; `upload` is an open file that a person handed in, in the place of the feed's
    location. Who does it at once queues nothing."""
    if person is not None and not may_use(feed, person):
        raise NotFound("This feed does not exist.", hint="Choose one from the list.", subject="feed")
    if not unattended and upload is None and not feed.location:
        raise RulkaError("This feed has no location.", hint="Hand a file in.", subject=feed.name)
    load = work.create(
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
        _keep_upload(load, upload, upload_name)
    if queued:
        run_load.enqueue(load.pk)
    load.refresh_from_db()
    return load


def _keep_upload(load: Load, upload: Any, upload_name: str) -> None:
    """Keep what was handed in, in the load's folder; what is too large is refused, and the load forgotten."""
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
                work.forget(load.pk)
                raise RulkaError(
                    f"'{name}' is larger than {MOST_UPLOAD // 1_000_000} MB.",
                    hint="Put it into the folder of feeds instead.",
                    subject="file",
                )
            target.write(block)
    work.note(load.pk, folder=str(folder))


def sources_of(ledger: Ledger, person: Person) -> list[Feed]:
    """The feeds of a ledger that somebody can ask without handing a file in."""
    return [feed for feed in feeds_for(ledger, person) if feed.location]


def last_accepted(feed: Feed) -> datetime | None:
    """When the feed was last pulled and accepted; None where it never was."""
    done = [load for load in work.of_feed(feed.pk) if load.state == load.State.ACCEPTED]
    return done[0].ended if done else None


def hold_draft(code: str, path: Path, report: LoadReport) -> Load:
    """Keep a checked folder, .zip or .xlsx for a person to accept or drop."""
    job = work.create(
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
    if load.state != Load.State.HELD:
        raise RulkaError("This load is not waiting for a decision.", subject="load")
    work.note(
        load.pk,
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


def due_feeds(now: datetime) -> list[Feed]:
    """Feeds whose schedule says that they should have pulled since they last did."""
    due = []
    for feed in Feed.objects.exclude(schedule="").exclude(location=""):
        last = feed.pulled_at or now - timedelta(days=1)
        for latest in work.of_feed(feed.pk, 1):
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
        if work.is_busy(feed.pk):
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
            and not work.is_busy(feed.pk)
            and not work.was_tried(feed.pk, timezone.now() - ENOUGH)
        ):
            ask(feed, unattended=True)


def recover(own: bool = False) -> int:
    """Queue again what a dead worker left; loads change nothing before their end, so doing one again is safe."""
    left = work.orphans(own=own)
    for job in left:
        work.wait_again(job.pk)
        run_load.enqueue(job.pk)
    return len(left)
