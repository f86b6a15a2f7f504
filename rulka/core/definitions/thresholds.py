"""What of a variance is worth explaining: thresholds by amount, by percent or both, as a statement and its lines say
them."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass, field
from fractions import Fraction
from typing import Any

from rulka.core.books.chart import TYPES
from rulka.core.errors import RulkaError, one_of
from rulka.core.values import typed_amount, whole

NEVER = "never"
HINT = "Write an amount, a percentage, or both: 100 000, 5 %, 100 000 and 5 %, 100 000 or 5 %, never."


@dataclass(frozen=True)
class Threshold:
    """From where on a variance is to be explained; `amount` in major units, `percent` as a fraction of the figure that
    is compared with. With both of them, both must be exceeded, or either (`either`)."""

    written: str
    amount: Fraction | None = None
    percent: Fraction | None = None
    either: bool = False

    @property
    def never(self) -> bool:
        return self.amount is None and self.percent is None

    def exceeded(self, value: Fraction, compared: Fraction) -> bool:
        """Whether a variance from a compared figure is more than this; of nothing any variance is more than any
        percentage."""
        asked = []
        if self.amount is not None:
            asked.append(abs(value) > self.amount)
        if self.percent is not None:
            asked.append(abs(value) > self.percent * abs(compared))
        return bool(asked) and (any(asked) if self.either else all(asked))


def read_threshold(text: str, subject: str = "threshold") -> Threshold:
    """Read a threshold as a person writes it; RulkaError where it is none."""
    words = " ".join(text.split())
    if words == NEVER:
        return Threshold(words)
    parts = re.split(r" (and|or) ", words)
    amount: Fraction | None = None
    percent: Fraction | None = None
    try:
        for part in parts[::2]:
            is_percent = part.endswith("%")
            value = Fraction(typed_amount(part.removesuffix("%"), subject))
            if value < 0 or (percent is not None if is_percent else amount is not None):
                raise RulkaError("It says the same twice, or less than nothing.", subject=subject)
            if is_percent:
                percent = value / 100
            else:
                amount = value
    except RulkaError as error:
        raise RulkaError(f"'{text[:40]}' is no threshold.", hint=HINT, subject=subject) from error
    if len(parts) > 3:
        raise RulkaError(f"'{text[:40]}' is no threshold.", hint=HINT, subject=subject)
    return Threshold(words, amount, percent, parts[1:2] == ["or"])


NO_THRESHOLD = Threshold("")


@dataclass(frozen=True)
class ExplainDef:
    """What a statement wants explained: a threshold, others by account type, in which columns (all differences where
    none is named), how many days after the period's end, and who explains by node."""

    beyond: Threshold = NO_THRESHOLD
    types: Mapping[str, Threshold] = field(default_factory=dict)
    columns: tuple[str, ...] = ()
    due: int = 0
    owners: Mapping[str, str] = field(default_factory=dict)

    def __hash__(self) -> int:
        return hash((self.beyond, tuple(self.types.items()), self.columns, self.due, tuple(self.owners.items())))


def explain_from(raw: Mapping[str, Any]) -> ExplainDef:
    """Build it from a checked mapping; raises on what can't be read."""
    types = {}
    for name, text in raw.get("types", {}).items():
        if name not in TYPES:
            raise RulkaError(f"'{name}' is no account type.", hint=one_of(name, TYPES), subject="explain, types")
        types[name] = read_threshold(text, f"explain, {name}")
    return ExplainDef(
        read_threshold(raw["beyond"], "explain, beyond") if raw.get("beyond") else NO_THRESHOLD,
        types,
        tuple(raw.get("columns", ())),
        whole(raw["due"], "explain, due", most=366, hint="Write days after the period's end, such as 6.")
        if raw.get("due")
        else 0,
        dict(raw.get("owners", {})),
    )
