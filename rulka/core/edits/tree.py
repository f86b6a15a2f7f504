"""Where lines stand in a spine's body, and how their keys are kept while they move."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import wraps
from typing import Any, Concatenate, ParamSpec, cast

from rulka.core.definitions.keys import KeyGiver, numbered
from rulka.core.definitions.spines import LINE_KINDS, UNLABELLED, raw_lines
from rulka.core.errors import NotFound, RulkaError, first_of, one_of

Raw = dict[str, Any]
P = ParamSpec("P")


@dataclass(frozen=True)
class Edited:
    """What an edit did, in words, and the keys of the lines or columns that are chosen after it."""

    told: str
    chosen: tuple[str, ...] = ()


@dataclass(frozen=True)
class Spot:
    """A line as it is written, among its siblings; `parents` are the sections around it, the outermost first."""

    key: str
    raw: Raw
    siblings: list[Raw]
    parents: tuple[Raw, ...] = ()

    @property
    def place(self) -> int:
        return next(at for at, raw in enumerate(self.siblings) if raw is self.raw)

    @property
    def label(self) -> str:
        return label_of(self.raw)


def line_kind(raw: Raw) -> str:
    """The kind of a line as it is written."""
    return next(kind for kind in LINE_KINDS if kind in raw)


def label_of(raw: Raw) -> str:
    """A line's label, its kind where it has none."""
    kind = line_kind(raw)
    return kind if kind in UNLABELLED else str(raw[kind])


def _keys(body: Raw) -> list[str]:
    lines = list(raw_lines(body["lines"]))
    giver = KeyGiver(str(raw["key"]) for raw in lines if raw.get("key"))
    return [giver.give(raw.get("key", ""), label_of(raw), f"spine {body.get('spine', '')}") for raw in lines]


def spots(body: Raw) -> dict[str, Spot]:
    """Every line by its key, in the order they are written."""
    found: dict[str, Spot] = {}
    keys = iter(_keys(body))

    def walk(siblings: list[Raw], parents: tuple[Raw, ...]) -> None:
        for raw in siblings:
            key = next(keys)
            found[key] = Spot(key, raw, siblings, parents)
            walk(raw.get("lines", []), (*parents, raw))

    walk(body["lines"], ())
    return found


def find_line(body: Raw, key: str) -> Spot:
    """One line by its key; NotFound names the nearest."""
    return _known(spots(body), key)


def _known(known: dict[str, Spot], key: str) -> Spot:
    if key not in known:
        raise NotFound(
            f"Line '{key}' does not exist.", hint=f"Perhaps somebody deleted it. {one_of(key, known)}", subject="line"
        )
    return known[key]


def find_lines(body: Raw, keys: Sequence[str]) -> list[Spot]:
    """Several lines in the order they are written, without those that stand inside of another one asked for."""
    if not keys:
        raise RulkaError("No line is chosen.", hint="Choose one first.", subject="line")
    known = spots(body)
    chosen = {id(_known(known, key).raw) for key in keys}
    return [
        spot
        for spot in known.values()
        if id(spot.raw) in chosen and not any(id(parent) in chosen for parent in spot.parents)
    ]


def keys_of_raws(body: Raw, raws: Sequence[Raw]) -> tuple[str, ...]:
    """The keys that lines have now."""
    wanted = {id(raw) for raw in raws}
    return tuple(key for key, spot in spots(body).items() if id(spot.raw) in wanted)


def keeping_keys(edit: Callable[Concatenate[Raw, P], Edited]) -> Callable[Concatenate[Raw, P], Edited]:
    """Let an edit move, rename and add lines: each line that was there keeps its key, written down only where it must
    be."""

    @wraps(edit)
    def kept(body: Raw, *arguments: P.args, **named: P.kwargs) -> Edited:
        pinned = {id(spot.raw): (spot.raw, key) for key, spot in spots(body).items()}
        edited = edit(body, *arguments, **named)
        known = spots(body)
        chosen = {id(known[key].raw) for key in edited.chosen}
        for _ in range(len(pinned) + 1):
            moved = [spot for key, spot in known.items() if pinned.get(id(spot.raw), (None, key))[1] != key]
            if not moved:
                break
            for spot in moved:
                spot.raw["key"] = pinned[id(spot.raw)][1]
            known = spots(body)
        now = tuple(key for key, spot in known.items() if id(spot.raw) in chosen)
        return Edited(edited.told, now)

    return cast(Callable[Concatenate[Raw, P], Edited], kept)


def free_label(body: Raw, wanted: str) -> str:
    """A label that no line and no total has yet: the one wanted, or it with a number."""
    taken = {str(raw.get(field, "")).casefold() for raw in raw_lines(body["lines"]) for field in (*LINE_KINDS, "total")}
    return numbered(wanted, lambda label: label.casefold() in taken, " ")


def quoted(labels: Sequence[str], most: int = 4) -> str:
    """Some labels in a sentence."""
    return first_of(labels, most)
