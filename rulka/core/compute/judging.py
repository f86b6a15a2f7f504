"""Checks that a spine states: how far apart their sides are in each column, and whether that is tolerated."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction

from rulka.core.compute.columns import Column
from rulka.core.definitions.spines import LineDef


@dataclass(frozen=True)
class JudgedCheck:
    """What a check found: how far apart it is in each column that was judged, and whether that is within its
    tolerance."""

    line: LineDef
    apart: tuple[tuple[Column, Fraction], ...]
    judged: int

    @property
    def holds(self) -> bool:
        return not self.apart
