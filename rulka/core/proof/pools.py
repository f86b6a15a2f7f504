"""What stands behind the terms of a figure: amounts by posting key and slice of time, to be narrowed and added up in
any direction."""

from __future__ import annotations

from collections.abc import Hashable, Iterable, Sequence
from dataclasses import dataclass, field, replace
from fractions import Fraction
from typing import Any, Literal

import numpy as np

from rulka.core.books.balances import Balances, MovementSource
from rulka.core.books.calendar import FiscalCalendar, Period, Window
from rulka.core.books.chart import BoolArray, IntArray
from rulka.core.books.frame import ACTIVITY, CLOSING, OPENING, STATUS_CHOICES
from rulka.core.books.journal import LinesAsked, LineSums
from rulka.core.compute.columns import Column, ColumnReading
from rulka.core.compute.computed import Computed
from rulka.core.compute.leaves import Leaf
from rulka.core.compute.readings import FLOWS
from rulka.core.proof.terms import Term

SliceKind = Literal["period", "opening", "closing", "rolled", "days", "balance", "translation", "rest"]
WITH_LINES = ("period", "opening", "closing", "days")
CLOSING_ENTRIES = " closing entries"
"""How the code of a year's closing entries ends."""

FEW_SLICES = 24
"""Periods that are listed one by one; more are gathered by year first."""


@dataclass(frozen=True)
class Slice:
    """A piece of time of what is read: activity of a period, opening or closing entries, a former year's result that
    rolled, some days, a balance of a mean, or what restating a balance at another rate changed.

    `code` is how a step names it, `group` the year it is gathered in, `places` the periods whose lines with `effect`
    stand in it; `year` is the one that rolled.
    """

    kind: SliceKind
    code: str
    label: str
    scenario: str
    places: tuple[int, ...] = ()
    effect: int = ACTIVITY
    group: str = ""
    year: int = 0


