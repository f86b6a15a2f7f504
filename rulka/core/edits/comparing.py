"""A span made up for a look: one figure beside any others, each with difference and percent."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from rulka.core.definitions.windows import WINDOWS
from rulka.core.edits.tree import Raw
from rulka.core.errors import NotFound, RulkaError, one_of

BEFORE = {"period before": "-1 period", "year before": "-1 year"}
"""What of the actuals can be compared with by its time, and the shift that means it."""

LOOKED_AT = ("period", "quarter to date", "year to date", "year")
MOST = 6


@dataclass(frozen=True)
class Comparison:
    """What is compared: a scenario over a window, against scenarios or the actuals of a time before."""

    of: str
    against: tuple[str, ...]
    window: str

    @property
    def text(self) -> str:
        """How an address says it."""
        return "|".join((self.of, self.window, *self.against))


def comparison_from(text: str, scenarios: Mapping[str, str]) -> Comparison:
    """Read it as an address says it; refuses what the ledger doesn't have."""
    parts = text.split("|")
    if len(parts) < 3:
        raise RulkaError("It says nothing to compare with.", hint="Choose something.", subject="compare")
    return comparison(parts[0], parts[2:], parts[1], scenarios)


def comparison(of: str, against: Sequence[str], window: str, scenarios: Mapping[str, str]) -> Comparison:
    """What somebody chose to compare; refuses what the ledger doesn't have."""
    known = [*scenarios, *BEFORE]
    for name in (of, *against):
        if name not in known:
            raise NotFound(f"'{name[:40]}' can't be compared.", hint=one_of(name, known), subject="compare")
    if window not in WINDOWS:
        raise NotFound(f"'{window[:40]}' is no window of time.", hint=one_of(window, WINDOWS), subject="window")
    others = tuple(name for name in dict.fromkeys(against) if name != of)[:MOST]
    if not others:
        raise RulkaError("It is compared with itself.", hint="Choose another one.", subject="compare")
    return Comparison(of, others, window)


def compared_span(asked: Comparison, titles: Mapping[str, str]) -> Raw:
    """The span of a comparison; `titles` are those of the scenarios."""

    def figures(key: str, name: str) -> Raw:
        heading = titles.get(name, name).capitalize() if name not in BEFORE else name.capitalize()
        raw: Raw = {"column": key, "heading": heading, "group": "{window}", "window": asked.window}
        return raw | ({"shift": BEFORE[name]} if name in BEFORE else {"scenario": name})

    columns = [figures("shown", asked.of)]
    for at, name in enumerate(asked.against, 1):
        columns += [
            figures(f"other-{at}", name),
            {"column": f"difference-{at}", "heading": "Difference", "difference": ["shown", f"other-{at}"]},
            {"column": f"percent-{at}", "heading": "%", "percent": ["shown", f"other-{at}"]},
        ]
    return {"span": "compared", "columns": columns}
