"""Spines: the lines that run down a statement, as a definition file writes them."""

from __future__ import annotations

import json
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, replace
from fractions import Fraction
from functools import cached_property, lru_cache
from typing import Any, Literal, get_args

from rulka.core.books.frame import QUANTITIES
from rulka.core.books.narrowing import EVERYTHING, Narrowing, read_narrowing
from rulka.core.books.selection import Selection, parse_selection
from rulka.core.definitions.expressions import Formula, read_formula
from rulka.core.definitions.headings import check_heading
from rulka.core.definitions.keys import KeyGiver
from rulka.core.definitions.looks import PLAIN, Look, look_from
from rulka.core.definitions.thresholds import Threshold, read_threshold
from rulka.core.definitions.windows import BY_DAY, NO_SHIFT, Shift, Stretch, WindowDef, read_shift, read_window
from rulka.core.errors import RulkaError, together

SIGNS = ("as booked", "flipped")
CONVENTIONS = ("both positive", "effect on the result")
HIDING = ("never", "when zero", "when nothing was booked", "always")
LineKind = Literal["section", "line", "calculation", "heading", "text", "spacer", "page break", "check"]
LINE_KINDS: tuple[LineKind, ...] = get_args(LineKind)
UNLABELLED = ("spacer", "page break")
EXPANSIONS = ("accounts", "children", "entities", "counterparties", "entries")
"""What a line expands by, besides each dimension of the ledger."""

DETAIL = ("counterparties", "entries")
"""Expansions that read journal lines; they can only be the last one."""

SORTS = ("code", "name", "amount")
PRINTS = ("when it fails", "always", "never")


@dataclass(frozen=True)
class Override:
    """What a line says instead of the column; empty leaves it to the column.

    `periods` is the window of whose periods each has a row, `stretch` what one of these rows or their total reads of it
    where it is seen from a period.
    """

    measure: str = ""
    scenario: str = ""
    window: WindowDef | None = None
    shift: Shift = NO_SHIFT
    entries: str = ""
    periods: WindowDef | None = None
    stretch: Stretch | None = None

    def __bool__(self) -> bool:
        return bool(self.measure or self.scenario or self.window or self.shift.written or self.entries or self.periods)


@dataclass(frozen=True)
class LineDef:
    """One line of a spine. Which fields matter follows from `kind`; see docs/definition-format.md."""

    kind: LineKind
    label: str
    key: str
    accounts: Narrowing = EVERYTHING
    expand: tuple[str, ...] = ()
    sort: str = "code"
    top: int = 0
    others: str = "All others"
    formula: Formula | None = None
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
    detail: str = ""
    """`closed` where the author keeps what is below the line from the statement's readers."""
    is_closed: bool = False
    """Whether it is read by somebody whom its detail is kept from."""
    explain: Threshold | None = None
    """What of its variances is worth explaining, where it says so itself."""
    owner: str = ""
    """Who explains them, by the name they sign in with."""
    volume: Narrowing | None = None
    """The statistical accounts that drive it: what it is paid for."""

    def __hash__(self) -> int:
        """Kept: a line is the name under which a view keeps what it selects."""
        return self._hash

    @cached_property
    def _hash(self) -> int:
        return hash((self.kind, self.key, self.label, self.accounts, self.formula, self.lines))

    @property
    def has_periods(self) -> bool:
        """Whether it stands as one row for each period of a window."""
        return self.override.periods is not None

    @property
    def reads_quantities(self) -> bool:
        """Whether it reads quantities by a measure of its own."""
        return self.override.measure in QUANTITIES


COVERS_NOTHING = "nothing"
"""What a spine says that places no accounts by design."""


@dataclass(frozen=True)
class Covers:
    """The accounts that a spine says it owes a place."""

    written: str
    selection: Selection


@dataclass(frozen=True)
class SpineDef:
    """The lines of a statement; without `covers` it owes a place to all accounts of the types it places any of."""

    name: str
    title: str
    signs: str
    covers: Covers | None
    lines: tuple[LineDef, ...]
    totals: str = ""

    def __hash__(self) -> int:
        """Kept: a spine is the name under which a view keeps what follows from it."""
        return self._hash

    @cached_property
    def _hash(self) -> int:
        return hash((self.name, self.signs, self.covers, self.totals, self.lines))

    @property
    def covers_nothing(self) -> bool:
        """Whether it places no accounts by design."""
        return self.covers is not None and self.covers.written == COVERS_NOTHING

    def walk(self) -> Iterator[LineDef]:
        """Every line, sections before what they hold."""
        todo = list(reversed(self.lines))
        while todo:
            line = todo.pop()
            yield line
            todo.extend(reversed(line.lines))


def spine_from(body: Mapping[str, Any]) -> SpineDef:
    """Build a spine from a checked mapping (see the JSON Schema); raises on what a schema can't say.

    Selections and formulas that can't be read are told all at once, each with its line.
    """
    return _spine_of(json.dumps(body))


