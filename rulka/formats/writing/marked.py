"""A text in light marks (headings, lists, tables, emphasis) as a document; `{{statement:name|row|column}}` is a live
figure, and alone in a paragraph a live table."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from typing import Any

from markdown_it import MarkdownIt
from markdown_it.tree import SyntaxTreeNode

from rulka.core.errors import RulkaError
from rulka.core.folios.writing import (
    LINKS,
    UNITS,
    Block,
    Document,
    FigureLook,
    FigurePlace,
    Footnote,
    Heading,
    Inline,
    LineBreak,
    Listing,
    LiveTable,
    PageBreak,
    Paragraph,
    TableCell,
    Text,
    TextTable,
    clean,
)

LIVE = re.compile(r"\{\{\s*(?P<source>[a-z]+:[^{}]+?)\s*\}\}")
NOTE = re.compile(r"\[\[(?P<text>[^\[\]]+)\]\]")
LOOKS = re.compile(r"\s*;\s*")


def document_marked(text: str) -> Document:
    """A text in light marks as a document. `{{...; thousands; 1; unsigned}}` says how a figure is written, `[[...]]` is
    a footnote. HTML stands as it is written."""
    reader = MarkdownIt("commonmark", {"html": False}).enable("table").disable(["html_inline", "html_block", "image"])
    # a bar in a figure's name is none of a table's
    tree = SyntaxTreeNode(reader.parse(LIVE.sub(lambda found: found[0].replace("|", "\ue000"), text)))
    return Document(tuple(block for node in tree.children for block in _block(node)))


def _block(node: Any) -> Iterator[Block]:
    match node.type:
        case "heading":
            yield Heading(min(int(node.tag[1:]), 3), _inlines(node))
        case "paragraph":
            yield from _paragraph(_inlines(node))
        case "bullet_list" | "ordered_list":
            items = tuple(tuple(block for one in item.children for block in _block(one)) for item in node.children)
            yield Listing(node.type == "ordered_list", items)
        case "table":
            yield TextTable(tuple(_row(row, part.type == "thead") for part in node.children for row in part.children))
        case "hr":
            yield PageBreak()
        case "blockquote":
            for one in node.children:
                yield from _block(one)
        case "code_block" | "fence":
            yield Paragraph((Text(clean(node.content.strip("\n"))),))


def _paragraph(inlines: tuple[Inline, ...]) -> Iterator[Block]:
    """A paragraph; a figure's name alone in it that names no row is a table."""
    if len(inlines) == 1 and isinstance(inlines[0], FigurePlace) and is_table(inlines[0].source):
        yield LiveTable(inlines[0].source)
        return
    yield Paragraph(inlines)


def is_table(source: str) -> bool:
    """Whether a source names a table or drawing, and not one figure of it."""
    kind, _, rest = source.partition(":")
    parts = rest.split("|")
    if kind == "worksheet":
        return len(parts) < 2 or ":" in parts[-1]
    return len(parts) < 3 or "," in rest


def _row(row: Any, heading: bool) -> tuple[TableCell, ...]:
    return tuple(TableCell((Paragraph(_inlines(cell)),), heading) for cell in row.children)


def _inlines(node: Any) -> tuple[Inline, ...]:
    children: Sequence[Any] = node.children[0].children if node.children else ()
    return tuple(one for child in children for one in _inline(child, frozenset(), ""))


def _inline(node: Any, marks: frozenset[str], link: str) -> Iterator[Inline]:
    match node.type:
        case "text" | "code_inline":
            yield from _pieces(node.content, marks, link)
        case "strong" | "em":
            for child in node.children:
                yield from _inline(child, marks | {node.type}, link)
        case "link":
            href = str(node.attrs.get("href", ""))
            for child in node.children:
                yield from _inline(child, marks, href if href.lower().startswith(LINKS) else "")
        case "softbreak":
            yield Text(" ", marks, link)
        case "hardbreak":
            yield LineBreak()


def _pieces(text: str, marks: frozenset[str], link: str) -> Iterator[Inline]:
    place = 0
    for found in re.finditer(f"{LIVE.pattern}|{NOTE.pattern}", text):
        if found.start() > place:
            yield Text(clean(text[place : found.start()]), marks, link)
        if found["source"]:
            yield _figure(found["source"].replace("\ue000", "|"))
        else:
            yield Footnote(clean(found["text"]))
        place = found.end()
    if place < len(text):
        yield Text(clean(text[place:]), marks, link)


def _figure(told: str) -> FigurePlace:
    source, *looks = LOOKS.split(told.strip())
    unit = decimals = ""
    unsigned = False
    for look in looks:
        if look in UNITS and look:
            unit = look
        elif look in ("0", "1", "2", "3", "4"):
            decimals = look
        elif look == "unsigned":
            unsigned = True
        else:
            raise RulkaError(
                f"'{look[:30]}' is no way to write a figure.", hint="Use thousands, millions, 0 to 4, or unsigned.",
                subject="text",
            )  # fmt: skip
    return FigurePlace(source, FigureLook(unit, decimals, unsigned))
