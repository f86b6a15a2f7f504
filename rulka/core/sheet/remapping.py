"""Rows and columns put in, taken out or moved: cells and settings move along, references keep what they mean."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

from rulka.core.errors import RulkaError
from rulka.core.sheet.remap import Remap
from rulka.core.sheet.steps import apply
from rulka.core.sheet.tokens import AreaToken, FormulaFault, rewritten
from rulka.core.sheet.workbook import Cell, Sheet, Step, Workbook, cells_step, copied, settings_step


def _rewritten(sheet: Sheet, change: Callable[[AreaToken], AreaToken | None]) -> dict[tuple[int, int], Cell]:
    """The cells of a sheet whose formulas read otherwise once their areas are changed."""
    changed = {}
    for place, cell in sheet.cells.items():
        if cell.input.startswith("="):
            text = _rewrite(cell.input, change)
            if text != cell.input:
                changed[place] = Cell(text, cell.look)
    return changed


def remap_steps(workbook: Workbook, sheet: Sheet, remap: Remap) -> list[Step]:
    """The steps that put rows or columns in, take them out or move them, everywhere in the workbook.

    What is taken out is emptied first, so that taking the steps back brings it back.
    """
    _check(sheet, remap)
    steps: list[Step] = []
    by_row = remap.axis == "rows"
    gone = {place: Cell() for place in sheet.cells if remap.place(place[0] if by_row else place[1]) is None}
    trial = copied(workbook)
    if gone:
        steps.append(cells_step(sheet, gone))
        apply(trial, steps[-1])
    steps.append({"kind": "remap", "sheet": sheet.number, "remap": remap.plain()})
    apply(trial, steps[-1])

    def changer(own: bool) -> Callable[[AreaToken], AreaToken | None]:
        return lambda area: changed_area(area, remap) if _means(area, own, sheet) else area

    for other in trial.sheets:
        changed = _rewritten(other, changer(other.number == sheet.number))
        if changed:
            steps.append(cells_step(other, changed))
    for other in workbook.sheets:
        own = other.number == sheet.number
        settings = remapped_settings(other.settings, remap) if own else other.settings
        settings = _with_choices(settings, changer(own))
        if settings != other.settings:
            steps.append(settings_step(other, settings))
    names = {name: _rewrite(text, changer(False)) for name, text in workbook.names.items()}
    if names != workbook.names:
        steps.append({"kind": "names", "before": dict(workbook.names), "after": names})
    parameters = [_parameter(one, sheet, remap) for one in workbook.parameters]
    kept = [one for one in parameters if one is not None]
    if kept != workbook.parameters:
        steps.append({"kind": "parameters", "before": workbook.parameters, "after": kept})
    return steps


def _with_choices(settings: dict[str, Any], change: Callable[[AreaToken], AreaToken | None]) -> dict[str, Any]:
    """Settings whose blocks choose by cells, after these went elsewhere."""
    blocks = settings.get("blocks")
    if not blocks:
        return settings
    moved = []
    for one in blocks:
        choices = {of: _rewrite(text, change) for of, text in one.get("choices", {}).items()}
        moved.append({**one, "choices": choices})
    return settings if moved == blocks else {**settings, "blocks": moved}


def _check(sheet: Sheet, remap: Remap) -> None:
    word = remap.axis
    if remap.count < 1 or remap.at < 0 or remap.at + (remap.count if remap.kind != "insert" else 0) > remap.most:
        raise RulkaError(f"The {word} lie outside of the sheet.", hint="Choose some of it.", subject=word)
    if remap.kind == "move" and (not 0 <= remap.to <= remap.most or remap.at < remap.to < remap.at + remap.count):
        raise RulkaError(f"The {word} can't be moved into themselves.", hint="Choose another place.", subject=word)
    if remap.kind == "insert":
        at = 0 if word == "rows" else 1
        last = max((place[at] for place, cell in sheet.cells.items() if cell.input), default=-1)
        if last >= remap.at and last + remap.count >= remap.most:
            raise RulkaError(
                f"The last {word} of the sheet are not empty; nothing is pushed over its end.",
                hint="Clear them first.",
                subject=word,
            )


def _means(area: AreaToken, own: bool, sheet: Sheet) -> bool:
    return area.sheet.casefold() == sheet.name.casefold() if area.sheet else own


def _rewrite(text: str, change: Callable[[AreaToken], AreaToken | None]) -> str:
    try:
        return "=" + rewritten(text[1:], change) if text.startswith("=") else text
    except FormulaFault:
        return text


def changed_area(area: AreaToken, remap: Remap) -> AreaToken | None:
    """A reference after rows or columns went elsewhere; None where all it meant is gone."""
    first, last = (area.top, area.bottom) if remap.axis == "rows" else (area.left, area.right)
    if first is None or last is None:
        return area
    ends = remap.ends(first, last)
    if ends is None:
        return None
    if remap.axis == "rows":
        return replace(area, top=ends[0], bottom=ends[1])
    return replace(area, left=ends[0], right=ends[1])


BOXED = ("spans", "choices", "hiding", "blocks", "pictures")
"""Settings that lie over cells: they grow, shrink, move and go with them."""

AT_CELLS = ("comments",)
"""Settings by cell, `row,column`."""


def remapped_settings(settings: dict[str, Any], remap: Remap) -> dict[str, Any]:
    """A sheet's settings after rows or columns went elsewhere."""
    found = dict(settings)
    sizes, hidden = ("heights", "hidden rows") if remap.axis == "rows" else ("widths", "hidden columns")
    if sizes in found:
        places = {remap.place(int(number)): size for number, size in found[sizes].items()}
        found[sizes] = {str(number): size for number, size in places.items() if number is not None}
    if hidden in found:
        found[hidden] = sorted(place for number in found[hidden] if (place := remap.place(number)) is not None)
    for name in BOXED:
        if name in found:
            found[name] = [moved for one in found[name] if (moved := _boxed(one, remap)) is not None]
    for name in AT_CELLS:
        if name in found:
            found[name] = _placed(found[name], remap)
    if remap.axis == "columns" and "column looks" in found:
        places = {remap.place(int(column)): look for column, look in found["column looks"].items()}
        found["column looks"] = {str(column): look for column, look in places.items() if column is not None}
    return found


