"""A finished table as it was given: captions, headings, and figures of which nothing else is known."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from decimal import Decimal
from difflib import SequenceMatcher
from functools import cached_property

import numpy as np

from rulka.core.books.chart import BoolArray, IntArray
from rulka.core.errors import RulkaError

MOST_ROWS, MOST_COLUMNS = 600, 60
SCALES = (0, 3, 6)
"""Powers of ten that a table may be written in: units, thousands, millions."""


@dataclass(frozen=True)
class GivenRow:
    """A row of the table: `values` by column, None where nothing or no number stands."""

    caption: str
    values: tuple[Decimal | None, ...]


@dataclass(frozen=True)
class Given:
    """A table of captions and figures. `decimals` are those that each column shows; `tables` says by column of which
    table it is, where several months of a statement were joined: 0 is the one that is rebuilt."""

    headings: tuple[str, ...]
    rows: tuple[GivenRow, ...]
    decimals: tuple[int, ...]
    tables: tuple[int, ...] = ()

    def of_table(self, table: int) -> list[int]:
        """The columns of one table."""
        return [at for at, one in enumerate(self.tables or (0,) * len(self.headings)) if one == table]

    @property
    def is_joined(self) -> bool:
        """Whether it is several months."""
        return any(self.tables)

    @cached_property
    def numbers(self) -> IntArray:
        """`(rows, columns)` in steps of each column's last decimal; 0 where nothing stands."""
        steps = [[_steps(value, self.decimals[at]) for at, value in enumerate(row.values)] for row in self.rows]
        return np.array(steps, dtype=np.int64).reshape(len(self.rows), len(self.headings))

    @cached_property
    def largest(self) -> tuple[float, ...]:
        """The largest figure of each column."""
        steps = np.abs(self.numbers).max(axis=0, initial=0)
        return tuple(float(one) / 10**decimals for one, decimals in zip(steps, self.decimals, strict=True))

    @cached_property
    def shown(self) -> BoolArray:
        """`(rows, columns)`: where a number stands."""
        found = [[value is not None for value in row.values] for row in self.rows]
        return np.array(found, dtype=bool).reshape(len(self.rows), len(self.headings))


def _steps(value: Decimal | None, decimals: int) -> int:
    return 0 if value is None else int(value.scaleb(decimals).to_integral_exact())


def given_from(headings: Sequence[str], rows: Sequence[tuple[str, Sequence[Decimal | None]]]) -> Given:
    """A table of finished numbers; RulkaError where it is none."""
    if not headings or not rows:
        raise RulkaError("The table holds no figures.", hint="Give captions, and a column of figures at least.")
    if len(rows) > MOST_ROWS or len(headings) > MOST_COLUMNS:
        raise RulkaError(
            f"The table has {len(rows)} rows and {len(headings)} columns; {MOST_ROWS} and {MOST_COLUMNS} are taken.",
            hint="Give a part of it.", subject="table",
        )  # fmt: skip
    for place, (caption, values) in enumerate(rows, 1):
        if len(values) != len(headings):
            raise RulkaError(
                f"It has {len(values)} figures under {len(headings)} headings.", hint="Fill it up with blanks.",
                subject=f"row {place}, {caption[:60]}",
            )  # fmt: skip
    decimals = [
        max((_decimals(values[at]) for _, values in rows), default=0) for at in range(len(headings))
    ]  # fmt: skip
    return Given(tuple(headings), tuple(GivenRow(name, tuple(values)) for name, values in rows), tuple(decimals))


def _decimals(value: Decimal | None) -> int:
    exponent = value.as_tuple().exponent if value is not None else 0
    return max(-exponent, 0) if isinstance(exponent, int) else 0


def joined(every: Sequence[Given]) -> Given:
    """Several months of a statement beside each other, the first one's rows with those of the others that it hasn't
    between; RulkaError where they have hardly a caption in common."""
    first, *others = every
    for number, other in enumerate(others, 1):
        first = _beside(first, other, number)
    return first


def _beside(first: Given, other: Given, number: int) -> Given:
    names, others = ([row.caption.casefold() for row in one.rows] for one in (first, other))
    blank: list[tuple[Decimal | None, ...]] = [(None,) * len(one.headings) for one in (first, other)]
    rows: list[GivenRow] = []
    same = 0
    for kind, a, b, c, d in SequenceMatcher(None, names, others, autojunk=False).get_opcodes():
        if kind == "equal":
            same += b - a
            for one, two in zip(first.rows[a:b], other.rows[c:d], strict=True):
                rows.append(GivenRow(one.caption, one.values + two.values))
        else:
            rows += [GivenRow(one.caption, one.values + blank[1]) for one in first.rows[a:b]]
            rows += [GivenRow(two.caption, blank[0] + two.values) for two in other.rows[c:d]]
    if same * 2 < min(len(names), len(others)):
        raise RulkaError(
            f"Table {number + 1} has {same} of {len(others)} captions in common with the first.",
            hint="Give another month of the same statement.", subject="table",
        )  # fmt: skip
    tables = (first.tables or (0,) * len(first.headings)) + (number,) * len(other.headings)
    return Given(first.headings + other.headings, tuple(rows), first.decimals + other.decimals, tables)
