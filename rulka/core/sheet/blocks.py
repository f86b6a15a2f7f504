"""Blocks: a bounded table or a piece of a statement laid into cells, which grows and shrinks with what it shows.

A live block's figures are formulas that name their row and column, so that each row stays what it is wherever it is
moved; what stands beside a row stays with it. A block is plain data among a sheet's settings: `id`, `box`, `kind`
(table or statement), `name`, `piece` (live, closed or frozen), `choices`, `lines`, `columns`, `revision`.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from decimal import Decimal
from typing import Any

from rulka.core.books.book import View
from rulka.core.compute.computed import Computed
from rulka.core.errors import NotFound, RulkaError, one_of
from rulka.core.sheet.addresses import MOST_COLUMNS, MOST_ROWS, Box, cell_text
from rulka.core.sheet.amounts import meant_codes
from rulka.core.sheet.bounded import BoundedPiece
from rulka.core.sheet.edits import formula_at
from rulka.core.sheet.inputs import literal, typed
from rulka.core.sheet.remap import Remap
from rulka.core.sheet.remapping import remap_steps
from rulka.core.sheet.steps import apply
from rulka.core.sheet.values import Scalar, SheetError, Value
from rulka.core.sheet.workbook import Cell, Look, Sheet, Step, Workbook, cells_step, copied, settings_step

KINDS = {"table": "RULKA.BOUNDED", "statement": "RULKA.FIGURE"}
SPILLS = {"table": "RULKA.BOUNDED", "statement": "RULKA.STATEMENT"}
PIECES = ("live", "closed", "frozen")
HEADS = 2
"""Rows of a block above its first row of figures: what it shows, and the headings of its columns."""

PLAIN = "These are plain values now, as you may see them: whoever opens the worksheet reads them"
"""What is told when figures become values: no fence goes with those."""

Block = dict[str, Any]
QUOTED = r'"((?:[^"]|"")*)"'


def quoted(text: str) -> str:
    """A text as a formula writes it."""
    return '"' + text.replace('"', '""') + '"'


@dataclass(frozen=True)
class LaidRow:
    """A row of a block: its key, the inputs before its figures, how deep it stands; headings have no figures."""

    key: str
    captions: tuple[str, ...]
    depth: int = 0
    is_total: bool = False
    has_figures: bool = True


@dataclass(frozen=True)
class Layout:
    """What a block shows now. `known` are the keys of rows that are there but don't show, because they are empty."""

    kind: str
    name: str
    headings: tuple[str, ...]
    captions: int
    rows: tuple[LaidRow, ...]
    columns: tuple[str, ...]
    revision: int
    known: frozenset[str] = frozenset()
    tail: str = ""
    """What follows row and column in a formula: choices, period, node."""
    beside: tuple[Callable[[int, Mapping[str, int]], str], ...] = ()
    """Formulas after the figures, by the sheet's row and the places of the columns by their key."""
    lines: str = ""
    shown: str = ""
    """For a closed piece of a statement: the lines and the columns that it is of."""

    @property
    def width(self) -> int:
        return self.captions + len(self.columns) + len(self.beside)

    def call(self, row: str, column: str, tail: str | None = None) -> str:
        """The call that gives a figure."""
        own = self.tail if tail is None else tail
        return f"{KINDS[self.kind]}({quoted(self.name)},{quoted(row)},{quoted(column)}{own})"

    def head(self) -> str:
        """The formula of the words above."""
        choices = self.tail if self.kind == "table" else ""
        return f"=RULKA.HEAD({quoted(self.name)},{self.revision}{choices})"

    def spill(self) -> str:
        """The formula of a closed piece."""
        if self.kind == "table":
            return f'={SPILLS["table"]}({quoted(self.name)},"",""{self.tail})'
        return f"={SPILLS['statement']}({quoted(self.name)},{quoted(self.lines)},{quoted(self.shown)})"


