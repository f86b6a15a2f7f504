"""Edits of lines: insert, duplicate, remove, move, put into a section, merge, become another kind."""

from __future__ import annotations

import copy
from collections.abc import Sequence

from rulka.core.books.chart import CodeList
from rulka.core.books.selection import NOTHING
from rulka.core.definitions.keys import inside_words
from rulka.core.definitions.spines import LINE_KINDS, UNLABELLED, raw_lines
from rulka.core.edits.choosing import joined
from rulka.core.edits.references import refuse_if_used, rename_in_spine
from rulka.core.edits.tree import (
    Edited,
    Raw,
    Spot,
    find_line,
    find_lines,
    free_label,
    keeping_keys,
    keys_of_raws,
    label_of,
    line_kind,
    quoted,
)
from rulka.core.errors import RulkaError, one_of

WHERE = ("below", "above", "inside", "first")
"""Where lines go: `inside` is the end of a section, `first` its beginning."""
WAYS = ("up", "down", "in", "out")
NEW = {
    "line": {"line": "New line", "accounts": NOTHING},
    "calculation": {"calculation": "New calculation", "formula": "0"},
    "section": {"section": "New section", "lines": [], "total": "Total new section"},
    "heading": {"heading": "New heading"},
    "text": {"text": "New text"},
    "check": {"check": "New check", "holds": "1 = 1"},
    "spacer": {"spacer": "yes"},
    "page break": {"page break": "yes"},
}
"""How a line of each kind begins."""


def new_line(body: Raw, kind: str) -> Raw:
    """A line of a kind as it begins, with a label that is free."""
    if kind not in NEW:
        raise RulkaError(f"'{kind}' is no kind of line.", hint=one_of(kind, NEW), subject="line")
    raw: Raw = copy.deepcopy(NEW[kind])  # type: ignore[arg-type]
    if kind not in UNLABELLED:
        raw[kind] = free_label(body, raw[kind])
    if kind == "section":
        raw["total"] = free_label(body, total_of(raw[kind]))
    return raw


def total_of(label: str) -> str:
    """The label that a section's total has when nobody gave it one: `Total income` for Income."""
    return f"Total {inside_words(label)}"


@keeping_keys
def insert(body: Raw, at: str, where: str, raws: Sequence[Raw]) -> Edited:
    """Put new lines below, above or inside of a line; without one at the end."""
    _put(body, at, where, raws)
    return Edited(f"{quoted([label_of(raw) for raw in raws])} added", keys_of_raws(body, raws))


def _put(body: Raw, at: str, where: str, raws: Sequence[Raw]) -> None:
    if where not in WHERE:
        raise RulkaError(f"'{where}' is no place.", hint=one_of(where, WHERE), subject="place")
    if not at:
        body["lines"].extend(raws)
        return
    spot = find_line(body, at)
    if where in ("inside", "first"):
        if line_kind(spot.raw) != "section":
            raise RulkaError(f"{spot.label} is no section.", hint="Put it above or below.", subject="line")
        at_end = len(spot.raw["lines"]) if where == "inside" else 0
        spot.raw["lines"][at_end:at_end] = raws
        return
    place = spot.place + (where == "below")
    spot.siblings[place:place] = raws


@keeping_keys
def duplicate(body: Raw, keys: Sequence[str]) -> Edited:
    """Each chosen line again below the last of them, under labels of their own; formulas inside follow the copies."""
    chosen = find_lines(body, keys)
    copies = copies_of(body, [spot.raw for spot in chosen])
    last = chosen[-1]
    last.siblings[last.place + 1 : last.place + 1] = copies
    return Edited(f"{quoted([spot.label for spot in chosen])} duplicated", keys_of_raws(body, copies))


def copies_of(body: Raw, raws: Sequence[Raw]) -> list[Raw]:
    """Copies of lines with labels that are free, without keys; what refers to one of them refers to its copy."""
    copies = copy.deepcopy(list(raws))
    holder: Raw = {"lines": copies}
    for raw in raw_lines(copies):
        raw.pop("key", None)
        kind = line_kind(raw)
        for field in (kind, "total") if kind not in UNLABELLED else ():
            if raw.get(field) and kind not in ("text", "heading"):
                former, raw[field] = raw[field], ""
                raw[field] = free_label({"lines": [*body["lines"], *copies]}, former)
                if raw[field] != former:
                    rename_in_spine(holder, former, raw[field])
    return copies


