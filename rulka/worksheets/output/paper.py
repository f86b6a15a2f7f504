"""Sheets of a worksheet as an HTML page that stands alone, and as a PDF made from the same page."""

from __future__ import annotations

import base64
from datetime import datetime
from html import escape
from typing import Any

from rulka.core.sheet.addresses import Box, letters, read_box
from rulka.core.sheet.showing import Shower
from rulka.core.sheet.workbook import Look, Sheet
from rulka.formats.figures import moment_text
from rulka.formats.output.drawn import alone
from rulka.formats.output.html import FONTS, PAPER_WIDTHS, faces, stamp_head
from rulka.formats.output.stamp import Stamp
from rulka.worksheets.output.runs import keys_of
from rulka.worksheets.running.drawn import is_drawn, svg_on
from rulka.worksheets.running.live import Live

FILLS = {"wash": "#e8f0ea", "note": "#fdf2dd", "alarm": "#fbeeeb", "head": "#f0ebdd", "input": "#fdf2dd"}
RULED = {"single": "0.8pt solid #20292b", "double": "2.4pt double #20292b"}
STYLE = """
* { box-sizing: border-box; }
body { margin: 0; color: #20292b; background: #fdfcf8; font: 9pt/1.3 "Source Sans 3", sans-serif; }
@media screen { body { margin: 1.5rem; } }
@media print { body { background: none; } }
section + section { break-before: page; }
h1 { font: 600 15pt "Source Serif 4", serif; margin: 0 0 1mm; }
.about { color: #505856; margin: 0 0 3mm; }
table { border-collapse: collapse; font-variant-numeric: tabular-nums lining-nums; table-layout: fixed; }
td { padding: 0.6mm 1.6mm; vertical-align: bottom; overflow-wrap: anywhere; }
td.n { text-align: right; white-space: nowrap; }
td.over { white-space: nowrap; }
td.wrap { white-space: pre-wrap; }
table.lines td { border: 0.4pt solid #e0d9c8; }
.neg { color: #a43a2c; } .err { color: #a43a2c; font-weight: 600; }
thead { display: table-header-group; } tr { break-inside: avoid; }
ol.notes { margin: 4mm 0 0; padding-left: 5mm; font-size: 8pt; color: #505856; }
.origin { margin: 4mm 0 0; color: #69706c; font-size: 7.5pt; overflow-wrap: anywhere; }
sup { color: #505856; font-size: 6.5pt; }
"""
MARGIN = 12
POINT = 0.75


def as_html(live: Live, at: datetime, *, embed_fonts: bool = True, stamp: Stamp | None = None) -> str:
    """All sheets, each on a page of its own, as they show: hidden rows and columns left out."""
    sheets = [_Page(live, sheet, number) for number, sheet in enumerate(live.workbook.sheets, 1)]
    title = live.worksheet.title
    about = f"{live.reader.view.frame.name} · {live.reader.period.title} · as of revision {live.reader.view.revision}"
    papers = "".join(page.paper(title) for page in sheets)
    style = faces(embed_fonts) + STYLE + papers
    bodies = "".join(page.html(title, f"{about} · {moment_text(at)}") for page in sheets)
    head = f'<meta charset="utf-8"><title>{escape(title)}</title><style>{style}</style>{stamp_head(stamp)}'
    foot = f"<p class=origin>{escape(stamp.line)}</p>" if stamp else ""
    return f'<!doctype html><html lang="en"><head>{head}</head><body>{bodies}{foot}</body></html>'


def as_pdf(live: Live, at: datetime, stamp: Stamp | None = None) -> bytes:
    """The same on paper, by each sheet's print set-up."""
    from weasyprint import HTML

    return bytes(HTML(string=as_html(live, at, embed_fonts=False, stamp=stamp), base_url=str(FONTS)).write_pdf())


