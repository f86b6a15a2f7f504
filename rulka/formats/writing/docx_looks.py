"""How a word file looks: its used styles with everything inherited, from the document's defaults and its theme on, and
its paper, head and foot. What is kept of a style is written out in full, so that it looks the same in another file."""

from __future__ import annotations

import io
from collections.abc import Mapping
from copy import deepcopy
from typing import Any, Final

from docx import Document as open_docx
from docx.document import Document as Docx
from docx.opc.constants import RELATIONSHIP_TYPE
from docx.oxml.ns import qn
from lxml import etree

from rulka.core.folios.styles import StyleLooks
from rulka.formats.writing.xml import element, words_of

A: Final = "{http://schemas.openxmlformats.org/drawingml/2006/main}"
ALIGNMENTS: Final = {"start": "left", "end": "right", "both": "justified", "left": "left"}
ORDER: Final = ("basedOn", "next", "link", "pPr", "rPr", "tblPr", "trPr", "tcPr")
DEFAULT_NAMES: Final = ("Normal Table", "Default Paragraph Font", "No List")


def looks_of(data: bytes) -> StyleLooks:
    """The looks of a word file."""
    docx = open_docx(io.BytesIO(data))
    styles = {}
    for style in used_styles(docx):
        flat = Flat(docx, style)
        styles[style_name(style)] = flat.told()
    return StyleLooks(styles, _parts(docx))


def master_looks(data: bytes) -> StyleLooks:
    """The looks of a master: of all its styles, used or not."""
    docx = open_docx(io.BytesIO(data))
    styles = {style_name(one): Flat(docx, one).told() for one in docx.styles.element.findall(qn("w:style"))}
    return StyleLooks(styles, _parts(docx))


def style_name(style: Any) -> str:
    """What people call a style: heading names differ by their first letter's case between programs."""
    name = str(style.find(qn("w:name")).get(qn("w:val")))
    return name[:1].upper() + name[1:] if name.lower().startswith(("heading ", "header", "footer")) else name


def used_styles(docx: Docx) -> list[Any]:
    """The styles that a file's body and footnotes use, the default paragraph's too; of tables only those of its own."""
    by_id = {one.get(qn("w:styleId")): one for one in docx.styles.element.findall(qn("w:style"))}
    found: dict[str, Any] = {}
    body = docx.element.body
    if any(one.find(f"{qn('w:pPr')}/{qn('w:pStyle')}") is None and words_of(one) for one in body.iter(qn("w:p"))):
        default = next((one for one in by_id.values() if one.get(qn("w:default")) == "1"
                        and one.get(qn("w:type")) == "paragraph"), None)  # fmt: skip
        if default is not None:
            found[default.get(qn("w:styleId"))] = default
    for name in ("w:pStyle", "w:rStyle", "w:tblStyle"):
        for one in body.iter(qn(name)):
            number = one.get(qn("w:val"))
            if number in by_id:
                found[number] = by_id[number]
    return [one for one in found.values() if style_name(one) not in DEFAULT_NAMES]


