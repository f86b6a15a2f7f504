"""A dispatch as it is written: what goes, to whom, by which ways."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from hashlib import sha256
from typing import Any

from rulka.core.errors import RulkaError, one_of
from rulka.core.sending.letters import Letter, letter_from

FORMS: Mapping[str, str] = {"workbook": "xlsx", "pdf": "pdf", "page": "html", "csv": "csv", "json": "json"}
"""The forms that go, by the word that a dispatch uses."""

WAYS = ("mail", "folder")
EXISTS = ("number", "overwrite", "refuse")
"""What is done where a file of that name is there already."""

THEIRS = "theirs"
"""The node of each recipient, in the place of one."""

MOST_RECIPIENTS = 500
MOST_THINGS = 40
FILE = "{statement}-{node.code}-{period.code}"
SUBJECT = "{statement}, {node}, {period}"


@dataclass(frozen=True)
class Thing:
    """A statement that goes: in which forms, for which node, under which name."""

    statement: str
    forms: tuple[str, ...]
    node: str
    file: Letter


@dataclass(frozen=True)
class Recipient:
    """Somebody with a sign-in: they get what they may see. `node` is theirs, `by` the ways, empty for all of them."""

    person: str
    node: str = ""
    by: tuple[str, ...] = ()


@dataclass(frozen=True)
class Mail:
    """A way by mail: a subject and a text; to the recipient's own address, and in copy to others."""

    name: str
    subject: Letter
    text: Letter
    copy: Letter = ()
    off: bool = False


@dataclass(frozen=True)
class Folder:
    """A way into a folder below one that is allowed."""

    name: str
    path: Letter
    exists: str = EXISTS[0]
    off: bool = False


@dataclass(frozen=True)
class Dispatch:
    """What goes to whom, by which ways."""

    name: str
    title: str
    things: tuple[Thing, ...]
    recipients: tuple[Recipient, ...]
    ways: tuple[Mail | Folder, ...]

    def ways_of(self, recipient: Recipient) -> list[Mail | Folder]:
        """The ways by which somebody gets it, but for those that are switched off."""
        return [way for way in self.ways if not way.off and (not recipient.by or way.name in recipient.by)]


def dispatch_from(body: Mapping[str, Any]) -> Dispatch:
    """A dispatch from a checked mapping; raises RulkaError on names and tokens that mean nothing."""
    ways = tuple(_way(raw, at) for at, raw in enumerate(body["ways"], 1))
    names = [way.name for way in ways]
    for name in names:
        if names.count(name) > 1:
            raise RulkaError(f"Two ways are called '{name}'.", hint="Give one of them another name.", subject="ways")
    recipients = tuple(_recipient(raw, names) for raw in body["to"])
    seen: set[tuple[str, str]] = set()
    for one in recipients:
        if (one.person, one.node) in seen:
            raise RulkaError(f"'{one.person}' stands twice among the recipients.", hint="Take one of them out.",
                             subject="to")  # fmt: skip
        seen.add((one.person, one.node))
    things = tuple(_thing(raw) for raw in body["sends"])
    for one in recipients:
        if not one.node and any(thing.node == THEIRS for thing in things):
            raise RulkaError(f"'{one.person}' has no node, and something goes for that of each.",
                             hint="Write node: below the person.", subject="to")  # fmt: skip
    return Dispatch(body["dispatch"], body.get("title") or body["dispatch"], things, recipients, ways)


def _thing(raw: Mapping[str, Any]) -> Thing:
    said = raw.get("as", "workbook")
    words = (said,) if isinstance(said, str) else tuple(said)
    for word in words:
        if word not in FORMS:
            raise RulkaError(f"Nothing goes as '{word[:20]}'.", hint=one_of(word, FORMS), subject="sends")
    forms = tuple(dict.fromkeys(FORMS[word] for word in words))
    where = f"file of {raw['statement']}"
    return Thing(raw["statement"], forms, raw.get("node", ""), letter_from(raw.get("file", FILE), where=where))


def _recipient(raw: Mapping[str, Any], ways: list[str]) -> Recipient:
    said = raw.get("by", ())
    by = (said,) if isinstance(said, str) else tuple(said)
    for name in by:
        if name not in ways:
            raise RulkaError(f"There is no way '{name[:40]}'.", hint=one_of(name, ways), subject=f"to {raw['person']}")
    return Recipient(raw["person"], raw.get("node", ""), by)


def _way(raw: Mapping[str, Any], at: int) -> Mail | Folder:
    name, off = raw.get("name") or raw["way"], raw.get("off") == "yes"
    where = f"way {at}, {name}"
    if raw["way"] == "mail":
        if "path" in raw or "exists" in raw:
            raise RulkaError("A way by mail has no folder.", hint="Write another way for it.", subject=where)
        subject = letter_from(raw.get("subject", SUBJECT), where=f"{where}, subject")
        text = letter_from(raw.get("text", ""), where=f"{where}, text")
        return Mail(name, subject, text, letter_from(raw.get("copy", ""), where=f"{where}, copy"), off)
    if "path" not in raw or {"subject", "text", "copy"} & raw.keys():
        raise RulkaError("A way into a folder has a path, and no letter.", hint="Write path: finance/{period.code}.",
                         subject=where)  # fmt: skip
    return Folder(name, letter_from(raw["path"], where=f"{where}, path"), raw.get("exists", EXISTS[0]), off)


def identity(ledger: str, dispatch: str, occasion: str, person: str, node: str, way: str) -> str:
    """What names one delivery wherever it is made again: the same occasion, recipient and way."""
    told = "\x1f".join((ledger, dispatch, occasion, person, node, way))
    return sha256(told.encode()).hexdigest()[:24]
