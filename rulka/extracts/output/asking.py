"""Asking for runs that are made in the background."""

from __future__ import annotations

from rulka.extracts.library.storing import definition_of
from rulka.extracts.models import Extract, ExtractRun
from rulka.extracts.output.making import fence_for
from rulka.extracts.output.tasks import make_run
from rulka.extracts.running import runs
from rulka.extracts.running.asked import ExtractReader, check_bounds, opened
from rulka.ledger.models import Ledger
from rulka.people.models import Person


def recover(own: bool) -> int:
    """Queue again the runs that a dead worker left."""
    left = list(runs.orphans(own=own))
    for run in left:
        runs.wait_again(run.pk)
        make_run.enqueue(run.pk)
    return len(left)


def ask(
    ledger: Ledger, extract: Extract, person: Person, *, period: str, node: str, given: dict[str, str], layout: str,
    form: str, since: int | None = None, whole: bool = False,
) -> ExtractRun:  # fmt: skip
    """Queue a run. What can't be answered, and what nothing bounds, is refused now."""
    definition = definition_of(extract, person)
    reader = ExtractReader(ledger, fence_for(extract, person), period, node, person)
    with opened(definition, reader, given, layout=layout) as asked:
        asked.rows.check_currencies(asked.query)
        check_bounds(asked, whole=whole or since is not None)
    run = runs.create(
        ledger=ledger.code, extract=extract.pk, name=extract.name, version=extract.version, person=person.pk,
        person_name=person.called, period=period, node=node, given=given, layout=layout, form=form, since=since,
        whole=whole,
    )  # fmt: skip
    make_run.enqueue(run.pk)
    return run
