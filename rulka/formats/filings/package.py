"""A taxonomy package before anything reads it: a zip within bounds, whose files all lead to files within it or to the
standards' own schemas that ship with the validator. Nothing is ever fetched."""

from __future__ import annotations

import io
import zipfile
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from pathlib import Path, PurePosixPath
from typing import Any, Final
from urllib.parse import unquote, urldefrag, urljoin, urlsplit

from lxml import etree

from rulka.core.errors import NotFound, RulkaError, RulkaErrors, one_of
from rulka.formats.intake.table_file import check_archive

MOST_BYTES: Final = 40_000_000
MOST_FILES: Final = 5_000
MOST_DOCUMENTS: Final = 4_000
META, CATALOG = "META-INF/taxonomyPackage.xml", "META-INF/catalog.xml"
HREF: Final = "{http://www.w3.org/1999/xlink}href"
WHERE: Final = "{http://www.w3.org/2001/XMLSchema-instance}schemaLocation"
IMPORTS: Final = tuple(f"{{http://www.w3.org/2001/XMLSchema}}{name}" for name in ("import", "include", "redefine"))


@dataclass(frozen=True)
class EntryPoint:
    """One way into a taxonomy: what it is called, the document that reports name."""

    name: str
    href: str


@dataclass
class TaxonomyPackage:
    """An opened package: its files by their names below the folder on top, its entries, where addresses lead to."""

    name: str
    files: Mapping[str, bytes]
    title: str = ""
    version: str = ""
    identifier: str = ""
    entries: list[EntryPoint] = field(default_factory=list)
    leads: list[tuple[str, str]] = field(default_factory=list)
    """(what an address begins with, what stands there in the package)"""

    def path_of(self, address: str) -> str | None:
        """The file that an address leads to; None where it leads out of the package."""
        for begins, prefix in sorted(self.leads, key=lambda pair: -len(pair[0])):
            if address.startswith(begins):
                return _normal(prefix + unquote(address.removeprefix(begins)))
        return None

    def entry(self, name: str) -> EntryPoint:
        """An entry by its name or address; the only one without a name."""
        if not self.entries:
            raise _refused("It names no entry point.", self.name)
        if not name:
            if len(self.entries) > 1:
                named = ", ".join(f"'{one.name}'" for one in self.entries[:8])
                raise RulkaError(
                    f"It has {len(self.entries)} entry points: {named}.", hint="Say which one.", subject=self.name
                )
            return self.entries[0]
        for one in self.entries:
            if name in (one.name, one.href):
                return one
        raise NotFound(
            f"It has no entry point '{name[:80]}'.", hint=one_of(name, [one.name for one in self.entries]),
            subject=self.name,
        )  # fmt: skip


def open_package(data: bytes, name: str) -> TaxonomyPackage:
    """A package's parts; refused where it isn't one."""
    if len(data) > MOST_BYTES:
        raise RulkaError(
            f"{name[:80]} has {len(data):,} bytes; {MOST_BYTES:,} are taken.", hint="Ask for a smaller package.",
            subject=name[:80],
        )  # fmt: skip
    try:
        archive = zipfile.ZipFile(io.BytesIO(data))
    except zipfile.BadZipFile:
        raise _refused("It is no .zip.", name) from None
    with archive:
        check_archive(archive, name, most_files=MOST_FILES)
        names = [one for one in archive.namelist() if not one.endswith("/")]
        for one in names:
            if one.startswith("/") or "\\" in one or ".." in PurePosixPath(one).parts:
                raise _refused(f"It holds a file outside of itself: '{one[:80]}'.", name)
        tops = {one.partition("/")[0] for one in names}
        top = tops.pop() if len(tops) == 1 else ""
        try:
            files = {one.removeprefix(f"{top}/"): archive.read(one) for one in names}
        except (zipfile.BadZipFile, EOFError, RuntimeError):
            raise _refused("It is damaged.", name) from None
    if META not in files:
        raise _refused(f"It holds no {META}.", name)
    package = TaxonomyPackage(name, files)
    _about(package)
    _catalog(package)
    return package


def _refused(message: str, name: str) -> RulkaError:
    return RulkaError(message, hint="Choose the taxonomy package as its registry issues it (.zip).", subject=name[:80])


def _normal(path: str) -> str:
    """A path without steps up; empty where it leads out."""
    parts: list[str] = []
    for one in path.split("/"):
        if one == "..":
            if not parts:
                return ""
            parts.pop()
        elif one not in ("", "."):
            parts.append(one)
    return "/".join(parts)


