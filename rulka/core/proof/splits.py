"""A figure opened along a way, and split in any direction: every split's parts add up to the figure it splits."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, field, replace
from fractions import Fraction
from typing import Any

import numpy as np

from rulka.core.books.chart import BoolArray, CodeList, IntArray
from rulka.core.books.fence import FIGURES_ONLY
from rulka.core.books.narrowing import codes_of
from rulka.core.compute.columns import Column
from rulka.core.compute.computed import Computed
from rulka.core.compute.readings import FLOWS
from rulka.core.compute.rows import Row
from rulka.core.definitions.expressions import Value
from rulka.core.definitions.spines import LineDef
from rulka.core.errors import NotFound, RulkaError, one_of
from rulka.core.proof.pools import CLOSING_ENTRIES, Pool, closed_value, pools_of, rolled_pool
from rulka.core.proof.terms import Term, lines_of, sides_of, terms_of

Step = tuple[str, str]
"""A direction and the code of the part that was gone into."""

OF_STATEMENT = ("row", "column")
"""Steps that go on to another figure of the statement: a line of a total, a side of a difference."""

KEYED = ("account", "entity", "partner")
TEXTS = ("counterparty", "source", "document", "user")
"""What only journal lines carry."""

ITSELF = "="
"""Before a code: what it holds itself, without those below it."""

TOGETHER, UNKNOWN = -2, -3
"""Places among codes: of what a seal sums over them, and of a code that doesn't exist."""

REASONS = {
    "sealed": "Sealed detail",
    "closed": "Closed by the statement's author",
    "beyond": "Outside of what you may see",
    "rolled": "Results of former years rolled in",
    "planned": "A plan: held by account and period only",
    "translation": "Translated at another rate",
    "balance": "Balances that the mean is of",
    "rest": "Not told apart",
    "hidden": "It has no row of its own",
}
"""Why a part of a figure can't be told apart in a direction."""


@dataclass(frozen=True)
class SplitPart:
    """One part of a figure, in presented sign and major units; `sides` are the two sides of a difference.

    `code` is what a step into it says; parts with a `reason` can't be gone into. `has_below` says that others stand
    below it in its hierarchy; `lines` counts journal lines, 0 where that isn't known.
    """

    code: str
    label: str
    value: Fraction
    sides: tuple[Fraction, Fraction] = (Fraction(0), Fraction(0))
    reason: str = ""
    has_below: bool = False
    lines: int = 0


@dataclass(frozen=True)
class Split:
    """A figure by a direction; `agrees` says that the parts add up to it."""

    by: str
    value: Value
    parts: tuple[SplitPart, ...]

    @property
    def total(self) -> Fraction:
        return sum((part.value for part in self.parts), Fraction(0))

    @property
    def agrees(self) -> bool:
        return self.total == self.value


@dataclass(frozen=True, eq=False)
class OpenedFigure:
    """A figure and the way taken into it: `row` and `column` are where the way last stood on the statement, `steps` the
    ones since, with their labels. `pools` is None where the figure is no sum of ledger figures."""

    computed: Computed
    row: Row
    column_key: str
    value: Value
    pools: tuple[Pool, ...] | None
    closed: tuple[Term, ...]
    steps: tuple[tuple[Step, str], ...]

    @property
    def way(self) -> tuple[Step, ...]:
        return tuple(step for step, _ in self.steps)

    @property
    def is_narrowed(self) -> bool:
        return any(direction not in OF_STATEMENT for direction, _ in self.way)

    @property
    def total(self) -> Fraction:
        """What its pools and closed terms add up to."""
        pools = sum((pool.value for pool in self.pools or ()), Fraction(0))
        return pools + sum((closed_value(self.computed, term) for term in self.closed), Fraction(0))

    @property
    def unit(self) -> str:
        """What the figure counts: money, quantity, percent, ratio, rate or plain."""
        column = self.computed.column(self.column_key)
        if column.kind in ("percent", "share"):
            return "percent"
        return "quantity" if column.shows_quantities and self.row.unit == "money" else self.row.unit


# opening ------------------------------------------------------------------------------------------------------------


