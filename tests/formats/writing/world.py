"""Word files and slides made by hand, as somebody's own program makes them."""

from __future__ import annotations

import io
import zipfile
from collections.abc import Callable

from docx import Document
from docx.enum.section import WD_ORIENT, WD_SECTION
from docx.shared import Pt, RGBColor
from pptx import Presentation

from rulka.core.folios.filled import Filled, FilledCell, FilledFigure, FilledRow, FilledTable
from rulka.core.folios.writing import Document as Written
from rulka.formats.writing.marked import document_marked

TABLE = FilledTable(
    "Fares", "Thousand EUR", ("Actual", "Budget"),
    (FilledRow("Foot passengers", (FilledCell("4 308.7", "4308700"), FilledCell("4 758.1", "4758100")), 1),
     FilledRow("Fares", (FilledCell("11 539.5", "11539500"), FilledCell("12 246.6", "12246600", tone="bad")), 0,
               "total", True, "single", "double")),
    source="statement:fares",
)  # fmt: skip
TEXT = """# How it went

The ships carried {{statement:ships|passengers|now}} passengers, **0.4 %** fewer[[Than planned.]] ([more](https://a.example)).

{{statement:fares}}

- one
- two

| Ship | Days |
|---|---|
| Sound | 12 |
"""
FIGURE = "statement:ships|passengers|now###"


def written() -> Written:
    """A text with a live figure, a live table, a list, a table, a footnote and a link."""
    return document_marked(TEXT)


def filled(passengers: str = "46 512", table: FilledTable = TABLE) -> Filled:
    """What its places show."""
    return Filled({FIGURE: FilledFigure(passengers, passengers.replace(" ", ""), "Passengers", "Actual")},
                  {"statement:fares": (table,)})  # fmt: skip


def saved(document: object) -> bytes:
    buffer = io.BytesIO()
    document.save(buffer)  # type: ignore[attr-defined]
    return buffer.getvalue()


def own_word_file(*, across: bool = False, foot: bool = True) -> bytes:
    """A word file with looks, head and foot of its own; its last section lies across where asked for."""
    docx = Document()
    docx.styles["Heading 1"].font.size = Pt(31)
    docx.styles["Heading 1"].element.rPr.rFonts.attrib.clear()  # the theme's would go before it
    docx.styles["Heading 1"].font.name = "Cantarell"
    docx.styles["Heading 1"].font.color.rgb = RGBColor(0xC0, 0x10, 0x10)
    docx.sections[0].header.paragraphs[0].text = "The ships' own head"
    if foot:
        docx.sections[0].footer.paragraphs[0].text = "The ships' own foot"
    docx.add_heading("From the ships", 1)
    docx.add_paragraph("In all 1 234 sailings.")
    docx.add_paragraph("First", style="List Bullet")
    table = docx.add_table(2, 2)
    table.cell(0, 0).text, table.cell(1, 1).text = "Crossing", "77"
    if across:
        section = docx.add_section(WD_SECTION.NEW_PAGE)
        section.orientation = WD_ORIENT.LANDSCAPE
        section.page_width, section.page_height = section.page_height, section.page_width
        docx.add_heading("Across", 2)
        docx.add_paragraph("A wide page")
    return saved(docx)


def own_slides(titles: tuple[str, ...] = ("Theirs",)) -> bytes:
    """Slides on another program's master."""
    deck = Presentation()
    for title in titles:
        slide = deck.slides.add_slide(deck.slide_layouts[1])
        slide.shapes.title.text = title
        slide.placeholders[1].text = "1 234 sailings"
    return saved(deck)


def altered(data: bytes, part: str, change: Callable[[bytes], bytes], **more: bytes) -> bytes:
    """A file with one part changed, and others added (`word__vbaProject.bin`)."""
    buffer = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(data)) as source, zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as target:
        for name in source.namelist():
            content = source.read(name)
            target.writestr(name, change(content) if name == part else content)
        for name, content in more.items():
            target.writestr(name.replace("__", "/"), content)
    return buffer.getvalue()
