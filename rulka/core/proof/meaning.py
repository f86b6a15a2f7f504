"""What a statement asks for and means nothing by: selections that match nothing, narrowings to nobody, columns that
tell something else."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from rulka.core.books.book import View
from rulka.core.books.chart import CodeList, Item
from rulka.core.books.frame import QUANTITIES
from rulka.core.books.narrowing import Clause, read_narrowing
from rulka.core.books.selection import NOTHING, evaluate
from rulka.core.compute.columns import Column
from rulka.core.compute.computed import Computed
from rulka.core.compute.leaves import Leaf
from rulka.core.compute.readings import FLOWS
from rulka.core.compute.rows import Row
from rulka.core.definitions.scopes import NodeDef
from rulka.core.definitions.spines import LineDef
from rulka.core.proof.placed import placed_of, places_accounts

BALANCES = ("closing", "average")


@dataclass(frozen=True)
class ToldMeaning:
    """What was found: warnings, what is merely told, the lines it is about; `judged` says that there was anything to
    look at."""

    warnings: tuple[str, ...]
    notes: tuple[str, ...] = ()
    lines: tuple[str, ...] = ()
    judged: bool = True


@dataclass(frozen=True)
class Meant:
    """What a narrowing's text means now: how many accounts where it names any, the first of them, and what of it means
    nothing."""

    names_accounts: bool
    count: int
    first: tuple[str, ...]
    warnings: tuple[str, ...]


def meant_by(text: str, view: View, most: int = 3) -> Meant:
    """What a narrowing means in a book; a selection of accounts alone is one too."""
    narrowing = read_narrowing(text)
    mask = view.mask(narrowing)
    places = np.flatnonzero(mask.accounts & view.visible_accounts())
    items = view.frame.accounts.items
    named = tuple(f"{items[place].code} {items[place].name}" for place in places[:most])
    warnings = [*mask.warnings, *_of_texts(view, narrowing.by_line)]
    if mask.names_accounts and not len(places) and not warnings and text != NOTHING:
        warnings.append(f"'{text}' leaves no account")
    return Meant(mask.names_accounts, len(places), named, tuple(dict.fromkeys(warnings)))


def of_selections(computed: Computed) -> ToldMeaning:
    """Selections of lines, columns and nodes, what the spine covers, and units that don't add up."""
    labels = {line.key: line.label for line in computed.statement.spine.walk()}
    found = [(key, warning) for key, warnings in computed.plan.leaves.warnings_of.items() for warning in warnings]
    for line in computed.statement.spine.walk():
        if line.kind == "line":
            found += [(line.key, warning) for warning in _of_line(computed, line)]
    warnings = [f"{labels[key]}: {warning}" for key, warning in found]
    lines = [key for key, _ in found]
    for row, told in _mixed_units(computed):
        warnings.append(told)
        lines.append(row.line)
    covers = computed.statement.spine.covers
    if covers and not computed.statement.spine.covers_nothing:
        meant = evaluate(covers.selection, computed.view.frame.accounts)
        warnings += [f"What the spine covers: {warning}" for warning in meant.warnings]
    for column in computed.columns:
        own = [*column.warnings, *_of_texts(computed.view, column.lines)]
        warnings += [f"Column {column.heading or column.key}: {warning}" for warning in own]
    warnings += [f"Node {code}: {warning}" for code, warning in _of_nodes(computed)]
    notes = [f"{labels[key]}: {note}" for key, given in computed.plan.leaves.notes_of.items() for note in given]
    notes += _column_notes(computed)
    judged = bool(computed.plan.leaves.by_line) or any(column.asked.narrow for column in computed.columns)
    return ToldMeaning(tuple(dict.fromkeys(warnings)), tuple(dict.fromkeys(notes)), tuple(dict.fromkeys(lines)), judged)


def _of_line(computed: Computed, line: LineDef) -> Iterator[str]:
    if line.accounts.is_nothing:
        yield "selects no accounts yet"
    clauses = line.accounts.by_line
    yield from _of_texts(computed.view, clauses)


