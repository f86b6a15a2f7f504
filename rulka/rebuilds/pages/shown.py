"""What the page of a rebuild shows: the table as it was with the proposal beside it, and one question at a time."""

from __future__ import annotations

from dataclasses import dataclass
from decimal import Decimal

import numpy as np

from rulka.core.books.selection import select
from rulka.core.compute.nodes import find_node, nodes_of
from rulka.core.money import grouped
from rulka.core.rebuild.answering import LEFT_OUT, Question, Unplaced, odd_columns, sums_of
from rulka.core.rebuild.books import TableReading
from rulka.core.rebuild.given import SCALES, Given
from rulka.core.rebuild.lines import alike
from rulka.core.rebuild.proposing import Candidate, ProposedLine
from rulka.ledger.seat import Seat
from rulka.rebuilds.output.making import ShownRebuild

STATES = {
    "sure": "sure", "doubtful": "doubtful", "not found": "not found", "told": "chosen", "total": "adds up",
    "words": "",
}  # fmt: skip
SCALE_WORDS = {0: "units", 3: "thousands", 6: "millions"}
FREE = 120
"""Accounts that are offered for a line."""


@dataclass(frozen=True)
class CellShown:
    """A figure as it was given; `ledger` where the ledger has another one."""

    text: str
    ledger: str = ""
    off: str = ""


@dataclass(frozen=True)
class RowShown:
    """A row with what it is taken for."""

    row: int
    line: ProposedLine
    state: str
    accounts: str
    cells: list[CellShown]
    chosen: bool


@dataclass(frozen=True)
class ColumnShown:
    """A column with what it is taken for."""

    column: int
    heading: str
    told: str
    tone: str


@dataclass(frozen=True)
class Offered:
    """One answer of several: its value and words."""

    value: str
    title: str
    names: tuple[str, ...] = ()
    checked: bool = False


@dataclass(frozen=True)
class FreeAccount:
    """An account that no other line has, with its figures in the table's columns."""

    code: str
    name: str
    figures: list[str]
    checked: bool


@dataclass(frozen=True)
class Asking:
    """A question with its words and answers."""

    question: Question
    title: str
    what: str
    offered: tuple[Offered, ...] = ()
    accounts: tuple[Unplaced, ...] = ()
    takers: tuple[Offered, ...] = ()
    free: tuple[FreeAccount, ...] = ()
    typed: str = ""


def number(value: Decimal | None, decimals: int) -> str:
    """A figure as the table writes it."""
    if value is None:
        return ""
    return grouped(int(value.scaleb(decimals).to_integral_value()), decimals)


def rows_of(shown: ShownRebuild, chosen: int) -> list[RowShown]:
    """All rows, each figure with what the ledger has instead."""
    given = shown.given
    off = {(cell.row, cell.column): cell for cell in shown.off}
    found = []
    for row, (line, own) in enumerate(zip(shown.proposal.lines, given.rows, strict=True)):
        cells = []
        for column in given.of_table(0):
            decimals, cell = given.decimals[column], off.get((row, column))
            text = number(own.values[column], decimals)
            if cell is None:
                cells.append(CellShown(text))
            else:
                computed = "nothing" if cell.computed is None else number(cell.computed, decimals)
                apart = cell.given - (cell.computed or Decimal(0))
                cells.append(CellShown(text, computed, number(apart, decimals)))
        state = "left out" if shown.answers.lines.get(row) == LEFT_OUT else STATES[line.state]
        found.append(RowShown(row, line, state, line.selection, cells, row == chosen))
    return found


def columns_of(shown: ShownRebuild, seat: Seat) -> list[ColumnShown]:
    """What each column is taken for."""
    odd = odd_columns(shown.given, shown.odd)
    found = []
    for number in shown.given.of_table(0):
        column, reading = shown.proposal.found.columns[number], shown.proposal.readings[number]
        tone = "sure"
        if reading is not None:
            words = reading_words(reading, seat)
            tone = "doubtful" if (column.open or number in odd) and number not in shown.answers.columns else "sure"
        elif column.compares:
            first, second = (shown.given.headings[of] or f"column {of + 1}" for of in column.of)
            words = {"difference": f"{first} less {second}", "sum": f"{first} and {second}",
                    "percent": f"{first} against {second}, percent"}[column.compares]  # fmt: skip
        else:
            words, tone = "not found", "lost"
        found.append(ColumnShown(number, shown.given.headings[number] or f"Column {number + 1}", words, tone))
    return found


def reading_words(reading: TableReading, seat: Seat) -> str:
    """A reading in words: which figures, of when."""
    calendar = seat.view.frame.calendar
    first, last = calendar.periods[reading.first], calendar.periods[reading.last]
    when = last.title if reading.first == reading.last else f"{first.title} to {last.title}"
    measure = "" if reading.measure == "activity" else f", {reading.measure}"
    return f"{reading.scenario}{measure}, {when}"


# questions ------------------------------------------------------------------------------------------------------------


def _asking_column(shown: ShownRebuild, question: Question, heading: str, seat: Seat) -> Asking:
    offered = _readings(shown, question.column, seat)
    if len(offered) > 1:
        what = "Each of these gives the same figures."
    elif shown.proposal.readings[question.column]:
        what = "The ledger has other figures in most of its rows."
    else:
        what = "None of the ledger's columns gives its figures."
    return Asking(question, f"What is {heading or f'column {question.column + 1}'}?", what, offered)