def choices_tail(choices: Mapping[str, str]) -> str:
    """Choices as arguments; one that begins with = is a cell."""
    found = ""
    for of, value in choices.items():
        found += f",{quoted(of)},{value[1:] if value.startswith('=') else quoted(value)}"
    return found


def table_layout(piece: BoundedPiece, choices: Mapping[str, str]) -> Layout:
    """How a bounded table is laid into cells."""
    table = piece.table
    single = len(table.rows) == 1

    def captions(line: Any) -> tuple[str, ...]:
        found = []
        for (at, what), text in zip(piece.captions, piece.captions_of(line), strict=True):
            column = "name" if single else f"name {at + 1}"
            live = what == "name" and not line.members[at].parts
            found.append(
                f"=RULKA.BOUNDED({quoted(table.name)},{quoted(line.key)},{quoted(column)}{choices_tail(choices)})"
                if live
                else literal(text)
            )
        return tuple(found)

    def beside(formula: str) -> Callable[[int, Mapping[str, int]], str]:
        return lambda row, places: piece.beside(formula, row, 0, places)

    def live(key: str) -> str:
        return f'=RULKA.BOUNDED({quoted(table.name)},"",{quoted(key)}{choices_tail(choices)})'

    headings, count = piece.headings(), len(piece.captions)
    own, besides = headings[:count], headings[count + len(piece.columns) :]
    shown = {line.key for line in piece.shown_rows}
    return Layout(
        "table",
        table.name,
        (*map(literal, own), *(live(line.key) for line in piece.columns), *map(literal, besides)),
        len(piece.captions),
        tuple(LaidRow(line.key, captions(line), line.depth, line.is_total) for line in piece.shown_rows),
        tuple(line.key for line in piece.columns),
        piece.view.revision,
        frozenset(set(piece.row_at) - shown),
        choices_tail(choices),
        tuple(beside(formula) for _, formula in table.beside),
    )


def statement_layout(computed: Computed, name: str, lines: str, columns: str) -> Layout:
    """How a piece of a statement is laid into cells: the rows from one line to another (`lines`: their keys with ` to `
    between, or one section), the columns named with commas between; nothing is all."""
    rows = piece_of(computed, lines)
    wanted = columns_of(computed, columns)
    return Layout(
        "statement",
        name,
        ("", *(f'=RULKA.FIGURE({quoted(name)},"",{quoted(key)})' for key in wanted)),
        1,
        tuple(
            LaidRow(row.key, (_label(name, row),), row.depth, row.is_total, row.has_figures)
            for row in rows
            if row.kind not in ("spacer", "page break")
        ),
        tuple(wanted),
        computed.view.revision,
        frozenset(row.key for row in computed.rows if row.hidden),
        lines=lines,
        shown=columns,
    )


def _label(name: str, row: Any) -> str:
    """What stands before a row: its label; a heading's is a formula, which says what row it is."""
    if row.has_figures:
        return literal(row.label)
    return f'=RULKA.FIGURE({quoted(name)},{quoted(row.key)},"label")'


def piece_of(computed: Computed, lines: str) -> list[Any]:
    """The shown rows of a piece of a statement; raises NotFound for lines that aren't there."""
    shown = [row for row in computed.rows if not row.hidden]
    if not lines.strip():
        return shown
    known = [row.key for row in shown]
    first, _, last = lines.partition(" to ")
    ends: list[int] = []
    for name in (first.strip(), (last or first).strip()):
        at = next((place for place, row in enumerate(shown) if name in (row.key, row.label)), -1)
        if at < 0:
            raise NotFound(f"Line '{name[:40]}' isn't there.", hint=one_of(name, known), subject="lines")
        ends.append(at)
    start, end = min(ends), max(ends)
    if not last:
        # a section goes on to what ends it
        own = shown[start]
        while end + 1 < len(shown) and (shown[end + 1].depth > own.depth or shown[end + 1].key == f"{own.key}.total"):
            end += 1
    return shown[start : end + 1]