class Flat:
    """A style with all it inherits: the defaults first, then each style it is based on, itself last."""

    def __init__(self, docx: Docx, style: Any) -> None:
        self.docx, self.style = docx, style
        self.kind = style.get(qn("w:type"))
        by_id = {one.get(qn("w:styleId")): one for one in docx.styles.element.findall(qn("w:style"))}
        chain, seen = [style], {style.get(qn("w:styleId"))}
        while (based := chain[0].find(qn("w:basedOn"))) is not None:
            above = by_id.get(based.get(qn("w:val")))
            if above is None or above.get(qn("w:styleId")) in seen:
                break
            seen.add(above.get(qn("w:styleId")))
            chain.insert(0, above)
        self.run, self.paragraph = element("w:rPr"), element("w:pPr")
        defaults = docx.styles.element.find(qn("w:docDefaults"))
        if defaults is not None and self.kind != "character":
            _laid(self.run, defaults.find(f"{qn('w:rPrDefault')}/{qn('w:rPr')}"))
            _laid(self.paragraph, defaults.find(f"{qn('w:pPrDefault')}/{qn('w:pPr')}"))
        for one in chain:
            _laid(self.run, one.find(qn("w:rPr")))
            _laid(self.paragraph, one.find(qn("w:pPr")))
        self._plain_fonts()

    def _plain_fonts(self) -> None:
        """Fonts of the theme by their own names."""
        fonts = self.run.find(qn("w:rFonts"))
        if fonts is None:
            return
        theme = theme_fonts(self.docx)
        for which in ("ascii", "hAnsi", "cs", "eastAsia"):
            named = fonts.attrib.pop(qn(f"w:{which}Theme" if which != "cs" else "w:cstheme"), "")
            font = theme.get("major" if named.startswith("major") else "minor", "") if named else ""
            if font and which in ("ascii", "hAnsi"):
                fonts.set(qn(f"w:{which}"), font)

    def told(self) -> dict[str, str]:
        """The settings that people see, as words."""
        run, paragraph = self.run, self.paragraph
        fonts, spacing = run.find(qn("w:rFonts")), paragraph.find(qn("w:spacing"))
        size, indent = _value(run, "sz"), paragraph.find(qn("w:ind"))
        told = {
            "font": fonts.get(qn("w:ascii"), "") if fonts is not None else "",
            "size": f"{int(size) / 2:g} pt" if size.isascii() and size and size.replace(".", "").isalnum() else "",
            "bold": "yes" if _is_on(run, "b") else "",
            "italic": "yes" if _is_on(run, "i") else "",
            "colour": _value(run, "color").upper().replace("AUTO", ""),
            "shade": _attribute(paragraph.find(qn("w:shd")), "fill").upper().replace("AUTO", ""),
        }
        if self.kind != "character":
            told |= {
                "before": _points(spacing, "before"), "after": _points(spacing, "after"), "line": _line(spacing),
                "align": ALIGNMENTS.get(_value(paragraph, "jc") or "left", _value(paragraph, "jc")),
                "indent": _points(indent, "left") or _points(indent, "start"),
                "borders": " ".join(sorted(_name(one) for one in paragraph.iterfind(f"{qn('w:pBdr')}/*"))),
            }  # fmt: skip
        return {name: value for name, value in told.items() if value and value != "0 pt"}

    def alone(self, number: str, name: str) -> Any:
        """The style written out in full under another name: it looks the same wherever it is put."""
        made = element("w:style", type=self.kind or "paragraph", styleId=number, customStyle="1")
        made.append(element("w:name", val=name))
        for own in self.style:
            if _name(own) in ("tblPr", "trPr", "tcPr", "tblStylePr", "qFormat"):
                made.append(deepcopy(own))
        if self.kind != "character":
            made.append(deepcopy(self.paragraph))
        made.append(deepcopy(self.run))
        return made


def _laid(over: Any, others: Any) -> None:
    """Lay settings over others: a setting replaces the same one, one of several attributes by attribute."""
    for one in others if others is not None else ():
        old = over.find(one.tag)
        if old is None:
            over.append(deepcopy(one))
        elif _name(one) in ("rFonts", "spacing", "ind"):
            if _name(one) == "rFonts":
                for which in ("ascii", "hAnsi", "cs", "eastAsia"):  # a plain font and one of the theme: the later wins
                    theme = qn(f"w:{which}Theme" if which != "cs" else "w:cstheme")
                    if qn(f"w:{which}") in one.attrib or theme in one.attrib:
                        old.attrib.pop(qn(f"w:{which}"), None)
                        old.attrib.pop(theme, None)
            for key, value in one.attrib.items():
                old.set(key, value)
        else:
            over.replace(old, deepcopy(one))


def theme_fonts(docx: Docx) -> Mapping[str, str]:
    """The theme's fonts for headings (`major`) and text (`minor`)."""
    try:
        part = docx.part.part_related_by(RELATIONSHIP_TYPE.THEME)
    except KeyError:
        return {}
    tree = etree.fromstring(part.blob, etree.XMLParser(resolve_entities=False, no_network=True, load_dtd=False))
    found = {}
    for which in ("major", "minor"):
        latin = tree.find(f".//{A}{which}Font/{A}latin")
        if latin is not None:
            found[which] = latin.get("typeface", "")
    return found


def _name(node: Any) -> str:
    return str(node.tag).rpartition("}")[2]


def _attribute(node: Any, name: str) -> str:
    return str(node.get(qn(f"w:{name}"), "")) if node is not None else ""


def _value(within: Any, name: str) -> str:
    return _attribute(within.find(qn(f"w:{name}")), "val")


