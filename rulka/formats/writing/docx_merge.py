"""Sections as one word file: each keeps its paper, its head and foot where they are kept, its own styles where they
are; pages are counted through."""

from __future__ import annotations

import io
from collections.abc import Sequence
from copy import deepcopy
from dataclasses import dataclass, field
from typing import Any

from docx import Document as open_docx
from docx.document import Document as Docx
from docx.opc.packuri import PackURI
from docx.opc.part import Part as OpcPart
from docx.oxml.ns import qn
from docxcompose.composer import Composer

from rulka.formats.writing.docx_looks import with_choices
from rulka.formats.writing.docx_write import unwrapped
from rulka.formats.writing.xml import element, words_of


@dataclass(frozen=True)
class DocxPart:
    """One section as a word file, with what was chosen for its differences (`style:...`, `part:header` ... to keep or
    take); `heading` stands above it where it doesn't begin with it itself."""

    data: bytes
    heading: str
    mark: str
    chosen: dict[str, str] = field(default_factory=dict)
    own: bool = False
    """Whether somebody wrote it elsewhere; otherwise it was made of the master."""
    begins: int = 0
    """The number of its first page, where it stands alone and its own foot counts pages."""
    total: int = 0
    """How many pages the whole has, for the same."""

    def keeps(self, which: str) -> bool:
        """Whether its own head or foot is kept."""
        return self.own and self.chosen.get(f"part:{which}") == "keep"


class _Merger(Composer):  # type: ignore[misc]
    """Brings heads and feet along, which the composer would drop, and leaves sections as they are."""

    def __init__(self, docx: Docx) -> None:
        super().__init__(docx)
        self._known: dict[Any, str] = {}
        self._given: set[str] = set()

    def remove_header_and_footer_references(self, doc: Docx, added: Any) -> None:
        for node in added.iter(qn("w:headerReference"), qn("w:footerReference")):
            number = node.get(qn("r:id"))
            if number.startswith("own-"):  # the master's, which this file has already
                node.set(qn("r:id"), number.removeprefix("own-"))
            else:
                node.set(qn("r:id"), self._brought(doc.part.rels[number]))

    def _brought(self, relation: Any) -> str:
        """A head or foot with the pictures in it, under a name that this file has not yet; what it is called here."""
        if relation.target_part in self._known:
            return self._known[relation.target_part]
        source, package = relation.target_part, self.doc.part.package
        made = type(source).load(self._free(source), source.content_type, source.blob, package)
        for one in source.rels.values():
            if one.is_external:
                made.load_rel(one.reltype, one.target_ref, one.rId, is_external=True)
            else:
                inner = one.target_part
                copied = OpcPart(self._free(inner), inner.content_type, inner.blob, package)
                made.load_rel(one.reltype, copied, one.rId)
        number = str(self.doc.part.relate_to(made, relation.reltype))
        self._known[source] = number
        return number

    def _free(self, part: Any) -> PackURI:
        """A name for a part that is free in this file."""
        base = str(part.partname).removesuffix(f".{part.partname.ext}").rstrip("0123456789")
        taken = {str(one.partname) for one in self.doc.part.package.iter_parts()} | self._given
        count = next(at for at in range(1, 10_000) if f"{base}{at}.{part.partname.ext}" not in taken)
        self._given.add(f"{base}{count}.{part.partname.ext}")
        return PackURI(f"{base}{count}.{part.partname.ext}")

    def add_referenced_parts(self, src_part: Any, dst_part: Any, added: Any) -> None:
        held = [
            (node, node.attrib.pop(qn("r:id"))) for node in added.iter(qn("w:headerReference"), qn("w:footerReference"))
        ]
        super().add_referenced_parts(src_part, dst_part, added)
        for node, number in held:
            node.set(qn("r:id"), number)

    def fix_section_types(self, doc: Docx) -> None:
        """Each section says itself that it begins a page."""

    def fix_header_and_footers(self, doc: Docx) -> None:
        """Each section names its own."""


