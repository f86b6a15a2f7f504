"""What looks wrong in a month of a ledger: the rules of the core over its view, with when its entries came, how its
rules are tuned and what was dismissed."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction

from django.db.models import Max, Min

from rulka.core.books.book import View
from rulka.core.books.calendar import Period, period_number
from rulka.core.findings.evidence import Arrivals, Evidence
from rulka.core.findings.finding import RULES, Finding, Tuned, Tuning
from rulka.core.findings.judging import findings_of
from rulka.ledger.models import ClosedPeriod, DismissedFinding, JournalEntry, JournalLine, Ledger, TunedRule
from rulka.ledger.reading.queries import within


@dataclass(frozen=True)
class Suspect:
    """A finding, and where it was dismissed, how; `grew` says that it is more than twice what was dismissed, so that it
    stands again."""

    finding: Finding
    dismissed: DismissedFinding | None = None
    grew: bool = False

    @property
    def stands(self) -> bool:
        return self.dismissed is None or self.grew


def suspects(ledger: Ledger, view: View, period: Period) -> list[Suspect]:
    """What looks wrong in a month, the most serious first, the dismissed ones among them."""
    found = month_findings(ledger, view, period)
    names = {(one.rule, one.subject) for one in found}
    dismissed = {
        (one.rule, one.subject): one
        for one in DismissedFinding.objects.filter(ledger=ledger).select_related("person")
        if (one.rule, one.subject) in names
    }
    return [_suspect(one, dismissed.get((one.rule, one.subject))) for one in found]


def _suspect(finding: Finding, dismissed: DismissedFinding | None) -> Suspect:
    grew = dismissed is not None and finding.amount > 2 * dismissed.amount
    return Suspect(finding, dismissed, grew)


def month_findings(ledger: Ledger, view: View, period: Period) -> Sequence[Finding]:
    """The findings of a month; kept as long as neither ledger nor rules nor closed periods change."""
    tuning = tuning_of(ledger)
    arrivals = _arrivals(ledger, view, period)
    name = ("findings", period.code, _stamp(tuning), tuple(sorted(arrivals.closed.items())))
    return view.kept(name, lambda: tuple(findings_of(Evidence(view, period, tuning, arrivals))))


def _stamp(tuning: Tuning) -> tuple[tuple[str, Tuned], ...]:
    return tuple(sorted(tuning.own.items()))


def tuning_of(ledger: Ledger) -> Tuning:
    """How the rules of a ledger are tuned."""
    rows = TunedRule.objects.filter(ledger=ledger, rule__in=RULES)
    return Tuning({row.rule: Tuned(row.on, Fraction(row.least), row.degree) for row in rows})


def _arrivals(ledger: Ledger, view: View, period: Period) -> Arrivals:
    number = period_number(period.code)
    before = view.kept(("came before", period.code), lambda: _came_before(ledger, view, number))
    closed = {}
    for shut in ClosedPeriod.objects.standing().of_ledger(ledger).filter(period=number).select_related("entity"):
        first = ledger.revisions.filter(at__gt=shut.at).aggregate(first=Min("number"))["first"]
        entity = view.frame.entities.index.get(shut.entity.code)
        if entity is not None and first is not None:
            closed[(entity, period.index)] = int(first)
    return Arrivals(before, closed)


def _came_before(ledger: Ledger, view: View, number: int) -> dict[int, int]:
    """For each revision that brought entries of a period, the last period with entries before it, as an index."""
    places = {period_number(one.code): one.index for one in view.frame.calendar.periods}
    entries = JournalEntry.objects.filter(ledger=ledger)
    came = entries.filter(period=number, revision__gt=1).values_list("revision", flat=True).distinct()
    before = {}
    for revision in came:
        if view.fence.hides_nothing:
            last = entries.filter(revision__lt=revision).aggregate(last=Max("period"))["last"]
        else:  # what others booked is no matter of theirs
            mine = within("key", view.keys.ids[view.keys.ids > 0].tolist())
            lines = JournalLine.objects.filter(revision__lt=revision, **mine)
            last = lines.aggregate(last=Max("period"))["last"]
        before[revision] = places.get(last, -1) if last is not None else -1
    return before
