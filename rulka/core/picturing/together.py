"""Several drawings as one: side by side under their names, in as many rows as they need."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from rulka.core.picturing.drawings import ASCENT, DESCENT, LINE, SIZE, Drawing, DrawnWords
from rulka.core.picturing.words import STRONG, fitted

BETWEEN = 20


def together(drawings: Sequence[tuple[str, Drawing]], wide: int, notes: Sequence[str] = ()) -> Drawing:
    """Put drawings with their names beside each other, within a width as far as they are narrower; notes stand
    below."""
    marks, words, rules = [], [], []
    left, top, row, across = 0, 0, 0, wide
    for name, drawing in drawings:
        if left and left + drawing.width > wide:
            left, top = 0, top + row + BETWEEN // 2
            row = 0
        head = LINE if name else 0
        if name:
            text = fitted(name, drawing.width, SIZE, STRONG)
            words.append(DrawnWords(left, top + ASCENT, text, weight=STRONG, whole=name))
        down = top + head
        marks += [replace(one, x=one.x + left, y=one.y + down) for one in drawing.marks]
        words += [replace(one, x=one.x + left, y=one.y + down) for one in drawing.words]
        rules += [
            replace(one, x=one.x + left, y=one.y + down, to_x=one.to_x + left, to_y=one.to_y + down)
            for one in drawing.rules
        ]
        left += drawing.width + BETWEEN
        row = max(row, head + drawing.height)
        across = max(across, left - BETWEEN)
    high = top + row
    for note in notes:
        high += LINE
        words.append(DrawnWords(0, high - LINE + ASCENT + 2, fitted(note, across, SIZE), tone="soft", whole=note))
    return Drawing(across, max(high + (DESCENT if notes else 0), LINE), marks, words, rules)
