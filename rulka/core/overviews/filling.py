"""Tiles filled: from lines of computed statements to tables and drawings of one window, or of all three side by
side."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from fractions import Fraction
from typing import Final, Protocol

from rulka.core.books.overview import spark_points
from rulka.core.compute.columns import Column
from rulka.core.compute.rows import Row
from rulka.core.definitions.expressions import Value
from rulka.core.errors import RulkaError
from rulka.core.money import round_half_away
from rulka.core.overviews.bridging import bridge_table, parts_of
from rulka.core.overviews.columns import Scenarios
from rulka.core.overviews.definitions import BY_CHILD, BY_LINE, LineRef, TileDef, Window
from rulka.core.overviews.reading import NOTHING, OverviewMember, OverviewReading, ShownFigure, mark_key, place_of
from rulka.core.overviews.tiles import Strip, StripRow, StripWindow, TableRow, TileContent, TilePicture, TileTable
from rulka.core.picturing.bridge_drawing import bridge_drawing, fitting
from rulka.core.picturing.cell_drawing import cell_drawing
from rulka.core.picturing.column_drawing import DrawnMonth, column_drawing, month_scale
from rulka.core.picturing.drawings import Tone
from rulka.core.picturing.ranked_drawing import Contributor, by_weight, ranked_drawing, summed

PAGE: Final = 1236
"""How many pixels a page is wide that drawings are made for."""

PADDING: Final = 28
BRIDGE_HIGH, TREND_HIGH, SMALL_HIGH = 196, 176, 150
SMALL: Final = 128
"""The width of one of several small drawings."""

LEAST_RANKED: Final = 240
"""The least width of names, bars and figures side by side."""

SEALED: Final = "sealed"
READABLE: Final = 4
"""How many times larger than the smallest the largest of several drawings on one scale may be."""

CELL: Final = 96
BESIDE_GAP: Final = 20


class TileReadings(Protocol):
    """What an overview reads of a statement."""

    @property
    def known(self) -> Scenarios:
        """What figures are measured against."""

    def whole(self, statement: str) -> OverviewReading:
        """Its lines in the columns of a whole."""

    def members(self, statement: str, by: str, window: Window) -> OverviewReading:
        """Its lines for each member in a window."""

    def months(
        self, statement: str, by: str, members: Sequence[OverviewMember]
    ) -> Callable[[OverviewMember], tuple[OverviewReading, str]]:
        """Its lines for the last twelve months of some members: by member the reading and what its keys begin with."""

    def window_title(self, window: Window) -> str:
        """What time a window shows."""

    def node_of(self, by: str, code: str) -> str:
        """The node that a member is, where the overview can be opened for it."""


@dataclass(frozen=True)
class TileQuestion:
    """What of a page is looked at: which windows, and which line is chosen for it."""

    windows: tuple[Window, ...]
    chosen: LineRef | None
    among: Mapping[str, Sequence[Fraction]] = field(default_factory=dict)
    """By kind of tile the figures that others of its kind on the page show, where they share one scale."""


def pixels(tile: TileDef) -> int:
    """How many pixels a tile's drawings may take across."""
    return PAGE * tile.wide // 12 - PADDING


def strip(tile: TileDef, readings: TileReadings, asked: TileQuestion) -> Strip:
    """Key figures, one line each; RulkaError where the year is asked for and can't be added up."""
    _required_year(readings, asked)
    rows = []
    for line in tile.lines:
        reading = readings.whole(line.statement)
        rows.append(_strip_row(line, reading.row(line), reading, asked.windows))
    titles = tuple(readings.window_title(window) for window in asked.windows)
    return Strip(tuple(rows), titles, has_budget=bool(readings.known.budget), has_outlook=bool(readings.known.forecast))


def _required_year(readings: TileReadings, asked: TileQuestion) -> None:
    """Refuse the year as a whole where it can't be added up."""
    if "year" in asked.windows and readings.known.no_year:
        raise RulkaError(readings.known.no_year, hint="Load it, or look at the month or the year to date.")


