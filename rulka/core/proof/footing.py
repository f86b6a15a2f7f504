"""The checks of a computed statement: does it foot, is every account placed once, do the ties hold, and what nobody
could judge."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from fractions import Fraction

import numpy as np

from rulka.core.books.chart import BoolArray, IntArray
from rulka.core.books.narrowing import Narrowing
from rulka.core.compute.columns import Column
from rulka.core.compute.computed import Computed
from rulka.core.compute.elimination import pairs, without_partner
from rulka.core.compute.figures import shows
from rulka.core.compute.leaves import Leaf
from rulka.core.compute.nodes import REST, nodes_of
from rulka.core.compute.rows import Row
from rulka.core.definitions.spans import TIME
from rulka.core.definitions.spines import LineDef
from rulka.core.money import QUANTITY_DIGITS
from rulka.core.proof import meaning
from rulka.core.proof.placed import (
    covered_of,
    names_of,
    only_accounts,
    placed_of,
    places_accounts,
    placing_leaves,
    plain_columns,
)

HOLDS, FAILS, WARNS, NOT_JUDGED = "holds", "fails", "warns", "not judged"

TITLES = {
    "placed": "Every account is placed",
    "placed-once": "No account is placed twice",
    "totals": "Totals foot",
    "ledger-tie": "Ties to the ledger",
    "ledger-balance": "The ledger is in balance",
    "result": "The result ties",
    "columns": "The columns are complete",
    "intercompany": "Intercompany agrees",
    "own-check": "",
    "fence": "The whole is seen",
    "rounding": "Rounded so that it foots",
    "selections": "Every selection means something",
}
"""The checks by code, with what people read; the spine's own checks and those of a series have titles of their own."""

CORE = ("placed", "placed-once", "totals", "ledger-tie")
"""What must have been judged and hold before a statement is said to foot."""

FOOTS, ADDS_UP = "Foots: every check holds", "Adds up; places no accounts by design"


@dataclass(frozen=True)
class Check:
    """One check: `code` says which, `state` holds, fails, warns or not judged; a check that was not judged never counts
    as holding.

    `accounts` and `lines` name what it is about, for a way to the cause.
    """

    code: str
    state: str
    detail: str = ""
    accounts: tuple[str, ...] = ()
    lines: tuple[str, ...] = ()
    title: str = ""

    @property
    def check(self) -> str:
        """What people call it."""
        return self.title or TITLES[self.code]

    @property
    def ok(self) -> bool:
        return self.state == HOLDS


@dataclass(frozen=True)
class Verdict:
    """What the checks say together: one of three sentences, and the exit code of a command that asks."""

    text: str
    exit_code: int

    @property
    def stands(self) -> bool:
        """Whether nothing is left to look at."""
        return self.exit_code == 0


def verdict_on(checks: Sequence[Check]) -> Verdict:
    """Foots only where placement, totals and the tie to the ledger were judged and all checks hold.

    A statement that places nothing by design has none of the checks of placement; it adds up where its totals were
    judged.
    """
    told = {state: [check.check for check in checks if check.state == state] for state in (FAILS, WARNS, NOT_JUDGED)}
    judged = {check.code for check in checks if check.ok}
    if not any(told.values()):
        if judged.issuperset(CORE):
            return Verdict(FOOTS, 0)
        if "totals" in judged and not any(check.code in ("placed", "placed-once", "ledger-tie") for check in checks):
            return Verdict(ADDS_UP, 0)
    words = {FAILS: "Fails", WARNS: "Warns", NOT_JUDGED: "Not judged"}
    text = ". ".join(f"{words[state]}: {', '.join(dict.fromkeys(names))}" for state, names in told.items() if names)
    return Verdict(text or "Not judged: nothing", 3 if told[FAILS] else 4)


