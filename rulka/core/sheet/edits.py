"""What somebody does on a sheet, to steps: typing, filling, pasting, clearing, looks, sorting, replacing, names."""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import replace
from decimal import Decimal
from typing import Any

from rulka.core.books.calendar import FiscalCalendar
from rulka.core.errors import NotFound, RulkaError
from rulka.core.sheet.addresses import MOST_COLUMNS, MOST_ROWS, Box, cell_text, letters
from rulka.core.sheet.hiding import AXES as HIDING_AXES
from rulka.core.sheet.hiding import KINDS as HIDING_KINDS
from rulka.core.sheet.inputs import read_input, typed
from rulka.core.sheet.number_format import FormatFault, sections
from rulka.core.sheet.remap import Remap
from rulka.core.sheet.remapping import remap_steps
from rulka.core.sheet.tokens import (
    AreaToken,
    FormulaFault,
    Token,
    moved,
    plain_name,
    quoted_sheet,
    rewritten,
    split_sheet,
    tokens_of,
)
from rulka.core.sheet.values import MOST_TEXT, Scalar, day_of, rank
from rulka.core.sheet.workbook import (
    LOOK_KEYS,
    MOST_FILLED,
    MOST_SHEETS,
    Cell,
    Sheet,
    Step,
    Workbook,
    cells_step,
    settings_step,
)

MOST_TOUCHED = 200_000
MOST_COMMENT = 2_000
Places = Mapping[tuple[int, int], Cell]


def type_cells(workbook: Workbook, sheet: Sheet, texts: Mapping[tuple[int, int], str]) -> list[Step]:
    """Put inputs into cells, looks stay; a day or percent that is typed into a plain cell brings its format."""
    changed = {}
    for (row, column), text in texts.items():
        text = checked(text)
        former = sheet.cell(row, column)
        look = former.look
        if text and not text.startswith("=") and not workbook.look(look).get("number"):
            own = read_input(text).look
            look = workbook.look_number({**workbook.look(look), "number": own}) if own else look
        changed[row, column] = Cell(text, look)
    return _kept(workbook, sheet, changed)


def checked(text: str) -> str:
    """A typed text without what no cell holds."""
    if len(text) > MOST_TEXT:
        raise RulkaError(f"A cell holds at most {MOST_TEXT:,} characters.", hint="Shorten it.", subject="cell")
    text = text.replace("\r\n", "\n").replace("\r", "\n")
    return "".join(character for character in text if character >= " " or character in "\n\t")


def _kept(workbook: Workbook, sheet: Sheet, changed: Places) -> list[Step]:
    """The step for some cells, where the workbook has room for them."""
    if len(changed) > MOST_TOUCHED:
        raise RulkaError(f"At most {MOST_TOUCHED:,} cells change at once.", hint="Choose fewer.", subject="cells")
    step = cells_step(sheet, changed)
    filled = sum(len(one.cells) for one in workbook.sheets)
    if filled + len(step["cells"]) > MOST_FILLED and any(before == ["", 0] for _, _, before, _ in step["cells"]):
        raise RulkaError(
            f"A workbook holds at most {MOST_FILLED:,} filled cells.", hint="Begin another one.", subject="cells"
        )
    return [step] if step["cells"] else []


def clear(workbook: Workbook, sheet: Sheet, box: Box, *, looks: bool = False) -> list[Step]:
    """Empty cells; with `looks` take their looks away too."""
    changed = {place: Cell("", 0 if looks else cell.look) for place, cell in sheet.cells.items() if box.holds(*place)}
    return _kept(workbook, sheet, changed)


def formula_at(text: str, rows: int, columns: int) -> str:
    """An input as it reads so many rows and columns on; only formulas change."""
    if not text.startswith("="):
        return text
    try:
        return "=" + moved(text[1:], rows, columns)
    except FormulaFault:
        return text


# filling --------------------------------------------------------------------------------------------------------------

NUMBERED = re.compile(r"(.*?)([0-9]+)(\D*)", re.DOTALL)


