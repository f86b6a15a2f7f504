"""The panel by which an overview is arranged."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from django.http import HttpRequest

from rulka.core.errors import RulkaError
from rulka.core.overviews.definitions import BEGINS, BY_CHILD, BY_ENTITY, BY_LINE, KINDS, OverviewDef, TileDef
from rulka.core.overviews.edits import fields_of, shown_line
from rulka.formats.overview_file import OVERVIEWS
from rulka.overviews.pages.readers import OverviewRequest
from rulka.screen import Screen
from rulka.statements.library.opening import seen_definitions
from rulka.statements.library.shelves import RUN, shelves_seen
from rulka.statements.models import Shelf

TABS = (("tile", "Tile"), ("about", "Overview"), ("text", "Text"))
BEGINS_WORDS = {"budget": "the budget", "prior": "the year before", "nothing": "nothing"}
HINTS = {
    "lines": "One line of a statement each; of another one as 'statement: line'",
    "through": "Subtotals from first to last; then no line and no members",
    "rows": "Lines by label, one each; all where empty",
    "columns": "Columns by key or heading, one each; all where empty",
    "text": "Figures in braces: {Income}, {Income, budget}, {Income, gap %}",
    "line": "The chosen line where empty",
    "most": "How many at most; the rest is summed up",
}
TITLES = {
    "title": "Title", "lines": "Lines", "line": "Line", "by": "By", "from": "Begins at", "through": "Through",
    "most": "At most", "of": "Statement", "rows": "Lines", "columns": "Columns", "text": "Text",
}  # fmt: skip


@dataclass(frozen=True)
class TileSetting:
    """One setting of a tile: a field of one or several lines, or a choice."""

    name: str
    title: str
    value: str
    hint: str = ""
    several: bool = False
    options: tuple[tuple[str, str], ...] = ()
    listed: str = ""


@dataclass(frozen=True, kw_only=True)
class ArrangingPanel(Screen):
    """The panel: the settings of the `chosen` tile, those of the overview, or its text, as it stands or was entered."""

    html = "overviews/_panel.html"
    tab: str
    tabs: Sequence[tuple[str, str]]
    chosen: TileDef | None
    kinds: Iterable[tuple[str, str]]
    known_lines: Sequence[str]
    settings: Sequence[TileSetting]
    kind_title: str
    choose_text: str
    text: str
    units: Sequence[str]
    shelves: Sequence[Shelf]
    tile_query: str


def arranging_panel(request: HttpRequest, asked: OverviewRequest, problem: RulkaError | None) -> ArrangingPanel:
    """What the panel shows where an overview is arranged."""
    tab = request.GET.get("tab", "tile")
    tab = tab if tab in dict(TABS) else "tile"
    key = request.GET.get("tile", "")
    definition = asked.definition
    tile = next((one for one in definition.tiles if one.key == key), None)
    known = _known_lines(asked)
    entered: Mapping[str, str] = request.POST if problem is not None else {}
    return ArrangingPanel(
        tab=tab,
        tabs=TABS,
        chosen=tile,
        kinds=KINDS.items(),
        known_lines=known,
        settings=_settings(asked, key, known, entered) if tile else [],
        kind_title=KINDS[tile.kind] if tile else "",
        choose_text=entered.get("choose") or _choose_text(definition),
        text=entered.get("text") or OVERVIEWS.write(asked.overview.body),
        units=("units", "thousands", "millions"),
        shelves=shelves_seen(asked.seat.ledger, asked.seat.person),
        tile_query=asked.query(tab=tab, tile=key),
    )


def _choose_text(definition: OverviewDef) -> str:
    return "\n".join(shown_line(line, definition.statement) for line in definition.choices)


def _known_lines(asked: OverviewRequest) -> list[str]:
    """The lines of the overview's statements, as fields take them."""
    found: dict[str, None] = {}
    usual = asked.definition.statement
    names = dict.fromkeys(
        [usual, *(line.statement for tile in asked.definition.tiles for line in (tile.line, *tile.lines) if line)]
    )
    for name in filter(None, names):
        for row in asked.readings.whole(name).computed.rows:
            if row.has_figures and row.kind in ("line", "total", "calculation"):
                found[row.label if name == usual else f"{name}: {row.label}"] = None
    return list(found)


def _settings(asked: OverviewRequest, key: str, known: list[str], entered: Any) -> list[TileSetting]:
    """The settings of a tile, with what was refused still in them."""
    frame = asked.readings.view.frame
    statements = [
        (one.name, one.title) for one in seen_definitions(asked.seat.ledger, asked.seat.person, "statement", level=RUN)
    ]
    members = (
        (BY_CHILD, "what stands below the node"),
        (BY_ENTITY, "entity"),
        *((one, one) for one in frame.dimensions),
    )
    tile = asked.definition.tile(key)
    options: dict[str, tuple[tuple[str, str], ...]] = {
        "by": ((BY_LINE, "line of accounts"), *members) if tile.kind == "bridge" else members,
        "from": tuple((begin, BEGINS_WORDS[begin]) for begin in BEGINS),
        "of": tuple(statements),
    }
    made = []
    for name, value in fields_of(asked.overview.body, key).items():
        shown = entered.get(name, value) if entered else value
        if name in options and not shown:
            shown = {"by": tile.by, "from": tile.begins, "of": tile.of}[name]
        several = name in ("lines", "through", "rows", "columns", "text")
        made.append(
            TileSetting(name, TITLES[name], shown, HINTS.get(name, ""), several, options.get(name, ()),
                    "known-lines" if name == "line" and known else "")
        )  # fmt: skip
    return made
