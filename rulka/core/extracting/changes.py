"""Two states of the same rows held against each other: new, gone, changed."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Any

Row = tuple[Any, ...]


@dataclass(frozen=True)
class Changed:
    """One row that isn't as it was; `before` and `after` are None where it wasn't there."""

    what: str
    before: Row | None
    after: Row | None
    places: tuple[int, ...] = ()
    """The columns that differ."""

    @property
    def row(self) -> Row:
        row = self.after if self.after is not None else self.before
        assert row is not None  # one of both is there
        return row


@dataclass(frozen=True)
class Differences:
    new: int
    gone: int
    changed: int
    same: int
    rows: tuple[Changed, ...]


def differences(before: Iterable[Row], after: Iterable[Row], identity: Sequence[int], most: int) -> Differences:
    """What is new, changed and gone in the later rows, in their order, the gone ones last; at most `most` rows are
    told, all are counted. Rows that bear one identity several times are paired in order."""
    former: dict[Row, list[Row]] = {}
    for row in before:
        former.setdefault(tuple(row[at] for at in identity), []).append(row)
    told: list[Changed] = []
    counts = {"new": 0, "changed": 0, "gone": 0}
    same = 0
    for row in after:
        known = former.get(tuple(row[at] for at in identity))
        old = (known.pop(known.index(row)) if row in known else known.pop(0)) if known else None
        if old == row:
            same += 1
            continue
        what = "new" if old is None else "changed"
        counts[what] += 1
        if len(told) < most:
            places = () if old is None else tuple(at for at in range(len(row)) if old[at] != row[at])
            told.append(Changed(what, old, row, places))
    for rows in former.values():
        for row in rows:
            counts["gone"] += 1
            if len(told) < most:
                told.append(Changed("gone", row, None))
    return Differences(counts["new"], counts["gone"], counts["changed"], same, tuple(told))
