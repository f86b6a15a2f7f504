"""A dispatch changed, one thing at a time: each change is made on a copy of its text and kept as a whole, or not."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from copy import deepcopy
from typing import Any

from rulka.core.errors import NotFound, RulkaError, one_of
from rulka.core.sending.dispatches import FIELDS, WAYS
from rulka.core.sending.occasions import rule_from
from rulka.core.values import whole
from rulka.dispatch.library.storing import save_dispatch
from rulka.dispatch.models import Dispatch
from rulka.people.models import Person

Body = dict[str, Any]
Said = Mapping[str, str]


def change(kept: Dispatch, what: str, said: Said, *, person: Person, several: Mapping[str, list[str]]) -> Dispatch:
    """Change a dispatch by one of CHANGES; `several` holds what was chosen more than once. Refused where somebody
    changed it meanwhile."""
    if what not in CHANGES:
        raise NotFound(f"Nothing is called '{what[:40]}'.", hint=one_of(what, CHANGES), subject="dispatch")
    if said.get("version") and said["version"] != str(kept.version):
        raise RulkaError("Somebody changed it meanwhile.", hint="Look at it as it is now, and do it again.",
                         subject="dispatch", code="changed")  # fmt: skip
    body = deepcopy(dict(kept.body))
    CHANGES[what](body, said, several)
    return save_dispatch(kept.ledger, {**body, "dispatch": kept.name}, kept.name, person=person)


def _at(entries: list[Any], said: Said, what: str) -> int:
    number = whole(said.get("at", ""), what, least=0, most=max(0, len(entries) - 1))
    if not entries:
        raise NotFound(f"There is no such {what}.", subject=what)
    return number


def _add_thing(body: Body, said: Said, several: Mapping[str, list[str]]) -> None:
    kind, mark, name = said.get("thing", "").partition(" ")
    if not mark:
        raise RulkaError("Choose what goes.", subject="sends")
    entry: Body = {kind: name, "as": several.get("as") or ["workbook"]}
    nodes = [one.strip() for one in said.get("node", "").split(",") if one.strip()]
    if nodes:
        entry["node"] = nodes if len(nodes) > 1 else nodes[0]
    for field in ("pages", "files", "file"):
        if said.get(field, "").strip():
            entry[field] = said[field].strip()
    sheets = [one.strip() for one in said.get("sheets", "").split(",") if one.strip()]
    if sheets:
        entry["sheets"] = sheets
    if entry.get("pages") == "node" or kind != "statement":
        entry.pop("pages", None)
    if entry.get("files") == "one":
        entry.pop("files")
    body.setdefault("sends", []).append(entry)


def _drop_thing(body: Body, said: Said, several: Mapping[str, list[str]]) -> None:
    entries = body.get("sends", [])
    entries.pop(_at(entries, said, "sends"))


def _add_recipient(body: Body, said: Said, several: Mapping[str, list[str]]) -> None:
    rule, mark, who = said.get("who", "").partition(" ")
    if not mark:
        raise RulkaError("Choose who gets it.", subject="to")
    if rule in ("owner", "owners"):
        who = said.get("owned", "").strip() or who
    entry: Body = {rule: who}
    if said.get("node", "").strip() and rule in ("person", "group"):
        entry["node"] = said["node"].strip()
    if several.get("by"):
        entry["by"] = several["by"]
    body["to"].append(entry)


def _drop_recipient(body: Body, said: Said, several: Mapping[str, list[str]]) -> None:
    at = _at(body["to"], said, "recipient")
    if len(body["to"]) == 1:
        raise RulkaError("A dispatch has a recipient.", hint="Add another one first.", subject="to")
    body["to"].pop(at)


def _way(body: Body, said: Said) -> Body:
    name = said.get("way", "")
    found: Body | None = next((way for way in body["ways"] if (way.get("name") or way["way"]) == name), None)
    if found is None:
        raise NotFound(f"There is no way '{name[:40]}'.", subject="ways")
    return found


def _add_way(body: Body, said: Said, several: Mapping[str, list[str]]) -> None:
    kind = said.get("kind", "")
    if kind not in WAYS:
        raise NotFound(f"Nothing goes by '{kind[:20]}'.", hint=one_of(kind, WAYS), subject="ways")
    entry: Body = {"way": kind}
    for field in ("name", *FIELDS[kind]):
        if said.get(field, "").strip():
            entry[field] = said[field].strip()
    body["ways"].append(entry)


def _switch(body: Body, said: Said, several: Mapping[str, list[str]]) -> None:
    way = _way(body, said)
    if way.get("off") == "yes":
        way.pop("off")
    else:
        way["off"] = "yes"


def _drop_way(body: Body, said: Said, several: Mapping[str, list[str]]) -> None:
    way = _way(body, said)
    if len(body["ways"]) == 1:
        raise RulkaError("A dispatch has a way.", hint="Add another one first.", subject="ways")
    name = way.get("name") or way["way"]
    for entry in body["to"]:
        by = entry.get("by")
        names = [by] if isinstance(by, str) else list(by or ())
        if name in names:
            raise RulkaError(f"'{name}' is the way of a recipient.", hint="Take them out, or give them another way.",
                             subject="ways")  # fmt: skip
    body["ways"].remove(way)


def _set_way(body: Body, said: Said, several: Mapping[str, list[str]]) -> None:
    way = _way(body, said)
    for field in FIELDS[way["way"]]:
        if field not in said:
            continue
        value = said[field].replace("\r\n", "\n").strip("\n" if field == "text" else "\n ")
        if value:
            way[field] = value
        else:
            way.pop(field, None)


def _insert(body: Body, said: Said, several: Mapping[str, list[str]]) -> None:
    """A token at the end of subject or text."""
    way, field = _way(body, said), said.get("into", "text")
    if field not in ("subject", "text", "copy", "hidden", "path"):
        raise NotFound(f"Nothing is put into '{field[:20]}'.", subject="letter")
    before = way.get(field, "")
    way[field] = f"{before}{'' if not before or before[-1].isspace() else ' '}{said.get('token', '')}"


def _figures(body: Body, said: Said, several: Mapping[str, list[str]]) -> None:
    body["figures"] = said.get("figures", "")


def _release(body: Body, said: Said, several: Mapping[str, list[str]]) -> None:
    body["release"] = "yes" if said.get("release") == "yes" else "no"


def _rules(body: Body) -> list[str]:
    raw = body.get("when", [])
    return [raw] if isinstance(raw, str) else list(raw)


def _add_rule(body: Body, said: Said, several: Mapping[str, list[str]]) -> None:
    body["when"] = [*_rules(body), rule_from(said.get("rule", "")).text]


def _drop_rule(body: Body, said: Said, several: Mapping[str, list[str]]) -> None:
    rules = _rules(body)
    rules.pop(_at(rules, said, "rule"))
    if rules:
        body["when"] = rules
    else:
        body.pop("when", None)


Change = Callable[[Body, Said, Mapping[str, list[str]]], None]
CHANGES: Mapping[str, Change] = {
    "add-thing": _add_thing,
    "drop-thing": _drop_thing,
    "add-recipient": _add_recipient,
    "drop-recipient": _drop_recipient,
    "add-way": _add_way,
    "switch-way": _switch,
    "drop-way": _drop_way,
    "set-way": _set_way,
    "insert": _insert,
    "figures": _figures,
    "release": _release,
    "add-rule": _add_rule,
    "drop-rule": _drop_rule,
}
"""What can be changed of a dispatch, by the word that says it."""
