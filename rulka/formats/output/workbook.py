"""A computed statement as a workbook: real numbers, totals and comparisons as live formulas with cached values."""

from __future__ import annotations

import io
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from fractions import Fraction
from typing import TYPE_CHECKING, Any

from rulka.core.compute.columns import Column
from rulka.core.compute.comparing import Comparer
from rulka.core.compute.computed import Computed
from rulka.core.compute.rows import Row
from rulka.core.definitions.expressions import COMPARISONS, Name, Number, Operation, Tree, Value
from rulka.core.definitions.keys import numbered
from rulka.core.definitions.looks import UNITS, NumberStyle
from rulka.core.definitions.naming import tree_of
from rulka.core.definitions.pages import Boxes, filled, pieces
from rulka.core.later import later
from rulka.core.money import as_decimal
from rulka.core.proof.checks import FAILS, Check, verdict_on
from rulka.formats.figures import (
    cell_words,
    currency_word,
    digits_of,
    first_rows,
    moment_text,
    names_currency,
    plain_text,
    style_of,
    unit_title,
    verdict_of,
)
from rulka.formats.output.page import HtmlPage, note_lines, page_values
from rulka.formats.output.stamp import Stamp, set_origin

if TYPE_CHECKING:
    import PIL.Image as images
    import xlsxwriter
    import xlsxwriter.utility as utility
else:
    images = later("PIL.Image")
    xlsxwriter = later("xlsxwriter")
    utility = later("xlsxwriter.utility")

TITLE_ROWS = 5
TITLE_PIXELS = 88
"""How high the four rows of the title are."""

MM_IN_INCH, PIXELS_IN_INCH = 25.4, 96
ADDED = ("activity", "debits", "credits")
"""Measures of which a longer time is the sum of its parts."""

GREEN, MADDER, INK, SOFT, LINE = "#1f5a4d", "#a43a2c", "#20292b", "#69706c", "#cfc7b4"


SHADES = {"light": "#f5f1e6", "strong": "#e6e0d1"}


MOST_LINKS = 20_000
"""Figures of a sheet that carry a link to their trace; beyond it the cover alone leads back."""

Link = Callable[[str, str, str], str]
"""(node, row, column) to the address of a figure's trace."""


@dataclass(frozen=True)
class CoverTexts:
    """What the cover says of a workbook: whose ledger, made by whom and when, and the way back to each figure."""

    ledger: str
    at: datetime
    person: str = ""
    link: Link | None = None
    stamp: Stamp | None = None
    logo: bytes = b""
    """The picture that pages carry, as PNG or JPEG."""


