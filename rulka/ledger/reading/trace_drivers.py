"""What drives a variance, as a level of its trace: drivers, price and volume, when it came, and the largest lines of
both its sides."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from fractions import Fraction
from typing import Any

from rulka.core.definitions.expressions import Value
from rulka.core.definitions.keys import inside_words
from rulka.core.errors import RulkaError
from rulka.core.money import ratio_text
from rulka.core.proof.drivers import Driver, Drivers, drivers_of
from rulka.core.proof.price_volume import PriceVolume, price_volume
from rulka.core.proof.splits import OpenedFigure, sides
from rulka.core.proof.terms import sides_of
from rulka.core.proof.timing import Hint, TimedMonth, Timing, timing_of
from rulka.formats.figures import figure_text
from rulka.ledger.models import Ledger
from rulka.ledger.reading.trace_address import Address
from rulka.ledger.reading.trace_budgets import budget_page
from rulka.ledger.reading.trace_levels import Level
from rulka.ledger.reading.trace_lines import LineQuery, ShownLine, TraceLines
from rulka.ledger.reading.trace_words import text_of

DRIVERS = "drivers"
LARGEST = 5


@dataclass(frozen=True)
class ShownDriver:
    """One driver, or one of its parts (`inner`): text, address that opens it, shares, width of its bar."""

    label: str
    amount: str
    query: str
    width: int
    negative: bool
    favours: bool
    share: str
    so_far: str
    inner: bool = False
    reason: str = ""


@dataclass(frozen=True)
class DriverPart:
    """A part of price, volume and mix."""

    label: str
    amount: str
    negative: bool


@dataclass(frozen=True)
class DriverBar:
    """A period of the drawing, in its own units: the bar of what is shown, the mark of what it is compared with."""

    title: str
    short: str
    x: int
    top: int
    height: int
    mark: int
    inside: bool
    told: str


@dataclass(frozen=True)
class DriverDrawing:
    """When a variance came. Both sides are drawn on one scale; `kinds` are the scenarios of both sides."""

    width: int
    height: int
    base: int
    bars: tuple[DriverBar, ...]
    kinds: tuple[str, str]
    turn: int
    turn_words: str


@dataclass(frozen=True)
class LargestTable:
    """The largest journal lines of a side, or else its largest budget rows, each with its value as it stands there."""

    title: str
    kind: str
    total: Fraction
    count: int
    lines: Sequence[tuple[ShownLine, Fraction]]
    rows: Sequence[tuple[Any, Fraction]]


@dataclass(frozen=True, kw_only=True)
class DriversLevel(Level):
    """What drives a difference: its drivers, price and volume, when it came, the largest lines of both its sides."""

    html = "ledger/_trace_drivers.html"
    level = DRIVERS
    sides: tuple[str, str]
    drivers: Sequence[ShownDriver]
    by_words: str
    rest: str
    others: int
    reached: str
    total: str
    parted: Sequence[DriverPart]
    parted_title: str
    parted_why: str
    parted_total: str
    drawing: DriverDrawing | None
    months: Sequence[Any]
    hints: Sequence[str]
    largest: Sequence[LargestTable]


def _sides_that_drive(opened: OpenedFigure) -> tuple[str, str]:
    """The columns that a difference sets apart; raises RulkaError where nothing can be told to drive it."""
    named = sides(opened)
    if named is None:
        raise RulkaError(
            "Nothing drives it: it is no difference.", hint="Open a difference between two columns.", subject="by"
        )
    if not opened.pools and opened.closed:
        raise RulkaError(
            "Its author closed what is behind it.", hint="Whoever edits the statement can open it.", subject="by"
        )
    if not opened.pools:
        raise RulkaError(
            "What is behind it can't be told apart: it is no sum of what was booked.",
            hint="Open one of the figures that it is made of.",
            subject="by",
        )
    return named


def drivers_level(ledger: Ledger, opened: OpenedFigure, address: Address) -> DriversLevel:
    """The level of a trace that says what drives a difference."""
    named = _sides_that_drive(opened)
    computed = opened.computed
    digits = computed.plan.node_of(computed.column(opened.column_key)).digits
    writer = _Writer(opened, address, digits)
    found, timing, parted = drivers_of(opened), timing_of(opened), price_volume(opened)
    return DriversLevel(
        wide=True,
        sides=named,
        how=writer.compared(),
        drivers=[*writer.drivers(found)],
        by_words=found.by,
        rest=writer.text(found.rest) if found.rest or found.others else "",
        others=found.others,
        reached=f"80 % reached after {len(found.drivers)} of {found.count}" if found.count else "",
        total=writer.text(found.variance),
        agrees=found.agrees and (parted is None or bool(parted.why) or parted.agrees),
        parted=[*writer.parted(parted)] if parted and not parted.why else [],
        parted_title=writer.parted_title(parted) if parted else "",
        parted_why=parted.why if parted else "",
        parted_total=writer.text(parted.value) if parted else "",
        drawing=writer.drawing(timing) if timing.months else None,
        months=[writer.month(month) for month in timing.months],
        hints=[writer.hint(hint) for hint in timing.hints],
        largest=_largest(ledger, opened, named) if address.get("room") else [],
    )


def _largest(ledger: Ledger, opened: OpenedFigure, named: tuple[str, str]) -> list[LargestTable]:
    """The largest journal lines and budget rows of both sides; what of them can't be told shows nothing."""
    kinds = [column.scenario_kind for column in sides_of(opened.computed, opened.column_key) or ()]
    tables = []
    for side in (0, 1):
        lines, budget = None, budget_page(ledger, opened, side)
        try:
            found = TraceLines.of(ledger, opened, LineQuery(sort="-amount"), side)
            if any(pool.asked.pieces for pool in found.pools):
                lines = found.page(1, ("date", "document", "counterparty name", "amount"), size=LARGEST)
        except RulkaError as error:
            if error.code not in ("former", "sealed"):
                raise
        sign = -1 if side else 1  # both sides as they stand there, not as they count
        rows = sorted(budget.rows, key=lambda row: -abs(row.value))[:LARGEST] if budget else []
        total = (lines.total if lines else budget.total if budget else Fraction(0)) * sign
        tables.append(
            LargestTable(
                named[side],
                kinds[side],
                total,
                lines.count if lines else budget.count if budget else 0,
                [(line, line.value * sign) for line in lines.lines] if lines else [],
                [(row, row.value * sign) for row in rows] if not lines else [],
            )
        )
    return tables