def open_figure(computed: Computed, row: str, column: str, way: Sequence[Step] = ()) -> OpenedFigure:
    """Open a figure along a way; raises NotFound for steps that lead nowhere, RulkaError for what is sealed."""
    opened = _figure(computed, row, column, ())
    for direction, code in way:
        opened = step_into(opened, direction, code)
    return opened


def openable(computed: Computed, row_key: str, column_key: str) -> tuple[Row, Column]:
    """The row and column of a figure that may be opened; raises NotFound where there is none, RulkaError where the
    fence or a seal keeps it shut. Whatever opens a figure asks here first."""
    if not computed.view.fence.opens_figures:
        raise RulkaError(FIGURES_ONLY, hint="Ask an administrator if you need to get deeper.", code="depth")
    row, column = computed.row(row_key), computed.column(column_key)
    if column.kind == "text":
        raise NotFound(
            f"Column {column.heading or column.key} shows words, no figures.",
            hint="Open a figure in another column.",
            subject="column",
        )
    if not row.has_figures:
        raise NotFound(f"{row.label} shows no figures.", hint="Open a line below it.", subject="line")
    if computed.place(column.key) in row.sealed_at:
        raise RulkaError(
            f"{row.label} is sealed here: it would tell apart what shows together only.",
            hint="Whoever may open the seal sees it; a column that is cut less finely shows it to all.",
            subject="trace",
            code="sealed",
        )
    return row, column


def _figure(computed: Computed, row_key: str, column_key: str, steps: tuple[tuple[Step, str], ...]) -> OpenedFigure:
    row, column = openable(computed, row_key, column_key)
    place = computed.place(column.key)
    terms = None if row.sealed else terms_of(computed, row.key, column.key)
    pools = None if terms is None else pools_of(computed, terms)
    closed = tuple(term for term in terms or () if term.is_closed)
    return OpenedFigure(computed, row, column.key, row.values[place], pools, closed, steps)


def step_into(opened: OpenedFigure, direction: str, code: str) -> OpenedFigure:
    """Go one step further."""
    computed = opened.computed
    if direction in OF_STATEMENT:
        if opened.is_narrowed and direction == "row":
            raise NotFound("A line can't be chosen behind an account.", hint="Go back a step.", subject="trace")
        row = code if direction == "row" else opened.row.key
        column = code if direction == "column" else opened.column_key
        steps = (*opened.steps, ((direction, code), _statement_label(computed, direction, code)))
        found = _figure(computed, row, column, steps)
        for (former, of), _ in opened.steps:
            if former not in OF_STATEMENT:
                found = _narrowed(found, former, of, steps)
        return found
    label = _label(opened, direction, code)
    return _narrowed(opened, direction, code, (*opened.steps, ((direction, code), label)))


def _statement_label(computed: Computed, direction: str, code: str) -> str:
    if direction == "row":
        return computed.row(code).label
    column = computed.column(code)
    return ", ".join(dict.fromkeys(filter(None, (column.heading, column.group))))


def _narrowed(opened: OpenedFigure, direction: str, code: str, steps: tuple[tuple[Step, str], ...]) -> OpenedFigure:
    if opened.pools is None:
        raise NotFound(
            f"{opened.row.label} can't be split by {direction} here.",
            hint="Open one of the figures that it is made of.",
            subject="trace",
        )
    pools = tuple(one for pool in opened.pools for one in _pools_into(pool, direction, code))
    if not pools:
        raise NotFound(f"Nothing of {direction} '{code[:40]}' stands here.", hint="Go back a step.", subject="trace")
    value = sum((pool.value for pool in pools), Fraction(0))
    return OpenedFigure(opened.computed, opened.row, opened.column_key, value, pools, (), steps)


def _pools_into(pool: Pool, direction: str, code: str) -> list[Pool]:
    if direction == "period":
        return _of_period(pool, code)
    if direction in TEXTS:
        narrowed = pool.of_texts(direction, (code,))
        return [narrowed] if narrowed.counts.any() else []
    chosen = _key_mask(pool, direction, code)
    return [pool.of_keys(chosen)] if chosen.any() else []


