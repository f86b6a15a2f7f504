"""A written document with what its places show, as a word file in the styles of its folio's master."""

from __future__ import annotations

import io
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from hashlib import sha256
from typing import Any

from docx import Document as open_docx
from docx.document import Document as Docx
from docx.enum.section import WD_ORIENT
from docx.enum.text import WD_BREAK
from docx.opc.constants import RELATIONSHIP_TYPE
from docx.oxml import parse_xml
from docx.oxml.ns import qn
from docx.shared import Pt, RGBColor
from docxcompose.composer import Composer

from rulka.core.folios.filled import Filled, FilledDrawing, FilledProblem, FilledRow, FilledTable, FilledWords, Piece
from rulka.core.folios.writing import (
    Block,
    Document,
    FigurePlace,
    Footnote,
    Heading,
    Inline,
    LineBreak,
    Listing,
    LiveTable,
    PageBreak,
    Paragraph,
    Text,
    TextTable,
)
from rulka.formats.output.paper import svg_picture
from rulka.formats.writing.docx_master import CAPTION, NOTE_MARK, NOTE_TEXT, PROBLEM, TABLE_FIGURE, TABLE_TEXT
from rulka.formats.writing.xml import element

TAG = "rulka-"
"""How the tag of a live place begins; a tag has at most 64 signs, so it bears a digest of what names the place."""

HAIR, INK = "E6E0D1", "20292B"
RULES = {"single": ("single", "6"), "double": ("double", "6"), "thick": ("single", "12"), "dotted": ("dotted", "6")}
TONES = {"good": RGBColor(0x1F, 0x5A, 0x4D), "bad": RGBColor(0xA4, 0x3A, 0x2C)}
PIXEL = 9_525
"""Of the unit that drawings are measured in (ECMA-376: 914,400 an inch), at 96 pixels an inch."""

STYLES = {
    "heading": "Heading {}", "bullet": "List Bullet", "number": "List Number", TABLE_TEXT: TABLE_TEXT,
    TABLE_FIGURE: TABLE_FIGURE, CAPTION: CAPTION, PROBLEM: PROBLEM,
}  # fmt: skip


def tag_of(key: str) -> str:
    """What a word file calls a live place."""
    return TAG + sha256(key.encode()).hexdigest()[:20]


