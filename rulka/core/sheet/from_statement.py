"""A statement laid down as a worksheet: each figure a question to the ledger or a calculation in cells, signs as the
statement shows them.

What a formula can't say (eliminated parts, other calendars, pages of a scope, closed lines) asks the statement itself
by the names of line and column.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field
from decimal import Decimal
from fractions import Fraction

from rulka.core.books.frame import QUANTITIES
from rulka.core.books.narrowing import Narrowing, codes_of
from rulka.core.books.selection import SelectionPart
from rulka.core.compute.columns import Column
from rulka.core.compute.comparing import Comparer
from rulka.core.compute.computed import Computed
from rulka.core.compute.figures import shows
from rulka.core.compute.leaves import Leaf
from rulka.core.compute.rows import Row
from rulka.core.definitions.expressions import Call, Name, Number, Operation, Range, Tree
from rulka.core.definitions.keys import slug
from rulka.core.definitions.naming import tree_of
from rulka.core.definitions.spans import TIME, ColumnDef
from rulka.core.definitions.windows import Shift, WindowDef
from rulka.core.errors import RulkaError
from rulka.core.sheet.addresses import MOST_COLUMNS, MOST_ROWS, cell_text, letters
from rulka.core.sheet.amounts import MEASURES
from rulka.core.sheet.blocks import quoted
from rulka.core.sheet.calculating import Calculation
from rulka.core.sheet.inputs import literal
from rulka.core.sheet.periods import written_window
from rulka.core.sheet.values import Scalar, SheetError
from rulka.core.sheet.workbook import Cell, Look, Sheet, Workbook, copied

HEAD, TOP = 3, 4
"""The row of the headings and the first one of the lines, from 0."""

NO_MEANING = "n/m"
NODE, NODE_AT = "$B$3", (2, 1)
"""Where the node stands of a statement that has pages of its own, or is in the group's currency."""

Place = tuple[int, int]


@dataclass
class LaidDown:
    """A statement as a workbook: where each figure stands by the keys of its row and column, and how the statement is
    asked for it where its own formula doesn't give it."""

    workbook: Workbook
    places: dict[tuple[str, str], Place] = field(default_factory=dict)
    asking: dict[Place, str] = field(default_factory=dict)
    has_nodes: bool = False
    """Whether the node stands in a cell of its own, at NODE."""

    @property
    def sheet(self) -> Sheet:
        return self.workbook.sheets[0]

    def at_node(self, code: str) -> Workbook:
        """The workbook with another node in the cell for it."""
        other = copied(self.workbook)
        other.sheets[0].cells[NODE_AT] = Cell(literal(code), other.sheets[0].cell(*NODE_AT).look)
        return other


def lay_down(computed: Computed, name: str, title: str, *, scoped: bool) -> LaidDown:
    """A statement as a sheet; `scoped` says that its pages are for nodes of its own."""
    return _Layer(computed, name, title, scoped).laid()


def disagreeing(laid: LaidDown, calculation: Calculation, computed: Computed) -> list[Place]:
    """The cells of a sheet, calculated, that show another figure than the statement run for the same node and
    period."""
    found = []
    for row in computed.rows:
        for at, column in enumerate(computed.columns):
            place = laid.places.get((row.key, column.key))
            if place is not None:
                shown = calculation.shown_at((laid.sheet.number, *place))
                if not agrees(shown, row, at):
                    found.append(place)
    return found


def agrees(shown: Scalar, row: Row, at: int) -> bool:
    """Whether a cell shows what a statement's row has in a column: the figure to 24 digits (cells divide
    with 28), or that it has none."""
    value = row.values[at]
    if value is None:
        return shown == NO_MEANING or isinstance(shown, SheetError) or (shown in (None, "") and at in row.blank)
    if at in row.sealed_at:
        return isinstance(shown, SheetError)
    if not isinstance(shown, Decimal):
        return False
    return abs(Fraction(shown) - value) <= max(abs(value), Fraction(1)) / 10**24


def ask_instead(laid: LaidDown, places: Iterable[Place]) -> int:
    """Let cells ask the statement itself; how many changed."""
    count = 0
    for place in places:
        cell = laid.sheet.cell(*place)
        if place in laid.asking and cell.input != laid.asking[place]:
            laid.sheet.cells[place] = Cell(laid.asking[place], cell.look)
            count += 1
    return count


def heading_of(column: Column) -> str:
    """What stands above a column, with the nearest heading above it."""
    return " ".join((" · ".join((*column.groups[-1:], column.heading))).split()).strip("· ")


