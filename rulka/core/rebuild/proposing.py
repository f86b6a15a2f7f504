"""A table and a ledger to a proposal: columns, structure, and for each line its accounts, sure or doubtful."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

from rulka.core.books.book import View
from rulka.core.books.chart import BoolArray, IntArray
from rulka.core.errors import NotFound
from rulka.core.rebuild.books import Reading, Tried, tried_in
from rulka.core.rebuild.columns import FoundColumns, found_columns, steps_of
from rulka.core.rebuild.features import features_of
from rulka.core.rebuild.given import Given
from rulka.core.rebuild.lines import Choice, choices_for, chosen_together
from rulka.core.rebuild.structure import Kind, Part, structure_of

State = Literal["sure", "doubtful", "not found", "total", "words"]


@dataclass(frozen=True)
class ProposedLine:
    """A row of the table as a line of a statement: `selection` are its accounts, `others` select other accounts that
    give the same figures."""

    caption: str
    kind: Kind
    state: State
    selection: str = ""
    sign: int = 1
    others: tuple[str, ...] = ()
    of: tuple[tuple[int, int], ...] = ()


@dataclass(frozen=True)
class Proposal:
    """What a table is: at which node and scale, its columns, its lines."""

    found: FoundColumns
    readings: tuple[Reading | None, ...]
    lines: tuple[ProposedLine, ...]


def proposed(given: Given, view: View, node: str = "") -> Proposal:
    """The likeliest proposal, at a node where it is named; NotFound where no column is found in the ledger."""
    tried = tried_in(view, node)
    features = features_of(tried.accounts, np.asarray(tried.amounts.any(axis=1)), runs=False)
    every = found_columns(given, tried, features)
    if not every:
        raise NotFound(
            "No column of the table is found in the ledger.",
            hint="Look whether it is of this ledger, and whether its figures are sums of accounts.", subject="table",
        )  # fmt: skip
    return _for(given, tried, every[0])


def _for(given: Given, tried: Tried, found: FoundColumns) -> Proposal:
    read = found.read
    columns = [one.at for one in read]
    places = np.array([one.reading for one in read])
    steps = [steps_of(given, one.at, found.scale, int(tried.digits[one.reading])) for one in read]
    step = np.array([one for one, _ in steps], dtype=np.int64)
    loose = np.array([one for _, one in steps], dtype=np.int64)
    amounts = tried.amounts[:, places]
    features = features_of(tried.accounts, np.asarray(amounts.any(axis=1)))
    sums = features.sums(amounts)
    numbers, shown = given.numbers[:, columns], given.shown[:, columns]
    named = np.abs(sums[: features.named])

    def is_named(row: int) -> bool:
        """Whether what the chart names by itself gives a row's figures."""
        off = np.abs(named - np.abs(numbers[row] * step))
        return bool((off <= loose)[:, shown[row]].all(axis=1).any())

    parts = _structured(numbers, shown, is_named, exact=not loose.any())
    leaves = [at for at, part in enumerate(parts) if part.kind == "line"]
    offered = [
        choices_for(features, sums, numbers[at] * step, loose, shown[at], given.rows[at].caption, tried.accounts)
        for at in leaves
    ]
    taken = chosen_together(offered)
    by_row = dict(zip(leaves, zip(offered, taken, strict=True), strict=True))
    counts = _counts(offered, taken)
    lines = []
    for at, (row, part) in enumerate(zip(given.rows, parts, strict=True)):
        lines.append(_line(row.caption, part, *by_row.get(at, ([], -1)), counts))
    readings = tuple(tried.readings[one.reading] if one.reading >= 0 else None for one in found.columns)
    return Proposal(found, readings, tuple(lines))


def _structured(numbers: IntArray, shown: BoolArray, is_named: Callable[[int], bool], *, exact: bool) -> list[Part]:
    """The last line before a total is always the total less the others: where such a difference is something that the
    chart names, it is a line."""
    plain: frozenset[int] = frozenset()
    while True:
        parts = structure_of(numbers, shown, exact=exact, plain=plain)
        lines = {
            row for row, part in enumerate(parts)
            if part.kind == "calculation" and any(sign < 0 for _, sign in part.of) and is_named(row)
        }  # fmt: skip
        if not lines - plain:
            return parts
        plain |= lines


def _counts(offered: Sequence[Sequence[Choice]], taken: Sequence[int]) -> IntArray:
    """How often each account is taken."""
    masks = [every[at].mask for every, at in zip(offered, taken, strict=True) if at >= 0]
    return np.sum(masks, axis=0, dtype=np.int64) if masks else np.zeros(0, dtype=np.int64)


def _line(caption: str, part: Part, offered: Sequence[Choice], taken: int, counts: IntArray) -> ProposedLine:
    if part.kind == "words":
        return ProposedLine(caption, "words", "words")
    if part.kind != "line":
        return ProposedLine(caption, part.kind, "total", of=part.of)
    if taken < 0:
        return ProposedLine(caption, "line", "not found", others=tuple(one.text for one in offered[:5]))
    chosen = offered[taken]
    left = counts - chosen.mask
    others = [one for one in offered if one is not chosen and not (one.mask & (left > 0)).any()]
    shared = bool((chosen.mask & (left > 0)).any())
    state: State = "doubtful" if others or shared else "sure"
    return ProposedLine(caption, "line", state, chosen.text, chosen.sign, tuple(one.text for one in others[:5]))
