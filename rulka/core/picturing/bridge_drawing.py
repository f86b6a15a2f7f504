"""A bridge as a drawing: bars from left to right, each beginning where the one before ended, its figure above it and
its name below."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from fractions import Fraction

from rulka.core.picturing.bridges import Bridge, BridgeBar, Leg, Total, bridge
from rulka.core.picturing.drawings import (
    ASCENT,
    DIAMOND,
    LINE,
    NOTCH,
    SIZE,
    TRIANGLE,
    Drawing,
    DrawnMark,
    DrawnRule,
    DrawnWords,
    MarkKind,
    Tone,
    Torn,
    Written,
)
from rulka.core.picturing.scales import Scale, cut, shared
from rulka.core.picturing.words import PLAIN, STRONG, broken, widest

NARROWEST = 56
"""The least room for one bar with its name, in pixels."""

BETWEEN = 8
"""The least room between the figures of two bars."""

WIDEST_BAR = 44
OVER = 4
"""How far a notch stands out on both sides of its bar."""

NAMES = 2
"""Lines for the name of a bar."""

LIFT = 8
"""How far the figure of a bar is written above it: clear of a diamond."""

ABOVE = LIFT + ASCENT
"""Room above the plot for the figure of the highest bar."""

BELOW = NAMES * LINE + 4
HANGING = LINE + 2
"""Room below the plot for the figures of bars that hang below zero."""


def fitting(start: Total | None, legs: Sequence[Leg], pixels: int, written: Written) -> Bridge | None:
    """The bridge with as many steps as have room side by side with their figures written out; None where not even one
    step of each leg has."""
    for most in range(max((len(leg.steps) for leg in legs), default=0) or 1, 0, -1):
        made = bridge(start, legs, most=most)
        if pixels >= len(made.bars) * _slot_of(made, written):
            return made
    return None


def bridge_drawing(made: Bridge, size: tuple[int, int], written: Written, scale: Scale | None = None) -> Drawing:
    """Draw a bridge at a size in pixels, on a scale of its own or one that it shares, `bridge_scale`. A scale of its
    own is cut where all bars are far from zero. ValueError where its figures would run into each other."""
    wide, high = size
    if wide < len(made.bars) * _slot_of(made, written):
        raise ValueError(f"{len(made.bars)} bars have no room in {wide} pixels")
    scale = scale or cut(made.levels, _plot_height(high, made.levels))
    if scale.length != _plot_height(high, [scale.least]):
        raise ValueError(f"A scale of {scale.length} pixels is not one for a drawing of {high}")
    return _Drawn(made, wide, high, written, scale).drawing()


def bridge_scale(several: Iterable[Bridge], high: int) -> Scale:
    """The one scale of all bridges that are drawn at a height side by side."""
    levels = [level for made in several for level in made.levels]
    return shared(levels, _plot_height(high, levels))


def _plot_height(high: int, levels: Iterable[Fraction]) -> int:
    """How many pixels of a drawing's height are left for bars."""
    return high - ABOVE - BELOW - (HANGING if min(levels) < 0 else 0)


def _slot_of(made: Bridge, written: Written) -> Fraction:
    """The room that each bar needs."""
    figures = widest([written(bar.value) for bar in made.bars], SIZE, STRONG)
    return max(figures + TRIANGLE + BETWEEN, Fraction(NARROWEST))


def plot_height(high: int) -> int:
    """How many pixels of a drawing's height are left for bars."""
    return high - ABOVE - BELOW