def _of_texts(view: View, clauses: tuple[Clause, ...]) -> Iterator[str]:
    """Clauses on source, kind or counterparty that no journal line of the whole ledger passes."""
    for name in dict.fromkeys(clause.name for clause in clauses):
        grouped = view.grouped((name,))
        texts = CodeList(name, tuple(Item(text, text, parent="\0") for text in grouped.labels[name]))
        for clause in clauses:
            if clause.name == name:
                yield from evaluate(clause.selection, texts).warnings


def _of_nodes(computed: Computed) -> Iterator[tuple[str, str]]:
    scope = computed.statement.scope
    todo: list[NodeDef] = list(scope.nodes) if scope else []
    while todo:
        node = todo.pop(0)
        if not node.grow:
            yield from ((node.code, warning) for warning in computed.view.mask(node.of).warnings)
        todo += node.nodes


def _mixed_units(computed: Computed) -> Iterator[tuple[Row, str]]:
    """Lines and totals that add up quantities of different units, judged by what was booked."""
    accounts = computed.view.frame.accounts
    units = np.array([item.unit if item.type == "statistical" else "" for item in accounts.items])
    if len(set(units.tolist()) - {""}) < 2:
        return
    of_key = units[computed.view.keys.account]
    for row in computed.rows:
        if row.kind not in ("line", "total"):
            continue
        added: set[str] = set()
        for column in computed.columns:
            if column.has_figures and (row.unit == "quantity" or column.shows_quantities):
                together: set[str] = set()
                for leaf in _leaves(computed, computed.line(row.line)):
                    vector = computed.readings.vector(leaf, column)
                    if vector is not None and (computed.readings.of_quantities(leaf, column) or leaf.is_quantity):
                        together |= set(
                            of_key[computed.readings.keys_behind(leaf, column) & vector.booked].tolist()
                        ) - {""}
                added |= together if len(together) > 1 else set()
        if added:
            yield row, f"{row.label}: adds up different units: {', '.join(sorted(added))}"


def _leaves(computed: Computed, line: LineDef) -> Iterator[Leaf]:
    yield from computed.plan.leaves.by_line.get(line.key, ())
    for inner in line.lines:
        yield from _leaves(computed, inner)


def _column_notes(computed: Computed) -> Iterator[str]:
    for column in computed.columns:
        if column.note and not column.is_mixed:
            yield f"Column {column.heading or column.key} is empty: {column.note}"
        if column.asked.by_day == "spread" and column.window is not None and column.window.by_day:
            plan = column.asked.then or column.asked.scenario
            if plan != "actual":
                yield (
                    f"Column {column.heading or column.key}: '{plan}' is held by period and spread evenly over its days"
                )


def of_columns(computed: Computed) -> ToldMeaning:
    """Columns of different currencies set against each other, windows and measures that don't belong together."""
    warnings = [
        f"Column {column.heading or column.key} has no meaning: {column.note}"
        for column in computed.columns
        if column.is_mixed
    ]
    warnings += [text for column in computed.columns if column.has_figures and (text := _too_late(computed, column))]
    if _misses_balances(computed):
        warnings.append("It places balance sheet accounts, and no column shows what stands on them, only what moved")
    return ToldMeaning(tuple(warnings))


def _too_late(computed: Computed, column: Column) -> str:
    """A balance that is read after the period shown, where no other scenario takes over."""
    measure = QUANTITIES.get(column.asked.measure, column.asked.measure)
    if measure not in BALANCES or column.asked.then or computed.view.frame.scenarios[column.asked.scenario] != "actual":
        return ""
    assert column.window is not None
    if column.window.last <= computed.plan.period_of(column).index:
        return ""
    end = computed.plan.calendar_of(column).periods[column.window.last].title
    return (
        f"Column {column.heading or column.key} reads balances at the end of {end}, after {computed.period.title}: "
        f"{measure} doesn't go with its window"
    )


def _misses_balances(computed: Computed) -> bool:
    """Whether a statement places assets or liabilities and shows nothing but movements of them."""
    shown = [column for column in computed.columns if column.has_figures and not column.hidden]
    if not shown or not places_accounts(computed) or any(column.asked.measure not in FLOWS for column in shown):
        return False
    if any(line.override.measure for line in computed.statement.spine.walk()):
        return False
    placed = placed_of(computed) > 0
    return bool((placed & computed.view.frame.accounts.of_type("asset", "liability") & computed.booked_accounts).any())