def _of_period(pool: Pool, code: str) -> list[Pool]:
    inside = [at for at, one in enumerate(pool.slices) if code in (one.code, one.group)]
    if len(inside) == 1 and pool.slices[inside[0]].kind == "rolled":
        return [rolled_pool(pool, pool.slices[inside[0]])]
    if not inside:
        return []
    return [pool.of_slices(inside, [replace(pool.slices[at], group="") for at in inside])]


def _codes(pool: Pool, direction: str) -> CodeList:
    return codes_of(direction, pool.computed.view.frame)


def places_of(pool: Pool, direction: str) -> IntArray:
    """By key its place among the codes of a direction; -1 where it has none, `TOGETHER` where a seal shows it summed
    over them."""
    keys = pool.computed.view.keys
    if direction == "account":
        return keys.account[pool.keys]
    if direction == "entity":
        return keys.entity[pool.keys]
    if direction == "partner":
        found = keys.partner[pool.keys]
    else:
        found = keys.members[pool.keys, list(pool.computed.view.frame.dimensions).index(direction)]
    return np.where(_together(pool, direction), TOGETHER, found)


def _together(pool: Pool, direction: str) -> BoolArray:
    """Mask of a pool's keys that a seal doesn't tell apart by a direction: those of sealed accounts, and the balances
    of accounts that hold results of such."""
    view = pool.computed.view
    if view.seal is None or direction in view.seal.grain:
        return np.zeros(len(pool.keys), dtype=bool)
    accounts = view.sealed if pool.measure in FLOWS else view.coarse
    return accounts[view.keys.account[pool.keys]]


def _key_mask(pool: Pool, direction: str, code: str) -> BoolArray:
    codes, of_key = _codes(pool, direction), places_of(pool, direction)
    if code in codes.index and direction not in KEYED:
        within: BoolArray = np.isin(of_key, codes.below[code])
        return within
    own: BoolArray = of_key == codes.index.get(code, codes.index.get(code.removeprefix(ITSELF), UNKNOWN))
    return own


def _label(opened: OpenedFigure, direction: str, code: str) -> str:
    frame = opened.computed.view.frame
    if direction == "period":
        slices = [one for pool in opened.pools or () for one in pool.slices]
        return next((one.label for one in slices if one.code == code), f"All of {code}")
    if direction in TEXTS:
        called = _called(opened, code) if direction == "counterparty" and code else ""
        return f"{code} {called}".strip() if code else NO_TEXT[direction]
    known = (*KEYED, *frame.dimensions)
    if direction not in known:
        raise NotFound(
            f"'{direction}' is no direction of a trace.",
            hint=one_of(direction, [*known, "period", *TEXTS]),
            subject="trace",
        )
    codes = codes_of(direction, frame)
    plain = code if code in codes.index else code.removeprefix(ITSELF)
    if plain not in codes.index:
        raise NotFound(f"{direction.capitalize()} '{code[:40]}' does not exist.", subject="trace")
    item = codes[plain]
    label = f"No {direction}" if plain == "-" else f"{item.code} {item.name}".strip()
    return label if plain == code else f"{label}, itself"


def _called(opened: OpenedFigure, code: str) -> str:
    """What a counterparty of a figure's lines is called."""
    for pool in opened.pools or ():
        texts = (*pool.texts, ("counterparty", (code,)))
        if found := pool.lines(("counterparty",), by_key=False, texts=texts).names.get(code):
            return found
    return ""


NO_TEXT = {
    "counterparty": "No counterparty",
    "source": "No source",
    "document": "No document",
    "user": "Nobody named",
}


# directions ---------------------------------------------------------------------------------------------------------


def directions(opened: OpenedFigure) -> list[str]:
    """The directions in which a figure can be split, in the order in which people think of them; `line` is the journal
    and budget lines themselves."""
    pools, frame = opened.pools, opened.computed.view.frame
    if not pools:
        return []
    taken = {direction for direction, _ in _since_rolled(opened.way)}
    by_line = any(pool.has_lines(one) for pool in pools for one in pool.slices)
    entities = {int(place) for pool in pools for place in places_of(pool, "entity")}
    partners = any((places_of(pool, "partner") >= 0).any() for pool in pools)
    found = [*(["entity"] if len(entities) > 1 else []), "account", "period", *frame.dimensions]
    found += ["partner"] if partners else []
    found += TEXTS[:3] if by_line else []
    at_last = {"account", "partner", *TEXTS} & taken
    at_last |= {
        name for name, code in opened.way if name in frame.dimensions and _is_lowest(frame.dimensions[name], code)
    }
    return [name for name in found if name not in at_last] + ["line"]


