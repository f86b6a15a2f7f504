"""An overview as it is written: pages of tiles over lines of statements. Texts are parsed once, where they are read."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Final, Literal, cast

from rulka.core.errors import NotFound, RulkaError, one_of

TileKind = Literal[
    "strip", "bridge", "trend", "multiples", "ranked", "part", "words", "chart", "explanations", "findings"
]
KINDS: Final[Mapping[TileKind, str]] = {
    "strip": "Key figures",
    "bridge": "Bridge",
    "trend": "Months of the year",
    "multiples": "Small charts, one each",
    "ranked": "Who contributes",
    "part": "Part of a statement",
    "words": "Text with figures",
    "chart": "Chart of lines and columns",
    "explanations": "Explanations",
    "findings": "What looks wrong",
}
"""The kinds of tiles, and what people call them."""

BY_LINE, BY_CHILD, BY_ENTITY = "line", "child", "entity"
BEGINS: Final = ("budget", "prior", "nothing")
"""What a bridge may begin at: the budget, the year before, or nothing at all."""

Window = Literal["month", "date", "year"]
WINDOWS: Final[tuple[Window, ...]] = ("month", "date", "year")
BESIDE: Final = "beside"
"""All three windows side by side."""

SIZES: Final = (3, 4, 6, 8, 9, 12)
"""How many twelfths of the page a tile may be wide."""

USUAL_SIZE: Final[Mapping[TileKind, int]] = {"strip": 12, "bridge": 6, "trend": 6, "multiples": 6, "ranked": 6}
MOST_TILES = 24
FIGURE = re.compile(r"\{([^{}]+)\}")
"""A figure's place in a text: `{Income}`, `{Income, budget}`, `{group-results: Income, change}`."""

SHOWN_WORDS: Final = ("actual", "budget", "prior", "gap", "gap %", "change", "change %", "outlook", "target")
"""What of a line a text may show."""


@dataclass(frozen=True)
class LineRef:
    """A line of a statement, by its label; `name` is what the overview calls it. `planned` says whether budget and
    forecast mean anything for it."""

    statement: str
    label: str
    name: str = ""
    planned: bool = True

    @property
    def title(self) -> str:
        return self.name or self.label

    @property
    def code(self) -> str:
        """What addresses call it."""
        return f"{self.statement}: {self.label}"


@dataclass(frozen=True)
class TileDef:
    """One tile. Without a line of its own it shows the one that is chosen for the whole page."""

    key: str
    kind: TileKind
    title: str
    wide: int
    line: LineRef | None = None
    lines: tuple[LineRef, ...] = ()
    by: str = BY_LINE
    begins: str = "budget"
    through: tuple[LineRef, ...] = ()
    most: int = 8
    of: str = ""
    rows: tuple[str, ...] = ()
    columns: tuple[str, ...] = ()
    text: str = ""


@dataclass(frozen=True)
class OverviewPageDef:
    title: str
    tiles: tuple[TileDef, ...]


@dataclass(frozen=True)
class OverviewDef:
    """An overview. `scope` and `currency` are what all its statements are read with, empty for entities in their own
    currency; `budget` and `forecast` name scenarios, empty for the first of that kind in the ledger."""

    name: str
    title: str
    about: str
    statement: str
    pages: tuple[OverviewPageDef, ...]
    choices: tuple[LineRef, ...]
    scope: str = ""
    currency: str = ""
    budget: str = ""
    forecast: str = ""
    unit: str = "thousands"
    decimals: int = 0

    @property
    def tiles(self) -> Iterator[TileDef]:
        return (tile for page in self.pages for tile in page.tiles)

    def tile(self, key: str) -> TileDef:
        """A tile by its key; NotFound where there is none."""
        found = {tile.key: tile for tile in self.tiles}
        if key not in found:
            raise NotFound(f"There is no tile '{key[:40]}'.", hint=one_of(key, found), subject="tile")
        return found[key]

    def chosen(self, code: str) -> LineRef | None:
        """The line chosen for the page by what addresses call it, the first one where nobody chose."""
        by_code = {line.code: line for line in self.choices}
        return by_code.get(code) or next(iter(self.choices), None)


def overview_from(body: Mapping[str, Any]) -> OverviewDef:
    """Build an overview from a checked mapping; raises RulkaError that says where what is wrong."""
    name, usual = str(body["overview"]), str(body.get("of", ""))
    figures = body.get("figures", {})
    choices = tuple(line_from(raw, usual, "choose") for raw in body.get("choose", ()))
    keys: list[str] = []
    pages = []
    for number, raw in enumerate(body["pages"], 1):
        title = str(raw.get("page", "")) or (f"Page {number}" if len(body["pages"]) > 1 else "")
        tiles = tuple(_tile(one, usual, keys, bool(choices)) for one in raw.get("tiles", ()))
        pages.append(OverviewPageDef(title, tiles))
    if len(keys) > MOST_TILES:
        raise RulkaError(
            f"It has {len(keys)} tiles, more than {MOST_TILES}.", hint="Make a second overview.", subject=name
        )
    return OverviewDef(
        name,
        str(body.get("title", name)),
        str(body.get("about", "")),
        usual,
        tuple(pages),
        choices,
        str(body.get("scope", "")),
        "group" if body.get("currency") == "group" else "",
        str(body.get("budget", "")),
        str(body.get("forecast", "")),
        str(figures.get("unit", "thousands")),
        int(figures.get("decimals", "0")),
    )