def _strip_row(line: LineRef, row: Row, reading: OverviewReading, windows: Sequence[Window]) -> StripRow:
    plans = row.unit in ("money", "quantity")

    def planned(key: str) -> ShownFigure:
        return reading.shown(row, key) if line.planned else NOTHING

    made = []
    for window in windows:
        ahead = window == "year" and reading.column("coming") is not None
        actual = planned("year-actual") if ahead else reading.shown(row, f"{window}-actual")
        budget, prior = planned(f"{window}-budget"), reading.shown(row, f"{window}-prior")
        said = {"actual": f"{line.title}: {actual.text}", "budget": f"Budget: {budget.text}",
                "prior": f"Year before: {prior.text}"}  # fmt: skip
        bar = cell_drawing(actual.value, budget.value, prior.value, CELL, said)  # type: ignore[arg-type]
        made.append(
            StripWindow(
                window,
                actual,
                bar,
                budget,
                planned(f"{window}-gap"),
                planned(f"{window}-gap-part"),
                prior,
                reading.shown(row, f"{window}-change") if not ahead or line.planned else NOTHING,
                reading.shown(row, f"{window}-change-part") if not ahead or line.planned else NOTHING,
            )
        )
    outlook = planned("year-actual") if reading.column("coming") is not None else NOTHING
    return StripRow(
        line,
        _trend(row, reading),
        tuple(made),
        outlook,
        planned("reached") if plans else NOTHING,
        replace(planned("left"), good=None) if plans else NOTHING,
    )


def _trend(row: Row, reading: OverviewReading) -> str:
    """The last twelve months as points of a small line; nothing where one of them has no value."""
    values = [row.values[reading.computed.place(column.key)] for column in reading.run()]
    if len(values) < 2 or None in values:
        return ""
    return spark_points(tuple(round_half_away(value, 2) for value in values if value is not None))


def content(tile: TileDef, readings: TileReadings, asked: TileQuestion) -> TileContent:
    """A drawn tile; raises RulkaError where it can't show what it should."""
    line = tile.through[-1] if tile.through else tile.line or asked.chosen
    if line is None:
        raise RulkaError("No line is chosen.", hint="Choose one above.", subject=f"tile {tile.key}")
    if tile.kind in ("bridge", "ranked"):
        _required_year(readings, asked)
    drawn = {"bridge": _bridges, "trend": _trend_tile, "multiples": _multiples, "ranked": _ranked}[tile.kind]
    return drawn(tile, line, readings, asked)


def _named(tile: TileDef, line: LineRef, words: str) -> str:
    return tile.title or f"{line.title}{words}"


# bridges --------------------------------------------------------------------------------------------------------------


def _bridges(tile: TileDef, line: LineRef, readings: TileReadings, asked: TileQuestion) -> TileContent:
    whole = readings.whole(line.statement)
    row = whole.row(line)
    if tile.begins == "budget" and not tile.through and not readings.known.budget:
        raise RulkaError("The ledger has no budget.", hint="Let the bridge begin at the year before.")
    pictures, tables, notes = list[TilePicture](), list[TileTable](), list[str]()
    several = len(asked.windows) > 1
    room = pixels(tile)
    for window in asked.windows:
        members = readings.members(line.statement, tile.by, window) if tile.by != BY_LINE else None
        start, legs = parts_of(tile, row, whole, members, window)
        write = whole.texts(row, f"{window}-actual")
        part = (room - BESIDE_GAP * 2) // 3 if several else room
        made = fitting(start, legs, part, write) or fitting(start, legs, room, write)
        wide = part if made is not None and fitting(start, legs, part, write) is not None else room
        if made is None:
            raise RulkaError("The bridge has no room here.", hint="Make the tile wider.")
        if members is not None and any(
            members.shown(row, member.key("actual")).text == SEALED for member in members.members()
        ):
            notes.append("what is sealed has no step of its own")
        title = readings.window_title(window) if several else ""
        drawing = bridge_drawing(made, (wide, BRIDGE_HIGH), write)
        pictures.append(TilePicture(drawing, title))
        tables.append(bridge_table(made, [write(bar.value) for bar in made.bars], title or line.title))
        notes += drawing.notes
        if (made.most_favourable, made.least_favourable) != (None, None):
            notes.append("the largest on either side in bold")
        if made.rest and members is not None:
            notes.append(f"{write(made.rest)} belongs to none of them: what stands between them, or to no {tile.by}")
    if several:
        notes.append("each on a scale of its own")
    words = {"budget": ", budget to actual", "prior": ", year before to actual", "nothing": ", who adds what"}
    about = "" if several else readings.window_title(asked.windows[0])
    named = _named(tile, line, words[tile.begins] if not tile.through else ", through its subtotals")
    return TileContent(named, about, tables, pictures, tuple(dict.fromkeys(notes)), line.statement)


