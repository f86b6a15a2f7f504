"""Contributors as a drawing: one row for each with its name, a bar on one scale, budget and year before beside it, and
its figure at the right."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction

from rulka.core.picturing.drawings import (
    DIAMOND,
    NOTCH,
    SIZE,
    TRIANGLE,
    Drawing,
    DrawnMark,
    DrawnRule,
    DrawnWords,
    MarkKind,
    Tone,
    Written,
    completed,
)
from rulka.core.picturing.scales import Scale, shared
from rulka.core.picturing.words import STRONG, fitted, widest

ROW = 28
BLOCK = 12
TOP = 4
"""How far a block begins below the top of its row; a diamond stands below it."""

GAP = 12
BESIDE = 10
"""Between a figure and what stands beside it."""

MOST_NAME = Fraction(2, 5)
"""The part of the width that names may take."""

LEAST_PLOT = 40


@dataclass(frozen=True)
class Contributor:
    """What one entity, member or line contributes, in presented sign; None where there is no such figure. `leads` is
    the node that its name leads to, `aside` what stands beside its figure in a tone of its own."""

    key: str
    label: str
    value: Fraction | None
    budget: Fraction | None = None
    prior: Fraction | None = None
    leads: str = ""
    word: str = ""
    """What stands in the place of a figure that there isn't."""

    aside: str = ""
    tone: Tone = "ink"


def by_weight(contributors: Sequence[Contributor], most: int) -> tuple[list[Contributor], list[Contributor]]:
    """The largest by amount, largest first, and those that have no row of their own: none where all have room."""
    ordered = sorted(contributors, key=lambda one: (-abs(one.value or 0), one.key))
    return (ordered, []) if len(ordered) <= most else (ordered[: most - 1], ordered[most - 1 :])


def summed(others: Sequence[Contributor]) -> Contributor:
    """Several contributors as one row; a figure that any of them lacks is not known of all of them."""

    def total(values: list[Fraction | None]) -> Fraction | None:
        known = [value for value in values if value is not None]
        return sum(known, Fraction(0)) if len(known) == len(values) else None

    return Contributor(
        "",
        f"{len(others)} others",
        total([one.value for one in others]),
        total([one.budget for one in others]),
        total([one.prior for one in others]),
    )


def ranked_drawing(rows: Sequence[Contributor], wide: int, written: Written) -> Drawing:
    """Draw rows in the order they come in, at a width in pixels. ValueError where their figures leave no room for
    bars."""
    figures = [written(row.value) if row.value is not None else row.word for row in rows]
    values = int(widest(figures, SIZE, STRONG)) + 1
    asides = [row.aside for row in rows if row.aside]
    beside = int(widest(asides, SIZE)) + 1 + TRIANGLE + BESIDE if asides else 0
    names = int(min(widest([row.label for row in rows], SIZE), wide * MOST_NAME)) + 1
    left = names + GAP
    length = wide - values - beside - GAP - left - DIAMOND
    if length < LEAST_PLOT:
        raise ValueError(f"bars have no room beside names and figures in {wide} pixels")
    scale = shared((value for row in rows for value in (row.value, row.budget, row.prior)), length)
    marks, words = [], []
    for place, row in enumerate(rows):
        marks += _marks(row, place * ROW, left + DIAMOND // 2, scale, written)
        line = place * ROW + TOP + BLOCK - 2
        words.append(DrawnWords(0, line, fitted(row.label, names, SIZE), whole=row.label, leads=row.leads))
        words.append(DrawnWords(wide - beside, line, figures[place], "end", weight=STRONG))
        if row.aside:
            words.append(DrawnWords(wide, line, row.aside, "end", row.tone))
    zero = left + DIAMOND // 2 + scale.place(Fraction(0))
    return Drawing(wide, len(rows) * ROW, marks, words, [DrawnRule(zero, 0, zero, len(rows) * ROW)])


def _marks(row: Contributor, top: int, left: int, scale: Scale, written: Written) -> list[DrawnMark]:
    """The marks of one row: a block from zero, a notch across its row, a diamond below the block."""
    made = []
    figures: list[tuple[MarkKind, str, Fraction | None]] = [
        ("actual", "actual", row.value),
        ("budget", "budget", row.budget),
        ("prior", "year before", row.prior),
    ]
    for kind, word, value in figures:
        if value is None:
            continue
        begins, long = scale.bar(Fraction(0), value)
        end = left + scale.place(value)
        boxes = {
            "actual": (left + begins, top + TOP, max(long, 1), BLOCK),
            "budget": (end - NOTCH / 2, top + 1, NOTCH, BLOCK + 2 * (TOP - 1)),
            "prior": (end - DIAMOND / 2, top + TOP + BLOCK, DIAMOND, DIAMOND),
        }
        x, y, across, down = boxes[kind]
        made.append(
            DrawnMark(
                kind, round(x, 1), y, across, down, completed(row.key, word), f"{row.label}, {word}: {written(value)}"
            )
        )
    return made