class _Layer:
    def __init__(self, computed: Computed, name: str, title: str, scoped: bool) -> None:
        self.computed, self.name, self.scoped = computed, name, scoped
        self.view = computed.view
        self.has_nodes = scoped or computed.plan.translated
        self.comparer = Comparer(computed.columns)
        self.workbook = Workbook([Sheet(1, title[:31].translate({ord(mark): " " for mark in "[]:*?/\\"}).strip("' "))])
        self.result = LaidDown(self.workbook, has_nodes=self.has_nodes)
        self.rows = [row for row in computed.rows if row.kind != "page break"]
        self.columns = [column for column in computed.columns if not column.hidden or column.kind != "text"]
        if len(self.rows) + TOP > MOST_ROWS or len(self.columns) + 1 > MOST_COLUMNS:
            raise RulkaError(
                f"The statement has {len(self.rows):,} rows and {len(self.columns)} columns.",
                hint=f"A sheet has {MOST_ROWS:,} rows and {MOST_COLUMNS} columns; open one that shows less.",
                subject="statement",
            )
        self.line_at = {row.key: TOP + at for at, row in enumerate(self.rows)}
        self.column_at = {column.key: 1 + at for at, column in enumerate(self.columns)}
        self.title = title

    def laid(self) -> LaidDown:
        """The whole sheet."""
        sheet = self.workbook.sheets[0]
        self._put(0, 0, literal(self.title), {"bold": True})
        said = 'RULKA.PERIODNAME() & " · " & '
        if self.has_nodes:
            self._put(1, 0, "=" + said + quoted(self.computed.statement.title), {"italic": True})
            self._put(2, 0, "Figures of", {})
            self._put(2, 1, literal(self.computed.node.code), {"fill": "input"})
        else:
            self._put(1, 0, "=" + said + 'RULKA.ABOUT("node")', {"italic": True})
        for column in self.columns:
            text = literal(heading_of(column))
            if not column.series and column.kind != "text":
                asked = f'RULKA.FIGURE({quoted(self.name)},"",{quoted(column.key)})'
                text = f"=IFERROR({asked},{quoted(heading_of(column))})"
            look: Look = {"bold": True, "bottom": "single", "wrap": True}
            self._put(HEAD, self.column_at[column.key], text, {**look, "align": "right"})
        self._put(HEAD, 0, "", {"bold": True, "bottom": "single"})
        for row in self.rows:
            self._row(row)
        sheet.settings["widths"] = {"0": 300, **{str(at): 128 for at in range(1, len(self.columns) + 1)}}
        sheet.settings["frozen"] = [TOP, 1]
        hidden = [self.column_at[column.key] for column in self.columns if column.hidden]
        if hidden:
            sheet.settings["hidden columns"] = hidden
        self._hide(sheet)
        return self.result

    def _hide(self, sheet: Sheet) -> None:
        """Lines that hide: always as hidden rows; those that hide when they are zero by a condition beside them, which
        stands in a hidden column. A line that hides when nothing was booked shows: cells can't tell."""
        always, told = [], []
        beside = len(self.columns) + 1
        figures = [column for column in self.columns if column.kind == "figures"]
        for row in self.rows:
            hide = self.computed.line(row.line).hide if row.line else ""
            at = self.line_at[row.key]
            if hide == "always":
                always.append(at)
            elif hide == "when zero" and row.has_figures and figures and beside < MOST_COLUMNS:
                zero = ",".join(f"{self._cell(at, column.key)}=0" for column in figures)
                self._put(at, beside, f"=AND({zero})", {})
                told.append(at)
        if always:
            sheet.settings["hidden rows"] = always
        if told:
            sheet.settings["hiding"] = [
                {"kind": "condition", "axis": "rows", "box": [told[0], beside, told[-1], beside]}
            ]
            sheet.settings["hidden columns"] = [*sheet.settings.get("hidden columns", ()), beside]

    def _put(self, row: int, column: int, text: str, look: Look) -> None:
        self.workbook.sheets[0].cells[row, column] = Cell(text, self.workbook.look_number(look))

    def _row(self, row: Row) -> None:
        at = self.line_at[row.key]
        look: Look = {"bold": True} if row.is_total or not row.has_figures else {}
        above = {"top": row.above} if row.above in ("single", "double") else {}
        below = {"bottom": row.below} if row.below in ("single", "double") else {}
        self._put(at, 0, literal(row.label), {**look, **({"indent": min(row.depth, 9)} if row.depth else {})})
        for place, column in enumerate(self.computed.columns):
            if column.key not in self.column_at:
                continue
            on = self.column_at[column.key]
            if column.kind == "text":
                if text := self._text(row, column):
                    self._put(at, on, literal(text), {})
                continue
            if not row.has_figures or place in row.blank:
                continue
            number = self._number(row, column)
            asking = self._asking(row, column)
            formula = self._formula(row, place, column) or asking
            self._put(
                at, on, formula, {"align": "right", **look, **above, **below, **({"number": number} if number else {})}
            )
            self.result.places[row.key, column.key] = (at, on)
            self.result.asking[at, on] = asking

    def _text(self, row: Row, column: Column) -> str:
        said = column.asked.text
        if said == "label":
            return row.label
        if said == "accounts":
            return ", ".join(row.codes)
        return str(row.texts.get(said, ""))

    def _number(self, row: Row, column: Column) -> str:
        statement = self.computed.statement
        if column.kind in ("percent", "share") or row.unit == "ratio":
            return "0.0%"
        if row.unit == "quantity" or column.shows_quantities or row.unit in ("rate", "plain"):
            return '#,##0.00;-#,##0.00;"–"'
        scale = {"thousands": ",", "millions": ",,"}.get(statement.unit, "")
        decimals = "." + "0" * statement.decimals if statement.decimals else ""
        return f'#,##0{decimals}{scale};-#,##0{decimals}{scale};"–"'

    def _asking(self, row: Row, column: Column) -> str:
        node = f",,{NODE}" if self.has_nodes else ""
        return f"=RULKA.FIGURE({quoted(self.name)},{quoted(row.key)},{quoted(column.key)}{node})"

    def _cell(self, row: int, column: str) -> str:
        return cell_text(row, self.column_at[column])

    # formulas ---------------------------------------------------------------------------------------------------------

    def _formula(self, row: Row, place: int, column: Column) -> str:
        """A formula for a figure; empty where there is none but to ask the statement."""
        if column.is_empty or column.is_mixed or place in row.sealed_at or row.kind in ("others", "entry", "check"):
            return ""
        if column.kind != "figures" and not (self.comparer.is_base[place] and (row.kind in ("total", "calculation"))):
            return self._compared(row, column)
        leaf = self.computed.leaves.get(row.key)
        if leaf is not None and row.kind in ("line", "account", "subtotal", "member"):
            return self._asked(leaf, column)
        if row.kind == "total":
            return self._total(row, column)
        if row.kind == "calculation":
            try:
                return "=" + self._tree(tree_of(self.computed.line(row.line)), column)
            except RulkaError:
                return ""  # it names what has no row of its own: the statement is asked
        return ""

    def _compared(self, row: Row, column: Column) -> str:
        """A column that works on others, from the cells beside it."""
        at = self.line_at[row.key]
        if any(key not in self.column_at for key in (*column.of, *filter(None, (column.base,)))):
            return ""
        cells = [self._cell(at, key) for key in column.of]
        if column.kind == "difference" and not self.comparer.is_gross(column):
            return _guarded(f"{cells[0]}-{cells[1]}")
        if column.kind == "percent":
            a, b = cells
            if column.base:
                base = self._cell(at, column.base)
                return _guarded(f'IF({base}=0,"{NO_MEANING}",({a}-{b})/ABS({base}))')
            return _guarded(f'IF(OR({b}=0,{a}*{b}<0),"{NO_MEANING}",({a}-{b})/ABS({b}))')
        with_time = [cell for cell, key in zip(cells, column.of, strict=True) if not self._is_empty(key)]
        if column.kind == "sum":
            return _guarded("+".join(with_time)) if with_time else ""
        if column.kind == "share":
            whole = self._whole(column)
            if whole < 0:
                return ""
            of = self._cell(whole, column.of[0])
            return _guarded(f'IF({of}=0,"{NO_MEANING}",{cells[0]}/{of})')
        if column.kind == "formula" and column.asked.formula is not None:
            by_name = dict(zip(column.asked.of, cells, strict=True))
            try:
                return _guarded(_written(column.asked.formula.tree, by_name))
            except (KeyError, RulkaError):
                return ""
        return ""

    def _is_empty(self, key: str) -> bool:
        return self.computed.column(key).is_empty

    def _whole(self, column: Column) -> int:
        """The row that a share is of; -1 where it has none."""
        line = self.computed.plan.names.find(column.asked.line)
        return self._line_row(line.key)

    def _line_row(self, key: str) -> int:
        for name in (f"{key}.total", key):
            row = self.computed.rows_by_key.get(name)
            if row is not None and row.has_figures and name in self.line_at:
                return self.line_at[name]
        return -1

    def _total(self, row: Row, column: Column) -> str:
        """The cells that a total adds up, those below each other as one area."""
        rows = self.computed.rows_of_total(row, column)
        if not rows or any(part.key not in self.line_at or self._shows_nothing(part, column) for part in rows):
            return ""
        places = [self.line_at[part.key] for part in rows]
        return f"=SUM({_areas(places, self.column_at[column.key])})"

    def _shows_nothing(self, part: Row, column: Column) -> bool:
        at = self.computed.place(column.key)
        return at in part.blank or not shows(self.computed.line(part.line), column)

    def _tree(self, tree: Tree, column: Column) -> str:
        by_name: dict[str, str] = {}
        names = self.computed.plan.names
        for line in names.operands(tree):
            row = self._line_row(line.key)
            if row < 0:
                raise RulkaError(f"{line.label} has no row of its own.")
            by_name[line.key] = self._cell(row, column.key)
        return _written(tree, by_name, lambda text: names.find(text).key, self._range)

    def _range(self, found: Range) -> list[str]:
        return [line.key for line in self.computed.plan.names.between(found.first.text, found.last.text)]

    # what is asked of the ledger --------------------------------------------------------------------------------------

    def _asked(self, leaf: Leaf, column: Column) -> str:
        """A figure as a question to the ledger; empty where a formula can't ask it."""
        readings = self.computed.readings
        if self.scoped or leaf.line.is_closed or leaf.line.intercompany or column.asked.part or leaf.detail:
            return ""
        reading = readings.reading(leaf, column)
        measure, source = reading.measure, reading.source
        if measure not in MEASURES or reading.quantities or source.calendar or column.asked.by_day:
            return ""
        if column.asked.measure in QUANTITIES or reading.window is None or readings.of_quantities(leaf, column):
            return ""
        period = self._period(leaf, column)
        accounts, narrow = self._accounts(leaf, column), self._narrow(leaf, column)
        if period is None or accounts is None or narrow is None:
            return ""
        sign = readings.sign(leaf, column)
        arguments = [
            quoted(accounts),
            quoted(period) if period else "",
            quoted(source.scenario) if source.scenario != "actual" else "",
            quoted(column.node.code) if column.node is not None else NODE if self.has_nodes else "",
            quoted(narrow) if narrow else "",
            quoted(source.status) if source.status != "posted" else "",
            quoted("group") if source.translated else "",
        ]
        while not arguments[-1]:
            arguments.pop()
        return f"={'-' if sign < 0 else ''}RULKA.{measure.upper()}({','.join(arguments)})"

    def _period(self, leaf: Leaf, column: Column) -> str | None:
        """A time seen from the reporting period; a piece of a series by its name, since it stands in the heading."""
        override, asked = leaf.line.override, column.asked
        reading = self.computed.readings.reading(leaf, column)
        assert reading.window is not None  # asked for before
        calendar = self.view.frame.calendar
        if asked.then or override.stretch is not None:
            return None  # which scenario it shows depends on the reporting period
        if column.is_total and asked.within is not None and not override:
            return relative(asked.within, asked.shift)
        series = self._series(column)
        if (series is not None and series.each in TIME) or asked.window.kind == "piece":
            whole = not reading.window.by_day and not column.is_total
            return written_window(calendar, reading.window) if whole else None
        window = override.window or asked.window
        shift = Shift(
            asked.shift.years + override.shift.years,
            asked.shift.quarters + override.shift.quarters,
            asked.shift.periods + override.shift.periods,
        )
        if asked.weeks != "period" and window.kind == "week":
            return None
        return relative(window, shift)

    def _series(self, column: Column) -> ColumnDef | None:
        """The series that a column is a piece of."""
        every = self.computed.statement.span.walk()
        return next((one for one in every if column.series and one.key == column.series), None)

    def _accounts(self, leaf: Leaf, column: Column) -> str | None:
        own = leaf.line.accounts.of("account")
        if any(clause.negated for clause in own) or len(own) > 1:
            return None
        text = own[0].selection.text() if own else ""
        if leaf.kind == "account":
            text = SelectionPart("code", leaf.account).text()
        elif leaf.kind == "subtotal":
            code = leaf.key.rpartition(":")[2]
            if " except " in f" {text} " or " only " in f" {text} ":
                return None
            text = SelectionPart("under", code).text() + (f" only {text}" if text else "")
        other = column.asked.narrow.of("account")
        if other and not text:
            return None if len(other) > 1 or other[0].negated else other[0].selection.text()
        if other:
            return None
        return text or "*"

    def _narrow(self, leaf: Leaf, column: Column) -> str | None:
        parts = [*_others(leaf.line.accounts), *_others(column.asked.narrow)]
        inside = self._inside(leaf, column)
        if inside is None:
            return None
        parts += inside
        names = [clause.partition(":")[0] for clause in parts]
        return None if len(set(names)) < len(names) else "; ".join(parts)

    def _inside(self, leaf: Leaf, column: Column) -> list[str] | None:
        """The members that an expanded row and a series' column stand for; None where that can't be told."""
        known = {slug(name): name for name in (*self.view.frame.dimensions, "entity")}
        known["entities"] = "entity"
        found = []
        for part in leaf.key[len(leaf.line.key) + 1 :].split(":"):
            name, sign, code = part.partition("=")
            if not sign:
                continue
            if name not in known:
                return None
            found.append(f"{known[name]}: {SelectionPart('code', code).text()}")
        if leaf.kind == "member" and not found:
            return None
        series = self._series(column)
        if column.keys is None or series is None or series.each not in (*self.view.frame.dimensions, "entity"):
            return found if column.series == "" or column.keys is None else None
        if column.is_rest or column.is_total:
            return None
        codes = codes_of(series.each, self.view.frame)
        own = column.key.removeprefix(f"{series.key}-").removesuffix(f"-{column.asked.key}" if series.columns else "")
        meant = [item.code for item in codes.items if slug(item.code) == own]
        return [*found, f"{series.each}: {SelectionPart('code', meant[0]).text()}"] if len(meant) == 1 else None


