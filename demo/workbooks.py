"""Workbooks as people make them around an output: sheets, looks, pivots, filters, charts and pictures put into the
parts of a workbook by hand (ECMA-376), as their programs would."""

from __future__ import annotations

import io
import re
import zipfile
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from xml.sax.saxutils import escape, quoteattr

MAIN = "http://schemas.openxmlformats.org/spreadsheetml/2006/main"
DOCUMENT = "http://schemas.openxmlformats.org/officeDocument/2006/relationships"
PACKAGE = "http://schemas.openxmlformats.org/package/2006/relationships"
DRAWN = "http://schemas.openxmlformats.org/drawingml/2006"
SHEET_TYPE = "application/vnd.openxmlformats-officedocument.spreadsheetml."
HEAD = '<?xml version="1.0" encoding="UTF-8" standalone="yes"?>\n'
FILTER_PARTS = Path(__file__).parent / "parts" / "filter.zip"
"""The parts of an interactive filter as the format's extension has them, with {places} for what each says."""


@dataclass
class Page:
    """A sheet that is being made: cells by place (a text beginning with = is a formula), looks by place, marks that
    stand behind the cells in their order, and what is drawn on it."""

    name: str
    cells: Mapping[str, str | int | float]
    looks: Mapping[str, int] = field(default_factory=dict)
    widths: Sequence[int] = ()
    marks: str = ""
    drawn: list[str] = field(default_factory=list)
    filters: list[str] = field(default_factory=list)


