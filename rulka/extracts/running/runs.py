"""Runs of extracts: asked for, found, their progress and end, cancelling; what was last run first."""

from __future__ import annotations

from typing import Any

from django.db.models import Max

from rulka.core.errors import NotFound
from rulka.extracts.models import Extract, ExtractRun
from rulka.ledger.models import Ledger
from rulka.people.models import Person
from rulka.work.services.jobs import Jobs

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


JOBS = Jobs(ExtractRun)
claim, wait_again, orphans = JOBS.claim, JOBS.wait_again, JOBS.orphans
tell, end, cancel = JOBS.tell, JOBS.end, JOBS.cancel