def _is_on(run: Any, name: str) -> bool:
    node = run.find(qn(f"w:{name}"))
    return node is not None and node.get(qn("w:val"), "1") not in ("0", "false", "off")


def _points(node: Any, name: str) -> str:
    value = _attribute(node, name)
    try:
        return f"{int(value) / 20:g} pt" if value else ""
    except ValueError:
        return ""


def _line(spacing: Any) -> str:
    """Line spacing as a multiple of a line, or in points where it is exact."""
    value, rule = _attribute(spacing, "line"), _attribute(spacing, "lineRule")
    try:
        if not value:
            return ""
        return f"{int(value) / 240:.2f}".rstrip("0").rstrip(".") if rule in ("", "auto") else f"{int(value) / 20:g} pt"
    except ValueError:
        return ""


def _parts(docx: Docx) -> dict[str, str]:
    """Paper, margins, running heads and feet of a file; of several sections each that is unlike the ones before it."""
    found: dict[str, list[str]] = {"paper": [], "margins": [], "header": [], "footer": []}
    for section in docx.sections:
        for name, told in _section(section).items():
            found[name] += [one for one in told if one not in found[name]]
    return {name: "; later ".join(told) for name, told in found.items()}


def _section(section: Any) -> dict[str, list[str]]:
    def mm(length: Any) -> str:
        return f"{round(int(length or 0) / 36_000)}"

    sides = sorted((int(section.page_width or 0), int(section.page_height or 0)))
    margins = (section.top_margin, section.right_margin, section.bottom_margin, section.left_margin)
    heads, feet = [_furniture(section.header)], [_furniture(section.footer)]
    if section.different_first_page_header_footer:
        heads.insert(0, f"first page: {_furniture(section.first_page_header) or 'none'}")
        feet.insert(0, f"first page: {_furniture(section.first_page_footer) or 'none'}")
    return {
        "paper": [f"{mm(sides[0])} by {mm(sides[1])} mm"],
        "margins": [f"{', '.join(mm(one) for one in margins)} mm"],
        "header": heads,
        "footer": feet,
    }


def _furniture(part: Any) -> str:
    """A head or foot in words, its fields by their names."""
    return " / ".join(filter(None, (_said(paragraph._p) for paragraph in part.paragraphs)))


def _said(paragraph: Any) -> str:
    found = []
    for one in paragraph.iter():
        if one.tag == qn("w:t") and not any(above.tag == qn("w:fldSimple") for above in one.iterancestors()):
            found.append(one.text or "")
        elif one.tag == qn("w:instrText"):
            found.append(f"[{(one.text or '').split()[0]}]" if (one.text or "").split() else "")
        elif one.tag == qn("w:fldSimple"):
            found.append(f"[{' '.join(one.get(qn('w:instr'), '').split()[:1])}]")
    return " ".join("".join(found).split())


def with_choices(data: bytes, chosen: Mapping[str, str], mark: str) -> bytes:
    """A word file ready to be laid beside others: styles that are kept bear names of their own and are written out in
    full; for those that take the master's the master's own will stand, since it bears their name."""
    docx = open_docx(io.BytesIO(data))
    renamed: dict[str, str] = {}
    for style in used_styles(docx):
        name = style_name(style)
        if chosen.get(f"style:{name}") != "keep":
            continue
        number = str(style.get(qn("w:styleId")))
        renamed[number] = f"{number}-{mark}"
        docx.styles.element.append(Flat(docx, style).alone(renamed[number], f"{name}, {mark}"))
    default = next((one.get(qn("w:styleId")) for one in docx.styles.element.findall(qn("w:style"))
                    if one.get(qn("w:default")) == "1" and one.get(qn("w:type")) == "paragraph"), "")  # fmt: skip
    for node in docx.element.body.iter(qn("w:pStyle"), qn("w:rStyle"), qn("w:tblStyle")):
        if node.get(qn("w:val")) in renamed:
            node.set(qn("w:val"), renamed[node.get(qn("w:val"))])
    if default in renamed:
        for paragraph in docx.element.body.iter(qn("w:p")):
            looks = paragraph.get_or_add_pPr()
            if looks.find(qn("w:pStyle")) is None:
                looks.insert(0, element("w:pStyle", val=renamed[default]))
    buffer = io.BytesIO()
    docx.save(buffer)
    return buffer.getvalue()