def fill(
    workbook: Workbook, sheet: Sheet, source: Box, target: Box, calendar: FiscalCalendar | None = None
) -> list[Step]:
    """Go on with the cells of `source` over `target`, down or right (or up and left): formulas move along, periods and
    numbers in a row go on, all else repeats."""
    if (target.left, target.right) == (source.left, source.right):
        down = True
    elif (target.top, target.bottom) == (source.top, source.bottom):
        down = False
    else:
        raise RulkaError("Cells are filled down or to the right.", hint="Choose whole rows or columns.", subject="fill")
    changed: dict[tuple[int, int], Cell] = {}
    lines = range(source.left, source.right + 1) if down else range(source.top, source.bottom + 1)
    first, last = (source.top, source.bottom) if down else (source.left, source.right)
    start, end = (target.top, target.bottom) if down else (target.left, target.right)
    for line in lines:
        cells = [sheet.cell(*((at, line) if down else (line, at))) for at in range(first, last + 1)]
        going_on = series([cell.input for cell in cells], calendar)
        for at in range(start, end + 1):
            if first <= at <= last:
                continue
            step = (at - first) % len(cells)
            own = cells[step]
            by = at - first - step
            if going_on is not None:
                text = going_on(at - first)
            else:
                text = formula_at(own.input, by if down else 0, 0 if down else by)
            changed[(at, line) if down else (line, at)] = Cell(text, own.look)
    return _kept(workbook, sheet, changed)


def series(texts: Sequence[str], calendar: FiscalCalendar | None) -> Any:
    """How some inputs go on: periods over year ends, numbers and days by their step, texts that end in a number; None
    where they just repeat."""
    if any(not text or text.startswith("=") for text in texts):
        return None
    periods = _periods(texts, calendar)
    if periods is not None:
        return periods
    values = [read_input(text).value for text in texts]
    if all(isinstance(value, Decimal) for value in values):
        numbers = [value for value in values if isinstance(value, Decimal)]
        is_day = bool(read_input(texts[0]).look == "yyyy-mm-dd")
        if len(numbers) == 1 and not is_day:
            return None
        step = numbers[1] - numbers[0] if len(numbers) > 1 else Decimal(1)
        if any(numbers[at + 1] - numbers[at] != step for at in range(len(numbers) - 1)):
            return None
        return lambda at: _number_text(numbers[0] + step * at, is_day)
    if len(texts) == 1 and (found := NUMBERED.fullmatch(texts[0])) and found[1].strip():
        head, number, tail = found[1], found[2], found[3]
        if re.fullmatch(r"[0-9]*", head) or re.search(r"[0-9]", head):
            return None
        return lambda at: f"{head}{int(number) + at:0{len(number)}d}{tail}" if int(number) + at >= 0 else texts[0]
    return None


def _number_text(number: Decimal, is_day: bool) -> str:
    return day_of(number).isoformat() if is_day else f"{number:f}"


PERIOD_LIKE = re.compile(r"[0-9]{4}-(?:P[0-9]{2}|Q[1-4]|[0-9]{2})|[0-9]{4}", re.ASCII)


def _periods(texts: Sequence[str], calendar: FiscalCalendar | None) -> Any:
    """Periods, months and quarters one after the other, as the ledger's calendar has them."""
    if calendar is None or not all(PERIOD_LIKE.fullmatch(text) for text in texts):
        return None
    kinds = {("P" in text, "Q" in text, len(text)) for text in texts}
    if len(kinds) != 1 or len(texts[0]) == 4:
        return None
    places = [_period_place(text, calendar) for text in texts]
    if any(place is None for place in places):
        return None
    numbers = [place for place in places if place is not None]
    step = numbers[1] - numbers[0] if len(numbers) > 1 else 1
    if any(numbers[at + 1] - numbers[at] != step for at in range(len(numbers) - 1)):
        return None
    return lambda at: _period_text(numbers[0] + step * at, texts[0], calendar)


def _per_year(text: str, calendar: FiscalCalendar) -> int:
    if "Q" in text:
        return 4
    if "P" not in text:
        return 12
    year = int(text[:4])
    return sum(not period.adjusting for period in calendar.of_year(year)) or 12


