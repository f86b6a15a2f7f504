"""A table and a ledger to a proposal: columns, structure, and for each line its accounts, sure or doubtful."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from time import monotonic
from typing import Literal

import numpy as np

from rulka.core.books.book import View
from rulka.core.books.calendar import Period
from rulka.core.books.chart import BoolArray, IntArray
from rulka.core.errors import NotFound
from rulka.core.rebuild.books import TableReading, TriedReading, tried_in
from rulka.core.rebuild.chance import SURE, WantedFigures, steps_in
from rulka.core.rebuild.columns import FoundColumn, FoundColumns, columns_again, found_columns, steps_of
from rulka.core.rebuild.features import features_of
from rulka.core.rebuild.finding import Search, is_no_chance, offered
from rulka.core.rebuild.given import Given
from rulka.core.rebuild.lines import Choosing, ChosenAccounts, LineChoice
from rulka.core.rebuild.structure import Kind, RowPart, Within, structure_of
from rulka.core.rebuild.telling import Tell, silent

State = Literal["sure", "doubtful", "not found", "told", "total", "words"]
"""What is known of a row: a line is `told` where somebody said what it is."""

MOST_OTHERS = 5


@dataclass(frozen=True)
class Candidate:
    """Accounts that a line may mean: what selects them, with which sign they are shown, and their names."""

    selection: str
    sign: int
    names: tuple[str, ...]


@dataclass(frozen=True)
class ProposedLine:
    """A row of the table as a line of a statement: `selection` are its accounts, `others` give the same figures."""

    caption: str
    kind: Kind
    state: State
    selection: str = ""
    sign: int = 1
    others: tuple[Candidate, ...] = ()
    of: tuple[tuple[int, int], ...] = ()
    names: tuple[str, ...] = ()
    """The first accounts that the selection holds, by code and name."""
    quantity: bool = False
    """Whether it counts things, which are not written in thousands."""
    zeros: bool = False
    """Whether it shows nothing but zeros: nothing is missing where it is left out."""


@dataclass(frozen=True)
class Rival:
    """Another node and scale that a table may be of, and its points as a part of the best one's."""

    node: str
    scale: int
    part: float


@dataclass(frozen=True)
class TableProposal:
    """What a table is: at which node and scale, its columns (with what else each may be), its lines."""

    found: FoundColumns
    readings: tuple[TableReading | None, ...]
    lines: tuple[ProposedLine, ...]
    ties: tuple[tuple[TableReading, ...], ...] = ()
    rivals: tuple[Rival, ...] = ()


@dataclass(frozen=True)
class RebuildTerms:
    """What is known beforehand: node, the period that the table is of, scale, and what some columns are."""

    node: str = ""
    period: Period | None = None
    scale: int | None = None
    columns: Mapping[int, TableReading] = field(default_factory=dict)


ASKED = RebuildTerms()
MOST_SECONDS = 120
"""Seconds after which no more is looked for."""

AGAIN = 2
"""How often columns are looked for again once lines are known."""

WORTH = 4.0
"""Points that all columns together have to make."""

RIVAL = 0.8
"""The part of the best one's points that another node or scale has to have to be asked for."""


def proposed(given: Given, view: View, asked: RebuildTerms = ASKED, tell: Tell = silent) -> TableProposal:
    """The likeliest proposal; NotFound where no column is found in the ledger."""
    tell(0, 100, "reading the ledger")
    tried = tried_in(view, asked.node, asked.period)
    tell(10, 100, "looking for the columns")
    features = features_of(tried.accounts, np.asarray(tried.amounts.any(axis=1)), runs=False)
    every = [
        one for one in found_columns(given, tried, features, tell)
        if one.score >= WORTH and (asked.scale is None or one.scale == asked.scale)
    ]  # fmt: skip
    if not every:
        raise NotFound(
            "No column of the table is found in the ledger.",
            hint="Look whether it is of this ledger, and whether its figures are sums of accounts."
            + (f" Not looked at: {'; '.join(tried.passed[:3])}" if tried.passed else ""),
            subject="table",
        )  # fmt: skip
    best = every[0]
    rivals = [
        Rival(one.node, one.scale, one.score / best.score) for one in every[1:] if one.score >= RIVAL * best.score
    ]
    columns = _as_told(best, tried, asked)
    work = _Work(given, tried, columns, tell)
    made = work.proposal()
    for _ in range(AGAIN):
        again = _as_told(columns_again(given, tried, columns, work.taken), tried, asked)
        if [one.reading for one in again.columns] == [one.reading for one in columns.columns]:
            break
        columns, work = again, _Work(given, tried, again, tell)
        made = work.proposal()
    return replace(made, rivals=tuple(rivals[:MOST_OTHERS]))


