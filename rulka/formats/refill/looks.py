"""How cells look, told so that the same look is the same in two workbooks: what a person made of each look of an
output is learnt, and looks that a workbook hasn't yet are put at the end of its list."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping
from copy import deepcopy
from dataclasses import dataclass, field
from hashlib import sha1
from typing import Any, Final

from lxml import etree

from rulka.formats.refill.package import MAIN, WORKBOOK, WorkbookPackage

FIRST_OWN: Final = 164
"""The first number that a workbook may give to a number format of its own."""
KEY = 12


class CellLooks:
    """The looks of a workbook's cells by number."""

    def __init__(self, package: WorkbookPackage) -> None:
        self.part = next(iter(package.related(WORKBOOK, "styles")), "")
        self.tree = package.tree(self.part) if self.part else etree.Element(f"{MAIN}styleSheet")
        self.formats = {
            int(one.get("numFmtId")): str(one.get("formatCode"))
            for one in self.tree.iterfind(f"{MAIN}numFmts/{MAIN}numFmt")
        }
        self.lists = {name: list(self._list(name)) for name in ("fonts", "fills", "borders")}
        self.looks = list(self._list("cellXfs"))
        self.keys = [self._key(one) for one in self.looks]
        self.added = 0

    def _list(self, name: str) -> Any:
        found = self.tree.find(f"{MAIN}{name}")
        return found if found is not None else []

    def _key(self, look: Any) -> str:
        number = int(look.get("numFmtId") or 0)
        parts = [self.formats.get(number, f"#{number}")]
        for name, list_name in (("fontId", "fonts"), ("fillId", "fills"), ("borderId", "borders")):
            at = int(look.get(name) or 0)
            known = self.lists[list_name]
            parts.append(_plain(known[at]) if at < len(known) else "")
        parts += [_plain(child) for child in look]
        return sha1("|".join(parts).encode(), usedforsecurity=False).hexdigest()[:KEY]

    def key(self, number: int) -> str:
        """What names a look, whatever its number."""
        return self.keys[number] if number < len(self.keys) else ""

    def add(self, other: CellLooks, number: int) -> int:
        """Put a look of another workbook at the end, and return its number here."""
        key = other.key(number)
        if key in self.keys:
            return self.keys.index(key)
        look = deepcopy(other.looks[number])
        for name, list_name in (("fontId", "fonts"), ("fillId", "fills"), ("borderId", "borders")):
            look.set(name, str(self._added(list_name, other.lists[list_name][int(look.get(name) or 0)])))
        code = other.formats.get(int(look.get("numFmtId") or 0))
        if code is not None:
            look.set("numFmtId", str(self._format(code)))
        look.set("xfId", "0")
        for name in ("applyNumberFormat", "applyFont", "applyFill", "applyBorder"):
            look.set(name, "1")
        self._append("cellXfs", look)
        self.keys.append(key)
        self.added += 1
        return len(self.keys) - 1

    def _added(self, name: str, node: Any) -> int:
        plain = _plain(node)
        for at, one in enumerate(self.lists[name]):
            if _plain(one) == plain:
                return at
        copy = deepcopy(node)
        self._append(name, copy)
        self.lists[name].append(copy)
        return len(self.lists[name]) - 1

    def _format(self, code: str) -> int:
        for number, known in self.formats.items():
            if known == code:
                return number
        number = max([*self.formats, FIRST_OWN - 1]) + 1
        self.formats[number] = code
        formats = self.tree.find(f"{MAIN}numFmts")
        if formats is None:
            formats = etree.Element(f"{MAIN}numFmts")
            self.tree.insert(0, formats)
        formats.append(etree.Element(f"{MAIN}numFmt", numFmtId=str(number), formatCode=code))
        formats.set("count", str(len(formats)))
        return number

    def _append(self, name: str, node: Any) -> None:
        found = self.tree.find(f"{MAIN}{name}")
        if found is None:
            found = etree.SubElement(self.tree, f"{MAIN}{name}")
        found.append(node)
        found.set("count", str(len(found)))


def _plain(node: Any) -> str:
    """A node as text in which order of attributes and unsaid defaults make no difference."""
    told = sorted((name, value) for name, value in node.attrib.items() if name not in ("count", "pivotButton"))
    inner = "".join(_plain(child) for child in node if isinstance(child.tag, str))
    return f"{node.tag}{told}[{inner}]"


@dataclass
class Learnt:
    """What a person made of an output's looks on one sheet: by column and look, by look alone, and by place in its
    head."""

    by: dict[tuple[str, str], Counter[int]] = field(default_factory=dict)
    any: dict[str, Counter[int]] = field(default_factory=dict)
    became: dict[tuple[str, int], Counter[int]] = field(default_factory=dict)

    def see(self, column: str, key: str, was: int, style: int) -> None:
        """A cell of a column whose look had the number `was` in the output, and has `style` now."""
        self.by.setdefault((column, key), Counter())[style] += 1
        self.any.setdefault(key, Counter())[style] += 1
        self.became.setdefault((column, was), Counter())[style] += 1
        self.became.setdefault(("", was), Counter())[style] += 1

    def as_mapping(self, before: Mapping[str, Any] | None = None) -> dict[str, Any]:
        """As plain data: the look that most cells have. With what was learnt of the version before, whose looks the
        output wore already, that goes on."""
        by = {place: _most(found) for place, found in self.by.items()}
        any_of = {key: _most(found) for key, found in self.any.items()}
        for column, key, style in (before or {}).get("by", ()):
            found = self.became.get((column, style)) or self.became.get(("", style))
            if found:
                by[column, key] = _most(found)
        for key, style in (before or {}).get("any", ()):
            if found := self.became.get(("", style)):
                any_of[key] = _most(found)
        return {
            "by": [[column, key, style] for (column, key), style in by.items()],
            "any": [[key, style] for key, style in any_of.items()],
        }


def _most(found: Counter[int]) -> int:
    return found.most_common(1)[0][0]


class Wearing:
    """Which look of a workbook a cell of a new output wears there."""

    def __init__(self, learnt: Mapping[str, Any], fresh: CellLooks, own: CellLooks) -> None:
        self.by = {(column, key): style for column, key, style in learnt["by"]}
        self.any = dict(learnt["any"])
        self.fresh, self.own = fresh, own
        self.found: dict[tuple[str, int], int] = {}

    def style(self, column: str, style: int) -> int:
        """The look of a cell of a column that has look `style` in the new output."""
        if (column, style) not in self.found:
            key = self.fresh.key(style)
            found = self.by.get((column, key), self.any.get(key))
            self.found[column, style] = self.own.add(self.fresh, style) if found is None else found
        return self.found[column, style]
