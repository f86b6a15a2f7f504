"""All rules over a month, the most serious finding first."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import replace
from fractions import Fraction

from rulka.core.errors import RulkaError
from rulka.core.findings import by_account, by_entry, by_member
from rulka.core.findings.evidence import Evidence
from rulka.core.findings.finding import Finding

JUDGES: dict[str, Callable[[Evidence], Iterator[Finding]]] = {
    "sign": by_account.other_side,
    "silent": by_account.silent,
    "first": by_account.first_used,
    "twice": by_entry.twice,
    "late": by_entry.late,
    "unusual": by_entry.unusual,
    "moved": by_member.moved,
    "apart": by_member.apart,
    "old": by_member.still_open,
}


def findings_of(evidence: Evidence) -> list[Finding]:
    """What looks wrong in a month, the most serious first: by how sure and how much it matters where it is."""
    if not evidence.booked[evidence.at]:
        raise RulkaError(
            f"Nothing is booked in {evidence.period.title}, so nothing of it can look wrong.",
            hint="Choose a period with entries.",
            subject="period",
            code="empty",
        )
    found = []
    for name, judge in JUDGES.items():
        tuned = evidence.tuning.of(name)
        if tuned.on:
            found += [_scored(evidence, one) for one in judge(evidence) if one.value >= tuned.least]
    return sorted(found, key=lambda one: (-one.score, one.rule, one.subject))


def _scored(evidence: Evidence, finding: Finding) -> Finding:
    """How sure, by how much it is of what matters in its entity: half of that counts half."""
    entity = evidence.view.frame.entities.index[finding.entity]
    scale = evidence.scales[entity]
    weight = Fraction(finding.amount, finding.amount + scale)
    return replace(finding, score=(Fraction(finding.sure, 100) * weight).limit_denominator(10_000))
