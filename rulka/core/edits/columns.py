"""Edits of columns: insert, duplicate, remove, move, become another kind, share a heading."""

from __future__ import annotations

import copy
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from rulka.core.definitions.expressions import names_in, parse_formula, renamed
from rulka.core.definitions.headings import by_example
from rulka.core.definitions.keys import numbered, slug
from rulka.core.definitions.spans import COMPARED
from rulka.core.edits.references import raw_columns
from rulka.core.edits.settings import set_value
from rulka.core.edits.tree import Edited, Raw, quoted
from rulka.core.errors import NotFound, RulkaError, one_of

KINDS = ("figures", *COMPARED, "text", "series")
FIGURES = (
    "scenario",
    "then",
    "window",
    "shift",
    "weeks",
    "by day",
    "measure",
    "credits",
    "entries",
    "narrow",
    "node",
    "inside",
    "calendar",
    "part",
)
KEPT = ("heading", "group", "number", "width", "hide")
"""What outlasts a change of kind."""


@dataclass(frozen=True)
class ColumnPlace:
    """A column as it is written among its siblings; `series` is the series around it."""

    key: str
    raw: Raw
    siblings: list[Raw]
    series: Raw | None = None

    @property
    def at(self) -> int:
        return next(at for at, raw in enumerate(self.siblings) if raw is self.raw)

    @property
    def label(self) -> str:
        """What people call it: its heading, for a series what it is cut into."""
        heading = str(self.raw.get("heading", self.key))
        return f"each {self.raw['each']}" if "{" in heading and "each" in self.raw else by_example(heading)


def key_of(raw: Raw) -> str:
    """The key of a column or a series as it is written."""
    return str(raw.get("column", raw.get("series", "")))


def column_kind(raw: Raw) -> str:
    """The kind of a column as it is written."""
    return next((kind for kind in KINDS[1:] if kind in raw), "figures")


def places(body: Raw) -> dict[str, ColumnPlace]:
    """Every column and series by its key, in the order they are written."""
    found = {}
    for raw in body["columns"]:
        found[key_of(raw)] = ColumnPlace(key_of(raw), raw, body["columns"])
        for inner in raw.get("columns", ()):
            found[key_of(inner)] = ColumnPlace(key_of(inner), inner, raw["columns"], raw)
    return found


def find_column(body: Raw, key: str) -> ColumnPlace:
    """One column by its key; NotFound names the nearest."""
    known = places(body)
    if key not in known:
        raise NotFound(
            f"Column '{key}' does not exist.",
            hint=f"Perhaps somebody deleted it. {one_of(key, known)}",
            subject="column",
        )
    return known[key]


def find_columns(body: Raw, keys: Sequence[str]) -> list[ColumnPlace]:
    """Several columns in the order they are written, without those inside of a series that is asked for too."""
    if not keys:
        raise RulkaError("No column is chosen.", hint="Choose one by its heading.", subject="column")
    wanted = {find_column(body, key).key for key in keys}
    return [
        place
        for key, place in places(body).items()
        if key in wanted and not (place.series and key_of(place.series) in wanted)
    ]


def free_key(body: Raw, wanted: str) -> str:
    """A key that no column has yet."""
    return numbered(slug(wanted), set(places(body)).__contains__)


def new_column(body: Raw, kind: str, at: str = "") -> Raw:
    """A column of a kind as it begins, working on what stands to the left of it."""
    if kind not in KINDS:
        raise RulkaError(f"'{kind}' is no kind of column.", hint=one_of(kind, KINDS), subject="column")
    return {("series" if kind == "series" else "column"): free_key(body, kind), **_begin(body, kind, at)}


def _begin(body: Raw, kind: str, at: str) -> Raw:
    """The settings that a column of a kind needs: comparisons take the nearest columns of amounts to the left."""
    left = _amounts_before(body, at)
    if kind == "figures":
        return {"heading": "{scenario}"}
    if kind == "series":
        return {"each": "period", "within": "last 12 periods", "heading": "{period.end:Oct 26}"}
    if kind == "text":
        return {"text": "accounts", "heading": "Accounts"}
    needed = 2 if kind in ("difference", "percent", "sum", "check") else 1
    if len(left) < needed:
        raise RulkaError(
            f"A {kind} column works on {needed} column{'s' if needed > 1 else ''} of amounts to the left of it.",
            hint="Add them first.",
            subject="column",
        )
    if kind in ("difference", "percent"):
        return {kind: _compared(body, at, left), "heading": "Difference" if kind == "difference" else "%"}
    if kind == "sum":
        return {"sum": left[-2:], "heading": "Sum"}
    if kind == "check":
        return {"check": left[-2:-1], "equals": left[-1], "heading": "Apart"}
    if kind == "share":
        return {"share": left[-1], "line": "", "heading": "Share"}
    return {"formula": left[-1] if left[-1].isidentifier() else f'"{left[-1]}"', "heading": "Calculated"}