def asking(shown: ShownRebuild, question: Question, seat: Seat) -> Asking:
    """A question in words."""
    given, proposal = shown.given, shown.proposal
    caption = given.rows[question.row].caption if question.row >= 0 else ""
    heading = given.headings[question.column] if question.column >= 0 else ""
    if question.about == "node":
        return Asking(question, "Which node and scale?", "More than one fits the figures.", _nodes(shown))
    if question.about == "column":
        return _asking_column(shown, question, heading, seat)
    if question.about == "month":
        return Asking(
            question, "Have you another month?",
            "One column in thousands can be made of almost any accounts; the same statement of one more month settles "
            "most lines.",
        )  # fmt: skip
    if question.about == "line":
        return Asking(
            question, f"Which accounts are {caption}?", "Each of these gives the same figures in every column.",
            _candidates(question.candidates, proposal.lines[question.row].selection),
        )  # fmt: skip
    if question.about == "missing":
        return choosing(shown, question.row, seat, question)
    if question.about == "cell":
        cell = next(one for one in shown.odd if (one.row, one.column) == (question.row, question.column))
        decimals = given.decimals[question.column]
        computed = "nothing" if cell.computed is None else number(cell.computed, decimals)
        return Asking(
            question, f"Mistyped? {caption}, {heading}",
            f"The table says {number(cell.given, decimals)}, the ledger {computed}.",
        )  # fmt: skip
    takers = tuple(
        Offered(str(row), line.caption) for row, line in enumerate(proposal.lines) if line.selection
    )  # fmt: skip
    return Asking(
        question, "Where do these accounts belong?", "No line selects them. What is left out here stays left out; "
        "accounts that come later are told as not placed.", accounts=question.accounts, takers=takers,
    )  # fmt: skip


def _nodes(shown: ShownRebuild) -> tuple[Offered, ...]:
    own = shown.proposal.found
    every = [(own.node, own.scale), *((one.node, one.scale) for one in shown.proposal.rivals)]
    return tuple(
        Offered(f"{node}|{scale}", f"{node}, in {SCALE_WORDS[scale]}", checked=at == 0)
        for at, (node, scale) in enumerate(every)
    )  # fmt: skip


def _readings(shown: ShownRebuild, column: int, seat: Seat) -> tuple[Offered, ...]:
    own = shown.proposal.readings[column]
    every = ([own] if own is not None else []) + list(shown.proposal.ties[column])
    return tuple(
        Offered(reading_value(one), reading_words(one, seat), checked=at == 0) for at, one in enumerate(every)
    )  # fmt: skip


def reading_value(one: TableReading) -> str:
    """A reading as a form's value."""
    return f"{one.scenario}|{one.measure}|{one.first}|{one.last}"


def _candidates(every: tuple[Candidate, ...], chosen: str) -> tuple[Offered, ...]:
    return tuple(Offered(one.selection, one.selection, one.names, one.selection == chosen) for one in every)


def choosing(shown: ShownRebuild, row: int, seat: Seat, question: Question | None = None) -> Asking:
    """A line whose accounts are chosen: what no other line has, with figures, and a selection to be written."""
    line = shown.proposal.lines[row]
    question = question or Question("missing", row, candidates=line.others)
    what = "Choose others, if you know better."
    if is_nothing(shown.given, row):
        what = "It shows nothing but zeros, so that figures can't tell its accounts."
    elif line.state == "not found":
        what = "Nothing was found that gives its figures."
    return Asking(
        question, f"Which accounts are {line.caption}?", what,
        _candidates(question.candidates, line.selection), free=tuple(_free(shown, row, seat)), typed=line.selection,
    )  # fmt: skip


def is_nothing(given: Given, row: int) -> bool:
    """Whether a row shows nothing but zeros."""
    return not any(given.rows[row].values)


def _free(shown: ShownRebuild, row: int, seat: Seat) -> list[FreeAccount]:
    view, given, proposal = seat.view, shown.given, shown.proposal
    accounts = view.frame.accounts
    taken, own = np.zeros(len(accounts), dtype=bool), np.zeros(len(accounts), dtype=bool)
    for number, line in enumerate(proposal.lines):
        if line.selection:
            (own if number == row else taken)[:] |= select(line.selection, accounts).mask
    node = find_node(view, proposal.found.node)
    columns = [column for column in given.of_table(0) if proposal.readings[column] is not None]
    readings = [proposal.readings[column] for column in columns]
    sums = [sums_of(reading, view, node) for reading in readings if reading is not None]
    zeros = is_nothing(given, row)
    caption = proposal.lines[row].caption
    types = {accounts.items[account].type for account in np.flatnonzero(taken)}

    def rank(account: int) -> tuple[bool, bool, float]:
        item = accounts.items[account]
        most = -alike(caption, item.name) if zeros else -abs(float(sums[0][account])) if sums else 0.0
        return not own[account], item.type not in types, most

    free = [
        account for account in range(len(accounts))
        if own[account] or (not taken[account] and zeros != any(of_column[account] for of_column in sums))
    ]  # fmt: skip
    free.sort(key=rank)
    return [
        FreeAccount(
            accounts.items[account].code, accounts.items[account].name,
            [_scaled(int(of_column[account]), node.digits, given, column, proposal.found.scale)
             for of_column, column in zip(sums, columns, strict=True)],
            bool(own[account]),
        )
        for account in free[:FREE]
    ]  # fmt: skip


def _scaled(amount: int, digits: int, given: Given, column: int, scale: int) -> str:
    value = Decimal(amount).scaleb(-digits - scale)
    decimals = given.decimals[column]
    return number(value.quantize(Decimal(1).scaleb(-decimals)), decimals)


def node_choices(seat: Seat) -> list[tuple[str, str]]:
    """All nodes, for whoever knows better."""
    return [(one.code, one.name) for one in nodes_of(seat.view)]


def scale_choices() -> list[tuple[int, str]]:
    return [(scale, SCALE_WORDS[scale]) for scale in SCALES]
