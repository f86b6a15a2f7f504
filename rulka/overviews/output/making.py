"""An overview as a file: JSON of its exact figures, an HTML page that stands alone, a PDF made from the same page, and
pictures."""

from __future__ import annotations

import io
import json
import zipfile
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from typing import Any

from django.template.loader import render_to_string

from rulka.core.errors import NotFound, one_of
from rulka.core.money import as_usual, exact_text
from rulka.core.overviews.definitions import BESIDE, WINDOWS, LineRef, OverviewDef
from rulka.core.overviews.reading import ShownFigure
from rulka.core.overviews.tiles import Points, Strip, TileContent, TileWords
from rulka.formats.figures import moment_text
from rulka.formats.output.html import FONTS, faces, stamp_head
from rulka.formats.output.paper import page_picture
from rulka.formats.output.stamp import Stamp
from rulka.overviews.output.shown import NOWHERE, Ways, show_tiles
from rulka.overviews.running.readings import StatementReadings
from rulka.overviews.running.tiles import Tile, filled_page

FORMS = ("json", "html", "pdf", "png")
TYPES = {
    "json": "application/json",
    "html": "text/html; charset=utf-8",
    "pdf": "application/pdf",
    "png": "application/zip",
}
ENDINGS = {"png": "zip"}
UNITS = {"units": "", "thousands": "thousand ", "millions": "million "}
PAPER, A4 = 353, 297
"""Millimetres of the page that drawings are made for, and of the paper that it is put on."""

STYLE = Path(__file__).parent / "paper.css"
STATES = (*WINDOWS, BESIDE)
STRIP = ("actual", "budget", "gap", "prior", "change")


@dataclass(frozen=True)
class Run:
    """An overview run for one reader, all of its pages."""

    definition: OverviewDef
    readings: StatementReadings
    switch: str
    chosen: LineRef | None
    pages: Sequence[tuple[str, list[Tile]]]

    @property
    def unit(self) -> str:
        """`thousand EUR`."""
        return f"{UNITS[self.definition.unit]}{self.readings.node.currency}"

    @property
    def time(self) -> str:
        """What time it shows, in words."""
        window = next((window for window in WINDOWS if window == self.switch), None)
        return self.readings.window_title(window) if window else self.readings.period.title


@as_usual()
def run_of(readings: StatementReadings, switch: str, line: str) -> Run:
    """All pages of an overview; raises NotFound for a window or a line that there isn't."""
    definition = readings.definition
    if switch not in STATES:
        raise NotFound(f"There is no window '{switch[:20]}'.", hint=one_of(switch, STATES), subject="window")
    known = [one.code for one in definition.choices] + [one.label for one in definition.choices]
    if line and line not in known:
        raise NotFound(f"'{line[:60]}' can't be chosen.", hint=one_of(line, known), subject="line")
    chosen = next((one for one in definition.choices if line in (one.code, one.label)), definition.chosen(""))
    pages = [(page.title, filled_page(definition, page, readings, switch, chosen)) for page in definition.pages]
    return Run(definition, readings, switch, chosen, pages)


@as_usual()
def made(run: Run, form: str, *, ledger: str, at: datetime, ways: Ways = NOWHERE, stamp: Stamp | None = None) -> bytes:
    """An overview's run in one of the forms."""
    match form:
        case "json":
            return json.dumps(plain(run, stamp), ensure_ascii=False, indent=2).encode()
        case "html":
            return as_html(run, ledger, at, ways, stamp).encode()
        case "pdf":
            return as_pdf(run, ledger, at, ways, stamp)
        case "png":
            return as_pictures(run, ledger, at, stamp)
    raise NotFound(f"There is no file as '{form[:20]}'.", hint=one_of(form, FORMS), subject="file")


