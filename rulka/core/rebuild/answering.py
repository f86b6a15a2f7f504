"""What is asked about a proposal, in the order that settles most, and the proposal with what was answered. Nothing
doubtful is taken without an answer."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Literal

import numpy as np

from rulka.core.books.balances import MovementSource
from rulka.core.books.book import View
from rulka.core.books.chart import BoolArray, IntArray
from rulka.core.books.selection import select
from rulka.core.compute.nodes import Node, find_node
from rulka.core.errors import RulkaError
from rulka.core.rebuild.books import TableReading
from rulka.core.rebuild.columns import steps_of
from rulka.core.rebuild.given import Given
from rulka.core.rebuild.proposing import Candidate, ProposedLine, TableProposal
from rulka.core.rebuild.statement import OddCell, incomplete_rows

About = Literal["node", "column", "month", "line", "cell", "missing", "account"]
LEFT_OUT = "left out"
MOST_ACCOUNTS = 200
ODD_COLUMN = 0.3
"""The part of a column's cells that are other ones in the ledger, from which on the column is asked about."""


@dataclass(frozen=True)
class RebuildAnswers:
    """What somebody said: selections of rows (or that they are left out), cells whose figure is mistyped, rows that
    take accounts which no line has (or that they are left out), that there is no other month, and that node and scale
    are right."""

    lines: Mapping[int, str] = field(default_factory=dict)
    cells: frozenset[tuple[int, int]] = frozenset()
    accounts: Mapping[str, int | None] = field(default_factory=dict)
    columns: frozenset[int] = frozenset()
    alone: bool = False
    node: bool = False


@dataclass(frozen=True)
class Unplaced:
    """An account of a type that the statement shows, which no line selects."""

    code: str
    name: str
    has_figures: bool


@dataclass(frozen=True)
class Question:
    """One thing that is asked: of a row, a column, a cell, accounts; `candidates` are what it may be."""

    about: About
    row: int = -1
    column: int = -1
    candidates: tuple[Candidate, ...] = ()
    accounts: tuple[Unplaced, ...] = ()


def with_answers(given: Given, proposal: TableProposal, answers: RebuildAnswers, view: View) -> TableProposal:
    """A proposal as it is with what was said of its lines and accounts; a selection that means nothing is refused."""
    lines = list(proposal.lines)
    for row, text in answers.lines.items():
        if 0 <= row < len(lines) and lines[row].kind == "line":
            lines[row] = _told(given, proposal, row, text, view)
    added: dict[int, list[str]] = {}
    for code, taker in answers.accounts.items():
        if taker is not None and 0 <= taker < len(lines) and lines[taker].selection:
            added.setdefault(taker, []).append(code)
    for row, codes in added.items():
        lines[row] = replace(lines[row], selection=_with(lines[row].selection, codes))
    return replace(proposal, lines=tuple(lines))


def _with(selection: str, codes: Sequence[str]) -> str:
    """A selection and some accounts more, in front: what it excepts stays excepted at its end."""
    quoted = ['"' + code.replace('"', '""') + '"' for code in codes]
    return ", ".join([*quoted, selection])


def _told(given: Given, proposal: TableProposal, row: int, text: str, view: View) -> ProposedLine:
    line = proposal.lines[row]
    if text == LEFT_OUT:
        return replace(line, state="not found", selection="", others=())
    every = [Candidate(line.selection, line.sign, line.names), *line.others] if line.selection else list(line.others)
    same = next((one for one in every if one.selection == text), None)
    if same is not None:
        return replace(line, state="told", selection=text, sign=same.sign, names=same.names)
    mask = select(text, view.frame.accounts).mask
    if not mask.any():
        raise RulkaError("It selects no account.", hint="Write codes, ranges or patterns.", subject=line.caption)
    items = view.frame.accounts.items
    names = tuple(f"{items[place].code} {items[place].name}" for place in np.flatnonzero(mask)[:6])
    return replace(line, state="told", selection=text, sign=_sign(given, proposal, row, mask, view), names=names)


def _sign(given: Given, proposal: TableProposal, row: int, mask: BoolArray, view: View) -> int:
    """As booked or turned: whichever is nearer to the table."""
    node = find_node(view, proposal.found.node)
    off = {1: 0, -1: 0}
    for at, reading in enumerate(proposal.readings):
        value = given.rows[row].values[at]
        if reading is None or value is None:
            continue
        amount = int(sums_of(reading, view, node)[mask].sum())
        step, _ = steps_of(given, at, proposal.found.scale, node.digits)
        figure = int(given.numbers[row, at]) * step
        for sign in off:
            off[sign] += abs(sign * amount - figure)
    return 1 if off[1] <= off[-1] else -1


