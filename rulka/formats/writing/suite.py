"""Word files and slides as PDF: by the office suite where it is installed, in a process without network and with a
profile of its own; otherwise by their words and pictures alone, which the pages say."""

from __future__ import annotations

import io
import os
import shutil
import subprocess
import tempfile
from functools import cache
from html import escape
from pathlib import Path
from typing import TYPE_CHECKING, Any, Final

from rulka.core.errors import RulkaError
from rulka.core.later import later
from rulka.formats.output.html import FACES, FONTS, faces
from rulka.formats.writing.docx_read import as_web_page

if TYPE_CHECKING:
    import pptx
    import pptx.util as units
else:
    pptx = later("pptx")
    units = later("pptx.util")

SECONDS: Final = 240
MOST_MEMORY: Final = 4_000_000_000
PROGRAMS: Final = ("soffice", "libreoffice")
ROOMS: Final = {"docx": "libswlo.so", "pptx": "libsdlo.so"}
"""What of the suite reads which form; each is a package of its own."""

STYLE: Final = Path(__file__).parent / "paper.css"
SAYS: Final = "Shown by its words, tables and pictures alone: no office suite is installed on this server."
LOCKED: Final = """<?xml version="1.0" encoding="UTF-8"?>
<oor:items xmlns:oor="http://openoffice.org/2001/registry" xmlns:xs="http://www.w3.org/2001/XMLSchema"
 xmlns:xsi="http://www.w3.org/2001/XMLSchema-instance">
<item oor:path="/org.openoffice.Office.Common/Security/Scripting"><prop oor:name="MacroSecurityLevel" oor:op="fuse">
<value>3</value></prop><prop oor:name="DisableMacrosExecution" oor:op="fuse"><value>true</value></prop></item>
<item oor:path="/org.openoffice.Office.Writer/Content/Update"><prop oor:name="Link" oor:op="fuse">
<value>2</value></prop></item></oor:items>"""


def suite(form: str = "docx") -> str:
    """Where the office suite is that reads a form; empty where none is installed."""
    found = next((found for name in PROGRAMS if (found := shutil.which(name))), "")
    return found if found and (Path(found).resolve().parent / ROOMS[form]).is_file() else ""


@cache
def _alone() -> tuple[str, ...]:
    """What starts a process without network, where this machine lets us."""
    tool = shutil.which("unshare")
    for flags in ("-n", "-rn"):
        if tool and subprocess.run([tool, flags, "true"], capture_output=True).returncode == 0:
            return tool, flags
    return ()


@cache
def _plain_font(family: str, weight: int) -> bytes:
    """A font of ours in one weight, as desktop programs read it."""
    from fontTools.ttLib import TTFont
    from fontTools.varLib.instancer import instantiateVariableFont

    font = instantiateVariableFont(TTFont(FONTS / FACES[family]), {"wght": weight})
    font.flavor = None
    bold = weight > 500
    style = "Bold" if bold else "Regular"
    said = {1: family, 2: style, 4: f"{family} {style}", 6: f"{family.replace(' ', '')}-{style}", 16: None, 17: None}
    for record in list(font["name"].names):
        if record.nameID in said:
            text = said[record.nameID]
            if text is None:
                font["name"].removeNames(nameID=record.nameID)
            else:
                font["name"].setName(text, record.nameID, record.platformID, record.platEncID, record.langID)
    font["OS/2"].usWeightClass = weight
    font["OS/2"].fsSelection = font["OS/2"].fsSelection & ~0x61 | (0x20 if bold else 0x40)
    font["head"].macStyle = 1 if bold else 0
    buffer = io.BytesIO()
    font.save(buffer)
    return buffer.getvalue()


def as_pdf(data: bytes, form: str, title: str = "") -> tuple[bytes, str]:
    """A word file or slides as PDF, and what has to be said of it; raises RulkaError where it can't be made."""
    if suite(form):
        return _by_suite(data, form), ""
    return (_words(data) if form == "docx" else _slides(data)), SAYS


