"""The few things of a kind that were asked for last: made once, the oldest let go."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Hashable
from threading import RLock
from typing import Generic, TypeVar

Made = TypeVar("Made")


class Few(Generic[Made]):
    """Keeps `most` things; requests of several threads share it."""

    def __init__(self, most: int) -> None:
        self.most = most
        self._kept: OrderedDict[Hashable, Made] = OrderedDict()
        self._lock = RLock()

    def get(self, name: Hashable, make: Callable[[], Made]) -> Made:
        """What is kept under a name, made where it isn't there."""
        with self._lock:
            if name not in self._kept:
                self._kept[name] = make()
                while len(self._kept) > self.most:
                    self._kept.popitem(last=False)
            self._kept.move_to_end(name)
            return self._kept[name]

    def put(self, name: Hashable, thing: Made) -> None:
        """Keep a thing under a name, in the place of what was kept there."""
        with self._lock:
            self._kept.pop(name, None)
            self.get(name, lambda: thing)

    def find(self, name: Hashable) -> Made | None:
        """What is kept under a name; None where nothing is, or not any more."""
        with self._lock:
            return self._kept.get(name)

    def __len__(self) -> int:
        return len(self._kept)
