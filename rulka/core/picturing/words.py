"""Words on a drawing: how wide they are, and how they fit a room, so that nothing runs over or is cut off."""

from __future__ import annotations

from fractions import Fraction
from functools import lru_cache

from rulka.core.picturing.letters import WIDTHS

MORE = "\u2026"
PLAIN, STRONG = 400, 600


@lru_cache(maxsize=20_000)
def width(text: str, size: int, weight: int = PLAIN) -> Fraction:
    """How many pixels a text takes at a size in pixels. A letter that the font lacks counts as its widest, since what
    stands in for it is not known."""
    widths = WIDTHS[weight]
    widest = max(widths.values())
    return Fraction(sum(widths.get(letter, widest) for letter in text) * size, 1000)


def widest(texts: list[str], size: int, weight: int = PLAIN) -> Fraction:
    """How many pixels the widest of some texts takes; none take nothing."""
    return max((width(text, size, weight) for text in texts), default=Fraction(0))


def fitted(text: str, room: Fraction | int, size: int, weight: int = PLAIN) -> str:
    """A text as it is where it fits, else as much of its beginning as leaves room for a mark that more follows;
    nothing where not even the mark fits."""
    if width(text, size, weight) <= room:
        return text
    for end in range(len(text) - 1, -1, -1):
        short = text[:end].rstrip() + MORE
        if width(short, size, weight) <= room:
            return short
    return ""


def broken(text: str, room: Fraction | int, size: int, *, lines: int, weight: int = PLAIN) -> list[str]:
    """A text in lines at most, broken between words; what doesn't fit is marked on the line where it ends."""
    made: list[str] = []
    words = text.split()
    while words and len(made) < lines - 1:
        taken = 1
        while taken < len(words) and width(" ".join(words[: taken + 1]), size, weight) <= room:
            taken += 1
        if width(words[0], size, weight) > room:
            break
        made.append(" ".join(words[:taken]))
        words = words[taken:]
    return [*made, fitted(" ".join(words), room, size, weight)] if words else made
