"""An overview changed: each function takes its text as a mapping and gives the changed one; nothing is changed in
place."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, Final

from rulka.core.errors import NotFound, RulkaError, one_of
from rulka.core.overviews.definitions import (
    KINDS,
    SIZES,
    USUAL_SIZE,
    LineRef,
    TileKind,
    line_from,
    line_mapping,
    overview_from,
)

Raw = dict[str, Any]
BY_LINE_KINDS: Final = ("bridge", "trend", "multiples", "ranked")
FIELDS: Final[Mapping[TileKind, tuple[str, ...]]] = {
    "strip": ("title", "lines"),
    "bridge": ("title", "line", "by", "from", "through"),
    "trend": ("title", "line"),
    "multiples": ("title", "line", "by", "most"),
    "ranked": ("title", "line", "by", "most"),
    "part": ("title", "of", "rows", "columns"),
    "words": ("title", "of", "text"),
    "chart": ("title", "of", "rows", "columns"),
    "explanations": ("title", "of"),
    "findings": ("title",),
}
"""What of each kind of tile can be set."""

SEVERAL: Final = ("lines", "through", "rows", "columns")
"""Settings of several lines of text, one each."""


def tiles_of(body: Mapping[str, Any]) -> list[tuple[int, int, Raw, str]]:
    """(page, place, tile, key) of every tile, keys as its definition gives them."""
    keys = iter([tile.key for tile in overview_from(body).tiles])
    return [
        (number, place, tile, next(keys))
        for number, page in enumerate(body["pages"])
        for place, tile in enumerate(page.get("tiles", ()))
    ]


def _find(body: Mapping[str, Any], key: str) -> tuple[int, int, Raw]:
    for number, place, tile, own in tiles_of(body):
        if own == key:
            return number, place, tile
    raise NotFound(
        f"There is no tile '{key[:40]}'.", hint=one_of(key, [own for *_, own in tiles_of(body)]), subject="tile"
    )


def _keyed(body: Mapping[str, Any]) -> Raw:
    """The same with every tile's key written out, so that it stays when tiles move."""
    keys = iter([tile.key for tile in overview_from(body).tiles])
    pages = [
        {**page, "tiles": [{**tile, "key": next(keys)} for tile in page.get("tiles", ())]} for page in body["pages"]
    ]
    return {**body, "pages": pages}


def _with_tiles(body: Mapping[str, Any], number: int, tiles: Sequence[Raw]) -> Raw:
    pages = [{**page, "tiles": list(tiles)} if at == number else page for at, page in enumerate(body["pages"])]
    return {**body, "pages": pages}


def add_tile(body: Mapping[str, Any], page: int, tile: Mapping[str, Any]) -> tuple[Raw, str]:
    """A tile at the end of a page, counted from 1; its key."""
    body = _keyed(body)
    if not 1 <= page <= len(body["pages"]):
        raise NotFound(f"There is no page {page}.", hint=f"It has {len(body['pages'])}.", subject="page")
    kind = str(tile["tile"])
    if kind not in KINDS:
        raise NotFound(f"There is no tile '{kind[:30]}'.", hint=one_of(kind, KINDS), subject="tile")
    taken = [str(one["key"]) for each in body["pages"] for one in each.get("tiles", ())]
    key = next(name for number in range(1, 1_000) if (name := kind if number == 1 else f"{kind}-{number}") not in taken)
    return _with_tiles(body, page - 1, [*body["pages"][page - 1].get("tiles", ()), {**tile, "key": key}]), key


def new_tile(body: Mapping[str, Any], kind: str, first: LineRef | None) -> Raw:
    """A tile as it begins: what it can't do without is taken from the overview's first line."""
    usual = str(body.get("of", "")) or (first.statement if first else "")
    tile: Raw = {"tile": kind}
    line = line_mapping(first, str(body.get("of", ""))) if first else ""
    if kind in BY_LINE_KINDS and not body.get("choose"):
        tile["line"] = line
    if kind == "strip":
        tile["lines"] = [line]
    if kind == "words":
        tile["text"] = f"{{{first.code}}} is what stands." if first else ""
    if kind in ("part", "explanations", "words", "chart"):
        tile["of"] = usual
    return tile


def move_tile(body: Mapping[str, Any], key: str, by: int) -> Raw:
    """A tile one place on or back; over the end of its page onto the next or former one."""
    body = _keyed(body)
    number, place, tile = _find(body, key)
    own = list(body["pages"][number]["tiles"])
    wanted = place + by
    if 0 <= wanted < len(own):
        own.insert(wanted, own.pop(place))
        return _with_tiles(body, number, own)
    other = number + (1 if by > 0 else -1)
    if not 0 <= other < len(body["pages"]):
        raise RulkaError("It stands at the end already.", hint="Move another tile.", subject=f"tile {key}")
    del own[place]
    theirs = list(body["pages"][other].get("tiles", ()))
    theirs.insert(0 if by > 0 else len(theirs), tile)
    return _with_tiles(_with_tiles(body, number, own), other, theirs)


