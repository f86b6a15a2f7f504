"""A folio as one page of inline XBRL 1.1: its own look, with facts around the figures and words that report them."""

from __future__ import annotations

import base64
import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from html import escape
from typing import Any, Final

from lxml import etree
from lxml import html as html_reader

from rulka.core.filings.facts import Fact, TextFact, in_words
from rulka.core.filings.reported import ZERO, digits_shown
from rulka.core.filings.taxonomy import Concepts
from rulka.core.folios.filled import FilledCell, FilledDrawing, FilledFigure, Piece
from rulka.core.folios.writing import FigurePlace, Inline
from rulka.formats.filings.naming import NAMES, NamedFact, clark, schema_reference
from rulka.formats.writing.page import Writer

IX: Final = "http://www.xbrl.org/2013/inlineXBRL"
IXT: Final = "http://www.xbrl.org/inlineXBRL/transformation/2022-02-16"
XHTML: Final = "http://www.w3.org/1999/xhtml"
XML: Final = "http://www.w3.org/XML/1998/namespace"
TAGS: Final = frozenset((
    "a", "abbr", "b", "br", "caption", "col", "colgroup", "dd", "div", "dl", "dt", "em", "h1", "h2", "h3", "h4", "h5",
    "h6", "hr", "i", "img", "li", "ol", "p", "small", "span", "strong", "sub", "sup", "table", "tbody", "td", "tfoot",
    "th", "thead", "tr", "ul",
))  # fmt: skip
BLOCKS: Final = frozenset(("section", "figure", "figcaption", "nav", "header", "footer", "article", "main"))
NAME: Final = re.compile(r"n-[a-z0-9-]{1,120}", re.ASCII)
"""Names that are given here; those of files from elsewhere may come twice."""

ATTRIBUTES: Final = frozenset(("class", "id", "title", "href", "src", "alt", "colspan", "rowspan", "scope", "style"))


@dataclass
class FilingWriter(Writer):
    """Writes a section; figures that are reported come as `data` elements that name their fact by number."""

    reported: Mapping[str, Fact] = field(default_factory=dict)
    """The facts of a statement's figures, by what names them."""

    facts: list[Fact] = field(default_factory=list)
    untold: list[str] = field(default_factory=list)
    """Figures in words whose text isn't the reported figure."""

    def filled_cell(self, cell: FilledCell) -> str:
        fact = self.reported.get(cell.source)
        if fact is None or not cell.text.strip():
            return super().filled_cell(cell)
        looks = " ".join(filter(None, ("w" if cell.words else "f", cell.tone)))
        return f'<td class="{looks}">{self._marked(fact, cell.text)}</td>'

    def inline(self, inline: Inline) -> str:
        if isinstance(inline, FigurePlace):
            fact, shown = self.reported.get(inline.source), self.filled.figure(inline.key)
            if fact is not None and not shown.problem:
                return f'<span class="live">{self._in_words(fact, shown)}</span>'
        return super().inline(inline)

    def _in_words(self, fact: Fact, shown: FilledFigure) -> str:
        told = in_words(fact, shown.text)
        if told is None:
            self.untold.append(f"{shown.name}, {shown.heading}: {shown.text}")
            return escape(shown.text)
        return self._marked(told, shown.text)

    def _marked(self, fact: Fact, text: str) -> str:
        self.facts.append(fact)
        digits = text.strip() if text.strip() == ZERO else digits_shown(text)
        before, _, after = text.partition(digits)
        return f'{escape(before)}<data value="{len(self.facts) - 1}">{escape(digits)}</data>{escape(after)}'

    def piece(self, piece: Piece, source: str) -> str:
        if isinstance(piece, FilledDrawing):
            data = base64.b64encode(_standing(piece.svg).encode()).decode()
            about = escape(", ".join(filter(None, (piece.title, piece.about))))
            title = f"<p><b>{escape(piece.title)}</b></p>" if piece.title else ""
            return f'{title}<p><img src="data:image/svg+xml;base64,{data}" alt="{about or "drawing"}"></p>'
        return super().piece(piece, source)


