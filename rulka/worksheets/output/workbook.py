"""A worksheet as a workbook for a desktop spreadsheet: values cached, formulas live where they can be; what asks the
ledger as values with the formula in a note, or as links that fetch the figure from here."""

from __future__ import annotations

import io
import json
from dataclasses import dataclass
from decimal import Decimal
from typing import TYPE_CHECKING, Any

from rulka.core.later import later
from rulka.core.sheet.addresses import Key, cell_text, read_box
from rulka.core.sheet.leaving import asks_ledger, for_elsewhere
from rulka.core.sheet.showing import Shower
from rulka.core.sheet.values import Scalar, SheetError
from rulka.core.sheet.workbook import Look, Sheet
from rulka.formats.output.paper import svg_picture
from rulka.formats.output.stamp import Stamp, set_origin
from rulka.worksheets.output.runs import keys_of
from rulka.worksheets.running.drawn import is_drawn, svg_on
from rulka.worksheets.running.live import Live

if TYPE_CHECKING:
    import PIL.Image as images
    import xlsxwriter
else:
    xlsxwriter = later("xlsxwriter")
    images = later("PIL.Image")

MODES = {
    "values": "values only",
    "formulas": "formulas live, the ledger's as values with notes",
    "links": "formulas live, the ledger's as links that refresh",
}
LINKS = "Live"
"""The sheet that says where links ask; its name is another one where a sheet has it."""

MOST_LINKS = 5_000
FILLS = {"wash": "#E8F0EA", "note": "#FDF2DD", "alarm": "#FBEEEB", "head": "#F0EBDD", "input": "#FDF2DD"}
RULED = {"single": 1, "double": 6}
PAPERS = {"A4": 9, "A3": 8, "A5": 11, "letter": 1, "legal": 5}
CODES = {"#N/A", "#DIV/0!", "#VALUE!", "#REF!", "#NAME?", "#NUM!", "#NULL!"}
"""Errors that a desktop spreadsheet knows too."""


@dataclass(frozen=True)
class Links:
    """Where live links ask: an address that ends with a slash, to which sheet and cell are added."""

    address: str


def as_xlsx(live: Live, mode: str = "values", links: Links | None = None, stamp: Stamp | None = None) -> bytes:
    """All sheets with their looks, widths, what is hidden, frozen panes, spans, comments, pictures and print set-up."""
    return _Book(live, mode, links, stamp).written()