def _by_suite(data: bytes, form: str) -> bytes:
    with tempfile.TemporaryDirectory(prefix="rulka-pages-") as place:
        folder = Path(place)
        fonts = folder / "home/.local/share/fonts"
        fonts.mkdir(parents=True)
        for family in FACES:
            for weight in (400, 700):
                (fonts / f"{family.replace(' ', '')}-{weight}.ttf").write_bytes(_plain_font(family, weight))
        profile = folder / "profile/user"
        profile.mkdir(parents=True)
        (profile / "registrymodifications.xcu").write_text(LOCKED)
        (folder / f"section.{form}").write_bytes(data)
        asked = [
            *_alone(), suite(form), f"-env:UserInstallation=file://{folder}/profile", "--headless", "--norestore",
            "--nologo", "--convert-to", "pdf", "--outdir", str(folder), str(folder / f"section.{form}"),
        ]  # fmt: skip
        nowhere = "http://127.0.0.1:9"
        around = {
            "HOME": str(folder / "home"), "PATH": os.environ.get("PATH", "/usr/bin:/bin"), "TMPDIR": place,
            "LANG": "C.UTF-8", "http_proxy": nowhere, "https_proxy": nowhere,
        }  # fmt: skip
        try:
            done = subprocess.run(asked, capture_output=True, text=True, timeout=SECONDS, env=around)
        except subprocess.TimeoutExpired:
            raise RulkaError(
                f"The office suite didn't lay out its pages within {SECONDS} seconds.", hint="Make two sections of it.",
                subject="pages",
            ) from None  # fmt: skip
        made = folder / "section.pdf"
        if done.returncode or not made.is_file():
            raise RulkaError(
                "The office suite can't lay out its pages.", hint="Open and save it again in your program.",
                subject="pages",
            )  # fmt: skip
        return made.read_bytes()


def _words(data: bytes) -> bytes:
    """A word file's pages by its words."""
    from weasyprint import HTML

    body = as_web_page(data)
    page = (
        f"<!doctype html><meta charset=utf-8><style>{faces(False)}{STYLE.read_text()}"
        "@page { size: A4; margin: 24mm 22mm 22mm; } .says { font-size: 8pt; color: #69706c; }</style>"
        f'<p class="says">{SAYS}</p>{body}'
    )
    return bytes(HTML(string=page, base_url=str(FONTS), url_fetcher=nothing_fetched()).write_pdf())


def _slides(data: bytes) -> bytes:
    """Slides by the words of their shapes, where these stand."""
    from weasyprint import HTML

    deck = pptx.Presentation(io.BytesIO(data))
    wide, high = deck.slide_width or units.Emu(12_192_000), deck.slide_height or units.Emu(6_858_000)
    pages = []
    for slide in deck.slides:
        shapes = []
        for shape in slide.shapes:
            if shape.has_text_frame and shape.text_frame.text.strip() and shape.left is not None:
                style = (f"left:{shape.left / wide * 100:.2f}%;top:{shape.top / high * 100:.2f}%;"
                         f"width:{shape.width / wide * 100:.2f}%")  # fmt: skip
                size = "20pt" if shape.is_placeholder and shape.placeholder_format.idx == 0 else "13pt"
                lines = "".join(f"<p>{escape(one.text)}</p>" for one in shape.text_frame.paragraphs)
                shapes.append(f'<div style="position:absolute;{style};font-size:{size}">{lines}</div>')
            elif shape.has_table:
                rows = "".join(
                    "<tr>" + "".join(f"<td>{escape(cell.text)}</td>" for cell in row.cells) + "</tr>"
                    for row in shape.table.rows
                )
                shapes.append(f'<table class="written" style="position:absolute;top:30%">{rows}</table>')
        pages.append(f'<section class="slide">{"".join(shapes)}<p class="says">{SAYS}</p></section>')
    style = (
        f"@page {{ size: {wide / 36_000:.1f}mm {high / 36_000:.1f}mm; margin: 0; }}"
        ".slide { position: relative; width: 100%; height: 100vh; break-after: page; }"
        ".says { position: absolute; bottom: 2mm; left: 4mm; font-size: 8pt; color: #69706c; }"
    )
    page = f"<!doctype html><meta charset=utf-8><style>{faces(False)}{STYLE.read_text()}{style}</style>{''.join(pages)}"
    return bytes(HTML(string=page, base_url=str(FONTS), url_fetcher=nothing_fetched()).write_pdf())


def nothing_fetched() -> Any:
    """Fetches nothing but fonts of ours and pictures that the file itself holds."""
    from weasyprint.urls import URLFetcher

    class Bounded(URLFetcher):  # type: ignore[misc]
        def fetch(self, url: str, headers: Any = None) -> Any:
            if url.startswith("file:") and not url.startswith(FONTS.resolve().as_uri()):
                raise ValueError("A page reads no file.")
            return super().fetch(url, headers)

    return Bounded(allowed_protocols=("data", "file"))
