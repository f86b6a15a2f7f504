"""A template with the rows of a new output: the sheets that are refilled are written anew in the looks that they have,
what is chosen grows with them, values that a program kept of former rows are taken away; every other part is the same,
byte by byte."""

from __future__ import annotations

import re
import shutil
import tempfile
import zipfile
from collections.abc import Collection, Iterator, Mapping, Sequence
from contextlib import ExitStack
from dataclasses import dataclass, field
from pathlib import Path
from typing import IO, TYPE_CHECKING, Any, Final
from xml.sax.saxutils import escape, quoteattr, unescape

from lxml import etree

from rulka.core.errors import RulkaError, first_of
from rulka.core.later import later
from rulka.core.proof.origin import plain_number
from rulka.core.values import is_whole
from rulka.formats.refill import formulas
from rulka.formats.refill.looks import CellLooks, Wearing
from rulka.formats.refill.package import (
    CONTENT_TYPES,
    MAIN,
    PACKAGE,
    RELATED,
    TYPES,
    WORKBOOK,
    SheetPart,
    WorkbookPackage,
    local,
    relations_name,
    written,
)
from rulka.formats.refill.references import InsertedRows, RowMap, Touched, moved, moved_areas
from rulka.formats.refill.sheets import (
    Around,
    PackedCell,
    PackedRow,
    Zone,
    area_of,
    around,
    labels_of,
    letters_of,
    lines_moved,
    raw_rows,
    row_of,
    rows_of,
    used_zone,
    width_of,
)

if TYPE_CHECKING:
    import openpyxl.formula.translate as translate
else:
    translate = later("openpyxl.formula.translate")

CUSTOM: Final = "docProps/custom.xml"
LINKS: Final = "http://schemas.openxmlformats.org/officeDocument/2006/relationships/hyperlink"
MARK: Final = "rulka-rows-here"
NOTHING: Final[Mapping[Any, Any]] = {}
DIMENSIONS: Final = ("strDim", "numDim")
CACHES: Final = ("numCache", "strCache", "multiLvlStrCache")
AFTER_LINKS: Final = (
    "printOptions",
    "pageMargins",
    "pageSetup",
    "headerFooter",
    "rowBreaks",
    "colBreaks",
    "customProperties",
    "cellWatches",
    "ignoredErrors",
    "smartTags",
    "drawing",
    "legacyDrawing",
    "legacyDrawingHF",
    "drawingHF",
    "picture",
    "oleObjects",
    "controls",
    "webPublishItems",
    "tableParts",
    "extLst",
)
"""What stands behind links in a sheet (ECMA-376 part 1, 18.3.1.99)."""


@dataclass
class _Refilled:
    """A sheet that is refilled: in the template, in the new output and what stands around its rows there, what was told
    of it, where its rows went."""

    own: SheetPart
    fresh: SheetPart
    around: Around
    told: Mapping[str, Any]
    zone: Zone | None
    rows: RowMap
    values: dict[str, set[str]] = field(default_factory=dict)
    """The values of columns that pivots put on a side, by heading in small letters."""


def refill(template: Path, output: Path, told: Mapping[str, Any], still: Collection[str], target: Path) -> list[str]:
    """Write a template with what a new output holds to a place; what of `told` is named in `still` doesn't move.
    Gives what somebody should know, in words. Raises RulkaError where the output no longer fits."""
    with ExitStack() as stack:
        own, fresh = stack.enter_context(WorkbookPackage(template)), stack.enter_context(WorkbookPackage(output))
        folder = Path(stack.enter_context(tempfile.TemporaryDirectory(prefix="rulka-refill-", dir=target.parent)))
        return _Refill(own, fresh, told, frozenset(still), folder).write(target)