class _Page:
    def __init__(self, live: Live, sheet: Sheet, number: int) -> None:
        self.live, self.sheet, self.number = live, sheet, number
        self.shower: Shower = live.shower()
        self.setup: dict[str, Any] = sheet.settings.get("print", {})
        keys = keys_of(live.calculation, sheet)
        bottom, right = max((key[1] for key in keys), default=0), max((key[2] for key in keys), default=0)
        self.box = read_box(self.setup.get("cells", "")) or Box(0, 0, bottom, right)
        rows, columns = live.hidden(sheet)
        self.rows = [row for row in range(self.box.top, self.box.bottom + 1) if row not in rows]
        self.columns = [column for column in range(self.box.left, self.box.right + 1) if column not in columns]
        self.notes: list[str] = []

    @property
    def widths(self) -> dict[int, float]:
        """Width of each column in points."""
        given = self.sheet.settings.get("widths", {})
        return {column: float(given.get(str(column), 96)) * POINT for column in self.columns}

    def paper(self, title: str) -> str:
        """The paper of this sheet; where it is fitted, all of it shrinks to the width."""
        wide, high = PAPER_WIDTHS[self.setup.get("paper", "A4")]
        if self.setup.get("way", "landscape") == "landscape":
            wide, high = high, wide
        head, foot = (_css(self.setup.get(name, "")) for name in ("head", "foot"))
        boxes = f"@top-left {{ content: {head}; font: 8pt 'Source Sans 3'; }}" if self.setup.get("head") else ""
        boxes += f"@bottom-left {{ content: {foot}; font: 8pt 'Source Sans 3'; }}" if self.setup.get("foot") else ""
        boxes += (
            '@bottom-right { content: counter(page) " of " counter(pages); font: 8pt "Source Sans 3"; color: #69706c; }'
        )
        room = (wide - 2 * MARGIN) / 25.4 * 72
        total = sum(self.widths.values()) or 1
        zoom = min(room / total, 1) if self.setup.get("fit", True) else 1
        size = f"font-size: {9 * zoom:.2f}pt;" if zoom < 1 else ""
        scaled = "".join(
            f".s{self.number} col.c{column} {{ width: {width * zoom:.1f}pt; }}" for column, width in self.widths.items()
        )
        return (
            f"@page p{self.number} {{ size: {wide}mm {high}mm; margin: {MARGIN}mm; {boxes} }}"
            f".s{self.number} {{ page: p{self.number}; }}"
            f".s{self.number} table {{ width: {total * zoom:.1f}pt; {size} }}"
            f"{scaled}"
        )

    def html(self, title: str, about: str) -> str:
        """The sheet as a table; spans as cells over several, comments as notes below."""
        several = len(self.live.workbook.sheets) > 1
        named = f"{title}, {self.sheet.name}" if several else title
        columns = "".join(f'<col class="c{column}">' for column in self.columns)
        covered: set[tuple[int, int]] = set()
        spans = {}
        for span in self.sheet.settings.get("spans", ()):
            box = Box(*span["box"])
            spans[box.top, box.left] = box
            covered |= {cell for cell in box.cells() if cell != (box.top, box.left)}
        frozen = self.sheet.settings.get("frozen", [0, 0])[0]
        pictures = {(one["box"][0], one["box"][1]): one for one in self.sheet.settings.get("pictures", ())}
        head: list[str] = []
        body: list[str] = []
        for row in self.rows:
            cells = "".join(
                self._cell(row, column, spans.get((row, column)), pictures.get((row, column)))
                for column in self.columns
                if (row, column) not in covered
            )
            (head if row < frozen else body).append(f"<tr>{cells}</tr>")
        notes = "".join(f"<li>{escape(note)}</li>" for note in self.notes)
        lines = " class=lines" if self.setup.get("lines") else ""
        table = (
            f"<table{lines}><colgroup>{columns}</colgroup><thead>{''.join(head)}</thead><tbody>{''.join(body)}</tbody>"
        )
        listed = f"<ol class=notes>{notes}</ol>" if notes else ""
        return (
            f"<section class=s{self.number}><h1>{escape(named)}</h1><p class=about>{escape(about)}</p>{table}</table>"
            f"{listed}</section>"
        )

    def _cell(self, row: int, column: int, span: Box | None, picture: dict[str, Any] | None) -> str:
        key = (self.sheet.number, row, column)
        shown, look = self.shower.shown(key), self.shower.look(key)
        classes = {"number": "n", "negative": "n neg", "error": "err"}.get(shown.kind, "")
        if look.get("wrap"):
            classes += " wrap"
        elif shown.kind == "text" and not self.shower.shown((key[0], row, column + 1)).text:
            classes += " over"
        mark = ""
        if comment := self.sheet.settings.get("comments", {}).get(f"{row},{column}"):
            said = f"{comment['who']}: {comment['text']}" if comment.get("who") else comment["text"]
            self.notes.append(f"{letters(column)}{row + 1}: {said}")
            mark = f"<sup>{len(self.notes)}</sup>"
        size = ""
        if span is not None:
            across = sum(1 for own in self.columns if span.left <= own <= span.right)
            down = sum(1 for own in self.rows if span.top <= own <= span.bottom)
            size = f' colspan="{across}" rowspan="{down}"'
        style = _style(look)
        image = self._picture(picture) if picture else ""
        given = f' class="{classes.strip()}"' if classes.strip() else ""
        return f"<td{given}{size}{style}>{image}{escape(shown.text)}{mark}</td>"

    def _picture(self, picture: dict[str, Any]) -> str:
        if is_drawn(picture):
            data = base64.b64encode(alone(svg_on(self.live, self.sheet, picture)).encode()).decode()
            said = escape(str(picture.get("title", "")) or "A drawing")
            return f'<img src="data:image/svg+xml;base64,{data}" alt="{said}" width="{picture["width"]}">'
        found = self.live.worksheet.pictures.filter(pk=picture["picture"]).first()
        if found is None:
            return ""
        data = base64.b64encode(bytes(found.content)).decode()
        return (
            f'<img src="data:{found.kind};base64,{data}" alt="{escape(found.name)}" '
            f'width="{picture["width"]}" height="{picture["height"]}">'
        )


def _style(look: Look) -> str:
    found = []
    if look.get("bold"):
        found.append("font-weight:600")
    if look.get("italic"):
        found.append("font-style:italic")
    if look.get("align"):
        found.append(f"text-align:{look['align']}")
    if look.get("fill"):
        found.append(f"background:{FILLS[look['fill']]}")
    if look.get("indent"):
        found.append(f"padding-left:{1.6 + look['indent'] * 3:.1f}mm")
    found += [f"border-{side}:{RULED[look[side]]}" for side in ("top", "bottom", "left", "right") if look.get(side)]
    return f' style="{";".join(found)}"' if found else ""


def _css(text: str) -> str:
    plain = text.replace("\\", "\\\\").replace('"', '\\"').replace("\n", " ").replace("<", "\\3c ")
    return f'"{plain}"'