def _as_told(found: FoundColumns, tried: TriedReading, asked: RebuildTerms) -> FoundColumns:
    """Columns of which it is known what they are."""
    places = {reading: at for at, reading in enumerate(tried.readings)}
    columns = list(found.columns)
    for at, reading in asked.columns.items():
        place = places.get(replace(reading, node=found.node))
        if place is None or not 0 <= at < len(columns):
            raise NotFound("The ledger has no such column.", hint="Choose another one.", subject=f"column {at + 1}")
        columns[at] = FoundColumn(at, place, 1.0)
    return replace(found, columns=tuple(columns))


class _Work:
    """One table at one node, scale and set of columns."""

    def __init__(self, given: Given, tried: TriedReading, found: FoundColumns, tell: Tell) -> None:
        self.given, self.tried, self.found, self.tell = given, tried, found, tell
        read = found.read
        columns = [one.at for one in read]
        steps = [steps_of(given, one.at, found.scale, int(tried.digits[one.reading])) for one in read]
        self.step = np.array([one for one, _ in steps], dtype=np.int64)
        self.loose = np.array([one for _, one in steps], dtype=np.int64)
        amounts = tried.amounts[:, [one.reading for one in read]]
        features = features_of(tried.accounts, np.asarray(amounts.any(axis=1)))
        self.search = Search(tried.accounts, amounts, features, features.sums(amounts))
        self.steps = steps_in(amounts)
        self.numbers, self.shown = given.numbers[:, columns], given.shown[:, columns]
        self.choices: dict[int, list[LineChoice]] = {}
        self.began = monotonic()
        self.taken: dict[int, IntArray] = {}
        """The lines that were found, by row: their accounts as 1, or -1 where they are shown turned."""

    def wanted(self, row: int) -> WantedFigures:
        return WantedFigures(self.numbers[row] * self.step, self.loose, self.steps, self.shown[row])

    def named(self, row: int) -> list[LineChoice]:
        if row not in self.choices:
            self.choices[row] = self.search.named(self.given.rows[row].caption, self.wanted(row))
        return self.choices[row]

    def is_line(self, row: int, within: Within) -> bool:
        """Whether a row is something by itself: what the chart names, and not just what the lines that it would come of
        are already. A total itself is asked only where nothing is known of its lines: books sum to zero, so that
        all that it leaves out gives its figures too."""
        counted = np.zeros(len(self.search.accounts), dtype=bool)
        for top, lines in within:
            found = [one.mask for line in lines for one in self.named(line)[:1] if is_no_chance(one)]
            for mask in found or [one.mask for one in self.named(top)[:1] if is_no_chance(one)]:
                counted |= mask
        return any(
            one.is_named and is_no_chance(one) and not (one.mask & counted).any() for one in self.named(row)
        )  # fmt: skip

    def proposal(self) -> TableProposal:
        self.tell(30, 100, "looking what adds up")
        parts = structure_of(
            self.numbers, self.shown, rounded=self.loose > 0, is_line=self.is_line
        )  # fmt: skip
        leaves = [row for row, part in enumerate(parts) if part.kind == "line"]
        every = {row: list(offered(self.named(row))) for row in leaves}
        self._beyond(leaves, every, parts)
        self._this_side(leaves, every)
        sided = _sided([every[row] for row in leaves], self.search)
        choosing = Choosing(sided)
        self.tell(90, 100, "choosing together")
        best = choosing.chosen()
        for row, at, choices in zip(leaves, best.taken, choosing.offered, strict=True):
            if at >= 0 and not choices[at].quantity:
                self.taken[row] = choices[at].mask.astype(np.int64) * choices[at].sign
        lines = []
        for row, part in enumerate(parts):
            self.tell(90 + 10 * row // len(parts), 100, "asking whether anything else fits")
            caption = self.given.rows[row].caption
            if part.kind == "words":
                lines.append(ProposedLine(caption, "words", "words"))
            elif part.kind != "line":
                lines.append(ProposedLine(caption, part.kind, "total", of=part.of))
            else:
                lines.append(self._line(caption, choosing, best, leaves.index(row)))
                if self.wanted(row).is_nothing:
                    called = self.search.called(caption, most_on(sided, self.search))
                    named = tuple(map(self._candidate, called[:MOST_OTHERS]))
                    lines[-1] = ProposedLine(caption, "line", "not found", others=named, zeros=True)
        known = self.tried.readings
        readings = tuple(known[one.reading] if one.reading >= 0 else None for one in self.found.columns)
        ties = tuple(tuple(known[at] for at in one.ties[:MOST_OTHERS]) for one in self.found.columns)
        return TableProposal(self.found, readings, tuple(lines), ties)

    def _beyond(self, leaves: Sequence[int], every: dict[int, list[LineChoice]], parts: Sequence[RowPart]) -> None:
        """Lines that are nothing that the chart names, nor a run."""
        open_rows = [row for row in leaves if not every[row] and not self.wanted(row).is_nothing]
        for at, row in enumerate(open_rows):
            self.tell(40 + 20 * at // len(open_rows), 100, "looking for sets together")
            if not self.is_late:
                every[row] = list(offered(self.search.joined(self.given.rows[row].caption, self.wanted(row))))
        for _ in range(3):
            open_rows = [row for row in open_rows if not every[row]]
            free = ~self._taken(leaves, every)
            for at, row in enumerate(open_rows):
                self.tell(60 + 20 * at // len(open_rows), 100, "looking for a few accounts")
                if self.is_late:
                    break
                every[row] = list(offered(self.search.few(self.given.rows[row].caption, self.wanted(row), free)))
            self._rest(leaves, every, parts)
            if self.is_late or all(not every[row] for row in open_rows):
                break
        free = ~self._taken(leaves, every)
        for row in [row for row in open_rows if not every[row]]:
            every[row] = self._quantities(row) or self.search.but_one(
                self.given.rows[row].caption, self.wanted(row), free
            )

    def _quantities(self, row: int) -> list[LineChoice]:
        """In a table of thousands, what counts things in ones."""
        if not self.found.scale:
            return []
        steps = [steps_of(self.given, one.at, 0, int(self.tried.digits[one.reading])) for one in self.found.read]
        step, loose = (np.array([one[at] for one in steps], dtype=np.int64) for at in (0, 1))
        wanted = WantedFigures(self.numbers[row] * step, loose, self.steps, self.shown[row])
        counted = self.search.accounts.of_type("statistical")
        found = self.search.named(self.given.rows[row].caption, wanted)
        return [replace(one, quantity=True) for one in found if counted[one.mask].all()]

    def _this_side(self, leaves: Sequence[int], every: dict[int, list[LineChoice]]) -> None:
        """Lines found on the other side of the books alone, as what they accumulate mirrors them, are looked for on the
        table's side too."""
        most = most_on([every[row] for row in leaves], self.search)
        if most is None:
            return
        free = ~self._taken(leaves, every) & (self.search.income if most else ~self.search.income)
        for row in leaves:
            if every[row] and not any(self.search.is_income(one.mask) is most for one in every[row]):
                caption, wanted = self.given.rows[row].caption, self.wanted(row)
                found = [
                    *offered(self.search.joined(caption, wanted)),
                    *offered(self.search.few(caption, wanted, free)),
                ]
                every[row] += [one for one in found if self.search.is_income(one.mask) is most][:MOST_OTHERS]

    def _taken(self, leaves: Sequence[int], every: dict[int, list[LineChoice]]) -> BoolArray:
        """Accounts of lines that are sure as far as they are seen alone."""
        taken = np.zeros(len(self.search.accounts), dtype=bool)
        for row in leaves:
            if len(every[row]) == 1 and is_no_chance(every[row][0]):
                taken |= every[row][0].mask
        return taken

    def _rest(self, leaves: Sequence[int], every: dict[int, list[LineChoice]], parts: Sequence[RowPart]) -> None:
        """The one line of a total that is not found, where the total's accounts are known."""
        for total, part in enumerate(parts):
            rows = [row for row, _ in part.of]
            missing = [row for row in rows if row in every and not every[row]]
            if part.kind != "total" or len(missing) != 1 or any(row not in every for row in rows):
                continue
            others = [every[row][0].mask for row in rows if row != missing[0]]
            for whole in self.named(total):
                found = self.search.rest(
                    self.given.rows[missing[0]].caption, self.wanted(missing[0]), whole.mask, others
                )  # fmt: skip
                if found:
                    every[missing[0]] = found
                    break

    @property
    def is_late(self) -> bool:
        """Whether so much time has gone that what is not found stays so; what was not tried otherwise is doubtful."""
        return monotonic() - self.began > MOST_SECONDS

    def _line(self, caption: str, choosing: Choosing, best: ChosenAccounts, line: int) -> ProposedLine:
        every = choosing.offered[line]
        if best.taken[line] < 0:
            return ProposedLine(caption, "line", "not found", others=tuple(map(self._candidate, every[:MOST_OTHERS])))
        taken = every[best.taken[line]]
        late = self.is_late
        fit = every if late else choosing.others(best, line)
        others = [one for one in fit if one is not taken and _competes(one, taken)]
        rest = [self.mask_of(choosing, best, other) for other in range(len(best.taken)) if other != line]
        shared = bool((taken.mask & np.any(rest, axis=0)).any()) if rest else False
        state: State = "sure" if not late and not others and not shared and is_no_chance(taken) else "doubtful"
        told = tuple(self._candidate(one) for one in others[:MOST_OTHERS])
        return ProposedLine(
            caption, "line", state, taken.text, taken.sign, told, names=self._candidate(taken).names,
            quantity=taken.quantity,
        )  # fmt: skip

    def mask_of(self, choosing: Choosing, best: ChosenAccounts, line: int) -> BoolArray:
        at = best.taken[line]
        return choosing.offered[line][at].mask if at >= 0 else np.zeros(len(self.search.accounts), dtype=bool)

    def _candidate(self, choice: LineChoice) -> Candidate:
        items = self.search.accounts.items
        names = [f"{items[place].code} {items[place].name}" for place in np.flatnonzero(choice.mask)[:6]]
        return Candidate(choice.text, choice.sign, tuple(names))


def most_on(every: Sequence[Sequence[LineChoice]], search: Search) -> bool | None:
    """Whether most lines are of income and costs (True) or of what stands in a balance sheet; None where none is most.
    Lines that may be on either side say nothing."""
    votes = Counter(
        search.is_income(choices[0].mask)
        for choices in every if len({search.is_income(one.mask) for one in choices}) == 1
    )  # fmt: skip
    return None if votes[True] == votes[False] else votes[True] > votes[False]


def _sided(every: Sequence[Sequence[LineChoice]], search: Search) -> list[list[LineChoice]]:
    """Choices on the side of the books that most lines of the table are on have more that speaks for them."""
    most = most_on(every, search)
    if most is None:
        return [list(choices) for choices in every]
    return [
        [
            replace(one, speaks=one.speaks + (1.0 if on_side else 0.0), on_side=on_side)
            for one in choices for on_side in (search.is_income(one.mask) is most,)
        ]
        for choices in every
    ]  # fmt: skip


def _competes(other: LineChoice, taken: LineChoice) -> bool:
    """Whether a choice that gives the same figures leaves a line doubtful: not where it lies on the other side of the
    books, is no more likely a name, or is far more likely chance."""
    if taken.on_side and not other.on_side and other.near <= taken.near:
        return False
    if taken.near >= 0.999 > other.near + 0.1:
        return False
    return not (is_no_chance(taken) and other.expected > 10 * SURE and other.near < taken.near)