def columns_of(computed: Computed, columns: str) -> list[str]:
    """The keys of the chosen columns of figures, in their order; raises NotFound for others."""
    known = [column.key for column in computed.columns if column.kind != "text" and not column.hidden]
    names = [part.strip() for part in columns.split(",") if part.strip()]
    for name in names:
        if name not in known:
            raise NotFound(f"Column '{name[:40]}' isn't there.", hint=one_of(name, known), subject="columns")
    return [key for key in known if key in names] if names else known


# placing and refreshing ---------------------------------------------------------------------------------------------


@dataclass
class LaidBlock:
    """Steps, and what has to be told of them."""

    steps: list[Step] = field(default_factory=list)
    told: list[str] = field(default_factory=list)


def find_block(sheet: Sheet, name: str) -> Block:
    """A block of a sheet by its id."""
    blocks = sheet.settings.get("blocks", [])
    found = next((block for block in blocks if block["id"] == name), None)
    if found is None:
        raise NotFound("This block isn't there any more.", hint="Load the page again.", subject="block")
    return dict(found)


def place(workbook: Workbook, sheet: Sheet, row: int, column: int, layout: Layout, **block: Any) -> LaidBlock:
    """Lay a block into empty cells from a cell on; `block` are `piece` and `choices`."""
    closed = block.get("piece") == "closed"
    height = HEADS + (0 if closed else len(layout.rows))
    width = 1 if closed else layout.width
    box = Box(row, column, row + height - 1, column + width - 1)
    if box.bottom >= MOST_ROWS or box.right >= MOST_COLUMNS:
        raise RulkaError(
            f"It needs {height:,} rows and {width} columns.", hint="Place it further up and left.", subject="block"
        )
    taken = next((at for at in box.cells() if sheet.cell(*at).input), None)
    if taken is not None:
        raise RulkaError(f"{cell_text(*taken)} is not empty.", hint="Choose an empty place.", subject="block")
    blocks = [dict(one) for one in sheet.settings.get("blocks", [])]
    number = max((int(one["id"][1:]) for one in blocks), default=0) + 1
    own: Block = {
        "id": f"b{number}", "box": _numbers(box), "kind": layout.kind, "name": layout.name,
        "piece": "closed" if closed else "live", "choices": dict(block.get("choices", {})),
        "revision": layout.revision, "lines": layout.lines, "columns": layout.shown,
    }  # fmt: skip
    writer = _Writer(workbook, sheet, own, layout)
    writer.heads()
    if not closed:
        for at, laid in enumerate(layout.rows):
            writer.row(row + HEADS + at, laid, box.left, writer.places(box.left))
    writer.store([*blocks, own])
    if not closed:
        writer.widen()
    return writer.done


def refresh(workbook: Workbook, sheet: Sheet, block: Block, layout: Layout) -> LaidBlock:
    """Bring a live block to what it shows now: new rows appear and those taken out come back, each beside its
    neighbours; what stands beside a row stays with it. A second refresh changes nothing."""
    blocks = [dict(one) for one in sheet.settings.get("blocks", [])]
    writer = _Writer(workbook, sheet, block, layout)
    if block["piece"] == "closed":
        writer.heads()
    else:
        writer.columns()
        writer.rows()
        writer.heads()
    writer.store([writer.block if one["id"] == block["id"] else one for one in writer.blocks(blocks)])
    return writer.done


def remove(workbook: Workbook, sheet: Sheet, block: Block) -> LaidBlock:
    """Take a block and its cells away; what stands beside it stays."""
    box = Box(*block["box"])
    cells = {place: Cell() for place in sheet.cells if box.holds(*place)}
    kept = [one for one in sheet.settings.get("blocks", []) if one["id"] != block["id"]]
    settings = {**sheet.settings, "blocks": kept}
    return LaidBlock([cells_step(sheet, cells), settings_step(sheet, {k: v for k, v in settings.items() if v})])


