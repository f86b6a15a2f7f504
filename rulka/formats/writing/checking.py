"""What somebody uploads as a section, judged before anything reads it: is it what its name says, within bounds, and
nothing in it that runs, calls out, hides or waits for a decision. Read in a process of its own."""

from __future__ import annotations

import base64
import io
import re
import zipfile
from collections.abc import Iterator, Mapping
from typing import Any, Final

from lxml import etree

from rulka.core.errors import RulkaError
from rulka.core.values import is_whole
from rulka.formats.intake.apart import answer, ask
from rulka.formats.intake.table_file import check_archive

SECONDS: Final = 60
MOST_BYTES: Final = 20_000_000
MOST_UNPACKED: Final = 200_000_000
MOST_PARTS: Final = 4_000
MOST_PAGES: Final = 300
MOST_SLIDES: Final = 150
WORDS_A_PAGE: Final = 900
OLD: Final = bytes.fromhex("d0cf11e0a1b11ae1")
W: Final = "{http://schemas.openxmlformats.org/wordprocessingml/2006/main}"
RELATIONS: Final = "{http://schemas.openxmlformats.org/package/2006/relationships}"
FORMS: Final[Mapping[str, tuple[str, str]]] = {
    "docx": ("word/document.xml", "application/vnd.openxmlformats-officedocument.wordprocessingml.document.main+xml"),
    "pptx": ("ppt/presentation.xml",
             "application/vnd.openxmlformats-officedocument.presentationml.presentation.main+xml"),
}  # fmt: skip
"""By ending the part that makes it one, and that part's type."""

TITLES: Final = {"docx": "a word file (.docx)", "pptx": "slides (.pptx)", "pdf": "a PDF"}
RUNS: Final = ("vba", "activex", "macrosheet", "/customui/")
TRACKED: Final = ("ins", "del", "moveFrom", "moveTo", "rPrChange", "pPrChange", "sectPrChange", "tblPrChange",
                  "cellIns", "cellDel", "trPrChange", "tcPrChange", "numberingChange")  # fmt: skip
LINKS: Final = ("hyperlink",)
"""Relations that may lead outside: what somebody has to click."""


def checked_apart(data: bytes, name: str, forms: tuple[str, ...]) -> dict[str, Any]:
    """What a file is, by its ending (`form`) and size (`pages`, where it says so); raises RulkaError with all that
    stands against it."""
    if len(data) > MOST_BYTES:
        raise RulkaError(
            f"{name[:80]} has {len(data):,} bytes; {MOST_BYTES:,} are taken.",
            hint="Make pictures smaller, or two files.", subject=name[:80],
        )  # fmt: skip
    too_much = RulkaError(f"{name[:80]} is too much to be read.", hint="Make two files of it.", subject=name[:80])
    asked = {"data": base64.b64encode(data).decode(), "name": name, "forms": list(forms)}
    told: dict[str, Any] = ask("rulka.formats.writing.checking", asked, seconds=SECONDS, too_much=too_much)
    return told


def check(data: bytes, name: str, forms: tuple[str, ...]) -> dict[str, Any]:
    """The same in this process."""
    form = name.rpartition(".")[2].lower()
    if form not in forms:
        wanted = " or ".join(TITLES[one] for one in forms)
        raise RulkaError(f"'{name[:80]}' isn't {wanted}.", hint="Save it as one, then upload it.", subject=name[:80])
    if form == "pdf":
        return {"form": form, "pages": _pdf(data, name)}
    if data.startswith(OLD):
        raise RulkaError(
            f"{name[:80]} is locked with a password, or of an old kind.",
            hint=f"Save it as {TITLES[form]} without one.", subject=name[:80],
        )  # fmt: skip
    try:
        archive = zipfile.ZipFile(io.BytesIO(data))
    except zipfile.BadZipFile:
        raise _not_one(name, form) from None
    with archive:
        check_archive(archive, name, most_files=MOST_PARTS)
        problems = list(_problems(archive, name, form))
    if problems:
        first = problems[0]
        more = "".join(f" {one.message}" for one in problems[1:6])
        rest = f" ... and {len(problems) - 6} more." if len(problems) > 6 else ""
        raise RulkaError(f"{first.message}{more}{rest}", hint=first.hint, subject=name[:80], code="refused")
    return {"form": form, "pages": 0}


