"""Rates of exchange as a ledger gives them: exact, by period, the other way round where only that is given."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from fractions import Fraction

from rulka.core.errors import NotFound


@dataclass(frozen=True)
class Rates:
    """`given[period code, from, to]` is (average or None, closing): units of `to` for one unit of `from`."""

    given: Mapping[tuple[str, str, str], tuple[Fraction | None, Fraction]] = field(default_factory=dict)

    def find(self, kind: str, period: str, source: str, target: str) -> Fraction | None:
        """The average or closing rate of a pair; inverted where only the other way round is given, None where nothing
        is."""
        place = 0 if kind == "average" else 1
        straight, turned = self.given.get((period, source, target)), self.given.get((period, target, source))
        if straight is not None and (value := straight[place]) is not None:
            return value
        if turned is not None and (value := turned[place]):
            return 1 / value
        return None

    def require(self, kind: str, period: str, source: str, target: str) -> Fraction:
        """Like `find`; raises NotFound that names period and pair."""
        rate = self.find(kind, period, source, target)
        if rate is None:
            raise NotFound(
                f"The ledger has no {kind} rate from {source} to {target} for {period}.",
                hint="Load it with rates.csv, in this direction or the other.",
                subject=f"rate {source}/{target}",
                code="no-rate",
            )
        return rate
