"""An overview checked in its ledger before it is kept: every line, column, member and scope that it names is there."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any

from rulka.core.books.fence import Fence
from rulka.core.errors import RulkaError
from rulka.core.overviews import parts
from rulka.core.overviews.definitions import BY_LINE, LineRef, OverviewDef, TileDef, figures_in
from rulka.ledger.models import Ledger
from rulka.ledger.reading.queries import view_of
from rulka.ledger.seat import latest_period
from rulka.overviews.library.storing import checked
from rulka.overviews.running.readings import OverviewReader, StatementReadings
from rulka.people.models import Person


def check_in(ledger: Ledger, fence: Fence, person: Person | None, body: Mapping[str, Any]) -> OverviewDef:
    """A body as a definition whose names are all known; raises RulkaError that says which tile names what isn't."""
    definition = checked(body)
    period = latest_period(view_of(ledger, fence)).code
    readings = StatementReadings(definition, OverviewReader(ledger, fence, person, period))
    if not any(tile.kind != "findings" for tile in definition.tiles):
        return definition
    for line in definition.choices:
        _check_line(line, readings, "choose")
    for tile in definition.tiles:
        try:
            _check_tile(tile, readings)
        except RulkaError as error:
            error.subject = f"tile {tile.key}" + (f", {error.subject}" if error.subject else "")
            raise
    return definition


def _check_line(line: LineRef, readings: StatementReadings, where: str) -> None:
    try:
        readings.whole(line.statement).row(line)
    except RulkaError as error:
        error.subject = error.subject or where
        raise


def _check_tile(tile: TileDef, readings: StatementReadings) -> None:
    for line in _lines_of(tile):
        _check_line(line, readings, "line")
    if tile.kind in ("ranked", "multiples", "bridge") and tile.by != BY_LINE:
        readings.check_by(tile.by)
    if tile.kind in ("part", "chart"):
        getattr(parts, tile.kind)(tile, readings.own(tile.of))
    if tile.kind == "explanations":
        readings.opened(tile.of)


def _lines_of(tile: TileDef) -> Iterator[LineRef]:
    yield from ([tile.line] if tile.line else [])
    yield from tile.lines
    yield from tile.through
    if tile.kind == "words":
        yield from (line for line, _ in figures_in(tile.text, tile.of, "text"))
