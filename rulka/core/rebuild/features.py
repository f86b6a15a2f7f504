"""Sets of accounts that a line may mean, each with the shortest text that selects it."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field

import numpy as np

from rulka.core.books.chart import BoolArray, CodeList, IntArray
from rulka.core.books.selection import select

KEYWORDS = ("to", "only", "except", "under", "type", "category")

FEW, LONGEST = 150, 60
"""Accounts up to which all runs are tried, and the longest run of more."""


@dataclass(frozen=True, eq=False)
class Features:
    """Sets of accounts: `masks` `(features, accounts)`, and all texts that select each of them, as far as the accounts
    with figures go; the first `named` ones are those that the chart names itself (accounts, what stands below one,
    types, categories, prefixes), all others run from one code to another."""

    texts: tuple[tuple[str, ...], ...]
    masks: BoolArray
    named: int
    widths: dict[str, int] = field(default_factory=dict)

    def sums(self, amounts: IntArray) -> IntArray:
        """`(features, columns)` of amounts `(accounts, columns)`."""
        return np.asarray(self.masks.astype(np.int64) @ amounts, dtype=np.int64)

    def width(self, text: str, accounts: CodeList) -> int:
        """How many accounts of the chart a text selects, with figures or without."""
        if text not in self.widths:
            self.widths[text] = int(select(text, accounts).mask.sum())
        return self.widths[text]


def features_of(accounts: CodeList, used: BoolArray, *, runs: bool = True) -> Features:
    """The sets that differ on the accounts that are used; equal ones are one set with several texts. Without `runs`
    only those that the chart names."""
    found: dict[bytes, tuple[list[str], BoolArray]] = {}

    def add(every: Iterator[tuple[str, BoolArray]]) -> None:
        for text, mask in every:
            own = mask & used
            if own.any():
                found.setdefault(own.tobytes(), ([], own))[0].append(text)

    add(_named(accounts))
    named = len(found)
    if runs:
        add(_ranges(accounts, used))
    texts = tuple(tuple(every) for every, _ in found.values())
    masks = np.stack([mask for _, mask in found.values()]) if found else np.zeros((0, len(accounts)), dtype=bool)
    return Features(texts, masks, named)


def quoted(code: str) -> str:
    """A code as selections write it."""
    plain = code.replace(".", "").replace("-", "").isalnum() and code.casefold() not in KEYWORDS
    return code if plain else '"' + code.replace('"', '""') + '"'


def _named(accounts: CodeList) -> Iterator[tuple[str, BoolArray]]:
    every = accounts.items
    statistical = accounts.of_type("statistical")
    for place, item in enumerate(every):
        mask = np.zeros(len(every), dtype=bool)
        mask[place] = True
        yield quoted(item.code), mask
    for item in every:
        below = accounts.below[item.code]
        if len(below) > 1:
            mask = np.zeros(len(every), dtype=bool)
            mask[below] = True
            yield f"under:{quoted(item.code)}", mask
    for kind in dict.fromkeys(item.type for item in every):
        yield f"type:{kind}", np.array([item.type == kind for item in every])
    for pair in (("revenue", "expense"), ("liability", "equity")):
        yield ", ".join(f"type:{kind}" for kind in pair), np.array([item.type in pair for item in every])
    for category in dict.fromkeys(item.category for item in every if item.category):
        yield f'category:"{category}"', np.array([item.category == category for item in every]) & ~statistical
    longest = max((len(item.code) for item in every), default=0)
    for length in range(longest - 1, 0, -1):
        for prefix in dict.fromkeys(item.code[:length] for item in every if len(item.code) > length):
            if prefix.isalnum():
                yield f"{prefix}*", np.array([item.code.startswith(prefix) for item in every])


def _ranges(accounts: CodeList, used: BoolArray) -> Iterator[tuple[str, BoolArray]]:
    """From one used account to another, by code; in large charts no longer than lines are."""
    places = np.flatnonzero(used & ~accounts.of_type("statistical"))
    most = len(places) if len(places) <= FEW else LONGEST
    for at, first in enumerate(places):
        for last in places[at + 1 : at + 1 + most]:
            mask = np.zeros(len(accounts), dtype=bool)
            mask[first : last + 1] = True
            yield f"{quoted(accounts.items[first].code)} to {quoted(accounts.items[last].code)}", mask
