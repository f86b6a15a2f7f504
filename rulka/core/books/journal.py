"""What balances don't hold: journal lines by day, source, kind, counterparty or entry, as a reader hands them in."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date
from typing import Protocol

import numpy as np

from rulka.core.books.chart import IntArray
from rulka.core.books.frame import Movements
from rulka.core.errors import RulkaError


@dataclass(frozen=True)
class Grouped:
    """Sums of posted and pending journal lines by posting key, period, status, effect and the fields asked for.

    `codes[field]` says of each movement which of `labels[field]` it has.
    """

    movements: Movements
    codes: Mapping[str, IntArray] = field(default_factory=dict)
    labels: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    names: Mapping[str, str] = field(default_factory=dict)
    """What counterparties are called, by their code."""


@dataclass(frozen=True)
class EntryLine:
    """One journal line; `key`, `period` and `entity` are places in the book's frame, amounts minor units, not
    negative."""

    entity: int
    number: str
    line: str
    day: date
    key: int
    period: int
    status: int
    effect: int
    debit: int
    credit: int
    description: str = ""
    document: str = ""
    counterparty: str = ""
    source: str = ""
    kind: str = "normal"
    revision: int = 0


@dataclass(frozen=True)
class Historical:
    """Lines that say what they were worth in the group currency, summed by key, period, status and effect.

    `local` is what they amount to in the entity's currency, `group` in the group's; both debit positive, minor units.
    """

    key: IntArray
    period: IntArray
    status: IntArray
    effect: IntArray
    local: IntArray
    group: IntArray


Texts = tuple[tuple[str, tuple[str, ...]], ...]
"""By field of journal lines the texts that are asked for."""


@dataclass(frozen=True)
class LinesAsked:
    """Which journal lines: posting keys by place, `pieces` as effects each with the places of the periods it counts in,
    statuses, days (both included), by field the texts that lines may have, and the fields that are empty in none."""

    keys: IntArray
    pieces: tuple[tuple[int, tuple[int, ...]], ...]
    statuses: tuple[int, ...]
    start: date | None = None
    end: date | None = None
    texts: Texts = ()
    filled: tuple[str, ...] = ()


@dataclass(frozen=True)
class LineSums:
    """Sums of some lines, one row each: by posting key, period and effect where `by_key` was asked (else all -1), and
    by fields, whose texts stand row by row."""

    key: IntArray
    period: IntArray
    effect: IntArray
    debit: IntArray
    credit: IntArray
    count: IntArray
    texts: Mapping[str, Sequence[str]] = field(default_factory=dict)
    names: Mapping[str, str] = field(default_factory=dict)
    """What counterparties are called, by their code."""


TEXT_FIELDS = ("counterparty", "source", "document", "user", "kind", "day")
"""Fields of journal lines that sums can be asked by."""


class JournalReader(Protocol):
    """The way from the core to journal lines; whoever builds a book hands one in."""

    def grouped(self, fields: tuple[str, ...], first: int, last: int) -> Grouped:
        """Sums over the periods `first` to `last`, both included."""

    def lines(self, keys: IntArray, first: int, last: int, most: int, texts: Texts = ()) -> Sequence[EntryLine]:
        """The lines of some posting keys by day and entry, by field only those with some texts; raises RulkaError when
        there are more than `most`."""

    def sums(self, asked: LinesAsked, fields: tuple[str, ...], *, by_key: bool) -> LineSums:
        """Sums of some lines by fields of TEXT_FIELDS."""

    def historical(self) -> Historical:
        """All lines with a historical amount."""


NO_JOURNAL = "no-journal"
"""The code of what a book without its journal refuses."""


class NoJournal:
    """The reader of a book that was made without its journal."""

    def grouped(self, fields: tuple[str, ...], first: int, last: int) -> Grouped:
        raise RulkaError(
            "The journal lines of this state of the ledger can't be read.",
            hint="Use columns and lines that read balances.",
            code=NO_JOURNAL,
        )

    def lines(self, keys: IntArray, first: int, last: int, most: int, texts: Texts = ()) -> Sequence[EntryLine]:
        raise RulkaError(
            "The journal lines of this state of the ledger can't be read.",
            hint="Leave out the entries.",
            code=NO_JOURNAL,
        )

    def sums(self, asked: LinesAsked, fields: tuple[str, ...], *, by_key: bool) -> LineSums:
        raise RulkaError(
            "The journal lines of this state of the ledger can't be read.",
            hint="Take the newest figures, then open them.",
            code=NO_JOURNAL,
        )

    def historical(self) -> Historical:
        none = np.zeros(0, dtype=np.int64)
        return Historical(none, none, none, none, none, none)