@dataclass(frozen=True, eq=False)
class Pool:
    """Amounts `(slices, keys)` of posting keys (by place) and slices; `factor` is what one counts in the figure.

    They are debit positive minor units, times the divisor of a mean or of days; once narrowed by a text of lines they
    come from lines, as fractions where the figure is translated. `counts` are lines. `beyond` is what lies outside of
    the fence and counts all the same.
    """

    computed: Computed
    column: Column
    reading: ColumnReading
    factor: Fraction
    side: int
    keys: IntArray
    slices: tuple[Slice, ...]
    amounts: IntArray
    counts: IntArray
    texts: tuple[tuple[str, tuple[str, ...]], ...] = ()
    beyond: int = 0

    @property
    def value(self) -> Fraction:
        """What it counts in the figure."""
        return self.factor * (_whole(self.amounts.sum()) + self.beyond)

    @property
    def calendar(self) -> FiscalCalendar:
        return self.computed.plan.calendar_of(self.column)

    @property
    def measure(self) -> str:
        return self.reading.measure

    @property
    def is_translated(self) -> bool:
        return self.reading.source.translated

    def of_keys(self, chosen: BoolArray) -> Pool:
        """Only some of its keys `(keys,)`."""
        return replace(
            self, keys=self.keys[chosen], amounts=self.amounts[:, chosen], counts=self.counts[:, chosen], beyond=0
        )

    def of_slices(self, chosen: Sequence[int], slices: Iterable[Slice] | None = None) -> Pool:
        """Only some of its slices, by place."""
        kept = tuple(self.slices[at] for at in chosen) if slices is None else tuple(slices)
        places = np.array(chosen, dtype=np.int64)
        return replace(self, slices=kept, amounts=self.amounts[places], counts=self.counts[places], beyond=0)

    def without_empty(self) -> Pool:
        """Only the slices that hold anything of its keys."""
        held = self.amounts.any(axis=1) | self.counts.any(axis=1)
        return self.of_slices(np.flatnonzero(held).tolist())

    def of_texts(self, name: str, texts: tuple[str, ...]) -> Pool:
        """Only the lines whose field has one of some texts; what no lines carry has none."""
        pool = self.of_slices([at for at, one in enumerate(self.slices) if self.has_lines(one)])
        pool = pool.of_keys(~pool.computed.view.sealed_keys[pool.keys])
        narrowed = (*self.texts, (name, texts))
        amounts, counts = pool._from_lines(pool.lines(texts=narrowed))
        found = replace(pool, texts=narrowed, amounts=amounts, counts=counts)
        held: BoolArray = np.asarray(counts.any(axis=0))
        return found.of_keys(held)

    def has_lines(self, one: Slice) -> bool:
        """Whether journal lines stand in a slice."""
        return one.kind in WITH_LINES and one.scenario == "actual"

    @property
    def asked(self) -> LinesAsked:
        """The journal lines behind it."""
        pieces: dict[int, set[int]] = {}
        for one in self.slices:
            if self.has_lines(one):
                pieces.setdefault(one.effect, set()).update(one.places)
        window = self.reading.window
        days = (window.start, window.end) if window and window.by_day else (None, None)
        return LinesAsked(
            self.keys,
            tuple((effect, tuple(sorted(places))) for effect, places in sorted(pieces.items())),
            STATUS_CHOICES[self.reading.source.status],
            *days,
            texts=(*_passing(self), *self.texts),
        )

    def lines(
        self,
        fields: tuple[str, ...] = (),
        *,
        by_key: bool = True,
        texts: tuple[tuple[str, tuple[str, ...]], ...] | None = None,
    ) -> LineSums:
        """Sums of the lines behind it."""
        asked = self.asked if texts is None else replace(self.asked, texts=(*_passing(self), *texts))
        if not asked.pieces:
            none = np.zeros(0, dtype=np.int64)
            return LineSums(none, none, none, none, none, none, {name: [] for name in fields})
        view = self.computed.view.in_calendar(self.reading.source.calendar)
        return view.sums(asked, fields, by_key=by_key)

    def amount_of(self, debit: IntArray, credit: IntArray) -> IntArray:
        """What lines with these debits and credits count by the measure, debit positive."""
        sides = {"debits": debit, "credits": credit}
        found: IntArray = sides.get(self.measure, debit - credit)
        return found

    def placed(self, sums: LineSums) -> tuple[IntArray, IntArray]:
        """For sums by key the place of each in `slices` and `keys`."""
        of_key = np.full(len(self.computed.view.keys), -1, dtype=np.int64)
        of_key[self.keys] = np.arange(len(self.keys))
        place = {
            (one.effect, period): at
            for at, one in enumerate(self.slices)
            if self.has_lines(one)
            for period in one.places
        }
        slices = [
            place.get(pair, -1) for pair in zip(sums.effect.tolist(), sums.period.tolist(), strict=True)
        ]  # fmt: skip
        return np.array(slices, dtype=np.int64), of_key[sums.key]

    def ratios(self) -> IntArray:
        """By slice and key what a local minor unit of a line counts in a translated amount, as fractions; 0 where the
        lines cancel out."""
        sums = self.lines()
        local = np.zeros(self.amounts.shape, dtype=object)
        np.add.at(local, self.placed(sums), self.amount_of(sums.debit, sums.credit).astype(object))
        found = np.zeros(self.amounts.shape, dtype=object)
        for place in zip(*np.nonzero(local), strict=True):
            found[place] = _whole(self.amounts[place]) / int(local[place])
        return found

    def _from_lines(self, sums: LineSums) -> tuple[IntArray, IntArray]:
        at, key = self.placed(sums)
        amounts = np.zeros(self.amounts.shape, dtype=object if self.is_translated else np.int64)
        counts = np.zeros(self.amounts.shape, dtype=np.int64)
        own = self.amount_of(sums.debit, sums.credit).astype(amounts.dtype)
        if self.is_translated and len(own):
            own = own * self.ratios()[at, key]
        np.add.at(amounts, (at, key), own)
        np.add.at(counts, (at, key), sums.count)
        return amounts, counts


def _whole(value: Any) -> Fraction:
    """An amount as a fraction; arrays of objects hold such already."""
    return value if isinstance(value, Fraction) else Fraction(int(value))


def _passing(pool: Pool) -> tuple[tuple[str, tuple[str, ...]], ...]:
    """The texts that pass the clauses of what is read, by field."""
    clauses = pool.reading.source.lines
    return pool.computed.view.in_calendar(pool.reading.source.calendar).texts_passing(clauses) if clauses else ()


# pools of terms -----------------------------------------------------------------------------------------------------


def pools_of(computed: Computed, terms: Sequence[Term]) -> tuple[Pool, ...]:
    """The pools of some terms; terms that read alike and count alike are one."""
    together: dict[tuple[str, Hashable, Fraction, int], list[Term]] = {}
    for term in terms:
        factor = factor_of(computed, term)
        if factor and not term.is_closed:
            together.setdefault((term.column.key, term.leaf.group, factor, term.side), []).append(term)
    found: list[Pool] = []
    for (_, _, factor, side), alike in together.items():
        for leaves in _disjoint(computed, [term.leaf for term in alike], alike[0].column):
            found += _apart(_pool(computed, leaves, alike[0].column, factor, side))
    return tuple(found)


def _disjoint(computed: Computed, leaves: Sequence[Leaf], column: Column) -> list[list[Leaf]]:
    """Leaves in as few groups as have no posting key twice: what a statement counts twice stands in two of them."""
    groups: list[tuple[BoolArray, list[Leaf]]] = []
    for leaf in leaves:
        own = computed.readings.keys_behind(leaf, column)
        for taken, group in groups:
            if not (taken & own).any():
                taken |= own
                group.append(leaf)
                break
        else:
            groups.append((own.copy(), [leaf]))
    return [group for _, group in groups]


