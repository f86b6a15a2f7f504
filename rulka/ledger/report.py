"""What a load did, in numbers and in words."""

from __future__ import annotations

from dataclasses import dataclass, field


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
class LoadReport:
    """What a load did; `revision` stays the former number when nothing changed."""

    ledger: str
    revision: int = 0
    tallies: dict[str, Tally] = field(default_factory=dict)
    notes: list[str] = field(default_factory=list)
    dry_run: bool = False

    def tally(self, what: str) -> Tally:
        return self.tallies.setdefault(what, Tally())

    @property
    def moved(self) -> bool:
        return any(tally.new or tally.changed or tally.withdrawn for tally in self.tallies.values())

    def as_text(self) -> str:
        state = "would be" if self.dry_run else "is"
        head = f"Ledger {self.ledger} {state} at revision {self.revision}" + ("" if self.moved else "; nothing changed")
        lines = [f"  {what}: {tally.as_text()}" for what, tally in self.tallies.items()]
        refused = "  refused: 0"
        return "\n".join([head, *lines, refused, *(f"  note: {note}" for note in self.notes)])
