"""What each window of a browser shows of a statement, so that an answer to an edit carries changed rows only.

An answer is told by a number. A window that shows another one, or one that nobody remembers, gets the whole.
"""

from __future__ import annotations

import secrets
from collections.abc import Hashable, Mapping, Sequence
from dataclasses import dataclass, replace

from rulka.core.books.few import Few
from rulka.core.proof.marks import Mark
from rulka.formats.output.page import ShownRow, ShownStatement
from rulka.statements.pages.blocks import Block, numbers_in

MOST = 200
"""Windows that are remembered."""

Marked = tuple[ShownRow, tuple[Mark, ...]]


@dataclass(frozen=True)
class SentPage:
    """The rows of an answer as they were shown, and all that stands around them: columns, headings, titles, and what
    their addresses carry."""

    number: str
    around: Hashable
    order: tuple[str, ...]
    rows: Mapping[str, Marked]
    """Those that were written, by their keys."""

    written: frozenset[int]
    """The blocks of rows that were written, where there are any."""

    def changed_since(self, former: SentPage, held: str) -> tuple[ShownRow, ...] | None:
        """The rows that an answer has to carry for a window that shows a former one, and that holds some blocks of rows
        (their numbers, with commas between them); None where more than rows changed."""
        if (self.around, self.order) != (former.around, former.order):
            return None
        if not self.written <= numbers_in(held):
            return None
        return tuple(now[0] for key, now in self.rows.items() if former.rows.get(key) != now)


_SENT: Few[SentPage] = Few(MOST)


def remember(
    window: Hashable,
    shown: ShownStatement,
    marks: Mapping[str, Sequence[Mark]],
    blocks: Sequence[Block],
    around: Hashable,
) -> SentPage:
    """Keep what is sent to a window now. `around` is what stands on the page besides the statement itself, and isn't
    sent with rows."""
    every = [row for panel in shown.panels for row in panel]
    written = [row for block in blocks if block.written for row in block.rows] if blocks else every
    sides = tuple(len(panel) for panel in shown.panels)
    sent = SentPage(
        secrets.token_hex(6),
        (around, sides, tuple(block.number for block in blocks), replace(shown, rows=(), panels=())),
        tuple(row.key for row in every),
        {row.key: (row, tuple(marks.get(row.key, ()))) for row in written},
        frozenset(block.number for block in blocks if block.written),
    )
    _SENT.put(window, sent)
    return sent


def shown_in(window: Hashable, number: str) -> SentPage | None:
    """What a window shows, by the number that it says; None where it shows something else."""
    sent = _SENT.find(window)
    return sent if sent is not None and sent.number == number else None
