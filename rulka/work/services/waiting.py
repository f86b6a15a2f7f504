"""What a database that can't be written to now means: somebody writes at length, or there is no room.

Reading goes on in both cases. What a person asked to change is refused in words, with what they typed kept; what is
noted beside what they read (when they looked at it last, say) is left out.
"""

from __future__ import annotations

import errno
import logging
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

from django.db import DEFAULT_DB_ALIAS, OperationalError, connections

from rulka.core.errors import RulkaError

logger = logging.getLogger("rulka.work")

BUSY = ("database is locked", "database table is locked", "database is busy")
FULL = ("database or disk is full", "disk i/o error", "attempt to write a readonly database", "unable to open database")
ASIDE = 100
"""Milliseconds that a note waits for its turn to be written."""


class Busy(RulkaError):
    """A change waited its five seconds while something long was written."""

    code = "busy"


class Full(RulkaError):
    """There is no room to write in."""

    code = "full"


def as_refusal(error: BaseException) -> RulkaError | None:
    """What a failed write means, in words; None where it is something else."""
    text = str(error).lower()
    if isinstance(error, OperationalError) and any(words in text for words in BUSY):
        return Busy(
            "A load is being written at this moment, and your change waited for it in vain. Nothing was changed.",
            hint="Try again in a moment.",
        )
    no_room = isinstance(error, OSError) and error.errno in (errno.ENOSPC, errno.EDQUOT, errno.EROFS)
    if no_room or (isinstance(error, OperationalError) and any(words in text for words in FULL)):
        return Full(
            "There is no room left where Rulka writes. Nothing was changed; what is there can be read on.",
            hint="Tell your administrator, and try again once there is room.",
        )
    return None


@contextmanager
def aside(alias: str = DEFAULT_DB_ALIAS) -> Iterator[None]:
    """For notes that nobody waits for: they are left out where they can't be written at once."""
    connection: Any = connections[alias]
    connection.ensure_connection()
    former = connection.connection.execute("PRAGMA busy_timeout").fetchone()[0]
    connection.connection.execute(f"PRAGMA busy_timeout = {ASIDE}")
    try:
        yield
    except (OperationalError, OSError) as error:
        if as_refusal(error) is None:
            raise
        logger.info("Left out a note: %s", error)
    finally:
        connection.connection.execute(f"PRAGMA busy_timeout = {former}")
