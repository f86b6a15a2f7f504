"""A text that somebody writes: headings, paragraphs, lists, tables, footnotes, with figures and tables that stay live.

It is kept as nested mappings, as the editor in the browser has them; here they become parts that say what they are.
What is none of them is refused, so that nothing reaches a page or a file that isn't known.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, Final

from rulka.core.errors import RulkaError

MOST_NODES: Final = 60_000
MOST_DEPTH: Final = 12
MOST_TEXT: Final = 2_000_000
LINKS: Final = ("https://", "http://", "mailto:")
MARKS: Final = ("strong", "em", "underline")
UNITS: Final = {"": 0, "thousands": 3, "millions": 6}
LOOKS: Final = ("", "0", "1", "2", "3", "4")


@dataclass(frozen=True)
class Text:
    text: str
    marks: frozenset[str] = frozenset()
    link: str = ""


@dataclass(frozen=True)
class FigureLook:
    """How a figure in words is written: scaled by a unit, with so many decimals, without its sign."""

    unit: str = ""
    decimals: str = ""
    unsigned: bool = False


@dataclass(frozen=True)
class FigurePlace:
    """A live figure: `source` names it (`statement:name|row|column`), `look` how it is written."""

    source: str
    look: FigureLook = FigureLook()

    @property
    def key(self) -> str:
        """What tells it from other figures of a document."""
        look = self.look
        return "#".join((self.source, look.unit, look.decimals, "unsigned" if look.unsigned else ""))


def figure_named(key: str) -> FigurePlace:
    """A figure by its key."""
    source, _, rest = key.partition("#")
    unit, decimals, unsigned = (*rest.split("#"), "", "", "")[:3]
    return FigurePlace(source, FigureLook(unit, decimals, unsigned == "unsigned"))


@dataclass(frozen=True)
class Footnote:
    text: str


@dataclass(frozen=True)
class LineBreak:
    pass


Inline = Text | FigurePlace | Footnote | LineBreak


@dataclass(frozen=True)
class Paragraph:
    inlines: tuple[Inline, ...] = ()


@dataclass(frozen=True)
class Heading:
    level: int
    inlines: tuple[Inline, ...] = ()


@dataclass(frozen=True)
class Listing:
    ordered: bool
    items: tuple[tuple[Block, ...], ...]


@dataclass(frozen=True)
class TableCell:
    blocks: tuple[Block, ...]
    heading: bool = False
    wide: int = 1
    high: int = 1


@dataclass(frozen=True)
class TextTable:
    rows: tuple[tuple[TableCell, ...], ...]


@dataclass(frozen=True)
class LiveTable:
    """A live table or drawing by its source (`statement:name`, `overview:name|tile`)."""

    source: str


@dataclass(frozen=True)
class PageBreak:
    pass


Block = Paragraph | Heading | Listing | TextTable | LiveTable | PageBreak


@dataclass(frozen=True)
class Document:
    blocks: tuple[Block, ...] = ()

    def figures(self) -> Iterator[FigurePlace]:
        """All its live figures, as they stand."""
        for inlines in self.lines():
            yield from (one for one in inlines if isinstance(one, FigurePlace))

    def tables(self) -> Iterator[LiveTable]:
        """All its live tables."""
        yield from (one for one in walked(self.blocks) if isinstance(one, LiveTable))

    def lines(self) -> Iterator[tuple[Inline, ...]]:
        """What stands in each heading, paragraph and cell, in order."""
        yield from (one.inlines for one in walked(self.blocks) if isinstance(one, Paragraph | Heading))

    @property
    def is_empty(self) -> bool:
        """Whether nothing was written yet."""
        return not any(self.lines_with_something()) and not any(self.tables())

    def lines_with_something(self) -> Iterator[tuple[Inline, ...]]:
        yield from (one for one in self.lines() if one)


def walked(blocks: Sequence[Block]) -> Iterator[Block]:
    """All blocks, those inside of lists and tables too."""
    for block in blocks:
        yield block
        if isinstance(block, Listing):
            for item in block.items:
                yield from walked(item)
        elif isinstance(block, TextTable):
            for row in block.rows:
                for cell in row:
                    yield from walked(cell.blocks)


# from nested mappings, and back ---------------------------------------------------------------------------------------


@dataclass
class _Count:
    nodes: int = 0
    text: int = 0


@dataclass
class _Reader:
    count: _Count = field(default_factory=_Count)

    def blocks(self, raw: Any, depth: int) -> tuple[Block, ...]:
        return tuple(self.block(one, depth) for one in self.listed(raw))

    def listed(self, raw: Any) -> list[Mapping[str, Any]]:
        if raw is None:
            return []
        if not isinstance(raw, list) or not all(isinstance(one, Mapping) for one in raw):
            raise _strange("content")
        return raw

    def block(self, raw: Mapping[str, Any], depth: int) -> Block:
        self.bound(depth)
        given = raw.get("attrs") or {}
        if not isinstance(given, Mapping):
            raise _strange("attrs")
        match raw.get("type"):
            case "paragraph":
                return Paragraph(self.inlines(raw.get("content")))
            case "heading":
                return Heading(_among(given.get("level", 1), 1, 3, "level"), self.inlines(raw.get("content")))
            case "bullet_list" | "ordered_list" as kind:
                items = tuple(self.item(one, depth + 1) for one in self.listed(raw.get("content")))
                return Listing(kind == "ordered_list", items)
            case "table":
                return TextTable(tuple(self.row(one, depth + 1) for one in self.listed(raw.get("content"))))
            case "live_table":
                return LiveTable(_source(given))
            case "page_break":
                return PageBreak()
            case other:
                raise _strange(other)

    def item(self, raw: Mapping[str, Any], depth: int) -> tuple[Block, ...]:
        if raw.get("type") != "list_item":
            raise _strange(raw.get("type"))
        return self.blocks(raw.get("content"), depth + 1)

    def row(self, raw: Mapping[str, Any], depth: int) -> tuple[TableCell, ...]:
        if raw.get("type") != "table_row":
            raise _strange(raw.get("type"))
        return tuple(self.cell(one, depth + 1) for one in self.listed(raw.get("content")))

    def cell(self, raw: Mapping[str, Any], depth: int) -> TableCell:
        if raw.get("type") not in ("table_cell", "table_header"):
            raise _strange(raw.get("type"))
        given = raw.get("attrs") or {}
        wide, high = (_among(given.get(name, 1), 1, 200, name) for name in ("colspan", "rowspan"))
        return TableCell(self.blocks(raw.get("content"), depth), raw["type"] == "table_header", wide, high)

    def inlines(self, raw: Any) -> tuple[Inline, ...]:
        return tuple(self.inline(one) for one in self.listed(raw))

    def inline(self, raw: Mapping[str, Any]) -> Inline:
        self.bound(0)
        given = raw.get("attrs") or {}
        match raw.get("type"):
            case "text":
                return self.text(raw)
            case "figure":
                unit, decimals = str(given.get("unit") or ""), str(given.get("decimals") or "")
                if unit not in UNITS or decimals not in LOOKS:
                    raise _strange(unit or decimals)
                return FigurePlace(_source(given), FigureLook(unit, decimals, bool(given.get("unsigned"))))
            case "footnote":
                return Footnote(self.said(given.get("text", "")))
            case "hard_break":
                return LineBreak()
            case other:
                raise _strange(other)

    def text(self, raw: Mapping[str, Any]) -> Text:
        marks, link = set(), ""
        for one in self.listed(raw.get("marks")):
            kind = one.get("type")
            if kind == "link":
                link = str((one.get("attrs") or {}).get("href", ""))
                if not link.lower().startswith(LINKS):
                    raise RulkaError(
                        f"'{link[:60]}' is no link.", hint="Begin it with https://, http:// or mailto:.", subject="text"
                    )
            elif kind in MARKS:
                marks.add(str(kind))
            else:
                raise _strange(kind)
        return Text(self.said(raw.get("text", "")), frozenset(marks), link)

    def said(self, raw: Any) -> str:
        if not isinstance(raw, str):
            raise _strange("text")
        self.count.text += len(raw)
        if self.count.text > MOST_TEXT:
            raise RulkaError("The section is too long.", hint="Make two sections of it.", subject="text")
        return clean(raw)

    def bound(self, depth: int) -> None:
        self.count.nodes += 1
        if self.count.nodes > MOST_NODES or depth > MOST_DEPTH:
            raise RulkaError(
                "The section holds too much, or lists and tables too deep inside of each other.",
                hint="Make two sections of it.", subject="text",
            )  # fmt: skip


def clean(text: str) -> str:
    """Text without signs that no file can hold."""
    return "".join(letter for letter in text if letter >= " " or letter in "\t\n")


def _strange(what: Any) -> RulkaError:
    return RulkaError(f"A text holds nothing like '{str(what)[:30]}'.", hint="Write it again.", subject="text")


def _among(raw: Any, least: int, most: int, what: str) -> int:
    if not isinstance(raw, int) or isinstance(raw, bool) or not least <= raw <= most:
        raise _strange(f"{what} {raw}")
    return raw


def _source(given: Mapping[str, Any]) -> str:
    source = given.get("source")
    if not isinstance(source, str) or ":" not in source or len(source) > 600:
        raise _strange("a figure without a source")
    return source


def document_from(raw: Any) -> Document:
    """What an editor sent as a document; raises RulkaError for what is none."""
    if not isinstance(raw, Mapping) or raw.get("type") != "doc":
        raise _strange("it")
    return Document(_Reader().blocks(raw.get("content"), 0))


def document_to(document: Document) -> dict[str, Any]:
    """A document as nested mappings, as the editor takes it."""
    return {"type": "doc", "content": [_block(one) for one in document.blocks] or [{"type": "paragraph"}]}


def _block(block: Block) -> dict[str, Any]:
    match block:
        case Paragraph():
            return _with("paragraph", [_inline(one) for one in block.inlines])
        case Heading():
            return {**_with("heading", [_inline(one) for one in block.inlines]), "attrs": {"level": block.level}}
        case Listing():
            items = [_with("list_item", [_block(one) for one in item]) for item in block.items]
            return _with("ordered_list" if block.ordered else "bullet_list", items)
        case TextTable():
            return _with("table", [_with("table_row", [_cell(one) for one in row]) for row in block.rows])
        case LiveTable():
            return {"type": "live_table", "attrs": {"source": block.source}}
        case PageBreak():
            return {"type": "page_break"}


def _with(kind: str, content: list[dict[str, Any]]) -> dict[str, Any]:
    return {"type": kind, **({"content": content} if content else {})}


def _cell(cell: TableCell) -> dict[str, Any]:
    content = [_block(one) for one in cell.blocks] or [{"type": "paragraph"}]
    kind = "table_header" if cell.heading else "table_cell"
    return {"type": kind, "attrs": {"colspan": cell.wide, "rowspan": cell.high, "colwidth": None}, "content": content}


def _inline(inline: Inline) -> dict[str, Any]:
    match inline:
        case Text():
            marks: list[dict[str, Any]] = [{"type": mark} for mark in MARKS if mark in inline.marks]
            marks += [{"type": "link", "attrs": {"href": inline.link}}] if inline.link else []
            return {"type": "text", "text": inline.text, **({"marks": marks} if marks else {})}
        case FigurePlace():
            look = inline.look
            told = {"source": inline.source, "unit": look.unit, "decimals": look.decimals, "unsigned": look.unsigned}
            return {"type": "figure", "attrs": told}
        case Footnote():
            return {"type": "footnote", "attrs": {"text": inline.text}}
        case LineBreak():
            return {"type": "hard_break"}


def plain_lines(document: Document, figure: Mapping[str, str] | None = None) -> list[str]:
    """A document's words, one line for each heading, paragraph and cell; live figures as they read, or as nothing."""
    known = figure or {}
    return [
        "".join(
            one.text if isinstance(one, Text) else known.get(one.key, "") if isinstance(one, FigurePlace) else
            " " if isinstance(one, LineBreak) else ""
            for one in inlines
        )
        for inlines in document.lines()
    ]  # fmt: skip