@keeping_keys
def remove(body: Raw, keys: Sequence[str]) -> Edited:
    """Take lines out; refused while others work on them, and for the last line there is."""
    chosen = find_lines(body, keys)
    refuse_if_used(body, [spot.raw for spot in chosen])
    last = chosen[-1]
    after = last.siblings[last.place + 1 :] or list(
        reversed([raw for raw in last.siblings if not any(raw is spot.raw for spot in chosen)])
    )
    beside = after[:1] or [*last.parents[-1:]]
    _take(chosen)
    if not body["lines"]:
        raise RulkaError("A statement keeps at least one line.", hint="Change this one instead.", subject="line")
    return Edited(f"{quoted([spot.label for spot in chosen])} deleted", keys_of_raws(body, beside))


def _take(chosen: Sequence[Spot]) -> list[Raw]:
    for spot in chosen:
        del spot.siblings[spot.place]
    return [spot.raw for spot in chosen]


@keeping_keys
def move(body: Raw, keys: Sequence[str], way: str) -> Edited:
    """Move lines one step up or down among their siblings (past the end of a section: out of it), into the next section
    or out."""
    if way not in WAYS:
        raise RulkaError(f"'{way}' is no way to move.", hint=one_of(way, WAYS), subject="line")
    chosen = find_lines(body, keys)
    if any(spot.siblings is not chosen[0].siblings for spot in chosen):
        raise RulkaError(
            "The chosen lines stand in different sections.", hint="Choose lines of one section.", subject="line"
        )
    first, siblings = chosen[0], chosen[0].siblings
    start, end = first.place, chosen[-1].place
    edge = start == 0 if way == "up" else end == len(siblings) - 1
    if way == "in":
        _move_in(chosen, siblings, start, end)
    elif way == "out" or edge:
        _move_out(body, chosen, above=way == "up")
    else:
        raws = _take(chosen)
        place = start - 1 if way == "up" else end + 2 - len(raws)
        siblings[place:place] = raws
    return Edited(
        f"{quoted([spot.label for spot in chosen])} moved {way}", keys_of_raws(body, [spot.raw for spot in chosen])
    )


def _move_in(chosen: Sequence[Spot], siblings: list[Raw], start: int, end: int) -> None:
    above = siblings[start - 1] if start else None
    below = siblings[end + 1] if end + 1 < len(siblings) else None
    if above is not None and line_kind(above) == "section":
        above["lines"].extend(_take(chosen))
    elif below is not None and line_kind(below) == "section":
        below["lines"][:0] = _take(chosen)
    else:
        raise RulkaError(
            "There is no section just above or below.",
            hint="Put it into a new section, or move it next to one.",
            subject="line",
        )


def _move_out(body: Raw, chosen: Sequence[Spot], *, above: bool) -> None:
    parents = chosen[0].parents
    if not parents:
        raise RulkaError("It can't go further.", hint="It is the outermost already.", subject="line")
    around = parents[-2]["lines"] if len(parents) > 1 else body["lines"]
    place = next(at for at, raw in enumerate(around) if raw is parents[-1]) + (not above)
    around[place:place] = _take(chosen)


@keeping_keys
def move_to(body: Raw, keys: Sequence[str], at: str, where: str) -> Edited:
    """Move lines to another place: what dragging does."""
    chosen, target = find_lines(body, keys), find_line(body, at)
    moving = {id(spot.raw) for spot in chosen}
    if id(target.raw) in moving or any(id(parent) in moving for parent in target.parents):
        raise RulkaError("A line can't move into itself.", hint="Choose another place.", subject="line")
    raws = _take(chosen)
    _put(body, at, where, raws)
    return Edited(f"{quoted([label_of(raw) for raw in raws])} moved {where} {target.label}", keys_of_raws(body, raws))