@lru_cache(maxsize=64)
def _spine_of(text: str) -> SpineDef:
    """A spine from its mapping as text: what is read again mostly is as it was."""
    body = json.loads(text)
    reader = _Reader(body)
    lines = tuple(reader.line(raw) for raw in body["lines"])
    if reader.problems:
        raise together(reader.problems)
    return SpineDef(
        body["spine"],
        body.get("title", body["spine"]),
        body.get("signs", CONVENTIONS[0]),
        _covers(body.get("covers", ""), reader.where),
        lines,
        body.get("totals", ""),
    )


def _covers(text: str, where: str) -> Covers | None:
    try:
        return Covers(text, parse_selection(text)) if text else None
    except RulkaError as error:
        error.subject = f"{where}, covers"
        raise


def raw_lines(lines: Iterable[Any]) -> Iterator[Any]:
    """The mappings of all lines of a body, in the order that `SpineDef.walk` has them."""
    for line in lines:
        yield line
        yield from raw_lines(line.get("lines", ()))


@lru_cache(maxsize=20_000)
def _line_of(own: str, key: str, override: Override) -> LineDef:
    """A line without those within it, from its own mapping as text: most lines of a spine that is edited are as they
    were."""
    raw = json.loads(own)
    kind = next(kind for kind in LINE_KINDS if kind in raw)
    written = raw.get("formula", raw.get("holds", ""))
    expand = raw.get("expand", ())
    kinds = (expand,) if isinstance(expand, str) else tuple(expand)
    below = raw.get("rows") == "below"
    return LineDef(
        kind=kind,
        label="" if kind in UNLABELLED else raw[kind],
        key=key,
        accounts=read_narrowing(raw.get("accounts", "")),
        expand=() if below else kinds,
        below=kinds if below else (),
        sort=raw.get("sort", SORTS[0]),
        top=int(raw.get("top", "0")),
        others=raw.get("others", "All others"),
        formula=read_formula(written) if written else None,
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
        detail=raw.get("detail", ""),
        explain=read_threshold(raw["explain"]) if raw.get("explain") else None,
        owner=raw.get("owner", ""),
        volume=read_narrowing(raw["volume"]) if raw.get("volume") else None,
    )


class _Reader:
    """Reads lines; `problems` are selections and formulas that can't be read."""

    def __init__(self, body: Mapping[str, Any]) -> None:
        self.where = f"spine {body['spine']}"
        self.keys = KeyGiver(str(line["key"]) for line in raw_lines(body["lines"]) if line.get("key"))
        self.problems: list[RulkaError] = []

    def line(self, raw: Mapping[str, Any]) -> LineDef:
        kind = next(kind for kind in LINE_KINDS if kind in raw)
        label = "" if kind in UNLABELLED else raw[kind]
        key = self.keys.give(raw.get("key", ""), label or kind, self.where)
        override = self._override(raw, f"{self.where}, line {label or key}")
        own = json.dumps({name: value for name, value in raw.items() if name not in ("lines", "key")})
        try:
            line = _line_of(own, key, override)
        except RulkaError as error:
            error.subject = f"line {label}"
            self.problems.append(error)
            line = LineDef(kind=kind, label=label, key=key)
        inner = tuple(self.line(one) for one in raw.get("lines", ()))
        return replace(line, lines=inner) if inner else line

    def _override(self, raw: Mapping[str, Any], place: str) -> Override:
        try:
            return Override(
                raw.get("measure", ""),
                raw.get("scenario", ""),
                read_window(raw["window"]) if raw.get("window") else None,
                read_shift(raw.get("shift", "")),
                raw.get("entries", ""),
                _periods(raw) if raw.get("periods") else None,
            )
        except RulkaError as error:
            error.subject = place
            raise


WITHOUT_PERIODS = {
    "window": "window of time",
    "shift": "shift",
    "expand": "rows for anything else",
    "top": "largest rows",
    "sort": "order of rows",
}
"""What a line doesn't say that stands as a row for each period, in words."""


def _periods(raw: Mapping[str, Any]) -> WindowDef:
    """The window of whose periods each has a row."""
    window = read_window(raw["periods"])
    if window.kind in BY_DAY:
        raise RulkaError(
            f"'{window.written}' has no whole periods.",
            hint="Use a window of periods, such as year to date or last 12 periods.",
            code="periods",
        )
    if also := next((name for name in WITHOUT_PERIODS if raw.get(name)), ""):
        raise RulkaError(
            f"A line with one row for each period has no {WITHOUT_PERIODS[also]} of its own.",
            hint=f"Take away its periods, or its {WITHOUT_PERIODS[also]}.",
            code="periods",
        )
    for text in (raw["line"], raw.get("total", "")):
        check_heading(text)
    return window
