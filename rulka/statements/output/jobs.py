"""Files made in the background: asked for, found again, cancelled."""

from __future__ import annotations

from django.utils import timezone

from rulka.core.errors import NotFound
from rulka.ledger.seat import Seat
from rulka.people.models import Person
from rulka.statements.output.tasks import make_output
from rulka.work.models import Output


def ask(seat: Seat, name: str, form: str, node: str, address: str, *, pages: str = "all") -> Output:
    """Queue a file with a page or sheet for a node and all below it, or with other `pages`."""
    output = Output.objects.create(
        ledger=seat.ledger.code,
        person=seat.person.pk,
        person_name=seat.person.title or seat.person.username,
        statement=name,
        form=form,
        period=seat.period.code,
        node=node,
        address=address,
        pages=pages,
    )
    make_output.enqueue(output.pk)
    return output


def find_output(person: Person, number: int) -> Output:
    """A file that somebody asked for; nobody else's."""
    found = Output.objects.filter(pk=number, person=person.pk).first()
    if found is None:
        raise NotFound("This file does not exist.", hint="Ask for it again.", subject="output")
    return found


def cancel(output: Output) -> None:
    """Stop making a file: at once while it waits, at its next block while it runs."""
    if not Output.objects.filter(pk=output.pk, state=Output.State.WAITING).update(
        state=Output.State.CANCELLED, ended=timezone.now()
    ):
        Output.objects.filter(pk=output.pk, state=Output.State.RUNNING).update(cancel=True)