class _Refill:
    def __init__(
        self, own: WorkbookPackage, fresh: WorkbookPackage, told: Mapping[str, Any], still: frozenset[str], folder: Path
    ) -> None:
        self.own, self.fresh, self.told, self.still, self.folder = own, fresh, told, still, folder
        self.places = formulas.places_of(own)
        self.looks, self.fresh_looks = CellLooks(own), CellLooks(fresh)
        self.fresh_strings = fresh.strings
        self.notes: list[str] = []
        self.gone: list[str] = []
        self.used_strings: set[int] = set()
        self.sheets = [self._matched(one) for one in told["sheets"]]
        self.maps = {one.own.name.casefold(): one.rows for one in self.sheets}
        self.by_part = {one.own.part: one for one in self.sheets}
        self.changed: dict[str, bytes | Path] = {}
        self.dropped: set[str] = set()

    # what fits what -------------------------------------------------------------------------------------------------

    def _matched(self, told: Mapping[str, Any]) -> _Refilled:
        own = self.own.sheet(told["name"])
        fresh = self.fresh.sheet(told["output"]) or self._only_other(told["output"])
        if own is None or fresh is None:
            there = ", ".join(one.name for one in self.fresh.sheets)
            raise RulkaError(
                f"The template has a sheet '{told['name']}'; the output has {there}.",
                hint="Take the original layout, or make the template again of a new output.",
                subject="template",
            )
        beside = around(self.fresh, fresh.part)
        if told["by_place"]:
            head, first, last, left, right = told["rows"]
            was, now = Zone(InsertedRows(head, first, last), left, right), used_zone(self.fresh, fresh.part)
            return _Refilled(own, fresh, beside, told, was, RowMap(was.rows, now.rows, by_place=True))
        zone = beside.zone
        if (zone is None) != (told["rows"] is None):
            raise RulkaError(
                f"'{told['name']}' was made of another kind of output.",
                hint="Make the template again.",
                subject="template",
            )
        if zone is None:
            width = width_of(self.fresh, fresh.part)
            if width != told["width"]:
                raise RulkaError(
                    f"'{told['name']}' has {told['width']} columns in the template, {width} in the output.",
                    hint="Make the template again of a new output.",
                    subject="template",
                )
            rows = lines_moved(labels_of(self.own, own.part), labels_of(self.fresh, fresh.part))
            return _Refilled(own, fresh, beside, told, None, rows)
        head, first, last, left, right = told["rows"]
        was = Zone(InsertedRows(head, first, last), left, right)
        self._check_titles(fresh, zone, told)
        return _Refilled(own, fresh, beside, told, was, RowMap(was.rows, zone.rows))

    def _only_other(self, name: str) -> SheetPart | None:
        """The sheet whose name is another one because what it is called changed: the only one that nobody asks for."""
        wanted = {one["output"].casefold() for one in self.told["sheets"]}
        others = [one for one in self.fresh.sheets if one.name.casefold() not in wanted]
        missing = [one for one in wanted if self.fresh.sheet(one) is None]
        return others[0] if missing == [name.casefold()] and len(others) >= 1 else None

    def _check_titles(self, fresh: SheetPart, zone: Zone, told: Mapping[str, Any]) -> None:
        """Refuse an output whose headings aren't those that the template is linked by."""
        titles: dict[str, str] = {}
        for row in rows_of(self.fresh, fresh.part):
            if row.number >= zone.rows.head:
                titles = {cell.column: cell.text(self.fresh_strings) for cell in row.cells}
                break
        wanted = dict(told["titles"])
        missing = [title for title in wanted.values() if title not in titles.values()]
        if missing:
            raise RulkaError(
                f"The template's column{'s' if len(missing) > 1 else ''} {', '.join(missing[:6])} "
                f"{'are' if len(missing) > 1 else 'is'} not among the rows.",
                hint="Show them in the layout again, under the same headings, or make the template again of a new run.",
                subject="template",
            )
        if titles != wanted:
            raise RulkaError(
                "The columns stand in another order than in the template, or there are more of them.",
                hint="Give the layout the template's columns: " + ", ".join(list(wanted.values())[:12]) + ".",
                subject="template",
            )

    # writing --------------------------------------------------------------------------------------------------------

    def write(self, target: Path) -> list[str]:
        self._wanted_values()
        for one in self.sheets:
            self._sheet(one)
        self._other_sheets()
        self._tables()
        self._pivots()
        self._charts()
        self._drawings()
        self._workbook()
        self._strings()
        self._origin()
        if self.looks.added:
            self.changed[self.looks.part] = written(self.looks.tree)
        self._packed(target)
        if self.gone:
            named = first_of(self.gone, 5)
            self.notes.append(f"What they read is gone: {named} say #REF!.")
        return self.notes

    def _packed(self, target: Path) -> None:
        with zipfile.ZipFile(target, "w", zipfile.ZIP_DEFLATED) as new:
            for name in self.own.names:
                if name in self.dropped:
                    continue
                info = zipfile.ZipInfo(name, (1980, 1, 1, 0, 0, 0))
                info.compress_type = zipfile.ZIP_DEFLATED
                made = self.changed.pop(name, None)
                with new.open(info, "w", force_zip64=isinstance(made, Path)) as file:
                    if made is None:
                        with self.own.open(name) as source:
                            shutil.copyfileobj(source, file, 1 << 20)
                    else:
                        _pour(made, file)
            for name, made in self.changed.items():
                with new.open(zipfile.ZipInfo(name, (1980, 1, 1, 0, 0, 0)), "w") as file:
                    _pour(made, file)

    def _moves(self, carrier: formulas.Carrier) -> str:
        """A carrier's formula once there are the new rows."""
        if carrier.id in self.still:
            return carrier.text
        gone: list[Touched] = []

        def only(one: Touched) -> bool:
            if one.what == "gone":
                gone.append(one)
            return one.what in ("grows", "follows", "gone")

        text = moved(carrier.text, self.maps, carrier.home, only)
        if gone:
            self.gone.append(carrier.where)
        return text

    # sheets that are refilled ---------------------------------------------------------------------------------------

    def _wanted_values(self) -> None:
        """Which columns pivots put on a side: their values have to be known."""
        for cache, sheet in self._caches():
            for one in self.own.tree(cache).iter(f"{MAIN}cacheField"):
                shared = one.find(f"{MAIN}sharedItems")
                if shared is not None and len(shared):
                    sheet.values.setdefault(str(one.get("name")).casefold(), set())

    def _sheet(self, one: _Refilled) -> None:
        tree = _plain_names(self.own.tree(one.own.part))
        data = tree.find(f"{MAIN}sheetData")
        heights = {
            int(row.get("r")): str(row.get("ht"))
            for row in data
            if row.get("customHeight") in ("1", "true") and row.get("r")
        }
        extra = self._extra(one, data)
        calculated = self._calculated(one, data)
        data.clear()
        data.text = MARK
        self._sheet_marks(one, tree)
        before, after = written(tree).split(MARK.encode())
        path = self.folder / one.own.part.replace("/", "-")
        with path.open("wb") as file:
            file.write(before)
            for text in self._rows(one, heights, extra, calculated):
                file.write(text.encode())
            file.write(after)
        self.changed[one.own.part] = path

    def _extra(self, one: _Refilled, data: Any) -> dict[int, list[PackedCell]]:
        """What a person put beside the head of the rows, by row of the template."""
        wanted = {(int(row), str(column)) for row, column in one.told["extra"]}
        found: dict[int, list[PackedCell]] = {}
        if wanted:
            strings = self.own.strings
            for cell in _cells_at(data, wanted):
                row = int(re.sub(r"\D", "", str(cell.node.get("r"))))
                text = PackedCell(cell.column, cell.style, cell.type, cell.formula, cell.text(strings), cell.node)
                found.setdefault(row, []).append(text)
        return found

    def _calculated(self, one: _Refilled, data: Any) -> list[tuple[str, int, str]]:
        """The columns with formulas beside the rows: letters, look, formula of the first row."""
        if one.zone is None or not one.told["calculated"]:
            return []
        first = one.zone.rows.first
        styles = {
            cell.column: cell.style
            for cell in _cells_at(data, {(first, column) for column, _ in one.told["calculated"]})
        }
        return [
            (column, styles.get(column, 0), moved(text, self.maps, one.own.name))
            for column, text in one.told["calculated"]
        ]

    def _sheet_marks(self, one: _Refilled, tree: Any) -> None:
        """All of a refilled sheet that names rows, and what its pages say of their origin."""
        name = one.own.name
        dimension = tree.find(f"{MAIN}dimension")
        if dimension is not None:
            dimension.set("ref", self._dimension(one, str(dimension.get("ref"))))
        for marks in tree.iter(f"{MAIN}conditionalFormatting", f"{MAIN}dataValidation", f"{MAIN}ignoredError"):
            if marks.get("sqref"):
                marks.set("sqref", moved_areas(str(marks.get("sqref")), one.rows) or "A1")
        for node in tree.iter():
            if local(node) == "sqref" and node.text:
                node.text = moved_areas(node.text, one.rows) or "A1"
        found = tree.find(f"{MAIN}autoFilter")
        if found is not None:
            found.set("ref", moved_areas(str(found.get("ref")), one.rows))
        for pane in tree.iter(f"{MAIN}pane"):
            self._pane(one, pane)
        for carrier in list(formulas.in_sheet(tree, one.own.part, name, cells=False)):
            carrier.write(self._moves(carrier))
        self._links(one, tree)
        if one.zone is None or one.told["by_place"]:
            self._merged(one, tree)
        self._foot(one, tree)

    @staticmethod
    def _dimension(one: _Refilled, was: str) -> str:
        """The area that is used."""
        area = area_of(was)
        if not one.told["by_place"] or area is None:
            return moved_areas(was, one.rows) or "A1"
        return f"A1:{letters_of(max(area[2], 1))}{one.rows.now.last}"

    def _pane(self, one: _Refilled, pane: Any) -> None:
        """What stays in view: the head, however many rows it has now."""
        if one.zone is None or one.told["by_place"] or pane.get("ySplit") != str(one.zone.rows.head):
            return
        pane.set("ySplit", str(one.rows.now.head))
        area = area_of(str(pane.get("topLeftCell") or ""))
        if area is not None:
            pane.set("topLeftCell", f"{letters_of(area[0])}{one.rows.row(area[1]) or one.rows.now.first}")

    def _links(self, one: _Refilled, tree: Any) -> None:
        """The links of figures are those of the new output."""
        fresh = one.around.find("hyperlinks")
        old = tree.find(f"{MAIN}hyperlinks")
        if old is not None:
            tree.remove(old)
        where = relations_name(one.own.part)
        kept = self.own.tree(where) if where in self.own.names else etree.Element(f"{PACKAGE}Relationships")
        was = len(kept)
        for relation in list(kept):
            if str(relation.get("Type")).endswith("/hyperlink"):
                kept.remove(relation)
        if fresh is not None:
            targets = {
                each.id: each.target for each in self.fresh.relations(one.fresh.part) if each.kind == "hyperlink"
            }
            for number, link in enumerate(fresh, 1):
                target = targets.get(str(link.get(f"{RELATED}id")))
                if target is not None:
                    link.set(f"{RELATED}id", f"rIdRow{number}")
                    kept.append(
                        etree.Element(
                            f"{PACKAGE}Relationship",
                            Id=f"rIdRow{number}",
                            Type=LINKS,
                            Target=target,
                            TargetMode="External",
                        )
                    )
            place = next((at for at, node in enumerate(tree) if local(node) in AFTER_LINKS), len(tree))
            tree.insert(place, fresh)
        if len(kept) != was or fresh is not None:
            self.changed[where] = written(kept)

    def _merged(self, one: _Refilled, tree: Any) -> None:
        """Which cells are one, as in the new output."""
        fresh, old = one.around.find("mergeCells"), tree.find(f"{MAIN}mergeCells")
        if old is not None and fresh is not None:
            tree.replace(old, fresh)
        elif old is not None:
            tree.remove(old)
        elif fresh is not None:
            tree.find(f"{MAIN}sheetData").addnext(fresh)

    def _foot(self, one: _Refilled, tree: Any) -> None:
        """A foot that named the former origin names the new one."""
        fresh, own = one.around.find("headerFooter"), tree.find(f"{MAIN}headerFooter")
        if own is None:
            return
        if fresh is None:  # rows without an origin name none
            for node in own:
                node.text = "" if "Origin R-" in (node.text or "") else node.text
            return
        for node in own:
            other = fresh.find(node.tag)
            if other is not None and (local(node) in one.told["feet"] or "Origin R-" in (node.text or "")):
                node.text = other.text

    def _rows(
        self,
        one: _Refilled,
        heights: Mapping[int, str],
        extra: Mapping[int, Sequence[PackedCell]],
        calculated: Sequence[tuple[str, int, str]],
    ) -> Iterator[str]:
        """The rows of the new output in the looks of the template."""
        wearing = Wearing(one.told["learnt"], self.fresh_looks, self.looks)
        head = {(row, column): style for row, column, style in one.told["head"]}
        lines = {now: was for was, now in (one.rows.lines or {}).items()}
        titles = {column: title.casefold() for column, title in one.told["titles"]}
        wanted = {column: one.values[title] for column, title in titles.items() if title in one.values}
        translated = [(column, style, _Shifted(text, column, one)) for column, style, text in calculated]
        if one.zone is not None and not one.told["by_place"] and not self.fresh_strings:
            quick = _Quick(one, wearing, wanted, translated)
            for number, said, text in raw_rows(self.fresh, one.fresh.part):
                if number <= one.rows.now.head:
                    yield self._row(one, row_of(number, said, text), heights, extra, wearing, head)
                else:
                    yield quick.row(number, said, text)
            return
        for row in rows_of(self.fresh, one.fresh.part):
            yield self._row(one, row, heights, extra, wearing, head, lines, wanted, translated)

    def _row(
        self,
        one: _Refilled,
        row: PackedRow,
        heights: Mapping[int, str],
        extra: Mapping[int, Sequence[PackedCell]],
        wearing: Wearing,
        head: Mapping[tuple[int, str], int],
        lines: Mapping[int, int] = NOTHING,
        wanted: Mapping[str, set[str]] = NOTHING,
        translated: Sequence[tuple[str, int, _Shifted]] = (),
    ) -> str:
        """One row, cell by cell."""
        was, in_head = self._former_row(one, row.number, lines)
        by_row = in_head or one.zone is None or one.told["by_place"]
        told = _row_told(row.number, row.told, heights.get(was, "") if by_row else one.told["height"])
        cells: list[str] = []
        for cell in row.cells:
            style = head.get((was, cell.column)) if in_head else None
            if style is None:
                style = wearing.style(cell.column, cell.style)
            cells.append(self._cell(cell, f"{cell.column}{row.number}", style))
            if not in_head and cell.column in wanted and cell.value is not None:
                wanted[cell.column].add(cell.text(self.fresh_strings))
        if in_head:
            cells += [self._extra_cell(one, cell, row.number) for cell in extra.get(was, ())]
        else:
            cells += [_shifted_cell(column, row.number, style, shift) for column, style, shift in translated]
        return f"<row {told}>{''.join(cells)}</row>"

    @staticmethod
    def _former_row(one: _Refilled, number: int, lines: Mapping[int, int]) -> tuple[int, bool]:
        """Which row of the template a row of the new output was, and whether it is one of its head."""
        if one.zone is None:
            return lines.get(number, 0), False
        return number - one.rows.now.head + one.rows.was.head, number <= one.rows.now.head

    def _extra_cell(self, one: _Refilled, cell: PackedCell, number: int) -> str:
        at = f'<c r="{cell.column}{number}" s="{cell.style}"'
        if cell.formula is not None:
            text = moved(cell.formula, self.maps, one.own.name)
            return f"{at}><f>{escape(text)}</f></c>"
        if cell.type in ("s", "inlineStr", "str"):
            return f'{at} t="inlineStr"><is><t xml:space="preserve">{escape(cell.value or "")}</t></is></c>'
        return f"{at}{f' t={quoteattr(cell.type)}' if cell.type != 'n' else ''}><v>{escape(cell.value or '')}</v></c>"

    def _cell(self, cell: PackedCell, at: str, style: int) -> str:
        start = f'<c r="{at}" s="{style}"' if style else f'<c r="{at}"'
        if cell.formula is not None:
            told = "".join(
                f" {name}={quoteattr(value)}"
                for name, value in _formula_node(cell.node).attrib.items()
                if name in ("t", "ref", "aca")
            )
            text = escape(self._renamed(cell.formula))
            value = f"<v>{escape(cell.value)}</v>" if cell.value is not None else ""
            kind = f' t="{cell.type}"' if cell.type in ("str", "b", "e") else ""
            return f"{start}{kind}><f{told}>{text}</f>{value}</c>"
        if cell.value is None:
            return f"{start}/>"
        if cell.type in ("s", "inlineStr"):
            text = cell.text(self.fresh_strings)
            return f'{start} t="inlineStr"><is><t xml:space="preserve">{escape(text)}</t></is></c>'
        kind = f' t="{cell.type}"' if cell.type != "n" else ""
        return f"{start}{kind}><v>{escape(cell.value)}</v></c>"

    def _renamed(self, formula: str) -> str:
        """A formula of the output, with its sheets as they are called in the template."""
        for one in self.sheets:
            if one.own.name != one.fresh.name and one.fresh.name in formula:
                was, now = one.fresh.name.replace("'", "''"), one.own.name.replace("'", "''")
                formula = formula.replace(f"'{was}'!", f"'{now}'!").replace(f"{was}!", f"'{now}'!")
        return formula

    # other parts ----------------------------------------------------------------------------------------------------

    def _other_sheets(self) -> None:
        pivots: dict[str, list[str]] = {}
        for part in self.places.pivots:
            location = self.own.tree(part).find(f"{MAIN}location")
            if location is not None:
                pivots.setdefault(self.places.sheet_of[part], []).append(str(location.get("ref")))
        for sheet in self.own.sheets:
            if sheet.part in self.by_part:
                continue
            tree = self.own.tree(sheet.part)
            if formulas.has_any(self.own, sheet.part) or sheet.name in pivots:
                for carrier in list(formulas.in_sheet(tree, sheet.part, sheet.name, cells=True)):
                    carrier.write(self._moves(carrier))
                _forget_values(tree)
                for area in pivots.get(sheet.name, ()):
                    _empty(tree, area)
                self.changed[sheet.part] = written(tree)
            for cell in tree.iter(f"{MAIN}c"):
                value = cell.find(f"{MAIN}v")
                if cell.get("t") == "s" and value is not None and is_whole(value.text or ""):
                    self.used_strings.add(int(value.text))

    def _tables(self) -> None:
        for part in self.places.tables:
            sheet = next((one for one in self.sheets if one.own.name == self.places.sheet_of[part]), None)
            tree = self.own.tree(part)
            found = list(formulas.in_table(tree, part, self.places.sheet_of[part]))
            for carrier in found:
                carrier.write(self._moves(carrier))
            if sheet is not None:
                tree.set("ref", moved_areas(str(tree.get("ref")), sheet.rows))
                own = tree.find(f"{MAIN}autoFilter")
                if own is not None and own.get("ref"):
                    own.set("ref", moved_areas(str(own.get("ref")), sheet.rows))
            if sheet is not None or found:
                self.changed[part] = written(tree)

    def _caches(self) -> Iterator[tuple[str, _Refilled]]:
        """The pivots' sources that read refilled rows, with their sheets."""
        seen = set[str]()
        for part in self.places.pivots:
            for cache in self.own.related(part, "pivotCacheDefinition"):
                if cache in seen:
                    continue
                seen.add(cache)
                read = self.own.tree(cache).find(f"{MAIN}cacheSource/{MAIN}worksheetSource")
                name = str(read.get("sheet") or "") if read is not None else ""
                by_name = next((one for one in self.sheets if one.own.name.casefold() == name.casefold()), None)
                rows = by_name or next((one for one in self.sheets if one.zone is not None), None)
                if rows is not None:
                    yield cache, rows

    def _pivots(self) -> None:
        for cache, sheet in self._caches():
            tree = self.own.tree(cache)
            read = tree.find(f"{MAIN}cacheSource/{MAIN}worksheetSource")
            if read is not None and read.get("ref") and not read.get("name"):
                read.set("ref", moved_areas(str(read.get("ref")), sheet.rows))
            for name, value in (("refreshOnLoad", "1"), ("saveData", "0"), ("missingItemsLimit", "0")):
                tree.set(name, value)
            for name in ("recordCount", f"{RELATED}id", "refreshedDate", "refreshedDateIso"):
                tree.attrib.pop(name, None)
            on_sides = self._on_sides(cache)
            for at, one in enumerate(tree.iter(f"{MAIN}cacheField")):
                shared = one.find(f"{MAIN}sharedItems")
                if shared is not None:
                    values = sheet.values.get(str(one.get("name")).casefold()) if at in on_sides else None
                    _forget_items(shared, values)
            self.changed[cache] = written(tree)
            for records in self.own.related(cache, "pivotCacheRecords"):
                self._drop(records, cache)

    def _on_sides(self, cache: str) -> set[int]:
        """The fields whose values pivots list, by place: of those each value keeps its place."""
        found: set[int] = set()
        for part in self.places.pivots:
            if cache in self.own.related(part, "pivotCacheDefinition"):
                fields = self.own.tree(part).findall(f"{MAIN}pivotFields/{MAIN}pivotField")
                found |= {at for at, one in enumerate(fields) if one.find(f"{MAIN}items") is not None}
        return found

    def _drop(self, part: str, owner: str) -> None:
        """Leave a part out, with what leads to it."""
        self.dropped |= {part, relations_name(part)}
        where = relations_name(owner)
        made = self.changed.get(where)
        tree = self.own.tree(where) if not isinstance(made, bytes) else etree.fromstring(made)
        ids = {one.id for one in self.own.relations(owner) if one.target == part}
        for relation in list(tree):
            if relation.get("Id") in ids:
                tree.remove(relation)
        if len(tree):
            self.changed[where] = written(tree)
        else:
            self.dropped.add(where)
            self.changed.pop(where, None)

    def _charts(self) -> None:
        for number, part in enumerate(self.places.charts, 1):
            tree = self.own.tree(part)
            title = formulas.chart_title(number)
            found = list(formulas.in_chart(tree, part, self.places.sheet_of[part], title))
            for carrier in found:
                carrier.write(self._moves(carrier))
            for node in [one for one in tree.iter() if local(one) in CACHES]:
                node.getparent().remove(node)
            for node in [one for one in tree.iter() if local(one) == "lvl" and local(one.getparent()) in DIMENSIONS]:
                node.getparent().remove(node)
            if found:
                self.changed[part] = written(tree)

    def _drawings(self) -> None:
        for part in self.places.drawings:
            tree = self.own.tree(part)
            found = list(formulas.in_drawing(tree, part, self.places.sheet_of[part]))
            for carrier in found:
                carrier.write(self._moves(carrier))
                for run in [one for one in carrier.node.iter() if local(one) == "fld"]:
                    for text in [one for one in run if local(one) == "t"]:
                        text.text = ""
            if found:
                self.changed[part] = written(tree)

    def _workbook(self) -> None:
        tree = self.own.workbook
        for carrier in list(formulas.in_names(tree)):
            carrier.write(self._moves(carrier))
        for node in tree.iterfind(f"{MAIN}definedNames/{MAIN}definedName"):
            if node.get("name") in formulas.OWN_NAMES and node.text:
                node.text = moved(node.text, self.maps)
        settings = tree.find(f"{MAIN}calcPr")
        if settings is None:
            settings = etree.Element(f"{MAIN}calcPr")
            before = tree.find(f"{MAIN}definedNames")
            (tree.find(f"{MAIN}sheets") if before is None else before).addnext(settings)
        settings.set("fullCalcOnLoad", "1")
        self.changed[WORKBOOK] = written(tree)
        for chain in self.own.related(WORKBOOK, "calcChain"):
            self._drop(chain, WORKBOOK)
        for small in self.own.related("", "thumbnail"):  # a picture of the first page as it was
            self._drop(small, "")
        if self.dropped:
            types = self.own.tree(CONTENT_TYPES)
            for node in list(types):
                if node.tag == f"{TYPES}Override" and str(node.get("PartName")).lstrip("/") in self.dropped:
                    types.remove(node)
            self.changed[CONTENT_TYPES] = written(types)

    def _strings(self) -> None:
        """Texts that only former rows used are emptied: they are nobody's business any more."""
        part = next(iter(self.own.related(WORKBOOK, "sharedStrings")), "")
        if not part:
            return
        tree, emptied = self.own.tree(part), False
        for number, node in enumerate(tree.iterfind(f"{MAIN}si")):
            if number not in self.used_strings and len(node):
                node.clear()
                etree.SubElement(node, f"{MAIN}t")
                emptied = True
        if emptied:
            self.changed[part] = written(tree)

    def _origin(self) -> None:
        """The file names the origin of its new rows, or none where they have none; never the former one."""
        if CUSTOM not in self.own.names:
            return
        tree = self.own.tree(CUSTOM)
        fresh = self.fresh.tree(CUSTOM) if CUSTOM in self.fresh.names else ()
        now = {str(one.get("name")): one[0].text for one in fresh if len(one)}
        for own in [one for one in tree if str(one.get("name")).startswith("Rulka ")]:
            if str(own.get("name")) in now and len(own):
                own[0].text = now[str(own.get("name"))]
            else:
                tree.remove(own)
        self.changed[CUSTOM] = written(tree)