def as_html(
    run: Run, ledger: str, at: datetime, ways: Ways, stamp: Stamp | None = None, *, embed_fonts: bool = True
) -> str:
    """A page that stands alone."""
    pages = [(title, show_tiles(tiles, ways, run.unit)) for title, tiles in run.pages]
    return str(
        render_to_string(
            "overviews/paper.html",
            {
                "found": run.definition, "pages": pages, "unit": run.unit, "time": run.time,
                "node": run.readings.node.name, "ledger": ledger, "revision": run.readings.view.revision,
                "moment": moment_text(at), "part": run.readings.view.part, "style": faces(embed_fonts) + _style(),
                "stamp_head": stamp_head(stamp), "origin": stamp.line if stamp else "",
                "chosen": run.chosen.title if run.chosen else "", "arranging": False,
            },
        )
    )  # fmt: skip


def _style() -> str:
    return STYLE.read_text()


def as_pdf(run: Run, ledger: str, at: datetime, ways: Ways, stamp: Stamp | None = None) -> bytes:
    """The same on A4 across."""
    from weasyprint import HTML

    page = as_html(run, ledger, at, ways, stamp, embed_fonts=False)
    return bytes(HTML(string=page, base_url=str(FONTS)).write_pdf(zoom=A4 / PAPER))


def as_pictures(run: Run, ledger: str, at: datetime, stamp: Stamp | None = None) -> bytes:
    """Its pages as PNG, and each drawing as SVG, in one archive."""
    pdf = as_pdf(run, ledger, at, NOWHERE, stamp)
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as archive:
        number, count = 1, 1
        while number <= count:
            picture, count = page_picture(pdf, number)
            archive.writestr(f"page-{number}.png", picture)
            number += 1
        for _, tiles in run.pages:
            for tile in show_tiles(tiles, NOWHERE, run.unit):
                for place, drawing in enumerate(tile.drawings, 1):
                    archive.writestr(f"{tile.key}-{place}.svg", drawing.svg)
    return buffer.getvalue()


def plain(run: Run, stamp: Stamp | None = None) -> dict[str, Any]:
    """The run as plain data: exact decimals in presented sign, before they are rounded for display."""
    readings = run.readings
    found: dict[str, Any] = {
        "overview": run.definition.name, "ledger": readings.reader.ledger.code, "revision": readings.view.revision,
        "period": readings.period.code, "node": readings.node.code, "currency": readings.node.currency,
        "window": run.switch, "line": run.chosen.code if run.chosen else "",
        "pages": [{"page": title, "tiles": [_tile(tile) for tile in tiles]} for title, tiles in run.pages],
    }  # fmt: skip
    return found | ({"origin": stamp.as_mapping} if stamp else {})


def _tile(tile: Tile) -> dict[str, Any]:
    told: dict[str, Any] = {"tile": tile.asked.key, "kind": tile.asked.kind, "title": tile.title}
    match tile.filled:
        case Strip():
            told["rows"] = [
                {
                    "line": row.line.code,
                    **{f"{one.window}-{name}": _value(getattr(one, name)) for one in row.windows for name in STRIP},
                    "outlook": _value(row.outlook), "reached": _value(row.reached), "left": _value(row.left),
                }
                for row in tile.filled.rows
            ]  # fmt: skip
        case TileContent():
            told["notes"] = list(tile.filled.notes)
            told["tables"] = [
                {
                    "of": table.corner,
                    "columns": list(table.heads),
                    "rows": [
                        {"label": row.name, "values": [_value(shown) for shown in row.figures]} for row in table.rows
                    ],
                }
                for table in tile.filled.tables
            ]
        case TileWords():
            told["text"] = "\n".join("".join(piece.text for piece in one) for one in tile.filled.paragraphs)
        case Points():
            told["points"] = [_point(one) for one in tile.filled.points]
            told["more"] = tile.filled.more
        case None:
            told["problem"] = str(tile.refused)
    return told


def _point(one: Any) -> Mapping[str, str]:
    return {"title": one.title, "amount": one.amount, "detail": one.detail}


def _value(shown: ShownFigure) -> str | None:
    return None if shown.value is None else exact_text(shown.value, 2)