def _not_one(name: str, form: str) -> RulkaError:
    return RulkaError(
        f"'{name[:80]}' isn't {TITLES[form]}, whatever its name says.", hint="Save it as one, then upload it.",
        subject=name[:80],
    )  # fmt: skip


def _problems(archive: zipfile.ZipFile, name: str, form: str) -> Iterator[RulkaError]:
    names = archive.namelist()
    main, kind = FORMS[form]
    if main not in names or "[Content_Types].xml" not in names:
        other = next((one for one, (part, _) in FORMS.items() if part in names), "")
        said = f" It is {TITLES[other]}." if other else ""
        raise RulkaError(f"'{name[:80]}' isn't {TITLES[form]}.{said}", hint="Choose the file again.", subject=name[:80])
    if sum(one.file_size for one in archive.infolist()) > MOST_UNPACKED:
        raise RulkaError(f"{name[:80]} unpacks to too much.", hint="Make two files of it.", subject=name[:80])
    types = archive.read("[Content_Types].xml").decode("utf-8", "replace")
    low = [one.lower() for one in names]
    if any(any(word in one for word in RUNS) for one in low) or "macroenabled" in types.lower():
        yield RulkaError("It holds macros or controls.", hint="Save it without them, then upload it.")
    elif kind not in types:
        raise _not_one(name, form)
    embedded = [one for one in low if "/embeddings/" in one or (one.endswith(".bin") and "printersettings" not in one)]
    if embedded:
        yield RulkaError(
            f"It holds {len(embedded)} embedded file{'s' if len(embedded) > 1 else ''}.",
            hint="Paste them as pictures or tables, then upload it.",
        )  # fmt: skip
    trees = {}
    for one in names:
        if one.endswith((".xml", ".rels")):
            tree = _tree(archive.read(one), one)
            if isinstance(tree, RulkaError):
                yield tree
            else:
                trees[one] = tree
    yield from _outside(trees)
    if form == "docx" and main in trees:
        yield from _tracked(trees)
        yield from _long(trees, main)
    slides = sum(bool(re.fullmatch(r"ppt/slides/slide\d+\.xml", one)) for one in names)
    if slides > MOST_SLIDES:
        yield RulkaError(f"It has {slides} slides; {MOST_SLIDES} are taken.", hint="Make two sections of it.")


def _tree(data: bytes, part: str) -> Any:
    if b"<!DOCTYPE" in data[:2000] or b"<!ENTITY" in data:
        return RulkaError(f"{part} declares entities.", hint="Save it again in your program.")
    try:
        return etree.fromstring(data, etree.XMLParser(resolve_entities=False, no_network=True, load_dtd=False))
    except etree.XMLSyntaxError as error:
        return RulkaError(
            f"{part} is broken: {str(error).split(', line')[0][:80]}.", hint="Open and save it again in your program."
        )


def _outside(trees: Mapping[str, Any]) -> Iterator[RulkaError]:
    """Relations that fetch something when the file is opened."""
    for part, tree in trees.items():
        if not part.endswith(".rels"):
            continue
        for one in tree.iter(f"{RELATIONS}Relationship"):
            kind = one.get("Type", "").rpartition("/")[2]
            if one.get("TargetMode") != "External":
                continue
            target = one.get("Target", "")[:80]
            if kind not in LINKS:
                what = {"attachedTemplate": "a template", "image": "a picture", "oleObject": "an object"}.get(
                    kind, kind
                )
                yield RulkaError(
                    f"It fetches {what} from elsewhere ({target}).", hint="Put it into the file, or take the link out."
                )
            elif not target.lower().startswith(("http://", "https://", "mailto:", "#")):
                yield RulkaError(f"It links to {target}.", hint="Link to https://, http:// or mailto: only.")