class _Shifted:
    """A formula of the first row as it is in another one."""

    def __init__(self, text: str, column: str, one: _Refilled) -> None:
        from openpyxl.formula.translate import Translator

        assert one.zone is not None  # formulas stand beside rows only
        self.column = column
        self.translator = Translator(f"={text}", origin=f"{column}{one.zone.rows.first}")

    def __call__(self, number: int) -> str:
        try:
            return str(self.translator.translate_formula(f"{self.column}{number}"))[1:]
        except translate.TranslatorError:
            return "#REF!"


def _plain_names(tree: Any) -> Any:
    """A sheet whose own names need no mark in front: rows are written without one."""
    if tree.prefix is None:
        return tree
    root = etree.Element(tree.tag, dict(tree.attrib), {**tree.nsmap, None: MAIN[1:-1]})
    root.extend(list(tree))
    return root


def _formula_node(cell: Any) -> Any:
    return cell.find(f"{MAIN}f")


def _shifted_cell(column: str, number: int, style: int, shift: _Shifted) -> str:
    """A cell of a column with formulas beside the rows."""
    return f'<c r="{column}{number}" s="{style}"><f>{escape(shift(number))}</f></c>'


OF_ROW: Final = ("hidden", "outlineLevel", "collapsed", "ht", "customHeight")
"""What a row of an output says of itself that is kept."""