class _Writer:
    def __init__(self, opened: OpenedFigure, address: Address, digits: int) -> None:
        self.opened, self.address, self.digits = opened, address, digits
        self.better = self._better()

    def _better(self) -> int:
        """Whether more is better (1), worse (-1) or neither for what was opened."""
        row = self.opened.row
        place = self.opened.computed.place(self.opened.column_key)
        return row.directions[place] if row.directions else 0

    def text(self, value: Value) -> str:
        return text_of(value, self.opened.unit, self.digits)

    def compared(self) -> str:
        """How much of the compared figure the variance is."""
        columns = sides_of(self.opened.computed, self.opened.column_key)
        if columns is None or self.opened.is_narrowed or self.opened.value is None:
            return ""
        base = self.opened.row.values[self.opened.computed.place(columns[1].key)]
        if not base:
            return "nothing to compare with"
        return f"{figure_text(abs(self.opened.value / base) * 100, digits=1)} % of {columns[1].heading}"

    def drivers(self, found: Drivers) -> Iterator[ShownDriver]:
        largest = max((abs(driver.value) for driver in found.drivers), default=Fraction(0)) or Fraction(1)
        so_far = Fraction(0)
        for driver in found.drivers:
            so_far += driver.value
            yield self._driver(driver, largest, found.variance, so_far)
            for part in driver.parts:
                yield self._driver(part, largest, found.variance, None, within=driver)

    def _driver(
        self, driver: Driver, largest: Fraction, whole: Fraction, so_far: Value, *, within: Driver | None = None
    ) -> ShownDriver:
        way = self.address.way if within is None else (*self.address.way, (within.by, within.code))
        opens = not driver.reason
        return ShownDriver(
            driver.label,
            self.text(driver.value),
            self.address.at((*way, (driver.by, driver.code))) if opens else "",
            max(int(abs(driver.value) / largest * 100), 1),
            driver.value < 0,
            driver.value * self.better > 0,
            f"{figure_text(driver.share * 100, digits=0)} %" if driver.share is not None else "",
            f"{figure_text(so_far / whole * 100, digits=0)} %" if so_far is not None and whole else "",
            within is not None,
            driver.reason if driver.reason != "none" else "",
        )

    def parted_title(self, parted: PriceVolume) -> str:
        return f"Price or volume, by {inside_words(parted.unit)}"

    def parted(self, parted: PriceVolume) -> Iterator[DriverPart]:
        rate = parted.total
        if rate is None:
            return
        prices = [abs(price) if price is not None else None for price in (rate.price, rate.compared_price)]
        more = rate.quantity - rate.compared_quantity
        words = "more" if more > 0 else "fewer"
        count = figure_text(abs(more), digits=0) if more else "as many"
        yield self._part(f"Price: {self.text(prices[0])} each for {self.text(prices[1])}", parted.price)
        yield self._part(f"Volume: {count} {inside_words(parted.unit)}{f' {words}' if more else ''}", parted.volume)
        if parted.by:
            yield self._part(f"Mix of {parted.by}", parted.mix)
        if parted.unmeasured:
            yield self._part(f"Without {inside_words(parted.unit)}", parted.unmeasured)

    def _part(self, label: str, value: Fraction) -> DriverPart:
        return DriverPart(label, self.text(value), value < 0)

    def month(self, month: TimedMonth) -> dict[str, Any]:
        return {
            "title": month.title,
            "shown": self.text(month.shown),
            "compared": self.text(month.compared),
            "difference": self.text(month.difference),
            "negative": month.difference < 0,
            "inside": month.inside,
        }

    def hint(self, hint: Hint) -> str:
        """A hint in words."""
        named = f"{hint.account} {hint.label}".strip()
        compared = (sides(self.opened) or ("", ""))[1]
        amount = self.text(abs(hint.other))
        if hint.kind == "last year":
            return f"{named}: the year before had as much in {hint.title}, {amount}; {compared} has not."
        if hint.kind == "ahead":
            return f"{named}: {compared} has {amount} in {hint.title}, which is not booked yet."
        return f"{named}: {compared} has {amount} in {hint.title}, where it was not booked."

    def drawing(self, timing: Timing) -> DriverDrawing:
        """Bars and marks in whole units, on one scale that holds nought."""
        months, step, height, room = timing.months, 60, 120, 12
        sign = -1 if sum((month.shown + month.compared for month in months), Fraction(0)) < 0 else 1
        values = [value * sign for month in months for value in (month.shown, month.compared)]
        most, least = max([*values, Fraction(0)]), min([*values, Fraction(0)])
        span = (most - least) or Fraction(1)

        def place(value: Fraction) -> int:
            return room + int((most - value * sign) / span * height)

        columns = sides_of(self.opened.computed, self.opened.column_key)
        kinds = tuple(column.scenario_kind for column in columns) if columns else ("actual", "budget")
        base = place(Fraction(0))
        bars = []
        for at, month in enumerate(months):
            shown, mark = place(month.shown), place(month.compared)
            told = f"{month.title}: {self.text(month.shown)} and {self.text(month.compared)}"
            top, tall = min(shown, base), max(abs(base - shown), 1)
            bars.append(DriverBar(month.title, month.short, at * step + 12, top, tall, mark, month.inside, told))
        turn = next((at for at, month in enumerate(months) if month.period == timing.turn), -1)
        words = ("up" if timing.is_up else "down") + " from here" if turn >= 0 else ""
        return DriverDrawing(
            max(len(months) * step, 240), height + 2 * room + 18, base, tuple(bars), (kinds[0], kinds[1]),
            turn * step + 3 if turn >= 0 else 0, words,
        )  # fmt: skip


def told_drivers(found: Drivers, text: Any) -> dict[str, Any]:
    """Drivers as plain values, `text` writing their exact amounts."""

    def plain(drivers: Iterable[Driver]) -> list[dict[str, Any]]:
        return [
            {
                "by": driver.by,
                "code": driver.code,
                "label": driver.label,
                "value": text(driver.value),
                "share": None if driver.share is None else ratio_text(driver.share),
                **({"parts": plain(driver.parts)} if driver.parts else {}),
            }
            for driver in drivers
        ]

    return {
        "variance": text(found.variance),
        "by": found.by,
        "drivers": plain(found.drivers),
        "rest": text(found.rest),
    }


def parts_told(parted: PriceVolume | None, text: Any) -> dict[str, Any] | None:
    """Price, volume and mix as plain values; None where the line has no such."""
    if parted is None:
        return None
    if parted.why:
        return {"why": parted.why}
    names: Sequence[str] = ("price", "volume", "mix", "unmeasured")
    return {"unit": parted.unit, **{name: text(getattr(parted, name)) for name in names}}