def _standing(svg: str) -> str:
    """A drawing as a file of its own."""
    named = svg if "xmlns=" in svg[:400] else svg.replace("<svg", '<svg xmlns="http://www.w3.org/2000/svg"', 1)
    return named


@dataclass(frozen=True)
class InlineSection:
    """A section of the page: its key, heading, and body as HTML with `data` elements in it."""

    key: str
    heading: str
    body: str


@dataclass(frozen=True)
class InlinePage:
    """What stands around the sections."""

    title: str
    about: str
    style: str
    foot: str = ""


@dataclass
class Inlined:
    """A finished page, and what its texts report by their concept."""

    data: bytes
    words: dict[str, str]


def _head(root: Any, page: InlinePage) -> None:
    head = etree.SubElement(root, clark(XHTML, "head"))
    kind = etree.SubElement(head, clark(XHTML, "meta"))
    kind.set("http-equiv", "Content-Type")
    kind.set("content", "text/html; charset=UTF-8")
    _text(head, "title", page.title)
    _text(head, "style", page.style).set("type", "text/css")


def inlined(
    page: InlinePage,
    sections: Sequence[InlineSection],
    taxonomy: Concepts,
    entity: tuple[str, str],
    facts: Sequence[Fact],
    texts: Sequence[TextFact],
    blocks: Callable[[str], bool],
) -> Inlined:
    """The page. `facts` are those that `data` elements name; `blocks` says whether a concept takes marked-up text."""
    named = NamedFact(entity, taxonomy.within)
    spaces: dict[str | None, str] = {None: XHTML, "ix": IX, "ixt": IXT}
    for prefix, namespace in (*NAMES.items(), *taxonomy.namespaces.items()):
        spaces[prefix] = namespace
    root = etree.Element(clark(XHTML, "html"), nsmap=spaces)
    root.set(clark(XML, "lang"), "en")
    _head(root, page)
    body = etree.SubElement(root, clark(XHTML, "body"))
    unseen = etree.SubElement(body, clark(XHTML, "div"), style="display:none")
    header = etree.SubElement(unseen, clark(IX, "header"))
    schema_reference(etree.SubElement(header, clark(IX, "references")), taxonomy.entry)
    resources = etree.SubElement(header, clark(IX, "resources"))
    _text(body, "h1", page.title)
    _text(body, "p", page.about).set("class", "says")
    inner: dict[str, Any] = {}
    for one in sections:
        block = etree.SubElement(body, clark(XHTML, "div"), id=f"s-{one.key}")
        block.set("class", "section")
        _text(block, "h2", one.heading).set("class", "of-section")
        inner[one.key] = etree.SubElement(block, clark(XHTML, "div"))
        _take(inner[one.key], one.body)
        _facts(inner[one.key], facts, named)
    if page.foot:
        _text(body, "p", page.foot).set("class", "says")
    words = {text.concept: _reported_words(text, inner, blocks(text.concept)) for text in texts}
    for at, text in enumerate(texts, 1):
        _around(text, inner, named, at, blocks(text.concept))
    named.write(resources)
    data = etree.tostring(root, xml_declaration=True, encoding="UTF-8")
    return Inlined(bytes(data), words)


def _text(parent: Any, tag: str, text: str) -> Any:
    node = etree.SubElement(parent, clark(XHTML, tag))
    node.text = text
    return node


def _take(parent: Any, body: str) -> None:
    """HTML into a page of XHTML 1.1: elements that it lacks become ones that it has."""
    holder = html_reader.fragment_fromstring(body, create_parent="div")
    parent.text = holder.text
    for one in holder:
        parent.append(_taken(one))
    if parent.text and parent.text.strip():
        paragraph = etree.Element(clark(XHTML, "p"))
        paragraph.text, parent.text = parent.text, None
        parent.insert(0, paragraph)