@keeping_keys
def enclose(body: Raw, keys: Sequence[str]) -> Edited:
    """Put lines into a new section with a total, where the first of them stands."""
    chosen = find_lines(body, keys)
    section = new_line(body, "section")
    siblings, place = chosen[0].siblings, chosen[0].place
    siblings.insert(place, section)
    section["lines"] = _take(chosen)
    return Edited(f"{quoted([spot.label for spot in chosen])} put into a section", keys_of_raws(body, [section]))


@keeping_keys
def dissolve(body: Raw, key: str) -> Edited:
    """Take a section away and keep its lines; refused while something works on its total."""
    spot = find_line(body, key)
    if line_kind(spot.raw) != "section":
        raise RulkaError(f"{spot.label} is no section.", subject="line")
    inner = spot.raw["lines"]
    refuse_if_used(body, [{**spot.raw, "lines": []}])
    spot.siblings[spot.place : spot.place + 1] = inner
    return Edited(f"section {spot.label} dissolved", keys_of_raws(body, inner))


ABOUT_ACCOUNTS = ("line", "key", "accounts", "look", "hide", "ruling")
"""What may differ between lines that are merged."""


@keeping_keys
def merge(body: Raw, keys: Sequence[str], accounts: CodeList) -> Edited:
    """Make one line of several: the first with the accounts of them all; the others must read alike and not be worked
    on."""
    chosen = find_lines(body, keys)
    if len(chosen) < 2:
        raise RulkaError("One line alone can't be merged.", hint="Choose several: Shift and an arrow.", subject="line")
    wrong = [spot.label for spot in chosen if line_kind(spot.raw) != "line"]
    if wrong:
        raise RulkaError(
            f"{quoted(wrong)} selects no accounts.", hint="Only account lines can be merged.", subject="line"
        )
    first, *others = chosen
    settings = [{name: value for name, value in spot.raw.items() if name not in ABOUT_ACCOUNTS} for spot in chosen]
    unlike = [spot.label for spot, setting in zip(chosen, settings, strict=True) if setting != settings[0]]
    if unlike:
        names = sorted(
            {name for setting in settings for name in setting if setting.get(name) != settings[0].get(name)}
            | set(settings[0])
        )
        raise RulkaError(
            f"{quoted(unlike)} reads otherwise than {first.label}: {', '.join(names)}.",
            hint="Make them alike first.",
            subject="line",
        )
    refuse_if_used(body, [spot.raw for spot in others])
    first.raw["accounts"] = joined([spot.raw.get("accounts", "") for spot in chosen], accounts)
    _take(others)
    return Edited(
        f"{quoted([spot.label for spot in others])} merged into {first.label}", keys_of_raws(body, [first.raw])
    )


@keeping_keys
def change_kind(body: Raw, key: str, kind: str) -> Edited:
    """Make another kind of a line; its label stays, and what the new kind has no place for goes."""
    spot = find_line(body, key)
    former = line_kind(spot.raw)
    if kind not in LINE_KINDS:
        raise RulkaError(f"'{kind}' is no kind of line.", hint=one_of(kind, LINE_KINDS), subject="line")
    if kind == former:
        return Edited("", (key,))
    if former == "section" and spot.raw["lines"]:
        raise RulkaError(
            f"{spot.label} holds lines.", hint="Dissolve the section, or move its lines first.", subject="line"
        )
    if spot.raw.get("total"):
        refuse_if_used(body, [spot.raw])
    label, made = spot.label, new_line(body, kind)
    kept = {name: spot.raw[name] for name, kinds in TAKES.items() if name in spot.raw and kind in kinds}
    spot.raw.clear()
    if kind not in UNLABELLED and former not in UNLABELLED:
        made[kind] = label
        if kind == "section":
            made["total"] = total_of(label)
    spot.raw.update(made | kept)
    return Edited(f"{label} is a {kind} now", keys_of_raws(body, [spot.raw]))


TAKES = {
    "key": LINE_KINDS,
    "hide": ("section", "line", "calculation", "heading", "text", "spacer"),
    "look": ("section", "line", "calculation", "heading", "text", "check"),
    "columns": ("section", "line", "calculation", "heading", "text", "check"),
    "panel": ("section", "line", "calculation", "heading", "text", "spacer"),
}
"""Which kinds of lines have a setting that outlasts a change of kind."""
