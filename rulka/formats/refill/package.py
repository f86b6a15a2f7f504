"""A workbook as the parts that it is packed of (ECMA-376 part 2): sheets by name, relations between parts, types."""

from __future__ import annotations

import posixpath
import zipfile
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from types import TracebackType
from typing import IO, Any, Final

from lxml import etree

from rulka.core.errors import RulkaError
from rulka.formats.intake.table_file import check_archive

MAIN: Final = "{http://schemas.openxmlformats.org/spreadsheetml/2006/main}"
RELATED: Final = "{http://schemas.openxmlformats.org/officeDocument/2006/relationships}"
PACKAGE: Final = "{http://schemas.openxmlformats.org/package/2006/relationships}"
TYPES: Final = "{http://schemas.openxmlformats.org/package/2006/content-types}"
CHART: Final = "{http://schemas.openxmlformats.org/drawingml/2006/chart}"
WORKBOOK, CONTENT_TYPES = "xl/workbook.xml", "[Content_Types].xml"
MOST_PACKED: Final = 20_000_000
MOST_UNPACKED: Final = 300_000_000
OLD = bytes.fromhex("d0cf11e0a1b11ae1")
"""How an old workbook begins, and one that is locked with a password."""


@dataclass(frozen=True)
class Relation:
    """What a part leads to: its kind is the last word of its type, such as `worksheet`."""

    id: str
    kind: str
    target: str
    outside: bool


@dataclass(frozen=True)
class SheetPart:
    """A sheet by its name, in the part that holds it."""

    name: str
    part: str


def parsed(data: bytes) -> Any:
    """The tree of a part; entities are never opened, nothing is fetched."""
    parser = etree.XMLParser(resolve_entities=False, no_network=True, load_dtd=False, huge_tree=False)
    return etree.fromstring(data, parser)


def written(tree: Any) -> bytes:
    """A part's tree as it is packed."""
    data: bytes = etree.tostring(tree, xml_declaration=True, encoding="UTF-8", standalone=True)
    return data


def local(node: Any) -> str:
    """A node's name without its space; empty for comments."""
    return node.tag.rpartition("}")[2] if isinstance(node.tag, str) else ""


def relations_name(part: str) -> str:
    """Where a part's relations stand."""
    folder, _, name = part.rpartition("/")
    return f"{folder}/_rels/{name}.rels" if folder else f"_rels/{name}.rels"


class WorkbookPackage:
    """A workbook file that is read part by part."""

    def __init__(self, path: Path, name: str = "") -> None:
        self.path, self.name = path, name or path.name
        with path.open("rb") as file:
            start = file.read(8)
        if start.startswith(OLD):
            raise RulkaError(
                "It is an old workbook, or one that is locked with a password.",
                hint="Save it as .xlsx, without one.",
                subject=self.name,
            )
        if not zipfile.is_zipfile(path):
            raise RulkaError("It is no workbook.", hint="Save it as .xlsx.", subject=self.name)
        self.archive = zipfile.ZipFile(path)
        try:
            check_archive(self.archive, self.name)
            self.names = [info.filename for info in self.archive.infolist() if not info.is_dir()]
            if len({one.casefold() for one in self.names}) < len(self.names):
                raise RulkaError("Two of its parts have one name.", hint="Save it again.", subject=self.name)
            if WORKBOOK not in self.names or CONTENT_TYPES not in self.names:
                raise RulkaError("It is no workbook.", hint="Save it as .xlsx.", subject=self.name)
            self.workbook = self.tree(WORKBOOK)
            if self.workbook.tag != f"{MAIN}workbook":
                raise RulkaError(
                    "It is saved in the strict form of .xlsx, which is not read.",
                    hint="Save it as a usual .xlsx.",
                    subject=self.name,
                )
        except BaseException:
            self.archive.close()
            raise

    def __enter__(self) -> WorkbookPackage:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.archive.close()

    def read(self, part: str) -> bytes:
        """A part's bytes."""
        return self.archive.read(part)

    @contextmanager
    def open(self, part: str) -> Iterator[IO[bytes]]:
        """A part, to be read piece by piece."""
        with self.archive.open(part) as file:
            yield file

    def tree(self, part: str) -> Any:
        """A part's tree; refused where it is no XML."""
        try:
            return parsed(self.read(part))
        except etree.XMLSyntaxError as error:
            raise self._unreadable(part) from error

    def check_parts(self) -> None:
        """Refuse a workbook in which a part can't be read."""
        for part in self.names:
            if part.endswith((".xml", ".rels")):
                try:
                    with self.open(part) as file:
                        for _, node in etree.iterparse(file, resolve_entities=False, no_network=True):
                            node.clear()
                except etree.XMLSyntaxError as error:
                    raise self._unreadable(part) from error

    def _unreadable(self, part: str) -> RulkaError:
        return RulkaError(f"Its part {part} can't be read.", hint="Save it again as .xlsx.", subject=self.name)

    def relations(self, part: str) -> list[Relation]:
        """What a part leads to, in order."""
        where = relations_name(part)
        if where not in self.names:
            return []
        folder = posixpath.dirname(part)
        found = []
        for one in self.tree(where):
            target, outside = str(one.get("Target", "")), one.get("TargetMode") == "External"
            if not outside:
                target = (
                    target.lstrip("/")
                    if target.startswith("/")
                    else posixpath.normpath(f"{folder}/{target}").lstrip("/")
                )
            found.append(Relation(str(one.get("Id")), str(one.get("Type", "")).rpartition("/")[2], target, outside))
        return found

    def related(self, part: str, kind: str) -> list[str]:
        """The parts of some kind that a part leads to and that are there."""
        return [one.target for one in self.relations(part) if one.kind == kind and one.target in self.names]

    @property
    def sheets(self) -> list[SheetPart]:
        """The sheets with cells, in order."""
        by_id = {one.id: one for one in self.relations(WORKBOOK)}
        found = []
        for one in self.workbook.iterfind(f"{MAIN}sheets/{MAIN}sheet"):
            relation = by_id.get(str(one.get(f"{RELATED}id")))
            if relation is not None and relation.kind == "worksheet" and relation.target in self.names:
                found.append(SheetPart(str(one.get("name")), relation.target))
        return found

    def sheet(self, name: str) -> SheetPart | None:
        """A sheet by its name, whatever its capitals."""
        return next((one for one in self.sheets if one.name.casefold() == name.casefold()), None)

    @property
    def strings(self) -> list[str]:
        """The texts that cells share, by number."""
        part = next(iter(self.related(WORKBOOK, "sharedStrings")), "")
        if not part:
            return []
        return [text_of(one) for one in self.tree(part).iterfind(f"{MAIN}si")]


def text_of(node: Any) -> str:
    """The text of a string item: its runs one after the other, without what says how it is read aloud."""
    found = []
    for child in node:
        name = local(child)
        if name == "t":
            found.append(child.text or "")
        elif name == "r":
            found += [one.text or "" for one in child.iterfind(f"{MAIN}t")]
    return "".join(found)
