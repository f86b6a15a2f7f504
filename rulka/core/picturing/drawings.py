"""A drawing in pixels from its upper left corner: marks that stand for figures, words beside them, rules. What is drawn
here is written as SVG elsewhere."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from fractions import Fraction
from typing import Literal

from rulka.core.picturing.words import PLAIN, width

MarkKind = Literal["actual", "budget", "prior", "forecast", "pale", "favourable", "unfavourable", "neutral"]
"""Solid block, notch, hollow diamond, block with a dashed edge; the pale block that a notch or a diamond ends; blocks
of what helps, what hurts, and what can't be told."""

Tone = Literal["ink", "soft", "favourable", "unfavourable"]
Torn = Literal["", "top", "bottom"]
Anchor = Literal["start", "middle", "end"]

Written = Callable[[Fraction], str]
"""A figure as it is written on the page."""

TRIANGLE = 10
"""The room of the triangle that stands before a favourable or unfavourable figure, so that its side is told without
colour."""

NOTCH = 2
"""How thick a notch is."""

DIAMOND = 10
"""How wide and high a diamond is."""

LINE = 15
"""From one line of words to the next."""

SIZE = 12
"""The size of words."""

ASCENT, DESCENT = 11, 3
"""How much of a line of words stands above and below the line they are written on."""


HOLDS = {"actual": "actual", "forecast": "actual", "budget": "budget", "year before": "prior"}


def completed(key: str, word: str) -> str:
    """What traces one of several figures: a key that ends in `-` goes on with which of them it is."""
    return key + HOLDS[word] if key.endswith("-") else key


@dataclass(frozen=True)
class DrawnMark:
    """What stands for one figure: its kind, its box, `key` as what traces it, and in words what it says."""

    kind: MarkKind
    x: float
    y: float
    width: float
    height: float
    key: str
    said: str
    torn: Torn = ""
    """The end at which its bar begins at a cut, not at zero."""


@dataclass(frozen=True)
class DrawnWords:
    """A text on a line at `y`, from, around or up to `x`. `whole` is the text before it was shortened, `leads` the node
    that it leads to."""

    x: float
    y: float
    text: str
    anchor: Anchor = "start"
    tone: Tone = "ink"
    weight: int = PLAIN
    whole: str = ""
    leads: str = ""

    @property
    def triangle(self) -> int:
        """The room of the triangle before it, where it has one."""
        return TRIANGLE if self.tone in ("favourable", "unfavourable") else 0

    @property
    def box(self) -> tuple[float, float, float, float]:
        """Left, top, right and bottom of the room it takes, its triangle included."""
        long = float(width(self.text, SIZE, self.weight)) + self.triangle
        left = {"start": self.x, "middle": self.x - long / 2, "end": self.x - long}[self.anchor]
        return left, self.y - ASCENT, left + long, self.y + DESCENT


@dataclass(frozen=True)
class DrawnRule:
    """A straight line: `soft` ones connect, others are what bars stand on."""

    x: float
    y: float
    to_x: float
    to_y: float
    soft: bool = False


@dataclass(frozen=True)
class Drawing:
    """Marks, words and rules within a width and a height; `notes` say what the drawing itself can't: a cut, a scale
    that others share."""

    width: int
    height: int
    marks: Sequence[DrawnMark]
    words: Sequence[DrawnWords]
    rules: Sequence[DrawnRule]
    notes: Sequence[str] = ()