def merged(parts: Sequence[DocxPart], master: bytes, *, title: str, about: str = "", bare: bool = False) -> bytes:
    """All sections as one file in the master's styles; `bare` without the master's head and foot, where others are
    drawn over its pages."""
    docx = open_docx(io.BytesIO(master))
    body = docx.element.body
    for one in list(body):
        if one.tag != qn("w:sectPr"):
            body.remove(one)
    docx.core_properties.title, docx.core_properties.comments = title, about
    furniture = [deepcopy(one) for one in body.sectPr.findall(qn("w:headerReference"))]
    furniture += [deepcopy(one) for one in body.sectPr.findall(qn("w:footerReference"))]
    furniture = [] if bare else furniture
    composer = _Merger(docx)
    for place, part in enumerate(parts):
        own = open_docx(io.BytesIO(with_choices(part.data, part.chosen, part.mark) if part.own else part.data))
        _headed(own, part.heading, docx)
        _sections(own, part, furniture, master=docx)
        if part.total:
            _totals(own, part.total)
        unwrapped(own.element.body)
        composer.append(own)
        if place == len(parts) - 1:
            _last(docx)
    buffer = io.BytesIO()
    docx.save(buffer)
    return buffer.getvalue()


def _headed(own: Docx, heading: str, master: Docx) -> None:
    """The section's heading above it, where it doesn't begin with the same words; in the master's first heading."""
    if not heading:
        return
    body = own.element.body
    first = next((one for one in body.iter(qn("w:p")) if words_of(one).strip()), None)
    plain = heading.lstrip("0123456789. ").casefold()
    said = words_of(first).strip().lstrip("0123456789. ").casefold() if first is not None else ""
    if said == plain and first is not None:
        return
    made = element("w:p")
    looks = element("w:pPr")
    named = {style.name: style.style_id for style in own.styles}
    number = named.get("Heading 1", "Heading1")
    if "Heading 1" not in named:
        source = next((one.element for one in master.styles if one.name == "Heading 1"), None)
        if source is not None:
            own.styles.element.append(deepcopy(source))
    looks.append(element("w:pStyle", val=number))
    made.append(looks)
    run, text = element("w:r"), element("w:t")
    text.set(qn("xml:space"), "preserve")
    text.text = heading
    run.append(text)
    made.append(run)
    body.insert(0, made)


def _furnished(section: Any, name: str, given: Sequence[Any]) -> None:
    """Give a section the master's heads or feet in the place of its own."""
    for old in section.findall(qn(f"w:{name}")):
        section.remove(old)
    for one in given:
        kinds = [one.get(qn("w:type"))]
        if kinds == ["default"] and section.find(qn("w:titlePg")) is not None:
            kinds.append("first")  # a first page of its own would else have none
        for kind in kinds:
            copied = deepcopy(one)
            copied.set(qn("w:type"), kind)
            copied.set(qn("r:id"), f"own-{one.get(qn('r:id'))}")
            section.insert(0, copied)


def _sections(own: Docx, part: DocxPart, furniture: list[Any], master: Docx) -> None:
    """Every section of a file says its paper, head and foot itself; the last one, which stood behind the body, in a
    last paragraph. What takes the master's gets it."""
    body = own.element.body
    last = body.sectPr if body.sectPr is not None else element("w:sectPr")
    paragraphs = [one for one in body if one.tag == qn("w:p")]
    holder = body[-2] if len(body) > 1 and body[-1].tag == qn("w:sectPr") else (body[-1] if len(body) else None)
    if holder is None or holder.tag != qn("w:p") or holder.find(f"{qn('w:pPr')}/{qn('w:sectPr')}") is not None:
        holder = element("w:p")
        body.insert(len(body) - (1 if body.sectPr is not None else 0), holder)
    if last.getparent() is not None:
        last.getparent().remove(last)
    holder.get_or_add_pPr().append(last)
    found = [*(one.find(f"{qn('w:pPr')}/{qn('w:sectPr')}") for one in paragraphs), last]
    every = list(dict.fromkeys(one for one in found if one is not None))
    former: dict[tuple[str, str], Any] = {}
    for section in every:
        for old in section.findall(qn("w:pgNumType")):
            section.remove(old)
        if part.begins and section is every[0]:
            _begins(section, part.begins)
        kinds = section.findall(qn("w:type"))
        if section is every[0] or not kinds:
            for old in kinds:
                section.remove(old)
            _typed(section)
        _inherited(section, former)
        for which, name in (("header", "headerReference"), ("footer", "footerReference")):
            if not part.keeps(which):
                _furnished(section, name, [one for one in furniture if one.tag == qn(f"w:{name}")])
        if part.own and part.chosen.get("part:paper") == "take":
            _paper(section, master)
        if part.own and part.chosen.get("part:margins") == "take":
            _margins(section, master)


