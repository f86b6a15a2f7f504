"""An extract's text changed in one place: columns put in, taken out, moved, named; conditions; questions; order."""

from __future__ import annotations

import copy
from collections.abc import Mapping, Sequence
from typing import Any

from rulka.core.errors import NotFound, RulkaError, one_of
from rulka.core.extracting.definitions import TOTALS, extract_from, matched
from rulka.core.extracting.fields import RowKind
from rulka.core.values import is_whole

Body = dict[str, Any]


def _keys(body: Mapping[str, Any]) -> list[str]:
    return extract_from(body).column_keys


def _named(raw: Any) -> dict[str, Any]:
    return {"column": raw} if isinstance(raw, str) else dict(raw)


def _plain(raw: dict[str, Any]) -> Any:
    raw = {name: value for name, value in raw.items() if value}
    return raw["column"] if set(raw) == {"column"} else raw


def choose_fields(body: Mapping[str, Any], rows: RowKind, chosen: Sequence[str]) -> Body:
    """The columns so that just some fields are in, besides those put together and computed; new ones last."""
    found = copy.deepcopy(dict(body))
    wanted = [rows.field(name).name for name in chosen]
    kept = []
    for raw in found["columns"]:
        one = _named(raw)
        plain = "formula" not in one and "total" not in one
        if not plain:
            kept.append(raw)
        elif (name := _known(rows, one["column"])) in wanted:
            kept.append(raw)
            wanted.remove(name)
    found["columns"] = [*kept, *wanted]
    if not found["columns"]:
        raise RulkaError("An extract needs a column.", hint="Put another one in first.", subject="columns")
    return _without_strays(found)


def _known(rows: RowKind, name: str) -> str:
    """A field's own name; nothing for one that the rows have no more."""
    try:
        return rows.field(name).name
    except NotFound:
        return ""


def change_column(
    body: Mapping[str, Any], key: str, *, title: str = "", total: str = "", formula: str = "", kind: str = ""
) -> Body:
    """A column with another title, total or formula; what names it follows."""
    found = copy.deepcopy(dict(body))
    keys = _keys(body)
    at = keys.index(matched(key, keys))
    if total and total not in TOTALS:
        raise NotFound(f"'{total[:20]}' is no total.", hint=one_of(total, TOTALS), subject="total")
    one = _named(found["columns"][at])
    title = " ".join(title.split())
    if "formula" in one:
        one |= {"formula": formula.strip().removeprefix("="), "as": title or one["as"], "type": kind}
    else:
        one |= {"as": title if title and title.casefold() != one["column"].casefold() else "", "total": total}
    found["columns"][at] = _plain(one)
    new = _keys({**found, "sort": [], "keep": [], "layouts": []})[at]
    return _renamed(found, keys[at], new)


def add_formula(body: Mapping[str, Any], title: str, formula: str) -> Body:
    """A computed column, last."""
    found = copy.deepcopy(dict(body))
    title = " ".join(title.split())
    if not title or not formula.strip():
        raise RulkaError("A computed column needs a title and a formula.", hint="Write both.", subject="formula")
    found["columns"] = [*found["columns"], {"formula": formula.strip().removeprefix("="), "as": title}]
    return found


def add_total(body: Mapping[str, Any], field: str, total: str) -> Body:
    """A field once more, put together."""
    found = copy.deepcopy(dict(body))
    found["columns"] = [*found["columns"], {"column": field, "total": total}]
    return found


def remove_column(body: Mapping[str, Any], key: str) -> Body:
    """Without a column; what named it goes."""
    found = copy.deepcopy(dict(body))
    keys = _keys(body)
    del found["columns"][keys.index(matched(key, keys))]
    if not found["columns"]:
        raise RulkaError("An extract needs a column.", hint="Put another one in first.", subject="columns")
    return _without_strays(found)


def move_column(body: Mapping[str, Any], key: str, by: int) -> Body:
    """A column further left or right."""
    found = copy.deepcopy(dict(body))
    keys = _keys(body)
    at = keys.index(matched(key, keys))
    to = min(max(at + by, 0), len(keys) - 1)
    found["columns"].insert(to, found["columns"].pop(at))
    return found


def sort_by(body: Mapping[str, Any], key: str, how: str) -> Body:
    """Ordered by a column first (rising or falling), or by it no more."""
    found = copy.deepcopy(dict(body))
    keys = _keys(body)
    key = matched(key, keys)
    definition = extract_from(body)
    rest = [one.words for one in definition.sort if one.column.casefold() != key.casefold()]
    if how not in ("rising", "falling", "none"):
        raise NotFound(f"'{how[:20]}' is no order.", hint="Choose rising, falling or none.", subject="order")
    found["sort"] = [*([f"{key} falling" if how == "falling" else key] if how != "none" else []), *rest]
    return _less(found, "sort")


def set_top(body: Mapping[str, Any], top: str) -> Body:
    """Only so many rows; all without a number."""
    found = copy.deepcopy(dict(body))
    found["top"] = top.strip().lstrip("0") if is_whole(top.strip()) else top.strip()
    return _less(found, "top")


def set_condition(
    body: Mapping[str, Any], name: str, at: int, field: str, words: str, given: str = "", *,
    other: tuple[str, str] = ("", ""),
) -> Body:  # fmt: skip
    """A condition changed, or added where its place is behind the last; without words it goes. `name` is where or keep;
    with an `other` field and its words either is enough."""
    found = copy.deepcopy(dict(body))
    every = list(found.get(name, ()))
    one: dict[str, Any] = {field.strip(): " ".join(words.split())}
    if other[1].strip():
        one = {"any": [one, {other[0].strip(): " ".join(other[1].split())}]}
    if given:
        one["if"] = given
    if at < len(every):
        if words.strip():
            every[at] = one
        else:
            del every[at]
    elif words.strip():
        every.append(one)
    found[name] = every
    return _less(found, name)