class _Book:
    def __init__(self, live: Live, mode: str, links: Links | None, stamp: Stamp | None) -> None:
        self.live, self.mode, self.links, self.stamp = live, mode, links, stamp
        self.shower: Shower = live.shower()
        self.target = io.BytesIO()
        options = {"strings_to_formulas": False, "strings_to_urls": False, "strings_to_numbers": False}
        self.book = xlsxwriter.Workbook(self.target, {"in_memory": True, "use_future_functions": True, **options})
        self.formats: dict[str, Any] = {}
        self.linked = self.left_out = 0
        names = {sheet.name.casefold() for sheet in live.workbook.sheets}
        self.links_sheet = next(
            name for name in (LINKS, *(f"{LINKS} {n}" for n in range(2, 99))) if name.casefold() not in names
        )

    def written(self) -> bytes:
        if self.stamp is not None:
            set_origin(self.book, self.stamp)
        for sheet in self.live.workbook.sheets:
            self._sheet(sheet)
        if self.mode != "values":
            self._names()
        if self.mode == "links" and self.links is not None:
            page = self.book.add_worksheet(self.links_sheet)
            page.set_column(0, 0, 24)
            page.set_column(1, 1, 90)
            page.write_string(0, 0, "Figures are asked at")
            page.write_string(0, 1, self.links.address)
            page.write_string(
                1, 0, "Whoever has this workbook reads these figures until the link expires or is revoked."
            )
            if self.left_out:
                page.write_string(2, 0, f"{self.left_out:,} figures beyond the first {MOST_LINKS:,} stand as values.")
        self.book.close()
        return self.target.getvalue()

    def _names(self) -> None:
        for name, meaning in self.live.workbook.names.items():
            if "RULKA." not in meaning.upper() and "#" not in meaning:
                self.book.define_name(name, meaning)

    def _sheet(self, sheet: Sheet) -> None:
        page, settings = self.book.add_worksheet(sheet.name), sheet.settings
        rows, columns = self.live.hidden(sheet)
        looks = settings.get("column looks", {})
        widths = settings.get("widths", {})
        for column in sorted({*columns, *map(int, looks), *map(int, widths)}):
            given = widths.get(str(column))
            width = max(int(given) - 5, 10) / 7 if given else None
            style = self._style(looks.get(str(column), {})) if str(column) in looks else None
            page.set_column(column, column, width, style, {"hidden": column in columns})
        heights = settings.get("heights", {})
        for row in sorted({*rows, *map(int, heights)}):
            height = int(heights[str(row)]) * 0.75 if str(row) in heights else None
            page.set_row(row, height, None, {"hidden": row in rows})
        if settings.get("frozen"):
            page.freeze_panes(*settings["frozen"])
        if settings.get("gridlines") == "off":
            page.hide_gridlines(2)
        self._print_setup(page, settings.get("print", {}))
        notes: dict[tuple[int, int], list[str]] = {}
        for place, comment in settings.get("comments", {}).items():
            row, _, column = place.partition(",")
            said = f"{comment['who']}: {comment['text']}" if comment.get("who") else comment["text"]
            notes.setdefault((int(row), int(column)), []).append(said)
        keys = set(keys_of(self.live.calculation, sheet)) | {(sheet.number, *place) for place in sheet.cells}
        for key in sorted(keys):
            note = self._cell(page, key)
            if note:
                notes.setdefault((key[1], key[2]), []).append(note)
        for span in settings.get("spans", ()):
            self._span(page, sheet, span["box"])
        for (row, column), parts in notes.items():
            page.write_comment(row, column, "\n".join(parts)[:30_000], {"x_scale": 2})
        self._pictures(page, sheet, settings.get("pictures", ()))

    def _span(self, page: Any, sheet: Sheet, box: list[int]) -> None:
        top, left, bottom, right = box
        key = (sheet.number, top, left)
        page.merge_range(top, left, bottom, right, self.shower.shown(key).text, self._style(self.shower.look(key)))
        self._cell(page, key)

    def _drawing(self, page: Any, sheet: Sheet, one: dict[str, Any]) -> None:
        """A drawing of cells as a chart of the workbook's own, any other as a picture."""
        at = one["box"][0], one["box"][1]
        if "of" not in one:
            picture = io.BytesIO(svg_picture(svg_on(self.live, sheet, one), one["width"], one["height"]))
            page.insert_image(*at, "drawing.png", {"image_data": picture, "x_scale": 0.5, "y_scale": 0.5})
            return
        top, left, bottom, right = one["of"]
        chart = self.book.add_chart({"type": "column"})
        for column in range(left + 1, right + 1) if right > left else (left,):
            series: dict[str, Any] = {"values": [sheet.name, top + 1, column, bottom, column],
                                      "name": [sheet.name, top, column], "fill": {"color": "#74807c"}}  # fmt: skip
            if right > left:
                series["categories"] = [sheet.name, top + 1, left, bottom, left]
            chart.add_series(series)
        chart.set_size({"width": one["width"], "height": one["height"]})
        page.insert_chart(*at, chart)

    def _pictures(self, page: Any, sheet: Sheet, pictures: Any) -> None:
        for one in pictures:
            if is_drawn(one):
                self._drawing(page, sheet, one)
                continue
            found = self.live.worksheet.pictures.filter(pk=one["picture"]).first()
            if found is None:
                continue
            data = io.BytesIO(bytes(found.content))
            with images.open(data) as image:
                width, height = image.size
            scales = {"x_scale": one["width"] / width, "y_scale": one["height"] / height}
            options = {"image_data": data, "description": found.name, **scales}
            page.insert_image(one["box"][0], one["box"][1], found.name, options)

    def _print_setup(self, page: Any, setup: dict[str, Any]) -> None:
        page.set_paper(PAPERS.get(setup.get("paper", "A4"), 9))
        if setup.get("way", "landscape") == "landscape":
            page.set_landscape()
        if setup.get("fit"):
            page.fit_to_pages(1, 0)
        page.hide_gridlines(0 if setup.get("lines") else 1)
        for name, write in (("head", page.set_header), ("foot", page.set_footer)):
            said = f"&L{setup[name].replace('&', '&&')}" if setup.get(name) else ""
            if name == "foot" and self.stamp is not None:
                said += f"&ROrigin {self.stamp.code}"
            if said:
                write(said)
        if box := read_box(setup.get("cells", "")):
            page.print_area(box.top, box.left, box.bottom, box.right)

    # cells ------------------------------------------------------------------------------------------------------------

    def _cell(self, page: Any, key: Key) -> str:
        """Write one cell; what its note is to say."""
        calculation = self.live.calculation
        value, style = (
            calculation.shown_at(key),
            self._style({**self.shower.look(key), "number": self.shower.number(key)}),
        )
        anchor = calculation.anchor_of(key)
        if self.mode == "values" or anchor not in calculation.formulas:
            self._value(page, key, value, style)
            return ""
        text = calculation.sheets[anchor[0]].cells.get((anchor[1], anchor[2]), "")
        if asks_ledger(calculation, anchor, self.live.workbook.names):
            if self.mode == "links" and self.links is not None and self.linked < MOST_LINKS:
                self._link(page, key, value, style)
            else:
                self.left_out += self.mode == "links"
                self._value(page, key, value, style)
            return text if key == anchor else ""
        if key != anchor:
            return ""  # written with the formula that fills it
        self._formula(page, key, value, style)
        return ""

    def _formula(self, page: Any, key: Key, value: Scalar, style: Any) -> None:
        calculation = self.live.calculation
        formula, array = for_elsewhere(calculation, key), calculation.spills.get(key)
        if array is None:
            page.write_formula(key[1], key[2], formula, style, _cached(value))
            return
        last = (key[1] + array.height - 1, key[2] + array.width - 1)
        page.write_array_formula(key[1], key[2], *last, formula, style, _cached(value))
        for at, values in enumerate(array.rows):
            for on, own in enumerate(values):
                if at or on:
                    cell = (key[0], key[1] + at, key[2] + on)
                    look = self._style({**self.shower.look(cell), "number": self.shower.number(cell)})
                    # cells of an array formula keep the value they were calculated with
                    self._value(page, cell, own, look)

    def _link(self, page: Any, key: Key, value: Scalar, style: Any) -> None:
        self.linked += 1
        asked = f"WEBSERVICE('{self.links_sheet}'!$B$1&\"{key[0]}/{cell_text(key[1], key[2])}\")"
        if isinstance(value, Decimal):
            page.write_formula(key[1], key[2], f'=NUMBERVALUE({asked},".",",")', style, _cached(value))
        else:
            page.write_formula(key[1], key[2], f"={asked}", style, _cached(value))

    def _value(self, page: Any, key: Key, value: Scalar, style: Any) -> None:
        row, column = key[1], key[2]
        if value is None:
            page.write_blank(row, column, None, style)
        elif isinstance(value, bool):
            page.write_boolean(row, column, value, style)
        elif isinstance(value, Decimal):
            page.write_number(row, column, float(value) if abs(value) > 10**15 else value, style)
        else:
            page.write_string(row, column, value.code if isinstance(value, SheetError) else value, style)

    def _style(self, look: Look) -> Any:
        name = json.dumps(look, sort_keys=True)
        if name not in self.formats:
            wanted: dict[str, object] = {"font_name": "Calibri"}
            if look.get("number"):
                wanted["num_format"] = look["number"]
            for key, own in (("bold", "bold"), ("italic", "italic"), ("wrap", "text_wrap")):
                if look.get(key):
                    wanted[own] = True
            if look.get("fill"):
                wanted["bg_color"] = FILLS[look["fill"]]
            if look.get("align"):
                wanted["align"] = look["align"]
            for side in ("top", "bottom", "left", "right"):
                if look.get(side):
                    wanted[side] = RULED[look[side]]
            if look.get("indent"):
                wanted["indent"] = look["indent"]
            self.formats[name] = self.book.add_format(wanted)
        return self.formats[name]


def _cached(value: Scalar) -> Any:
    """A value as the cache of a formula."""
    if value is None:
        return ""
    if isinstance(value, SheetError):
        return value.code if value.code in CODES else "#VALUE!"
    if isinstance(value, Decimal):
        return float(value) if abs(value) > 10**15 else value
    return value
