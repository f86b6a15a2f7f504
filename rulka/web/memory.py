"""How a server collects what nobody holds any more."""

from __future__ import annotations

import gc
from importlib import import_module

THRESHOLDS = (20_000, 20, 10)
"""How many more things are made than let go before the youngest are looked through, and how often older ones are."""


def settle() -> None:
    """Once all code is read: leave it out of every collection to come, and collect less often.

    Two hundred thousand things that stay as long as the server does would be looked through again and again, each time
    for a third of a second in the middle of somebody's request.
    """
    import_module("rulka.web.urls")
    gc.collect()
    gc.freeze()
    gc.set_threshold(*THRESHOLDS)