def _others(narrow: Narrowing) -> list[str]:
    return [clause.text() for clause in narrow.clauses if clause.name != "account"]


def relative(window: WindowDef, shift: Shift) -> str | None:
    """A window as a period argument that moves with the reporting period; None where arguments don't say it."""
    moves = [
        f"{'+' if count > 0 else '-'} {abs(count)} {unit}"
        for count, unit in ((shift.years, "year"), (shift.quarters, "quarter"), (shift.periods, "period"))
        if count
    ]
    if len(moves) > 1:
        return None
    moved = f"this {moves[0]}" if moves else ""
    match window.kind:
        case "period":
            return moved
        case "year to date":
            return f"ytd {moved}".strip()
        case "quarter to date":
            return f"qtd {moved}".strip()
        case "year" | "quarter":
            return f"{window.kind} of {moved or 'this'}"
        case "last":
            return f"last {window.first} to {moved}" if moved else f"last {window.first}"
    return None


def _guarded(formula: str) -> str:
    return f'=IFERROR({formula},"{NO_MEANING}")'


def _areas(places: list[int], column: int) -> str:
    """Rows of a column as areas, those below each other as one."""
    runs: list[list[int]] = []
    for place in places:
        if runs and place == runs[-1][1] + 1:
            runs[-1][1] = place
        else:
            runs.append([place, place])
    name = letters(column)
    return ",".join(f"{name}{a + 1}:{name}{b + 1}" if a != b else f"{name}{a + 1}" for a, b in runs)


def _written(
    tree: Tree,
    by_name: Mapping[str, str],
    key_of: Callable[[str], str] = str,
    lines_of: Callable[[Range], list[str]] | None = None,
) -> str:
    """A calculation of a statement as a formula over cells."""

    def name(text: str) -> str:
        return by_name[key_of(text)]

    def write(part: Tree) -> str:
        match part:
            case Number(value):
                digits = f"{Decimal(value.numerator) / Decimal(value.denominator):f}"
                return digits
            case Name(text=text):
                return name(text)
            case Operation(sign, left, right):
                return f"({write(left)}{sign}{write(right)})"
            case Range():
                if lines_of is None:
                    raise RulkaError("Columns have no ranges.")
                return ",".join(by_name[key] for key in lines_of(part))
            case Call(called, arguments):
                return f"{called}({','.join(write(one) for one in arguments)})"
        raise RulkaError("It can't be written as a formula.")

    return write(tree)
