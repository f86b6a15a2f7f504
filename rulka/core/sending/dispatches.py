"""A dispatch as it is written: what goes, to whom, by which ways, how fresh, and when by itself."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from hashlib import sha256
from typing import Any

from rulka.core.errors import RulkaError, one_of
from rulka.core.sending.letters import Letter, letter_from
from rulka.core.sending.occasions import SendingRule, rule_from

FORMS: Mapping[str, str] = {
    "workbook": "xlsx",
    "pdf": "pdf",
    "page": "html",
    "csv": "csv",
    "json": "json",
    "old workbook": "xls",
    "word file": "docx",
    "slides": "pptx",
}
"""The forms that go, by the word that a dispatch uses."""

EXISTS = ("number", "overwrite", "refuse")
"""What is done where a file of that name is there already."""

FIGURES: Mapping[str, str] = {
    "as they are": "as the ledger has them",
    "fetched first": "brought up to date first, by the feeds that its owner may pull",
    "edition": "as in the newest kept edition",
}
"""How fresh figures are."""

PAGES: Mapping[str, str] = {"node": "it alone", "children": "it and those just below", "all": "it and all below"}
"""For which nodes a statement goes besides the one that is named."""

FILES: Mapping[str, str] = {"one": "one file", "each": "one file each"}
RULES = ("group", "owner", "owners")
"""What may stand in the place of a person: all of a group; who is bounded by a node; who is by any node of a scope."""

THEIRS = "theirs"
"""The node of each recipient, in the place of one."""

KINDS = ("statement", "worksheet", "extract", "overview")
"""What goes; other things register themselves with `running/sendable`."""

MOST_RECIPIENTS = 500
MOST_THINGS = 40
FILE = "{statement}-{node.code}-{period.code}"
SHEET_FILE = "{statement}-{sheet}-{period.code}"
SUBJECT = "{ledger}, {period}"


@dataclass(frozen=True)
class Thing:
    """Something that goes: its kind and name, in which forms, for which nodes and sheets (empty for all), in one
    file or one each, under which name."""

    kind: str
    name: str
    forms: tuple[str, ...]
    nodes: tuple[str, ...]
    file: Letter
    pages: str = "node"
    sheets: tuple[str, ...] = ()
    each: bool = False

    @property
    def key(self) -> tuple[str, str]:
        return self.kind, self.name


@dataclass(frozen=True)
class Recipient:
    """Somebody with a sign-in, or a rule that says who: they get what they may see. `node` is theirs, `by` the ways,
    empty for all of them."""

    person: str
    node: str = ""
    by: tuple[str, ...] = ()
    rule: str = ""
    """One of RULES, whose value stands in `person`."""

    @property
    def text(self) -> str:
        """Who it is, in words."""
        said = {"group": "group {}", "owner": "owner of {}", "owners": "owners of the nodes of {}"}
        return said.get(self.rule, "{}").format(self.person)


@dataclass(frozen=True)
class Mail:
    """A way by mail: a subject and a text; to the recipient's own address, in copy and in blind copy to others; by the
    server's account, or by the owner's own."""

    name: str
    subject: Letter
    text: Letter
    copy: Letter = ()
    hidden: Letter = ()
    own: bool = False
    off: bool = False
    kind = "mail"


@dataclass(frozen=True)
class Folder:
    """A way into a folder below one that is allowed."""

    name: str
    path: Letter
    exists: str = EXISTS[0]
    off: bool = False
    kind = "folder"


@dataclass(frozen=True)
class FileServer:
    """A way into a folder of a file server that an administrator named."""

    name: str
    server: str
    path: Letter
    exists: str = EXISTS[0]
    off: bool = False
    kind = "file server"


@dataclass(frozen=True)
class Link:
    """A way by a link into the library: the recipient signs in and takes the files there, until it is called back."""

    name: str
    off: bool = False
    kind = "link"


Way = Mail | Folder | FileServer | Link
WAYS = tuple(way.kind for way in (Mail, Folder, FileServer, Link))


@dataclass(frozen=True)
class DispatchDef:
    """What goes to whom, by which ways."""

    name: str
    title: str
    things: tuple[Thing, ...]
    recipients: tuple[Recipient, ...]
    ways: tuple[Way, ...]
    figures: str = "as they are"
    release: bool = False
    when: tuple[SendingRule, ...] = ()

    def ways_of(self, recipient: Recipient) -> list[Way]:
        """The ways by which somebody gets it, but for those that are switched off."""
        return [way for way in self.ways if not way.off and (not recipient.by or way.name in recipient.by)]

    def way_named(self, name: str) -> Way:
        """A way by its name; NotFound is for callers whose names come from outside, here it is there."""
        return next(way for way in self.ways if way.name == name)


def dispatch_from(body: Mapping[str, Any], kinds: Sequence[str] = KINDS) -> DispatchDef:
    """A dispatch from a checked mapping; raises RulkaError on names and tokens that mean nothing."""
    ways = tuple(_way(raw, at) for at, raw in enumerate(body["ways"], 1))
    names = [way.name for way in ways]
    for name in names:
        if names.count(name) > 1:
            raise RulkaError(f"Two ways are called '{name}'.", hint="Give one of them another name.", subject="ways")
    recipients = tuple(_recipient(raw, names) for raw in body["to"])
    seen: set[tuple[str, str, str]] = set()
    for one in recipients:
        key = (one.rule, one.person, one.node)
        if key in seen:
            raise RulkaError(f"'{one.text}' stands twice among the recipients.", hint="Take one of them out.",
                             subject="to")  # fmt: skip
        seen.add(key)
    things = tuple(thing_from(raw, kinds) for raw in body.get("sends", ()))
    for one in recipients:
        if not one.node and one.rule in ("", "group") and any(THEIRS in thing.nodes for thing in things):
            raise RulkaError(f"'{one.text}' has no node, and something goes for that of each.",
                             hint="Write node: below the person.", subject="to")  # fmt: skip
    figures = _word(body.get("figures", "as they are"), FIGURES, "figures")
    when = tuple(rule_from(said) for said in _several(body.get("when", ())))
    if len({rule.text for rule in when}) < len(when):
        raise RulkaError("The same rule stands twice.", hint="Take one of them out.", subject="when")
    return DispatchDef(body["dispatch"], body.get("title") or body["dispatch"], things, recipients, ways, figures,
                    body.get("release") == "yes", when)  # fmt: skip


def _several(said: Any) -> tuple[str, ...]:
    return (said,) if isinstance(said, str) else tuple(said)


def _word(said: str, known: Mapping[str, Any], where: str) -> str:
    if said not in known:
        raise RulkaError(f"'{said[:30]}' isn't known here.", hint=one_of(said, known), subject=where)
    return said


def thing_from(raw: Mapping[str, Any], kinds: Sequence[str] = KINDS) -> Thing:
    """Something that goes, from what is written of it."""
    named = [kind for kind in kinds if kind in raw]
    if len(named) != 1:
        raise RulkaError("What goes names one thing.", hint=f"Write one of {', '.join(kinds)}.", subject="sends")
    kind, name = named[0], raw[named[0]]
    words = _several(raw.get("as", "workbook"))
    for word in words:
        if word not in FORMS:
            raise RulkaError(f"Nothing goes as '{word[:20]}'.", hint=one_of(word, FORMS), subject="sends")
    forms = tuple(dict.fromkeys(FORMS[word] for word in words))
    sheets, each = tuple(dict.fromkeys(_several(raw.get("sheets", ())))), raw.get("files") == "each"
    if sheets and kind == "statement":
        raise RulkaError(f"A statement has no sheets: '{name}'.", hint="Name nodes.", subject="sends")
    if "pages" in raw and kind != "statement":
        raise RulkaError(f"'{name}' has no pages by node.", hint="Take pages: away.", subject="sends")
    written = raw.get("file") or (SHEET_FILE if each and kind != "statement" else FILE)
    nodes = tuple(dict.fromkeys(_several(raw.get("node", ""))))
    return Thing(kind, name, forms, nodes, letter_from(written, where=f"file of {name}"),
                 _word(raw.get("pages", "node"), PAGES, "pages"), sheets, each)  # fmt: skip


def _recipient(raw: Mapping[str, Any], ways: list[str]) -> Recipient:
    said = [(rule, raw[rule]) for rule in ("person", *RULES) if rule in raw]
    if len(said) != 1:
        raise RulkaError("A recipient is one person or one rule.", hint=f"Write person, {', '.join(RULES)}.",
                         subject="to")  # fmt: skip
    ((rule, who),) = said
    by = _several(raw.get("by", ()))
    for name in by:
        if name not in ways:
            raise RulkaError(f"There is no way '{name[:40]}'.", hint=one_of(name, ways), subject=f"to {who}")
    if rule in ("owner", "owners") and "node" in raw:
        raise RulkaError("An owner's node is the one they own.", hint="Take node: away.", subject=f"to {who}")
    return Recipient(who, raw.get("node", ""), by, "" if rule == "person" else rule)


OF_MAIL = ("subject", "text", "copy", "hidden", "account")
OF_FOLDER = ("path", "exists")
FIELDS: Mapping[str, tuple[str, ...]] = {
    Mail.kind: OF_MAIL,
    Folder.kind: OF_FOLDER,
    FileServer.kind: (*OF_FOLDER, "server"),
    Link.kind: (),
}
"""What each way has besides its name."""


def _way(raw: Mapping[str, Any], at: int) -> Way:
    kind, off = raw["way"], raw.get("off") == "yes"
    name = raw.get("name") or kind
    where = f"way {at}, {name}"
    for field in raw.keys() - {"way", "name", "off"} - set(FIELDS[kind]):
        raise RulkaError(f"A way by {kind} has no {field}.", hint=f"It has {', '.join(FIELDS[kind]) or 'a name only'}.",
                         subject=where)  # fmt: skip

    def letter(field: str, otherwise: str = "", *, tables: bool = False) -> Letter:
        return letter_from(raw.get(field, otherwise), where=f"{where}, {field}", tables=tables)

    missing = {Folder.kind: "path", FileServer.kind: "server"}.get(kind, "")
    if missing and missing not in raw:
        raise RulkaError(f"A way by {kind} has a {missing}.", hint=f"Write {missing}: below it.", subject=where)
    exists = raw.get("exists", EXISTS[0])
    if kind == Mail.kind:
        subject, text = letter("subject", SUBJECT), letter("text", tables=True)
        return Mail(name, subject, text, letter("copy"), letter("hidden"), raw.get("account") == "own", off)
    if kind == Folder.kind:
        return Folder(name, letter("path"), exists, off)
    if kind == FileServer.kind:
        return FileServer(name, raw["server"], letter("path"), exists, off)
    return Link(name, off)


def identity(ledger: str, dispatch: str, occasion: str, person: str, node: str, way: str) -> str:
    """What names one delivery wherever it is made again: the same occasion, recipient and way."""
    told = "\x1f".join((ledger, dispatch, occasion, person, node, way))
    return sha256(told.encode()).hexdigest()[:24]