def _is_lowest(codes: CodeList, code: str) -> bool:
    """Whether nothing stands below a member, or what it holds itself is meant."""
    return code not in codes.index or len(codes.below[code]) == 1


def _since_rolled(way: tuple[Step, ...]) -> tuple[Step, ...]:
    """The steps since a way went into a year's result that rolled: that consists of other accounts."""
    rolled = [at for at, (direction, code) in enumerate(way) if direction == "period" and code.endswith(" result")]
    return way[rolled[-1] + 1 :] if rolled else way


def next_direction(opened: OpenedFigure) -> str:
    """The direction that is shown where none was chosen: the first that tells anything apart."""
    offered = directions(opened)
    if not any(len(pool.keys) for pool in opened.pools or ()):
        return "account" if offered else ""
    for name in ("entity", "account", "period"):
        if name in offered and len(_told_apart(opened, name)) > 1:
            return name
    return "line"


def _told_apart(opened: OpenedFigure, by: str) -> list[SplitPart]:
    return [part for part in split(opened, by).parts if not part.reason]


# splitting ----------------------------------------------------------------------------------------------------------


@dataclass
class _Tally:
    """Sums by code and side."""

    values: dict[str, list[Fraction]] = field(default_factory=dict)
    labels: dict[str, str] = field(default_factory=dict)
    reasons: dict[str, str] = field(default_factory=dict)
    below: set[str] = field(default_factory=set)
    lines: dict[str, int] = field(default_factory=dict)

    def add(self, code: str, label: str, value: Fraction, side: int, lines: int = 0) -> None:
        sides = self.values.setdefault(code, [Fraction(0), Fraction(0)])
        sides[side] += value
        self.labels.setdefault(code, label)
        self.lines[code] = self.lines.get(code, 0) + lines

    def because(self, reason: str, value: Fraction, side: int) -> None:
        """A part that can't be told apart; nothing where it is nothing."""
        if value:
            self.add(f"\0{reason}", REASONS[reason], value, side)
            self.reasons[f"\0{reason}"] = reason

    def parts(self, order: Callable[[SplitPart], tuple[Any, ...]] | None = None) -> tuple[SplitPart, ...]:
        found = [
            SplitPart(
                "" if code in self.reasons else code,
                self.labels[code],
                sides[0] + sides[1],
                (sides[0], sides[1]),
                self.reasons.get(code, ""),
                code in self.below,
                self.lines[code],
            )
            for code, sides in self.values.items()
        ]
        if order is not None:
            found.sort(key=order)
        return tuple(sorted(found, key=lambda part: bool(part.reason)))


def split(opened: OpenedFigure, by: str, *, lowest: bool = False) -> Split:
    """A figure by a direction; raises NotFound where it can't be split so. `lowest` tells all members of a hierarchy
    apart, not only those below the head where the way stands."""
    if opened.pools is None:
        raise NotFound(
            f"{opened.row.label} can't be split by {by} here.",
            hint="Open one of the figures that it is made of.",
            subject="trace",
        )
    tally = _Tally()
    order: Callable[[SplitPart], tuple[Any, ...]] | None = None
    if by == "period":
        _by_period(opened.pools, tally)
    elif by in TEXTS:
        _by_text(opened.pools, by, tally)
        order = _largest
    else:
        _known(opened, by)
        _by_key(opened, by, tally, lowest=lowest)
        order = _by_code
    for term in opened.closed:
        tally.because("closed", closed_value(opened.computed, term), term.side)
    for pool in opened.pools:
        tally.because("beyond", pool.factor * pool.beyond, pool.side)
    return Split(by, opened.value, tally.parts(order))


def _known(opened: OpenedFigure, by: str) -> None:
    known = [*KEYED, *opened.computed.view.frame.dimensions, "period", *TEXTS]
    if by not in known:
        raise NotFound(f"'{by}' is no direction of a trace.", hint=one_of(by, known), subject="trace")


def _largest(part: SplitPart) -> tuple[Any, ...]:
    return (-abs(part.value), part.code)


