"""Spines: the lines that run down a statement, as a definition file writes them."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass
from fractions import Fraction
from typing import Any

from rulka.core.definitions.keys import KeyGiver
from rulka.core.definitions.looks import PLAIN, Look, look_from
from rulka.core.definitions.windows import check_window, read_shift
from rulka.core.errors import RulkaError

SIGNS = ("as booked", "flipped")
CONVENTIONS = ("both positive", "effect on the result")
HIDING = ("never", "when zero", "when nothing was booked", "always")
LINE_KINDS = ("section", "line", "calculation", "heading", "text", "spacer", "page break", "check")
UNLABELLED = ("spacer", "page break")
EXPANSIONS = ("accounts", "children", "entities", "counterparties", "entries")
"""What a line expands by, besides each dimension of the ledger."""

SORTS = ("code", "name", "amount")
PRINTS = ("when it fails", "always", "never")


@dataclass(frozen=True)
class Override:
    """What a line says instead of the column; empty leaves it to the column."""

    measure: str = ""
    scenario: str = ""
    window: str = ""
    shift: str = ""
    entries: str = ""

    def __bool__(self) -> bool:
        return bool(self.measure or self.scenario or self.window or self.shift or self.entries)


@dataclass(frozen=True)
class LineDef:
    """One line of a spine. Which fields matter follows from `kind`; see docs/definition-format.md."""

    kind: str
    label: str
    key: str
    accounts: str = ""
    expand: tuple[str, ...] = ()
    sort: str = "code"
    top: int = 0
    others: str = "All others"
    formula: str = ""
    agree: tuple[str, ...] = ()
    tolerance: Fraction = Fraction(0)
    prints: str = "never"
    columns: tuple[str, ...] = ()
    sign: str = ""
    override: Override = Override()
    intercompany: str = ""
    hide: str = ""
    ruling: str = ""
    favourable: str = ""
    total: str = ""
    show: str = ""
    panel: str = ""
    exempt: bool = False
    look: Look = PLAIN
    below: tuple[str, ...] = ()
    """What output shows below the line, which stands itself: its accounts, their entries."""

    lines: tuple[LineDef, ...] = ()


@dataclass(frozen=True)
class SpineDef:
    name: str
    title: str
    signs: str
    covers: str
    lines: tuple[LineDef, ...]
    totals: str = ""

    def __hash__(self) -> int:
        """Kept: a spine is the name under which a book keeps what follows from it."""
        kept: int = self.__dict__.get("_hash") or hash((self.name, self.signs, self.covers, self.totals, self.lines))
        self.__dict__["_hash"] = kept
        return kept

    def walk(self) -> Iterator[LineDef]:
        """Every line, sections before what they hold."""
        todo = list(reversed(self.lines))
        while todo:
            line = todo.pop()
            yield line
            todo.extend(reversed(line.lines))


def spine_from(body: Mapping[str, Any]) -> SpineDef:
    """Build a spine from a checked mapping (see the JSON Schema); raises on what a schema can't say."""
    where = f"spine {body['spine']}"
    keys = KeyGiver(str(line["key"]) for line in raw_lines(body["lines"]) if line.get("key"))
    lines = tuple(_line(raw, keys, where) for raw in body["lines"])
    return SpineDef(
        body["spine"],
        body.get("title", body["spine"]),
        body.get("signs", CONVENTIONS[0]),
        body.get("covers", ""),
        lines,
        body.get("totals", ""),
    )


def raw_lines(lines: Iterable[Any]) -> Iterator[Any]:
    """The mappings of all lines of a body, in the order that `SpineDef.walk` has them."""
    for line in lines:
        yield line
        yield from raw_lines(line.get("lines", ()))


def _line(raw: Mapping[str, Any], keys: KeyGiver, where: str) -> LineDef:
    kind = next(kind for kind in LINE_KINDS if kind in raw)
    label = "" if kind in UNLABELLED else raw[kind]
    key = keys.give(raw.get("key", ""), label or kind, where)
    place = f"{where}, line {label or key}"
    override = Override(*(raw.get(name, "") for name in ("measure", "scenario", "window", "shift", "entries")))
    try:
        if override.window:
            check_window(override.window)
        read_shift(override.shift)
    except RulkaError as error:
        error.subject = place
        raise
    expand = raw.get("expand", ())
    kinds = (expand,) if isinstance(expand, str) else tuple(expand)
    below = raw.get("rows") == "below"
    return LineDef(
        kind=kind,
        label=label,
        key=key,
        accounts=raw.get("accounts", ""),
        expand=() if below else kinds,
        below=kinds if below else (),
        sort=raw.get("sort", SORTS[0]),
        top=int(raw.get("top", "0")),
        others=raw.get("others", "All others"),
        formula=raw.get("formula", raw.get("holds", "")),
        agree=tuple(raw.get("agree", ())),
        tolerance=Fraction(raw.get("tolerance", "0")),
        prints=raw.get("print", PRINTS[0] if kind == "check" else ""),
        columns=tuple(raw.get("columns", ())),
        sign=raw.get("sign", ""),
        override=override,
        intercompany=raw.get("intercompany", ""),
        hide=raw.get("hide", ""),
        ruling=raw.get("ruling", ""),
        favourable=raw.get("favourable", ""),
        total=raw.get("total", ""),
        show=raw.get("show", ""),
        panel=raw.get("panel", ""),
        exempt=raw.get("rounding", "") == "exempt",
        look=look_from(raw.get("look", {})),
        lines=tuple(_line(inner, keys, where) for inner in raw.get("lines", ())),
    )


DETAIL = ("counterparties", "entries")
"""Expansions that read journal lines; they can only be the last one."""
