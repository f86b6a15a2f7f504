"""Loads in the background: asked for, found, their progress and end, cancelling, taking up what a dead worker left."""

from __future__ import annotations

import os
import socket
import time
from collections.abc import Callable
from datetime import datetime
from typing import Any

from django.utils import timezone

from rulka.core.errors import RulkaError
from rulka.work.models import Load

TELL_EVERY = 0.25
"""Seconds between two writes of a load's progress."""


class LoadCancelled(RulkaError):
    """Somebody cancelled the load while it ran; nothing was changed."""

    code = "cancelled"


def create(**values: Any) -> Load:
    """A load that is asked for."""
    return Load.objects.create(**values)


def forget(load_id: int) -> None:
    """Take away a load that came to nothing before it was queued."""
    Load.objects.filter(pk=load_id).delete()


def note(load_id: int, **values: Any) -> None:
    """Write down with a load what became known of it."""
    Load.objects.filter(pk=load_id).update(**values)


def find(load_id: int, *, ledger: str = "") -> Load | None:
    """A load by its number, of one ledger where it is named."""
    found = Load.objects.filter(pk=load_id)
    return (found.filter(ledger=ledger) if ledger else found).first()


def lose_after(ledger: str, revision: int) -> int:
    """Mark loads as failed that made revisions which a restored ledger doesn't have; how many that were."""
    return Load.objects.filter(ledger=ledger, revision__gt=revision).update(state=Load.State.FAILED, revision=None)


def of_ledger(code: str, most: int) -> list[Load]:
    """The latest loads of a ledger."""
    return list(Load.objects.filter(ledger=code)[:most])


def of_feed(feed_id: int, most: int = 20) -> list[Load]:
    """The latest loads of a feed."""
    return list(Load.objects.filter(feed=feed_id)[:most])


def is_busy(feed_id: int) -> bool:
    """Whether a load of a feed waits, runs, or waits for a decision."""
    states = (Load.State.WAITING, Load.State.RUNNING, Load.State.HELD)
    return Load.objects.filter(feed=feed_id, state__in=states).exists()


def was_tried(feed_id: int, since: datetime) -> bool:
    """Whether a feed was pulled from, with whatever end, after a moment."""
    return Load.objects.filter(feed=feed_id, created__gt=since).exists()


def held(code: str) -> int:
    """How many loads of a ledger wait for a decision."""
    return Load.objects.filter(ledger=code, state=Load.State.HELD).count()


def running(code: str) -> Load | None:
    """A load of a ledger that waits or runs."""
    return Load.objects.filter(ledger=code, state__in=(Load.State.WAITING, Load.State.RUNNING)).first()


def wait_again(load_id: int, *, doing: str = "") -> None:
    """Let a running load wait: the process that ran it is gone, or found no room."""
    Load.objects.filter(pk=load_id, state=Load.State.RUNNING).update(state=Load.State.WAITING, doing=doing)


def this_worker() -> str:
    """What names this process among all that could run a load."""
    return f"{socket.gethostname()}:{os.getpid()}"


def is_alive(worker: str) -> bool:
    """Whether the process that a load names still runs on this machine."""
    host, _, pid = worker.rpartition(":")
    if host != socket.gethostname() or not pid.isdigit():
        return False
    try:
        os.kill(int(pid), 0)
    except ProcessLookupError:
        return False
    except PermissionError:
        return True
    return True


def watcher(load_id: int) -> Callable[[str, int, int], None]:
    """Writes progress now and then, and raises Cancelled once somebody asked for it."""
    last = 0.0

    def told(doing: str, done: int, of: int) -> None:
        nonlocal last
        now = time.monotonic()
        if now - last < TELL_EVERY and doing != "writing":
            return
        last = now
        Load.objects.filter(pk=load_id).update(doing=doing, done=done, of=of)
        if Load.objects.filter(pk=load_id, cancel=True).exists():
            raise LoadCancelled("The load was cancelled.", hint="Nothing was changed.")

    return told


def cancel(load_id: int) -> Load:
    """Cancel a load: at once while it waits, at its next block while it runs; what is being written is finished."""
    if Load.objects.filter(pk=load_id, state=Load.State.WAITING).update(
        state=Load.State.CANCELLED, ended=timezone.now()
    ):
        return Load.objects.get(pk=load_id)
    if not Load.objects.filter(pk=load_id, state=Load.State.RUNNING).update(cancel=True):
        raise RulkaError("This load has ended already.", subject="load")
    return Load.objects.get(pk=load_id)


def claim(load_id: int) -> Load | None:
    """Take a waiting load for this process; None when it is not waiting any more."""
    taken = Load.objects.filter(pk=load_id, state=Load.State.WAITING).update(
        state=Load.State.RUNNING,
        started=timezone.now(),
        worker=this_worker(),
        doing="reading",
        done=0,
        of=0,
        cancel=False,
    )
    return Load.objects.get(pk=load_id) if taken else None


def finish(load_id: int, state: str, **values: Any) -> None:
    """Set a load's end, or that it waits for a decision."""
    Load.objects.filter(pk=load_id).update(state=state, ended=timezone.now(), doing="", **values)


def orphans(*, own: bool = False) -> list[Load]:
    """Running loads whose process is gone; with `own` those of this process too."""
    return [load for load in Load.objects.filter(state=Load.State.RUNNING) if is_left(load.worker, own=own)]


def is_left(worker: str, *, own: bool) -> bool:
    """Whether what a worker had begun is nobody's now."""
    return not is_alive(worker) or (own and worker == this_worker())
