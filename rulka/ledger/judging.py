"""What people say about findings and rules: that something is no matter, that it is after all, how a rule looks. The
one gate to such changes."""

from __future__ import annotations

from rulka.core.books.calendar import Period
from rulka.core.errors import NotFound, RulkaError
from rulka.core.findings.finding import find_rule
from rulka.core.values import amount, whole
from rulka.ledger.editing import Editor
from rulka.ledger.models import DismissedFinding, TunedRule
from rulka.ledger.reading.suspects import Suspect, suspects
from rulka.people.duties import CHANGE, EXPLAIN
from rulka.people.library import record

MOST_REASON = 1_000


def find_suspect(editor: Editor, period: Period, rule: str, subject: str) -> Suspect:
    """A finding of a month by its rule and subject."""
    for one in suspects(editor.ledger, editor.view, period):
        if (one.finding.rule, one.finding.subject) == (rule, subject):
            return one
    raise NotFound("This isn't found any more.", hint="Load the page again.", subject="finding")


def dismiss(editor: Editor, period: Period, rule: str, subject: str, reason: str) -> DismissedFinding:
    """Say that a finding is no matter, and why; it holds for every month until the amount more than doubles."""
    editor.needs(EXPLAIN)
    reason = reason.strip()
    if not reason:
        raise RulkaError("It says nothing about why.", hint="Write a reason; it stays.", subject="reason")
    if len(reason) > MOST_REASON:
        raise RulkaError(f"The reason is longer than {MOST_REASON} characters.", hint="Shorten it.", subject="reason")
    finding = find_suspect(editor, period, rule, subject).finding
    _note(editor, f"finding {rule} {subject}", f"dismissed: {reason}")
    dismissed, _ = DismissedFinding.objects.update_or_create(
        ledger=editor.ledger,
        rule=rule,
        subject=subject,
        defaults={
            "title": finding.title,
            "amount": finding.amount,
            "period": period.code,
            "reason": reason,
            "person": editor.person,
        },
    )
    return dismissed


def _note(editor: Editor, thing: str, detail: str) -> None:
    record.note(editor.person, "judged", ledger=editor.ledger.code, thing=thing, detail=detail)


def restore(editor: Editor, rule: str, subject: str) -> None:
    """Take a dismissal back."""
    editor.needs(EXPLAIN)
    gone, _ = DismissedFinding.objects.filter(ledger=editor.ledger, rule=rule, subject=subject).delete()
    if not gone:
        raise NotFound("It isn't dismissed.", hint="Load the page again.", subject="finding")
    _note(editor, f"finding {rule} {subject}", "stands again")


def tune(editor: Editor, name: str, *, on: bool, least: str, degree: str) -> None:
    """Say how a rule looks from now on; as it comes where nothing differs from that."""
    editor.needs(CHANGE)
    rule = find_rule(name)
    smallest = amount(least or "0", rule.title)
    if smallest < 0:
        raise RulkaError("The smallest amount is less than nothing.", hint="Write 0 or more.", subject=rule.title)
    number = whole(degree or str(rule.degree), rule.title, least=rule.lowest, most=rule.highest)
    _note(editor, f"rule {name}", f"{'on' if on else 'off'}, from {smallest}, {number} {rule.means}")
    if on and smallest == rule.least and number == rule.degree:
        TunedRule.objects.filter(ledger=editor.ledger, rule=name).delete()
        return
    TunedRule.objects.update_or_create(
        ledger=editor.ledger, rule=name, defaults={"on": on, "least": str(smallest), "degree": number}
    )