class _Book:
    """The workbook with its formats, which sheets share."""

    def __init__(self, about: CoverTexts) -> None:
        self.about = about
        self.buffer = io.BytesIO()
        self.book: xlsxwriter.Workbook = xlsxwriter.Workbook(self.buffer, {"in_memory": True})
        self.book.set_calc_mode("auto")
        self.formats: dict[tuple[tuple[str, object], ...], xlsxwriter.format.Format] = {}
        self.names: set[str] = set()

    def format(self, **properties: object) -> xlsxwriter.format.Format:
        key = tuple(sorted(properties.items()))
        if key not in self.formats:
            self.formats[key] = self.book.add_format(
                {"font_name": "Calibri", "font_size": 10, "font_color": INK, **properties}
            )
        return self.formats[key]

    def sheet_name(self, title: str) -> str:
        """A name that a sheet may have and none has yet."""
        base = (
            "".join(" " if character in "[]:*?/\\" else character for character in title)[:31].strip("' ")
            or "Statement"
        )
        name = (
            base
            if base.casefold() not in self.names
            else numbered(base[:27].rstrip(), lambda name: name.casefold() in self.names, " ")
        )
        self.names.add(name.casefold())
        return name

    def cover(self, own_name: str, computed: list[Computed], checks: list[list[Check]], names: list[str]) -> None:
        """What this is, where it comes from, whether it foots, and a way to each sheet."""
        first, sheet = computed[0], self.book.add_worksheet(own_name)
        bold = self.format(bold=True)
        sheet.write_string(0, 0, plain_text(first.statement.title), self.format(bold=True, font_size=16))
        row = self._facts(sheet, first) + 1
        for at, heading in enumerate(("Sheet", "Whose figures", "Does it foot?")):
            sheet.write_string(row, at, heading, self.format(bold=True, bottom=1))
        for one, told, name in zip(computed, checks, names, strict=True):
            row += 1
            inside = f"internal:'{name.replace(chr(39), chr(39) * 2)}'!A1"
            sheet.write_url(row, 0, inside, self.format(font_color=GREEN, underline=1), string=name)
            sheet.write_string(row, 1, plain_text(f"{one.node.name} ({one.node.code})"), self.format())
            verdict = verdict_on(told)
            sheet.write_string(row, 2, plain_text(verdict.text), self.format() if verdict.stands else bold)
        sheet.set_column(0, 0, 28)
        sheet.set_column(1, 2, 44)
        sheet.hide_gridlines(2)
        sheet.set_paper(PAPERS[first.statement.page.paper])
        sheet.set_landscape()
        sheet.fit_to_pages(1, 1)
        if stamp := self.about.stamp:
            set_origin(self.book, stamp)
        self.book.set_properties(
            {"title": first.statement.title, "subject": first.node.name, "created": self.about.at.replace(tzinfo=None)}
        )

    def _facts(self, sheet: Any, first: Computed) -> int:
        """What figures these are and who made them, from the third row on; the row after them."""
        soft = self.format(font_color=SOFT)
        facts = [
            ("Ledger", self.about.ledger),
            ("Revision", str(first.view.revision)),
            ("Period", f"{first.period.title} ({first.period.code})"),
            ("Figures", unit_title(first)),
            ("Part of the whole", first.view.part if first.view.is_part else ""),
            ("Made by", self.about.person),
            ("Made at", moment_text(self.about.at)),
            ("Origin", self.about.stamp.code if self.about.stamp else ""),
        ]
        row = 2
        for name, text in facts:
            if text:
                sheet.write_string(row, 0, name, soft)
                sheet.write_string(row, 1, plain_text(text), self.format())
                row += 1
        if self.about.link:
            sheet.write_string(row, 0, "In Rulka", soft)
            link = self.about.link(first.node.code, "", "")
            sheet.write_url(row, 1, link, self.format(font_color=GREEN, underline=1), string="Open the statement")
            sheet.write_string(row + 1, 1, "Every figure of the sheets leads to its trace.", soft)
            row += 2
        return row

    def close(self) -> bytes:
        self.book.close()
        return self.buffer.getvalue()


