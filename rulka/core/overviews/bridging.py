"""Bridges of an overview: from budget or the year before to the actual figure by line or member, through several
subtotals, or what each member adds to the whole."""

from __future__ import annotations

from collections.abc import Sequence
from fractions import Fraction

from rulka.core.compute.rows import Row
from rulka.core.errors import RulkaError
from rulka.core.overviews.definitions import BY_LINE, TileDef
from rulka.core.overviews.reading import OverviewReading, ShownFigure, place_of
from rulka.core.overviews.tiles import TableRow, TileTable
from rulka.core.picturing.bridges import Bridge, Leg, Step, Total

STEPS = {"budget": "gap", "prior": "change"}
"""What a step is by what a bridge begins at."""

Parts = tuple[Total | None, list[Leg]]


def parts_of(tile: TileDef, row: Row, whole: OverviewReading, members: OverviewReading | None, window: str) -> Parts:
    """Where a bridge begins, and its legs; raises RulkaError where there is none to draw."""
    if tile.through:
        return _through(tile, whole, window)
    actual = _total(whole, row, f"{window}-actual", "actual")
    if tile.by == BY_LINE:
        if tile.begins == "nothing":
            raise RulkaError(
                "What lines add up to is told by a bridge through subtotals.", hint="Name them in 'through'."
            )
        steps = _line_steps(tile, row, whole, f"{window}-{STEPS[tile.begins]}")
    else:
        assert members is not None  # a tile by members is read with them
        of = STEPS.get(tile.begins, "actual")
        steps = [
            Step(shown.key, member.name, shown.value, shown.good)
            for member in members.members()
            if (shown := members.shown(row, member.key(of))).value is not None
        ]
    if tile.begins == "nothing":
        return None, [Leg(tuple(steps), actual)]
    start = _total(whole, row, f"{window}-{tile.begins}", "budget" if tile.begins == "budget" else "prior")
    return start, [Leg(tuple(steps), actual)]


def _total(reading: OverviewReading, row: Row, key: str, scenario: str) -> Total:
    """A row in a column as a total."""
    shown, column = reading.shown(row, key), reading.column(key)
    if shown.value is None:
        raise RulkaError(
            f"{row.label} has no {'budget' if scenario == 'budget' else 'figure'} to draw a bridge from or to.",
            hint="Choose another line, or another time.",
        )
    names = {
        "budget": "Budget",
        "prior": "Year before",
        "actual": "Outlook" if column and column.asked.then else "Actual",
    }
    return Total(shown.key, names[scenario], shown.value, scenario)  # type: ignore[arg-type]


def _line_steps(tile: TileDef, row: Row, whole: OverviewReading, key: str) -> list[Step]:
    """What each line of accounts below a row adds to a difference."""
    parts = whole.made_of(row, key) if whole.column(key) else None
    if parts is None:
        raise RulkaError(
            f"{row.label} does more than add lines up, so no line has a step of its own.",
            hint="Choose a line that adds up, or a bridge by member.",
        )
    return _steps(parts, whole, key)


def _steps(parts: dict[str, Fraction], whole: OverviewReading, key: str) -> list[Step]:
    found = []
    rows = whole.computed.rows_by_key
    for line, factor in parts.items():
        own = whole.computed.line(line)
        row = rows.get(line)
        value = whole.computed.cells[line][whole.computed.place(key)]
        if not factor or value is None:
            continue
        shown = whole.shown(row, key) if row is not None else ShownFigure(value, "", "", "")
        found.append(Step(shown.key if row is not None else "", own.label, factor * value, shown.good))
    return found


def _through(tile: TileDef, whole: OverviewReading, window: str) -> Parts:
    """From the first subtotal through the others to the last: the lines between each two."""
    key = f"{window}-actual"
    rows = [whole.row(line) for line in tile.through]
    names = [line.title for line in tile.through]
    made = [whole.made_of(row, key) for row in rows]
    totals = []
    for row, name in zip(rows, names, strict=True):
        total = _total(whole, row, key, "actual")
        totals.append(Total(total.key, name, total.value, "actual"))
    legs = []
    for place in range(1, len(rows)):
        before, after = made[place - 1], made[place]
        if before is None or after is None:
            label = rows[place if after is None else place - 1].label
            raise RulkaError(f"{label} does more than add lines up.", hint="Choose another subtotal.")
        between = {line: after.get(line, Fraction(0)) - before.get(line, Fraction(0)) for line in {**before, **after}}
        legs.append(Leg(tuple(_signed(_steps(between, whole, key))), totals[place]))
    return totals[0], legs


def _signed(steps: Sequence[Step]) -> list[Step]:
    """Steps on the way to a result: what adds to it helps, what takes from it does not."""
    return [Step(step.key, step.label, step.value, step.value > 0) for step in steps]


def bridge_table(made: Bridge, write: Sequence[str], corner: str) -> TileTable:
    """The bars of a bridge as rows, with their figures as they are written."""
    names = {"together": "{} others", "rest": "Not in the steps"}
    rows = []
    for bar, text in zip(made.bars, write, strict=True):
        name = names.get(bar.kind, bar.label).format(len(bar.together))
        source, row, column = place_of(bar.key)
        rows.append(TableRow(name, (ShownFigure(bar.value, text, row, column, bar.favourable, source),)))
    return TileTable(corner, ("Amount",), tuple(rows))
