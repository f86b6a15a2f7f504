"""The checks of a computed statement: does it foot, is every account placed once, do the ties hold, and what nobody
could judge."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from fractions import Fraction

import numpy as np

from rulka.core.books.balances import Balances
from rulka.core.books.chart import BoolArray, IntArray
from rulka.core.books.narrowing import Narrowing
from rulka.core.compute.columns import Column
from rulka.core.compute.computed import Computed
from rulka.core.compute.elimination import pairs, without_partner
from rulka.core.compute.nodes import REST, node_inside, nodes_of
from rulka.core.compute.rows import Row
from rulka.core.definitions.spans import TIME
from rulka.core.errors import first_of
from rulka.core.money import QUANTITY_DIGITS
from rulka.core.proof import meaning
from rulka.core.proof.checks import FAILS, HOLDS, NOT_JUDGED, WARNS, Check
from rulka.core.proof.placed import (
    covered_of,
    names_of,
    placed_of,
    places_accounts,
    placing_leaves,
)
from rulka.core.proof.ties import SEALED, ledger_balances, ledger_tie, result, title_of
from rulka.core.proof.totals import totals

_TRANSLATED = " Translated by itself, it may differ by a minor unit from what it adds to the whole."


def footing(computed: Computed) -> list[Check]:
    """The checks that apply to a statement, in the order they show.

    Each says what it found, or why nothing could be judged. Somebody who sees a part of the ledger is told nothing of
    the whole: checks that need it are not judged for them.
    """
    part = "It needs the whole, and you see a part." if computed.view.is_part else ""
    nothing = _nothing_to_judge(computed)
    checks = [*_placing(computed, nothing or part), totals(computed, nothing), *_series(computed, nothing)]
    for make in (ledger_balances, result, _own_checks, _intercompany):
        checks += make(computed, nothing or part)
    checks += _not_elsewhere(computed)
    checks.append(
        Check(
            "fence",
            NOT_JUDGED if part else HOLDS,
            f"You see a part of the whole: {computed.view.part}.{_TRANSLATED if computed.plan.translated else ''}"
            if part
            else "",
        )
    )
    if computed.statement.rounding != "exact":
        checks.append(_rounding(computed, nothing))
    checks.append(_selections(computed))
    return checks


def _nothing_to_judge(computed: Computed) -> str:
    """Why no figure of a statement can be judged; empty where some can."""
    if not any(leaves for leaves in computed.plan.leaves.by_line.values()):
        return "It has no lines of accounts."
    if not any(column.has_figures for column in computed.columns):
        return "It has no column of figures at a time that the calendar has."
    if not computed.has_anything:
        return f"Nothing was booked at {computed.node.name} in any of its columns."
    return ""


# placement ----------------------------------------------------------------------------------------------------------


def _placing(computed: Computed, why: str) -> list[Check]:
    """Every account placed, none twice, and the tie to the ledger; none of them where the spine covers nothing by
    design."""
    if computed.statement.spine.covers_nothing:
        return []
    if not why and not places_accounts(computed):
        reads = "Its lines read a time of their own or select by more than accounts"
        why = f"{reads}, and nothing says which accounts it covers."
    if why:
        return [Check(code, NOT_JUDGED, why) for code in ("placed", "placed-once", "ledger-tie")]
    placed, covered = placed_of(computed), covered_of(computed)
    return [*_placement(computed, placed, covered), ledger_tie(computed, placed, covered)]


def _placement(computed: Computed, placed: IntArray, covered: BoolArray) -> list[Check]:
    missing, twice = covered & (placed == 0), placed > 1
    booked = computed.booked_accounts
    total, found = int(covered.sum()), int((covered & (placed > 0)).sum())
    detail = f"{found} of {total} accounts placed"
    names, codes = names_of(computed, missing)
    if codes:
        quiet = "" if (missing & booked).any() else ", nothing booked on them in the columns shown"
        detail += f": {names} {'is' if len(codes) == 1 else 'are'} not{quiet}"
    state = (FAILS if (missing & booked).any() else HOLDS) if total else NOT_JUDGED
    checks = [Check("placed", state, detail if total else "It covers no account.", codes)]
    names, codes = names_of(computed, twice)
    holders = {leaf.line.key: leaf.line.label for leaf in placing_leaves(computed) if (leaf.accounts & twice).any()}
    detail = f"Placed more than once: {names}, by {', '.join(holders.values())}" if codes else ""
    return [*checks, Check("placed-once", FAILS if codes else HOLDS, detail, codes, tuple(holders))]


# own checks ---------------------------------------------------------------------------------------------------------


def _own_checks(computed: Computed, why: str) -> list[Check]:
    """What the spine says must hold, and columns that together must equal another."""
    checks = []
    for judged in computed.checks:
        label, lines = judged.line.label, (judged.line.key,)
        if why or not judged.judged:
            checks.append(
                Check(
                    "own-check", NOT_JUDGED, why or "None of the columns has figures for it.", lines=lines, title=label
                )
            )
            continue
        apart = [
            f"{title_of(column)}: {computed.exact_figure(by, computed.plan.node_of(column).digits)} apart"
            for column, by in judged.apart
        ]
        checks.append(Check("own-check", FAILS if apart else HOLDS, "; ".join(apart), lines=lines, title=label))
    for column in computed.columns:
        if column.kind == "check":
            checks.append(_column_check(computed, column, why))
    return checks


def _column_check(computed: Computed, column: Column, why: str) -> Check:
    gaps = gaps_of(computed, column)
    title = column.heading or column.key
    if why or not gaps:
        return Check("own-check", NOT_JUDGED, why or column.note or "No line has figures in its columns.", title=title)
    wrong = [(row, gap) for row, gap in gaps if abs(gap) > column.asked.tolerance]
    digits = computed.plan.node_of(column).digits
    told = [
        f"{row.label}: {computed.exact_figure(gap, QUANTITY_DIGITS if row.unit == 'quantity' else digits)} apart"
        for row, gap in wrong
    ]
    return Check(
        "own-check",
        FAILS if wrong else HOLDS,
        first_of(told, 8, "; "),
        lines=tuple(row.key for row, _ in wrong),
        title=title,
    )


def gaps_of(computed: Computed, column: Column) -> list[tuple[Row, Fraction]]:
    """What each row is apart in a column that checks others, where it means anything."""
    place = computed.place(column.key)
    return [
        (row, value)
        for row in computed.rows
        if row.kind != "check" and (value := row.values[place]) is not None and place not in row.blank
    ]


# columns ------------------------------------------------------------------------------------------------------------


def _series(computed: Computed, nothing: str) -> list[Check]:
    """Each series with what its columns leave out, and columns that tell something else than they seem to."""
    checks = []
    for asked in computed.statement.span.columns:
        if asked.kind != "series":
            continue
        title = f"The columns of {asked.key} are complete"
        columns = [column for column in computed.columns if column.series == asked.key and not column.is_total]
        shown = [column for column in columns if column.has_figures]
        if nothing or not shown:
            why = nothing or next(
                (column.note for column in columns if column.note), "None of its members has anything."
            )
            checks.append(Check("columns", NOT_JUDGED, why, title=title))
        elif asked.each in TIME:
            checks.append(_time_series(computed, shown, title))
        else:
            first = shown[0].asked.key
            checks.append(
                _member_series(computed, asked.each, [column for column in shown if column.asked.key == first], title)
            )
    told = meaning.of_columns(computed)
    if told.warnings:
        checks.append(Check("columns", WARNS, "; ".join(told.warnings), title="The columns show what they seem to"))
    return checks


def _time_series(computed: Computed, shown: Sequence[Column], title: str) -> Check:
    """Pieces through time follow each other without a gap; adjusting periods belong to no week."""
    first = shown[0].asked.key
    cut = [column.window for column in shown if column.asked.key == first and column.window is not None]
    if not shown[0].is_cut:
        return Check("columns", HOLDS, f"{len(cut)} columns, each with a window of its own", title=title)
    covered = {place for window in cut for place in range(window.first, window.last + 1)}
    missing = [
        computed.plan.calendar_of(shown[0]).periods[place]
        for place in range(min(covered), max(covered) + 1)
        if place not in covered
    ]
    booked = [period.title for period in missing if computed.booked_in(period, shown[0])]
    if booked:
        return Check("columns", WARNS, f"Entries of {', '.join(booked)} stand in none of them", title=title)
    return Check("columns", HOLDS, f"{len(cut)} columns one after the other", title=title)


def _member_series(computed: Computed, each: str, parts: Sequence[Column], title: str) -> Check:
    """Whether the columns of a series hold each posting key once.

    Their sum has to be the column that isn't cut. A key that no column holds is missing from the sum; one that two
    columns hold is counted twice. A series of all departments without a column for none of them fails where anything
    was booked on no department. One of departments 110 and 120 alone has to hold what was booked on these.
    """
    view, rest = computed.view, next((column for column in parts if column.is_rest), None)
    vector = computed.readings.plain(rest or parts[0])[1]
    if vector is None:
        return Check("columns", NOT_JUDGED, "Nothing can be read in them.", title=title)
    covered = np.zeros(len(vector.amounts), dtype=np.int64)
    for column in parts:
        covered += column.keys if column.keys is not None else 1
    narrowing = (rest or parts[0]).asked.narrow
    if rest is None:  # without a column for the others only the members that were asked for must be there
        series = next(asked for asked in computed.statement.span.columns if asked.key == parts[0].series)
        narrowing = Narrowing((*narrowing.clauses, *series.narrow.of(each)))
    own = view.mask(narrowing).keys & computed.plan.node_of(parts[0]).keys
    if parts[0].asked.inside:
        own = own & node_inside(view, computed.statement.scope, parts[0].asked.inside).keys
    if computed.readings.is_fine(parts[0], computed.readings.plain(parts[0])[0]):
        own = own & ~view.coarse[view.keys.account]
    missing = own & (covered != 1) & view.ever_booked(parts[0].asked.scenario, translated=computed.plan.translated)
    if not missing.any():
        return Check("columns", HOLDS, f"{len(parts)} columns add up to the whole", title=title)
    money = missing & ~view.frame.accounts.of_type("statistical")[view.keys.account]
    counted, digits = (money, computed.plan.node_of(parts[0]).digits) if money.any() else (missing, QUANTITY_DIGITS)
    gap = computed.figure(int((vector.amounts[counted] * (1 - covered[counted])).sum()), digits)
    return Check("columns", FAILS, f"{gap} stands in none or in two", title=title)


# nodes --------------------------------------------------------------------------------------------------------------


def _pairs_apart(computed: Computed, column: Column, balances: Balances, carrying: BoolArray) -> Iterator[str]:
    """In words, each pair of companies that doesn't agree in a column, by balances and by activity."""
    assert column.window is not None
    node = computed.plan.node_of(column)
    for what, accounts, measure in (("balances", carrying, "closing"), ("activity", ~carrying, "activity")):
        for pair in pairs(computed.view, node, balances.measure(measure, column.window), accounts):
            if pair.apart:
                first, second, gap = (
                    computed.figure(amount, node.digits) for amount in (pair.of_first, pair.of_second, pair.apart)
                )
                yield f"{column.window.title}, {what}: {pair.first} has {first}, {pair.second} {second}, {gap} apart"


