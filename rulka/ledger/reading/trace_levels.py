"""What each level of a trace shows, ready to be written: which one an address means is found in `trace_panel`."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from fractions import Fraction
from typing import Any, ClassVar

from rulka.core.compute.nodes import Node
from rulka.ledger.reading.journal import JournalRow
from rulka.ledger.reading.trace_address import Address
from rulka.ledger.reading.trace_lines import LineQuery
from rulka.screen import PanelBody, Screen


@dataclass(frozen=True)
class Crumb:
    """A step of the way; the last one, where one stands, has no address."""

    label: str
    query: str


@dataclass(frozen=True)
class TracedFigure:
    """The figure that is split: in which node's money, as text, and in which directions it can be split (words,
    address, whether it is the one shown); `how` says what was split."""

    traced: Node
    value: str
    money: bool
    negative: bool
    digits: int
    by: str
    ways: Sequence[tuple[str, str, bool]]
    rates: Sequence[Any]


@dataclass(frozen=True, kw_only=True)
class Level(Screen):
    """One level. `agrees` says whether what shows gives the figure above, None where nothing was judged; `standing` are
    the accounts, entities and periods behind it, `asked` what its address says, by name."""

    html = "ledger/_trace_none.html"
    level: ClassVar[str] = "none"
    address: Address = field(default_factory=Address)
    asked: Mapping[str, str] = field(default_factory=dict)
    crumbs: Sequence[Crumb] = ()
    figure: TracedFigure | None = None
    how: str = ""
    agrees: bool | None = None
    wide: bool = False
    standing: Mapping[str, Sequence[str]] = field(default_factory=dict)

    @property
    def context(self) -> dict[str, Any]:
        return {**super().context, "level": self.level}


@dataclass(frozen=True)
class ShownPart:
    """One part of a figure: text, address that opens it further, share of the whole and of the largest for its bar."""

    label: str
    amount: str
    query: str
    width: int
    negative: bool
    share: str = ""
    so_far: str = ""
    sides: tuple[str, str] = ("", "")
    lines: int = 0
    reason: str = ""


@dataclass(frozen=True, kw_only=True)
class PartsLevel(Level):
    """What a figure is made of on the statement; where it doesn't add up it gives the figure in another way."""

    html = "ledger/_trace_parts.html"
    level = "parts"
    parts: Sequence[ShownPart]
    total: str
    count: int
    adds_up: bool = True
    sides: tuple[str, str] | None = None
    total_sides: tuple[str, ...] | None = None
    every: int = 0
    filtered: bool = False
    shown_sum: str = ""
    pages: int = 1
    page: int = 1
    with_lines: bool = False


@dataclass(frozen=True, kw_only=True)
class SplitLevel(PartsLevel):
    """A figure split in a direction: a page of its parts, of those that fit what was searched for."""

    level = "split"


@dataclass(frozen=True)
class LinesTable:
    """Journal lines and budget rows of a figure, or of one of its sides; `untold` is what of it has none, and why."""

    title: str
    lines: Any
    budget: Any
    page_name: str
    untold: Sequence[tuple[str, Fraction]]


@dataclass(frozen=True, kw_only=True)
class LinesLevel(Level):
    """The journal lines behind a figure, by side where it has two."""

    html = "ledger/_trace_lines.html"
    level = "lines"
    tables: Sequence[LinesTable]
    columns: Sequence[tuple[str, str]]
    all_columns: Sequence[tuple[str, str, bool]]
    query: LineQuery
    ticks: Any
    ticked: str
    entry_base: str


@dataclass(frozen=True, kw_only=True)
class BothLevel(Level):
    """Both sides of a difference, line against line."""

    html = "ledger/_trace_both.html"
    level = "both"
    sides: tuple[str, str]
    matched: Any


@dataclass(frozen=True, kw_only=True)
class EntryLevel(Level):
    """An entry with all its lines that may be seen, and its documents with the addresses of theirs."""

    html = "ledger/_trace_entry.html"
    level = "entry"
    shown_entry: Any
    documents: Sequence[tuple[str, str]]


@dataclass(frozen=True, kw_only=True)
class DocumentLevel(Level):
    """Every line of a document, each with the address of its entry."""

    html = "ledger/_trace_document.html"
    level = "document"
    document: str
    rows: Sequence[tuple[JournalRow, str]]
    count: int
    sums: Sequence[Any]


@dataclass(frozen=True)
class TraceAddresses:
    """Where a trace of something stands: its page, the whole page, and the files and takers of its rows, by form and
    by the name of their address."""

    page: str
    whole: str
    file: Callable[[str], str]
    taker: Callable[[str], str]


@dataclass(frozen=True, kw_only=True)
class TracePanel(PanelBody):
    """A level with the ways from it: to the other page, to files of its rows, and to what others make of them, each as
    words and address."""

    html = "ledger/_trace.html"
    trace: Level
    room: bool
    whole: tuple[str, str]
    takes: Sequence[tuple[str, str]]
    into: Sequence[tuple[str, str]]