def _row_told(number: int, said: Mapping[str, str], height: str) -> str:
    """What a row says of itself: its place, whether it is folded or hidden, how high it is."""
    told = {name: said[name] for name in OF_ROW if name in said}
    if height:
        told |= {"ht": height, "customHeight": "1"}
    return " ".join([f'r="{number}"', *(f"{name}={quoteattr(value)}" for name, value in told.items())])


class _Quick:
    """Rows below the head as text, as an output of rows writes them: only looks are exchanged, and values noted."""

    CELL = re.compile(r'<c r="([A-Z]{1,3})([0-9]+)"(?: s="([0-9]+)")?')
    SAID = re.compile(r'([A-Za-z]+)="([^"]*)"')

    def __init__(
        self,
        one: _Refilled,
        wearing: Wearing,
        wanted: Mapping[str, set[str]],
        translated: Sequence[tuple[str, int, _Shifted]],
    ) -> None:
        self.height, self.wearing, self.wanted, self.translated = one.told["height"], wearing, wanted, translated
        self.starts: dict[tuple[str, str | None], str] = {}
        held = r"(?:<is><t[^>]*>(.*?)</t></is>|<f[^>]*>.*?</f><v>(.*?)</v>|<v>(.*?)</v>)"
        self.values = {
            column: re.compile(rf'<c r="{column}[0-9]+"[^>]*?(?:>{held}|/>)', re.DOTALL) for column in wanted
        }

    def row(self, number: int, said: str, text: str) -> str:
        """A row in the looks of the template."""
        told = _row_told(number, dict(self.SAID.findall(said)), self.height)
        for column, pattern in self.values.items():
            if match := pattern.search(text):
                words, _, plain = match[1], match[2], match[3]
                if words is not None:
                    self.wanted[column].add(unescape(words, {"&quot;": '"'}))
                elif plain is not None:
                    self.wanted[column].add(plain_number(plain))
        cells = self.CELL.sub(self._start, text)
        if self.translated:
            cells += "".join(_shifted_cell(column, number, style, shift) for column, style, shift in self.translated)
        return f"<row {told}>{cells}</row>"

    def _start(self, match: re.Match[str]) -> str:
        column, number, style = match.groups()
        known = self.starts.get((column, style))
        if known is None:
            own = self.wearing.style(column, int(style or 0))
            known = self.starts[column, style] = f'" s="{own}"' if own else '"'
        return f'<c r="{column}{number}{known}'


