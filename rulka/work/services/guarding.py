"""A piece of background work that ends in words, whatever happens in it."""

from __future__ import annotations

import logging
import secrets
from collections.abc import Callable

from rulka.work.services.waiting import as_refusal


def incident(what: str) -> str:
    """What nobody expected, in words for whoever waits; the log has its cause under the number that they are told. To
    be called while it is handled."""
    number = secrets.token_hex(4)
    logging.getLogger("rulka.work").exception("Incident %s in %s", number, what)
    return f"Something went wrong that we did not expect; incident {number} is in the log."


def guarded(
    what: str, number: int, do: Callable[[int], None], *, again: Callable[[], None], fail: Callable[[str], None]
) -> None:
    """Do a queued piece of work. Where there is no room or no turn to write, it goes on by itself: `again`. What
    nobody expected ends it with an incident number in words, `fail`, and is raised on."""
    logger = logging.getLogger("rulka.work")
    try:
        do(number)
    except Exception as error:
        if as_refusal(error) is not None:
            again()
            logger.warning("%s %s waits: %s", what.capitalize(), number, error)
            return
        fail(incident(f"{what} {number}"))
        raise