def _period_place(text: str, calendar: FiscalCalendar) -> int | None:
    per_year = _per_year(text, calendar)
    number = int(text[-1:] if "Q" in text else text[-2:])
    return int(text[:4]) * per_year + number - 1 if 1 <= number <= per_year else None


def _period_text(place: int, like: str, calendar: FiscalCalendar) -> str:
    per_year = _per_year(like, calendar)
    year, number = divmod(place, per_year)
    if "Q" in like:
        return f"{year:04d}-Q{number + 1}"
    return f"{year:04d}-{'P' if 'P' in like else ''}{number + 1:02d}"


# copying and pasting --------------------------------------------------------------------------------------------------


PASTED = ("all", "inputs", "looks", "values")


def copy(
    workbook: Workbook,
    source: Sheet,
    box: Box,
    sheet: Sheet,
    target: Box,
    *,
    what: str = "all",
    value_at: Callable[[int, int], Scalar] | None = None,
) -> list[Step]:
    """Copy cells; into a larger place several times over. `what` is all, inputs (formulas alone), looks, or values,
    which `value_at` gives."""
    if what not in PASTED or (what == "values" and value_at is None):
        raise NotFound(f"'{what[:20]}' can't be pasted.", hint=f"Paste {', '.join(PASTED)}.", subject="paste")
    down = max(target.rows // box.rows, 1) if target.rows % box.rows == 0 else 1
    across = max(target.columns // box.columns, 1) if target.columns % box.columns == 0 else 1
    changed: dict[tuple[int, int], Cell] = {}
    for row in range(box.rows * down):
        for column in range(box.columns * across):
            own_row, own_column = box.top + row % box.rows, box.left + column % box.columns
            cell = source.cell(own_row, own_column)
            at = (target.top + row, target.left + column)
            if at[0] >= MOST_ROWS or at[1] >= MOST_COLUMNS:
                raise RulkaError("What is pasted doesn't fit on the sheet.", hint="Paste further up.", subject="paste")
            former = sheet.cell(*at)
            text = formula_at(cell.input, at[0] - own_row, at[1] - own_column)
            if what == "values" and value_at is not None:
                text = typed(value_at(own_row, own_column))
            changed[at] = Cell(
                former.input if what == "looks" else text, former.look if what in ("inputs", "values") else cell.look
            )
    return _kept(workbook, sheet, changed)


def cut(workbook: Workbook, source: Sheet, box: Box, sheet: Sheet, row: int, column: int) -> list[Step]:
    """Move cells elsewhere; formulas that refer to them follow, their own stay as they are."""
    down, across = row - box.top, column - box.left
    if row + box.rows > MOST_ROWS or column + box.columns > MOST_COLUMNS:
        raise RulkaError("What is pasted doesn't fit on the sheet.", hint="Paste further up.", subject="paste")
    moving = {place: cell for place, cell in source.cells.items() if box.holds(*place)}
    changed: dict[int, dict[tuple[int, int], Cell]] = {sheet.number: {}, source.number: {}}
    changed[source.number].update({place: Cell() for place in moving})
    for place in Box(row, column, row + box.rows - 1, column + box.columns - 1).cells():
        changed[sheet.number][place] = Cell()
    for (at, on), cell in moving.items():
        changed[sheet.number][at + down, on + across] = cell
    for other in workbook.sheets:
        own = changed.setdefault(other.number, {})
        cells = {**other.cells, **own}
        for place, cell in cells.items():
            if cell.input.startswith("="):
                text = _following(cell.input, other, source, sheet, box, down, across)
                if text != cell.input:
                    own[place] = Cell(text, cell.look)
    steps = []
    for number, cells in changed.items():
        steps += _kept(workbook, workbook.sheet(number), cells)
    return [*steps, *_settings_moved(source, box, sheet, down, across)]


def _settings_moved(source: Sheet, box: Box, sheet: Sheet, down: int, across: int) -> list[Step]:
    """Comments of moved cells, and blocks all of which was moved, go along."""
    comments = source.settings.get("comments", {})
    going = {cell: comment for cell, comment in comments.items() if box.holds(*(int(part) for part in cell.split(",")))}
    blocks = source.settings.get("blocks", [])
    whole = [block for block in blocks if _inside(Box(*block["box"]), box)]
    if not going and not whole:
        return []
    left = {
        **source.settings,
        "comments": {cell: comment for cell, comment in comments.items() if cell not in going},
        "blocks": [block for block in blocks if block not in whole],
    }
    target = left if sheet is source else dict(sheet.settings)
    numbers = [int(block["id"][1:]) for block in target.get("blocks", [])]
    free = max(numbers, default=0)
    moved = []
    for number, block in enumerate(whole, 1):
        top, left_edge, bottom, right = block["box"]
        moving: dict[str, Any] = {"box": [top + down, left_edge + across, bottom + down, right + across]}
        name = block["id"] if sheet is source else f"b{free + number}"
        for key, by in (("keys", down), ("column keys", across)):
            if key in block:
                moving[key] = {str(int(line) + by): text for line, text in block[key].items()}
        moved.append({**block, **moving, "id": name})
    said_there = {}
    for cell, comment in going.items():
        row, column = (int(part) for part in cell.split(","))
        said_there[f"{row + down},{column + across}"] = comment
    after = {
        **target,
        "comments": {**target.get("comments", {}), **said_there},
        "blocks": [*target.get("blocks", []), *moved],
    }
    steps = [] if sheet is source else [settings_step(source, {k: v for k, v in left.items() if v})]
    return [*steps, settings_step(sheet, {k: v for k, v in after.items() if v})]


def _inside(inner: Box, outer: Box) -> bool:
    return outer.holds(inner.top, inner.left) and outer.holds(inner.bottom, inner.right)


def _following(text: str, own: Sheet, source: Sheet, sheet: Sheet, box: Box, down: int, across: int) -> str:
    def change(area: AreaToken) -> AreaToken | None:
        named = area.sheet or own.name
        if named.casefold() != source.name.casefold() or None in (area.top, area.left, area.bottom, area.right):
            return area
        assert area.top is not None and area.left is not None and area.bottom is not None and area.right is not None
        if not (box.holds(area.top, area.left) and box.holds(area.bottom, area.right)):
            return area
        name = area.sheet if sheet is source else sheet.name
        return replace(
            area,
            sheet=name,
            top=area.top + down,
            bottom=area.bottom + down,
            left=area.left + across,
            right=area.right + across,
        )

    try:
        return "=" + rewritten(text[1:], change)
    except FormulaFault:
        return text


def rows_in(text: str) -> list[list[str]]:
    """Cells from the clipboard of a desktop spreadsheet: tabs between, quotes around those with breaks."""
    text = text.replace("\r\n", "\n").replace("\r", "\n").removesuffix("\n")
    csv.field_size_limit(10_000_000)
    return list(csv.reader(io.StringIO(text), delimiter="\t"))


def paste_text(workbook: Workbook, sheet: Sheet, row: int, column: int, text: str) -> list[Step]:
    """Put pasted cells in. What looks like a formula is data from elsewhere and stays text."""
    rows = rows_in(text)
    if not rows:
        return []
    if row + len(rows) > MOST_ROWS or column + max(map(len, rows)) > MOST_COLUMNS:
        raise RulkaError(
            f"{len(rows):,} rows and {max(map(len, rows))} columns don't fit from {cell_text(row, column)} on.",
            hint=f"The sheet has {MOST_ROWS:,} rows and {MOST_COLUMNS} columns.",
            subject="paste",
        )
    texts = {}
    for at, cells in enumerate(rows):
        for on, cell in enumerate(cells):
            texts[row + at, column + on] = "'" + cell if cell.startswith("=") else cell
    return type_cells(workbook, sheet, texts)


# looks ----------------------------------------------------------------------------------------------------------------

FILLS = ("", "wash", "note", "alarm", "head", "input")
ALIGNS = ("", "left", "center", "right")
RULINGS = ("", "single", "double")
CHOICES = {
    "fill": FILLS,
    "align": ALIGNS,
    "top": RULINGS,
    "bottom": RULINGS,
    "left": RULINGS,
    "right": RULINGS,
}


def check_look(look: Mapping[str, Any]) -> None:
    """Refuse what is no look, in words."""
    for key, value in look.items():
        if key not in LOOK_KEYS or (key in CHOICES and value not in CHOICES[key]):
            raise NotFound(f"'{value}' is no {key}.", hint="Choose one of the list.", subject="look")
    if look.get("number"):
        try:
            sections(str(look["number"]))
        except FormatFault as fault:
            raise RulkaError(str(fault), hint="Write #,##0.00 or choose one.", subject="number") from None


def set_look(workbook: Workbook, sheet: Sheet, boxes: Iterable[Box], look: Mapping[str, Any]) -> list[Step]:
    """Give cells parts of a look; what isn't named stays."""
    check_look(look)
    changed = {}
    for box in boxes:
        if box.size > MOST_TOUCHED:
            raise RulkaError("Too many cells at once.", hint="Choose fewer.", subject="cells")
        for place in box.cells():
            cell = sheet.cell(*place)
            changed[place] = Cell(cell.input, workbook.look_number({**workbook.look(cell.look), **look}))
    return _kept(workbook, sheet, changed)


def column_look(sheet: Sheet, first: int, last: int, look: Mapping[str, Any]) -> list[Step]:
    """Give whole columns parts of a look, for cells that don't say otherwise; one that says nothing takes it away."""
    check_look(look)
    found = {column: dict(own) for column, own in sheet.settings.get("column looks", {}).items()}
    for column in range(first, last + 1):
        merged = {key: value for key, value in {**found.get(str(column), {}), **look}.items() if value}
        found[str(column)] = merged if look else {}
    return set_setting(sheet, column_looks={column: own for column, own in found.items() if own})


def comment(sheet: Sheet, row: int, column: int, text: str, who: str, at: str) -> list[Step]:
    """Put a comment to a cell, or take it away with an empty one."""
    if len(text) > MOST_COMMENT:
        raise RulkaError(f"A comment has at most {MOST_COMMENT:,} characters.", hint="Shorten it.", subject="comment")
    found = dict(sheet.settings.get("comments", {}))
    found.pop(f"{row},{column}", None)
    if text.strip():
        found[f"{row},{column}"] = {"text": checked(text.strip()), "who": who, "at": at}
    return set_setting(sheet, comments=found)


def hide_by(sheet: Sheet, box: Box, kind: str, axis: str) -> list[Step]:
    """Let rows or columns of a box hide themselves; without a kind, no more."""
    rules = [rule for rule in sheet.settings.get("hiding", ()) if not Box(*rule["box"]).meets(box)]
    if kind and (kind not in HIDING_KINDS or axis not in HIDING_AXES):
        raise NotFound(f"'{kind[:20]} {axis[:20]}' can't hide.", hint="Choose from the list.", subject="hide")
    if kind:
        rules.append({"kind": kind, "axis": axis, "box": [box.top, box.left, box.bottom, box.right]})
    return set_setting(sheet, hiding=rules)


# order, find, sums ----------------------------------------------------------------------------------------------------


def sort_rows(
    workbook: Workbook, sheet: Sheet, box: Box, column: int, values: Mapping[tuple[int, int], Scalar], *, falling: bool
) -> list[Step]:
    """Put the rows of a box in order of a column's values; formulas move with their rows."""
    if not box.left <= column <= box.right:
        raise RulkaError("The column lies outside of what is sorted.", hint="Choose one of it.", subject="sort")
    rows = list(range(box.top, box.bottom + 1))
    empty = [row for row in rows if values.get((row, column)) is None]
    full = [row for row in rows if values.get((row, column)) is not None]
    full.sort(key=lambda row: rank(values[row, column]), reverse=falling)
    changed = {}
    for at, row in zip(rows, [*full, *empty], strict=True):
        for on in range(box.left, box.right + 1):
            cell = sheet.cell(row, on)
            changed[at, on] = Cell(formula_at(cell.input, at - row, 0), cell.look)
    return _kept(workbook, sheet, changed)


def replace_all(
    workbook: Workbook, sheet: Sheet, box: Box, wanted: str, new: str, *, any_case: bool = True
) -> list[Step]:
    """Put a text in place of another one in the inputs of a box."""
    if not wanted:
        raise RulkaError("Say what is to be replaced.", hint="Type it.", subject="find")
    pattern = re.compile(re.escape(wanted), re.IGNORECASE if any_case else 0)
    texts = {}
    for place, cell in sheet.cells.items():
        if box.holds(*place) and pattern.search(cell.input):
            texts[place] = pattern.sub(lambda _: new, cell.input)
    return type_cells(workbook, sheet, texts)


def sum_above(
    workbook: Workbook, sheet: Sheet, row: int, column: int, filled: Mapping[tuple[int, int], Scalar]
) -> list[Step]:
    """Put in the sum of the numbers right above a cell, else of those to its left."""
    top = row
    while top > 0 and isinstance(filled.get((top - 1, column)), Decimal):
        top -= 1
    if top < row:
        area = f"{letters(column)}{top + 1}:{letters(column)}{row}"
    else:
        left = column
        while left > 0 and isinstance(filled.get((row, left - 1)), Decimal):
            left -= 1
        if left == column:
            raise RulkaError(
                "There are no numbers above or to the left.", hint="Stand below a column of numbers.", subject="sum"
            )
        area = f"{cell_text(row, left)}:{cell_text(row, column - 1)}"
    return type_cells(workbook, sheet, {(row, column): f"=SUM({area})"})


# rows, columns, sheets, names -----------------------------------------------------------------------------------------


def remap(workbook: Workbook, sheet: Sheet, kind: str, axis: str, at: int, count: int, to: int = 0) -> list[Step]:
    """Put rows or columns in, take them out, or move them."""
    if kind not in ("insert", "delete", "move") or axis not in ("rows", "columns"):
        raise NotFound(
            f"'{kind} {axis}' can't be done.", hint="Insert, delete or move rows or columns.", subject="rows"
        )
    return remap_steps(workbook, sheet, Remap(kind, axis, at, count, to))


def set_setting(sheet: Sheet, **settings: Any) -> list[Step]:
    """Give a sheet other settings; None takes one away."""
    after = {**sheet.settings, **{name.replace("_", " "): value for name, value in settings.items()}}
    after = {name: value for name, value in after.items() if value not in (None, [], {})}
    return [settings_step(sheet, after)] if after != sheet.settings else []


def sheets_step(workbook: Workbook, after: list[tuple[int, str]]) -> Step:
    before = [[sheet.number, sheet.name] for sheet in workbook.sheets]
    return {"kind": "sheets", "before": before, "after": [list(one) for one in after]}


def _sheet_name(workbook: Workbook, name: str, own: Sheet | None = None) -> str:
    name = " ".join(name.split())
    if not name or len(name) > 31 or re.search(r"[\[\]:*?/\\]", name) or name.startswith("'") or name.endswith("'"):
        raise RulkaError(
            f"'{name[:40]}' can't be the name of a sheet.",
            hint="Give at most 31 characters without [ ] : * ? / \\.",
            subject="sheet",
        )
    if any(sheet is not own and sheet.name.casefold() == name.casefold() for sheet in workbook.sheets):
        raise RulkaError(f"There is a sheet '{name}' already.", hint="Choose another name.", subject="sheet")
    return name


def add_sheet(workbook: Workbook, name: str = "") -> list[Step]:
    """One more sheet at the end."""
    if len(workbook.sheets) >= MOST_SHEETS:
        raise RulkaError(f"A workbook has at most {MOST_SHEETS} sheets.", hint="Begin another one.", subject="sheet")
    known = {sheet.name.casefold() for sheet in workbook.sheets}
    name = name or next(f"Sheet {number}" for number in range(1, 99) if f"sheet {number}" not in known)
    number = max((sheet.number for sheet in workbook.sheets), default=0) + 1
    before = [(sheet.number, sheet.name) for sheet in workbook.sheets]
    return [sheets_step(workbook, [*before, (number, _sheet_name(workbook, name))])]


def rename_sheet(workbook: Workbook, sheet: Sheet, name: str) -> list[Step]:
    """Another name for a sheet; formulas that name it follow."""
    name = _sheet_name(workbook, name, sheet)
    steps = [sheets_step(workbook, [(one.number, name if one is sheet else one.name) for one in workbook.sheets])]
    for other in workbook.sheets:
        changed = {}
        for place, cell in other.cells.items():
            if cell.input.startswith("=") and (text := _renamed(cell.input, sheet.name, name)) != cell.input:
                changed[place] = Cell(text, cell.look)
        if changed:
            steps.append(cells_step(other, changed))
    names = {own: _renamed(text, sheet.name, name) for own, text in workbook.names.items()}
    if names != workbook.names:
        steps.append({"kind": "names", "before": dict(workbook.names), "after": names})
    return steps


def _renamed(text: str, old: str, new: str) -> str:
    def piece(token: Token) -> str:
        if token.kind != "area" or "!" not in token.text:
            return token.text
        named, rest = split_sheet(token.text)
        return f"{quoted_sheet(new)}!{rest}" if named.casefold() == old.casefold() else token.text

    try:
        return "=" + "".join(map(piece, tokens_of(text[1:]))) if text.startswith("=") else text
    except FormulaFault:
        return text


def delete_sheet(workbook: Workbook, sheet: Sheet) -> list[Step]:
    """Take a sheet out; what refers to it shows that it is gone."""
    if len(workbook.sheets) == 1:
        raise RulkaError("The only sheet stays.", hint="Add another one first.", subject="sheet")
    steps: list[Step] = []
    if sheet.cells:
        steps.append(cells_step(sheet, dict.fromkeys(sheet.cells, Cell())))
    if sheet.settings:
        steps.append(settings_step(sheet, {}))
    kept = [one for one in workbook.parameters if one["sheet"] != sheet.number]
    if kept != workbook.parameters:
        steps.append({"kind": "parameters", "before": workbook.parameters, "after": kept})
    return [*steps, sheets_step(workbook, [(one.number, one.name) for one in workbook.sheets if one is not sheet])]


NAME = re.compile(r"[^\W\d][\w.]{0,60}")


def name_cells(workbook: Workbook, sheet: Sheet, box: Box, name: str) -> list[Step]:
    """Give cells a name that formulas can use; an empty box takes the name away."""
    plain = name.strip()
    tokens = tokens_of(plain) if plain else []
    if (
        NAME.fullmatch(plain) is None
        or len(tokens) != 1
        or tokens[0].kind != "name"
        or plain_name(plain) in ("TRUE", "FALSE", "RULKA")
    ):
        raise RulkaError(
            f"'{name[:40]}' can't be a name.",
            hint="Begin with a letter, go on with letters, digits, _ and .; it may not read like a cell.",
            subject="name",
        )
    first, last = cell_text(box.top, box.left), cell_text(box.bottom, box.right)
    pinned = ":".join(
        re.sub(r"([A-Z]+)([0-9]+)", r"$\1$\2", end) for end in ([first] if first == last else [first, last])
    )
    names = {own: text for own, text in workbook.names.items() if own.casefold() != plain.casefold()}
    names[plain] = f"={quoted_sheet(sheet.name)}!{pinned}"
    return [{"kind": "names", "before": dict(workbook.names), "after": names}]


def drop_name(workbook: Workbook, name: str) -> list[Step]:
    """Take a name away."""
    names = {own: text for own, text in workbook.names.items() if own.casefold() != name.casefold()}
    if names == workbook.names:
        raise NotFound(f"Nothing is named '{name}'.", subject="name")
    return [{"kind": "names", "before": dict(workbook.names), "after": names}]
