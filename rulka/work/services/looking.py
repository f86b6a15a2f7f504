"""What the worker looks at from time to time: whether something has come due. Who has such things registers how."""

from __future__ import annotations

import logging
import secrets
from collections.abc import Callable

logger = logging.getLogger("rulka.work")

Look = Callable[[], object]
_LOOKS: list[Look] = []


def looks(look: Look) -> None:
    """Register what is looked at every half minute."""
    _LOOKS.append(look)


def look_around() -> None:
    """Look at all of it; what goes wrong with one is logged and keeps no other from its turn."""
    for look in _LOOKS:
        try:
            look()
        except Exception:  # the next look comes all the same
            logger.exception("Incident %s: what is due could not be looked at", secrets.token_hex(4))
