"""What differs between two bodies of a definition, in words."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from rulka.core.books.selection import NOTHING
from rulka.core.edits.columns import places
from rulka.core.edits.tree import Raw, line_kind, spots


def differences(before: Raw | None, after: Raw | None) -> list[str]:
    """One sentence for each difference, in the order of the later body."""
    if before is None or after is None:
        return ["made" if before is None else "deleted"]
    if "spine" in after and "lines" in after:
        return _spine(before, after)
    if "span" in after and "columns" in after:
        return _span(before, after)
    return _settings(before, after, "")


def _spine(before: Raw, after: Raw) -> list[str]:
    former, now = spots(before), spots(after)
    told = _settings(_without(before, "lines"), _without(after, "lines"), "")
    for key, spot in now.items():
        if key not in former:
            told.append(f"{spot.label}: added")
            continue
        told += _settings(_line(former[key].raw), _line(spot.raw), f"{spot.label}: ")
    told += [f"{spot.label}: deleted" for key, spot in former.items() if key not in now]
    return told + _moved(
        {key: _where(former[key].parents) for key in former}, {key: _where(now[key].parents) for key in now}, now
    )


def _where(parents: tuple[Raw, ...]) -> str:
    return str(parents[-1]["section"]) if parents else ""


def _moved(before: Mapping[str, str], after: Mapping[str, str], labels: Mapping[str, Any]) -> list[str]:
    common = [key for key in after if key in before]
    ranks = {key: place for place, key in enumerate(key for key in before if key in after)}
    told = []
    for place, key in enumerate(common):
        if before[key] != after[key]:
            told.append(f"{labels[key].label}: moved {'into ' + after[key] if after[key] else 'out of ' + before[key]}")
        elif ranks[key] != place and _passes(ranks, common, place):
            told.append(f"{labels[key].label}: moved")
    return told


def _passes(ranks: Mapping[str, int], common: list[str], place: int) -> bool:
    """Whether a key went over another one: it stands before one that it stood behind."""
    return any(ranks[other] < ranks[common[place]] for other in common[place + 1 :])


def _span(before: Raw, after: Raw) -> list[str]:
    former, now = places(before), places(after)
    told = _settings(_without(before, "columns"), _without(after, "columns"), "")
    for key, place in now.items():
        if key not in former:
            told.append(f"column {place.label}: added")
        else:
            told += _settings(
                _without(former[key].raw, "columns"), _without(place.raw, "columns"), f"column {place.label}: "
            )
    told += [f"column {place.label}: deleted" for key, place in former.items() if key not in now]
    return told + [f"column {text}" for text in _moved(dict.fromkeys(former, ""), dict.fromkeys(now, ""), now)]


def _without(raw: Mapping[str, Any], name: str) -> dict[str, Any]:
    return {key: value for key, value in raw.items() if key != name}


def _line(raw: Raw) -> dict[str, Any]:
    """A line with its kind and label as settings, without what it holds."""
    kind = line_kind(raw)
    return {
        "kind": kind,
        "label": raw[kind],
        **{name: value for name, value in raw.items() if name not in (kind, "lines", "key")},
    }


def _settings(before: Mapping[str, Any], after: Mapping[str, Any], where: str) -> list[str]:
    former, now = _flat(before), _flat(after)
    names = list(dict.fromkeys([*now, *former]))
    return [
        f"{where}{name} {_said(former[name])} to {_said(now[name])}"
        if name in former and name in now
        else f"{where}{name} set to {_said(now[name])}"
        if name in now
        else f"{where}{name} as usual again"
        for name in names
        if former.get(name) != now.get(name)
    ]


def _said(value: Any) -> str:
    text = ", ".join(map(str, value)) if isinstance(value, list) else str(value)
    return "nothing" if text == NOTHING else text


def _flat(settings: Mapping[str, Any], prefix: str = "") -> dict[str, Any]:
    found: dict[str, Any] = {}
    for name, value in settings.items():
        if isinstance(value, Mapping):
            found |= _flat(value, f"{prefix}{name} ")
        else:
            found[f"{prefix}{name}"] = value
    return found