def _cells_at(data: Any, wanted: Collection[tuple[int, str]]) -> Iterator[PackedCell]:
    """The cells of a sheet's tree at some places."""
    from rulka.formats.refill.sheets import cell_of

    rows = {row for row, _ in wanted}
    for row in data:
        if not is_whole(str(row.get("r") or "")) or int(row.get("r")) not in rows:
            continue
        for node in row.iterfind(f"{MAIN}c"):
            column = re.sub(r"\d", "", str(node.get("r")))
            if (int(row.get("r")), column) in wanted:
                yield cell_of(node, column)


def _forget_values(tree: Any) -> None:
    """Take away what formulas came to before: whoever opens it calculates them anew."""
    for cell in tree.iter(f"{MAIN}c"):
        if cell.find(f"{MAIN}f") is not None:
            value = cell.find(f"{MAIN}v")
            if value is not None:
                cell.remove(value)
            if cell.get("t") in ("str", "e", "b", "s"):
                del cell.attrib["t"]


def _empty(tree: Any, area: str) -> None:
    """Empty the cells of a pivot: it is made anew when the workbook is opened."""
    bounds = area_of(area)
    if bounds is None:
        return
    left, top, right, bottom = bounds
    for cell in tree.iter(f"{MAIN}c"):
        at = area_of(str(cell.get("r") or ""))
        if at is not None and left <= at[0] <= right and top <= at[1] <= bottom:
            for node in list(cell):
                cell.remove(node)
            cell.attrib.pop("t", None)


