"""What of a month dispatches show: what waits to be released, to be decided, or did not arrive."""

from __future__ import annotations

from collections.abc import Iterator

from django.urls import reverse

from rulka.dispatch.library.storing import dispatches_of
from rulka.dispatch.models import Sending
from rulka.dispatch.pages.dispatches import waiting_for
from rulka.ledger.month import Item, Waits
from rulka.ledger.seat import Seat
from rulka.people.library.preferences import day_text


def of_dispatches(seat: Seat) -> Iterator[Item]:
    """What of dispatches waits for somebody."""
    found = waiting_for(seat.ledger, seat.person, dispatches_of(seat.ledger, seat.person))

    def at(sending: Sending) -> str:
        return f"{reverse('sending', args=[sending.pk])}?{seat.query}"

    for one in found.to_release:
        yield Waits(
            "release", f"{_title(one)}, {one.deliveries.count()} deliveries", at(one), day_text(one.at), "open", 2
        )
    for one in found.to_decide:
        yield Waits("decide", f"{_title(one)} is late: does it still go?", at(one), day_text(one.at), "open", 2)
    for one in found.failed:
        yield Waits("look", f"{_title(one)} {one.get_state_display()}", at(one), day_text(one.at), "bad", 1)
    for delivery in found.bad:
        sending = delivery.sending
        title = f"{_title(sending)} {delivery.get_state_display()}"
        yield Waits("look", title, at(sending), day_text(sending.at), "bad", 1)


def _title(sending: Sending) -> str:
    return str(sending.body.get("title", sending.dispatch))
