"""Drawings as SVG: read back as XML, marks lead where their figures are traced, what comes from data stays text."""

from fractions import Fraction as F
from xml.etree import ElementTree

from rulka.core.picturing.bridge_drawing import bridge_drawing
from rulka.core.picturing.bridges import Leg, Step, Total, bridge
from rulka.core.picturing.drawings import Drawing, DrawnMark, DrawnWords
from rulka.core.picturing.words import fitted
from rulka.formats.output.drawn import svg_of

SVG = "{http://www.w3.org/2000/svg}"


def _drawn(drawing: Drawing) -> ElementTree.Element:
    return ElementTree.fromstring(svg_of(drawing, "A title", lambda key: f"/trace/{key}" if key != "none" else ""))


def test_each_mark_is_a_link_that_says_its_figure() -> None:
    steps = (Step("fares", "Fares <b>&\"'", F(-707), False), Step("none", "Shop", F(402), True))
    made = bridge(Total("from", "Budget", F(6423), "budget"), [Leg(steps, Total("to", "Actual", F(6118)))], most=4)
    root = _drawn(bridge_drawing(made, (400, 200), lambda value: str(int(value))))
    links = [(link.get("href"), link.get("aria-label")) for link in root.iter(SVG + "a")]
    assert links == [
        ("/trace/from", "Budget: 6423"),
        ("/trace/from", "Budget: 6423"),
        ("/trace/fares", "Fares <b>&\"': -707"),
        ("/trace/to", "Actual: 6118"),
    ]
    said = [title.text for title in root.iter(SVG + "title")]
    assert "Shop: 402" in said, "what leads nowhere says its figure too"
    assert root.find(f".//{SVG}b") is None, "a name is text"
    assert (root.get("aria-label"), root.get("viewBox")) == ("A title", "0 0 400 200")


def test_sides_are_told_by_shape_and_marks_by_their_kind() -> None:
    marks = [
        DrawnMark("actual", 0, 0, 10, 50, "", "Actual", torn="bottom"),
        DrawnMark("forecast", 20, 0, 10, 50, "", "Forecast"),
        DrawnMark("prior", 40, 0, 10, 10, "", "Prior"),
    ]
    words = [
        DrawnWords(0, 20, "5", tone="favourable"),
        DrawnWords(0, 40, "-5", tone="unfavourable"),
        DrawnWords(0, 60, "0"),
    ]
    root = _drawn(Drawing(100, 100, marks, words, []))
    dashed = [block.get("stroke-dasharray") for block in root.iter(SVG + "rect")]
    assert dashed == [None, "3 2"]
    assert len(list(root.iter(SVG + "line"))) == 2, "the torn place of the first"
    shapes = [
        [float(pair.split(",")[1]) for pair in shape.get("points", "").split()] for shape in root.iter(SVG + "polygon")
    ]
    diamond, up, down = shapes
    assert len(diamond) == 4 and up[2] < up[0] == up[1] and down[2] > down[0] == down[1]


def test_a_name_that_was_shortened_is_still_there_in_full() -> None:
    name = "Norrsund Fraktlinje Shipping and Forwarding"
    root = _drawn(Drawing(100, 20, [], [DrawnWords(0, 12, fitted(name, 80, 12), whole=name)], []))
    text = root.find(SVG + "text")
    assert text is not None and (text.text or "").endswith("…") and text.findtext(SVG + "title") == name