def line_from(raw: str | Mapping[str, Any], usual: str, where: str) -> LineRef:
    """A line as it is written: a label of the usual statement, `statement: Label`, or a mapping with both."""
    if isinstance(raw, str):
        of, mark, label = raw.partition(": ")
        of, label = (of, label) if mark else ("", raw)
        given: Mapping[str, Any] = {"of": of, "line": label}
    else:
        given = raw
    of = str(given.get("of", "")) or usual
    if not of:
        raise RulkaError(
            f"'{given['line']}' is a line of which statement?",
            hint="Write 'statement: line', or 'of' above.",
            subject=where,
        )
    return LineRef(of, str(given["line"]), str(given.get("as", "")), str(given.get("plan", "yes")) != "no")


def line_mapping(line: LineRef, usual: str) -> str | dict[str, str]:
    """A line as an overview's text writes it."""
    plain = line.label if line.statement == usual and ": " not in line.label else f"{line.statement}: {line.label}"
    if not line.name and line.planned:
        return plain
    own = {"of": line.statement} if line.statement != usual else {}
    named = {"as": line.name} if line.name else {}
    return {**own, "line": line.label, **named, **({} if line.planned else {"plan": "no"})}


def _tile(raw: Mapping[str, Any], usual: str, keys: list[str], has_choice: bool) -> TileDef:
    kind = cast(TileKind, raw["tile"])
    key = str(raw.get("key", "")) or _free(kind, keys)
    if key in keys:
        raise RulkaError(f"Two tiles have the key '{key}'.", hint="Give one another key.", subject=f"tile {key}")
    keys.append(key)
    where = f"tile {key}"
    line = line_from(raw["line"], usual, where) if "line" in raw else None
    lines = tuple(line_from(one, usual, where) for one in raw.get("lines", ()))
    through = tuple(line_from(one, usual, where) for one in raw.get("through", ()))
    wide = int(raw.get("wide", USUAL_SIZE.get(kind, 6)))
    if wide not in SIZES:
        sizes = ", ".join(str(size) for size in SIZES)
        raise RulkaError(f"A tile isn't {wide} twelfths wide.", hint=f"Use one of {sizes}.", subject=where)
    tile = TileDef(
        key,
        kind,
        str(raw.get("title", "")),
        wide,
        line,
        lines,
        str(raw.get("by", BY_LINE if kind == "bridge" else BY_CHILD)),
        str(raw.get("from", "budget")),
        through,
        int(raw.get("most", "8")),
        str(raw.get("of", "")) or usual,
        tuple(str(one) for one in raw.get("rows", ())),
        tuple(str(one) for one in raw.get("columns", ())),
        str(raw.get("text", "")),
    )
    _check(tile, where, has_choice)
    return tile


def _check(tile: TileDef, where: str, has_choice: bool) -> None:
    """Refuse a tile that lacks what it shows."""
    lacking = {
        "strip": (not tile.lines, "lines"),
        "words": (not tile.text, "text"),
        "part": (not tile.of, "of"),
        "chart": (not (tile.of and tile.rows and tile.columns), "of, rows and columns"),
        "explanations": (not tile.of, "of"),
    }
    lacks, what = lacking.get(tile.kind, (False, ""))
    if lacks:
        raise RulkaError(f"The tile shows nothing without {what}.", hint=f"Write its {what}.", subject=where)
    switched = tile.kind in ("bridge", "trend", "multiples", "ranked")
    if switched and not (tile.line or has_choice or tile.through):
        raise RulkaError(
            "The tile shows no line.", hint="Write its line, or lines to choose from above.", subject=where
        )
    if tile.through and (len(tile.through) < 2 or len({line.statement for line in tile.through}) > 1):
        raise RulkaError(
            "A bridge through subtotals needs two lines at least, of one statement.", hint="Name them.", subject=where
        )
    for line, word in figures_in(tile.text, tile.of, where) if tile.kind == "words" else ():
        if word not in SHOWN_WORDS:
            raise NotFound(f"'{word}' of {line.label} can't be shown.", hint=one_of(word, SHOWN_WORDS), subject=where)


def figures_in(text: str, usual: str, where: str) -> list[tuple[LineRef, str]]:
    """The figures of a text: which line, and what of it."""
    found = []
    for one in FIGURE.findall(text):
        label, mark, word = one.rpartition(", ")
        label, word = (label, word.strip()) if mark and word.strip() in SHOWN_WORDS else (one, "actual")
        found.append((line_from(label.strip(), usual, where), word))
    return found


def _free(kind: str, taken: Sequence[str]) -> str:
    return next(key for number in range(1, 1_000) if (key := kind if number == 1 else f"{kind}-{number}") not in taken)
