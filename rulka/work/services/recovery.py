"""Taking up again what a worker left: one that is gone, or this one where there was no room to go on.

Who has work in the background registers how it is taken up, since work knows none of the apps above.
"""

from __future__ import annotations

from collections.abc import Callable
from datetime import timedelta

PAUSE = timedelta(seconds=20)
"""How long work waits that found no room, or no turn to write."""

Taker = Callable[[bool], int]
_TAKERS: list[Taker] = []


def takes_up(taker: Taker) -> None:
    """Register who queues again what was left, and says how much that was; asked with True it takes up what this very
    worker left too."""
    _TAKERS.append(taker)


def take_up(*, own: bool = False) -> int:
    """Queue again all that was left."""
    return sum(taker(own) for taker in _TAKERS)