def _by_code(part: SplitPart) -> tuple[Any, ...]:
    return (part.code.removeprefix(ITSELF), part.code)


def _by_period(pools: Iterable[Pool], tally: _Tally) -> None:
    amounts: dict[str, list[tuple[Fraction, int, int]]] = {}
    for pool in pools:
        for at, one in enumerate(pool.slices):
            value = pool.factor * _plain(pool.amounts[at].sum())
            counts = int(pool.counts[at].sum())
            if not value and not counts:
                continue
            if one.kind in ("translation", "rest"):
                tally.because(one.kind, value, pool.side)
                continue
            code = one.group or one.code
            label = f"All of {one.group}" if one.group else one.label
            tally.labels.setdefault(code, label)
            amounts.setdefault(code, []).append((value, pool.side, counts))
            if one.group or one.kind == "rolled":
                tally.below.add(code)
    for code in sorted(amounts, key=_in_time):
        for value, side, counts in amounts[code]:
            tally.add(code, tally.labels[code], value, side, counts)


def _in_time(code: str) -> tuple[str, int, str]:
    """Years before their periods, opening entries before a period's activity, closing entries after their year."""
    plain = code.removeprefix("FY")
    when = f"{plain[:4]}-end" if code.endswith(CLOSING_ENTRIES) else plain[:8]
    return (when, 0 if "opening" in code else 1, code)


def _by_key(opened: OpenedFigure, by: str, tally: _Tally, *, lowest: bool = False) -> None:
    codes: CodeList = codes_of(by, opened.computed.view.frame)
    flat = by in ("account", "entity", "partner")
    present = {int(place) for pool in opened.pools or () for place in places_of(pool, by) if place >= 0}
    head = "" if flat or lowest else _innermost(opened, by, codes, present)
    for pool in opened.pools or ():
        of_key = places_of(pool, by)
        sums, counts = pool.amounts.sum(axis=0), pool.counts.sum(axis=0)
        for place in np.unique(of_key):
            mine = of_key == place
            value, lines = pool.factor * _plain(sums[mine].sum()), int(counts[mine].sum())
            if place == TOGETHER or (place < 0 and by != "partner"):
                tally.because("sealed", value, pool.side)
                continue
            if place < 0:
                tally.add("", "No partner", value, pool.side, lines)
                tally.reasons[""] = "none"
                continue
            own = codes.items[place].code
            if lowest and not flat:
                code = own if len(codes.below[own]) == 1 else ITSELF + own
            else:
                code = own if flat else _below(codes, int(place), head)
            tally.add(code, _named(codes, by, code), value, pool.side, lines)
            if not flat and code in codes.index and len(codes.below[code]) > 1:
                tally.below.add(code)


def _plain(value: Any) -> Fraction:
    """A sum of numpy's as a fraction; object arrays hold such already."""
    return value if isinstance(value, Fraction) else Fraction(int(value))


def _named(codes: CodeList, by: str, code: str) -> str:
    plain = code if code in codes.index else code.removeprefix(ITSELF)
    item = codes[plain]
    label = f"No {by}" if plain == "-" else f"{item.code} {item.name}".strip()
    return label if plain == code else f"{label}, itself"


def _innermost(opened: OpenedFigure, by: str, codes: CodeList, present: set[int]) -> str:
    """The head below which a hierarchy is opened: where the way stands, and on down while all stands below one part."""
    head = next((code for direction, code in reversed(opened.way) if direction == by), "")
    if head and head not in codes.index:
        return head
    while True:
        tops = {_below(codes, place, head) for place in present}
        if len(tops) != 1:
            return head
        (only,) = tops
        if only not in codes.index or len(codes.below[only]) == 1:
            return head
        head = only


def _below(codes: CodeList, place: int, head: str) -> str:
    """The code just below a head that something stands under; the head itself, marked, for its own."""
    item = codes.items[place]
    if head and (item.code == head or head not in codes.index):
        return item.code if len(codes.below[item.code]) == 1 else ITSELF + item.code
    code = item
    seen = {item.code}
    while code.parent and code.parent != head and code.parent in codes.index and code.parent not in seen:
        seen.add(code.parent)
        code = codes[code.parent]
    return code.code


