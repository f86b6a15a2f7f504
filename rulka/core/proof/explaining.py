"""What is to be explained of a statement: its variances beyond their thresholds, with what was said about each, and the
state that follows from both."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from fractions import Fraction
from typing import Literal

from rulka.core.compute.computed import Computed
from rulka.core.definitions.expressions import Value
from rulka.core.proof.variances import Variance, exceeding, variances

State = Literal["open", "explained", "accepted", "sent back", "closed"]
DONE: tuple[State, ...] = ("explained", "accepted")
"""States in which a variance doesn't keep an edition from being kept."""

Key = tuple[str, str]
"""The keys of a row and a column."""


@dataclass(frozen=True)
class SaidBefore:
    """What somebody said about a variance: in which state they left it, of which figure, None where of none yet."""

    state: State
    value: Value
    label: str = ""
    heading: str = ""


@dataclass(frozen=True, eq=False)
class ExplainItem:
    """Something to explain, numbered down the page; closed ones have no number, and no variance where their line or
    column went. `former` is the figure that was explained, where it is another one now; `why` says what closed it."""

    key: Key
    number: int
    state: State
    label: str
    heading: str
    variance: Variance | None
    former: Value = None
    why: str = ""

    @property
    def is_done(self) -> bool:
        return self.state in DONE

    @property
    def value(self) -> Fraction:
        return self.variance.value if self.variance else Fraction(0)


def items_of(computed: Computed, said: Mapping[Key, SaidBefore]) -> list[ExplainItem]:
    """What exceeds its threshold, as it stands, then what was said of that no longer does."""
    found = exceeding(computed)
    items = [_item(number, variance, said.get(variance.key)) for number, variance in enumerate(found, 1)]
    known = {item.key for item in items}
    left = [key for key in said if key not in known]
    smaller = {variance.key: variance for variance in variances(computed)} if left else {}
    return items + [_closed(computed, key, said[key], smaller.get(key)) for key in left]


def _item(number: int, variance: Variance, said: SaidBefore | None) -> ExplainItem:
    state: State = said.state if said else "open"
    former = None
    if said is not None and said.value is not None and said.value != variance.value:
        former = said.value
        state = "sent back" if said.state == "sent back" else "open"
    return ExplainItem(variance.key, number, state, variance.row.label, heading_of(variance), variance, former)


def heading_of(variance: Variance) -> str:
    """A column as a note names it: its time, and what is compared."""
    column = variance.column
    return ", ".join(dict.fromkeys(filter(None, (column.group, column.heading))))


def _closed(computed: Computed, key: Key, said: SaidBefore, variance: Variance | None) -> ExplainItem:
    row, column = key
    if row not in computed.rows_by_key:
        why = "Its line is gone."
    elif not any(one.key == column for one in computed.columns):
        why = "Its column is gone."
    elif computed.place(column) in computed.row(row).sealed_at:
        why = "It is sealed."
    else:
        why = "It is no longer more than its threshold."
    label = variance.row.label if variance else said.label
    heading = heading_of(variance) if variance else said.heading
    former = said.value if variance is None or said.value != variance.value else None
    return ExplainItem(key, 0, "closed", label, heading, variance, former, why)


def unexplained(items: Sequence[ExplainItem]) -> list[ExplainItem]:
    """Those that keep an edition from being kept."""
    return [item for item in items if item.state != "closed" and not item.is_done]


def proposed_owners(computed: Computed, variance: Variance, last: str = "") -> list[str]:
    """Who could explain a variance, the first who sees it is meant: whom its line names, whom the statement names for
    its node, who did so last."""
    line = computed.line(variance.row.line)
    named = (line.owner, computed.statement.explain.owners.get(computed.node.code), last)
    return [name for name in named if name]


def due_of(computed: Computed) -> date | None:
    """When explanations are due: so many days after the period's end; None where nothing is said."""
    days = computed.statement.explain.due
    return computed.period.end + timedelta(days) if days else None


@dataclass(frozen=True)
class ExplainNote:
    """An explanation as the statement prints it."""

    number: int
    row: str
    column: str
    label: str
    heading: str
    figure: str
    text: str


@dataclass(frozen=True)
class Notes:
    """The explanations of a statement, and what is not explained yet, as its page prints them."""

    notes: tuple[ExplainNote, ...] = ()
    missing: tuple[str, ...] = ()

    def marks(self) -> dict[str, str]:
        """The numbers of a row's notes by its key."""
        found: dict[str, list[str]] = {}
        for note in self.notes:
            found.setdefault(note.row, []).append(str(note.number))
        return {key: ", ".join(numbers) for key, numbers in found.items()}


NO_NOTES = Notes()