def size_tile(body: Mapping[str, Any], key: str, by: int) -> Raw:
    """A tile one size wider or narrower."""
    body = _keyed(body)
    number, place, tile = _find(body, key)
    kind: TileKind = tile["tile"]
    at = SIZES.index(int(tile.get("wide", USUAL_SIZE.get(kind, 6)))) + by
    if not 0 <= at < len(SIZES):
        raise RulkaError("It can't be wider." if by > 0 else "It can't be narrower.", subject=f"tile {key}")
    own = list(body["pages"][number]["tiles"])
    own[place] = {**tile, "wide": str(SIZES[at])}
    return _with_tiles(body, number, own)


def remove_tile(body: Mapping[str, Any], key: str) -> Raw:
    """A tile away."""
    body = _keyed(body)
    number, place, _ = _find(body, key)
    own = list(body["pages"][number]["tiles"])
    del own[place]
    return _with_tiles(body, number, own)


def set_tile(body: Mapping[str, Any], key: str, given: Mapping[str, str]) -> Raw:
    """What a tile shows, as a form says it; settings of several lines come one a line."""
    body = _keyed(body)
    number, place, tile = _find(body, key)
    kind: TileKind = tile["tile"]
    changed = {name: value for name, value in tile.items() if name not in FIELDS[kind]}
    usual = str(body.get("of", ""))
    former = {_code(one, usual): one for name in ("lines", "through") for one in tile.get(name, ())}
    for name in FIELDS[kind]:
        text = given.get(name, "").strip()
        if not text:
            continue
        if name in SEVERAL:
            rows = [" ".join(row.split()) for row in text.splitlines() if row.strip()]
            changed[name] = [former.get(row, row) if name in ("lines", "through") else row for row in rows]
        else:
            changed[name] = text if name == "text" else " ".join(text.split())
    if "through" in changed:
        changed.pop("line", None)
    own = list(body["pages"][number]["tiles"])
    own[place] = changed
    return _with_tiles(body, number, own)


def _code(raw: str | Mapping[str, Any], usual: str) -> str:
    """A line as a form's field shows it."""
    return shown_line(line_from(raw, usual, "line"), usual)


def shown_line(line: LineRef, usual: str) -> str:
    """A line as a form's field shows it: its label, with its statement where that isn't the usual one."""
    return line.label if line.statement == usual and ": " not in line.label else line.code


def fields_of(body: Mapping[str, Any], key: str) -> dict[str, str]:
    """A tile's settings as a form shows them."""
    _, _, tile = _find(body, key)
    kind: TileKind = tile["tile"]
    usual, found = str(body.get("of", "")), {}
    for name in FIELDS[kind]:
        value = tile.get(name, "")
        if name in ("lines", "through"):
            found[name] = "\n".join(_code(one, usual) for one in value)
        elif name in SEVERAL:
            found[name] = "\n".join(value)
        else:
            found[name] = _code(value, usual) if name == "line" and value else str(value)
    return found


def set_about(body: Mapping[str, Any], given: Mapping[str, str]) -> Raw:
    """Title, what it is for, unit, decimals, and the lines one can choose from."""
    title = " ".join(given.get("title", "").split())
    if not title:
        raise RulkaError("An overview needs a title.", hint="Write one.", subject="title")
    usual = str(body.get("of", ""))
    former = {_code(one, usual): one for one in body.get("choose", ())}
    lines = [" ".join(row.split()) for row in given.get("choose", "").splitlines() if row.strip()]
    changed = {
        **body, "title": title, "about": " ".join(given.get("about", "").split()),
        "figures": {"unit": given.get("unit", "thousands"), "decimals": given.get("decimals", "0")},
        "choose": [former.get(row, row) for row in lines],
    }  # fmt: skip
    return {name: value for name, value in changed.items() if value or name in ("overview", "pages")}


def add_page(body: Mapping[str, Any], title: str) -> Raw:
    """One more page, empty."""
    title = " ".join(title.split())[:60] or f"Page {len(body['pages']) + 1}"
    return {**body, "pages": [*body["pages"], {"page": title, "tiles": []}]}


def remove_page(body: Mapping[str, Any], number: int) -> Raw:
    """A page away, counted from 1, with its tiles; the last one stays."""
    pages = list(body["pages"])
    if not 1 <= number <= len(pages):
        raise NotFound(f"There is no page {number}.", hint=f"It has {len(pages)}.", subject="page")
    if len(pages) == 1:
        raise RulkaError("An overview has one page at least.", hint="Take its tiles away.", subject="page")
    del pages[number - 1]
    return {**body, "pages": pages}
