"""An outline, changed: each edit takes a body and gives another one."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from rulka.core.definitions.keys import slug
from rulka.core.errors import NotFound, RulkaError
from rulka.core.folios.outline import KINDS, NAMES_WHAT, section_from

Body = dict[str, Any]
SETTINGS = ("title", "kind", "of", "part", "orientation", "begins")


def sections_of(body: Mapping[str, Any]) -> list[Body]:
    """The sections of a body, each with its key, to be changed."""
    return [{**one, "section": section_from(one, place).key} for place, one in enumerate(body.get("sections", ()), 1)]


def _place(sections: list[Body], key: str) -> int:
    for place, one in enumerate(sections):
        if one["section"] == key:
            return place
    raise NotFound(f"The folio has no section '{key[:40]}'.", hint="Load the page again.", subject="section")


def add_section(body: Mapping[str, Any], sent: Mapping[str, str], below: str = "") -> tuple[Body, str]:
    """A body with one more section, below another one or at the end; and its key."""
    sections = sections_of(body)
    made: Body = {"section": "", "title": sent.get("title", "").strip(), "kind": sent.get("kind", "text")}
    if made["kind"] in NAMES_WHAT:
        made["of"] = sent.get("of", "").strip()
    made |= {name: sent[name].strip() for name in ("part", "orientation") if sent.get(name, "").strip()}
    section = section_from({name: value for name, value in made.items() if value}, len(sections) + 1)
    taken = {one["section"] for one in sections}
    base = slug(section.title)[:60] or section.kind
    key = next(name for name in (base, *(f"{base}-{count}" for count in range(2, 1000))) if name not in taken)
    made["section"] = key
    at = _place(sections, below) + 1 if below else len(sections)
    sections.insert(at, {name: value for name, value in made.items() if value})
    return {**body, "sections": sections}, key


def remove_section(body: Mapping[str, Any], key: str) -> Body:
    """A body without a section."""
    sections = sections_of(body)
    del sections[_place(sections, key)]
    return {**body, "sections": sections}


def move_section(body: Mapping[str, Any], key: str, by: int) -> Body:
    """A body with a section moved by some places; it stays where there is no such place."""
    sections = sections_of(body)
    at = _place(sections, key)
    sections.insert(min(max(at + by, 0), len(sections) - 1), sections.pop(at))
    return {**body, "sections": sections}


def set_section(body: Mapping[str, Any], key: str, sent: Mapping[str, str]) -> Body:
    """A body with other settings of a section: what was sent is set, or left out where it is empty."""
    sections = sections_of(body)
    one = sections[_place(sections, key)]
    for name in SETTINGS:
        if name in sent:
            value = sent[name].strip() if name != "begins" else sent[name].replace("\r\n", "\n").strip("\n")
            if value:
                one[name] = value
            else:
                one.pop(name, None)
    if one.get("kind", "text") not in NAMES_WHAT:
        one.pop("of", None)
    for name in ("writers", "reviewers"):
        if name in sent:
            turns = turns_in(sent[name], name)
            if turns:
                one[name] = turns
            else:
                one.pop(name, None)
    return {**body, "sections": sections}


def turns_in(text: str, where: str) -> list[Body]:
    """People as a form takes them: one a line, a name and perhaps a day: `ships-lead 2026-11-09`."""
    found = []
    for line in text.replace(",", "\n").splitlines():
        words = line.split()
        if len(words) > 2:
            raise RulkaError(
                f"'{line.strip()[:60]}' names no turn.", hint="Write one a line: a name, then a day as YYYY-MM-DD.",
                subject=where,
            )  # fmt: skip
        if words:
            found.append({"who": words[0], **({"due": words[1]} if len(words) > 1 else {})})
    return found


def turns_text(raw: Any) -> str:
    """The same as a form shows them."""
    return "\n".join(
        " ".join(filter(None, (str(one.get("who", "")), str(one.get("due", ""))))) if isinstance(one, Mapping) else
        str(one) for one in raw or ()
    )  # fmt: skip


def handed_over(body: Mapping[str, Any], leaves: str, heir: str) -> Body:
    """A body in which somebody takes over what another one owns and has turns at; nobody has two turns in a row."""
    made = {**body, "owner": heir} if body.get("owner") == leaves else dict(body)
    if not body.get("sections"):
        return made
    sections = [dict(one) for one in body["sections"]]
    for one in sections:
        for name in ("writers", "reviewers"):
            if name in one:
                turns = [_turn(turn, leaves, heir) for turn in one[name]]
                one[name] = [turn for at, turn in enumerate(turns) if not at or _who(turn) != _who(turns[at - 1])]
    return {**made, "sections": sections}


def _turn(turn: Any, leaves: str, heir: str) -> Any:
    if isinstance(turn, Mapping):
        return {**turn, "who": heir} if turn.get("who") == leaves else turn
    return heir if turn == leaves else turn


def _who(turn: Any) -> str:
    return str(turn.get("who", "")) if isinstance(turn, Mapping) else str(turn)


def set_about(body: Mapping[str, Any], sent: Mapping[str, str]) -> Body:
    """A body with other settings of the whole."""
    made = dict(body)
    for name in ("title", "about", "period", "node", "revision", "owner", "take back"):
        if name in sent:
            if sent[name].strip():
                made[name] = " ".join(sent[name].split())
            else:
                made.pop(name, None)
    return made


def kinds_to_choose() -> list[tuple[str, str]]:
    """Kinds of sections with what they are called."""
    return list(KINDS.items())
