"""Where an account that has no place most likely belongs: by its type, category and name, then by its head and its
neighbours in code order.

Each kind of evidence is a share, so that one account that was placed wrongly speaks for its line no louder than the
others that stand elsewhere: the share of its category's accounts that a line holds, the share of its name's words that
the line's label or one of its accounts has, the share of its head's accounts, the share of the nearest ones.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from rulka.core.books.chart import Item
from rulka.core.compute.computed import Computed
from rulka.core.definitions.spines import LineDef
from rulka.core.money import minor_text
from rulka.core.proof.placed import placing_leaves, unplaced


@dataclass(frozen=True)
class Suggestion:
    """An account without a place, what stands on it, and the line it most likely belongs to; no line where nothing
    speaks for one."""

    code: str
    name: str
    amount: str
    line: str
    label: str
    why: str


def suggestions(computed: Computed) -> list[Suggestion]:
    """Every account that is owed a place and has none, in code order."""
    frame = computed.view.frame
    accounts = frame.accounts.items
    held: dict[str, tuple[LineDef, list[int]]] = {}
    for leaf in placing_leaves(computed):
        if not leaf.is_quantity and leaf.names_accounts:
            held.setdefault(leaf.line.key, (leaf.line, []))[1].extend(
                int(place) for place in np.flatnonzero(leaf.accounts)
            )
    lines = list(held.values())
    found = []
    for place, amount in unplaced(computed).items():
        line, why = _likeliest(accounts, place, lines)
        item = accounts[place]
        text = minor_text(amount, computed.node.digits)
        key, label = (line.key, line.label) if line else ("", "")
        found.append(Suggestion(item.code, item.name, text, key, label, why))
    return found


CATEGORY, NAME, HEAD, NEAR = 4.0, 3.0, 1.5, 1.0
"""What each kind of evidence weighs where all of it speaks for one line."""

NEAREST = 4
"""How many of the nearest accounts in code order are asked."""

WORD = re.compile(r"[^\W\d_]{4,}")
STEM = 5
"""Words are alike by their first letters: `ticketing` and `tickets`."""

Held = tuple[LineDef, list[int]]


def _likeliest(accounts: Sequence[Item], place: int, lines: Sequence[Held]) -> tuple[LineDef | None, str]:
    """The line that most speaks for, and what does; the first of those that are equal, none where nothing speaks."""
    of_type = [
        (line, [other for other in places if accounts[other].type == accounts[place].type]) for line, places in lines
    ]
    alike = sorted(other for _, places in of_type for other in places)
    best: tuple[float, LineDef | None, str] = (0.0, None, "")
    for line, places in of_type:
        score, why = _score(accounts, place, line.label, places, alike)
        if score > best[0]:
            best = (score, line, why)
    return best[1], best[2]


def _score(
    accounts: Sequence[Item], place: int, label: str, places: Sequence[int], alike: Sequence[int]
) -> tuple[float, str]:
    """How much speaks for a line that holds `places`, and what; `alike` are all accounts of the type with a place."""
    item, inside, reasons, score = accounts[place], set(places), list[str](), 0.0
    if not inside:
        return 0.0, ""
    same = [other for other in alike if item.category and accounts[other].category == item.category]
    if here := inside.intersection(same):
        score += CATEGORY * len(here) / len(same)
        reasons.append(f"category {item.category}")
    share, like = _named_alike(accounts, item.name, label, places)
    if share:
        score += NAME * share
        reasons.append(f"name like {like}")
    same = [other for other in alike if item.parent and accounts[other].parent == item.parent]
    if here := inside.intersection(same):
        score += HEAD * len(here) / len(same)
        reasons += [f"below {item.parent}"] if 2 * len(here) >= len(same) else []
    nearest = {other: 1 / abs(other - place) for other in sorted(alike, key=lambda other: abs(other - place))[:NEAREST]}
    if beside := [other for other in nearest if other in inside]:
        score += NEAR * sum(nearest[other] for other in beside) / sum(nearest.values())
        reasons.append(f"beside {accounts[beside[0]].code}")
    return score, ", ".join(reasons)


def _named_alike(accounts: Sequence[Item], name: str, label: str, places: Sequence[int]) -> tuple[float, str]:
    """The share of a name's words that a line's label has, or one of its accounts, and which; 0 where none has any."""
    words = _stems(name)
    named = [(label, f"'{label}'"), *((accounts[other].name, accounts[other].code) for other in places)]
    shares = [(len(words & _stems(other)) / len(words), like) for other, like in named] if words else []
    return max(shares, key=lambda one: one[0], default=(0.0, ""))


def _stems(text: str) -> set[str]:
    return {word[:STEM] for word in WORD.findall(text.casefold())}
