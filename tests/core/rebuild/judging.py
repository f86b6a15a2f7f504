"""Whether a proposal is what a table was made of: account by account, by the selections' own rules read by the core's
reader of selections."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass

import numpy as np

from rulka.core.books.book import View
from rulka.core.books.selection import select
from rulka.core.rebuild.given import Given
from rulka.core.rebuild.proposing import TableProposal
from tests.core.rebuild.houses import House, Row


@dataclass(frozen=True)
class Judged:
    """Counts: lines, right ones, sure ones, wrong ones of these; and which are wrong, for a reader."""

    counts: Counter[str]
    bad: list[tuple[str, str, str, tuple[str, ...]]]


def judged(made: House, entity: str, given: Given, truth: list[Row], proposal: TableProposal, view: View) -> Judged:
    """Lines count as right when they hold just the accounts with figures that the table's line was made of."""
    counts: Counter[str] = Counter()
    bad = []
    used = made.used(entity)
    for line, (caption, codes, _) in zip(proposal.lines, truth, strict=True):
        own = set(codes) & used
        if not codes and line.kind == "line":  # a total or a result is worked out, never a set of accounts
            counts["wrong total"] += 1
            bad.append((caption, line.state, line.selection, ()))
        row = next(at for at, one in enumerate(given.rows) if one.caption == caption)
        if not own or not any(given.rows[row].values):
            continue
        counts["lines"] += 1
        mask = select(line.selection, view.frame.accounts).mask if line.selection else None
        found = (
            set() if mask is None else {view.frame.accounts.items[int(at)].code for at in np.flatnonzero(mask)} & used
        )
        right = found == own
        counts["right"] += right
        counts[line.state] += 1
        counts["wrong sure"] += line.state in ("sure", "total") and not right
        if not right:
            bad.append((caption, line.state, line.selection, tuple(sorted(own))))
    return Judged(counts, bad)
