"""A piece of background work that ends in words, whatever happens in it."""

from __future__ import annotations

import logging
import secrets
from collections.abc import Callable

from rulka.work.services.waiting import as_refusal


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
        incident = secrets.token_hex(4)
        logger.exception("Incident %s in %s %s", incident, what, number)
        fail(f"Something went wrong that we did not expect; incident {incident} is in the log.")
        raise