def _parsed(data: bytes, where: str) -> Any:
    if b"<!DOCTYPE" in data or b"<!ENTITY" in data:
        raise RulkaError("It declares entities.", hint="Ask for a package without them.", subject=where)
    try:
        return etree.fromstring(
            data, etree.XMLParser(resolve_entities=False, no_network=True, load_dtd=False, huge_tree=False)
        )
    except etree.XMLSyntaxError as error:
        raise RulkaError(
            f"It is broken: {str(error).split(', line')[0][:100]}.", hint="Ask for a mended package.", subject=where
        ) from None


def _about(package: TaxonomyPackage) -> None:
    root = _parsed(package.files[META], META)

    def said(node: Any, name: str) -> str:
        found = next((one for one in node if str(one.tag).endswith(f"}}{name}")), None)
        return " ".join((found.text or "").split()) if found is not None else ""

    package.title, package.version = said(root, "name")[:200], said(root, "version")[:40]
    package.identifier = said(root, "identifier")[:300]
    for one in root.iter():
        if str(one.tag).endswith("}entryPoint"):
            hrefs = [link.get("href", "") for link in one if str(link.tag).endswith("}entryPointDocument")]
            if len(hrefs) == 1 and hrefs[0]:
                package.entries.append(EntryPoint(said(one, "name")[:200] or hrefs[0], hrefs[0]))


def _catalog(package: TaxonomyPackage) -> None:
    if CATALOG not in package.files:
        return
    for one in _parsed(package.files[CATALOG], CATALOG).iter():
        if str(one.tag).endswith("}rewriteURI"):
            begins, prefix = one.get("uriStartString", ""), one.get("rewritePrefix", "")
            if urlsplit(prefix).scheme or prefix.startswith("/"):
                raise RulkaError(
                    f"It leads out of the package: '{prefix[:80]}'.", hint="Ask for a package that holds its files.",
                    subject=CATALOG,
                )  # fmt: skip
            package.leads.append((begins, f"META-INF/{prefix}"))


def is_standard(address: str) -> bool:
    """Whether an address is one of the standards' schemas that ship with the validator."""
    import arelle

    parts = urlsplit(address)
    if parts.scheme not in ("http", "https") or not parts.netloc or ".." in parts.path:
        return False
    cache = Path(arelle.__file__).parent / "resources" / "cache"
    return any((cache / scheme / parts.netloc / parts.path.lstrip("/")).is_file() for scheme in ("http", "https"))


def check_references(package: TaxonomyPackage, entry: EntryPoint) -> None:
    """Follow every reference from an entry; refuse a package with files that are missing or would be fetched, all of
    them named."""
    problems: list[RulkaError] = []
    waiting, seen = [(entry.href, META)], {entry.href}
    while waiting:
        address, named_by = waiting.pop()
        path = package.path_of(address)
        if path is None:
            if not is_standard(address):
                problems.append(
                    RulkaError(
                        f"It refers to {address[:120]}, which the package doesn't hold.",
                        hint="Nothing is fetched: ask for a package that holds all its files.",
                        subject=named_by,
                    )
                )
            continue
        if path not in package.files:
            problems.append(
                RulkaError(
                    f"The file {path[:120] or address[:120]} is missing.", hint="Ask for a whole package.",
                    subject=named_by,
                )
            )  # fmt: skip
            continue
        for reference in _references(_parsed(package.files[path], path)):
            found = urldefrag(urljoin(address, reference)).url
            if found and found not in seen:
                seen.add(found)
                waiting.append((found, path))
        if len(seen) > MOST_DOCUMENTS:
            raise RulkaError(f"It has more than {MOST_DOCUMENTS} documents.", hint="Load a part.", subject=package.name)
    if problems:
        raise problems[0] if len(problems) == 1 else RulkaErrors(
            problems, message=f"{package.name}: {len(problems)} references lead nowhere."
        )  # fmt: skip


def _references(root: Any) -> Iterator[str]:
    for one in root.iter():
        if one.tag in IMPORTS and one.get("schemaLocation"):
            yield one.get("schemaLocation")
        elif one.get(HREF) and isinstance(one.tag, str):
            yield one.get(HREF)
        if one.get(WHERE):
            yield from one.get(WHERE).split()[1::2]
