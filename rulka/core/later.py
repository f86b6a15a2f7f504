"""Packages that few requests need, read once something of them is asked for: together they would take as long as all
else that a start reads."""

from __future__ import annotations

from importlib import import_module
from typing import Any


class Later:
    """A module by its name. Only its attributes are asked for, so that nothing can hold a part of it too early:

    >>> later("math").floor(2.5)
    2
    """

    def __init__(self, name: str) -> None:
        self._name = name

    def __getattr__(self, name: str) -> Any:
        return getattr(import_module(self._name), name)


def later(name: str) -> Any:
    """A module that is read at its first use."""
    return Later(name)
