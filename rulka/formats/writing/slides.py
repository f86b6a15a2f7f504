"""Slides: the master that every folio begins with, their words, how they look beside a master, several decks as one."""

from __future__ import annotations

import io
from collections.abc import Iterator, Mapping, Sequence
from copy import deepcopy
from functools import cache
from hashlib import sha256
from typing import TYPE_CHECKING, Any, Final

from lxml import etree

from rulka.core.folios.styles import StyleLooks
from rulka.core.later import later

if TYPE_CHECKING:
    import pptx
    import pptx.opc.constants as constants
    import pptx.opc.package as package_of
    import pptx.opc.packuri as packuri
    import pptx.oxml.ns as ns
    import pptx.util as units
else:
    pptx = later("pptx")
    constants = later("pptx.opc.constants")
    package_of = later("pptx.opc.package")
    packuri = later("pptx.opc.packuri")
    ns = later("pptx.oxml.ns")
    units = later("pptx.util")

WIDE, HIGH = 12_192_000, 6_858_000
COLOURS: Final = {"dk1": "20292B", "lt1": "FFFFFF", "dk2": "1F5A4D", "lt2": "FDFCF8", "accent1": "1F5A4D",
                  "accent2": "74807C", "accent3": "A8741A", "accent4": "A43A2C", "accent5": "CFC7B4",
                  "accent6": "69706C", "hlink": "1F5A4D", "folHlink": "69706C"}  # fmt: skip
FONTS: Final = {"major": "Source Serif 4", "minor": "Source Sans 3"}


def _parsed(data: bytes) -> Any:
    return etree.fromstring(data, etree.XMLParser(resolve_entities=False, no_network=True, load_dtd=False))


@cache
def usual_slides() -> bytes:
    """The slides whose master a folio has unless it was given another: no slide, our fonts and colours, 16 to 9."""
    deck = pptx.Presentation()
    sideways = WIDE / (deck.slide_width or WIDE)
    deck.slide_width, deck.slide_height = units.Emu(WIDE), units.Emu(HIGH)
    master = deck.slide_master
    for shapes in (master.shapes, *(layout.shapes for layout in master.slide_layouts)):
        for shape in shapes:
            if _stands_itself(shape):
                shape.left, shape.width = units.Emu(int(shape.left * sideways)), units.Emu(int(shape.width * sideways))
    theme = _theme(master)
    tree = _parsed(theme.blob)
    _set_theme(tree)
    theme._blob = etree.tostring(tree, xml_declaration=True, encoding="UTF-8", standalone=True)
    for style, size in (("titleStyle", 28), ("bodyStyle", 18)):
        level = master._element.find(f"{ns.qn('p:txStyles')}/{ns.qn(f'p:{style}')}/{ns.qn('a:lvl1pPr')}")
        looks = level.find(ns.qn("a:defRPr"))
        looks.set("sz", str(size * 100))
        if style == "titleStyle":
            level.set("algn", "l")
            looks.set("b", "1")
    return _saved(deck)


def _saved(deck: Any) -> bytes:
    buffer = io.BytesIO()
    deck.save(buffer)
    return buffer.getvalue()


def _theme(master: Any) -> Any:
    return master.part.part_related_by(constants.RELATIONSHIP_TYPE.THEME)


def _set_theme(tree: Any) -> None:
    for which, font in FONTS.items():
        tree.find(f".//{ns.qn('a:' + which + 'Font')}/{ns.qn('a:latin')}").set("typeface", font)
    for name, colour in COLOURS.items():
        place = tree.find(f".//{ns.qn('a:clrScheme')}/{ns.qn('a:' + name)}")
        for old in list(place):
            place.remove(old)
        etree.SubElement(place, ns.qn("a:srgbClr")).set("val", colour)