@dataclass(frozen=True)
class _Drawn:
    made: Bridge
    wide: int
    high: int
    written: Written
    scale: Scale

    def drawing(self) -> Drawing:
        marks: list[DrawnMark] = []
        words: list[DrawnWords] = []
        for place, bar in enumerate(self.made.bars):
            marks += self._marks(place, bar)
            words += self._words(place, bar)
        notes = () if self.scale.cut is None else (f"bars are cut at {self.written(self.scale.cut)}",)
        return Drawing(self.wide, self.high, marks, words, [*self._rules()], notes)

    @property
    def slot(self) -> float:
        return self.wide / len(self.made.bars)

    @property
    def thick(self) -> float:
        return round(min(self.slot * 0.64, WIDEST_BAR), 1)

    def _left(self, place: int) -> float:
        return round(place * self.slot + (self.slot - self.thick) / 2, 1)

    def _y(self, value: Fraction) -> float:
        return round(ABOVE + self.scale.length - self.scale.place(value), 1)

    def _ends(self, bar: BridgeBar) -> tuple[float, float]:
        """The top and the bottom of a bar; a total stands on where bars of the scale begin."""
        begins = self.scale.base if bar.kind == "total" else bar.begins
        return self._y(max(begins, bar.ends)), self._y(min(begins, bar.ends))

    def _marks(self, place: int, bar: BridgeBar) -> list[DrawnMark]:
        """The block of a bar; one of a budget ends in a notch, one of the year before in a diamond."""
        top, bottom = self._ends(bar)
        left, said = self._left(place), f"{_name(bar)}: {self.written(bar.value)}"
        torn: Torn = "" if bar.kind != "total" or not self.scale.cut else "bottom" if self.scale.cut > 0 else "top"
        end, middle = self._y(bar.ends), round(left + self.thick / 2, 1)
        ends = {
            "budget": DrawnMark("budget", left - OVER, end - NOTCH / 2, self.thick + 2 * OVER, NOTCH, bar.key, said),
            "prior": DrawnMark("prior", middle - DIAMOND / 2, end - DIAMOND / 2, DIAMOND, DIAMOND, bar.key, said),
        }
        block = DrawnMark(_kind(bar), left, top, self.thick, max(round(bottom - top, 1), 1), bar.key, said, torn)
        return [block, *([ends[bar.scenario]] if bar.kind == "total" and bar.scenario in ends else [])]

    def _words(self, place: int, bar: BridgeBar) -> list[DrawnWords]:
        middle = round((place + 0.5) * self.slot, 1)
        largest = place in (self.made.most_favourable, self.made.least_favourable)
        weight = STRONG if bar.kind == "total" or largest else PLAIN
        figure = DrawnWords(middle, self._figure_at(bar), self.written(bar.value), "middle", _tone(bar), weight)
        lines = broken(_name(bar), int(self.slot) - 4, SIZE, lines=NAMES, weight=weight)
        first = self.high - BELOW + ASCENT + 4
        names = [
            DrawnWords(
                middle, first + line * LINE, text, "middle", "soft", weight if largest else PLAIN, whole=_name(bar)
            )
            for line, text in enumerate(lines)
        ]
        return [figure, *names]

    def _figure_at(self, bar: BridgeBar) -> float:
        """The line of a bar's figure: above the bar, below one that hangs below zero, so that no rule runs through."""
        top, bottom = self._ends(bar)
        return bottom + LIFT + ASCENT - 4 if max(bar.begins, bar.ends) <= 0 > min(bar.begins, bar.ends) else top - LIFT

    def _rules(self) -> list[DrawnRule]:
        """The line that totals stand on, and what leads from the end of each bar to the next one."""
        base = self._y(self.scale.base)
        rules = [DrawnRule(0, base, self.wide, base)]
        for place, bar in enumerate(self.made.bars[:-1]):
            level = self._y(bar.ends)
            rules.append(
                DrawnRule(round(self._left(place) + self.thick, 1), level, self._left(place + 1), level, soft=True)
            )
        return rules


def _kind(bar: BridgeBar) -> MarkKind:
    if bar.kind == "total":
        return "pale" if bar.scenario in ("budget", "prior") else bar.scenario
    return "neutral" if bar.favourable is None else "favourable" if bar.favourable else "unfavourable"


def _tone(bar: BridgeBar) -> Tone:
    if bar.kind == "total" or bar.favourable is None:
        return "ink"
    return "favourable" if bar.favourable else "unfavourable"


def _name(bar: BridgeBar) -> str:
    if bar.kind == "together":
        return f"{len(bar.together)} others"
    return "Not in the steps" if bar.kind == "rest" else bar.label
