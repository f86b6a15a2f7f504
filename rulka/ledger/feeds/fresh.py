"""Bringing a ledger up to date before its figures are sent: every feed of somebody's is pulled, here and now."""

from __future__ import annotations

from rulka.core.errors import RulkaError
from rulka.ledger.feeds import pulling
from rulka.ledger.feeds.asking import ask, sources_of
from rulka.ledger.models import Ledger
from rulka.people.models import Person
from rulka.work.models import Load


def bring_up_to_date(ledger: Ledger, person: Person | None) -> None:
    """Pull through all feeds with a location that somebody may use; raises RulkaError where one of them isn't accepted,
    since figures are not up to date then."""
    if person is None or not person.may_load:
        raise RulkaError("Its owner may pull through no feed.", hint="Send figures as they are, or ask a controller.",
                         subject="figures", code="rights")  # fmt: skip
    feeds = sources_of(ledger, person)
    if not feeds:
        raise RulkaError(
            "There is no feed that its owner may pull.", hint="Send figures as they are.", subject="figures"
        )
    for feed in feeds:
        load = ask(feed, person=person, queued=False)
        pulling.run(load.pk)
        load.refresh_from_db()
        if load.state != Load.State.ACCEPTED:
            raise RulkaError(f"Figures are not up to date: the load by '{feed.name}' {load.get_state_display()}.",
                             hint="Decide on it, then send.", subject="figures")  # fmt: skip