def _intercompany(computed: Computed, why: str) -> list[Check]:
    """Where columns eliminate: each pair that doesn't agree, balances and activity separately, and lines without a
    partner."""
    columns = [
        column
        for column in computed.columns
        if column.has_figures and column.asked.part in ("eliminations", "after elimination")
    ]
    if not columns:
        return []
    if why:
        return [Check("intercompany", NOT_JUDGED, why)]
    view, carrying = computed.view, computed.view.frame.carrying()
    own = np.fromiter((item.intercompany for item in view.frame.accounts.items), dtype=bool, count=len(carrying))
    if (own & view.coarse).any() and view.seal and "partner" not in view.seal.grain:
        return [Check("intercompany", NOT_JUDGED, SEALED)]
    apart: dict[str, None] = {}
    lonely: dict[tuple[str, str], None] = {}
    for column in columns:
        assert column.window is not None
        node = computed.plan.node_of(column)
        balances = view.balances_of(computed.readings.plain(column)[0].source)
        apart.update(dict.fromkeys(_pairs_apart(computed, column, balances, carrying)))
        lonely.update(dict.fromkeys(without_partner(view, node, balances.booked(column.window))))
    checks = [Check("intercompany", FAILS if apart else HOLDS, "; ".join(apart))]
    if lonely:
        names = first_of([f"{entity} {account}" for entity, account in sorted(lonely)], 8)
        checks.append(
            Check(
                "intercompany",
                WARNS,
                f"Not eliminated, no partner is named: {names}",
                title="Intercompany names its partners",
            )
        )
    return checks