def freeze(sheet: Sheet, block: Block, value_at: Callable[[int, int], Value]) -> LaidBlock:
    """Put the values in place of a live block's formulas; its rows and columns are remembered."""
    if block["piece"] != "live":
        raise RulkaError("Only a live block can be frozen.", hint="Place it as live cells.", subject="block")
    box = Box(*block["box"])
    rows, columns = keys_in(sheet, box, block)
    own, about, changed = [], [], {}
    by_row, by_column = {row: key for key, row in rows.items()}, {at: key for key, at in columns.items()}
    for place in box.cells():
        cell = sheet.cell(*place)
        if not cell.input.startswith("="):
            continue
        value = value_at(*place)
        single: Scalar = value.rows[0][0] if hasattr(value, "rows") else value
        changed[place] = Cell(typed(single), cell.look)
        if place[0] not in by_row:
            continue
        if place[1] not in by_column:
            about.append([by_row[place[0]], _beside_figures(place[1], box, by_column)])
        elif (call := _call_in(cell.input, block)) and cell.input != "=" + call:
            own.append([by_row[place[0]], by_column[place[1]], cell.input])
    frozen: Block = {
        **block, "piece": "frozen", "own": own, "about": about,
        "keys": {str(row): key for row, key in by_row.items()},
        "column keys": {str(column): key for column, key in by_column.items()},
    }  # fmt: skip
    return LaidBlock([cells_step(sheet, changed), _blocks_step(sheet, frozen)], [PLAIN])


def thaw(
    workbook: Workbook, sheet: Sheet, block: Block, layout: Layout, value_of: Callable[[str, int, int], Value]
) -> LaidBlock:
    """Put a frozen block's formulas back, and say which rows differ from what was frozen; then refresh it."""
    if block["piece"] != "frozen":
        raise RulkaError("It is live already.", hint="Refresh it.", subject="block")
    rows = {int(row): key for row, key in block["keys"].items()}
    columns = {int(column): key for column, key in block["column keys"].items()}
    own = {(row, column): text for row, column, text in block.get("own", [])}
    laid = {row.key: row for row in layout.rows}
    changed = _about_again(sheet, block, layout, rows, columns)
    differs: list[str] = []
    for row, key in rows.items():
        told = []
        for column, name in columns.items():
            former = sheet.cell(row, column)
            if key not in laid or name not in layout.columns or not laid[key].has_figures:
                continue
            text = own.get((key, name)) or "=" + layout.call(key, name)
            changed[row, column] = Cell(text, former.look)
            value = value_of(text, row, column)
            if isinstance(value, (Decimal, SheetError)) and typed(value) != former.input:
                now = value.code if isinstance(value, SheetError) else f"{value:f}"
                told.append(f"{former.input or 'nothing'} is now {now}")
        if key not in laid and key not in layout.known:
            told.append("it is no row any more")
        if told:
            differs.append(f"{key}: {', '.join(told[:3])}")
    live = {name: value for name, value in block.items() if name not in ("keys", "column keys", "own", "about")}
    live["piece"] = "live"
    trial = copied(workbook)
    first = [cells_step(sheet, changed), _blocks_step(sheet, live)]
    for step in first:
        apply(trial, step)
    after = refresh(trial, trial.sheet(sheet.number), live, layout)
    count = len(differs)
    words = [f"{count} row{'s' if count != 1 else ''} differ{'s' if count == 1 else ''} from what was frozen"]
    return LaidBlock(
        [*first, *after.steps], [*(words if count else ["No row differs from what was frozen"]), *differs[:20]]
    )


def _beside_figures(column: int, box: Box, by_column: Mapping[int, str]) -> int:
    """Where a cell of a block stands that is no figure: from 0 before the figures, from -1 downwards after them."""
    last = max(by_column, default=box.left)
    return column - box.left if column < last else last - column


