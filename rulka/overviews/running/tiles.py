"""A page of an overview filled for one reader: each tile with what it shows, or with why it can't."""

from __future__ import annotations

from dataclasses import dataclass, replace
from urllib.parse import urlencode

from django.urls import reverse

from rulka.core.compute.computed import Computed
from rulka.core.errors import RulkaError
from rulka.core.overviews import parts
from rulka.core.overviews.definitions import (
    BESIDE,
    KINDS,
    WINDOWS,
    LineRef,
    OverviewDef,
    OverviewPageDef,
    TileDef,
    Window,
)
from rulka.core.overviews.filling import TileQuestion, content, shared_scales, strip
from rulka.core.overviews.tiles import Point, Points, Strip, TileContent, TileWords
from rulka.ledger.reading.suspects import suspects
from rulka.overviews.running.readings import StatementReadings
from rulka.people.library.persons import Readers
from rulka.statements.running.explained import Explained, explained_of, figure_of
from rulka.statements.running.runs import run_at

Filled = Strip | TileContent | TileWords | Points
MOST_POINTS = 6
SHOWS = {"strip": "strip", "words": "words", "explanations": "points", "findings": "points", "part": "table"}
"""What kinds of tiles are shown as; all others are drawn."""


@dataclass(frozen=True)
class Tile:
    """A tile with what it shows; `refused` says why where it shows nothing."""

    asked: TileDef
    shows: str
    filled: Filled | None
    refused: RulkaError | None = None

    @property
    def title(self) -> str:
        own = self.filled.title if isinstance(self.filled, TileContent | TileWords | Points) else self.asked.title
        return own or (KINDS[self.asked.kind] if self.asked.kind != "strip" else "")


def windows_of(switch: str) -> tuple[Window, ...]:
    """The windows that a page shows: one, or all three side by side."""
    if switch == BESIDE:
        return WINDOWS
    return (next((window for window in WINDOWS if window == switch), "date"),)


def filled_page(
    definition: OverviewDef, page: OverviewPageDef, readings: StatementReadings, switch: str, chosen: LineRef | None
) -> list[Tile]:
    """All tiles of a page; one that can't be shown says why, the others stand."""
    asked = TileQuestion(windows_of(switch), chosen)
    tiles = [filled(tile, readings, asked) for tile in page.tiles]
    among = shared_scales([(one.asked, one.filled) for one in tiles if isinstance(one.filled, TileContent)])
    shared = replace(asked, among=among)
    return [filled(one.asked, readings, shared) if one.asked.kind in among else one for one in tiles]


def filled(tile: TileDef, readings: StatementReadings, asked: TileQuestion) -> Tile:
    """One tile, or why it can't be shown."""
    shows = SHOWS.get(tile.kind, "drawn")
    try:
        return Tile(tile, shows, _filled(tile, readings, asked))
    except RulkaError as error:
        return Tile(tile, shows, None, error)


def _filled(tile: TileDef, readings: StatementReadings, asked: TileQuestion) -> Filled:
    match tile.kind:
        case "strip":
            return strip(tile, readings, asked)
        case "words":
            return parts.words(tile, readings, asked.windows[0])
        case "part":
            return parts.part(tile, readings.own(tile.of))
        case "chart":
            return parts.chart(tile, readings.own(tile.of))
        case "explanations":
            return _explanations(tile, readings)
        case "findings":
            return _findings(tile, readings)
        case _:
            return content(tile, readings, asked)


def _explanations(tile: TileDef, readings: StatementReadings) -> Points:
    """What was said about the variances of a statement, and what still has to be; of a node whose currencies differ by
    the nodes below it."""
    reader, definitions = readings.reader, readings.opened(tile.of)
    view, found = readings.view_of(tile.of), list[tuple[Computed, Explained]]()
    codes = readings.node.children if readings.node.is_mixed or len(readings.node.currencies) > 1 else ()
    readers = Readers(reader.ledger.code)
    for code in codes or (readings.node.code,):
        computed = run_at(definitions, view, reader.period, code, reader.person)
        found += [
            (computed, one) for one in explained_of(reader.ledger, computed, readers) if one.item.state != "closed"
        ]
    address = reverse("statement", args=[definitions["statement"].name])
    points = []
    for computed, one in found[:MOST_POINTS]:
        row, column = one.item.key
        query = urlencode({"ledger": reader.ledger.code, "period": reader.period, "node": computed.node.code,
                           "panel": "explain", "row": row, "column": column})  # fmt: skip
        state = " ".join(one.text.split()) if one.text else f"{one.item.state}, nobody said why yet"
        title = f"{one.item.label}, {computed.node.name}" if codes else one.item.label
        points.append(Point(title, figure_of(one), state, f"{address}?{query}", "" if one.text else "open"))
    return Points(
        tile.title or "Explanations", tuple(points), max(len(found) - MOST_POINTS, 0), "Nothing has to be explained."
    )


def _findings(tile: TileDef, readings: StatementReadings) -> Points:
    """What looks wrong in the month, the most serious first."""
    reader, view = readings.reader, readings.view
    if not view.fence.shows_lines:
        raise RulkaError("What looks wrong are entries, and you see less.", hint="Ask an administrator.", code="depth")
    found = [one.finding for one in suspects(reader.ledger, view, readings.period) if one.stands]
    query = urlencode({"ledger": reader.ledger.code, "period": reader.period})
    points = tuple(
        Point(one.title, "", one.detail,
              f"{reverse('ledger-wrong')}?{query}&{urlencode({'rule': one.rule, 'subject': one.subject})}")
        for one in found[:MOST_POINTS]
    )  # fmt: skip
    more = max(len(found) - MOST_POINTS, 0)
    return Points(tile.title or "What looks wrong", points, more, "Nothing looks wrong in this month.")