def _apart(pool: Pool) -> list[Pool]:
    """A pool of balances as two: the lines of former years stand behind accounts that carry theirs over, and behind no
    others."""
    view = pool.computed.view
    carrying = view.frame.carrying()[view.keys.account[pool.keys]]
    if pool.measure not in ("opening", "closing") or carrying.all() or not carrying.any():
        return [pool]
    return [pool.of_keys(chosen).without_empty() for chosen in (carrying, ~carrying)]


def factor_of(computed: Computed, term: Term) -> Fraction:
    """What a debit positive minor unit behind a term counts in the figure."""
    readings, leaf, column = computed.readings, term.leaf, term.column
    vector = readings.vector(leaf, column)
    assert vector is not None  # terms are read
    sign = readings.sign(leaf, column) * readings.part_sign(leaf, column)
    return term.factor * Fraction(sign, vector.divisor * 10 ** readings.digits(leaf, column))


def closed_value(computed: Computed, term: Term) -> Fraction:
    """What a term whose detail is closed counts in the figure."""
    value = computed.cells[term.leaf.key][computed.place(term.column.key)]
    return term.factor * (value or Fraction(0))


def _pool(computed: Computed, leaves: Sequence[Leaf], column: Column, factor: Fraction, side: int) -> Pool:
    keys = np.concatenate([np.flatnonzero(computed.readings.keys_behind(leaf, column)) for leaf in leaves])
    reading = computed.readings.reading(leaves[0], column)
    vector = computed.readings.vector(leaves[0], column)
    assert vector is not None and reading.window is not None
    whole = vector.amounts[keys] * computed.readings.part_sign(leaves[0], column)
    reader = _Slices(computed, column, reading, keys, whole)
    reader.read(reading.window)
    keys, amounts, counts = reader.held()
    return Pool(computed, column, reading, factor, side, keys, tuple(reader.slices), amounts, counts)


