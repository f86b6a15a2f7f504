"""The master that every folio begins with: paper, styles, running head and foot of a word file."""

from __future__ import annotations

import io
from functools import cache
from typing import Any, Final

from docx import Document as open_docx
from docx.document import Document as Docx
from docx.enum.style import WD_STYLE_TYPE
from docx.enum.text import WD_ALIGN_PARAGRAPH
from docx.oxml.ns import qn
from docx.shared import Mm, Pt, RGBColor

from rulka.formats.writing.xml import element, field

INK, SOFT = RGBColor(0x20, 0x29, 0x2B), RGBColor(0x69, 0x70, 0x6C)
SERIF, SANS = "Source Serif 4", "Source Sans 3"
HEADINGS: Final = {1: (17, 0, 8), 2: (13, 14, 6), 3: (11, 11, 4), 4: (10, 8, 3)}
"""Size, space before and after of each level, in points."""

TABLE_TEXT, TABLE_FIGURE, CAPTION, PROBLEM = "Table Text", "Table Figure", "Figure Title", "Not Shown"
NOTE_TEXT, NOTE_MARK = "footnote text", "footnote reference"


@cache
def usual_master() -> bytes:
    """The word file whose styles, paper, head and foot a folio has unless it was given another."""
    docx = open_docx()
    _paper(docx)
    _styles(docx)
    _furniture(docx)
    buffer = io.BytesIO()
    docx.save(buffer)
    return buffer.getvalue()


def _paper(docx: Docx) -> None:
    section = docx.sections[0]
    section.page_width, section.page_height = Mm(210), Mm(297)
    section.left_margin = section.right_margin = Mm(22)
    section.top_margin, section.bottom_margin = Mm(24), Mm(22)
    section.header_distance = section.footer_distance = Mm(11)


def _styles(docx: Docx) -> None:
    normal = docx.styles["Normal"]
    _font(normal, SANS, 10)
    normal.paragraph_format.space_after, normal.paragraph_format.line_spacing = Pt(6), 1.2
    for level, (size, before, after) in HEADINGS.items():
        style = docx.styles[f"Heading {level}"]
        _font(style, SERIF, size, bold=True)
        style.font.italic = False
        style.paragraph_format.space_before, style.paragraph_format.space_after = Pt(before), Pt(after)
        style.paragraph_format.keep_with_next = True
    for name, size, bold in (
        (TABLE_TEXT, 9, False), (TABLE_FIGURE, 9, False), (CAPTION, 10, True), (PROBLEM, 9, False),
        (NOTE_TEXT, 8, False),
    ):  # fmt: skip
        style = docx.styles.add_style(name, WD_STYLE_TYPE.PARAGRAPH)
        style.base_style = normal
        _font(style, SERIF if name == CAPTION else SANS, size, bold=bold)
        style.paragraph_format.space_after = Pt(0 if name.startswith("Table") else 3)
        style.paragraph_format.line_spacing = 1.0
    docx.styles[TABLE_FIGURE].paragraph_format.alignment = WD_ALIGN_PARAGRAPH.RIGHT
    docx.styles[CAPTION].paragraph_format.keep_with_next = True
    mark = docx.styles.add_style(NOTE_MARK, WD_STYLE_TYPE.CHARACTER)
    mark.font.superscript = True
    for name in ("Header", "Footer"):
        _font(docx.styles[name], SANS, 8, colour=SOFT)


def _font(style: Any, name: str, size: int, *, bold: bool = False, colour: RGBColor = INK) -> None:
    style.font.name, style.font.size, style.font.bold, style.font.color.rgb = name, Pt(size), bold, colour
    fonts = style.element.get_or_add_rPr().get_or_add_rFonts()
    for which in ("asciiTheme", "hAnsiTheme", "eastAsiaTheme", "cstheme"):
        fonts.attrib.pop(qn(f"w:{which}"), None)
    for which in ("ascii", "hAnsi", "cs"):
        fonts.set(qn(f"w:{which}"), name)


def _furniture(docx: Docx) -> None:
    """A running head with the folio's title, and a foot with page x of y."""
    section = docx.sections[0]
    head = section.header.paragraphs[0]
    title = element("w:fldSimple", instr=" TITLE ")
    run = element("w:r")
    text = element("w:t")
    text.text = " "
    run.append(text)
    title.append(run)
    head._p.append(title)
    foot = section.footer.paragraphs[0]
    foot.paragraph_format.alignment = WD_ALIGN_PARAGRAPH.RIGHT
    foot.add_run("Page ")
    for one in field("PAGE"):
        foot._p.append(one)
    foot.add_run(" of ")
    for one in field("NUMPAGES"):
        foot._p.append(one)
