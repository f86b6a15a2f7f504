"""Margin marks: what a reader has to know about a row, with the way to its cause."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass

from rulka.core.compute.computed import Computed
from rulka.core.proof.checks import FAILS, NOT_JUDGED, Check
from rulka.core.proof.explaining import ExplainItem
from rulka.core.proof.placing import Suggestion
from rulka.core.proof.trace import sealed_rows

KINDS = ("fails", "twice", "explain", "explained", "unplaced", "warning", "unjudged", "holds", "sealed")
"""Marks, the gravest first; a row shows the first two it has."""


@dataclass(frozen=True)
class Mark:
    """One mark on a row; `text` says what it is about, `count` how many accounts, or the number of a note in a
    `column`."""

    kind: str
    text: str
    count: int = 0
    column: str = ""


def marks(
    computed: Computed, checks: Iterable[Check], unplaced: Sequence[Suggestion], items: Iterable[ExplainItem] = ()
) -> dict[str, list[Mark]]:
    """The marks of each row by its key, the gravest first."""
    found: dict[str, list[Mark]] = {}
    by_line: dict[str, str] = {}
    for row in computed.rows:
        if not row.hidden:
            by_line.setdefault(row.line, row.key)

    for line, mark in _marks_of_lines(computed, checks, unplaced, items):
        key = line if line in computed.rows_by_key else by_line.get(line)
        if key is not None:
            found.setdefault(key, []).append(mark)
    return {key: sorted(given, key=lambda mark: KINDS.index(mark.kind)) for key, given in found.items()}


def _marks_of_lines(
    computed: Computed, checks: Iterable[Check], unplaced: Sequence[Suggestion], items: Iterable[ExplainItem]
) -> Iterator[tuple[str, Mark]]:
    """What there is to mark, each with its line's or row's key, some of which show nowhere."""
    printed = {row.line for row in computed.rows if row.kind == "check" and not row.hidden}
    for check in checks:
        told = f"{check.check}: {check.detail}" if check.detail else check.check
        for key in check.lines:
            if check.state == FAILS:
                yield key, Mark("twice" if check.code == "placed-once" else "fails", told, len(check.accounts))
            elif check.code == "own-check" and key in printed:
                yield key, Mark("unjudged" if check.state == NOT_JUDGED else "holds", told)
    near: dict[str, list[Suggestion]] = {}
    for suggestion in unplaced:
        near.setdefault(suggestion.line or computed.rows[-1].line, []).append(suggestion)
    for key, given in near.items():
        named = ", ".join(f"{suggestion.code} {suggestion.name}" for suggestion in given[:5])
        yield key, Mark("unplaced", f"Not placed, most likely here: {named}", len(given))
    for line in computed.statement.spine.walk():
        if line.kind == "line":
            warnings = computed.plan.leaves.warnings_of.get(line.key, ())
            if line.accounts.is_nothing:
                yield line.key, Mark("warning", "It selects no accounts yet")
            elif warnings:
                yield line.key, Mark("warning", "; ".join(warnings))
    for item in items:
        if item.number:
            kind, (place, column) = "explained" if item.is_done else "explain", item.key
            yield place, Mark(kind, f"{item.heading}: {item.state}", item.number, column)
    for key in sealed_rows(computed):
        yield key, Mark("sealed", "Detail is sealed: totals show, journal lines do not")