def _forget_items(shared: Any, values: set[str] | None) -> None:
    """Take values of a pivot's field that the new rows don't hold out of its list, places kept; they go for good when
    it is made anew. Of a field that no pivot lists (`values` None) all go at once."""
    for name in ("minValue", "maxValue", "minDate", "maxDate"):
        shared.attrib.pop(name, None)
    if values is None:
        shared.attrib.pop("count", None)
        for node in list(shared):
            shared.remove(node)
        return
    gone = 0
    for node in list(shared):
        kind = local(node)
        if kind == "m" or _is_among(kind, str(node.get("v")), values):
            continue
        gone += 1
        other = etree.Element(f"{MAIN}s", v=f"gone {gone}")
        other.tail = node.tail
        shared.replace(node, other)
    if gone and any(name in shared.attrib for name in ("containsNumber", "containsDate", "containsNonDate")):
        for name in ("containsSemiMixedTypes", "containsString", "containsNonDate"):
            shared.attrib.pop(name, None)
        shared.set("containsMixedTypes", "1")


def _is_among(kind: str, value: str, values: set[str]) -> bool:
    from datetime import datetime

    if kind == "n":
        return plain_number(value) in values
    if kind == "d":
        try:
            day = datetime.fromisoformat(value)
        except ValueError:
            return False
        return plain_number(repr((day - datetime(1899, 12, 30)).total_seconds() / 86_400)) in values
    return value in values


def _pour(made: bytes | Path, file: IO[bytes]) -> None:
    if isinstance(made, bytes):
        file.write(made)
        return
    with made.open("rb") as source:
        shutil.copyfileobj(source, file, 1 << 20)
