"""Files in the background: asked for, found, their progress and end, cancelling."""

from __future__ import annotations

from typing import Any

from django.utils import timezone

from rulka.core.errors import NotFound, RulkaError
from rulka.work.models import Output
from rulka.work.services.loads import is_left, this_worker


class Cancelled(RulkaError):
    """Somebody doesn't want the file any more."""


def create(**values: Any) -> Output:
    """A file that is asked for."""
    return Output.objects.create(**values)


def find(number: int, person: int) -> Output:
    """A file that somebody asked for; nobody else's."""
    found = Output.objects.filter(pk=number, person=person).first()
    if found is None:
        raise NotFound("This file does not exist.", hint="Ask for it again.", subject="output")
    return found


def claim(number: int) -> Output | None:
    """Take a waiting file to make it; None when it is not waiting any more."""
    waiting = Output.objects.filter(pk=number, state=Output.State.WAITING)
    if not waiting.update(state=Output.State.RUNNING, worker=this_worker()):
        return None
    return Output.objects.get(pk=number)


def wait_again(number: int) -> None:
    """Let a running file wait: the process that made it is gone, or found no room."""
    Output.objects.filter(pk=number, state=Output.State.RUNNING).update(state=Output.State.WAITING, done=0)


def orphans(*, own: bool = False) -> list[Output]:
    """Files in the making whose process is gone; with `own` those of this process too."""
    return [one for one in Output.objects.filter(state=Output.State.RUNNING) if is_left(one.worker, own=own)]


def tell(number: int, done: int, of: int) -> None:
    """Write progress down; raises Cancelled once somebody asked for that."""
    Output.objects.filter(pk=number).update(done=done, of=of)
    if Output.objects.filter(pk=number, cancel=True).exists():
        raise Cancelled("Cancelled.")


def end(number: int, state: str, **values: str) -> None:
    """Set a file's end."""
    Output.objects.filter(pk=number).update(state=state, ended=timezone.now(), **values)


def fail(number: int, problem: str) -> None:
    """Say what nobody expected."""
    Output.objects.filter(pk=number).update(state=Output.State.FAILED, problem=problem)


def cancel(number: int) -> None:
    """Stop making a file: at once while it waits, at its next block while it runs."""
    waiting = Output.objects.filter(pk=number, state=Output.State.WAITING)
    if not waiting.update(state=Output.State.CANCELLED, ended=timezone.now()):
        Output.objects.filter(pk=number, state=Output.State.RUNNING).update(cancel=True)
