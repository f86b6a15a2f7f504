"""Drawings of overviews placed on worksheets: a tile as its reader sees it, at the worksheet's period and node."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Final

from rulka.core.errors import RulkaError
from rulka.core.overviews.definitions import KINDS, Window
from rulka.core.overviews.filling import PADDING, PAGE, TileQuestion
from rulka.core.overviews.tiles import TileContent
from rulka.core.picturing.drawings import Drawing
from rulka.core.picturing.together import together
from rulka.ledger.models import Ledger
from rulka.overviews.library.opening import open_overview, runnable
from rulka.overviews.library.storing import checked
from rulka.overviews.running.readings import OverviewReader, StatementReadings
from rulka.overviews.running.tiles import SHOWS, filled
from rulka.people.models import Person
from rulka.worksheets.running.live import WorksheetReader as SheetReader

WINDOW: Final[Window] = "date"


class OverviewDrawings:
    """The drawn tiles of overviews as drawings that worksheets place: the year to date, the first line to choose."""

    def names(self, ledger: Ledger, person: Person) -> Sequence[tuple[str, str, str]]:
        found = []
        for overview in runnable(ledger, person):
            for tile in checked(overview.body).tiles:
                if tile.kind not in SHOWS:
                    found.append((overview.name, tile.key, f"{overview.title}: {tile.title or KINDS[tile.kind]}"))
        return found

    def draw(self, reader: SheetReader, name: str, piece: str, wide: int) -> Drawing:
        overview = open_overview(reader.ledger, name, person=reader.person)
        definition = checked(overview.body)
        own = OverviewReader(reader.ledger, reader.view.fence, reader.person, reader.period.code, reader.node, "",
                     reader.view.revision)  # fmt: skip
        twelfths = min(max((wide + PADDING) * 12 // PAGE, 2), 24)
        tile = replace(definition.tile(piece), wide=twelfths)
        shown = filled(tile, StatementReadings(definition, own), TileQuestion((WINDOW,), definition.chosen("")))
        if not isinstance(shown.filled, TileContent):
            raise shown.refused or RulkaError("The tile isn't drawn.", hint="Place another one.", subject="drawing")
        pictures = [(one.title, one.drawing) for one in shown.filled.pictures]
        title = ", ".join(filter(None, (shown.filled.title, shown.filled.about)))
        return together([("", together(pictures, wide, (*shown.filled.notes, title)))], wide)