def _compared(body: Raw, at: str, left: list[str]) -> list[str]:
    """The pair that a new comparison takes: that of the comparison beside it, else the two nearest columns of figures,
    else of amounts."""
    known = places(body)
    beside = known[at].raw if at in known else {}
    pair = beside.get("difference") or beside.get("percent")
    figures = [key for key in left if column_kind(known[key].raw) == "figures"]
    return list(pair) if pair else (figures if len(figures) > 1 else left)[-2:]


def _amounts_before(body: Raw, at: str) -> list[str]:
    found = []
    place = places(body).get(at)
    siblings = place.siblings if place else body["columns"]
    for raw in siblings:
        if column_kind(raw) in ("figures", "difference", "sum", "formula"):
            found.append(key_of(raw))
        if key_of(raw) == at:
            break
    return found


def insert(body: Raw, at: str, where: str, raw: Raw) -> Edited:
    """Put a new column right (below) or left (above) of another, at the end without one."""
    if at:
        place = find_column(body, at)
        place.siblings.insert(place.at + (where != "above"), raw)
    else:
        body["columns"].append(raw)
    return Edited(f"column {key_of(raw)} added", (key_of(raw),))


def duplicate(body: Raw, keys: Sequence[str]) -> Edited:
    """Each chosen column again right of the last of them; copies that work on columns copied too work on those
    copies."""
    chosen = find_columns(body, keys)
    copies = copies_of(body, [place.raw for place in chosen])
    last = chosen[-1]
    last.siblings[last.at + 1 : last.at + 1] = copies
    return Edited(
        f"column {quoted([place.label for place in chosen])} duplicated", tuple(key_of(raw) for raw in copies)
    )


def paste(body: Raw, at: str, raws: Sequence[Raw]) -> Edited:
    """Columns of another span right of a column, at the end without one; what works on columns that didn't come along
    is refused."""
    known = set(places(body)) | {key_of(raw) for raw in raw_columns(raws)}
    missing = sorted({key for raw in raw_columns(raws) for key in operands(raw)} - known)
    if missing:
        raise RulkaError(f"They work on {quoted(missing)}, which is not here.", hint="Copy that too.", subject="column")
    copies = copies_of(body, raws)
    siblings, place = (
        (find_column(body, at).siblings, find_column(body, at).at + 1)
        if at
        else (body["columns"], len(body["columns"]))
    )
    siblings[place:place] = copies
    return Edited(
        f"column {quoted([str(raw.get('heading', key_of(raw))) for raw in copies])} pasted",
        tuple(key_of(raw) for raw in copies),
    )


def copies_of(body: Raw, raws: Sequence[Raw]) -> list[Raw]:
    """Copies of columns under keys that are free; what works on one of them works on its copy."""
    copies: list[Raw] = []
    names: dict[str, str] = {}
    for raw_column in raws:
        made = copy.deepcopy(raw_column)
        for raw in raw_columns([made]):
            former = key_of(raw)
            beside = [other for other in raw_columns([made]) if other is not raw]
            names[former] = free_key({"columns": [*body["columns"], *copies, *beside]}, former)
            raw["series" if "series" in raw else "column"] = names[former]
        copies.append(made)
    for raw in raw_columns(copies):
        _rename_operands(raw, names)
    return copies


def _rename_operands(raw: Raw, names: Mapping[str, str]) -> None:
    """All operands of a column at once, so that a new name is never taken for a former one."""
    for field in ("difference", "percent", "sum", "check"):
        if field in raw:
            raw[field] = [names.get(key, key) for key in raw[field]]
    for field in ("share", "base", "equals"):
        if raw.get(field) in names:
            raw[field] = names[raw[field]]
    if raw.get("formula"):
        meantime = {former: f"renamed{at}" for at, former in enumerate(names)}
        for former, name in meantime.items():
            raw["formula"] = renamed(raw["formula"], former, name)
        for former, name in meantime.items():
            raw["formula"] = renamed(raw["formula"], name, names[former])


def operands(raw: Raw) -> set[str]:
    """The keys of the columns that one works on."""
    found = {key for field in ("difference", "percent", "sum", "check") for key in raw.get(field, ())}
    found |= {raw[field] for field in ("share", "base", "equals") if raw.get(field)}
    return found | {name.text for name in names_in(parse_formula(raw["formula"]))} if raw.get("formula") else found


