"""A word file that was written elsewhere: its words line by line, the live places in it, itself as a web page."""

from __future__ import annotations

import io
from collections.abc import Iterator
from typing import TYPE_CHECKING, Any

import lxml.html
from docx import Document as open_docx
from docx.oxml.ns import qn

from rulka.core.folios.writing import LINKS
from rulka.core.later import later
from rulka.formats.writing.docx_write import TAG, tag_in
from rulka.formats.writing.xml import words_of

if TYPE_CHECKING:
    import mammoth
else:
    mammoth = later("mammoth")

KEPT = frozenset(
    ("p", "h1", "h2", "h3", "h4", "h5", "h6", "ul", "ol", "li", "table", "thead", "tbody", "tr", "td", "th", "strong",
     "em", "u", "s", "sup", "sub", "a", "br", "img", "div", "blockquote")
)  # fmt: skip
SAID = frozenset(("href", "src", "alt", "colspan", "rowspan", "id"))
STYLE_MAP = "comment-reference =>\nu => u"


def lines_of(data: bytes, *, typed: bool = False) -> list[str]:
    """The words of a word file, one line a paragraph, those of tables too. With `typed` without what live places
    show."""
    docx = open_docx(io.BytesIO(data))
    found = []
    for paragraph in docx.element.body.iter(qn("w:p")):
        if typed and _is_live(paragraph):
            continue
        if typed:
            found.append("".join(_typed_words(paragraph)))
        else:
            found.append(words_of(paragraph))
    return found


def _is_live(node: Any) -> bool:
    return any(one.tag == qn("w:sdt") and tag_in(one).startswith(TAG) for one in node.iterancestors())


def _typed_words(paragraph: Any) -> Iterator[str]:
    for run in paragraph.iter(qn("w:r")):
        if not _is_live(run):
            yield words_of(run)


def tags_of(data: bytes) -> list[str]:
    """The tags of the live places of a word file, each once."""
    docx = open_docx(io.BytesIO(data))
    found = (tag_in(one) for one in docx.element.body.iter(qn("w:sdt")))
    return list(dict.fromkeys(one for one in found if one.startswith(TAG)))


def is_landscape(data: bytes) -> bool:
    """Whether a word file begins across."""
    section = open_docx(io.BytesIO(data)).sections[0]
    return bool((section.page_width or 0) > (section.page_height or 0))


def as_web_page(data: bytes) -> str:
    """A word file as plain HTML: what isn't words, lists, tables and pictures is left out, nothing leads elsewhere than
    to web and mail addresses."""
    with io.BytesIO(data) as file:
        made = mammoth.convert_to_html(file, style_map=STYLE_MAP).value
    if not made.strip():
        return ""
    tree = lxml.html.fragment_fromstring(made, create_parent="div")
    for node in list(tree.iter()):
        if node is tree:
            continue
        if not isinstance(node.tag, str) or node.tag not in KEPT:
            node.drop_tree() if not isinstance(node.tag, str) or node.tag in ("script", "style") else node.drop_tag()
            continue
        for name in list(node.attrib):
            if name not in SAID:
                del node.attrib[name]
        href, source = node.get("href", "#"), node.get("src", "data:image/")
        if not href.lower().startswith((*LINKS, "#")):
            del node.attrib["href"]
        if not source.startswith(("data:image/png", "data:image/jpeg", "data:image/gif", "data:image/")):
            del node.attrib["src"]
        if source.startswith("data:image/svg"):
            node.drop_tree()
    return "".join(lxml.html.tostring(child, encoding="unicode") for child in tree)
