"""A drawing as SVG that needs nothing beside it: colours and shapes inside, so that page, PDF and letter show the same;
each mark a link where its figure has an address."""

from __future__ import annotations

from base64 import b64encode
from collections.abc import Callable
from pathlib import Path
from xml.etree.ElementTree import Element, SubElement, tostring

from rulka.core.picturing.drawings import SIZE, Drawing, DrawnMark, DrawnRule, DrawnWords

SPACE = "http://www.w3.org/2000/svg"
FONTS = Path(__file__).parent.parent.parent / "web" / "static" / "fonts"
FONT_FILE = "source-sans-3.woff2"
FONT = "'Source Sans 3', sans-serif"
INK, SOFT, LINE, PAPER = "#20292b", "#69706c", "#cfc7b4", "#fdfcf8"
SLATE, PALE, FORECAST = "#74807c", "#d8dad4", "#eeebe2"
GOOD, BAD = "#1f5a4d", "#a43a2c"
FILLS = {"actual": SLATE, "pale": PALE, "favourable": GOOD, "unfavourable": BAD, "neutral": SLATE, "budget": INK}
TONES = {"ink": INK, "soft": SOFT, "favourable": GOOD, "unfavourable": BAD}
TEAR = 6
"""How high the torn place of a bar is that begins at a cut."""


def svg_of(
    drawing: Drawing, title: str, address: Callable[[str], str], node: Callable[[str], str] | None = None
) -> str:
    """Write a drawing as SVG. `address` gives where a mark's key is traced, `node` where a node is shown; nothing where
    it leads nowhere."""
    root = Element("svg", {"xmlns": SPACE, "viewBox": f"0 0 {drawing.width} {drawing.height}", "role": "group"})
    root.set("width", str(drawing.width))
    root.set("height", str(drawing.height))
    root.set("aria-label", title)
    for rule in drawing.rules:
        _rule(root, rule)
    for mark in drawing.marks:
        _mark(root, mark, address(mark.key) if mark.key else "")
    for words in drawing.words:
        _words(root, words, node(words.leads) if node and words.leads else "")
    return tostring(root, encoding="unicode")


def alone(svg: str) -> str:
    """The same with its font inside, for where it stands as a picture of its own."""
    font = b64encode((FONTS / FONT_FILE).read_bytes()).decode()
    face = (
        f"@font-face {{ font-family: 'Source Sans 3'; src: url(data:font/woff2;base64,{font}); font-weight: 200 900; }}"
    )
    head, mark, rest = svg.partition(">")
    return f"{head}{mark}<style>{face}</style>{rest}"


def _rule(root: Element, rule: DrawnRule) -> None:
    ends = {"x1": _px(rule.x), "y1": _px(rule.y), "x2": _px(rule.to_x), "y2": _px(rule.to_y)}
    SubElement(root, "line", {**ends, "stroke": LINE if rule.soft else INK})


def _mark(root: Element, mark: DrawnMark, address: str) -> None:
    """A mark with what it says as its title, within a link where it leads somewhere."""
    within = SubElement(root, "a", {"href": address, "aria-label": mark.said}) if address else SubElement(root, "g")
    if mark.kind == "prior":
        half, x, y = mark.width / 2, mark.x + mark.width / 2, mark.y + mark.height / 2
        corners = ((x, y - half), (x + half, y), (x, y + half), (x - half, y))
        looks = {"fill": PAPER, "stroke": INK, "points": " ".join(f"{_px(left)},{_px(top)}" for left, top in corners)}
        shape = SubElement(within, "polygon", looks)
    else:
        box = {"x": _px(mark.x), "y": _px(mark.y), "width": _px(mark.width), "height": _px(mark.height)}
        dashed = {"fill": FORECAST, "stroke": SOFT, "stroke-dasharray": "3 2"}
        looks = dashed if mark.kind == "forecast" else {"fill": FILLS[mark.kind]}
        shape = SubElement(within, "rect", {**box, **looks})
    SubElement(shape, "title").text = mark.said
    if mark.torn and mark.height > 3 * TEAR:
        for along in (TEAR, 2 * TEAR):
            low = mark.y + (along if mark.torn == "top" else mark.height - along)
            ends = {"x1": _px(mark.x), "y1": _px(low + 2), "x2": _px(mark.x + mark.width), "y2": _px(low - 2)}
            SubElement(within, "line", {**ends, "stroke": PAPER, "stroke-width": "2"})


def _words(root: Element, words: DrawnWords, address: str) -> None:
    """A text where its box begins, behind a triangle up or down where it is favourable or not; a link where it leads
    somewhere."""
    left = words.box[0]
    root = SubElement(root, "a", {"href": address}) if address else root
    if words.triangle:
        top, low = (words.y - 8, words.y - 1) if words.tone == "favourable" else (words.y - 1, words.y - 8)
        corners = ((left, low), (left + 7, low), (left + 3.5, top))
        points = " ".join(f"{_px(x)},{_px(y)}" for x, y in corners)
        SubElement(root, "polygon", {"points": points, "fill": TONES[words.tone]})
    place = {"x": _px(left + words.triangle), "y": _px(words.y), "fill": GOOD if address else TONES[words.tone]}
    looks = {"font-family": FONT, "font-size": str(SIZE), "font-weight": str(words.weight)}
    text = SubElement(root, "text", {**place, **looks})
    text.text = words.text
    if words.whole and words.whole != words.text:
        SubElement(text, "title").text = words.whole


def _px(pixels: float) -> str:
    return f"{pixels:.1f}".removesuffix(".0")
