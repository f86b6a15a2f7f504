"""A run of months as a drawing: a block for each with its budget as a notch and the year before as a diamond, and where
actual figures are continued by a forecast."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from fractions import Fraction

from rulka.core.picturing.drawings import (
    ASCENT,
    DIAMOND,
    LINE,
    NOTCH,
    SIZE,
    Drawing,
    DrawnMark,
    DrawnRule,
    DrawnWords,
    MarkKind,
    Written,
    completed,
)
from rulka.core.picturing.scales import Scale, shared
from rulka.core.picturing.words import STRONG, widest, width

LIFT = 8
"""How far the last actual figure is written above what its month holds: clear of a diamond."""

ABOVE = LIFT + LINE + ASCENT
"""Room above the plot for that figure, and for the word at a forecast."""

BELOW = LINE + 4
THICK = 0.66
"""The part of a month's room that its block takes."""

FORECAST = "forecast"


@dataclass(frozen=True)
class DrawnMonth:
    """The figures of one month, None where there is none; `key` is what traces them, see `completed`. It is actual or
    forecast, not both."""

    key: str
    label: str
    actual: Fraction | None = None
    budget: Fraction | None = None
    prior: Fraction | None = None
    forecast: Fraction | None = None

    @property
    def figures(self) -> list[tuple[MarkKind, str, Fraction]]:
        """Each figure that there is, as its mark and in a word."""
        all_of: tuple[tuple[MarkKind, str, Fraction | None], ...] = (
            ("actual", "actual", self.actual),
            ("forecast", "forecast", self.forecast),
            ("budget", "budget", self.budget),
            ("prior", "year before", self.prior),
        )
        return [(kind, word, value) for kind, word, value in all_of if value is not None]


def plot_height(high: int) -> int:
    """How many pixels of a drawing's height are left for blocks."""
    return high - ABOVE - BELOW


def month_scale(runs: Iterable[Sequence[DrawnMonth]], high: int) -> Scale:
    """The one scale of all runs of months that are drawn at a height side by side."""
    return shared((value for run in runs for month in run for _, _, value in month.figures), plot_height(high))


def column_drawing(months: Sequence[DrawnMonth], size: tuple[int, int], written: Written, scale: Scale) -> Drawing:
    """Draw months at a size in pixels on a scale of `month_scale`. All months are named where their names have room,
    else the first and the last. ValueError for a scale of another height, or where the drawing is narrower than the
    figure it writes."""
    wide, high = size
    if scale.length != plot_height(high):
        raise ValueError(f"A scale of {scale.length} pixels is not one for a plot of {plot_height(high)}")
    return _Drawn(months, wide, high, written, scale).drawing()


@dataclass(frozen=True)
class _Drawn:
    months: Sequence[DrawnMonth]
    wide: int
    high: int
    written: Written
    scale: Scale

    def drawing(self) -> Drawing:
        marks = [mark for place, month in enumerate(self.months) for mark in self._marks(place, month)]
        zero = self._y(Fraction(0))
        rules, words = [DrawnRule(0, zero, self.wide, zero)], self._names()
        for of in (self._last_actual(), self._forecast()):
            words += [of] if of else []
        if (begins := self._forecast_begins()) is not None:
            rules.append(DrawnRule(begins, 0, begins, self.high - BELOW, soft=True))
        return Drawing(self.wide, self.high, marks, words, rules)

    @property
    def slot(self) -> float:
        return self.wide / max(len(self.months), 1)

    def _y(self, value: Fraction) -> float:
        return round(ABOVE + self.scale.length - self.scale.place(value), 1)

    def _marks(self, place: int, month: DrawnMonth) -> list[DrawnMark]:
        thick = round(self.slot * THICK, 1)
        left = round(place * self.slot + (self.slot - thick) / 2, 1)
        figures = month.figures
        if month.actual is None and month.forecast is None:  # what stands alone has a block of its own
            figures = [("pale", word, value) for _, word, value in figures[:1]] + figures
        return [
            DrawnMark(
                kind,
                *self._box(kind, value, left, thick),
                completed(month.key, word),
                f"{month.label}, {word}: {self.written(value)}",
            )
            for kind, word, value in figures
        ]

    def _box(self, kind: MarkKind, value: Fraction, left: float, thick: float) -> tuple[float, float, float, float]:
        end, zero = self._y(value), self._y(Fraction(0))
        if kind == "budget":
            return left - 1, end - NOTCH / 2, thick + 2, NOTCH
        if kind == "prior":
            across = round(min(DIAMOND, self.slot), 1)
            return round(left + (thick - across) / 2, 1), round(end - across / 2, 1), across, across
        return left, min(end, zero), thick, max(round(abs(zero - end), 1), 1)

    def _names(self) -> list[DrawnWords]:
        y = self.high - BELOW + ASCENT + 4
        labels = [month.label for month in self.months]
        if widest(labels, SIZE) + 4 <= self.slot:
            middles = [round((place + 0.5) * self.slot, 1) for place in range(len(labels))]
            return [DrawnWords(x, y, label, "middle", "soft") for x, label in zip(middles, labels, strict=True)]
        ends = [DrawnWords(0, y, labels[0], "start", "soft"), DrawnWords(self.wide, y, labels[-1], "end", "soft")]
        together = width(labels[0], SIZE) + width(labels[-1], SIZE) + 4
        return ends if together <= self.wide else []

    def _last_actual(self) -> DrawnWords | None:
        """The last actual figure, written above all that its month and those beside it hold."""
        places = [place for place, month in enumerate(self.months) if month.actual is not None]
        if not places:
            return None
        text = self.written(self.months[places[-1]].actual or Fraction(0))
        half = float(width(text, SIZE, STRONG)) / 2
        if 2 * half > self.wide:
            raise ValueError(f"'{text}' has no room in {self.wide} pixels")
        x = min(max((places[-1] + 0.5) * self.slot, half), self.wide - half)
        over = [
            self._y(max(value, Fraction(0)))
            for place, month in enumerate(self.months)
            if place * self.slot < x + half and (place + 1) * self.slot > x - half
            for _, _, value in month.figures
        ]
        return DrawnWords(round(x, 1), min(over) - LIFT, text, "middle", weight=STRONG)

    def _forecast_begins(self) -> float | None:
        place = next((place for place, month in enumerate(self.months) if month.forecast is not None), None)
        return None if place is None else round(place * self.slot, 1)

    def _forecast(self) -> DrawnWords | None:
        """The word at a forecast, on the side of its rule that has room; none where neither has."""
        begins, long = self._forecast_begins(), float(width(FORECAST, SIZE)) + 4
        if begins is None or long > max(begins, self.wide - begins):
            return None
        if begins + long <= self.wide:
            return DrawnWords(begins + 4, ASCENT, FORECAST, "start", "soft")
        return DrawnWords(begins - 4, ASCENT, FORECAST, "end", "soft")