@dataclass
class _Writer:
    docx: Docx
    filled: Filled
    live: bool
    wide: int

    def __post_init__(self) -> None:
        self.names = {style.name for style in self.docx.styles}

    def style(self, name: str) -> str:
        """A style of the master; Normal where it has none of that name."""
        return name if name in self.names else "Normal"

    def blocks(self, blocks: Sequence[Block], into: Any, depth: int = 0) -> None:
        for block in blocks:
            self.block(block, into, depth)

    def block(self, block: Block, into: Any, depth: int) -> None:
        match block:
            case Paragraph():
                self.inlines(block.inlines, into.add_paragraph(style=self.style("Normal")))
            case Heading():
                self.inlines(block.inlines, into.add_paragraph(style=self.style(f"Heading {block.level + 1}")))
            case Listing():
                self.listing(block, into, depth)
            case TextTable():
                self.written_table(block, into)
            case LiveTable():
                self.live_table(block.source, into)
            case PageBreak():
                into.add_paragraph().add_run().add_break(WD_BREAK.PAGE)

    def listing(self, block: Listing, into: Any, depth: int) -> None:
        name = "List Number" if block.ordered else "List Bullet"
        deeper = f"{name} {depth + 1}" if depth else name
        for item in block.items:
            for place, one in enumerate(item):
                if isinstance(one, Paragraph):
                    style = deeper if place == 0 else "List Continue"
                    self.inlines(one.inlines, into.add_paragraph(style=self.style(style)))
                else:
                    self.block(one, into, min(depth + 1, 2))

    def written_table(self, block: TextTable, into: Any) -> None:
        wide = max((sum(cell.wide for cell in row) for row in block.rows), default=0)
        if not wide:
            return
        table = into.add_table(len(block.rows), wide)
        taken: set[tuple[int, int]] = set()
        for at, row in enumerate(block.rows):
            column = 0
            for cell in row:
                while (at, column) in taken:
                    column += 1
                last = min(at + cell.high, len(block.rows)) - 1, min(column + cell.wide, wide) - 1
                if column >= wide:
                    break
                own = table.cell(at, column)
                if last != (at, column):
                    own = own.merge(table.cell(*last))
                taken |= {(r, c) for r in range(at, last[0] + 1) for c in range(column, last[1] + 1)}
                self.cell(cell.blocks, own, bold=cell.heading)
                _rule(own, "bottom", "single", INK if cell.heading else HAIR, "6" if cell.heading else "4")

    def cell(self, blocks: Sequence[Block], own: Any, *, bold: bool) -> None:
        first = own.paragraphs[0]
        for place, block in enumerate(blocks):
            if isinstance(block, Paragraph):
                paragraph = first if place == 0 else own.add_paragraph()
                paragraph.style = self.docx.styles[self.style(TABLE_TEXT)]
                self.inlines(block.inlines, paragraph, bold=bold)
            else:
                self.block(block, own, 1)

    def inlines(self, inlines: Sequence[Inline], paragraph: Any, *, bold: bool = False) -> None:
        for one in inlines:
            match one:
                case Text():
                    self.text(one, paragraph, bold)
                case FigurePlace():
                    self.figure(one, paragraph, bold)
                case Footnote():
                    self.footnote(one, paragraph)
                case LineBreak():
                    paragraph.add_run().add_break()

    def text(self, one: Text, paragraph: Any, bold: bool) -> None:
        run = paragraph.add_run(one.text)
        run.bold = bold or "strong" in one.marks or None
        run.italic = "em" in one.marks or None
        run.underline = "underline" in one.marks or None
        if one.link:
            number = self.docx.part.relate_to(one.link, RELATIONSHIP_TYPE.HYPERLINK, is_external=True)
            link = element("w:hyperlink")
            link.set(qn("r:id"), number)
            paragraph._p.append(link)
            link.append(run._r)

    def figure(self, one: FigurePlace, paragraph: Any, bold: bool) -> None:
        filled = self.filled.figure(one.key)
        run = paragraph.add_run(filled.text or "?")
        run.bold = bold or None
        if self.live:
            title = ", ".join(filter(None, (filled.name, filled.heading))) or one.source
            paragraph._p.append(_control(one.key, title, [run._r]))

    def footnote(self, one: Footnote, paragraph: Any) -> None:
        part = Composer(self.docx).footnote_part()
        notes = parse_xml(part.blob)
        number = str(max((int(note.get(qn("w:id"))) for note in notes), default=0) + 1)
        note = element("w:footnote", id=number)
        inside = element("w:p")
        looks = element("w:pPr")
        looks.append(element("w:pStyle", val=self.docx.styles[self.style(NOTE_TEXT)].style_id))
        inside.append(looks)
        for what in (element("w:footnoteRef"), None):
            run = element("w:r")
            if what is not None:
                look = element("w:rPr")
                if NOTE_MARK in self.names:
                    look.append(element("w:rStyle", val=self.docx.styles[NOTE_MARK].style_id))
                run.append(look)
                run.append(what)
            else:
                text = element("w:t")
                text.set(qn("xml:space"), "preserve")
                text.text = f" {one.text}"
                run.append(text)
            inside.append(run)
        note.append(inside)
        notes.append(note)
        part._blob = _packed(notes)
        run = paragraph.add_run()
        if NOTE_MARK in self.names:
            run.style = self.docx.styles[NOTE_MARK]
        run._r.append(element("w:footnoteReference", id=number))

    # live places ------------------------------------------------------------------------------------------------------

    def live_table(self, source: str, into: Any) -> None:
        """What a place shows; where it stays live it stands in a control that bears its tag."""
        body = into._element if hasattr(into, "_element") else into
        if into is self.docx:
            body = self.docx.element.body
        before = set(body)
        for piece in self.filled.pieces(source):
            self.piece(piece, into)
        made = [one for one in body if one not in before and one.tag != qn("w:sectPr")]
        if self.live and made:
            place = body.index(made[0])
            body.insert(place, _control(source, source, made))

    def piece(self, piece: Piece, into: Any) -> None:
        match piece:
            case FilledTable():
                self.filled_table(piece, into)
            case FilledDrawing():
                self.drawing(piece, into)
            case FilledWords():
                for text in filter(None, (piece.title, *piece.paragraphs)):
                    style = CAPTION if text == piece.title else "Normal"
                    into.add_paragraph(text, style=self.style(style))
            case FilledProblem():
                into.add_paragraph(f"{piece.message} {piece.hint}".strip(), style=self.style(PROBLEM))

    def drawing(self, piece: FilledDrawing, into: Any) -> None:
        if piece.title:
            into.add_paragraph(", ".join(filter(None, (piece.title, piece.about))), style=self.style(CAPTION))
        picture = svg_picture(piece.svg, piece.wide, piece.high)
        run = into.add_paragraph().add_run()
        run.add_picture(io.BytesIO(picture), width=min(piece.wide * PIXEL, self.wide))

    def filled_table(self, piece: FilledTable, into: Any) -> None:
        if piece.title:
            into.add_paragraph(piece.title, style=self.style(CAPTION))
        wide = len(piece.columns) + 1
        table = into.add_table(0, wide)
        table.autofit = False
        for level in piece.heads:
            row = table.add_row()
            _repeat(row)
            column = 1
            for title, span in level:
                last = min(column + span, wide) - 1
                if column > last:
                    break
                own = row.cells[column].merge(row.cells[last]) if last > column else row.cells[column]
                self.words(own, title, TABLE_TEXT, bold=True)
                if title:
                    _rule(own, "bottom", "single", HAIR, "4")
                column = last + 1
        head = table.add_row()
        _repeat(head)
        for at, (own, text) in enumerate(zip(head.cells, (piece.corner, *piece.columns), strict=False)):
            self.words(own, text, TABLE_FIGURE if at else TABLE_TEXT, bold=True)
            _rule(own, "bottom", "single", INK, "8")
        for one in piece.rows:
            self.row(one, table.add_row(), wide)
        _widths(table, piece, self.wide)
        _shrunk(table, piece, self.wide)
        for note in piece.notes:
            into.add_paragraph(note, style=self.style(TABLE_TEXT))
        into.add_paragraph(style=self.style(TABLE_TEXT))

    def row(self, one: FilledRow, row: Any, wide: int) -> None:
        _whole(row)
        cells = row.cells
        label = cells[0] if one.cells or wide == 1 else cells[0].merge(cells[-1])
        self.words(label, one.label, TABLE_TEXT, bold=one.strong or "section" in one.looks.split())
        label.paragraphs[0].paragraph_format.left_indent = Pt(8 * one.depth)
        _rule(label, "bottom", "single", HAIR, "4")
        for own, cell in zip(cells[1:], one.cells, strict=False):
            run = self.words(own, cell.text, TABLE_TEXT if cell.words else TABLE_FIGURE, bold=one.strong)
            if cell.tone in TONES:
                run.font.color.rgb = TONES[cell.tone]
            _rule(own, "bottom", "single", HAIR, "4")
            for side, kind in (("top", one.above), ("bottom", one.below)):
                if kind in RULES and not cell.words:
                    _rule(own, side, RULES[kind][0], INK, RULES[kind][1])

    def words(self, own: Any, text: str, style: str, *, bold: bool = False) -> Any:
        paragraph = own.paragraphs[0]
        paragraph.style = self.docx.styles[self.style(style)]
        if style == TABLE_FIGURE and self.style(style) == "Normal":
            paragraph.paragraph_format.alignment = 2
        run = paragraph.add_run(text)
        run.bold = bold or None
        return run