@dataclass
class _Slices:
    computed: Computed
    column: Column
    reading: ColumnReading
    keys: IntArray
    whole: IntArray
    slices: list[Slice] = field(default_factory=list)
    amounts: list[IntArray] = field(default_factory=list)
    counts: list[IntArray] = field(default_factory=list)

    @property
    def source(self) -> MovementSource:
        return self.reading.source

    @property
    def calendar(self) -> FiscalCalendar:
        return self.computed.plan.calendar_of(self.column)

    @property
    def balances(self) -> Balances:
        return self.computed.view.balances_of(self.source)

    def scenario(self, period: int) -> str:
        source = self.source
        return source.then if source.then and period > source.until else source.scenario

    def add(self, one: Slice, amounts: IntArray, counts: IntArray | None = None) -> None:
        counted = np.zeros(len(self.keys), dtype=np.int64) if counts is None else counts
        if amounts.any() or counted.any():
            self.slices.append(one)
            self.amounts.append(amounts)
            self.counts.append(counted)

    def held(self) -> tuple[IntArray, IntArray, IntArray]:
        """The keys that hold anything, and their amounts and counts by slice; others show nowhere."""
        empty = np.zeros((0, len(self.keys)), dtype=np.int64)
        amounts, counts = (np.stack(each) if each else empty for each in (self.amounts, self.counts))
        holding = (amounts != 0).any(axis=0) | (counts != 0).any(axis=0)
        return self.keys[holding], amounts[:, holding], counts[:, holding]

    def read(self, window: Window) -> None:
        measure = self.reading.measure
        if window.by_day:
            self._days(window)
        elif measure == "average":
            self._mean(window)
        elif measure in FLOWS:
            periods = self.calendar.periods[window.first : window.last + 1]
            several = len(periods) > FEW_SLICES and periods[0].year != periods[-1].year
            for period in periods:
                self.activity(period, f"FY{period.year}" if several else "")
        else:
            self.through(window.first if measure == "opening" else window.last, whole=measure == "closing")
        self.add_rest()

    def add_rest(self) -> None:
        """What of the whole stands in none of the slices: what another rate changed, or what nothing tells apart."""
        rest = self.whole - sum(self.amounts, start=np.zeros_like(self.whole))
        kind: SliceKind = "translation" if self.source.translated else "rest"
        label = "Translated at another rate" if self.source.translated else "Not told apart by period"
        self.add(Slice(kind, kind, label, self.source.scenario), rest)

    def _days(self, window: Window) -> None:
        kind: SliceKind = "days" if self.reading.measure in FLOWS else "balance"
        ordinary = [p.index for p in self.calendar.periods[window.first : window.last + 1] if not p.adjusting]
        code = f"{window.start} to {window.end}"
        self.add(Slice(kind, code, window.title, self.scenario(ordinary[-1]), tuple(ordinary)), self.whole)

    def _mean(self, window: Window) -> None:
        periods, balances = self.calendar.periods[window.first : window.last + 1], self.balances
        first = periods[0]
        opening = Slice("balance", f"{first.code} opening balance", f"Opening, {first.title}", self.source.scenario)
        self.add(opening, balances.opening[self.keys, first.index])
        for period in periods:
            if not period.adjusting:
                code = f"{period.code} closing balance"
                closing = Slice("balance", code, f"Closing, {period.title}", self.scenario(period.index))
                self.add(closing, balances.closing[self.keys, period.index])

    def activity(self, period: Period, group: str = "", of: BoolArray | None = None) -> None:
        at, balances, keys = period.index, self.balances, self.keys
        debit = balances.debits[keys, at + 1] - balances.debits[keys, at]
        credit = balances.credits[keys, at + 1] - balances.credits[keys, at]
        count = balances.counts[keys, at + 1] - balances.counts[keys, at]
        amount = {"debits": debit, "credits": credit}.get(self.reading.measure, debit - credit)
        # opening entries count in the period too, but are no activity of it
        count = np.where((debit != 0) | (credit != 0), count, 0)
        if of is not None:
            amount, count = np.where(of, amount, 0), np.where(of, count, 0)
        scenario = self.scenario(at)
        self.add(Slice("period", period.code, period.title, scenario, (at,), ACTIVITY, group), amount, count)

    def opened(self, period: Period, group: str = "", of: BoolArray | None = None) -> None:
        amount = self.balances.opened[self.keys, period.index]
        amount = amount if of is None else np.where(of, amount, 0)
        label, code = f"Opening entries, {period.title}", f"{period.code} opening entries"
        scenario, at = self.scenario(period.index), period.index
        self.add(Slice("opening", code, label, scenario, (at,), OPENING, group), amount)

    def closed(self, year: int, group: str, of: BoolArray) -> None:
        amount = np.where(of, self.balances.closed[self.keys, self.calendar.years.index(year)], 0)
        places = tuple(period.index for period in self.calendar.of_year(year))
        code, scenario = f"FY{year}{CLOSING_ENTRIES}", self.scenario(places[-1])
        self.add(Slice("closing", code, f"Closing entries of FY{year}", scenario, places, CLOSING, group), amount)

    def through(self, at: int, *, whole: bool) -> None:
        """Everything that makes up a balance at a period: former years, then this year's periods one by one."""
        view, calendar = self.computed.view, self.calendar
        carrying = view.frame.carrying()[view.keys.account[self.keys]]
        kept = view.keys.account[self.keys] == view.frame.accounts.index[view.frame.retained_earnings]
        year = calendar.periods[at].year
        for former in (y for y in calendar.years if y < year) if carrying.any() else ():
            self.all_of(former, carrying)
            if kept.any():
                rolled = view.rolled_by_key(self.keys, self.source, calendar.years.index(former))
                code, label = f"FY{former} result", f"Result of FY{former} rolled in"
                last = calendar.of_year(former)[-1].index
                one = Slice("rolled", code, label, self.scenario(last), year=former)
                self.add(one, np.where(kept, rolled, 0))
        for period in calendar.of_year(year):
            if period.index > at:
                break
            self.opened(period)
            if period.index < at or whole:
                self.activity(period)

    def all_of(self, year: int, of: BoolArray) -> None:
        """Everything of a year: its periods, opening and closing entries."""
        group = f"FY{year}"
        for period in self.calendar.of_year(year):
            self.opened(period, group, of)
            self.activity(period, group, of)
        self.closed(year, group, of)


def rolled_pool(pool: Pool, one: Slice) -> Pool:
    """What a year's result that rolled into a pool's keys consisted of: the year of the accounts it rolled from."""
    view, source = pool.computed.view, pool.reading.source
    own = view.in_calendar(source.calendar)
    rolling = own.rolling_into(pool.keys)
    year = pool.calendar.years.index(one.year)
    residual = view.balances_of(source).residual[rolling, year]
    reader = _Slices(pool.computed, pool.column, pool.reading, rolling, residual)
    reader.all_of(one.year, np.ones(len(rolling), dtype=bool))
    reader.add_rest()
    keys, amounts, counts = reader.held()
    into = int(pool.amounts[pool.slices.index(one)].sum())
    slices = tuple(replace(part, group="") for part in reader.slices)
    return replace(
        pool,
        keys=keys,
        slices=slices,
        amounts=amounts,
        counts=counts,
        beyond=into - int(amounts.sum()),
    )