def new_slides(master: bytes, title: str, lines: Sequence[str] = ()) -> bytes:
    """Slides to begin with: one with a title and some words."""
    deck = pptx.Presentation(io.BytesIO(master))
    _emptied(deck)
    layouts = list(deck.slide_layouts)
    layout = next((one for one in layouts if one.name == "Title and Content"), layouts[0])
    slide = deck.slides.add_slide(layout)
    if slide.shapes.title is not None:
        slide.shapes.title.text = title
    body = next((one for one in slide.placeholders if one.placeholder_format.idx == 1), None)
    if body is not None and lines:
        body.text_frame.text = "\n".join(lines)
    elif lines:
        box = slide.shapes.add_textbox(
            units.Emu(600_000), units.Emu(1_800_000), units.Emu(10_000_000), units.Emu(3_000_000)
        )
        box.text_frame.text = "\n".join(lines)
        box.text_frame.paragraphs[0].font.size = units.Pt(18)
    deck.core_properties.title = title
    return _saved(deck)


def _emptied(deck: Any) -> None:
    for one in list(deck.slides._sldIdLst):
        deck.part.drop_rel(one.rId)
        deck.slides._sldIdLst.remove(one)


def slide_lines(data: bytes) -> list[str]:
    """The words of slides, one line a paragraph; tables and notes too."""
    return [line for slide in pptx.Presentation(io.BytesIO(data)).slides for line in _words(slide)]


def slides_told(data: bytes) -> list[list[str]]:
    """The words of each slide by itself."""
    return [list(_words(slide)) for slide in pptx.Presentation(io.BytesIO(data)).slides]


def _words(slide: Any) -> Iterator[str]:
    yield from _shape_words(slide.shapes)
    if slide.has_notes_slide and slide.notes_slide.notes_text_frame is not None:
        yield from (one.text for one in slide.notes_slide.notes_text_frame.paragraphs if one.text.strip())


def _shape_words(shapes: Any) -> Iterator[str]:
    for shape in shapes:
        if shape.shape_type == 6:  # a group
            yield from _shape_words(shape.shapes)
        elif shape.has_text_frame:
            yield from (one.text for one in shape.text_frame.paragraphs if one.text.strip())
        elif getattr(shape, "has_table", False):
            yield from (cell.text for row in shape.table.rows for cell in row.cells if cell.text.strip())


# looks ----------------------------------------------------------------------------------------------------------------


def slides_looks(data: bytes) -> StyleLooks:
    """How slides look: fonts and colours of their theme, size, layouts in use, the master itself."""
    deck = pptx.Presentation(io.BytesIO(data))
    used = {slide.slide_layout.slide_master.part.partname for slide in deck.slides}
    masters = [one for one in deck.slide_masters if one.part.partname in used] or [deck.slide_master]
    theme = _parsed(_theme(masters[0]).blob)
    fonts = [theme.find(f".//{ns.qn('a:' + which + 'Font')}/{ns.qn('a:latin')}").get("typeface") for which in FONTS]
    scheme = theme.find(f".//{ns.qn('a:clrScheme')}")
    colours = [str(place[0].get("val") if place[0].tag == ns.qn("a:srgbClr") else place[0].get("lastClr", ""))
               for place in scheme if len(place)]  # fmt: skip
    parts = {
        "fonts": ", ".join(fonts),
        "colours": " ".join(colours),
        "size": f"{round((deck.slide_width or 0) / 36_000)} by {round((deck.slide_height or 0) / 36_000)} mm",
        "slide master": " and ".join(_master_named(one) for one in masters),
    }
    return StyleLooks({}, parts)


def _master_named(master: Any) -> str:
    """A master by its text sizes, background and layouts, in words and by what they come to."""
    styles = master._element.find(ns.qn("p:txStyles"))
    digest = sha256(etree.tostring(styles, method="c14n") if styles is not None else b"")
    background = master._element.find(f"{ns.qn('p:cSld')}/{ns.qn('p:bg')}")
    digest.update(etree.tostring(background, method="c14n") if background is not None else b"")
    title = master._element.find(
        f"{ns.qn('p:txStyles')}/{ns.qn('p:titleStyle')}/{ns.qn('a:lvl1pPr')}/{ns.qn('a:defRPr')}"
    )
    size = int(title.get("sz", "0")) / 100 if title is not None else 0
    return f"{len(list(master.slide_layouts))} layouts, titles {size:g} pt, {digest.hexdigest()[:6]}"