def _control(key: str, title: str, inside: Sequence[Any]) -> Any:
    """A content control (17.5.2) around elements, by whose tag they are found again."""
    control, about, content = element("w:sdt"), element("w:sdtPr"), element("w:sdtContent")
    about.append(element("w:alias", val=title[:60]))
    about.append(element("w:tag", val=tag_of(key)))
    control.append(about)
    control.append(content)
    for one in inside:
        content.append(one)
    return control


def _packed(tree: Any) -> bytes:
    from docx.opc.oxml import serialize_part_xml

    return bytes(serialize_part_xml(tree))


def _rule(cell: Any, side: str, kind: str, colour: str, size: str) -> None:
    about = cell._tc.get_or_add_tcPr()
    borders = about.find(qn("w:tcBorders"))
    if borders is None:
        borders = element("w:tcBorders")
        about.append(borders)
    for old in borders.findall(qn(f"w:{side}")):
        borders.remove(old)
    rule = element(f"w:{side}", val=kind, sz=size, space="0", color=colour)
    if side == "top":
        borders.insert(0, rule)
    else:
        borders.append(rule)


def _repeat(row: Any) -> None:
    row._tr.get_or_add_trPr().append(element("w:tblHeader"))


def _whole(row: Any) -> None:
    row._tr.get_or_add_trPr().append(element("w:cantSplit"))


