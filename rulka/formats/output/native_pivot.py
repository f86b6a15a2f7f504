"""A real pivot in a workbook: parts added to the file that XlsxWriter wrote (ECMA-376 part 1, 18.10). Its cells already
hold what was computed; whoever opens it computes it anew from the rows and may rearrange it."""

from __future__ import annotations

import re
import shutil
import zipfile
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Final
from xml.sax.saxutils import quoteattr

MAIN: Final = "http://schemas.openxmlformats.org/spreadsheetml/2006/main"
RELATED: Final = "http://schemas.openxmlformats.org/officeDocument/2006/relationships"
PACKAGE: Final = "http://schemas.openxmlformats.org/package/2006/relationships"
HOW: Final = {"sum": "sum", "count": "count", "average": "average", "least": "min", "most": "max"}
"""What a total is called there; different ones it has no word for."""
HEAD: Final = '<?xml version="1.0" encoding="UTF-8" standalone="yes"?>\n'
CONTENT: Final = "application/vnd.openxmlformats-officedocument.spreadsheetml."


@dataclass(frozen=True)
class PivotColumn:
    """One column of the rows: its heading, whether it holds numbers, days or texts, and for those that stand on a side
    of the pivot their values in order."""

    title: str
    kind: str
    items: tuple[str | float, ...] | None = None


@dataclass(frozen=True)
class NativePivot:
    """Where the rows stand, where the pivot stands (cell addresses), and its sides by places of columns. `rows` and
    `across` are the combinations of items (by place) that are there, in order."""

    source_sheet: str
    source: str
    sheet: int
    location: str
    first_data: tuple[int, int]
    columns: tuple[PivotColumn, ...]
    down: tuple[int, ...]
    over: tuple[int, ...]
    filters: tuple[int, ...]
    value: int
    how: str
    caption: str
    rows: tuple[tuple[int, ...], ...]
    across: tuple[tuple[int, ...], ...]
    top: int = 0
    number_format: int = 4


def add_pivot(path: Path, pivot: NativePivot) -> None:
    """Add the parts of a pivot to a workbook file."""
    begun = path.with_suffix(".pivot")
    sheet = f"xl/worksheets/sheet{pivot.sheet}.xml"
    relations = f"xl/worksheets/_rels/sheet{pivot.sheet}.xml.rels"
    changes: dict[str, Callable[[str], str]] = {
        "[Content_Types].xml": lambda text: text.replace("</Types>", _types() + "</Types>"),
        "xl/workbook.xml": _with_cache,
        "xl/_rels/workbook.xml.rels": lambda text: _related(text, "pivotCacheDefinition", "pivotCache", "rIdPivot"),
    }
    of_sheet = HEAD + f'<Relationships xmlns="{PACKAGE}"></Relationships>'
    with zipfile.ZipFile(path) as old, zipfile.ZipFile(begun, "w", zipfile.ZIP_DEFLATED) as new:
        if sheet not in old.namelist():
            raise ValueError(f"There is no {sheet}.")
        for info in old.infolist():
            if info.filename in changes:
                new.writestr(info.filename, changes[info.filename](old.read(info).decode()))
            elif info.filename == relations:
                of_sheet = old.read(info).decode()
            else:
                with old.open(info) as source, new.open(info.filename, "w") as target:
                    shutil.copyfileobj(source, target, 1 << 20)
        new.writestr(relations, _related(of_sheet, "pivotTable", "../pivotTables/pivotTable1.xml", "rIdPivot", at=True))
        new.writestr("xl/pivotCache/pivotCacheDefinition1.xml", _cache(pivot))
        new.writestr("xl/pivotTables/pivotTable1.xml", _table(pivot))
        new.writestr(
            "xl/pivotTables/_rels/pivotTable1.xml.rels",
            _related(
                HEAD + f'<Relationships xmlns="{PACKAGE}"></Relationships>', "pivotCacheDefinition",
                "../pivotCache/pivotCacheDefinition1.xml", "rId1", at=True,
            ),
        )  # fmt: skip
    begun.replace(path)


def _types() -> str:
    return (
        f'<Override PartName="/xl/pivotCache/pivotCacheDefinition1.xml" ContentType="{CONTENT}'
        'pivotCacheDefinition+xml"/><Override PartName="/xl/pivotTables/pivotTable1.xml" '
        f'ContentType="{CONTENT}pivotTable+xml"/>'
    )


def _with_cache(text: str) -> str:
    caches = '<pivotCaches><pivotCache cacheId="1" r:id="rIdPivot"/></pivotCaches>'
    return text.replace("</workbook>", caches + "</workbook>")


def _related(text: str, kind: str, target: str, name: str, *, at: bool = False) -> str:
    where = target if at else f"{target}/{kind}1.xml"
    own = f'<Relationship Id="{name}" Type="{RELATED}/{kind}" Target="{where}"/>'
    return text.replace("</Relationships>", own + "</Relationships>")


def _cache(pivot: NativePivot) -> str:
    fields = "".join(
        f'<cacheField name={quoteattr(column.title)} numFmtId="0">{_items(column, at == pivot.value)}</cacheField>'
        for at, column in enumerate(pivot.columns)
    )
    return (
        f'{HEAD}<pivotCacheDefinition xmlns="{MAIN}" xmlns:r="{RELATED}" saveData="0" refreshOnLoad="1" '
        'refreshedBy="Rulka" createdVersion="6" refreshedVersion="6" recordCount="0"><cacheSource type="worksheet">'
        f"<worksheetSource ref={quoteattr(pivot.source)} sheet={quoteattr(pivot.source_sheet)}/></cacheSource>"
        f'<cacheFields count="{len(pivot.columns)}">{fields}</cacheFields></pivotCacheDefinition>'
    )


