"""Findings: what looks wrong in a month, the rule that found it, how sure, and the entries behind it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from fractions import Fraction

from rulka.core.errors import NotFound, one_of


@dataclass(frozen=True)
class EntryName:
    """An entry as people name it."""

    entity: str
    number: str


@dataclass(frozen=True)
class Finding:
    """One thing that looks wrong. `subject` tells it from others of its rule, whatever the period; `sure` is percent;
    `amount` is what it is about, in minor units of `currency`, never negative.

    `accounts` are the codes that it is about; `entries` come largest first, none where something is missing. `score`
    is how sure by how much it matters, from 0 to 1, by which findings are ordered.
    """

    rule: str
    subject: str
    title: str
    detail: str
    amount: int
    currency: str
    digits: int
    sure: int
    entity: str
    accounts: tuple[str, ...] = ()
    entries: tuple[EntryName, ...] = ()
    score: Fraction = Fraction(0)

    @property
    def value(self) -> Fraction:
        """The amount in major units."""
        return Fraction(self.amount, 10**self.digits)


@dataclass(frozen=True)
class FindingRule:
    """A rule: what it looks for and what can be tuned. `least` is the smallest amount in major units, `degree` a number
    of its own that `means` something, between `lowest` and `highest`."""

    name: str
    title: str
    says: str
    means: str
    degree: int
    lowest: int
    highest: int
    least: int = 0


RULES = {
    rule.name: rule
    for rule in (
        FindingRule(
            "sign",
            "Other side than usual",
            "A balance, or the activity of an income or cost account, on the other side than its type and its last "
            "twelve months have it.",
            "percent of the former months that must be on one side",
            90,
            60,
            100,
            1_000,
        ),
        FindingRule(
            "silent",
            "Usually moves, did not",
            "Nothing was booked on an account that moved in nearly each of the last twelve months, or in this one of "
            "each former year.",
            "months of the last twelve in which it moved, at least",
            12,
            6,
            12,
            500,
        ),
        FindingRule(
            "first",
            "Used for the first time",
            "An account that nothing was booked on before; not judged in the ledger's first half year.",
            "months that the ledger must have before",
            6,
            1,
            36,
        ),
        FindingRule(
            "twice",
            "Booked twice",
            "The same account, counterparty, amount and document in two entries that nothing takes back; without a "
            "document within some days of each other.",
            "days within which the same amount without a document is the same thing",
            5,
            0,
            60,
            100,
        ),
        FindingRule(
            "late",
            "Posted into the past",
            "Entries that arrived when their period was closed or long over, or whose day lies far outside of their "
            "period.",
            "periods that were booked after it already, at least",
            2,
            1,
            24,
        ),
        FindingRule(
            "unusual",
            "Round amount or unusual day",
            "Entries of round thousands, or on days of the week, that their source hardly ever has.",
            "percent of the source's entries that are so, at most",
            2,
            0,
            20,
            5_000,
        ),
        FindingRule(
            "moved",
            "Recurring cost elsewhere",
            "What a cost account has each month is missing at one member, and stands at another one.",
            "percent by which both amounts may differ",
            25,
            0,
            60,
            2_000,
        ),
        FindingRule(
            "apart",
            "Companies don't agree",
            "What two companies have booked with each other in the month doesn't cancel out.",
            "hundredths of a percent of the larger side that are nothing",
            100,
            0,
            1_000,
            1,
        ),
        FindingRule(
            "old",
            "Open for too long",
            "Documents of accounts that are usually settled, still open long after that takes.",
            "periods beyond the usual ones",
            1,
            0,
            24,
            500,
        ),
    )
}


def find_rule(name: str) -> FindingRule:
    """A rule by its name."""
    if name not in RULES:
        raise NotFound(f"There is no rule '{name}'.", hint=one_of(name, RULES), subject="rule")
    return RULES[name]


@dataclass(frozen=True)
class Tuned:
    """A rule as a ledger has it."""

    on: bool
    least: Fraction
    degree: int


@dataclass(frozen=True)
class Tuning:
    """How all rules are tuned; those that nobody touched are as they come."""

    own: Mapping[str, Tuned] = field(default_factory=dict)

    def of(self, name: str) -> Tuned:
        rule = RULES[name]
        return self.own.get(name) or Tuned(True, Fraction(rule.least), rule.degree)