class _Sheet:
    """One statement for one node."""

    def __init__(self, of: _Book, name: str, page: HtmlPage) -> None:
        computed = page.computed
        self.of, self.computed, self.notes, self.checks = of, computed, page.notes, page.checks
        self.format = of.format
        self.sheet = of.book.add_worksheet(name)
        self.first = TITLE_ROWS + 2
        self.names = computed.plan.names
        self.comparer = Comparer(computed.columns)
        self.step = 2 if computed.statement.spine.totals == "stepped" else 1
        self.spots, self.rows_used = _spots(computed, self.first, 1 + self.step * len(computed.columns) + 1)
        self.is_parted = any(left for _, left in self.spots.values())
        halves = 2 if self.is_parted else 1
        self.widths = (
            [20.0] + [10.0 if self.step == 1 else 8.0] * (self.step * len(computed.columns)) + [3.0]
        ) * halves
        self.firsts = first_rows(computed)
        self.link = of.about.link if len(computed.rows) * len(computed.columns) <= MOST_LINKS else None

    def spot(self, row: Row, place: int) -> tuple[int, int]:
        """(row, column) of a figure on the sheet; stepped totals stand in the outer of two columns."""
        at, left = self.spots[row.key]
        return at, left + 1 + self.step * place + (1 if self.step == 2 and row.is_total else 0)

    def cell_name(self, row: Row, place: int) -> str:
        """A figure's place as formulas write it."""
        return str(utility.xl_rowcol_to_cell(*self.spot(row, place)))

    def write(self) -> None:
        self._title()
        self._heads()
        for row in self.computed.rows:
            self._row(row)
        self._layout()

    def _title(self) -> None:
        computed, left = self.computed, 1 if self._logo() == "left" else 0
        self.sheet.write_string(0, left, plain_text(computed.statement.title), self.format(bold=True, font_size=16))
        whose = computed.node.name + (f" – part of the whole: {computed.view.part}" if computed.view.is_part else "")
        self.sheet.write_string(1, left, plain_text(whose), self.format(bold=True))
        self.sheet.write_string(
            2, left, f"{computed.period.title} ({computed.period.code}), {unit_title(computed)}", self.format()
        )
        made = f"{self.of.about.ledger}, revision {computed.view.revision}, made {moment_text(self.of.about.at)}"
        self.sheet.write_string(3, left, plain_text(made), self.format(font_color=SOFT, italic=True))
        verdict = verdict_on(self.checks)
        if not verdict.stands:
            told = "; ".join(f"{check.check}: {check.detail}" for check in self.checks if check.state == FAILS)
            text = f"{verdict.text}. {told}" if told else verdict.text
            self.sheet.write_string(4, left, plain_text(text), self.format(bold=True, font_color=MADDER))

    def _logo(self) -> str:
        """The logo at its place and height; where it stands, nothing without one."""
        page, data = self.computed.statement.page, self.of.about.logo
        if not page.logo or not data:
            return ""
        wanted = page.logo_height / MM_IN_INCH * PIXELS_IN_INCH
        with images.open(io.BytesIO(data)) as image:
            across, down = (float(dots) or PIXELS_IN_INCH for dots in image.info.get("dpi", (PIXELS_IN_INCH,) * 2))
            high, wide = image.height * PIXELS_IN_INCH / down, image.width * PIXELS_IN_INCH / across
        scale = wanted / high
        last = self.step * len(self.computed.columns)
        column = {"left": 0, "centre": max(last // 2, 1), "right": max(last - 1, 1)}[page.logo_place]
        options = {"image_data": io.BytesIO(data), "x_scale": scale, "y_scale": scale, "object_position": 3}
        self.sheet.insert_image(0, column, "logo.png", {**options, "decorative": True})
        if wanted > TITLE_PIXELS:
            self.sheet.set_row_pixels(4, 20 + int(wanted - TITLE_PIXELS))
        if page.logo_place == "left":
            self.widths[0] = max(self.widths[0], wide * scale / 7 + 1)
        return page.logo_place

    def _heads(self) -> None:
        line = self.format(bold=True, bottom=1, bottom_color=INK)
        right = self.format(bold=True, align="right", bottom=1, bottom_color=INK, text_wrap=True)
        for left in sorted({left for _, left in self.spots.values()} or {0}):
            self.sheet.write_string(TITLE_ROWS + 1, left, "", line)
            for place, column in enumerate(self.computed.columns):
                at = left + 1 + self.step * place
                former = self.computed.columns[place - 1] if place else None
                if column.group and (former is None or former.group != column.group):
                    self.sheet.write_string(TITLE_ROWS, at, plain_text(column.group), self.format(bold=True))
                if self.step == 2:
                    self.sheet.merge_range(
                        TITLE_ROWS + 1, at, TITLE_ROWS + 1, at + 1, plain_text(column.heading), right
                    )
                else:
                    self.sheet.write_string(TITLE_ROWS + 1, at, plain_text(column.heading), right)
                wide = max(len(column.heading) + 3, column.asked.width) / self.step
                self.widths[at] = max(self.widths[at], wide)

    def _row(self, row: Row) -> None:
        at, left = self.spots[row.key]
        strong = row.kind in ("total", "calculation", "section", "heading")
        shade = {"bg_color": SHADES[row.look.shade]} if row.look.shade else {}
        look: dict[str, object] = {"bold": strong, **_rulings(row), **shade}
        self.sheet.write_string(at, left, plain_text(row.label), self.format(bold=strong, indent=row.depth, **shade))
        self.widths[left] = max(self.widths[left], len(row.label) * (1.1 if strong else 1.0) + row.depth * 2 + 2)
        outline = {"level": min(row.depth, 7)} if row.depth and not self.is_parted else {}
        if row.hidden or outline:
            self.sheet.set_row(at, None, None, {**outline, **({"hidden": True} if row.hidden else {})})
        if not row.has_figures:
            return
        for place, column in enumerate(self.computed.columns):
            self._cell(row, column, place, row.values[place], look)

    def _cell(self, row: Row, column: Column, place: int, value: Value, look: dict[str, object]) -> None:
        spot = self.spot(row, place)
        if column.kind == "text" and column.asked.text == "trend":
            self._trend(row, place)
            return
        if column.kind == "text":
            self.sheet.write_string(*spot, plain_text(cell_words(row, column, self.computed)), self.format(**look))
            return
        if place in row.blank:
            self.sheet.write_blank(*spot, None, self.format(**look))
            return
        style, verdict = style_of(row, column, self.computed), verdict_of(row, place, column, value)
        colour = {"good": GREEN, "bad": MADDER}.get(verdict, INK)
        named = names_currency(row, style, self.firsts.get(style.currency, ()))
        currency = currency_word(self.computed, column) if named else ""
        cell = self.format(
            **look, num_format=_number_format(style, verdict, currency), align="right", font_color=colour
        )
        digits, scale = digits_of(row, column, self.computed)
        shown = f"{currency} {abs(float(value or 0)) / 10.0 ** max(scale, 0):,.{digits}f} {style.word}".strip()
        self.widths[spot[1]] = max(self.widths[spot[1]], len(shown) + 3.0)
        if self.link:
            self.sheet.write_url(*spot, self.link(self.computed.node.code, row.key, column.key), cell)
        formula = self._formula(row, column, place)
        if formula and value is not None:
            self.sheet.write_formula(*spot, formula, cell, _number(value))
        elif formula and place not in row.sealed_at:
            self.sheet.write_formula(*spot, formula, cell, "n/m")
        elif value is None:
            self.sheet.write_string(*spot, row.word_at(place), cell)
        else:
            self.sheet.write_number(*spot, _number(value), cell)

    def _trend(self, row: Row, place: int) -> None:
        """A drawing in the cell over the row's own columns of figures."""
        series = [
            p
            for p, column in enumerate(self.computed.columns)
            if column.has_figures and column.series and not column.is_total
        ]
        if series and row.has_figures:
            cells = f"{self.cell_name(row, series[0])}:{self.cell_name(row, series[-1])}"
            self.sheet.add_sparkline(*self.spot(row, place), {"range": cells, "series_color": SOFT})

    def _formula(self, row: Row, column: Column, place: int) -> str:
        if column.is_mixed:  # other currencies are never taken from each other, by a spreadsheet either
            return ""
        if column.kind in ("difference", "percent") and not column.base and not column.asked.does_aggregate:
            if self.comparer.sets_sides_apart(column):  # the sign follows the line: written as a value
                return ""
            a, b = (self.cell_name(row, self.computed.place(key)) for key in column.of)
            if column.kind == "percent":
                return f'=IF(AND(ISNUMBER({a}),ISNUMBER({b})),IF(OR({b}=0,{a}*{b}<0),"n/m",({a}-{b})/ABS({b})),"n/m")'
            places = self.computed.digits_of(row, column) if row.unit in ("money", "quantity") else 12
            return f'=IF(AND(ISNUMBER({a}),ISNUMBER({b})),ROUND({a}-{b},{places}),"n/m")'
        if column.kind == "sum":
            if row.kind == "total" and column.asked.does_aggregate:
                return self._sum(row, place)
            return self._across(row, place, [self.computed.place(key) for key in column.of])
        if not column.has_figures:
            return ""
        if row.kind == "total":
            return self._sum(row, place)
        if row.is_whole and self._is_added(row, column):
            return self._sum(row, place)
        if column.is_total and column.asked.measure in ADDED and row.kind != "calculation":
            return self._across(row, place, self._parts_of(column, place))
        if row.kind == "calculation":
            tree = tree_of(self.computed.line(row.line))
            if not self._is_plain(tree):
                return ""
            body = self._expression(tree, place)
            exact = (
                f"ROUND({body},{self.computed.digits_of(row, column)})"
                if row.unit == "money" and _only_adds(tree)
                else body
            )
            return f'=IFERROR({exact},"n/m")'
        return ""

    def _is_added(self, row: Row, column: Column) -> bool:
        """Whether a line over several periods is what these add up to, not what stands at their end."""
        return self.computed.readings.reading(self.computed.leaves[row.key], column).measure in ADDED

    def _parts_of(self, column: Column, place: int) -> list[int]:
        """The columns of a series that one of its totals is about: those before it whose time lies within its own."""
        whole = column.window
        return [
            at
            for at, one in enumerate(self.computed.columns[:place])
            if (one.series, one.asked.key) == (column.series, column.asked.key)
            and not one.is_total
            and one.window is not None
            and whole is not None
            and whole.first <= one.window.first
            and one.window.last <= whole.last
        ]

    def _across(self, row: Row, place: int, parts: Sequence[int]) -> str:
        """The sum of other columns of a row, where that is exactly what it shows; of those that show something."""
        shown = [at for at in parts if at not in row.blank]
        values = [row.values[at] for at in shown]
        known = [value for value in values if value is not None]
        if row.unit not in ("money", "quantity") or len(known) < 2 or len(known) < len(values):
            return ""
        if sum(known) != row.values[place]:
            return ""
        digits = self.computed.digits_of(row, self.computed.columns[place])
        return f"=ROUND(SUM({','.join(_cells_between([self.spot(row, at) for at in shown]))}),{digits})"

    def _sum(self, row: Row, place: int) -> str:
        parts = self.computed.rows_of_total(row, self.computed.columns[place])
        if any(part.values[place] is None for part in parts if place not in part.blank):
            return ""
        spots = [self.spot(part, place) for part in parts if place not in part.blank]
        digits = self.computed.digits_of(row, self.computed.columns[place])
        if not spots:
            return ""
        ranges = [
            one
            for column in sorted({column for _, column in spots})
            for one in _ranges(sorted(at for at, other in spots if other == column), column)
        ]
        return f"=ROUND(SUM({','.join(ranges)}),{digits})"

    def _expression(self, tree: Tree, place: int) -> str:
        if isinstance(tree, Number):
            return f"{as_decimal(tree.value).normalize():f}"
        if isinstance(tree, Name):
            return self.cell_name(self.computed.rows_by_key[self._key(tree.text)], place)
        assert isinstance(tree, Operation)
        return f"({self._expression(tree.left, place)}{tree.sign}{self._expression(tree.right, place)})"

    def _key(self, label: str) -> str:
        """The row that a name in a formula stands for; empty where it has none on the sheet."""
        line = self.names.find(label)
        return next(
            (
                key
                for key in (f"{line.key}.total", line.key)
                if key in self.computed.rows_by_key and self.computed.rows_by_key[key].has_figures
            ),
            "",
        )

    def _is_plain(self, tree: Tree) -> bool:
        """Whether a formula is plain arithmetic over rows that stand on the sheet; others are written as values."""
        if isinstance(tree, Operation):
            return tree.sign not in COMPARISONS and self._is_plain(tree.left) and self._is_plain(tree.right)
        return isinstance(tree, Number) or (isinstance(tree, Name) and bool(self._key(tree.text)))

    def _set_widths(self) -> None:
        columns = self.computed.columns
        half = 1 + self.step * len(columns) + 1
        for across, width in enumerate(self.widths[:-1]):
            place = (across % half - 1) // self.step
            hidden = across % half > 0 and place < len(columns) and columns[place].hidden
            self.sheet.set_column(across, across, min(width, 60), None, {"hidden": True} if hidden else {})

    def _layout(self) -> None:
        sheet, columns = self.sheet, self.computed.columns
        self._set_widths()
        sheet.freeze_panes(TITLE_ROWS + 2, 1)
        sheet.hide_gridlines(2)
        page = self.computed.statement.page
        sheet.set_paper(PAPERS[page.paper])
        if page.orientation == "landscape" or (not page.orientation and len(columns) > 5):
            sheet.set_landscape()
        sheet.outline_settings(True, True, True, False)
        sheet.fit_to_pages(1, 0)
        if page.repeat_heads:
            sheet.repeat_rows(TITLE_ROWS, TITLE_ROWS + 1)
        sheet.set_margins(left=0.5, right=0.5, top=0.7, bottom=0.7)
        values = page_values(self.computed, self.of.about.ledger, self.of.about.at)
        if any(text for _, text in page.header):
            sheet.set_header(_margin(page.header, values))
        sheet.set_footer(_margin(page.footer, values))
        below = self.first + self.rows_used + 1
        told = [*note_lines(self.notes), *(filled(note, values) for note in page.notes)]
        told += [self.of.about.stamp.line] if self.of.about.stamp else []
        for at, note in enumerate(told):
            sheet.write_string(below + at, 0, plain_text(note), self.format(font_color=SOFT))


PAPERS = {"A4": 9, "A3": 8, "A5": 11, "letter": 1, "legal": 5}
"""Numbers that spreadsheets give to papers."""

MOST_MARGIN = 250
"""Characters that a spreadsheet takes in a header or footer."""


def _margin(boxes: Boxes, values: Mapping[str, str]) -> str:
    """A header or footer as a spreadsheet writes it."""
    counted = {"page": "&P", "pages": "&N"}
    texts = {
        place: "".join(counted.get(kind, piece.replace("&", "&&")) for kind, piece in pieces(text, values))
        for place, text in boxes
    }
    return "".join(
        f"{code}{texts[place]}" for place, code in (("left", "&L"), ("centre", "&C"), ("right", "&R")) if texts[place]
    )[:MOST_MARGIN]


def _only_adds(tree: Tree) -> bool:
    """Whether a formula only adds and subtracts, so that its value has the currency's decimals exactly."""
    if isinstance(tree, Operation):
        return tree.sign in "+-" and _only_adds(tree.left) and _only_adds(tree.right)
    return isinstance(tree, Name) or (isinstance(tree, Number) and tree.value == 0)


def _ranges(rows: list[int], column: int) -> list[str]:
    """`B8:B12` for rows that follow each other; at most 250 parts are ever needed on a page."""
    parts: list[str] = []
    start = former = rows[0]
    for row in [*rows[1:], -2]:
        if row != former + 1:
            first, last = utility.xl_rowcol_to_cell(start, column), utility.xl_rowcol_to_cell(former, column)
            parts.append(first if first == last else f"{first}:{last}")
            start = row
        former = row
    return parts


def _cells_between(spots: Sequence[tuple[int, int]]) -> list[str]:
    """`B8:D8` for places of one row that follow each other."""
    parts: list[list[tuple[int, int]]] = []
    for spot in sorted(spots):
        if parts and parts[-1][-1] == (spot[0], spot[1] - 1):
            parts[-1].append(spot)
        else:
            parts.append([spot])
    names = [[str(utility.xl_rowcol_to_cell(*spot)) for spot in (part[0], part[-1])] for part in parts]
    return [first if first == last else f"{first}:{last}" for first, last in names]


def _spots(computed: Computed, first: int, across: int) -> tuple[dict[str, tuple[int, int]], int]:
    """The (row, column) of each row's label, and how many rows the sheet takes. A page in two halves stands so: the
    second one `across` columns to the right, both ending on one row, what is hidden below them."""
    rows = computed.rows
    if not any(row.panel == 2 for row in rows):
        return {row.key: (first + number, 0) for number, row in enumerate(rows)}, len(rows)
    spots: dict[str, tuple[int, int]] = {}
    halves = [[row for row in rows if (row.panel == 2) == second and not row.hidden] for second in (False, True)]
    tall = max(map(len, halves))
    for half, left in zip(halves, (0, across), strict=True):
        last = max((number for number, row in enumerate(half) if row.kind == "total"), default=len(half))
        for number, row in enumerate(half):
            spots[row.key] = (first + number + (tall - len(half) if number >= last else 0), left)
    hidden = [row for row in rows if row.hidden]
    spots |= {row.key: (first + tall + number, 0) for number, row in enumerate(hidden)}
    return spots, tall + len(hidden)


def _rulings(row: Row) -> dict[str, object]:
    lines = {"single": 1, "thick": 5, "dotted": 4, "double": 6}
    found: dict[str, object] = {}
    if row.above in lines:
        found["top"] = lines[row.above]
    if row.below in lines:
        found["bottom"] = lines[row.below]
    return {"top": 1, "bottom": 1, **found} if row.look.box else found


def _number(value: Fraction) -> float:
    """A spreadsheet holds binary floats; this is the one that stands nearest to the exact value."""
    return float(value)


def _number_format(style: NumberStyle, verdict: str = "", currency: str = "") -> str:
    """A style as a spreadsheet's own: thousands and millions by the format alone, so that the cell holds the whole
    figure; a verdict carries its shape, a currency and a word are said before and behind."""
    before = {"good": '"\u25b2 "', "bad": '"\u25bc "'}.get(verdict, "") + (_quoted(f"{currency} ") if currency else "")
    decimals = "." + "0" * style.decimals if style.decimals else ""
    thousands = "," * (UNITS[style.unit] // 3) if style.style == "amount" else ""
    number = f"0{decimals}%" if style.style == "percent" else f"#,##0{decimals}{thousands}"
    behind = _quoted(f" {style.word}") if style.word else ""
    zero = {"dash": "\u2013", "0": f"0{decimals}{behind}", "blank": '""'}[style.zero]
    if style.negative == "brackets":
        return f"{before}{number}_){behind};{before}({number}){behind};{zero}_)"
    red = "[Red]" if style.negative == "red" else ""
    return f"{before}{number}{behind};{red}{before}-{number}{behind};{zero}"


def _quoted(text: str) -> str:
    """Words within a number format; a quotation mark can't stand there."""
    return '"' + text.replace('"', "'") + '"'


def as_xlsx_pages(pages: Sequence[HtmlPage], about: CoverTexts) -> bytes:
    """A workbook with a cover and a sheet for each node or statement."""
    book = _Book(about)
    about_name = book.sheet_name("About")
    several = len({page.computed.statement.name for page in pages}) > 1
    only = len(pages) == 1
    names = [
        book.sheet_name(page.computed.statement.title if several or only else page.computed.node.name) for page in pages
    ]
    book.cover(about_name, [page.computed for page in pages], [page.checks for page in pages], names)
    sheets = [_Sheet(book, name, page) for name, page in zip(names, pages, strict=True)]
    for sheet in sheets:
        sheet.write()
    sheets[0].sheet.activate()
    return book.close()
