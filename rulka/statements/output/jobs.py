"""Asking for a file that is made in the background."""

from __future__ import annotations

from rulka.ledger.seat import Seat
from rulka.statements.models import Definition
from rulka.statements.output.tasks import make_output
from rulka.work.models import Output
from rulka.work.services.outputs import OUTPUTS


def recover(own: bool) -> int:
    """Queue again the files that a dead worker left."""
    left = OUTPUTS.orphans(own=own)
    for output in left:
        OUTPUTS.wait_again(output.pk)
        make_output.enqueue(output.pk)
    return len(left)


def ask(seat: Seat, statement: Definition, form: str, node: str, address: str, *, pages: str = "all") -> Output:
    """Queue a file with a page or sheet for a node and all below it, or with other `pages`."""
    output = OUTPUTS.create(
        ledger=seat.ledger.code,
        person=seat.person.pk,
        person_name=seat.person.title or seat.person.username,
        statement=statement.name,
        of_definition=statement.pk,
        form=form,
        period=seat.period.code,
        node=node,
        address=address,
        pages=pages,
    )
    make_output.enqueue(output.pk)
    return output
