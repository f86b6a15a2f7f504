"""Which accounts a line adds up: the sets that give its figures in every column, chosen together so that none counts
twice."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from difflib import SequenceMatcher

import numpy as np
from scipy.optimize import Bounds, LinearConstraint, milp
from scipy.sparse import lil_matrix

from rulka.core.books.chart import BoolArray, CodeList, IntArray
from rulka.core.rebuild.features import Features

MOST = 12
"""Candidates of a line that are weighed."""

SHARED = 6.0
"""What an account that counts twice takes away."""


@dataclass(frozen=True, eq=False)
class Choice:
    """One set of accounts that gives a line's figures: its text, its sign (-1 where the table shows credits as
    positive), what speaks for it."""

    feature: int
    text: str
    sign: int
    mask: BoolArray
    speaks: float


def choices_for(
    features: Features,
    sums: IntArray,
    wanted: IntArray,
    loose: IntArray,
    shown: BoolArray,
    caption: str,
    accounts: CodeList,
) -> list[Choice]:
    """The sets whose sums `(features, columns)` are a line's figures, within what was rounded, best first."""
    found = []
    for sign in (1, -1):
        off = np.abs(sign * sums - wanted)
        for place in np.flatnonzero((off <= loose)[:, shown].all(axis=1)):
            mask = features.masks[place]
            text, likeness = _best_text(caption, features.texts[place], mask, accounts)
            speaks = likeness + (1.0 if place < features.named else 0.4)
            found.append(Choice(int(place), text, sign, mask, speaks))
    found.sort(key=lambda one: (-one.speaks, len(one.text)))
    return found[:MOST]


def _best_text(caption: str, texts: Sequence[str], mask: BoolArray, accounts: CodeList) -> tuple[str, float]:
    """Of the texts that select a set the one whose words are nearest to a caption, and how near; of equally near ones
    what the chart names as a whole, then the shortest."""
    names = [accounts.items[place].name for place in np.flatnonzero(mask)[:8]]
    single = max((_alike(caption, name) for name in names), default=0.0)

    def rank(text: str) -> tuple[float, int, int]:
        near = max(_alike(caption, _said(text, accounts)), single)
        return (-round(near, 3), 0 if text.startswith(("under:", "category:", "type:")) else 1, len(text))

    best = min(texts, key=rank)
    return best, -rank(best)[0]


def _said(text: str, accounts: CodeList) -> str:
    """What a set is called in the chart."""
    kind, _, rest = text.partition(":")
    rest = rest.strip('"')
    if kind == "under" and rest in accounts.index:
        return accounts[rest].name
    return rest if kind in ("category", "type") else accounts[text].name if text in accounts.index else ""


def _alike(first: str, second: str) -> float:
    return SequenceMatcher(None, first.casefold(), second.casefold()).ratio() if second else 0.0


def chosen_together(offered: Sequence[Sequence[Choice]]) -> list[int]:
    """For each line which of its choices, -1 for none: as many lines as can be, with the fewest accounts shared, and
    what speaks most for it."""
    pairs = [(line, at) for line, every in enumerate(offered) for at in range(len(every))]
    if not pairs:
        return [-1] * len(offered)
    accounts = sorted({int(place) for line, at in pairs for place in np.flatnonzero(offered[line][at].mask)})
    column = {place: at for at, place in enumerate(accounts)}
    count, extra = len(pairs), len(accounts)
    matrix = lil_matrix((len(offered) + extra, count + extra))
    for at, (line, choice) in enumerate(pairs):
        matrix[line, at] = 1
        for place in np.flatnonzero(offered[line][choice].mask):
            matrix[len(offered) + column[int(place)], at] = 1
    for at in range(extra):
        matrix[len(offered) + at, count + at] = -1
    worth = [-(10.0 + offered[line][choice].speaks) for line, choice in pairs]
    solved = milp(
        np.array([*worth, *([SHARED] * extra)]),
        constraints=LinearConstraint(matrix.tocsr(), -np.inf, 1),
        integrality=np.array([1] * count + [0] * extra),
        bounds=Bounds(0, np.array([1.0] * count + [np.inf] * extra)),
        options={"time_limit": 20},
    )
    taken = [-1] * len(offered)
    if solved.x is None:
        return taken
    for at, (line, choice) in enumerate(pairs):
        if solved.x[at] > 0.5:
            taken[line] = choice
    return taken