def _placed(cells: dict[str, Any], remap: Remap) -> dict[str, Any]:
    found = {}
    for name, value in cells.items():
        row, column = (int(part) for part in name.split(","))
        place = remap.place(row if remap.axis == "rows" else column)
        if place is not None:
            found[f"{place},{column}" if remap.axis == "rows" else f"{row},{place}"] = value
    return found


def _boxed(one: dict[str, Any], remap: Remap) -> dict[str, Any] | None:
    top, left, bottom, right = one["box"]
    ends = remap.ends(top, bottom) if remap.axis == "rows" else remap.ends(left, right)
    if ends is None:
        return None
    box = [ends[0], left, ends[1], right] if remap.axis == "rows" else [top, ends[0], bottom, ends[1]]
    moved = {**one, "box": box}
    if "of" in one:  # what a drawing is of goes along; one all of whose cells are gone goes too
        first, second, third, fourth = one["of"]
        source = remap.ends(first, third) if remap.axis == "rows" else remap.ends(second, fourth)
        if source is None:
            return None
        own = [source[0], second, source[1], fourth]
        moved["of"] = own if remap.axis == "rows" else [first, source[0], third, source[1]]
    name = "keys" if remap.axis == "rows" else "column keys"
    if name in one:
        places = {remap.place(int(row)): key for row, key in one[name].items()}
        moved[name] = {str(row): key for row, key in places.items() if row is not None}
    return moved


def _parameter(one: dict[str, Any], sheet: Sheet, remap: Remap) -> dict[str, Any] | None:
    if one["sheet"] != sheet.number:
        return one
    row, column = one["cell"]
    place = remap.place(row if remap.axis == "rows" else column)
    if place is None:
        return None
    return {**one, "cell": [place, column] if remap.axis == "rows" else [row, place]}
