"""What a page asks for, as plain data, to an action on a workbook and its words in the history."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from rulka.core.errors import NotFound, RulkaError
from rulka.core.sheet import edits
from rulka.core.sheet.addresses import MOST_COLUMNS, MOST_ROWS, Box, letters
from rulka.core.sheet.parameters import KINDS
from rulka.core.sheet.workbook import Sheet, Step, Workbook
from rulka.worksheets.editing.edit import Action
from rulka.worksheets.running.live import Live

Asked = Mapping[str, Any]
MOST_TYPED = 50_000


def whole(asked: Asked, name: str, least: int = 0, most: int = MOST_ROWS) -> int:
    """A whole number of what was asked; refused where it is none."""
    value = asked.get(name)
    if isinstance(value, bool) or not isinstance(value, int) or not least <= value <= most:
        raise RulkaError(f"'{str(value)[:40]}' is no {name}.", hint="Load the page again.", subject=name)
    return value


def text(asked: Asked, name: str, default: str = "") -> str:
    """A text of what was asked."""
    value = asked.get(name, default)
    if not isinstance(value, str):
        raise RulkaError(f"'{str(value)[:40]}' is no {name}.", hint="Load the page again.", subject=name)
    return value


def box(asked: Asked, name: str = "box") -> Box:
    """Cells from a first to a last, as four numbers."""
    value = asked.get(name)
    numbers = isinstance(value, list) and len(value) == 4 and all(type(number) is int for number in value)
    if not numbers or value is None:
        raise RulkaError("The cells are not told.", hint="Choose them and try again.", subject=name)
    top, left, bottom, right = value
    if not (0 <= top <= bottom < MOST_ROWS and 0 <= left <= right < MOST_COLUMNS):
        raise RulkaError("The cells lie outside of the sheet.", hint="Choose some of it.", subject=name)
    return Box(top, left, bottom, right)


def sheet_in(workbook: Workbook, asked: Asked, name: str = "sheet") -> Sheet:
    return workbook.sheet(whole(asked, name, 0, 10**6))


def _type(asked: Asked) -> tuple[str, Action]:
    cells = asked.get("cells")
    if not isinstance(cells, list) or len(cells) > MOST_TYPED:
        raise RulkaError("The cells are not told.", hint="Try again.", subject="cells")
    texts = {}
    for one in cells:
        if not (
            isinstance(one, list)
            and len(one) == 3
            and type(one[0]) is int
            and type(one[1]) is int
            and isinstance(one[2], str)
        ):
            raise RulkaError("A cell is not told.", hint="Try again.", subject="cells")
        texts[one[0], one[1]] = one[2]
    first = next(iter(texts), (0, 0))
    what = (
        f"typed into {letters(max(first[1], 0))}{first[0] + 1}" if len(texts) == 1 else f"typed into {len(texts)} cells"
    )
    return what, lambda workbook, live: edits.type_cells(workbook, sheet_in(workbook, asked), texts)


def _clear(asked: Asked) -> tuple[str, Action]:
    own = box(asked)
    looks = asked.get("looks") is True
    return f"cleared {own.text()}", lambda workbook, live: edits.clear(
        workbook, sheet_in(workbook, asked), own, looks=looks
    )


def _fill(asked: Asked) -> tuple[str, Action]:
    source, target = box(asked, "source"), box(asked, "target")

    def act(workbook: Workbook, live: Live) -> list[Step]:
        calendar = live.reader.view.frame.calendar
        return edits.fill(workbook, sheet_in(workbook, asked), source, target, calendar)

    return f"filled {target.text()}", act


def _copy(asked: Asked) -> tuple[str, Action]:
    source, target = box(asked, "source"), box(asked, "target")
    what = text(asked, "what", "all")

    def act(workbook: Workbook, live: Live) -> list[Step]:
        own = sheet_in(workbook, asked, "from")
        return edits.copy(workbook, own, source, sheet_in(workbook, asked), target, what=what)

    return f"copied {source.text()}", act


def _cut(asked: Asked) -> tuple[str, Action]:
    source, target = box(asked, "source"), box(asked, "target")

    def act(workbook: Workbook, live: Live) -> list[Step]:
        own = sheet_in(workbook, asked, "from")
        return edits.cut(workbook, own, source, sheet_in(workbook, asked), target.top, target.left)

    return f"moved {source.text()}", act


def _paste(asked: Asked) -> tuple[str, Action]:
    target, pasted = box(asked, "target"), text(asked, "text")
    return (
        f"pasted at {target.text()}",
        lambda workbook, live: edits.paste_text(workbook, sheet_in(workbook, asked), target.top, target.left, pasted),
    )


def _look(asked: Asked) -> tuple[str, Action]:
    own, look = box(asked), asked.get("look")
    if not isinstance(look, dict):
        raise RulkaError("The look is not told.", hint="Try again.", subject="look")
    return f"gave {own.text()} another look", lambda workbook, live: edits.set_look(
        workbook, sheet_in(workbook, asked), [own], look
    )


def _remap(asked: Asked) -> tuple[str, Action]:
    kind, axis = text(asked, "kind"), text(asked, "axis")
    at, count, to = whole(asked, "at"), whole(asked, "count", 1), whole({"to": 0, **asked}, "to")
    verb = {"insert": "put in", "delete": "took out", "move": "moved"}.get(kind, kind)
    noun = axis if count > 1 else axis.removesuffix("s")
    what = f"{verb} {count} {noun} at {at + 1 if axis == 'rows' else letters(at)}"
    return what, lambda workbook, live: edits.remap(workbook, sheet_in(workbook, asked), kind, axis, at, count, to)


def _sort(asked: Asked) -> tuple[str, Action]:
    own, column, falling = box(asked), whole(asked, "column", 0, MOST_COLUMNS - 1), asked.get("falling") is True

    def act(workbook: Workbook, live: Live) -> list[Step]:
        sheet = sheet_in(workbook, asked)
        values = {
            (row, column): live.calculation.shown_at((sheet.number, row, column))
            for row in range(own.top, own.bottom + 1)
        }
        return edits.sort_rows(workbook, sheet, own, column, values, falling=falling)

    return f"sorted {own.text()}", act


def _replace(asked: Asked) -> tuple[str, Action]:
    wanted, new = text(asked, "wanted"), text(asked, "new")
    own = box(asked) if asked.get("box") else Box(0, 0, MOST_ROWS - 1, MOST_COLUMNS - 1)
    return f"replaced '{wanted[:40]}'", lambda workbook, live: edits.replace_all(
        workbook, sheet_in(workbook, asked), own, wanted, new
    )


def _sum(asked: Asked) -> tuple[str, Action]:
    own = box(asked)

    def act(workbook: Workbook, live: Live) -> list[Step]:
        sheet = sheet_in(workbook, asked)
        lines = [(row, own.left) for row in range(own.top)] + [(own.top, column) for column in range(own.left)]
        filled = {place: live.calculation.shown_at((sheet.number, *place)) for place in lines}
        return edits.sum_above(workbook, sheet, own.top, own.left, filled)

    return f"summed up in {Box(own.top, own.left, own.top, own.left).text()}", act


def _setting(asked: Asked) -> tuple[str, Action]:
    name = text(asked, "name")
    work = SETTINGS.get(name)
    if work is None:
        raise NotFound(f"'{name[:40]}' can't be set.", hint="Load the page again.", subject="setting")
    return name, lambda workbook, live: work(sheet_in(workbook, asked), asked)


def _width(sheet: Sheet, asked: Asked) -> list[Step]:
    widths = dict(sheet.settings.get("widths", {}))
    widths[str(whole(asked, "column", 0, MOST_COLUMNS - 1))] = whole(asked, "width", 24, 800)
    return edits.set_setting(sheet, widths=widths)


def _hide(axis: str, most: int) -> Callable[[Sheet, Asked], list[Step]]:
    def act(sheet: Sheet, asked: Asked) -> list[Step]:
        first, last = whole(asked, "first", 0, most - 1), whole(asked, "last", 0, most - 1)
        chosen = set(range(first, last + 1))
        hidden = set(sheet.settings.get(f"hidden {axis}", ()))
        hidden = hidden | chosen if asked.get("hidden") is True else hidden - chosen
        return edits.set_setting(sheet, **{f"hidden_{axis}": sorted(hidden)})

    return act


def _frozen(sheet: Sheet, asked: Asked) -> list[Step]:
    rows, columns = whole(asked, "rows", 0, 50), whole(asked, "columns", 0, 20)
    return edits.set_setting(sheet, frozen=[rows, columns] if rows or columns else None)


def _span(sheet: Sheet, asked: Asked) -> list[Step]:
    own = box(asked)
    spans = [one for one in sheet.settings.get("spans", ()) if not Box(*one["box"]).meets(own)]
    if asked.get("on") is True and own.size > 1:
        spans.append({"box": [own.top, own.left, own.bottom, own.right]})
    return edits.set_setting(sheet, spans=spans)


def _choices(sheet: Sheet, asked: Asked) -> list[Step]:
    own, given = box(asked), text(asked, "choices")
    kept = [one for one in sheet.settings.get("choices", ()) if not Box(*one["box"]).meets(own)]
    if given.strip():
        kept.append({"box": [own.top, own.left, own.bottom, own.right], "from": given.strip()[:2_000]})
    return edits.set_setting(sheet, choices=kept)


def _filter(sheet: Sheet, asked: Asked) -> list[Step]:
    """Show only rows whose cell in a column is one of some texts; none takes the filter away."""
    values = asked.get("values")
    if values is None:
        return edits.set_setting(sheet, filter=None)
    own, column = box(asked), whole(asked, "column", 0, MOST_COLUMNS - 1)
    if not isinstance(values, list) or not all(isinstance(value, str) for value in values):
        raise RulkaError("What is shown is not told.", hint="Choose some values.", subject="filter")
    return edits.set_setting(
        sheet, filter={"box": [own.top, own.left, own.bottom, own.right], "column": column, "values": values[:5_000]}
    )


SETTINGS: dict[str, Callable[[Sheet, Asked], list[Step]]] = {
    "width": _width,
    "hidden rows": _hide("rows", MOST_ROWS),
    "hidden columns": _hide("columns", MOST_COLUMNS),
    "frozen": _frozen,
    "span": _span,
    "choices": _choices,
    "filter": _filter,
}


def _sheet(asked: Asked) -> tuple[str, Action]:
    how = text(asked, "how")
    if how == "add":
        return "added a sheet", lambda workbook, live: edits.add_sheet(workbook, text(asked, "name"))
    if how == "rename":
        return "renamed a sheet", lambda workbook, live: edits.rename_sheet(
            workbook, sheet_in(workbook, asked), text(asked, "name")
        )
    if how == "delete":
        return "deleted a sheet", lambda workbook, live: edits.delete_sheet(workbook, sheet_in(workbook, asked))
    raise NotFound(f"'{how[:40]}' can't be done with a sheet.", subject="sheet")


def _name(asked: Asked) -> tuple[str, Action]:
    name = text(asked, "name")
    if asked.get("box") is None:
        return f"dropped the name {name[:40]}", lambda workbook, live: edits.drop_name(workbook, name)
    own = box(asked)
    return f"named {own.text()}", lambda workbook, live: edits.name_cells(
        workbook, sheet_in(workbook, asked), own, name
    )


def _parameter(asked: Asked) -> tuple[str, Action]:
    """Make a cell a parameter, change one, or take it back to a plain cell (without a kind)."""
    own, kind = box(asked), text(asked, "kind")
    if kind and kind not in KINDS:
        raise NotFound(f"'{kind[:40]}' is no kind of parameter.", hint=f"There are {', '.join(KINDS)}.", subject="kind")

    def act(workbook: Workbook, live: Live) -> list[Step]:
        sheet = sheet_in(workbook, asked)
        cell = [own.top, own.left]
        kept = [one for one in workbook.parameters if (one["sheet"], one["cell"]) != (sheet.number, cell)]
        if kind:
            name = text(asked, "name").strip()[:60] or Box(own.top, own.left, own.top, own.left).text()
            if any(one["name"] == name for one in kept):
                raise RulkaError(f"There is a parameter '{name}' already.", hint="Choose another name.", subject="name")
            given = text(asked, "choices").strip()
            listed = given if given.startswith("=") else ""
            choices = [] if listed else [part.partition("=") for part in given.split(";") if part.strip()]
            kept = [
                *kept,
                {
                    "name": name,
                    "kind": kind,
                    "sheet": sheet.number,
                    "cell": cell,
                    "title": text(asked, "title").strip()[:80],
                    "hint": text(asked, "hint").strip()[:200],
                    "choices": [[code.strip(), title.strip()] for code, _, title in choices],
                    "listed": listed[:200],
                    "follows": asked.get("follows") is True,
                    "ask": asked.get("ask") is True,
                    "until": text(asked, "until").strip(),
                },
            ]
        if kept == workbook.parameters:
            return []
        return [{"kind": "parameters", "before": workbook.parameters, "after": kept}]

    return f"{'made' if kind else 'took back'} a parameter at {own.text()}", act


ACTIONS: dict[str, Callable[[Asked], tuple[str, Action]]] = {
    "type": _type,
    "clear": _clear,
    "fill": _fill,
    "copy": _copy,
    "cut": _cut,
    "paste": _paste,
    "look": _look,
    "remap": _remap,
    "sort": _sort,
    "replace": _replace,
    "sum": _sum,
    "setting": _setting,
    "sheet": _sheet,
    "name": _name,
    "parameter": _parameter,
}


def action_for(asked: Asked) -> tuple[str, Action]:
    """The words and the action for what a page asks; raises NotFound for what can't be done."""
    do = text(asked, "do")
    if do not in ACTIONS:
        raise NotFound(f"'{do[:40]}' can't be done with a worksheet.", hint="Load the page again.", subject="edit")
    return ACTIONS[do](asked)
