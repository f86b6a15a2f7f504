"""Runs of extracts: asked for, found, their progress and end, cancelling; what was last run first."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from django.db.models import Max
from django.utils import timezone

from rulka.core.errors import NotFound
from rulka.extracts.models import Extract, ExtractRun
from rulka.ledger.models import Ledger
from rulka.people.models import Person
from rulka.work.services.loads import is_left, this_worker
from rulka.work.services.outputs import Cancelled

SHOWN = 50


def create(**values: Any) -> ExtractRun:
    """A run that is asked for."""
    return ExtractRun.objects.create(**values)


def find_run(ledger: Ledger, number: int, person: Person) -> ExtractRun:
    """A run that somebody asked for; nobody else's."""
    found = ExtractRun.objects.filter(pk=number, ledger=ledger.code, person=person.pk).first()
    if found is None:
        raise NotFound("This run does not exist.", hint="Run it again.", subject="run")
    return found


def runs_of(extract: Extract, person: Person, *, everybody: bool = False) -> list[ExtractRun]:
    """The runs of an extract, the newest first: one's own, or everybody's."""
    found = ExtractRun.objects.filter(ledger=extract.ledger.code, extract=extract.pk)
    return list((found if everybody else found.filter(person=person.pk))[:SHOWN])


def last_run(extract: Extract, person: Person | None) -> ExtractRun | None:
    """The last run of an extract by somebody that came to its end."""
    found = ExtractRun.objects.filter(ledger=extract.ledger.code, extract=extract.pk, state=ExtractRun.State.READY)
    return found.filter(person=person.pk if person else None).first()


def last_used(ledger: Ledger, person: Person) -> dict[int, Any]:
    """When somebody last ran each extract, by its key."""
    found = ExtractRun.objects.filter(ledger=ledger.code, person=person.pk)
    return dict(found.values_list("extract").annotate(Max("created")))


def claim(number: int) -> ExtractRun | None:
    """Take a waiting run to do it; None when it is not waiting any more."""
    waiting = ExtractRun.objects.filter(pk=number, state=ExtractRun.State.WAITING)
    if not waiting.update(state=ExtractRun.State.RUNNING, worker=this_worker()):
        return None
    return ExtractRun.objects.get(pk=number)


def wait_again(number: int) -> None:
    """Let a run wait: the process that did it is gone, or found no room."""
    running = ExtractRun.objects.filter(pk=number, state=ExtractRun.State.RUNNING)
    running.update(state=ExtractRun.State.WAITING, done=0)


def orphans(*, own: bool = False) -> Iterable[ExtractRun]:
    """Runs whose process is gone; with `own` those of this process too."""
    running = ExtractRun.objects.filter(state=ExtractRun.State.RUNNING)
    return [one for one in running if is_left(one.worker, own=own)]


def tell(number: int, done: int, of: int) -> None:
    """Write progress down; raises Cancelled once somebody asked for that."""
    ExtractRun.objects.filter(pk=number).update(done=done, of=of)
    if ExtractRun.objects.filter(pk=number, cancel=True).exists():
        raise Cancelled("Cancelled.")


def end(number: int, state: str, **values: Any) -> None:
    """Set a run's end."""
    ExtractRun.objects.filter(pk=number).update(state=state, ended=timezone.now(), **values)


def cancel(number: int) -> None:
    """Stop a run: at once while it waits, at its next block while it goes."""
    waiting = ExtractRun.objects.filter(pk=number, state=ExtractRun.State.WAITING)
    if not waiting.update(state=ExtractRun.State.CANCELLED, ended=timezone.now()):
        ExtractRun.objects.filter(pk=number, state=ExtractRun.State.RUNNING).update(cancel=True)