# what is asked --------------------------------------------------------------------------------------------------------


def questions(
    given: Given, proposal: TableProposal, answers: RebuildAnswers, odd: Sequence[OddCell], view: View
) -> list[Question]:  # fmt: skip
    """What is still to be asked of a proposal with its answers, in the order that settles most."""
    found: list[Question] = []
    if proposal.rivals and not answers.node:
        found.append(Question("node"))
    asked = {at for at in odd_columns(given, odd) if at not in answers.columns}
    for at in given.of_table(0):
        column = proposal.found.columns[at]
        is_lost = proposal.readings[at] is None and column.compares is None
        if at not in answers.columns and (column.open or is_lost or at in asked):
            found.append(Question("column", column=at))
            asked.add(at)
    if needs_month(given, proposal) and not answers.alone:
        found.append(Question("month"))
    for row, line in enumerate(proposal.lines):
        if line.state == "doubtful" and row not in answers.lines:
            every = (Candidate(line.selection, line.sign, line.names), *line.others)
            found.append(Question("line", row, candidates=every))
    for row, line in enumerate(proposal.lines):
        if line.state == "not found" and row not in answers.lines:
            found.append(Question("missing", row, candidates=line.others))
    for cell in odd:
        if (cell.row, cell.column) not in answers.cells and cell.column not in asked:
            found.append(Question("cell", cell.row, cell.column))
    left = {code for code, taker in answers.accounts.items() if taker is None}
    missing = [one for one in unplaced(proposal, view) if one.code not in left]
    if missing:
        found.append(Question("account", accounts=tuple(missing)))
    return found


def needs_month(given: Given, proposal: TableProposal) -> bool:
    """Whether another month of the statement would tell much: rounded figures of one column alone are explained by
    almost anything."""
    own = [at for at in given.of_table(0) if proposal.readings[at] is not None]
    return len(own) < 2 and not given.is_joined and proposal.found.scale > 0


def odd_columns(given: Given, odd: Sequence[OddCell]) -> list[int]:
    """Columns so many of whose figures are other ones in the ledger that the column is not what was found."""
    counts = {at: sum(cell.column == at for cell in odd) for at in given.of_table(0)}
    return [at for at, count in counts.items() if count > ODD_COLUMN * int(given.shown[:, at].sum())]


def unplaced(proposal: TableProposal, view: View) -> list[Unplaced]:
    """Accounts of the types that the statement's lines select from, which no line selects: those with figures at the
    node in any of its columns first. Nothing is asked of a statement that leaves rows open."""
    accounts = view.frame.accounts
    taken = np.zeros(len(accounts), dtype=bool)
    for line in proposal.lines:
        if line.selection:
            taken |= select(line.selection, accounts).mask
    if incomplete_rows(proposal) or not taken.any():
        return []
    types = {item.type for place, item in enumerate(accounts.items) if taken[place]} - {"statistical"}
    used = _used(proposal, view)
    heads = {item.parent for item in accounts.items if item.parent}
    found = [
        Unplaced(item.code, item.name, bool(used[place]))
        for place, item in enumerate(accounts.items)
        if not taken[place] and item.type in types and (used[place] or item.code not in heads)
    ]
    return sorted(found, key=lambda one: (not one.has_figures, one.code))[:MOST_ACCOUNTS]


def _used(proposal: TableProposal, view: View) -> BoolArray:
    """Accounts that come to something at the node in any column."""
    node = find_node(view, proposal.found.node)
    used = np.zeros(len(view.frame.accounts), dtype=bool)
    for reading in proposal.readings:
        if reading is not None:
            used |= sums_of(reading, view, node) != 0
    return used


def sums_of(reading: TableReading, view: View, node: Node) -> IntArray:
    """`(accounts,)` a column's amounts at a node, debit positive, in its minor units."""
    balances = view.balances_of(MovementSource(reading.scenario, translated=node.is_mixed))
    amounts = balances.measure(reading.measure, reading.window)
    summed = np.zeros(len(view.frame.accounts), dtype=np.int64)
    np.add.at(summed, view.keys.account[node.keys], amounts[node.keys])
    return summed