def _about_again(
    sheet: Sheet, block: Block, layout: Layout, rows: Mapping[int, str], columns: Mapping[int, str]
) -> dict[tuple[int, int], Cell]:
    """The formulas before and after a frozen block's figures, where there were any."""
    were = {(key, at) for key, at in block.get("about", [])}
    places = {name: column for column, name in columns.items() if name in layout.columns}
    laid = {row.key: row for row in layout.rows}
    left, last = Box(*block["box"]).left, max(columns, default=Box(*block["box"]).left)
    found: dict[tuple[int, int], Cell] = {}
    for row, key in rows.items():
        if key not in laid:
            continue
        texts = {(at, left + at): text for at, text in enumerate(laid[key].captions)}
        if laid[key].has_figures:
            texts |= {(-at, last + at): formula(row, places) for at, formula in enumerate(layout.beside, 1)}
        for (at, column), text in texts.items():
            if (key, at) in were:
                found[row, column] = Cell(text, sheet.cell(row, column).look)
    return found


def _blocks_step(sheet: Sheet, block: Block) -> Step:
    blocks = [block if one["id"] == block["id"] else one for one in sheet.settings.get("blocks", [])]
    return settings_step(sheet, {**sheet.settings, "blocks": blocks})


def _numbers(box: Box) -> list[int]:
    return [box.top, box.left, box.bottom, box.right]


def _pattern(block: Mapping[str, Any]) -> re.Pattern[str]:
    function = re.escape(KINDS[block["kind"]])
    return re.compile(
        rf"{function}\(\s*{re.escape(quoted(block['name']))}\s*,\s*{QUOTED}\s*,\s*{QUOTED}", re.IGNORECASE
    )


def _call_in(text: str, block: Mapping[str, Any]) -> str:
    found = _pattern(block).search(text)
    return found[0] + choices_tail(block.get("choices", {})) + ")" if found else ""


def keys_in(sheet: Sheet, box: Box, block: Mapping[str, Any]) -> tuple[dict[str, int], dict[str, int]]:
    """The rows and the columns of a block by their keys, read off its formulas."""
    pattern, rows, columns = _pattern(block), dict[str, int](), dict[str, int]()
    for row, column in box.cells():
        cell = sheet.cells.get((row, column))
        if cell is not None and cell.input.startswith("=") and (found := pattern.search(cell.input)):
            key, name = found[1].replace('""', '"'), found[2].replace('""', '"')
            if key:
                rows.setdefault(key, row)
            if not CAPTION.fullmatch(name):
                columns.setdefault(name, column)
    return rows, columns


HEAD_LOOK: Look = {"italic": True}
HEADING_LOOK: Look = {"bold": True, "bottom": "single", "wrap": True}
WIDTHS = {"code": 82, "name": 220, "figure": 116}
"""Pixels of a block's columns where nobody gave them a width."""


CAPTION = re.compile(r"(code|name)(?: [1-3])?|label")
"""What formulas name where a column would be, for what stands before the figures."""


def _row_look(laid: LaidRow) -> Look:
    return {"bold": True, "top": "single"} if laid.is_total else {}


