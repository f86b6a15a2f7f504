"""What all jobs in the background share: taken by one worker, their progress and end, cancelling, taking up what a dead
worker left."""

from __future__ import annotations

from typing import Any, Generic, TypeVar

from django.utils import timezone

from rulka.core.errors import RulkaError
from rulka.work.models import Progress
from rulka.work.services.loads import is_left, this_worker

Job = TypeVar("Job", bound=Progress)
WAITING, RUNNING, CANCELLED = "waiting", "running", "cancelled"


class JobCancelled(RulkaError):
    """Somebody doesn't want what a job makes any more."""


class Jobs(Generic[Job]):
    """Jobs of one kind, whose states are waiting and running besides their ends; `worker` is who does one."""

    def __init__(self, model: type[Job]) -> None:
        self.model = model

    def _some(self, **which: Any) -> Any:
        return self.model._default_manager.filter(**which)

    def claim(self, number: int) -> Job | None:
        """Take a waiting job to do it; None when it is not waiting any more."""
        if not self._some(pk=number, state=WAITING).update(state=RUNNING, worker=this_worker()):
            return None
        found: Job = self._some(pk=number).get()
        return found

    def wait_again(self, number: int) -> None:
        """Let a running job wait: the process that did it is gone, or found no room."""
        self._some(pk=number, state=RUNNING).update(state=WAITING, done=0)

    def orphans(self, *, own: bool = False) -> list[Job]:
        """Jobs whose process is gone; with `own` those of this process too."""
        return [one for one in self._some(state=RUNNING) if is_left(one.worker, own=own)]

    def tell(self, number: int, done: int, of: int) -> None:
        """Write progress down; raises Cancelled once somebody asked for that."""
        self._some(pk=number).update(done=done, of=of)
        if self._some(pk=number, cancel=True).exists():
            raise JobCancelled("Cancelled.")

    def end(self, number: int, state: str, **values: Any) -> None:
        """Set a job's end."""
        self._some(pk=number).update(state=state, ended=timezone.now(), **values)

    def cancel(self, number: int) -> None:
        """Stop a job: at once while it waits, at its next step while it runs."""
        if not self._some(pk=number, state=WAITING).update(state=CANCELLED, ended=timezone.now()):
            self._some(pk=number, state=RUNNING).update(cancel=True)
