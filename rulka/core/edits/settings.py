"""Settings of lines, columns and statements: set one by its path, fall back to the default when it is emptied."""

from __future__ import annotations

from collections.abc import Iterable

from rulka.core.books.selection import NOTHING
from rulka.core.definitions.spines import UNLABELLED
from rulka.core.edits.lines import total_of
from rulka.core.edits.references import rename_beside, rename_in_spine
from rulka.core.edits.tree import Edited, Raw, Spot, find_line, keeping_keys, keys_of_raws, line_kind
from rulka.core.errors import RulkaError

LISTS = {
    "expand": ",",
    "agree": "\n",
    "columns": ",",
    "group": "\n",
    "of": ",",
    "totals": ",",
    "difference": ",",
    "percent": ",",
    "sum": ",",
    "check": ",",
    "notes": "\n",
}
"""Settings that are lists, with what stands between their parts where a person writes them."""


def value_of(raw: Raw, path: str) -> str:
    """A setting as a person writes it, empty when it is left to its default."""
    place: object = raw
    for step in path.split("."):
        if not isinstance(place, dict):
            return ""
        place = place.get(step, "")
    if isinstance(place, list):
        return (LISTS.get(path.split(".")[-1], ",") + " ").replace("\n ", "\n").join(place)
    return str(place)


def set_value(raw: Raw, path: str, text: str) -> str:
    """Set one setting; returns what was done in words, empty when nothing changed."""
    former = value_of(raw, path)
    text = text.strip()
    if text == former:
        return ""
    *steps, last = path.split(".")
    around: list[Raw] = [raw]
    for step in steps:
        inner = around[-1].setdefault(step, {})
        if not isinstance(inner, dict):
            raise RulkaError(f"'{path}' is no setting.", hint="Load the page again.", subject="setting")
        around.append(inner)
    value: object = text
    if last in LISTS:
        parts = [part.strip() for part in text.split(LISTS[last])]
        value = [part for part in parts if part]
        if last in ("expand", "group") and len(parts) == 1:
            value = text
    if text:
        around[-1][last] = value
    else:
        around[-1].pop(last, None)
    for step, inner in reversed(list(zip(steps, around, strict=False))):
        if not inner[step]:
            del inner[step]
    return f"{setting_words(path)} to {text}" if text else f"{setting_words(path)} as usual"


def setting_words(path: str) -> str:
    """A setting's name in words: `figures.decimals` is `decimals`, `look.number.unit` is `number unit`."""
    first, _, rest = path.partition(".")
    return (
        {"look": rest, "figures": rest, "explain": f"to explain {rest}"}.get(first, path).replace(".", " ")
        if rest
        else path
    )


@keeping_keys
def set_line(body: Raw, key: str, path: str, text: str, beside: Iterable[Raw] = ()) -> Edited:
    """Set a setting of a line; a new label or total is followed by everything that refers to it, `beside` this spine
    too."""
    spot = find_line(body, key)
    kind = line_kind(spot.raw)
    if path == "lines":
        raise RulkaError("What a section holds is no setting.", hint="Move lines into it.", subject=f"line {key}")
    if path == "label":
        path = kind
        if kind in UNLABELLED:
            raise RulkaError(f"A {kind} has no label.", subject=f"line {key}")
    if path == "accounts" and not text.strip():
        text = NOTHING
    if path in (kind, "total"):
        former, value = spot.label, text.strip()
        if value == spot.raw.get(path, ""):
            return Edited("", (key,))
        _rename(body, spot, path, value, list(beside))
        return Edited(
            f"{former}: {'total ' if path == 'total' else ''}{value or 'without a total'}",
            keys_of_raws(body, [spot.raw]),
        )
    was_whole = path == "expand" and not spot.raw.get("expand")
    told = set_value(spot.raw, path, text)
    if was_whole and text.strip():  # the line stays, with its total; what it expands into stands below it
        spot.raw["rows"] = "below"
    if path == "expand" and not text.strip():
        spot.raw.pop("rows", None)
    if path == "periods" and not text.strip():
        spot.raw.pop("total", None)
    other = {"agree": "holds", "holds": "agree"}.get(path)
    if other and text.strip():  # a check says one of them
        spot.raw.pop(other, None)
    return Edited(f"{spot.label}: {told}" if told else "", (key,))


def _rename(body: Raw, spot: Spot, path: str, text: str, beside: list[Raw]) -> None:
    former = str(spot.raw.get(path, ""))
    follows = path == "section" and spot.raw.get("total") == total_of(former)
    if former and text:
        rename_in_spine(body, former, text)
        rename_beside(beside, former, text, spot.key)
    if text or path != "total":
        spot.raw[path] = text
    else:
        spot.raw.pop(path, None)
    if follows and text:
        _rename(body, spot, "total", total_of(text), beside)