class _Writer:
    """Writes a block into a copy of the workbook, and notes the steps."""

    def __init__(self, workbook: Workbook, sheet: Sheet, block: Block, layout: Layout) -> None:
        self.workbook, self.block, self.layout = copied(workbook), dict(block), layout
        self.number = sheet.number
        self.done = LaidBlock()
        self.former = choices_tail(block["former"] if "former" in block else block.get("choices", {}))

    @property
    def sheet(self) -> Sheet:
        return self.workbook.sheet(self.number)

    @property
    def box(self) -> Box:
        return Box(*self.block["box"])

    def do(self, *steps: Step) -> None:
        for step in steps:
            if step["kind"] != "cells" or step["cells"]:
                self.done.steps.append(step)
                apply(self.workbook, step)

    def put(self, cells: Mapping[tuple[int, int], Cell]) -> None:
        self.do(cells_step(self.sheet, cells))

    def look(self, **look: Any) -> int:
        return self.workbook.look_number(look)

    def places(self, left: int) -> dict[str, int]:
        return {key: left + self.layout.captions + at for at, key in enumerate(self.layout.columns)}

    def blocks(self, given: Sequence[Block]) -> list[Block]:
        """The blocks as they lie after rows and columns moved."""
        now = {one["id"]: one for one in self.sheet.settings.get("blocks", given)}
        return [dict(now.get(one["id"], one)) for one in given]

    def store(self, blocks: Sequence[Block]) -> None:
        for one in blocks:
            one.pop("former", None)
        if self.sheet.settings.get("blocks") != list(blocks):
            self.do(settings_step(self.sheet, {**self.sheet.settings, "blocks": list(blocks)}))

    def widen(self) -> None:
        """Give the block's columns a width that its texts and figures fit into, where nobody gave them one."""
        left, captions = self.box.left, self.layout.captions
        widths = dict(self.sheet.settings.get("widths", {}))
        for column in range(left, self.box.right + 1):
            last = column == left + captions - 1
            kind = "figure" if column >= left + captions else "name" if last else "code"
            widths.setdefault(str(column), WIDTHS[kind])
        if widths != self.sheet.settings.get("widths", {}):
            self.do(settings_step(self.sheet, {**self.sheet.settings, "widths": widths}))

    def heads(self) -> None:
        """The words above, the headings, and for a closed piece its formula."""
        box, layout = self.box, self.layout
        self.block["revision"] = layout.revision
        cells = {(box.top, box.left): Cell(layout.head(), self.look(**HEAD_LOOK))}
        if self.block["piece"] == "closed":
            cells[box.top + 1, box.left] = Cell(layout.spill(), self.sheet.cell(box.top + 1, box.left).look)
            self.put(cells)
            return
        places = self._columns_now()
        captions = range(box.left, box.left + layout.captions)
        at = [*captions, *(places[key] for key in layout.columns)]
        at += range(max(at) + 1, max(at) + 1 + len(layout.beside))
        for column, text in zip(at, layout.headings, strict=True):
            right = {} if column in captions else {"align": "right"}
            former = self.sheet.cell(box.top + 1, column)
            cells[box.top + 1, column] = Cell(text, former.look or self.look(**HEADING_LOOK, **right))
        self.put(cells)

    def _columns_now(self) -> dict[str, int]:
        """Where each column stands: where its formulas are, else side by side."""
        found = keys_in(self.sheet, self.box, self.block)[1]
        plain = self.places(self.box.left)
        return {key: found.get(key, plain[key]) for key in self.layout.columns}

    def row(self, row: int, laid: LaidRow, left: int, places: Mapping[str, int]) -> None:
        """Write one row; cells that hold anything stay as they are but for other choices."""
        look, head = _row_look(laid), {} if laid.has_figures else {"bold": True}
        cells: dict[tuple[int, int], Cell] = {}
        for on, text in enumerate(laid.captions):
            own = {**look, **head}
            if on == len(laid.captions) - 1 and laid.depth:
                own["indent"] = min(laid.depth, 9)
            cells[row, left + on] = Cell(text, self.look(**own))
        if laid.has_figures:
            for key, column in places.items():
                cells[row, column] = Cell("=" + self.layout.call(laid.key, key), self.look(**look))
            last = max(places.values(), default=left)
            for on, formula in enumerate(self.layout.beside, 1):
                cells[row, last + on] = Cell(formula(row, places), self.look(**look))
        self.put({place: cell for place, cell in cells.items() if not self.sheet.cell(*place).input})

    # refreshing -------------------------------------------------------------------------------------------------------

    def columns(self) -> None:
        """Columns that are new are put in beside their neighbours, those that are gone taken out."""
        layout = self.layout
        _, found = keys_in(self.sheet, self.box, self.block)
        for key in [key for key in found if key not in layout.columns]:
            column, box = keys_in(self.sheet, self.box, self.block)[1][key], self.box
            others = any(on == column and not box.top <= at <= box.bottom for at, on in self.sheet.cells)
            self.done.told.append(f"Column {key} is gone")
            if others:
                self.put({(row, column): Cell() for row in range(box.top, box.bottom + 1)})
            else:
                self.remap(Remap("delete", "columns", column, 1))
        former = self.box.left + layout.captions - 1
        for key in layout.columns:
            known = keys_in(self.sheet, self.box, self.block)[1]
            if key in known:
                former = known[key]
                continue
            self.remap(Remap("insert", "columns", former + 1, 1))
            box = self.box
            if former + 1 > box.right:
                self.block["box"] = [box.top, box.left, box.bottom, former + 1]
            rows = keys_in(self.sheet, self.box, self.block)[0]
            laid = {row.key: row for row in layout.rows}
            self.put(
                {
                    (row, former + 1): Cell(
                        "=" + layout.call(own, key),
                        self.look(**({"bold": True, "top": "single"} if laid[own].is_total else {})),
                    )
                    for own, row in rows.items()
                    if own in laid and laid[own].has_figures
                }
            )
            self.done.told.append(f"Column {key} is new")
            former += 1

    def remap(self, remap: Remap) -> None:
        self.do(*remap_steps(self.workbook, self.sheet, remap))
        mine = next(one for one in self.sheet.settings["blocks"] if one["id"] == self.block["id"])
        self.block = {**self.block, "box": list(mine["box"])}

    def rows(self) -> None:
        """Rows that are new or were taken out are put in, those that are gone taken out unless something of somebody's
        own stands beside them."""
        self._leave()
        found, places = self._rows_now(), self._columns_now()
        new: list[LaidRow] = []
        for laid in self.layout.rows:
            if laid.key not in found:
                new.append(laid)
                continue
            if new:
                self._put_in(new, found[laid.key], places)
                found, new = self._rows_now(), []
            self._renew(found[laid.key], laid, places)
        if new:
            self._put_in(new, max([*found.values(), self.box.bottom]) + 1, places)
        box = self.box
        bottom = max([*self._rows_now().values(), box.top + HEADS - 1])
        right = max([*places.values(), box.left + self.layout.captions - 1]) + len(self.layout.beside)
        self.block["box"] = [box.top, box.left, bottom, max(right, box.left)]

    def _rows_now(self) -> dict[str, int]:
        return keys_in(self.sheet, self.box, self.block)[0]

    def _renew(self, row: int, laid: LaidRow, places: Mapping[str, int]) -> None:
        """Put other choices into a row's formulas, and figures where they are missing."""
        cells = {}
        if self.former != self.layout.tail:
            for column in range(self.box.left, self.box.right + 1):
                cell = self.sheet.cell(row, column)
                if cell.input.startswith("=") and (found := _pattern(self.block).search(cell.input)):
                    text = cell.input.replace(found[0] + self.former + ")", found[0] + self.layout.tail + ")")
                    cells[row, column] = Cell(text, cell.look)
        self.put(cells)
        self.row(row, laid, self.box.left, places)

    def _put_in(self, new: Sequence[LaidRow], before: int, places: Mapping[str, int]) -> None:
        """Put rows in before a row, with what goes along beside their neighbours."""
        self.remap(Remap("insert", "rows", before, len(new)))
        box = self.box
        if before + len(new) - 1 > box.bottom:
            self.block["box"] = [box.top, box.left, before + len(new) - 1, box.right]
        known = set(self._rows_now().values())
        model = next((row for row in (before - 1, before + len(new)) if row in known), None)
        for at, laid in enumerate(new):
            self.row(before + at, laid, self.box.left, places)
            if model is not None and laid.has_figures and not laid.is_total:
                self._beside(model, before + at)
            self.done.told.append(f"{laid.key or laid.captions[0]} is new")

    def _beside(self, model: int, row: int) -> None:
        """Formulas beside a neighbour go on in a new row."""
        cells = {}
        for (at, on), cell in self.sheet.cells.items():
            if at == model and not self.box.left <= on <= self.box.right and (cell.input.startswith("=") or cell.look):
                text = formula_at(cell.input, row - model, 0) if cell.input.startswith("=") else ""
                cells[row, on] = Cell(text, cell.look)
        self.put({place: cell for place, cell in cells.items() if not self.sheet.cell(*place).input})

    def _leave(self) -> None:
        """Take out rows that are gone or empty, and those of somebody's own stay."""
        layout = self.layout
        wanted = {row.key for row in layout.rows}
        for key in [key for key in self._rows_now() if key not in wanted]:
            row = self._rows_now()[key]
            is_known = key in layout.known
            if self._own_beside(row):
                if not is_known:
                    self._strike(row, key)
                continue
            self.remap(Remap("delete", "rows", row, 1))
            self.done.told.append(f"{key} is {'empty' if is_known else 'gone'}")

    def _strike(self, row: int, key: str) -> None:
        """A row whose member is gone stays for what stands beside it, without figures."""
        box = self.box
        cells = {}
        for column in range(box.left, box.right + 1):
            cell = self.sheet.cell(row, column)
            if cell.input.startswith("=") and _pattern(self.block).search(cell.input):
                cells[row, column] = Cell("", cell.look)
        first = self.sheet.cell(row, box.left)
        name = first.input if not first.input.startswith("=") else literal(key)
        mark = " (gone)"
        cells[row, box.left] = Cell(name if name.endswith(mark) else name + mark, first.look)
        self.put(cells)
        self.done.told.append(f"{key} is gone; its row stays for what stands beside it")

    def _own_beside(self, row: int) -> bool:
        """Whether something stands beside a row that its neighbours don't have: a text, a number, another formula."""
        known = [own for own in self._rows_now().values() if own != row]
        near = min(known, key=lambda own: abs(own - row), default=None)
        for (at, on), cell in self.sheet.cells.items():
            if at != row or self.box.left <= on <= self.box.right or not cell.input:
                continue
            if near is None or not cell.input.startswith("="):
                return True
            if formula_at(self.sheet.cell(near, on).input, row - near, 0) != cell.input:
                return True
        return False