def footing(computed: Computed) -> list[Check]:
    """All checks that apply to a statement, in the order they are told; each says what it found or why it wasn't
    judged.

    Whoever sees a part of the ledger gets no word on the whole: its checks are not judged.
    """
    part = "It needs the whole, and you see a part." if computed.view.is_part else ""
    nothing = _nothing_to_judge(computed)
    checks = [*_placing(computed, nothing or part), _totals(computed, nothing), *_series(computed, nothing)]
    for make in (_ledger_balances, _result, _own_checks, _intercompany):
        checks += make(computed, nothing or part)
    checks += _not_elsewhere(computed)
    checks.append(
        Check(
            "fence",
            NOT_JUDGED if part else HOLDS,
            f"You see a part of the whole: {computed.view.part}." if part else "",
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
        why = "Its lines select by more than accounts, and the spine doesn't say which accounts it covers."
    if why:
        return [Check(code, NOT_JUDGED, why) for code in ("placed", "placed-once", "ledger-tie")]
    placed, covered = placed_of(computed), covered_of(computed)
    return [*_placement(computed, placed, covered), _ledger_tie(computed, placed, covered)]


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
    by = f", by {', '.join(holders.values())}" if holders else ""
    detail = f"Placed more than once: {names}{by}" if codes else ""
    return [*checks, Check("placed-once", FAILS if codes else HOLDS, detail, codes, tuple(holders))]


# totals and ties ----------------------------------------------------------------------------------------------------


def _totals(computed: Computed, why: str) -> Check:
    """Each section total again, straight from the accounts, line sign by line sign; without totals each line."""
    again = _Again(computed)
    totals = [row for row in computed.rows if row.kind == "total"] or [
        row for row in computed.rows if row.kind == "line"
    ]
    totals = [row for row in totals if computed.line(row.line).key in again.known]
    places = [computed.place(column.key) for column in again.columns]
    if why or not totals or not places:
        return Check(
            "totals",
            NOT_JUDGED,
            why or ("It has no totals and no lines." if not totals else "No column shows figures of its own."),
        )
    wrong = [row for row in totals if not again.agrees(row, places)]
    names = ", ".join(row.label for row in wrong)
    return Check(
        "totals",
        FAILS if wrong else HOLDS,
        f"Does not foot: {names}" if wrong else "",
        lines=tuple(row.key for row in wrong),
    )


class _Again:
    """Amounts of lines once more, by another way than the engine's: from what the whole node holds by account."""

    def __init__(self, computed: Computed) -> None:
        self.computed = computed
        self.columns = [column for column in computed.columns if column.has_figures]
        self.any_quantities = any(column.shows_quantities for column in self.columns)
        self.by_account: dict[int, IntArray] = {}
        self.scales: dict[tuple[int, bool], list[int]] = {}
        self.quantities: dict[int, list[int]] = {}
        self.of_leaf: dict[str, list[int]] = {}
        self.known = {line.key for line in computed.statement.spine.walk() if line.kind in ("line", "section")}
        self.simple = {line.key: only_accounts(line) for line in computed.statement.spine.walk() if line.kind == "line"}

    def agrees(self, row: Row, places: Sequence[int]) -> bool:
        """Whether a total or a line is, in each column that it shows, what its lines' accounts sum to, line sign by
        line sign."""
        line = self.computed.line(row.line)
        own = list(self._leaves(line, row.unit == "quantity"))
        every = list(self._leaves(line, None)) if self.any_quantities else own
        for at, (place, column) in enumerate(zip(places, self.columns, strict=True)):
            if place not in row.blank and not self._is(
                row.values[place], every if column.shows_quantities else own, at, column
            ):
                return False
        return True

    def _is(self, value: Fraction | None, leaves: list[Leaf], at: int, column: Column) -> bool:
        amounts: dict[int, int] = {}
        for leaf in leaves:
            if not shows(leaf.line, column):
                continue
            scale = self._scales(leaf)[at]
            if not scale:
                return value is None
            amounts[scale] = amounts.get(scale, 0) + self._amounts(leaf)[at] * self.computed.readings.sign(leaf, column)
        if value is None:
            return False
        if len(amounts) == 1:  # integers alone: there are many cells
            ((scale, amount),) = amounts.items()
            return value.numerator * scale == amount * value.denominator
        return value == sum((Fraction(amount, scale) for scale, amount in amounts.items()), Fraction(0))

    def _scales(self, leaf: Leaf) -> list[int]:
        """By column what a leaf's amount is divided by, 0 where nothing can be read; leaves of one group read the
        same."""
        name = (leaf.group, leaf.is_quantity)
        if name not in self.scales:
            found = []
            for column in self.columns:
                vector = self.computed.readings.vector(leaf, column)
                found.append(vector.divisor * 10 ** self.computed.readings.digits(leaf, column) if vector else 0)
            self.scales[name] = found
        return self.scales[name]

    def _leaves(self, line: LineDef, quantities: bool | None) -> Iterator[Leaf]:
        """The outermost leaves of a line and all below it; of quantities or of money only, or both."""
        for leaf in self.computed.plan.leaves.by_line.get(line.key, ()):
            measured = leaf.is_quantity or leaf.line.reads_quantities
            if quantities is None or measured == quantities:
                yield leaf
        for inner in line.lines:
            yield from self._leaves(inner, quantities)

    def _amounts(self, leaf: Leaf) -> list[int]:
        """A leaf in each column, debit positive minor units."""
        if leaf.key not in self.of_leaf:
            statistical = self.computed.view.frame.accounts.of_type("statistical")
            chosen = leaf.accounts & (statistical if leaf.is_quantity else ~statistical)
            if self.simple[leaf.line.key] and not leaf.member:
                found = self._table(leaf)[chosen].sum(axis=0).tolist()
                own_way = self._of_quantities(leaf)
            else:
                found, own_way = [0] * len(self.columns), list(range(len(self.columns)))
            for place in own_way:
                found[place] = int(self.computed.readings.by_account(leaf, self.columns[place]).sum())
            self.of_leaf[leaf.key] = found
        return self.of_leaf[leaf.key]

    def _of_quantities(self, leaf: Leaf) -> list[int]:
        """The columns in which a leaf shows its statistical accounts; leaves of one group agree on them."""
        if leaf.group not in self.quantities:
            self.quantities[leaf.group] = [
                place for place, column in enumerate(self.columns) if self.computed.readings.of_quantities(leaf, column)
            ]
        return self.quantities[leaf.group]

    def _table(self, leaf: Leaf) -> IntArray:
        """What the whole node holds by account and column, as the leaf's group reads it."""
        if leaf.group not in self.by_account:
            computed, view = self.computed, self.computed.view
            table = np.zeros((len(view.frame.accounts), len(self.columns)), dtype=np.int64)
            for place, column in enumerate(self.columns):
                vector = computed.readings.vector(leaf, column)
                if vector is not None:
                    table[:, place] = view.by_account(vector.amounts, computed.plan.keys_of(column))
            self.by_account[leaf.group] = table
        return self.by_account[leaf.group]


def _title(column: Column) -> str:
    return (
        f"{column.heading} ({column.window.title})"
        if column.window and column.window.title not in column.heading
        else column.heading
    )


def _ledger_tie(computed: Computed, placed: IntArray, covered: BoolArray) -> Check:
    """What the statement's lines sum to equals what the ledger holds on the accounts it covers or places as a whole."""
    money = ~computed.view.frame.accounts.of_type("statistical")
    counted = (covered | (placed > 0)) & money
    leaves = {leaf.key for leaf in placing_leaves(computed)}
    rows = [
        (at, leaf) for at, leaf in enumerate(computed.plan.leaves.walk()) if leaf.key in leaves and not leaf.is_quantity
    ]
    partly = {at for at, leaf in rows if (leaf.accounts & money & ~counted).any()}
    whole = np.array([at for at, leaf in rows if at not in partly and not leaf.line.columns], dtype=np.int64)
    others = [(at, leaf) for at, leaf in rows if at in partly or leaf.line.columns]
    apart: list[str] = []
    judged: set[str] = set()
    for column, amounts in plain_columns(computed):
        place = computed.place(column.key)
        held = int(computed.amounts[whole, place].sum())
        for at, leaf in others:
            if not shows(leaf.line, column):
                continue
            held += (
                int(computed.readings.by_account(leaf, column)[counted].sum())
                if at in partly
                else int(computed.amounts[at, place])
            )
        judged.add(column.key)
        difference = int(amounts[counted].sum()) - held
        if difference:
            node = computed.plan.node_of(column)
            apart.append(
                f"{_title(column)}: {computed.figure(difference, node.digits)} {node.currency} of the ledger is not "
                f"on it"
            )
    if not judged:
        return Check("ledger-tie", NOT_JUDGED, "No column shows net figures of the ledger itself.")
    unjudged = list(
        dict.fromkeys(column.heading for column in computed.columns if column.has_figures and column.key not in judged)
    )
    if unjudged and not apart:
        more = f" and {len(unjudged) - 6} more" if len(unjudged) > 6 else ""
        return Check(
            "ledger-tie",
            HOLDS,
            f"Judged in columns of the ledger's net figures, not in {', '.join(unjudged[:6])}{more}.",
        )
    return Check("ledger-tie", FAILS if apart else HOLDS, "; ".join(apart))


def _ledger_balances(computed: Computed, why: str) -> list[Check]:
    """Debits equal credits over all money accounts of each entity that the columns of actual figures reach."""
    columns = [
        column
        for column in computed.columns
        if column.has_figures and column.asked.scenario == "actual" and not column.asked.then and not column.lines
    ]
    if not columns:
        return []
    if why:
        return [Check("ledger-balance", NOT_JUDGED, why)]
    frame, keys = computed.view.frame, computed.view.keys
    money = ~frame.accounts.of_type("statistical")[keys.account]
    apart: list[str] = []
    for column in columns:
        assert column.window is not None
        node = computed.plan.node_of(column)
        closing = computed.view.balances_of(computed.readings.plain(column)[0].source).measure("closing", column.window)
        for place in np.flatnonzero(node.entities):
            rest = int(closing[money & (keys.entity == place)].sum())
            if rest:
                digits = frame.group_digits if computed.plan.translated else int(frame.digits[place])
                apart.append(f"{frame.entities.items[place].code}, {column.heading}: {computed.figure(rest, digits)}")
    return [Check("ledger-balance", FAILS if apart else HOLDS, "; ".join(apart[:12]))]


def _result(computed: Computed, why: str) -> list[Check]:
    """The year's result as a balance sheet reads it (what result accounts hold) and as an income statement does (what
    was booked on them since the year began) are one figure. Translated, they need not be."""
    frame = computed.view.frame
    results = frame.accounts.of_type("revenue", "expense")
    columns = [
        column
        for column in computed.columns
        if column.has_figures
        and not column.asked.then
        and not column.lines
        and column.window is not None
        and not column.window.by_day
    ]
    held_by_lines = np.zeros(len(results), dtype=bool)
    for leaf in placing_leaves(computed):
        held_by_lines |= leaf.accounts
    if computed.plan.translated or not columns or not (held_by_lines & results).any():
        return []
    if why:
        return [Check("result", NOT_JUDGED, why)]
    apart = []
    for column in columns:
        assert column.window is not None
        node = computed.plan.node_of(column)
        keys = np.flatnonzero(results[computed.view.keys.account] & node.keys)
        balances = computed.view.balances_of(computed.readings.plain(column)[0].source)
        last = column.window.last
        calendar = computed.plan.calendar_of(column)
        start = calendar.of_year(calendar.periods[last].year)[0].index
        held = int(balances.closing[keys, last].sum())
        moved = balances.debits[keys, last + 1].sum() - balances.debits[keys, start].sum()
        moved -= balances.credits[keys, last + 1].sum() - balances.credits[keys, start].sum()
        opened = (
            sum(int(balances.opened[keys, place].sum()) for place in range(start, last + 1))
            if balances.has_opened
            else 0
        )
        booked = int(moved) + opened
        if held != booked:
            apart.append(f"{_title(column)}: {computed.figure(held - booked, node.digits)}")
    return [Check("result", FAILS if apart else HOLDS, "; ".join(apart))]


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
            f"{_title(column)}: {computed.exact_figure(by, computed.plan.node_of(column).digits)} apart"
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
    detail = "; ".join(told[:8]) + (f"; and {len(told) - 8} more" if len(told) > 8 else "")
    return Check("own-check", FAILS if wrong else HOLDS, detail, lines=tuple(row.key for row, _ in wrong), title=title)


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
            why = (
                nothing
                or next((column.note for column in columns if column.note), "")
                or "None of its members has anything."
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
    """The parts together hold each posting key once of what the column would hold that isn't cut."""
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
        own = own & np.any([column.keys for column in parts if column.keys is not None], axis=0)
    missing = own & (covered != 1) & view.ever_booked(parts[0].asked.scenario, translated=computed.plan.translated)
    if not missing.any():
        return Check("columns", HOLDS, f"{len(parts)} columns add up to the whole", title=title)
    gap = computed.figure(
        int((vector.amounts[missing] * (1 - covered[missing])).sum()), computed.plan.node_of(parts[0]).digits
    )
    return Check("columns", FAILS, f"{gap} stands in none or in two", title=title)


# nodes --------------------------------------------------------------------------------------------------------------


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
    apart: dict[str, None] = {}
    lonely: dict[tuple[str, str], None] = {}
    for column in columns:
        assert column.window is not None
        node = computed.plan.node_of(column)
        balances = view.balances_of(computed.readings.plain(column)[0].source)
        for what, accounts, measure in (("balances", carrying, "closing"), ("activity", ~carrying, "activity")):
            for pair in pairs(view, node, balances.measure(measure, column.window), accounts):
                if pair.apart:
                    first, second, gap = (
                        computed.figure(amount, node.digits) for amount in (pair.of_first, pair.of_second, pair.apart)
                    )
                    apart[
                        f"{column.window.title}, {what}: {pair.first} has {first}, {pair.second} {second}, {gap} apart"
                    ] = None
        lonely.update(dict.fromkeys(without_partner(view, node, balances.booked(column.window))))
    checks = [Check("intercompany", FAILS if apart else HOLDS, "; ".join(apart))]
    if lonely:
        names = ", ".join(f"{entity} {account}" for entity, account in sorted(lonely)[:8])
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
    """What a node of a scope holds that none of its children does: told, since it stands in a node of its own."""
    if computed.statement.scope is None or not computed.node.children:
        return []
    nodes = nodes_of(computed.view, computed.statement.scope, translated=computed.plan.translated)
    rest = next((node for node in nodes if node.code == computed.node.code + REST), None)
    if rest is None:
        return []
    accounts = np.unique(computed.view.keys.account[rest.keys])
    detail = (
        f"Node {rest.code} holds what no child of {computed.node.name} does, on {len(accounts)} "
        f"account{'s' if len(accounts) != 1 else ''}"
    )
    return [Check("selections", HOLDS, detail, title="What is in no child has a node of its own")]


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
    detail = "; ".join(computed.roundings[:12]) + (
        f"; and {len(computed.roundings) - 12} more" if len(computed.roundings) > 12 else ""
    )
    return Check("rounding", HOLDS, detail or "No figure had to give way.")


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