def set_ask(body: Mapping[str, Any], name: str, raw: Mapping[str, str]) -> Body:
    """A question changed, or added where none has the name; conditions follow a new name."""
    changed = copy.deepcopy(dict(body))
    asks = [dict(ask) for ask in changed.get("ask", ())]
    question = {key: value.strip() for key, value in raw.items() if value.strip()}
    place = next((number for number, ask in enumerate(asks) if ask["ask"] == name), len(asks))
    asks[place : place + 1] = [question]
    changed["ask"] = asks
    new = question.get("ask", "")
    if name and new and name != new:
        for kind in ("where", "keep"):
            if kind in changed:
                changed[kind] = [_asking(condition, name, new) for condition in changed[kind]]
    return changed


def _asking(condition: Any, name: str, new: str) -> Any:
    if isinstance(condition, dict):
        return {
            key: new if key == "if" and value == name else _asking(value, name, new) for key, value in condition.items()
        }
    if isinstance(condition, list):
        return [_asking(one, name, new) for one in condition]
    return condition.replace("{" + name + "}", "{" + new + "}")


def remove_ask(body: Mapping[str, Any], name: str) -> Body:
    """Without a question, and without the conditions that need its answer."""
    found = copy.deepcopy(dict(body))
    definition = extract_from(body)
    definition.ask(name)
    found["ask"] = [one for one in found["ask"] if one["ask"] != name]
    for kind, conditions in (("where", definition.where), ("keep", definition.keep)):
        if kind in found:
            found[kind] = [
                raw for raw, one in zip(found[kind], conditions, strict=True) if name not in one.asks
            ]  # fmt: skip
            found = _less(found, kind)
    return _less(found, "ask")


def copied_asks(body: Mapping[str, Any], other: Mapping[str, Any], names: Sequence[str]) -> Body:
    """Questions of another extract, with the conditions that are about them alone; those of a name that is there stay
    as they are."""
    found = copy.deepcopy(dict(body))
    have = {one["ask"] for one in found.get("ask", ())}
    taken = [one for one in other.get("ask", ()) if one["ask"] in names and one["ask"] not in have]
    definition = extract_from(other)
    new = {one["ask"] for one in taken}
    found["ask"] = [*found.get("ask", ()), *copy.deepcopy(taken)]
    conditions = [
        copy.deepcopy(raw)
        for raw, one in zip(other.get("where", ()), definition.where, strict=True)
        if one.asks and set(one.asks) <= new
    ]
    found["where"] = [*found.get("where", ()), *conditions]
    return _less(_less(found, "ask"), "where")


def _less(found: Body, name: str) -> Body:
    if not found.get(name):
        found.pop(name, None)
    return found


def _renamed(found: Body, old: str, new: str) -> Body:
    """What names a column by its key names it by the new one."""
    if old == new:
        return found

    def put(text: str) -> str:
        return new if text.casefold() == old.casefold() else text

    sort = []
    for text in found.get("sort", ()):
        for ending in ("", " falling", " rising"):
            if text.casefold() == (old + ending).casefold():
                text = new + ending
                break
        sort.append(text)
    found["sort"] = sort
    found["keep"] = [{put(key) if key != "if" else key: value for key, value in one.items()}
                     for one in found.get("keep", ())]  # fmt: skip
    found["layouts"] = [_layout(one, put) for one in found.get("layouts", ())]
    return _less(_less(_less(found, "sort"), "keep"), "layouts")


def _layout(raw: Mapping[str, Any], put: Any) -> dict[str, Any]:
    one = dict(raw)
    for name in ("subtotals", "sheets"):
        if name in one:
            one[name] = put(one[name])
    if "columns" in one:
        one["columns"] = [put(key) for key in _list(one["columns"])]
    for name in ("widths", "formats", "titles"):
        if name in one:
            one[name] = {put(key): value for key, value in one[name].items()}
    if "pivot" in one:
        pivot = dict(one["pivot"])
        for name in ("down", "across", "filters"):
            if name in pivot:
                pivot[name] = [put(key) for key in _list(pivot[name])]
        if "value" in pivot:
            pivot["value"] = put(pivot["value"])
        one["pivot"] = pivot
    return one


def _list(value: Any) -> list[str]:
    return [value] if isinstance(value, str) else list(value)


def _without_strays(found: Body) -> Body:
    """Without what names columns that are gone."""
    bare = {**found, "sort": [], "keep": [], "layouts": []}
    keys = {key.casefold() for key in _keys(bare)}

    def gone(key: str) -> str:
        return key if key.casefold() in keys else ""

    found["sort"] = [
        text for text in found.get("sort", ())
        if text.casefold() in keys or text.rpartition(" ")[0].casefold() in keys
    ]  # fmt: skip
    found["keep"] = [one for one in found.get("keep", ()) if all(key == "if" or gone(key) for key in one)]
    layouts = []
    for raw in found.get("layouts", ()):
        one = _layout(raw, gone)
        if "columns" in one:
            one["columns"] = [key for key in one["columns"] if key]
        for name in ("widths", "formats", "titles"):
            if name in one:
                one[name] = {key: value for key, value in one[name].items() if key}
        if "pivot" in one:
            pivot = {
                name: [key for key in value if key] if isinstance(value, list) else value
                for name, value in one["pivot"].items()
            }
            one["pivot"] = pivot if pivot.get("value") and pivot.get("down") else {}
        layouts.append({name: value for name, value in one.items() if value})
    found["layouts"] = layouts
    return _less(_less(_less(found, "sort"), "keep"), "layouts")