def _taken(node: Any) -> Any:
    if not isinstance(node.tag, str):
        made = etree.Element(clark(XHTML, "span"))
        made.tail = node.tail
        return made
    name = node.tag
    if name == "data":
        made = etree.Element("data", value=node.get("value"))
    else:
        tag = name if name in TAGS else "div" if name in BLOCKS else "span"
        made = etree.Element(clark(XHTML, tag))
        for attribute, value in node.attrib.items():
            if attribute in ATTRIBUTES and (attribute != "style" or name != "col") and _is_safe(attribute, value):
                made.set(attribute, value)
        if tag == "img" and not made.get("alt"):
            made.set("alt", "picture")
    made.text, made.tail = node.text, node.tail
    for one in node:
        made.append(_taken(one))
    return made


def _is_safe(attribute: str, value: str) -> bool:
    """Whether an attribute runs nothing, fetches nothing, and is a name where it has to be one."""
    if attribute == "href":
        return value.startswith(("https://", "http://", "mailto:", "#"))
    if attribute == "src":
        return value.startswith("data:image/")
    return attribute != "id" or NAME.fullmatch(value) is not None


def _facts(parent: Any, facts: Sequence[Fact], named: NamedFact) -> None:
    for node in list(parent.iter("data")):
        at = int(node.attrib.pop("value"))
        fact = facts[at]
        node.tag = clark(IX, "nonFraction")
        node.set("id", f"f{at + 1}")
        node.set("name", fact.concept)
        node.set("contextRef", named.context(fact.time, fact.members))
        node.set("unitRef", named.unit(fact.unit))
        node.set("decimals", str(fact.decimals))
        if (node.text or "") == ZERO:
            node.set("format", "ixt:fixed-zero")
            continue
        node.set("format", _format(node.text or "", fact))
        if fact.scale:
            node.set("scale", str(fact.scale))
        if fact.value < 0:
            node.set("sign", "-")


def _format(text: str, fact: Fact) -> str:
    if "\u2019" in text or "'" in text:
        return "ixt:num-dot-decimal-apos"
    mark = fact.cell.mark
    return "ixt:num-comma-decimal" if mark == "," else "ixt:num-dot-decimal"


def _around(text: TextFact, inner: Mapping[str, Any], named: NamedFact, at: int, marked: bool) -> None:
    """A text around the words of its sections: the first one says what it is, each leads on to the next."""
    keys = [key for key in text.sections if key in inner]
    for place, key in enumerate(keys):
        block = inner[key]
        made = etree.Element(clark(IX, "nonNumeric" if place == 0 else "continuation"))
        if place == 0:
            made.set("name", text.concept)
            made.set("contextRef", named.context(text.time))
            made.set("escape", "true" if marked else "false")
            made.set("id", f"t{at}")
        else:
            made.set("id", f"t{at}-{place + 1}")
        if place + 1 < len(keys):
            made.set("continuedAt", f"t{at}-{place + 2}")
        made.text, block.text = block.text, None
        for one in list(block):
            made.append(one)
        block.append(made)


def _reported_words(text: TextFact, inner: Mapping[str, Any], marked: bool) -> str:
    """What a text reports: its words, with their marks where its concept takes them."""
    found = []
    for key in text.sections:
        if key not in inner:
            continue
        if not marked:
            found.append("".join(inner[key].itertext()))
            continue
        for one in inner[key]:
            found.append(etree.tostring(_plain(one), encoding="unicode", with_tail=True))
    return "".join(found) if marked else " ".join(" ".join(found).split())


def _plain(node: Any) -> Any:
    """An element without the facts inside of it, whose words stay."""
    made = etree.Element(node.tag, {key: value for key, value in node.attrib.items() if key != "id"}, {None: XHTML})
    made.text, made.tail = node.text, node.tail
    for one in node:
        inside = _plain(one)
        if str(one.tag).startswith(f"{{{IX}}}"):
            words = f"{''.join(one.itertext())}{one.tail or ''}"
            if len(made):
                made[-1].tail = (made[-1].tail or "") + words
            else:
                made.text = (made.text or "") + words
        else:
            made.append(inside)
    return made
