"""Changes of a filing: each takes its text as a mapping and gives another one."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from copy import deepcopy
from typing import Any, Final

from rulka.core.errors import RulkaError

ABOUT: Final = ("title", "about", "folio", "scheme", "identifier", "period", "node")


def tagged_line(body: Mapping[str, Any], statement: str, line: str, tag: Mapping[str, Any]) -> dict[str, Any]:
    """A line with another tag, whatever it had; `tag` as it is written (`concept`, `sign`, `left out` ...)."""
    made, own = _with(body, statement)
    kept = {name: value for name, value in tag.items() if value not in ("", None, {})}
    own["lines"] = _put(own.get("lines", []), "line", line, kept)
    return made


def tagged_column(body: Mapping[str, Any], statement: str, column: str, tag: Mapping[str, Any]) -> dict[str, Any]:
    """A column that is reported, or left out."""
    made, own = _with(body, statement)
    kept = {name: value for name, value in tag.items() if value not in ("", None, {})}
    own["columns"] = _put(own.get("columns", []), "column", column, kept)
    return made


def untagged(body: Mapping[str, Any], statement: str, *, line: str = "", column: str = "") -> dict[str, Any]:
    """A line or column of which nothing is said."""
    made, own = _with(body, statement)
    kind, key = ("lines", line) if line else ("columns", column)
    word = kind.removesuffix("s")
    own[kind] = [one for one in own.get(kind, []) if one[word] != key]
    if not own.get("lines") and not own.get("columns"):
        made["statements"] = [one for one in made["statements"] if one is not own]
    return made


def tagged_text(body: Mapping[str, Any], section: str, concept: str) -> dict[str, Any]:
    """A section of words that is reported; with the concept of another one both are one text. Without a concept it
    isn't reported."""
    made = deepcopy(dict(body))
    texts = [
        {"concept": one["concept"], "sections": [key for key in one["sections"] if key != section]}
        for one in made.get("texts", [])
    ]
    texts = [one for one in texts if one["sections"]]
    if concept:
        same = next((one for one in texts if one["concept"] == concept), None)
        if same is None:
            texts.append({"concept": concept, "sections": [section]})
        else:
            same["sections"] = [*same["sections"], section]
    made["texts"] = texts
    return made


def by_taxonomy(body: Mapping[str, Any], taxonomy: str) -> dict[str, Any]:
    """Another taxonomy; the tags stay as they are, and what they were made for is kept with them."""
    if taxonomy == body["taxonomy"]:
        return dict(body)
    return {**deepcopy(dict(body)), "taxonomy": taxonomy, "former taxonomy": body["taxonomy"]}


def moved_concept(body: Mapping[str, Any], old: str, new: str) -> dict[str, Any]:
    """Every tag of one concept becomes one of another."""
    made, count = deepcopy(dict(body)), 0
    for own in made.get("statements", []):
        for one in (*own.get("lines", []), *own.get("columns", [])):
            if one.get("concept") == old:
                one["concept"], count = new, count + 1
    for text in made.get("texts", []):
        if text["concept"] == old:
            text["concept"], count = new, count + 1
    if not count:
        raise RulkaError(f"Nothing is tagged as '{old[:80]}'.", hint="Load the page again.", subject="concept")
    return made


def set_about(body: Mapping[str, Any], values: Mapping[str, str]) -> dict[str, Any]:
    """Its title, folio, who files, period and node."""
    made = {**deepcopy(dict(body)), **{name: " ".join(values[name].split()) for name in ABOUT if name in values}}
    return {name: value for name, value in made.items() if value != "" or name not in ABOUT}


def _with(body: Mapping[str, Any], statement: str) -> tuple[dict[str, Any], dict[str, Any]]:
    """A copy, and the tags of a statement in it."""
    made = deepcopy(dict(body))
    made["statements"] = list(made.get("statements", []))
    own = next((one for one in made["statements"] if one["statement"] == statement), None)
    if own is None:
        own = {"statement": statement}
        made["statements"].append(own)
    return made, own


def _put(entries: Sequence[Mapping[str, Any]], word: str, key: str, tag: Mapping[str, Any]) -> list[dict[str, Any]]:
    """Entries with one put in the place of what bears its key, or at the end."""
    made = {word: key, **{name: value for name, value in tag.items() if name != word}}
    every = [dict(entry) for entry in entries]
    places = [place for place, entry in enumerate(every) if entry[word] == key]
    if not places:
        return [*every, made]
    every[places[0]] = made
    return [entry for place, entry in enumerate(every) if place not in places[1:]]