# months ---------------------------------------------------------------------------------------------------------------


def _trend_month(line: LineRef, readings: TileReadings, key: str, column: Column) -> tuple[DrawnMonth, TableRow]:
    """One month of a trend, drawn and as a row of its table: what is to come only where it is forecast."""
    whole = readings.whole(line.statement)
    row = whole.row(line)
    shown = {of: whole.shown(row, f"{key}-{of}") for of in ("actual", "budget", "prior")}
    ahead = whole.is_ahead(column)
    own = shown["actual"].value if not ahead or readings.known.forecast else None
    month = DrawnMonth(
        mark_key(whole.source, row.key, f"{key}-"),
        column.groups[0][:1] if len(whole.months()) > 6 else column.groups[0],
        None if ahead else own,
        shown["budget"].value if line.planned else None,
        None,
        own if ahead and line.planned else None,
    )
    actual = shown["actual"] if own is not None else NOTHING
    return month, TableRow(column.groups[0], (actual, shown["budget"], shown["prior"]))


def _trend_tile(tile: TileDef, line: LineRef, readings: TileReadings, asked: TileQuestion) -> TileContent:
    whole = readings.whole(line.statement)
    row = whole.row(line)
    write = whole.texts(row, "month-actual")
    drawn = [_trend_month(line, readings, key, column) for key, column in whole.months()]
    months, rows = [month for month, _ in drawn], [shown for _, shown in drawn]
    scale = month_scale([months, _among(asked, "trend")], TREND_HIGH)
    drawing = column_drawing(months, (pixels(tile), TREND_HIGH), write, scale)
    year = readings.window_title("year")
    table = TileTable("Month", ("Actual or forecast", "Budget", "Year before"), tuple(rows))
    headline = []
    if readings.known.forecast and line.planned:
        headline.append(("Year", whole.shown(row, "year-actual")))
        if readings.known.budget:
            headline.append(("to budget", whole.shown(row, "year-gap")))
    notes = _shared(asked, "trend")
    why = readings.known.no_year or ("" if readings.known.forecast else "nothing is forecast for the months to come")
    notes += (why,) if why else ()
    title = _named(tile, line, " and outlook" if readings.known.forecast else " by month")
    return TileContent(
        title,
        f"by month, {year}",
        [table],
        [TilePicture(drawing)],
        notes,
        line.statement,
        tuple(headline),
        ends=(scale.least, scale.most),
    )


def _among(asked: TileQuestion, kind: str) -> list[DrawnMonth]:
    """Figures of other tiles that share a scale, as months that are not drawn."""
    return [DrawnMonth("", "", value) for value in asked.among.get(kind, ())]


def _shared(asked: TileQuestion, kind: str) -> tuple[str, ...]:
    return ("one scale with its like on this page",) if asked.among.get(kind) else ()


def shared_scales(tiles: Sequence[tuple[TileDef, TileContent]]) -> dict[str, list[Fraction]]:
    """By kind of tile the ends of the one scale that all of that kind on a page share: of those that are compared by
    the eye, months of the year and small charts, unless one would be too small to be read."""
    found: dict[str, list[Fraction]] = {}
    for kind in ("trend", "multiples"):
        ends = [content.ends for tile, content in tiles if tile.kind == kind and content.ends is not None]
        sizes = [most - least for least, most in ends]
        if len(ends) > 1 and min(sizes) and max(sizes) <= READABLE * min(sizes):
            found[kind] = [min(least for least, _ in ends), max(most for _, most in ends)]
    return found