def _by_text(pools: Iterable[Pool], by: str, tally: _Tally) -> None:
    for pool in pools:
        told = _told(pool, by, tally)
        _untold(pool, pool.value - pool.factor * pool.beyond - told, tally)


def _told(pool: Pool, by: str, tally: _Tally) -> Fraction:
    """Add up the lines of a pool by a text; what they come to in all."""
    if not any(pool.has_lines(one) for one in pool.slices):
        return Fraction(0)
    sums = pool.lines((by,), by_key=pool.is_translated)
    amounts = pool.amount_of(sums.debit, sums.credit)
    if pool.is_translated and len(amounts):
        at, key = pool.placed(sums)
        amounts = amounts.astype(object) * pool.ratios()[at, key]
    told = Fraction(0)
    for text, amount, count in zip(sums.texts[by], amounts.tolist(), sums.count.tolist(), strict=True):
        value = pool.factor * Fraction(amount)
        told += value
        label = f"{text} {sums.names.get(text, '')}".strip() if text else NO_TEXT[by]
        tally.add(text, label, value, pool.side, count)
    return told


def _untold(pool: Pool, rest: Fraction, tally: _Tally) -> None:
    """What of a pool has no lines, by why that is."""
    if not rest:
        return
    sealed = pool.computed.view.sealed_keys[pool.keys]
    for at, one in enumerate(pool.slices):
        amounts = pool.amounts[at]
        if pool.has_lines(one):
            value = pool.factor * _plain(amounts[sealed].sum())
            reason = "sealed"
        else:
            value = pool.factor * _plain(amounts.sum())
            reason = one.kind if one.kind in REASONS else "planned"
        tally.because(reason, value, pool.side)
        rest -= value
    tally.because("translation" if pool.is_translated else "rest", rest, pool.side)


def statement_split(opened: OpenedFigure) -> Split | None:
    """A total or calculation by the lines of the statement that it adds up; None where it is none, or its way left the
    statement."""
    computed = opened.computed
    lines = lines_of(computed, opened.row.key, opened.column_key)
    if lines is None or opened.is_narrowed or opened.value is None or opened.row.sealed:
        return None
    place, found = computed.place(opened.column_key), list[SplitPart]()
    asked = sides_of(computed, opened.column_key)
    two = [computed.place(column.key) for column in asked] if asked else []
    for line, factor in lines:
        for key, label in _rows_of(computed, line):
            value = computed.cells[key][place]
            if value is None:
                return None
            of_sides = [(computed.cells[key][at] or Fraction(0)) * factor for at in two] or [
                value * factor,
                Fraction(0),
            ]
            first, second = of_sides[0], -of_sides[1]
            row = _row_of(computed, key)
            found.append(
                SplitPart(row, label, value * factor, (first, second), "" if row else "hidden", row.endswith(".total"))
            )
    return Split("part", opened.value, tuple(found))


def _rows_of(computed: Computed, line: LineDef) -> list[tuple[str, str]]:
    """What of a line shows on the statement, as keys of its cells with their labels; of an expanding line its outermost
    rows."""
    if line.kind == "section":
        return [(line.key, line.total or line.label)]
    rows = [row for row in computed.rows if row.line == line.key] if line.expand else []
    if not rows:
        return [(line.key, line.label)]
    depth = min(row.depth for row in rows)
    return [(row.key, row.label) for row in rows if row.depth == depth]


def _row_of(computed: Computed, key: str) -> str:
    """The row that shows a line, '' where none does."""
    for name in (f"{key}.total", key):
        row = computed.rows_by_key.get(name)
        if row is not None and row.has_figures:
            return name
    return ""


def sides(opened: OpenedFigure) -> tuple[str, str] | None:
    """What the two sides of a difference are called, with what stands above them where that tells them apart; None
    where the figure has none."""
    found = sides_of(opened.computed, opened.column_key)
    if found is None:
        return None
    first, second = found
    if first.group == second.group and first.heading != second.heading:
        return first.heading, second.heading
    return _side(first.heading, first.group), _side(second.heading, second.group)


def _side(heading: str, group: str) -> str:
    return ", ".join(dict.fromkeys(filter(None, (heading, group))))