def slides_with_choices(data: bytes, chosen: Mapping[str, str], master: bytes) -> bytes:
    """Slides with what was chosen for their differences: the master's fonts, colours, size, or the master itself."""
    theirs = pptx.Presentation(io.BytesIO(master))
    size = _size(theirs if chosen.get("part:size") == "take" else pptx.Presentation(io.BytesIO(data)))
    data = _resized(data, size)
    if chosen.get("part:slide master") == "take":
        data = on_master(data, _resized(master, size))
    deck = pptx.Presentation(io.BytesIO(data))
    theme = _parsed(_theme(theirs.slide_master).blob)
    for name, scheme in (("fonts", "fontScheme"), ("colours", "clrScheme")):
        if chosen.get(f"part:{name}") == "take":
            for one in deck.slide_masters:
                part = _theme(one)
                tree = _parsed(part.blob)
                old = tree.find(f".//{ns.qn('a:' + scheme)}")
                old.getparent().replace(old, deepcopy(theme.find(f".//{ns.qn('a:' + scheme)}")))
                part._blob = etree.tostring(tree, xml_declaration=True, encoding="UTF-8", standalone=True)
    return _saved(deck)


def _size(deck: Any) -> tuple[int, int]:
    return int(deck.slide_width or WIDE), int(deck.slide_height or HIGH)


def _resized(data: bytes, size: tuple[int, int]) -> bytes:
    """Slides in another size: masters and layouts fill it, what stands on slides keeps its shape and is centred."""
    deck = pptx.Presentation(io.BytesIO(data))
    old = _size(deck)
    if old == size:
        return data
    across, down = size[0] / old[0], size[1] / old[1]
    deck.slide_width, deck.slide_height = units.Emu(size[0]), units.Emu(size[1])
    for master in deck.slide_masters:
        for shapes in (master.shapes, *(layout.shapes for layout in master.slide_layouts)):
            for shape in shapes:
                if _stands_itself(shape):
                    shape.left, shape.width = units.Emu(int(shape.left * across)), units.Emu(int(shape.width * across))
                    shape.top, shape.height = units.Emu(int(shape.top * down)), units.Emu(int(shape.height * down))
    times = min(across, down)
    left, top = (size[0] - old[0] * times) / 2, (size[1] - old[1] * times) / 2
    for slide in deck.slides:
        for shape in slide.shapes:
            if _stands_itself(shape):
                shape.left, shape.width = units.Emu(int(left + shape.left * times)), units.Emu(int(shape.width * times))
                shape.top, shape.height = units.Emu(int(top + shape.top * times)), units.Emu(int(shape.height * times))
            if getattr(shape, "has_table", False):
                for column in shape.table.columns:
                    column.width = units.Emu(int(column.width * times))
                for row in shape.table.rows:
                    row.height = units.Emu(int(row.height * times))
    return _saved(deck)


def _stands_itself(shape: Any) -> bool:
    """Whether a shape says where it stands, rather than its layout."""
    return bool(shape._element.xpath("./p:spPr/a:xfrm | ./p:grpSpPr/a:xfrm | ./p:xfrm"))


def on_master(data: bytes, master: bytes) -> bytes:
    """The same slides on a master's layouts, each on the one of its layout's name, else on the one most like it."""
    deck, made = pptx.Presentation(io.BytesIO(data)), pptx.Presentation(io.BytesIO(master))
    _emptied(made)
    layouts = {one.name: one for one in made.slide_layouts}
    first = next(iter(made.slide_layouts))
    for slide in deck.slides:
        layout = layouts.get(slide.slide_layout.name) or layouts.get("Title and Content") or first
        _copied(slide, made, layout)
    made.core_properties.title = deck.core_properties.title
    return _saved(made)


def _copied(slide: Any, deck: Any, layout: Any) -> None:
    """A slide with its shapes, pictures and notes on a layout of another deck."""
    added = deck.slides.add_slide(layout)
    tree = added.shapes._spTree
    for old in list(tree)[2:]:
        tree.remove(old)
    names: dict[str, str] = {}
    for relation in slide.part.rels.values():
        if relation.reltype in (constants.RELATIONSHIP_TYPE.SLIDE_LAYOUT, constants.RELATIONSHIP_TYPE.NOTES_SLIDE):
            continue
        if relation.is_external:
            names[relation.rId] = added.part.relate_to(relation.target_ref, relation.reltype, is_external=True)
        else:
            names[relation.rId] = added.part.relate_to(
                _brought(relation.target_part, deck.part.package, {}), relation.reltype
            )
    for shape in list(slide.shapes._spTree)[2:]:
        copied = deepcopy(shape)
        for node in copied.iter():
            for key, value in node.attrib.items():
                if key.startswith(f"{{{'http://schemas.openxmlformats.org/officeDocument/2006/relationships'}}}"):
                    node.set(key, names.get(value, value))
        tree.append(copied)
    if slide.has_notes_slide and slide.notes_slide.notes_text_frame is not None:
        added.notes_slide.notes_text_frame.text = slide.notes_slide.notes_text_frame.text


