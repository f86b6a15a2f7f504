"""One overview: its tiles for a node, a window and a chosen line, arranged in place."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from time import perf_counter

from django.http import HttpRequest, HttpResponse
from django.views.decorators.http import require_GET

from rulka.core.errors import RulkaError
from rulka.core.overviews.definitions import OverviewDef, TileDef
from rulka.ledger.models import Revision
from rulka.ledger.reading.history import latest_revision
from rulka.ledger.seat import Seat
from rulka.overviews.library.opening import own_overview, remember_visit
from rulka.overviews.library.storing import TEXTS
from rulka.overviews.models import Overview
from rulka.overviews.output.shown import ShownTile, show_tiles
from rulka.overviews.pages.arranging import ArrangingPanel, arranging_panel
from rulka.overviews.pages.readers import SWITCHES, OverviewRequest, asked_for
from rulka.overviews.running.tiles import filled_page
from rulka.screen import Screen
from rulka.statements.library.leads import Lead, leads


@dataclass(frozen=True)
class OverviewChoice:
    """Something to choose: what addresses call it, what people read, whether it is chosen, and how deep it stands."""

    code: str
    title: str
    chosen: bool
    depth: int = 0
    why: str = ""


@dataclass(frozen=True)
class Switch:
    title: str
    query: str
    chosen: bool


UNITS = {"units": "", "thousands": "thousand ", "millions": "million "}


@require_GET
def overview_page(request: HttpRequest, name: str) -> HttpResponse:
    """An overview's page."""
    asked = asked_for(request, name)
    remember_visit(asked.seat.person, asked.overview)
    return page_of(request, asked)


@dataclass(frozen=True, kw_only=True)
class OverviewPage(Screen):
    """An overview's tiles for a node, a window and a chosen line, each with what else could be chosen; `panel` where it
    is arranged, with the tile that is `chosen` there; why it can't be shown (`refused`), or what of it failed."""

    html = "overviews/page.html"
    where: str = "overviews"
    seat: Seat
    asked: OverviewRequest
    overview: Overview
    found: OverviewDef
    tiles: Sequence[ShownTile]
    refused: RulkaError | None
    unit: str
    nodes: Sequence[OverviewChoice]
    node_field: str
    node_name: str
    path: Sequence[OverviewChoice]
    window_title: str
    switches: Sequence[Switch]
    choices: Sequence[OverviewChoice]
    pages: Sequence[Switch]
    arranging: bool
    may_change: bool
    undo: tuple[str, str]
    is_own: bool
    latest: Revision | None
    problem: RulkaError | None
    panel: ArrangingPanel | None
    chosen: TileDef | None
    taken: str

    @property
    def failing(self) -> int:
        """How many tiles can't be shown."""
        return sum(bool(tile.problem) for tile in self.tiles)

    @property
    def query(self) -> str:
        return self.asked.query()

    @property
    def leads(self) -> Sequence[Lead]:
        return leads("overview") if self.seat.person.may_edit else []


def page_of(request: HttpRequest, asked: OverviewRequest, problem: RulkaError | None = None) -> HttpResponse:
    """The page; with a problem it says so and has changed nothing."""
    told = problem is not None and not request.headers.get("HX-Request")
    return _screen(request, asked, problem).response(request, status=422 if told else 200)


def _tiles(asked: OverviewRequest) -> tuple[list[ShownTile], list[OverviewChoice], str, RulkaError | None]:
    """The tiles of the page asked for, the nodes to choose from and the unit of the figures; or why there are none."""
    definition = asked.definition
    if not any(page.tiles for page in definition.pages):
        return [], [], "", None
    unit, nodes = "", list[OverviewChoice]()
    try:
        unit = unit_of(asked)
        nodes = _nodes(asked)
        page = filled_page(definition, asked.page, asked.readings, asked.switch, asked.chosen)
        return show_tiles(page, asked.ways, unit), nodes, unit, None
    except RulkaError as error:
        return [], nodes, unit, error


def _screen(request: HttpRequest, asked: OverviewRequest, problem: RulkaError | None) -> OverviewPage:
    before = perf_counter()
    readings, definition, seat = asked.readings, asked.definition, asked.seat
    tiles, nodes, unit, refused = _tiles(asked)
    known = not refused and any(page.tiles for page in definition.pages)
    arranging = asked.arranging and asked.may_change
    panel = arranging_panel(request, asked, problem) if arranging else None
    return OverviewPage(
        seat=seat,
        asked=asked,
        overview=asked.overview,
        found=definition,
        tiles=tiles,
        refused=refused,
        unit=unit,
        nodes=nodes,
        node_field="of" if known and readings.has_own_nodes else "node",
        node_name=readings.node.name if known else "",
        path=_path(nodes),
        window_title=_window_title(asked) if known else "",
        switches=[Switch(title, asked.query(window=switch), switch == asked.switch) for switch, title in SWITCHES],
        choices=[OverviewChoice(line.code, line.title, line == asked.chosen) for line in definition.choices],
        pages=_pages(asked),
        arranging=arranging,
        may_change=asked.may_change,
        undo=TEXTS.can_undo(asked.overview),
        is_own=_is_own(asked),
        latest=latest_revision(seat.ledger),
        problem=problem,
        panel=panel,
        chosen=panel.chosen if panel else None,
        taken=f"{(perf_counter() - before) * 1000:.0f}",
    )


def _pages(asked: OverviewRequest) -> list[Switch]:
    """The pages to switch between; none where there is one alone."""
    pages = asked.definition.pages if len(asked.definition.pages) > 1 else ()
    return [
        Switch(page.title, asked.query(page=str(number)), page is asked.page) for number, page in enumerate(pages, 1)
    ]


def unit_of(asked: OverviewRequest) -> str:
    """`thousand EUR`."""
    return f"{UNITS[asked.definition.unit]}{asked.readings.node.currency}"


def _window_title(asked: OverviewRequest) -> str:
    if asked.switch == "beside":
        return asked.seat.period.title
    return asked.readings.window_title(asked.switch)  # type: ignore[arg-type]


def _is_own(asked: OverviewRequest) -> bool:
    own = own_overview(asked.seat.ledger, asked.seat.person)
    return own is not None and own.pk == asked.overview.pk


def _nodes(asked: OverviewRequest) -> list[OverviewChoice]:
    """The nodes that the overview can be shown for."""
    readings, chosen = asked.readings, asked.readings.node.code
    translated = readings.is_translated
    return [
        OverviewChoice(node.code, node.name, node.code == chosen, node.depth,
               "mixed currencies" if node.is_mixed and not translated else "")
        for node in readings.nodes
    ]  # fmt: skip


def _path(nodes: list[OverviewChoice]) -> list[OverviewChoice]:
    """The nodes above the chosen one, the outermost first."""
    place = next((at for at, node in enumerate(nodes) if node.chosen), 0)
    found: list[OverviewChoice] = []
    depth = nodes[place].depth if nodes else 0
    for node in reversed(nodes[:place]):
        if node.depth < depth:
            found.insert(0, node)
            depth = node.depth
    return found