def _begins(section: Any, number: int) -> None:
    made = element("w:pgNumType", start=str(number))
    after = section.find(qn("w:pgMar"))
    if after is not None:
        after.addnext(made)
    else:
        section.append(made)


def _totals(docx: Docx, total: int) -> None:
    """Fields that count all pages say how many the whole has."""
    for relation in docx.part.rels.values():
        if relation.is_external or not relation.reltype.endswith(("/header", "/footer")):
            continue
        tree = relation.target_part.element
        for simple in list(tree.iter(qn("w:fldSimple"))):
            if "NUMPAGES" in simple.get(qn("w:instr"), ""):
                simple.getparent().replace(simple, _said(total))
        for text in list(tree.iter(qn("w:instrText"))):
            if "NUMPAGES" in (text.text or ""):
                _plain(text.getparent(), total)


def _said(total: int) -> Any:
    run, text = element("w:r"), element("w:t")
    text.text = str(total)
    run.append(text)
    return run


def _plain(run: Any, total: int) -> None:
    """A field of several runs as what it says: from the run that begins it to the one that ends it."""
    first, last = run, run
    while first is not None and first.find(f"{qn('w:fldChar')}[@{qn('w:fldCharType')}='begin']") is None:
        first = first.getprevious()
    while last is not None and last.find(f"{qn('w:fldChar')}[@{qn('w:fldCharType')}='end']") is None:
        last = last.getnext()
    if first is None or last is None:
        return
    first.addprevious(_said(total))
    while first is not last:
        following = first.getnext()
        first.getparent().remove(first)
        first = following
    last.getparent().remove(last)


def _inherited(section: Any, former: dict[tuple[str, str], Any]) -> None:
    """A section without a head or foot has the one before it: said, since another file's stands before it here."""
    for name in ("headerReference", "footerReference"):
        for one in section.findall(qn(f"w:{name}")):
            former[name, one.get(qn("w:type"))] = one
        own = {one.get(qn("w:type")) for one in section.findall(qn(f"w:{name}"))}
        for (kind, sort), one in former.items():
            if kind == name and sort not in own:
                section.insert(0, deepcopy(one))


def _typed(section: Any) -> None:
    made = element("w:type", val="nextPage")
    references = section.findall(qn("w:headerReference")) + section.findall(qn("w:footerReference"))
    section.insert(len(references), made)


def _paper(section: Any, master: Docx) -> None:
    """The master's paper, lying across where the section's does."""
    theirs = master.element.body.sectPr.find(qn("w:pgSz"))
    if theirs is None:
        return
    made, own = deepcopy(theirs), section.find(qn("w:pgSz"))
    if own is not None:
        across, lies = (int(one.get(qn("w:w"), 0)) > int(one.get(qn("w:h"), 0)) for one in (own, made))
        if across != lies:
            wide, high = made.get(qn("w:w")), made.get(qn("w:h"))
            made.set(qn("w:w"), high)
            made.set(qn("w:h"), wide)
            made.set(qn("w:orient"), "landscape" if across else "portrait")
        section.replace(own, made)
        return
    before = ("headerReference", "footerReference", "footnotePr", "endnotePr", "type")
    section.insert(sum(one.tag in {qn(f"w:{name}") for name in before} for one in section), made)


def _margins(section: Any, master: Docx) -> None:
    own, theirs = section.find(qn("w:pgMar")), master.element.body.sectPr.find(qn("w:pgMar"))
    if own is not None and theirs is not None:
        section.replace(own, deepcopy(theirs))


def _last(docx: Docx) -> None:
    """The last section's settings stand behind the body again, so that no empty page follows it."""
    body = docx.element.body
    holders = [one for one in body.iter(qn("w:p")) if one.find(f"{qn('w:pPr')}/{qn('w:sectPr')}") is not None]
    if not holders:
        return
    holder = holders[-1]
    section = holder.find(f"{qn('w:pPr')}/{qn('w:sectPr')}")
    section.getparent().remove(section)
    old = body.sectPr
    body.replace(old, section)
    if not words_of(holder) and holder.getparent() is body and not list(holder.iter(qn("w:drawing"), qn("w:br"))):
        former = holder.getprevious()
        if former is not None and former.tag == qn("w:p"):
            body.remove(holder)
