"""How far a search is, told step by step."""

from __future__ import annotations

from collections.abc import Callable

Tell = Callable[[int, int, str], None]
"""Told how far it is: done, of how many, and what is being done; raises to stop it."""


def silent(done: int, of: int, what: str) -> None:
    """Told to nobody."""