class Handmade:
    """The parts of a workbook, changed one by one."""

    def __init__(self, content: bytes) -> None:
        with zipfile.ZipFile(io.BytesIO(content)) as file:
            self.parts = {info.filename: file.read(info) for info in file.infolist()}
        self.numbers: dict[str, int] = {}

    @property
    def content(self) -> bytes:
        """The workbook as a file."""
        target = io.BytesIO()
        with zipfile.ZipFile(target, "w", zipfile.ZIP_DEFLATED) as file:
            for name, data in self.parts.items():
                file.writestr(name, data)
        return target.getvalue()

    # parts ----------------------------------------------------------------------------------------------------------

    def text(self, part: str) -> str:
        return self.parts[part].decode()

    def put(self, part: str, text: str, kind: str = "") -> None:
        """Put a part in, with its type where it is one of its own."""
        self.parts[part] = text.encode()
        if kind:
            self.swap("[Content_Types].xml", "</Types>",
                      f'<Override PartName="/{part}" ContentType="{kind}"/></Types>')  # fmt: skip

    def swap(self, part: str, was: str, now: str) -> None:
        """Put a text in place of another one that is there."""
        text = self.text(part)
        if was not in text:
            raise ValueError(f"{part} holds no {was[:80]}")
        self.parts[part] = text.replace(was, now, 1).encode()

    def relate(self, owner: str, kind: str, target: str, *, outside: bool = False) -> str:
        """Let a part lead to another one; the relation's name."""
        folder, _, name = owner.rpartition("/")
        where = f"{folder}/_rels/{name}.rels"
        if where not in self.parts:
            self.put(where, f'{HEAD}<Relationships xmlns="{PACKAGE}"></Relationships>')
        key = f"rIdHand{self.text(where).count('<Relationship ') + 1}"
        full = kind if ":" in kind else f"{DOCUMENT}/{kind}"
        mode = ' TargetMode="External"' if outside else ""
        node = f'<Relationship Id="{key}" Type="{full}" Target={quoteattr(target)}{mode}/>'
        self.swap(where, "</Relationships>", f"{node}</Relationships>")
        return key

    def number(self, start: str) -> int:
        """The next number for a kind of parts."""
        return 1 + sum(1 for name in self.parts if re.fullmatch(rf"{re.escape(start)}\d+\.(xml|png)", name))

    # looks ----------------------------------------------------------------------------------------------------------

    def look(self, font: str = "", fill: str = "", number: str = "", border: str = "") -> int:
        """A look for cells: elements of a font, a colour, a number format, elements of a border."""
        fonts = self._added("fonts", f"<font>{font}</font>") if font else 0
        fills = self._added(
            "fills", f'<fill><patternFill patternType="solid"><fgColor rgb="FF{fill}"/></patternFill></fill>'
        ) if fill else 0  # fmt: skip
        borders = self._added("borders", f"<border>{border}</border>") if border else 0
        code = self._number(number) if number else 0
        return self._added(
            "cellXfs", f'<xf numFmtId="{code}" fontId="{fonts}" fillId="{fills}" borderId="{borders}" xfId="0" '
            'applyNumberFormat="1" applyFont="1" applyFill="1" applyBorder="1"/>',
        )  # fmt: skip

    def when(self, font: str = "", fill: str = "") -> int:
        """A look for cells that meet a condition."""
        text = self.text("xl/styles.xml")
        inner = (f"<font>{font}</font>" if font else "") + (
            f'<fill><patternFill patternType="solid"><bgColor rgb="FF{fill}"/></patternFill></fill>' if fill else ""
        )
        empty = re.search(r'<dxfs count="0"\s*/>', text)
        if empty:
            self.swap("xl/styles.xml", empty[0], '<dxfs count="0"></dxfs>')
        return self._added("dxfs", f"<dxf>{inner}</dxf>")

    def _added(self, name: str, node: str) -> int:
        match = re.search(rf'<{name} count="(\d+)"', self.text("xl/styles.xml"))
        if match is None:
            raise ValueError(f"there are no {name}")
        at = int(match[1])
        self.swap("xl/styles.xml", match[0], f'<{name} count="{at + 1}"')
        self.swap("xl/styles.xml", f"</{name}>", f"{node}</{name}>")
        return at

    def _number(self, code: str) -> int:
        text = self.text("xl/styles.xml")
        known = [int(one) for one in re.findall(r'numFmtId="(\d+)" formatCode', text)]
        number = max([*known, 169]) + 1
        node = f'<numFmt numFmtId="{number}" formatCode={quoteattr(code)}/>'
        match = re.search(r'<numFmts count="(\d+)"', text)
        if match:
            self.swap("xl/styles.xml", match[0], f'<numFmts count="{int(match[1]) + 1}"')
            self.swap("xl/styles.xml", "</numFmts>", f"{node}</numFmts>")
        else:
            self.swap("xl/styles.xml", "<fonts", f'<numFmts count="1">{node}</numFmts><fonts')
        return number

    # sheets ---------------------------------------------------------------------------------------------------------

    @property
    def sheets(self) -> dict[str, str]:
        """The parts of sheets by their names."""
        relations = dict(re.findall(r'<Relationship Id="([^"]+)" [^>]*?Target="([^"]+)"',
                                    self.text("xl/_rels/workbook.xml.rels")))  # fmt: skip
        found = re.findall(r'<sheet name="([^"]+)" sheetId="\d+"[^>]*? r:id="([^"]+)"', self.text("xl/workbook.xml"))
        return {name.replace("&amp;", "&"): f"xl/{relations[key].removeprefix('/xl/')}" for name, key in found}

    def add(self, page: Page, *, first: bool = True) -> str:
        """Put a sheet in, before all others or behind them; its part."""
        part = f"xl/worksheets/sheet{self.number('xl/worksheets/sheet')}.xml"
        ends = ""
        if page.drawn:
            ends += f'<drawing r:id="{self.relate(part, "drawing", f"../{self._drawing(page.drawn)}")}"/>'
        if page.filters:
            key = self.relate(part, f"{_filter_part('relation.txt')}slicer", f"../{self._filters(page.filters)}")
            ends += _filter_part("in-sheet.xml", key=key)
        columns = "".join(
            f'<col min="{at}" max="{at}" width="{width}" customWidth="1"/>' for at, width in enumerate(page.widths, 1)
        )
        self.put(
            part, f'{HEAD}<worksheet xmlns="{MAIN}" xmlns:r="{DOCUMENT}">'
            f"{f'<cols>{columns}</cols>' if columns else ''}<sheetData>{_rows(page)}</sheetData>{page.marks}{ends}"
            "</worksheet>", f"{SHEET_TYPE}worksheet+xml",
        )  # fmt: skip
        key = self.relate("xl/workbook.xml", "worksheet", part.removeprefix("xl/"))
        numbers = [int(one) for one in re.findall(r'sheetId="(\d+)"', self.text("xl/workbook.xml"))]
        node = f'<sheet name={quoteattr(page.name)} sheetId="{max(numbers) + 1}" r:id="{key}"/>'
        if first:
            self.swap("xl/workbook.xml", "<sheets>", f"<sheets>{node}")
            self._names_move()
        else:
            self.swap("xl/workbook.xml", "</sheets>", f"{node}</sheets>")
        return part

    def _names_move(self) -> None:
        """Names of a sheet tell it by its place: one more stands before it."""
        text = self.text("xl/workbook.xml")
        moved = re.sub(r'localSheetId="(\d+)"', lambda match: f'localSheetId="{int(match[1]) + 1}"', text)
        moved = re.sub(r' activeTab="\d+"| firstSheet="\d+"', "", moved)
        self.parts["xl/workbook.xml"] = moved.encode()

    def name(self, name: str, text: str) -> None:
        """Give cells a name."""
        node = f"<definedName name={quoteattr(name)}>{escape(text)}</definedName>"
        if "<definedNames>" in self.text("xl/workbook.xml"):
            self.swap("xl/workbook.xml", "</definedNames>", f"{node}</definedNames>")
        else:
            self.swap("xl/workbook.xml", "</sheets>", f"</sheets><definedNames>{node}</definedNames>")

    def mark(self, sheet: str, marks: str, *, before: str = "<pageMargins") -> None:
        """Put marks (formats by condition, choice lists) onto a sheet that is there."""
        self.swap(self.sheets[sheet], before, f"{marks}{before}")

    # drawn things ---------------------------------------------------------------------------------------------------

    def _drawing(self, anchors: Sequence[str]) -> str:
        part = f"xl/drawings/drawing{self.number('xl/drawings/drawing')}.xml"
        waiting = self.parts.pop("waiting", b"").decode()
        self.put(
            part, f'{HEAD}<xdr:wsDr xmlns:xdr="{DRAWN}/spreadsheetDrawing" xmlns:a="{DRAWN}/main">{"".join(anchors)}'
            "</xdr:wsDr>", "application/vnd.openxmlformats-officedocument.drawing+xml",
        )  # fmt: skip
        for line in waiting.splitlines():
            kind, target = line.split(" ")
            self.relate(part, kind, target)
        return part.removeprefix("xl/")

    def _waits(self, kind: str, target: str) -> str:
        """What the next drawing leads to, in order; the relation's name that it gets."""
        waiting = self.parts.get("waiting", b"").decode()
        self.parts["waiting"] = f"{waiting}{kind} {target}\n".encode()
        return f"rIdHand{waiting.count(chr(10)) + 1}"

    def picture(self, data: bytes, where: tuple[int, int, int, int]) -> str:
        """A PNG over some cells: column, row, last column, last row from 0."""
        part = f"xl/media/image{self.number('xl/media/image')}.png"
        self.parts[part] = data
        if 'Extension="png"' not in self.text("[Content_Types].xml"):
            self.swap("[Content_Types].xml", "<Override", '<Default Extension="png" ContentType="image/png"/><Override')
        key = self._waits("image", f"../{part.removeprefix('xl/')}")
        return _anchor(
            where, '<xdr:pic><xdr:nvPicPr><xdr:cNvPr id="2" name="Picture 1" descr="Mark of the group"/><xdr:cNvPicPr/>'
            f'</xdr:nvPicPr><xdr:blipFill><a:blip xmlns:r="{DOCUMENT}" r:embed="{key}"/><a:stretch><a:fillRect/>'
            f"</a:stretch></xdr:blipFill><xdr:spPr>{_SHAPE}</xdr:spPr></xdr:pic>",
        )  # fmt: skip

    def chart(
        self, title: str, labels: str, values: str, where: tuple[int, int, int, int], *, pivot: str = "",
        kind: str = "bar",
    ) -> str:  # fmt: skip
        """A chart of a range of values with their labels; of a pivot where it is named."""
        part = f"xl/charts/chart{self.number('xl/charts/chart')}.xml"
        of_pivot = f'<c:pivotSource><c:name>{escape(pivot)}</c:name><c:fmtId val="0"/></c:pivotSource>' if pivot else ""
        direction = '<c:barDir val="bar"/><c:grouping val="clustered"/>' if kind == "bar" else (
            '<c:grouping val="standard"/>')  # fmt: skip
        self.put(
            part, f'{HEAD}<c:chartSpace xmlns:c="{DRAWN}/chart" xmlns:a="{DRAWN}/main" xmlns:r="{DOCUMENT}">{of_pivot}'
            f"<c:chart><c:title><c:tx><c:rich><a:bodyPr/><a:p><a:r><a:t>{escape(title)}</a:t></a:r></a:p></c:rich>"
            f'</c:tx></c:title><c:autoTitleDeleted val="0"/><c:plotArea><c:layout/><c:{kind}Chart>{direction}<c:ser>'
            f'<c:idx val="0"/><c:order val="0"/><c:cat><c:strRef><c:f>{escape(labels)}</c:f><c:strCache>'
            '<c:ptCount val="1"/><c:pt idx="0">'
            f"<c:v>before</c:v></c:pt></c:strCache></c:strRef></c:cat><c:val><c:numRef><c:f>{escape(values)}</c:f>"
            f'<c:numCache><c:ptCount val="1"/><c:pt idx="0"><c:v>1</c:v></c:pt></c:numCache></c:numRef></c:val></c:ser>'
            f'<c:axId val="1"/><c:axId val="2"/></c:{kind}Chart><c:catAx><c:axId val="1"/><c:scaling><c:orientation '
            'val="minMax"/></c:scaling><c:delete val="0"/><c:axPos val="l"/><c:crossAx val="2"/></c:catAx><c:valAx>'
            '<c:axId val="2"/><c:scaling><c:orientation val="minMax"/></c:scaling><c:delete val="0"/><c:axPos val="b"/>'
            '<c:crossAx val="1"/></c:valAx></c:plotArea><c:plotVisOnly val="1"/></c:chart></c:chartSpace>',
            "application/vnd.openxmlformats-officedocument.drawingml.chart+xml",
        )  # fmt: skip
        key = self._waits("chart", f"../{part.removeprefix('xl/')}")
        return _anchor(
            where, '<xdr:graphicFrame macro=""><xdr:nvGraphicFramePr><xdr:cNvPr id="3" name="Chart 1"/>'
            f"<xdr:cNvGraphicFramePr/></xdr:nvGraphicFramePr>{_FRAME}<a:graphic><a:graphicData "
            f'uri="{DRAWN}/chart"><c:chart xmlns:c="{DRAWN}/chart" xmlns:r="{DOCUMENT}" r:id="{key}"/></a:graphicData>'
            "</a:graphic></xdr:graphicFrame>",
        )  # fmt: skip

    def filter(self, title: str, pivot: str, tab: int, items: int, where: tuple[int, int, int, int]) -> tuple[str, str]:
        """An interactive filter of a pivot's field: what is drawn, and what its sheet lists."""
        part = f"xl/slicerCaches/slicerCache{self.number('xl/slicerCaches/slicerCache')}.xml"
        name = f"Slicer_{re.sub(r'[^A-Za-z0-9]', '_', title)}"
        listed = "".join(f'<i x="{at}" s="1"/>' for at in range(items))
        cache = _filter_part("filter-cache.xml", name=name, title=escape(title), tab=str(tab), pivot=escape(pivot),
                             count=str(items), items=listed)  # fmt: skip
        self.put(part, cache, f"{_filter_part('type.txt')}slicerCache+xml")
        relation = f"{_filter_part('relation.txt')}slicerCache"
        key = self.relate("xl/workbook.xml", relation, part.removeprefix("xl/"))
        self.swap("xl/workbook.xml", "</workbook>", f"{_filter_part('in-workbook.xml', key=key)}</workbook>")
        self.name(name, "#N/A")
        drawn = _anchor(where, _filter_part("drawn.xml", title=escape(title), frame=_FRAME))
        slicer = f'<slicer name={quoteattr(title)} cache="{name}" caption={quoteattr(title)} rowHeight="241300"/>'
        return drawn, slicer

    def _filters(self, slicers: Sequence[str]) -> str:
        part = f"xl/slicers/slicer{self.number('xl/slicers/slicer')}.xml"
        self.put(part, _filter_part("filter.xml", filters="".join(slicers)), f"{_filter_part('type.txt')}slicer+xml")
        return part.removeprefix("xl/")

    # pivots ---------------------------------------------------------------------------------------------------------

    def source(self, sheet: str, ref: str, columns: Mapping[str, Sequence[str | float] | None]) -> None:
        """The rows that pivots read: their columns by heading, those that stand on a side with their values."""
        fields = ""
        for title, values in columns.items():
            if values is None:
                fields += f'<cacheField name={quoteattr(title)} numFmtId="0"><sharedItems/></cacheField>'
                continue
            numbers = all(isinstance(one, int | float) for one in values)
            said = ' containsSemiMixedTypes="0" containsString="0" containsNumber="1"' if numbers else ""
            items = "".join(f'<n v="{one}"/>' if numbers else f"<s v={quoteattr(str(one))}/>" for one in values)
            listed = f'<sharedItems{said} count="{len(values)}">{items}</sharedItems>'
            fields += f'<cacheField name={quoteattr(title)} numFmtId="0">{listed}</cacheField>'
        part, records = "xl/pivotCache/pivotCacheDefinition1.xml", "xl/pivotCache/pivotCacheRecords1.xml"
        self.put(records, f'{HEAD}<pivotCacheRecords xmlns="{MAIN}" count="0"></pivotCacheRecords>',
                 f"{SHEET_TYPE}pivotCacheRecords+xml")  # fmt: skip
        key = self.relate(part, "pivotCacheRecords", "pivotCacheRecords1.xml")
        self.put(
            part, f'{HEAD}<pivotCacheDefinition xmlns="{MAIN}" xmlns:r="{DOCUMENT}" r:id="{key}" '
            'refreshedBy="Somebody" createdVersion="6" refreshedVersion="6" recordCount="0">'
            '<cacheSource type="worksheet"><worksheetSource '
            f'ref="{ref}" sheet={quoteattr(sheet)}/></cacheSource><cacheFields count="{len(columns)}">{fields}'
            "</cacheFields></pivotCacheDefinition>", f"{SHEET_TYPE}pivotCacheDefinition+xml",
        )  # fmt: skip
        book = self.relate("xl/workbook.xml", "pivotCacheDefinition", part.removeprefix("xl/"))
        node = f'<pivotCaches><pivotCache cacheId="1" r:id="{book}"/></pivotCaches>'
        end = "<extLst" if "<extLst" in self.text("xl/workbook.xml") else "</workbook>"
        self.swap("xl/workbook.xml", end, f"{node}{end}")

    def pivot(self, part: str, name: str, location: str, down: str, value: str) -> None:
        """A pivot on a sheet: one field down, the sum of another, over the rows of `source`."""
        cache = self.text("xl/pivotCache/pivotCacheDefinition1.xml")
        fields = re.findall(r'<cacheField name="([^"]*)".*?</cacheField>', cache)
        counts = [len(re.findall(r"<[sn] v=", one)) for one in re.findall(r"<cacheField .*?</cacheField>", cache)]
        titles = [one.replace("&amp;", "&") for one in fields]
        at, of = titles.index(down), titles.index(value)
        each = ""
        for place, count in enumerate(counts):
            if place == at:
                items = "".join(f'<item x="{number}"/>' for number in range(count))
                listed = f'<items count="{count + 1}">{items}<item t="default"/></items>'
                each += f'<pivotField axis="axisRow" compact="0" outline="0" showAll="0">{listed}</pivotField>'
            else:
                data = ' dataField="1"' if place == of else ""
                each += f'<pivotField{data} compact="0" outline="0" showAll="0"/>'
        rows = "".join(f'<i><x v="{number}"/></i>' for number in range(counts[at]))
        own = f"xl/pivotTables/pivotTable{self.number('xl/pivotTables/pivotTable')}.xml"
        self.put(
            own, f'{HEAD}<pivotTableDefinition xmlns="{MAIN}" name={quoteattr(name)} cacheId="1" dataCaption="Values" '
            'updatedVersion="6" minRefreshableVersion="3" createdVersion="6" compact="0" compactData="0" outline="0" '
            f'outlineData="0"><location ref="{location}" firstHeaderRow="1" firstDataRow="1" firstDataCol="1"/>'
            f'<pivotFields count="{len(counts)}">{each}</pivotFields><rowFields count="1"><field x="{at}"/></rowFields>'
            f'<rowItems count="{counts[at] + 1}">{rows}<i t="grand"><x/></i></rowItems><colItems count="1"><i/>'
            f'</colItems><dataFields count="1"><dataField name={quoteattr(f"Sum of {value}")} fld="{of}" '
            'baseField="0" baseItem="0" numFmtId="4"/></dataFields>'
            '<pivotTableStyleInfo name="PivotStyleLight16" showRowHeaders="1" showColHeaders="1"/>'
            "</pivotTableDefinition>", f"{SHEET_TYPE}pivotTable+xml",
        )  # fmt: skip
        self.relate(own, "pivotCacheDefinition", "../pivotCache/pivotCacheDefinition1.xml")
        self.relate(part, "pivotTable", f"../{own.removeprefix('xl/')}")