def _tracked(trees: Mapping[str, Any]) -> Iterator[RulkaError]:
    """Changes that nobody accepted yet."""
    found: list[Any] = []
    for part, tree in trees.items():
        if part.startswith("word/") and not part.endswith(".rels"):
            found += [one for name in TRACKED for one in tree.iter(f"{W}{name}")]
    if found:
        who = sorted({one.get(f"{W}author", "") for one in found} - {""})
        by = f" by {', '.join(who[:4])}" if who else ""
        yield RulkaError(
            f"It holds {len(found)} tracked change{'s' if len(found) > 1 else ''}{by}.",
            hint="Accept or reject them, then upload it.",
        )  # fmt: skip
    for part, tree in trees.items():
        if part.startswith("word/") and any(True for _ in tree.iter(f"{W}altChunk")):
            yield RulkaError("It holds another file that is taken in when it is opened.", hint="Save it again.")


def _long(trees: Mapping[str, Any], main: str) -> Iterator[RulkaError]:
    """How many pages it has at least: what it says itself, its own breaks, its words."""
    said = 0
    about = trees.get("docProps/app.xml")
    if about is not None:
        text = next((one.text for one in about.iter() if str(one.tag).endswith("}Pages")), "") or ""
        said = int(text) if is_whole(text) and len(text) < 8 else 0
    body = trees[main]
    broken = sum(one.get(f"{W}type") == "page" for one in body.iter(f"{W}br"))
    broken += sum(True for _ in body.iter(f"{W}lastRenderedPageBreak"))
    words = sum(len((one.text or "").split()) for one in body.iter(f"{W}t"))
    pages = max(said if words or broken else 0, broken + 1, words // WORDS_A_PAGE)
    if pages > MOST_PAGES:
        yield RulkaError(
            f"It has {pages:,} pages; a section has {MOST_PAGES} at most.", hint="Make several sections of it."
        )


def _pdf(data: bytes, name: str) -> int:
    """The pages of a PDF; refused where it is locked, runs something, or holds files."""
    import pikepdf

    if not data.startswith(b"%PDF-"):
        raise _not_one(name, "pdf")
    try:
        with pikepdf.open(io.BytesIO(data)) as pdf:
            root = pdf.Root
            told = [one for one in ("/OpenAction", "/AA") if one in root and _acts(root[one])]
            names: Any = root.get("/Names", {})
            if told or "/JavaScript" in names:
                raise RulkaError("It holds scripts or actions.", hint="Print it into a new PDF.", subject=name[:80])
            if "/EmbeddedFiles" in names:
                raise RulkaError("It holds other files.", hint="Print it into a new PDF.", subject=name[:80])
            if len(pdf.pages) > MOST_PAGES:
                raise RulkaError(
                    f"It has {len(pdf.pages):,} pages; a section has {MOST_PAGES} at most.",
                    hint="Make several sections of it.", subject=name[:80],
                )  # fmt: skip
            return len(pdf.pages)
    except pikepdf.PasswordError:
        raise RulkaError(f"{name[:80]} is locked.", hint="Save it without a password.", subject=name[:80]) from None
    except pikepdf.PdfError:
        raise RulkaError(f"{name[:80]} is broken.", hint="Save it again.", subject=name[:80]) from None


def _acts(action: Any) -> bool:
    """Whether an action does more than open a page."""
    import pikepdf

    return isinstance(action, pikepdf.Dictionary) and str(action.get("/S", "")) not in ("/GoTo", "")


def _asked(asked: Mapping[str, Any]) -> dict[str, Any]:
    return check(base64.b64decode(asked["data"]), asked["name"], tuple(asked["forms"]))


if __name__ == "__main__":
    answer(_asked, seconds=SECONDS)