def _brought(part: Any, package: Any, known: dict[Any, Any]) -> Any:
    """A part and all that it leads to, under names that are free in another package."""
    if part in known:
        return known[part]
    base = str(part.partname).removesuffix(f".{part.partname.ext}").rstrip("0123456789")
    taken = {str(one.partname) for one in package.iter_parts()} | {str(one.partname) for one in known.values()}
    count = next(at for at in range(1, 100_000) if f"{base}{at}.{part.partname.ext}" not in taken)
    made = package_of.PartFactory(
        packuri.PackURI(f"{base}{count}.{part.partname.ext}"), part.content_type, package, part.blob
    )
    known[part] = made
    for relation in part.rels.values():
        target = relation.target_ref if relation.is_external else _brought(relation.target_part, package, known)
        made.rels._rels[relation.rId] = type(relation)(
            made.partname.baseURI, relation.rId, relation.reltype, relation._target_mode, target
        )
    return made


def slides_merged(decks: Sequence[bytes], master: bytes, title: str, about: str = "") -> bytes:
    """Several decks as one: a deck with a master of its own brings it along, the others stand on the first one's. A
    file of slides has one size: the first deck's."""
    made = pptx.Presentation(io.BytesIO(decks[0] if decks else master))
    size = _size(made)
    own = {_master_named(one): one for one in made.slide_masters}
    for data in decks[1:]:
        deck = pptx.Presentation(io.BytesIO(_resized(data, size)))
        known: dict[Any, Any] = {}
        for slide in deck.slides:
            layout = slide.slide_layout
            same = own.get(_master_named(layout.slide_master))
            there = next((one for one in same.slide_layouts if one.name == layout.name), None) if same else None
            if there is not None:
                _copied(slide, made, there)
            else:
                _with_master(slide, made, known)
    made.core_properties.title, made.core_properties.comments = title, about
    return _saved(made)


def _with_master(slide: Any, deck: Any, known: dict[Any, Any]) -> None:
    """A slide with its layout, master and theme."""
    package = deck.part.package
    source = slide.slide_layout.slide_master.part
    is_new = source not in known
    part = _brought(slide.part, package, known)
    if is_new and source in known:
        free = _free_number(deck)
        number = deck.part.relate_to(known[source], constants.RELATIONSHIP_TYPE.SLIDE_MASTER)
        for at, one in enumerate(known[source]._element.iter(ns.qn("p:sldLayoutId")), 1):
            one.set("id", str(free + at))
        listed = deck.part._element.find(ns.qn("p:sldMasterIdLst"))
        entry = etree.SubElement(listed, ns.qn("p:sldMasterId"))
        entry.set("id", str(free))
        entry.set(ns.qn("r:id"), number)
    number = deck.part.relate_to(part, constants.RELATIONSHIP_TYPE.SLIDE)
    slides = deck.slides._sldIdLst
    entry = etree.SubElement(slides, ns.qn("p:sldId"))
    entry.set("id", str(max((int(one.get("id")) for one in slides if one.get("id")), default=255) + 1))
    entry.set(ns.qn("r:id"), number)


def _free_number(deck: Any) -> int:
    """A number beyond those of all masters and layouts, which share one row."""
    used = [int(one.get("id")) for one in deck.part._element.iter(ns.qn("p:sldMasterId")) if one.get("id")]
    for master in deck.slide_masters:
        used += [int(one.get("id")) for one in master._element.iter(ns.qn("p:sldLayoutId")) if one.get("id")]
    return max(used, default=2_147_483_648) + 1_000