def chart_steps(workbook: Workbook, sheet: Sheet, row: int, column: int, view: View, selection: str) -> list[Step]:
    """The chart of accounts from a cell down: codes, and names as formulas; heads stand before what they hold."""
    accounts = view.frame.accounts
    mask = view.visible_accounts()
    if selection.strip():
        meant = meant_codes(accounts, mask, selection.strip())
        if isinstance(meant, SheetError):
            raise NotFound(meant.note, subject="accounts")
        mask = meant
    chosen = [item for item, is_in in zip(accounts.items, mask, strict=True) if is_in]
    if row + len(chosen) > MOST_ROWS or column + 2 > MOST_COLUMNS:
        raise RulkaError(f"{len(chosen):,} rows don't fit.", hint="Begin further up.", subject="accounts")
    cells: dict[tuple[int, int], Cell] = {}
    depths = _depths(item for item in chosen)
    heads = {item.parent for item in chosen}
    for at, item in enumerate(chosen):
        place = cell_text(row + at, column)
        bold: Look = {"bold": True} if item.code in heads else {}
        indent: Look = {"indent": min(depths[item.code], 9)} if depths[item.code] else {}
        cells[row + at, column] = Cell(literal(item.code), workbook.look_number(bold))
        cells[row + at, column + 1] = Cell(f"=RULKA.NAME({place})", workbook.look_number({**bold, **indent}))
    taken = next((place for place in cells if sheet.cell(*place).input), None)
    if taken is not None:
        raise RulkaError(f"{cell_text(*taken)} is not empty.", hint="Choose an empty place.", subject="accounts")
    return [cells_step(sheet, cells)]


def _depths(items: Iterable[Any]) -> dict[str, int]:
    found: dict[str, int] = {}
    every = {item.code: item for item in items}
    for code in every:
        depth, parent = 0, every[code].parent
        while parent in every and depth < 20:
            depth, parent = depth + 1, every[parent].parent
        found[code] = depth
    return found
