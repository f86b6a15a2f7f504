"""From one total to another in steps: what each line, department or company adds, through subtotals where there are
some, and what no step accounts for. Every bar begins where the one before it ended, so the whole adds up."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction
from typing import Literal

Kind = Literal["total", "step", "together", "rest"]
Scenario = Literal["actual", "budget", "prior", "forecast"]


@dataclass(frozen=True)
class Step:
    """What one part adds to the next total, in presented sign and major units; `favourable` where that can be told."""

    key: str
    label: str
    value: Fraction
    favourable: bool | None = None


@dataclass(frozen=True)
class Total:
    """A total that a bridge starts from, steps through or ends at, and what it is a figure of."""

    key: str
    label: str
    value: Fraction
    scenario: Scenario = "actual"


@dataclass(frozen=True)
class Leg:
    """Steps, and the total that they lead to."""

    steps: tuple[Step, ...]
    total: Total


@dataclass(frozen=True)
class BridgeBar:
    """One bar of a bridge. A total stands from zero to its figure; all others from where the bar before ended.
    `together` holds the keys of small steps that were summed up; a `rest` is what no step accounts for."""

    kind: Kind
    key: str
    label: str
    begins: Fraction
    ends: Fraction
    favourable: bool | None = None
    together: tuple[str, ...] = ()
    scenario: Scenario = "actual"

    @property
    def value(self) -> Fraction:
        return self.ends - self.begins


@dataclass(frozen=True)
class Bridge:
    """Bars from left to right, the last of them a total, the first too where it begins at one. `most_favourable` and
    `least_favourable` are the places of the largest contributors of either side; steps that were summed up are none."""

    bars: tuple[BridgeBar, ...]
    most_favourable: int | None
    least_favourable: int | None

    @property
    def rest(self) -> Fraction:
        """What no step accounts for, over all legs."""
        return sum((bar.value for bar in self.bars if bar.kind == "rest"), Fraction(0))

    @property
    def levels(self) -> list[Fraction]:
        """Every figure at which a bar begins or ends, but for the zero that totals stand on."""
        return [
            level for bar in self.bars for level in ((bar.ends,) if bar.kind == "total" else (bar.begins, bar.ends))
        ]


def bridge(start: Total | None, legs: Sequence[Leg], *, most: int) -> Bridge:
    """A bridge from a total, or from nothing, through legs. No leg shows more than `most` steps: the smallest of the
    others stand together behind the largest, which keep their order. Steps of nothing are left out."""
    if most < 1:
        raise ValueError("a bridge shows one step at least")
    bars = [_total(start)] if start else []
    for leg in legs:
        at = bars[-1].ends if bars else Fraction(0)
        for bar in _steps(leg.steps, most):
            bars.append(BridgeBar(bar.kind, bar.key, bar.label, at, at + bar.value, bar.favourable, bar.together))
            at = bars[-1].ends
        if at != leg.total.value:
            bars.append(BridgeBar("rest", "", "", at, leg.total.value))
        bars.append(_total(leg.total))
    return Bridge(tuple(bars), _largest(bars, favourable=True), _largest(bars, favourable=False))


def _total(total: Total) -> BridgeBar:
    return BridgeBar("total", total.key, total.label, Fraction(0), total.value, scenario=total.scenario)


def _steps(steps: Sequence[Step], most: int) -> list[BridgeBar]:
    """The steps of one leg as bars from zero: the largest in their order, then the others as one."""
    moving = [step for step in steps if step.value]
    by_size = sorted(range(len(moving)), key=lambda place: (-abs(moving[place].value), place))
    shown = set(by_size if len(moving) <= most else by_size[: most - 1])
    bars = [
        BridgeBar("step", step.key, step.label, Fraction(0), step.value, step.favourable)
        for place, step in enumerate(moving)
        if place in shown
    ]
    others = [step for place, step in enumerate(moving) if place not in shown]
    if others:
        sides = {step.favourable for step in others}
        same = sides.pop() if len(sides) == 1 else None
        value = sum((step.value for step in others), Fraction(0))
        bars.append(BridgeBar("together", "", "", Fraction(0), value, same, tuple(step.key for step in others)))
    return bars


def _largest(bars: Sequence[BridgeBar], *, favourable: bool) -> int | None:
    """The place of the largest single step of one side."""
    places = [place for place, bar in enumerate(bars) if bar.kind == "step" and bar.favourable is favourable]
    return max(places, key=lambda place: (abs(bars[place].value), -place), default=None)