def remove(body: Raw, keys: Sequence[str]) -> Edited:
    """Take columns out; refused while others work on them, and for the last one there is."""
    chosen = find_columns(body, keys)
    going = [raw for place in chosen for raw in raw_columns([place.raw])]
    gone = {key_of(raw) for raw in going}
    gone |= {f"{key_of(raw)}-total" for raw in going if raw.get("total")}
    users = [key_of(raw) for raw in raw_columns(body["columns"]) if raw not in going and operands(raw) & gone]
    if users:
        label = quoted([place.label for place in chosen])
        raise RulkaError(
            f"{label} is used by {quoted(users)}.", hint="Change or delete that first.", subject="column", code="used"
        )
    last = chosen[-1]
    for place in chosen:
        del place.siblings[place.at]
        if place.series is not None and not place.siblings:
            del place.series["columns"]
    if not body["columns"]:
        raise RulkaError("A statement keeps at least one column.", hint="Change this one instead.", subject="column")
    beside = (last.siblings or body["columns"])[-1]
    return Edited(f"column {quoted([place.label for place in chosen])} deleted", (key_of(beside),))


def move(body: Raw, keys: Sequence[str], way: str) -> Edited:
    """Move columns one step left or right; what works on others stays right of them, which the span itself refuses."""
    chosen = find_columns(body, keys)
    siblings = chosen[0].siblings
    if any(place.siblings is not siblings for place in chosen):
        raise RulkaError("The chosen columns stand in different series.", subject="column")
    start, end = chosen[0].at, chosen[-1].at
    if (way == "left" and start == 0) or (way == "right" and end == len(siblings) - 1):
        raise RulkaError("It can't go further.", hint="It is the outermost already.", subject="column")
    raws = [place.raw for place in chosen]
    for place in chosen:
        del place.siblings[place.at]
    at = start - 1 if way == "left" else end + 2 - len(raws)
    siblings[at:at] = raws
    return Edited(
        f"column {quoted([place.label for place in chosen])} moved {way}", tuple(place.key for place in chosen)
    )


def move_to(body: Raw, keys: Sequence[str], at: str, where: str) -> Edited:
    """Move columns left (above) or right (below) of another one: what dragging does."""
    chosen, target = find_columns(body, keys), find_column(body, at)
    if target.key in {place.key for place in chosen}:
        raise RulkaError("A column can't move next to itself.", subject="column")
    if any(place.siblings is not target.siblings for place in chosen):
        raise RulkaError(
            "Columns stay inside of their series.", hint="Change what the series makes instead.", subject="column"
        )
    raws = [place.raw for place in chosen]
    for place in chosen:
        del place.siblings[place.at]
    spot = target.at + (where != "above")
    target.siblings[spot:spot] = raws
    return Edited(f"column {quoted([place.label for place in chosen])} moved", tuple(place.key for place in chosen))


def change_kind(body: Raw, key: str, kind: str) -> Edited:
    """Make another kind of a column; its heading, style and width stay."""
    place = find_column(body, key)
    former = column_kind(place.raw)
    if kind not in KINDS:
        raise RulkaError(f"'{kind}' is no kind of column.", hint=one_of(kind, KINDS), subject="column")
    if kind == former:
        return Edited("", (key,))
    if place.series is not None and kind == "series":
        raise RulkaError("A series holds another series.", hint="Make it a series of its own.", subject=f"column {key}")
    at = place.at
    before = {"columns": [*place.siblings[:at]]}
    amounts = ("figures", "series")
    kept = KEPT if {former, kind} <= set(amounts) else tuple(name for name in KEPT if name not in ("heading",))
    made = {name: place.raw[name] for name in kept if name in place.raw}
    if former in amounts and kind in amounts:
        made |= {
            name: place.raw[name]
            for name in FIGURES
            if name in place.raw and not (kind == "series" and name == "window")
        }
    begin = _begin(before, kind, "")
    place.raw.clear()
    place.raw.update({("series" if kind == "series" else "column"): key, **begin, **made})
    if kind == "series":
        place.raw["heading"] = begin["heading"]
    return Edited(f"column {key} is a {kind} column now", (key,))


def set_column(body: Raw, key: str, path: str, text: str) -> Edited:
    """Set a setting of a column; a new key is followed by the columns that work on it."""
    place = find_column(body, key)
    if path == "key":
        new = text.strip()
        if new == key:
            return Edited("", (key,))
        if new in places(body):
            raise RulkaError(f"The key '{new}' is used twice.", hint="Give each its own key.", subject=f"column {key}")
        for raw in raw_columns(body["columns"]):
            _rename_operands(raw, {key: new})
        place.raw["series" if "series" in place.raw else "column"] = new
        return Edited(f"column {key} is called {new}", (new,))
    if path in ("column", "series", "columns"):
        raise RulkaError(
            f"'{path}' is no setting of a column.",
            hint="Change its key, or add to the series.",
            subject=f"column {key}",
        )
    told = set_value(place.raw, path, text)
    return Edited(f"column {place.label}: {told}" if told else "", (key,))


def set_heading_over(body: Raw, keys: Sequence[str], text: str) -> Edited:
    """Give several columns one heading over them, or none."""
    chosen = find_columns(body, keys)
    told = [set_value(place.raw, "group", text) for place in chosen]
    heading = f"heading over {quoted([place.label for place in chosen])} to {text.strip() or 'none'}"
    return Edited(heading if any(told) else "", tuple(place.key for place in chosen))