def _lengths(piece: FilledTable) -> list[int]:
    """How many signs each column needs, its label's first."""
    longest = [
        max([0, *(len(row.cells[at].text) for row in piece.rows if at < len(row.cells) and not row.cells[at].words)])
        for at in range(len(piece.columns))
    ]
    labels = max([len(piece.corner), *(len(row.label) + 2 * row.depth for row in piece.rows)], default=10)
    return [min(labels, 40), *(one + 3 for one in longest)]


def _shrunk(table: Any, piece: FilledTable, wide: int) -> None:
    """Smaller letters where figures would break at the usual size: so many signs at 9 points fill a line."""
    room = wide / (1.75 * 36_000)
    times = room / max(sum(_lengths(piece)), 1)
    if times >= 1:
        return
    size = Pt(max(5, int(9 * times * 2) / 2))
    for cell in table._cells:
        for paragraph in cell.paragraphs:
            for run in paragraph.runs:
                run.font.size = size


def _widths(table: Any, piece: FilledTable, wide: int) -> None:
    """The label takes what the figures leave, at least a quarter."""
    labels, *figures = _lengths(piece)
    longest = [
        max([one, min(len(name), 12), *(min(len(row.cells[at].text), 40) for row in piece.rows if at < len(row.cells))])
        for at, (name, one) in enumerate(zip(piece.columns, figures, strict=True))
    ]
    own = [max(labels, sum(longest) // 5, 8), *longest]
    for at, column in enumerate(table.columns):
        share = wide * own[at] // sum(own)
        column.width = share
        for cell in column.cells:
            cell.width = share


def write_docx(
    document: Document,
    filled: Filled,
    master: bytes,
    *,
    heading: str = "",
    title: str = "",
    landscape: bool = False,
    live: bool = False,
    remarks: Sequence[tuple[str, str, str]] = (),
) -> bytes:
    """A document as a word file: `heading` stands above it as its first, `title` in its properties; `live` places can
    be filled again once it comes back; `remarks` (who, quote, text) stand at their words as comments."""
    docx = open_docx(io.BytesIO(master))
    body = docx.element.body
    for one in list(body):
        if one.tag != qn("w:sectPr"):
            body.remove(one)
    docx.core_properties.title = title
    section = docx.sections[0]
    if landscape and int(section.page_width or 0) < int(section.page_height or 0):
        section.orientation = WD_ORIENT.LANDSCAPE
        section.page_width, section.page_height = section.page_height, section.page_width
    writer = _Writer(docx, filled, live, room_of(section))
    if heading:
        docx.add_paragraph(heading, style=writer.style("Heading 1"))
    writer.blocks(document.blocks, docx)
    if not len(docx.paragraphs):
        docx.add_paragraph()
    for who, quote, text in remarks:
        _comment(docx, who, quote, text)
    buffer = io.BytesIO()
    docx.save(buffer)
    return buffer.getvalue()


def _comment(docx: Docx, who: str, quote: str, text: str) -> None:
    """A remark as a comment at the first paragraph that holds the words it is about, else at the first."""
    paragraphs = [one for one in docx.paragraphs if one.runs]
    place = next((one for one in paragraphs if quote and quote in one.text), paragraphs[0] if paragraphs else None)
    if place is not None:
        docx.add_comment(place.runs, text=text, author=who, initials=who[:2].upper())


def room_of(section: Any) -> int:
    """How wide the text of a section is."""
    return int(section.page_width or 0) - int(section.left_margin or 0) - int(section.right_margin or 0)


def refilled(data: bytes, figures: Mapping[str, str], tables: Mapping[str, str], filled: Filled) -> bytes:
    """A word file whose live places show what they show now. `figures` and `tables` say for tags which places they are;
    what isn't known is left as it stands."""
    docx = open_docx(io.BytesIO(data))
    writer = _Writer(docx, filled, False, room_of(docx.sections[-1]))
    for control in list(docx.element.body.iter(qn("w:sdt"))):
        tag = tag_in(control)
        content = control.find(qn("w:sdtContent"))
        if content is None:
            continue
        if tag in figures:
            _set_words(content, filled.figure(figures[tag]).text or "?")
        elif tag in tables and control.getparent().tag == qn("w:body"):
            _set_table(docx, writer, content, tables[tag])
    buffer = io.BytesIO()
    docx.save(buffer)
    return buffer.getvalue()


def tag_in(control: Any) -> str:
    """The tag of a content control."""
    found = control.find(f"{qn('w:sdtPr')}/{qn('w:tag')}")
    return str(found.get(qn("w:val"), "")) if found is not None else ""


def _set_words(content: Any, text: str) -> None:
    """A figure's text in the looks of its first run."""
    runs = list(content.iter(qn("w:r")))
    if not runs:
        return
    for other in runs[1:]:
        other.getparent().remove(other)
    for old in list(runs[0]):
        if old.tag != qn("w:rPr"):
            runs[0].remove(old)
    words = element("w:t")
    words.set(qn("xml:space"), "preserve")
    words.text = text
    runs[0].append(words)


def _set_table(docx: Docx, writer: _Writer, content: Any, source: str) -> None:
    body = docx.element.body
    before = set(body)
    for piece in writer.filled.pieces(source):
        writer.piece(piece, docx)
    made = [one for one in body if one not in before and one.tag != qn("w:sectPr")]
    for old in list(content):
        content.remove(old)
    for one in made:
        content.append(one)


COMMENTS = ("commentRangeStart", "commentRangeEnd", "commentReference")


def unwrapped(body: Any) -> None:
    """Take the controls of live places away and leave what stands in them, for files that are final; comments stay
    behind, whose marks would lead to none."""
    for mark in list(body.iter(*(qn(f"w:{name}") for name in COMMENTS))):
        mark.getparent().remove(mark)
    for control in list(body.iter(qn("w:sdt"))):
        if not tag_in(control).startswith(TAG):
            continue
        parent, content = control.getparent(), control.find(qn("w:sdtContent"))
        place = parent.index(control)
        for one in reversed(list(content) if content is not None else []):
            parent.insert(place + 1, one)
        parent.remove(control)
