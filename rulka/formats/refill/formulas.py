"""Every formula of a workbook, wherever a part holds one: cells, formats by condition, choice lists, charts, drawings,
names; told by a place that stays the same as long as the file does."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Any, Final

from rulka.formats.refill.package import MAIN, WORKBOOK, WorkbookPackage, local

FORMULA = re.compile(rb"<(?:[A-Za-z0-9]+:)?(?:f[\s>/]|formula)")
BY_LIST: Final = ("formula", "formula1", "formula2")
OWN_NAMES: Final = ("_xlnm._FilterDatabase", "_xlnm.Print_Titles")
"""Names that go with the sheet itself."""


@dataclass(frozen=True)
class Carrier:
    """A node with a formula, in its text or in an attribute: what names it, what it is, where it stands in words, and
    the sheet that its plain references mean."""

    id: str
    kind: str
    where: str
    home: str
    node: Any
    attribute: str = ""

    @property
    def text(self) -> str:
        return str((self.node.get(self.attribute) if self.attribute else self.node.text) or "")

    def write(self, text: str) -> None:
        """Put another formula in its place."""
        if self.attribute:
            self.node.set(self.attribute, text)
        else:
            self.node.text = text


@dataclass(frozen=True)
class DrawingPlaces:
    """Which sheet each drawing, chart, table and pivot of a workbook stands on, by part."""

    sheet_of: Mapping[str, str]
    charts: tuple[str, ...]
    drawings: tuple[str, ...]
    tables: tuple[str, ...]
    pivots: tuple[str, ...]


def places_of(package: WorkbookPackage) -> DrawingPlaces:
    """Where the drawn things of a workbook stand."""
    sheet_of: dict[str, str] = {}
    found: dict[str, list[str]] = {"chart": [], "chartEx": [], "drawing": [], "table": [], "pivotTable": []}
    for sheet in [(one.name, one.part) for one in package.sheets] + _chart_sheets(package):
        name, part = sheet
        for relation in package.relations(part):
            if relation.kind not in found or relation.target not in package.names:
                continue
            sheet_of[relation.target] = name
            found[relation.kind].append(relation.target)
            for below in package.relations(relation.target) if relation.kind == "drawing" else ():
                if below.kind in ("chart", "chartEx") and below.target in package.names:
                    sheet_of[below.target] = name
                    found[below.kind].append(below.target)
    charts = (*found["chart"], *found["chartEx"])
    return DrawingPlaces(sheet_of, charts, tuple(found["drawing"]), tuple(found["table"]), tuple(found["pivotTable"]))


def _chart_sheets(package: WorkbookPackage) -> list[tuple[str, str]]:
    by_id = {one.id: one for one in package.relations(WORKBOOK) if one.kind == "chartsheet"}
    found = []
    for one in package.workbook.iterfind(f"{MAIN}sheets/{MAIN}sheet"):
        relation = next(
            (by_id[value] for name, value in one.attrib.items() if name.endswith("}id") and value in by_id), None
        )
        if relation is not None and relation.target in package.names:
            found.append((str(one.get("name")), relation.target))
    return found


def in_sheet(tree: Any, part: str, sheet: str, *, cells: bool) -> Iterator[Carrier]:
    """The formulas of a sheet; those of its cells only where `cells` says so."""
    number = 0
    for node in tree.iter():
        name = local(node)
        if name == "f" and node.tag == f"{MAIN}f":
            if cells and node.text:
                at = str(node.getparent().get("r") or "")
                yield Carrier(f"{part}:{number}", "formula", f"{sheet}!{at}", sheet, node)
                number += 1
        elif name in BY_LIST and node.text:
            kind = "choice list" if name != "formula" else "conditional format"
            yield Carrier(f"{part}:m{number}", kind, f"{kind} on {sheet}", sheet, node)
            number += 1
        elif name == "f" and node.text:  # of an extension: small drawings in cells, newer formats
            yield Carrier(f"{part}:x{number}", "conditional format", f"a mark on {sheet}", sheet, node)
            number += 1


def in_chart(tree: Any, part: str, sheet: str, title: str) -> Iterator[Carrier]:
    """The formulas of a chart: where its series, labels and titles are read from."""
    for number, node in enumerate(one for one in tree.iter() if local(one) == "f" and one.text):
        yield Carrier(f"{part}:{number}", "chart", f"{title} on {sheet}", "", node)


def in_drawing(tree: Any, part: str, sheet: str) -> Iterator[Carrier]:
    """The cells whose text shapes show."""
    for number, node in enumerate(one for one in tree.iter() if local(one) == "sp" and one.get("textlink")):
        yield Carrier(f"{part}:{number}", "shape", f"a shape's text on {sheet}", sheet, node, "textlink")


def in_table(tree: Any, part: str, sheet: str) -> Iterator[Carrier]:
    """The formulas that a table's columns are filled with."""
    wanted = ("calculatedColumnFormula", "totalsRowFormula")
    for number, node in enumerate(one for one in tree.iter() if local(one) in wanted and one.text):
        yield Carrier(f"{part}:{number}", "formula", f"a table's column on {sheet}", sheet, node)


def in_names(workbook: Any) -> Iterator[Carrier]:
    """What names stand for; those that belong to a sheet's own filter aside."""
    for number, node in enumerate(workbook.iterfind(f"{MAIN}definedNames/{MAIN}definedName")):
        name = str(node.get("name"))
        if name in OWN_NAMES or not node.text:
            continue
        said = "print area" if name == "_xlnm.Print_Area" else f"name {name}"
        yield Carrier(f"{WORKBOOK}:{number}", "name", said, "", node)


def chart_title(number: int) -> str:
    """What a chart is called in words; its own title may be a formula."""
    return f"chart {number}"


def has_any(package: WorkbookPackage, part: str) -> bool:
    """Whether a sheet holds formulas at all, in cells or marks."""
    with package.open(part) as file:
        former = b""
        while block := file.read(1 << 20):
            text = former + block
            if FORMULA.search(text):
                return True
            former = block[-20:]
    return False