def _not_elsewhere(computed: Computed) -> list[Check]:
    """Warns of amounts that a node of a scope holds and none of its children does.

    They stand in a node of their own, such as `100.rest`, which somebody who prints the departments alone would miss.
    """
    if computed.statement.scope is None or not computed.node.children:
        return []
    nodes = nodes_of(computed.view, computed.statement.scope, translated=computed.plan.translated)
    rest = next((node for node in nodes if node.code == computed.node.code + REST), None)
    if rest is None:
        return []
    accounts = np.unique(computed.view.keys.account[rest.keys])
    count = f"{len(accounts)} account{'s' if len(accounts) != 1 else ''}"
    detail = f"{rest.name} ({rest.code}) shows what no node below does, on {count}"
    return [Check("selections", HOLDS, detail, title="What is in no node below has its own")]


# numbers and words --------------------------------------------------------------------------------------------------


def _rounding(computed: Computed, nothing: str) -> Check:
    if nothing:
        return Check("rounding", NOT_JUDGED, nothing)
    wrong = [
        row.label
        for row in computed.rows
        if row.kind == "total" and row.shown is not None and not _shown_adds_up(computed, row)
    ]
    if wrong:
        return Check("rounding", FAILS, f"What is shown doesn't add up to {', '.join(wrong)}")
    return Check("rounding", HOLDS, first_of(computed.roundings, 12, "; ") or "No figure had to give way.")


def _shown_adds_up(computed: Computed, total: Row) -> bool:
    """Whether the figures a total shows are the sums of those its lines show, in the columns of the ledger's own
    figures."""
    parts = computed.rows_of_total(total)
    for place, column in enumerate(computed.columns):
        shown = [part.shown[place] for part in parts if part.shown is not None and place not in part.blank]
        whole = total.shown[place] if total.shown is not None else None
        if (
            column.has_figures
            and whole is not None
            and sum((value for value in shown if value is not None), Fraction(0)) != whole
        ):
            return False
    return True


def _selections(computed: Computed) -> Check:
    """Selections, narrowings and ranges that match nothing warn; what is left out by rule is told."""
    told = meaning.of_selections(computed)
    if not told.judged:
        return Check("selections", NOT_JUDGED, "Nothing selects anything.")
    detail = "; ".join(dict.fromkeys((*told.warnings, *told.notes)))
    return Check("selections", WARNS if told.warnings else HOLDS, detail, lines=told.lines)
