"""How a server collects what nobody holds any more."""

from __future__ import annotations

import gc
from collections.abc import Iterator
from contextlib import contextmanager

THRESHOLDS = (20_000, 20, 10)
"""How many more things are made than let go before the youngest are looked through, and how often older ones are."""


@contextmanager
def reading_code() -> Iterator[None]:
    """While a server reads its code nothing is collected, and all of it is left out of every collection to come.

    Two hundred thousand things that stay as long as the server does would be looked through again and again: a fifth of
    a start, later each time a third of a second in the middle of somebody's request.
    """
    gc.disable()
    try:
        yield
        gc.freeze()
    finally:
        gc.set_threshold(*THRESHOLDS)
        gc.enable()
