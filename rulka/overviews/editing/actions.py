"""What can be done to an overview on its page: each action changes its text through `core/overviews/edits.py`."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from rulka.core.books.fence import Fence
from rulka.core.errors import NotFound, one_of
from rulka.core.overviews import edits
from rulka.core.overviews.definitions import LineRef, overview_from
from rulka.core.values import whole
from rulka.overviews.library.storing import TEXTS
from rulka.overviews.models import Overview
from rulka.overviews.running.checking import check_in
from rulka.people.models import Person

Sent = Mapping[str, str]
Change = Callable[[dict[str, Any], Sent], tuple[dict[str, Any], str]]
"""A body and what was sent to the changed body and the key of the tile that is looked at then."""


def _add(body: dict[str, Any], sent: Sent) -> tuple[dict[str, Any], str]:
    tile = edits.new_tile(body, sent.get("kind", ""), first_line(body))
    return edits.add_tile(body, whole(sent.get("page", "1") or "1", "page"), tile)


def first_line(body: Mapping[str, Any]) -> LineRef | None:
    """The line that a new tile begins with: the first to choose from, else the first that any tile shows."""
    definition = overview_from(body)
    every = [line for tile in definition.tiles for line in (tile.line, *tile.lines, *tile.through) if line]
    return next(iter([*definition.choices, *every]), None)


def _remove(body: dict[str, Any], sent: Sent) -> tuple[dict[str, Any], str]:
    return edits.remove_tile(body, sent.get("tile", "")), ""


ACTIONS: Mapping[str, tuple[str, Change]] = {
    "add": ("tile {kind} added", _add),
    "back": ("tile {tile} moved", lambda body, sent: (edits.move_tile(body, sent.get("tile", ""), -1), "")),
    "on": ("tile {tile} moved", lambda body, sent: (edits.move_tile(body, sent.get("tile", ""), 1), "")),
    "wider": ("tile {tile} wider", lambda body, sent: (edits.size_tile(body, sent.get("tile", ""), 1), "")),
    "narrower": ("tile {tile} narrower", lambda body, sent: (edits.size_tile(body, sent.get("tile", ""), -1), "")),
    "remove": ("tile {tile} away", _remove),
    "set": ("tile {tile}", lambda body, sent: (edits.set_tile(body, sent.get("tile", ""), sent), "")),
    "about": ("title and lines", lambda body, sent: (edits.set_about(body, sent), "")),
    "add-page": ("a page added", lambda body, sent: (edits.add_page(body, sent.get("title", "")), "")),
    "remove-page": (
        "a page away",
        lambda body, sent: (edits.remove_page(body, whole(sent.get("page", ""), "page")), ""),
    ),
}


def act(overview: Overview, name: str, sent: Sent, *, fence: Fence, person: Person) -> str:
    """Do an action of the page, checked in its ledger before it is kept; the key of the tile that it was about."""
    if name not in ACTIONS:
        raise NotFound(f"Nothing is called '{name[:30]}' here.", hint=one_of(name, ACTIONS), subject="action")
    words, change = ACTIONS[name]
    body, key = change(dict(overview.body), sent)
    check_in(overview.ledger, fence, person, body)
    told = words.format(tile=sent.get("tile", "")[:40], kind=sent.get("kind", "")[:20])
    seen = whole(sent["version"], "version") if sent.get("version") else None
    TEXTS.change(overview, body, told, person, seen)
    return key or sent.get("tile", "")