_SHAPE = (
    '<a:xfrm><a:off x="0" y="0"/><a:ext cx="900000" cy="300000"/></a:xfrm><a:prstGeom prst="rect"><a:avLst/>'
    "</a:prstGeom>"
)
_FRAME = '<xdr:xfrm><a:off x="0" y="0"/><a:ext cx="0" cy="0"/></xdr:xfrm>'


def _filter_part(of: str, **places: str) -> str:
    """A part of an interactive filter with its places filled in."""
    with zipfile.ZipFile(FILTER_PARTS) as file:
        text = file.read(of).decode()
    for place, value in places.items():
        text = text.replace(f"{{{place}}}", value)
    return text


def _anchor(where: tuple[int, int, int, int], inner: str) -> str:
    left, top, right, bottom = where
    ends = "".join(
        f"<xdr:{name}><xdr:col>{column}</xdr:col><xdr:colOff>0</xdr:colOff><xdr:row>{row}</xdr:row>"
        f"<xdr:rowOff>0</xdr:rowOff></xdr:{name}>" for name, column, row in (("from", left, top), ("to", right, bottom))
    )  # fmt: skip
    return f"<xdr:twoCellAnchor>{ends}{inner}<xdr:clientData/></xdr:twoCellAnchor>"


def _rows(page: Page) -> str:
    rows: dict[int, dict[str, str]] = {}
    for at in {**page.cells, **page.looks}:
        letters, number = re.sub(r"\d", "", at), int(re.sub(r"\D", "", at))
        rows.setdefault(number, {})[letters] = _cell(at, page.cells.get(at), page.looks.get(at, 0))
    found = []
    for number, cells in sorted(rows.items()):
        ordered = sorted(cells, key=lambda one: (len(one), one))
        found.append(f'<row r="{number}">{"".join(cells[letters] for letters in ordered)}</row>')
    return "".join(found)


def _cell(at: str, value: str | int | float | None, look: int) -> str:
    start = f'<c r="{at}" s="{look}"'
    if value is None:
        return f"{start}/>"
    if isinstance(value, str) and value.startswith("="):
        return f"{start}><f>{escape(value[1:])}</f><v>0</v></c>"
    if isinstance(value, str):
        return f'{start} t="inlineStr"><is><t xml:space="preserve">{escape(value)}</t></is></c>'
    return f"{start}><v>{value}</v></c>"