def _multiples(tile: TileDef, line: LineRef, readings: TileReadings, asked: TileQuestion) -> TileContent:
    members_of = readings.members(line.statement, tile.by, asked.windows[0])
    row = members_of.row(line)
    members = members_of.members()
    of_months = readings.months(line.statement, tile.by, members)
    runs: list[tuple[str, str, list[DrawnMonth]]] = []
    sealed: list[str] = []
    for member in members:
        reading, series = of_months(member)
        own, months, texts = reading.row(line), [], set()
        for key, label in reading.member_months(series):
            actual, budget = (reading.shown(own, f"{key}{of}") for of in ("actual", "budget"))
            texts.add(actual.text)
            planned = budget.value if line.planned else None
            months.append(DrawnMonth(mark_key(reading.source, own.key, key), label, actual.value, planned))
        sealed += ["sealed"] if SEALED in texts and not any(month.actual for month in months) else []
        if any(value != 0 for month in months for _, _, value in month.figures):
            runs.append((member.name, readings.node_of(tile.by, member.code), months))
    runs.sort(key=lambda run: sum((abs(month.actual or Fraction(0)) for month in run[2]), Fraction(0)), reverse=True)
    most = min(tile.most, max(pixels(tile) // (SMALL + BESIDE_GAP), 1) * 2)
    if not runs and sealed:
        raise RulkaError("What the drawings would tell apart is sealed.", hint="Look at the whole.", code="sealed")
    if not runs:
        raise RulkaError("Nothing was booked or planned here in these months.", hint="Look at another time or node.")
    if len(runs) > most:
        runs = [*runs[: most - 1], _others(runs[most - 1 :])]
    scale = month_scale([*(months for _, _, months in runs), _among(asked, "multiples")], SMALL_HIGH)
    write = members_of.texts(row, members[0].key("actual")) if members else str
    pictures = [
        TilePicture(column_drawing(months, (SMALL, SMALL_HIGH), write, scale), name, code)
        for name, code, months in runs
    ]
    heads = tuple(month.label for month in runs[0][2]) if runs else ()
    rows = tuple(TableRow(name, tuple(_cell(month, write) for month in months), code) for name, code, months in runs)
    note = f"one scale for all {len(runs)}, ordered by weight" if len(runs) > 1 else ""
    title = _named(tile, line, f" by {tile.by}")
    notes = ((note,) if note else ()) + _shared(asked, "multiples")
    notes += (f"{len(sealed)} more are sealed",) if sealed else ()
    return TileContent(title, "the last twelve months", [TileTable(tile.by.capitalize(), heads, rows)], pictures,
                   notes, line.statement, ends=(scale.least, scale.most))  # fmt: skip


def _cell(month: DrawnMonth, write: Callable[[Fraction], str]) -> ShownFigure:
    source, row, column = place_of(month.key)
    text = write(month.actual) if month.actual is not None else ""
    return ShownFigure(month.actual, text, row, f"{column}actual" if row else "", source=source)


def _others(runs: Sequence[tuple[str, str, list[DrawnMonth]]]) -> tuple[str, str, list[DrawnMonth]]:
    """Several runs of months as one."""

    def total(values: Sequence[Value]) -> Value:
        return None if None in values else sum((value for value in values if value is not None), Fraction(0))

    months = []
    for place, first in enumerate(runs[0][2]):
        own = [months_of[place] for _, _, months_of in runs]
        months.append(
            DrawnMonth("", first.label, total([one.actual for one in own]), total([one.budget for one in own]))
        )
    return f"{len(runs)} others", "", months


# contributors ---------------------------------------------------------------------------------------------------------


def _ranked(tile: TileDef, line: LineRef, readings: TileReadings, asked: TileQuestion) -> TileContent:
    several = len(asked.windows) > 1
    room = pixels(tile)
    pictures, tables, notes = list[TilePicture](), list[TileTable](), list[str]()
    for window in asked.windows:
        reading = readings.members(line.statement, tile.by, window)
        row = reading.row(line)
        members = reading.members()
        if not members:
            told = "Nothing" if tile.by == BY_CHILD else f"No {tile.by}"
            raise RulkaError(f"{told} below this node has anything booked.", hint="Choose another node.")
        write = reading.texts(row, members[0].key("actual"))
        made = [_contributor(member, line, row, reading, readings, tile.by) for member in members]
        made = _largest(made, [reading.shown(row, member.key("gap")) for member in members] if line.planned else [])
        shown, others = by_weight([one for one in made if one.value or one.budget or one.prior or one.word], tile.most)
        rows = [*shown, *([summed(others)] if others else [])]
        if not rows:
            raise RulkaError("Nothing was booked or planned here in this time.", hint="Look at another time or node.")
        third = (room - BESIDE_GAP * 2) // 3
        wide = third if several and third >= LEAST_RANKED else room
        title = readings.window_title(window) if several else ""
        pictures.append(TilePicture(ranked_drawing(rows, wide, write), title))
        tables.append(_ranked_table(rows, write, title or line.title))
        if len(rows) > 1:
            notes.append(f"one scale for all {len(rows)}" if not several else "one scale within each")
        if any(one.aside for one in rows):
            notes.append("beside them how far the best and the worst are from budget")
        apart = _apart(made, readings.whole(line.statement).value(row, f"{window}-actual"))
        if apart:
            notes.append(f"together {write(apart)} from {line.title} as a whole: what stands between them")
    about = "" if several else readings.window_title(asked.windows[0])
    title = _named(tile, line, f", by {tile.by}")
    return TileContent(title, about, tables, pictures, tuple(dict.fromkeys(notes)), line.statement)


def _contributor(
    member: OverviewMember, line: LineRef, row: Row, reading: OverviewReading, readings: TileReadings, by: str
) -> Contributor:
    values = {of: reading.value(row, member.key(of)) for of in ("actual", "budget", "prior")}
    word = reading.shown(row, member.key("actual")).text if values["actual"] is None else ""
    key = mark_key(reading.source, row.key, member.key("actual").removesuffix("actual"))
    budget = values["budget"] if line.planned else None
    return Contributor(
        key, member.name, values["actual"], budget, values["prior"], readings.node_of(by, member.code), word
    )


def _largest(made: Sequence[Contributor], gaps: Sequence[ShownFigure]) -> list[Contributor]:
    """Contributors with the furthest ahead of budget and the furthest behind marked, where there are several."""
    marked: dict[int, tuple[str, Tone]] = {}
    if len(made) > 1 and gaps:
        sides: tuple[tuple[bool, Tone], ...] = ((True, "favourable"), (False, "unfavourable"))
        for good, tone in sides:
            places = [place for place, gap in enumerate(gaps) if gap.good is good]
            if places:
                furthest = max(places, key=lambda place: abs(gaps[place].value or Fraction(0)))
                marked[furthest] = (gaps[furthest].text, tone)
    found = []
    for place, one in enumerate(made):
        text, tone = marked.get(place, ("", "ink"))
        found.append(replace(one, aside=text, tone=tone))
    return found


def _apart(made: Sequence[Contributor], whole: Value) -> Value:
    """How far contributors together are from the whole; None where that can't be told."""
    values = [one.value for one in made]
    if whole is None or None in values:
        return None
    return whole - sum((value for value in values if value is not None), Fraction(0))


def _ranked_table(rows: Sequence[Contributor], write: Callable[[Fraction], str], corner: str) -> TileTable:
    def shown(row: Contributor, of: str, value: Value) -> ShownFigure:
        source, line, key = place_of(row.key)
        text = write(value) if value is not None else row.word if of == "actual" else ""
        return ShownFigure(value, text, line, f"{key}{of}" if key else "", source=source)

    made = tuple(
        TableRow(
            row.label,
            (shown(row, "actual", row.value), shown(row, "budget", row.budget), shown(row, "prior", row.prior)),
            row.leads,
        )
        for row in rows
    )
    return TileTable(corner, ("Actual", "Budget", "Year before"), made)