def _items(column: PivotColumn, is_value: bool) -> str:
    if column.items is None:
        if column.kind == "number":
            return '<sharedItems containsString="0" containsBlank="1" containsNumber="1" containsSemiMixedTypes="0"/>'
        return "<sharedItems/>"
    numbers = all(isinstance(item, float | int) for item in column.items)
    said = ' containsSemiMixedTypes="0" containsString="0" containsNumber="1"' if numbers else ""
    blank = ' containsBlank="1"' if "" in column.items else ""
    each = "".join(
        f'<n v="{item!r}"/>' if isinstance(item, float | int) else f"<s v={quoteattr(_clean(item))}/>" if item else
        "<m/>" for item in column.items
    )  # fmt: skip
    return f'<sharedItems{said}{blank} count="{len(column.items)}">{each}</sharedItems>'


def _clean(text: str) -> str:
    """What XML can hold of a text."""
    return re.sub(r"[\x00-\x08\x0b\x0c\x0e-\x1f\ufffe\uffff]", "", text)


def _table(pivot: NativePivot) -> str:
    row, column = pivot.first_data
    pages = f' rowPageCount="{len(pivot.filters)}" colPageCount="1"' if pivot.filters else ""
    fields = "".join(_field(pivot, at, one) for at, one in enumerate(pivot.columns))
    parts = [
        f'{HEAD}<pivotTableDefinition xmlns="{MAIN}" name="Pivot" cacheId="1" dataOnRows="0" '
        'applyNumberFormats="0" applyBorderFormats="0" applyFontFormats="0" applyPatternFormats="0" '
        'applyAlignmentFormats="0" applyWidthHeightFormats="1" dataCaption="Values" updatedVersion="6" '
        'minRefreshableVersion="3" createdVersion="6" useAutoFormatting="1" itemPrintTitles="1" indent="0" '
        'compact="0" compactData="0" outline="0" outlineData="0" multipleFieldFilters="0" gridDropZones="0">'
        f'<location ref="{pivot.location}" firstHeaderRow="1" firstDataRow="{row}" firstDataCol="{column}"{pages}/>'
        f'<pivotFields count="{len(pivot.columns)}">{fields}</pivotFields>',
        _axis("row", pivot.down, pivot.rows),
        _axis("col", pivot.over, pivot.across),
        _pages(pivot),
        f'<dataFields count="1"><dataField name={quoteattr(pivot.caption)} fld="{pivot.value}" '
        f'subtotal="{HOW[pivot.how]}" baseField="0" baseItem="0" numFmtId="{pivot.number_format}"/></dataFields>',
        '<pivotTableStyleInfo name="PivotStyleLight1" showRowHeaders="1" showColHeaders="1" showRowStripes="0" '
        'showColStripes="0" showLastColumn="1"/></pivotTableDefinition>',
    ]
    return "".join(parts)


def _field(pivot: NativePivot, at: int, column: PivotColumn) -> str:
    plain = 'compact="0" outline="0" showAll="0" defaultSubtotal="0"'
    data = ' dataField="1"' if at == pivot.value else ""
    axes: Mapping[str, Sequence[int]] = {"axisRow": pivot.down, "axisCol": pivot.over, "axisPage": pivot.filters}
    axis = next((name for name, places in axes.items() if at in places), "")
    if not axis:
        return f"<pivotField{data} {plain}/>"
    count = len(column.items or ())
    top = (
        f' autoShow="1" itemPageCount="{pivot.top}" topAutoShow="1" rankBy="0"'
        if pivot.top and pivot.down[:1] == (at,)
        else ""
    )
    sort = ' sortType="descending"' if top else ""
    items = "".join(f'<item x="{place}"/>' for place in range(count))
    by = (
        '<autoSortScope><pivotArea dataOnly="0" outline="0" fieldPosition="0"><references count="1"><reference '
        'field="4294967294" count="1" selected="0"><x v="0"/></reference></references></pivotArea></autoSortScope>'
        if top
        else ""
    )
    return f'<pivotField axis="{axis}"{data}{top}{sort} {plain}><items count="{count}">{items}</items>{by}</pivotField>'


def _axis(name: str, places: Sequence[int], combined: Sequence[tuple[int, ...]]) -> str:
    """The fields on one side and the combinations of their items, the sum of all last; one empty item for no fields."""
    if not places:
        return '<colItems count="1"><i/></colItems>' if name == "col" else ""
    fields = "".join(f'<field x="{at}"/>' for at in places)
    items, before = [], tuple[int, ...]()
    for one in combined:
        same = 0
        while same < len(one) - 1 and before[: same + 1] == one[: same + 1]:
            same += 1
        repeated = f' r="{same}"' if same else ""
        items.append(
            f"<i{repeated}>" + "".join(f'<x v="{place}"/>' if place else "<x/>" for place in one[same:]) + "</i>"
        )
        before = one
    items.append('<i t="grand"><x/></i>')
    return (
        f'<{name}Fields count="{len(places)}">{fields}</{name}Fields><{name}Items count="{len(items)}">'
        f"{''.join(items)}</{name}Items>"
    )


def _pages(pivot: NativePivot) -> str:
    if not pivot.filters:
        return ""
    each = "".join(f'<pageField fld="{at}" hier="-1"/>' for at in pivot.filters)
    return f'<pageFields count="{len(pivot.filters)}">{each}</pageFields>'
