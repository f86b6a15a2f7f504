"""Which accounts a line adds up: the sets that give its figures in every column, chosen together so that none counts
twice."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from difflib import SequenceMatcher
from functools import lru_cache
from typing import TYPE_CHECKING

import numpy as np

from rulka.core.books.chart import BoolArray, CodeList
from rulka.core.later import later
from rulka.core.rebuild.features import Features, quoted

if TYPE_CHECKING:
    from scipy import sparse
else:
    sparse = later("scipy.sparse")

optimize = later("scipy.optimize")

MOST = 12
"""Candidates of a line that are weighed."""

SHARED = 6.0
"""What an account that counts twice takes away."""

FOUND = 10.0
"""What a line that is found is worth, before what speaks for its accounts."""

CALLED_SO = 0.85
"""Likeness from which on a caption is a name."""


@dataclass(frozen=True, eq=False)
class LineChoice:
    """One set of accounts that gives a line's figures: its text, its sign (-1 where the table shows credits as
    positive), how near its name comes to the caption, what speaks for it, and how many such sets chance would give;
    `odd` is the one column whose figure it doesn't give; `is_named` whether the chart names the set as a whole."""

    text: str
    sign: int
    mask: BoolArray
    near: float
    speaks: float
    expected: float
    odd: int | None = None
    on_side: bool = True
    quantity: bool = False
    is_named: bool = False

    @property
    def is_called_so(self) -> bool:
        return self.near >= CALLED_SO


def best_text(caption: str, features: Features, place: int, accounts: CodeList) -> tuple[str, float]:
    """Of the texts that select a set the one whose words are nearest to a caption, and how near; of equally near ones
    what the chart names as a whole and is narrowest, then the shortest."""
    single = nearest_name(caption, features.masks[place], accounts)

    def rank(text: str) -> tuple[float, int, int, int, int]:
        near = max(alike(caption, _said(text, accounts)), single)
        whole = text.startswith(("under:", "category:", "type:"))
        return (
            -round(near, 2),
            0 if whole else 1,
            features.width(text, accounts),
            0 if "*" not in text else 1,
            len(text),
        )

    best = min(features.texts[place], key=rank)
    return best, -rank(best)[0]


def nearest_name(caption: str, mask: BoolArray, accounts: CodeList) -> float:
    """How near the names of a set's accounts come to a caption, the worst of a few: their first words count as well."""
    places = np.flatnonzero(mask)[:8]
    found = [max(alike(caption, accounts.items[place].name), _starts(caption, accounts.items[place].name))
             for place in places]  # fmt: skip
    return min(found, default=0.0)


def _starts(caption: str, name: str) -> float:
    """Names that begin with the caption are called so, further words apart."""
    return 0.9 if len(caption) > 3 and name.casefold().startswith(caption.casefold()) else 0.0


def _said(text: str, accounts: CodeList) -> str:
    """What a set is called in the chart."""
    kind, _, rest = text.partition(":")
    rest = rest.strip('"')
    if kind == "under" and rest in accounts.index:
        return accounts[rest].name
    return rest if kind in ("category", "type") else accounts[text].name if text in accounts.index else ""


@lru_cache(maxsize=50_000)
def alike(first: str, second: str) -> float:
    """How alike two names are, 0 to 1."""
    return SequenceMatcher(None, first.casefold(), second.casefold()).ratio() if second else 0.0


def codes_text(places: Sequence[int], accounts: CodeList) -> str:
    """Accounts by place as a selection; three or more that follow each other in the chart as a range."""
    found: list[str] = []
    block: list[int] = []
    for place in [*sorted(places), -1]:
        if block and place != block[-1] + 1:
            codes = [quoted(accounts.items[one].code) for one in block]
            found.extend([f"{codes[0]} to {codes[-1]}"] if len(codes) > 2 else codes)
            block = []
        block.append(place)
    return ", ".join(found)


# chosen together ------------------------------------------------------------------------------------------------------


@dataclass(frozen=True, eq=False)
class ChosenAccounts:
    """For each line which of its choices is taken, -1 for none; `found` and `shared` count lines and accounts that
    count twice."""

    taken: tuple[int, ...]
    found: int
    shared: int


class Choosing:
    """As many lines as can be, with the fewest accounts shared, and what speaks most for it."""

    def __init__(self, offered: Sequence[Sequence[LineChoice]]) -> None:
        self.offered = offered
        self.pairs = [(line, at) for line, every in enumerate(offered) for at in range(len(every))]
        accounts = sorted({int(place) for line, at in self.pairs for place in np.flatnonzero(offered[line][at].mask)})
        self.extra = len(accounts)
        column = {place: at for at, place in enumerate(accounts)}
        matrix = sparse.lil_matrix((len(offered) + self.extra, len(self.pairs) + self.extra))
        for at, (line, choice) in enumerate(self.pairs):
            matrix[line, at] = 1
            for place in np.flatnonzero(offered[line][choice].mask):
                matrix[len(offered) + column[int(place)], at] = 1
        for at in range(self.extra):
            matrix[len(offered) + at, len(self.pairs) + at] = -1
        self.limits = optimize.LinearConstraint(matrix.tocsr(), -np.inf, 1)
        self.worth = [-(FOUND + offered[line][choice].speaks) for line, choice in self.pairs]

    def chosen(self, only: tuple[int, int] | None = None) -> ChosenAccounts:
        """The best solution; with a line's choice where `only` names one."""
        if not self.pairs:
            return ChosenAccounts((-1,) * len(self.offered), 0, 0)
        most = [0.0 if only and pair[0] == only[0] and pair != only else 1.0 for pair in self.pairs] + [
            np.inf
        ] * self.extra
        solved = optimize.milp(
            np.array([*self.worth, *([SHARED] * self.extra)]), constraints=self.limits,
            integrality=np.array([1] * len(self.pairs) + [0] * self.extra), bounds=optimize.Bounds(0, np.array(most)),
            options={"time_limit": 10},
        )  # fmt: skip
        taken = [-1] * len(self.offered)
        if solved.x is not None:
            for at, (line, choice) in enumerate(self.pairs):
                if solved.x[at] > 0.5:
                    taken[line] = choice
        masks = [self.offered[line][at].mask for line, at in enumerate(taken) if at >= 0]
        counts = np.sum(masks, axis=0, dtype=np.int64) if masks else np.zeros(1, dtype=np.int64)
        return ChosenAccounts(tuple(taken), sum(one >= 0 for one in taken), int(np.maximum(counts - 1, 0).sum()))

    def others(self, best: ChosenAccounts, line: int) -> list[LineChoice]:
        """What a line may be instead, as well as what was chosen: choices with which the whole is found as far, and
        shares no more."""
        found: list[LineChoice] = []
        banned = self.offered[line]
        for at, choice in enumerate(banned):
            if at != best.taken[line] and self._holds(best, line, at):
                found.append(choice)
        return found

    def _holds(self, best: ChosenAccounts, line: int, at: int) -> bool:
        """Whether the whole is as good with a choice of a line: without looking where it shares nothing with others."""
        mask = self.offered[line][at].mask
        own = self.offered[line][best.taken[line]].mask if best.taken[line] >= 0 else np.zeros_like(mask)
        rest = [self.offered[other][one].mask for other, one in enumerate(best.taken) if one >= 0 and other != line]
        used = np.any(rest, axis=0) if rest else np.zeros_like(mask)
        if (mask & used).sum() <= (own & used).sum():
            return True
        again = self.chosen((line, at))
        return again.taken[line] >= 0 and again.found >= best.found and again.shared <= best.shared
