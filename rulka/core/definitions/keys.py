"""Keys of lines and columns: made from labels, unique within one definition."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable
from functools import lru_cache

from rulka.core.errors import RulkaError


@lru_cache(maxsize=20_000)
def slug(label: str) -> str:
    """`Total income (net)` to `total-income-net`: how a key is made from a label."""
    return re.sub(r"[^a-z0-9]+", "-", label.lower()).strip("-") or "line"


def inside_words(label: str) -> str:
    """A label as it stands inside of a sentence: `Sailings` becomes `sailings`, `FTE` stays."""
    return f"{label[:1].lower()}{label[1:]}" if label[1:2].islower() or len(label) == 1 else label


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
        key = numbered(slug(label), lambda key: key in self.given or key in self.reserved)
        self.given.add(key)
        return key


def numbered(wanted: str, is_taken: Callable[[str], bool], join: str = "-") -> str:
    """The name wanted, or it with the first number from 2 that makes it free."""
    name, number = wanted, 2
    while is_taken(name):
        name, number = f"{wanted}{join}{number}", number + 1
    return name
