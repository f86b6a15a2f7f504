"""Keys of lines and columns: made from labels, unique within one definition."""

from __future__ import annotations

import re
from collections.abc import Iterable

from rulka.core.errors import RulkaError


def slug(label: str) -> str:
    """`Total income (net)` to `total-income-net`: how a key is made from a label."""
    return re.sub(r"[^a-z0-9]+", "-", label.lower()).strip("-") or "line"


class KeyGiver:
    """Gives each line or column its own key; keys written by hand are reserved before any is made."""

    def __init__(self, reserved: Iterable[str] = ()) -> None:
        self.reserved = set(reserved)
        self.given: set[str] = set()

    def give(self, wanted: str, label: str, where: str) -> str:
        """The key asked for, or one made from the label; raises when one asked for is given twice."""
        if wanted:
            if wanted in self.given:
                raise RulkaError(f"The key '{wanted}' is used twice.", hint="Give each its own key.", subject=where)
            self.given.add(wanted)
            return wanted
        base = key = slug(label)
        number = 2
        while key in self.given or key in self.reserved:
            key, number = f"{base}-{number}", number + 1
        self.given.add(key)
        return key
