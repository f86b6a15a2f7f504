"""What a load did or would do, in numbers and in words."""

from __future__ import annotations

from dataclasses import asdict, dataclass, field
from typing import Any

from rulka.core.errors import RulkaError

FINDINGS = {
    "closed": "Entries into closed periods",
    "long-past": "Entries into long past periods",
    "controls": "Totals that differ from what the source states",
    "opening": "Opening entries on top of a former closing",
    "historical-sign": "Historical amounts against the sign of their line",
    "vanished": "Entries that the source no longer has",
    "new-accounts": "New accounts",
    "new-members": "New members",
    "new-entities": "New entities",
    "new-counterparties": "New counterparties",
}
"""What a load can bring to notice, worst first; a rule says for each whether it is refused, held or accepted."""

REFUSE, HOLD, ACCEPT = "refuse", "hold", "accept"
RULES = {
    "closed": HOLD,
    "long-past": HOLD,
    "controls": HOLD,
    "opening": HOLD,
    "historical-sign": HOLD,
    "vanished": HOLD,
    "new-accounts": HOLD,
    "new-members": ACCEPT,
    "new-entities": HOLD,
    "new-counterparties": ACCEPT,
}
"""A feed's rules where it says nothing itself."""

COMMAND_RULES = dict.fromkeys(FINDINGS, ACCEPT) | {"closed": REFUSE, "controls": REFUSE}
"""`load_ledger` accepts at once when nothing is refused."""


@dataclass
class Tally:
    """How a load met one kind of thing."""

    new: int = 0
    changed: int = 0
    same: int = 0
    skipped: int = 0
    withdrawn: int = 0

    def as_text(self) -> str:
        parts = [f"{self.new} new", f"{self.changed} changed", f"{self.same} same"]
        if self.skipped:
            parts.append(f"{self.skipped} skipped")
        if self.withdrawn:
            parts.append(f"{self.withdrawn} withdrawn")
        return ", ".join(parts)


@dataclass
class LoadFinding:
    """Something that a person should know before a load counts; `rows` are the first of `count`."""

    kind: str
    count: int
    columns: list[str]
    rows: list[list[str]]
    action: str = ACCEPT

    @property
    def title(self) -> str:
        return FINDINGS[self.kind]


@dataclass
class LoadReport:
    """What a load did or would do; `revision` stays the former number when nothing changed."""

    ledger: str
    revision: int = 0
    tallies: dict[str, Tally] = field(default_factory=dict)
    notes: list[str] = field(default_factory=list)
    dry_run: bool = False
    findings: list[LoadFinding] = field(default_factory=list)
    sums: list[list[str]] = field(default_factory=list)  # entity, period, debit, credit, lines as read
    changed_entries: list[list[str]] = field(default_factory=list)  # entity, entry, date, what
    refused: list[dict[str, str]] = field(default_factory=list)  # where, what, to do
    refused_count: int = 0

    def tally(self, what: str) -> Tally:
        return self.tallies.setdefault(what, Tally())

    @property
    def moved(self) -> bool:
        return any(tally.new or tally.changed or tally.withdrawn for tally in self.tallies.values())

    def judge(self, rules: dict[str, str]) -> str:
        """Give every finding its action by the rules; returns the hardest of them."""
        for finding in self.findings:
            finding.action = rules.get(finding.kind, RULES[finding.kind])
        actions = {finding.action for finding in self.findings}
        return REFUSE if REFUSE in actions else HOLD if HOLD in actions else ACCEPT

    def refuse(self, errors: list[RulkaError], *, most: int = 500) -> None:
        """Keep errors for a person to read."""
        self.refused_count = len(errors)
        self.refused = [{"where": error.subject, "what": error.message, "hint": error.hint} for error in errors[:most]]

    def as_text(self) -> str:
        state = "would be" if self.dry_run else "is"
        head = f"Ledger {self.ledger} {state} at revision {self.revision}" + ("" if self.moved else "; nothing changed")
        lines = [f"  {what}: {tally.as_text()}" for what, tally in self.tallies.items()]
        refused = f"  refused: {self.refused_count}"
        found = [f"  {finding.title.lower()}: {finding.count}" for finding in self.findings]
        return "\n".join([head, *lines, refused, *found, *(f"  note: {note}" for note in self.notes)])

    def as_data(self) -> dict[str, Any]:
        """As plain data that JSON can hold."""
        return asdict(self)

    @classmethod
    def from_data(cls, data: dict[str, Any]) -> LoadReport:
        """What `as_data` gave."""
        values = dict(data)
        values["tallies"] = {what: Tally(**tally) for what, tally in values.get("tallies", {}).items()}
        values["findings"] = [LoadFinding(**finding) for finding in values.get("findings", [])]
        return cls(**values)
