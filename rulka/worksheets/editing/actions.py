"""What a page asks for, as plain data, to an action on a workbook and its words in the history."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from django.utils import timezone

from rulka.core.errors import NotFound, RulkaError
from rulka.core.sheet import edits
from rulka.core.sheet.adding import add_missing
from rulka.core.sheet.addresses import MOST_COLUMNS, MOST_ROWS, Box, letters, read_box
from rulka.core.sheet.blocks import PLAIN, LaidBlock, chart_steps
from rulka.core.sheet.differing import steps_between
from rulka.core.sheet.listed import bring, rows_steps
from rulka.core.sheet.parameters import KINDS
from rulka.core.sheet.values import Scalar
from rulka.core.sheet.workbook import Sheet, Step, Workbook
from rulka.worksheets.editing.blocks import HOW, act_on_block, refresh_all
from rulka.worksheets.editing.edit import Action
from rulka.worksheets.library.saved import saved_workbook
from rulka.worksheets.running.drawn import drawing_of, find_drawing
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

    def act(workbook: Workbook, live: Live) -> LaidBlock:
        own = sheet_in(workbook, asked, "from")

        def value_at(row: int, column: int) -> Scalar:
            return live.calculation.shown_at((own.number, row, column))

        steps = edits.copy(workbook, own, source, sheet_in(workbook, asked), target, what=what, value_at=value_at)
        asks = any(key[0] == own.number and source.holds(key[1], key[2]) for key in live.calculation.questions)
        return LaidBlock(steps, [PLAIN] if what == "values" and asks else [])

    return f"copied {'' if what == 'all' else f'{what} of '}{source.text()}", act


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


def _column_look(asked: Asked) -> tuple[str, Action]:
    first, last = whole(asked, "first", 0, MOST_COLUMNS - 1), whole(asked, "last", 0, MOST_COLUMNS - 1)
    look = asked.get("look")
    if not isinstance(look, dict) or last < first:
        raise RulkaError("The look is not told.", hint="Try again.", subject="look")
    return f"gave columns {letters(first)} to {letters(last)} a look", lambda workbook, live: edits.column_look(
        sheet_in(workbook, asked), first, last, look
    )


def _comment(asked: Asked) -> tuple[str, Action]:
    own, said = box(asked), text(asked, "text")

    def act(workbook: Workbook, live: Live) -> list[Step]:
        person = live.reader.person
        who = (person.title or person.username) if person else ""
        at = timezone.localtime().strftime("%Y-%m-%d %H:%M")
        return edits.comment(sheet_in(workbook, asked), own.top, own.left, said, who, at)

    place = Box(own.top, own.left, own.top, own.left).text()
    return f"{'wrote' if said.strip() else 'took away'} a comment at {place}", act


def _hiding(asked: Asked) -> tuple[str, Action]:
    own, kind, axis = box(asked), text(asked, "kind"), text(asked, "axis", "rows")
    what = f"let {axis} of {own.text()} hide" if kind else f"{axis} of {own.text()} hide no more"
    return what, lambda workbook, live: edits.hide_by(sheet_in(workbook, asked), own, kind, axis)


def _block(asked: Asked) -> tuple[str, Action]:
    how = text(asked, "how")
    if how not in HOW:
        raise NotFound(
            f"'{how[:20]}' can't be done with a block.", hint=f"There are {', '.join(HOW)}.", subject="block"
        )
    choices = asked.get("choices", {})
    texts = isinstance(choices, dict) and all(isinstance(one, str) for pair in choices.items() for one in pair)
    if not texts:
        raise RulkaError("The choices are not told.", hint="Choose again.", subject="choices")
    plain: dict[str, Any] = {"choices": choices, "id": text(asked, "id")}
    if how == "place":
        own = box(asked)
        plain |= {name: text(asked, name) for name in ("kind", "name", "lines", "columns")}
        plain |= {"piece": text(asked, "piece", "live"), "at": (own.top, own.left)}
        if plain["piece"] not in ("live", "closed"):
            raise NotFound(f"'{plain['piece'][:20]}' is none.", hint="Place it live or closed.", subject="block")
    words = {"place": "placed", "refresh": "refreshed", "freeze": "froze", "thaw": "made live", "remove": "took away",
             "choose": "chose other figures of"}  # fmt: skip
    return f"{words[how]} a block", lambda workbook, live: act_on_block(
        workbook, live, sheet_in(workbook, asked), how, plain
    )


def _blocks(asked: Asked) -> tuple[str, Action]:
    return "refreshed all blocks", refresh_all


def _chart(asked: Asked) -> tuple[str, Action]:
    own, selection = box(asked), text(asked, "selection")
    return "put in the chart of accounts", lambda workbook, live: chart_steps(
        workbook, sheet_in(workbook, asked), own.top, own.left, live.reader.view, selection
    )


def _check(asked: Asked) -> tuple[str, Action]:
    selection = text(asked, "selection").strip()[:500]
    return "checked against other accounts", lambda workbook, live: edits.set_setting(
        sheet_in(workbook, asked), check=selection or None
    )


def _add_missing(asked: Asked) -> tuple[str, Action]:
    number = whole(asked, "group", 0, 100)

    def act(workbook: Workbook, live: Live) -> LaidBlock:
        sheet = sheet_in(workbook, asked)
        found = live.coverage(sheet)
        if number >= len(found):
            raise NotFound("The sheet asks something else now.", hint="Check it again.", subject="check")
        return add_missing(workbook, sheet, found[number], live.calculation)

    return "put in missing accounts", act


def _bring(asked: Asked) -> tuple[str, Action]:
    own, pasted, roles = box(asked), text(asked, "text"), asked.get("roles")
    if not isinstance(roles, list) or not all(isinstance(role, str) for role in roles):
        raise RulkaError("The columns are not told.", hint="Say what each is.", subject="rows")

    def act(workbook: Workbook, live: Live) -> LaidBlock:
        brought = bring(edits.rows_in(pasted), roles, live.reader.view)
        steps = rows_steps(workbook, sheet_in(workbook, asked), own.top, own.left, brought)
        return LaidBlock(steps, [f"Row {one.at + 1}: {one.problem}" for one in brought if one.problem][:20])

    return "brought rows over", act


def _restore(asked: Asked) -> tuple[str, Action]:
    number = whole(asked, "number", 1, 10**6)

    def act(workbook: Workbook, live: Live) -> list[Step]:
        return steps_between(workbook, saved_workbook(live.worksheet, number))

    return f"brought back state {number}", act


def _picture(asked: Asked) -> tuple[str, Action]:
    """Put a stored picture at a cell, give it another size or place, or take it away."""
    number, how = whole(asked, "picture", 1, 10**9), text(asked, "how", "place")

    def act(workbook: Workbook, live: Live) -> list[Step]:
        sheet = sheet_in(workbook, asked)
        former = next((one for one in sheet.settings.get("pictures", ()) if one["picture"] == number), None)
        kept = [one for one in sheet.settings.get("pictures", ()) if one["picture"] != number]
        if how == "remove":
            return edits.set_setting(sheet, pictures=kept)
        if not live.worksheet.pictures.filter(pk=number).exists():
            raise NotFound("This picture isn't there.", hint="Add it again.", subject="picture")
        place = box(asked) if asked.get("box") or former is None else Box(*former["box"])
        sizes = {
            name: whole(asked, name, 16, 2_000) if name in asked else (former or {}).get(name, 200)
            for name in ("width", "height")
        }
        kept.append({"picture": number, "box": [place.top, place.left, place.top, place.left], **sizes})
        return edits.set_setting(sheet, pictures=kept)

    return "changed a picture", act


def _drawing(asked: Asked) -> tuple[str, Action]:
    """Draw cells, or place a drawing that another app offers; give it another size or place, or take it away."""
    how, name = text(asked, "how", "place"), text(asked, "picture")

    def act(workbook: Workbook, live: Live) -> list[Step]:
        sheet = sheet_in(workbook, asked)
        pictures = list(sheet.settings.get("pictures", ()))
        kept = [one for one in pictures if one["picture"] != name]
        if how == "remove":
            return edits.set_setting(sheet, pictures=kept)
        if name:
            former = dict(find_drawing(sheet, name))
            place = box(asked) if asked.get("box") else Box(*former["box"])
        else:
            former, place = _new_drawing(asked, live, pictures), box(asked)
        sizes = {
            side: whole(asked, side, 60, 2_000) if side in asked else former.get(side, usual)
            for side, usual in (("width", 480), ("height", 240))
        }
        drawn = {**former, "box": [place.top, place.left, place.top, place.left], **sizes}
        if how == "place" and not name:
            drawn["height"] = drawing_of(live, sheet, drawn).height
        return edits.set_setting(sheet, pictures=[*kept, drawn])

    return "changed a drawing", act


def _new_drawing(asked: Asked, live: Live, pictures: list[dict[str, Any]]) -> dict[str, Any]:
    """A drawing that isn't there yet: of cells, or of what is named."""
    taken = {str(one["picture"]) for one in pictures}
    name = next(free for number in range(1, 10_000) if (free := f"d{number}") not in taken)
    title = " ".join(text(asked, "title", "").split())[:120]
    named = {"title": title} if title else {}
    if asked.get("of"):
        cells = box(asked, "of")
        return {"picture": name, "of": [cells.top, cells.left, cells.bottom, cells.right], **named}
    kind, _, rest = text(asked, "drawn").partition("|")
    thing, _, piece = rest.partition("|")
    if not kind:
        raise RulkaError("Nothing is chosen to draw.", hint="Choose cells or a drawing.", subject="drawing")
    return {"picture": name, "kind": kind, "name": thing, "piece": piece, **named}


PAPERS = ("A4", "A3", "A5", "letter", "legal")


def _print(sheet: Sheet, asked: Asked) -> list[Step]:
    """How a sheet is printed: paper, way up, fitted to its width, lines between cells, head and foot, cells."""
    paper, way = text(asked, "paper", "A4"), text(asked, "way", "landscape")
    if paper not in PAPERS or way not in ("landscape", "portrait"):
        raise NotFound(
            f"'{paper[:20]} {way[:20]}' is no paper.", hint=f"There are {', '.join(PAPERS)}.", subject="print"
        )
    found: dict[str, Any] = {"paper": paper, "way": way, "fit": asked.get("fit") is True}
    found["lines"] = asked.get("lines") is True
    found |= {name: text(asked, name).strip()[:200] for name in ("head", "foot", "cells")}
    if found["cells"] and read_box(found["cells"]) is None:
        raise RulkaError(f"'{found['cells'][:30]}' is no cells.", hint="Write A1:H40.", subject="print")
    return edits.set_setting(sheet, print=found)


def _gridlines(sheet: Sheet, asked: Asked) -> list[Step]:
    return edits.set_setting(sheet, gridlines="off" if asked.get("on") is False else None)


def _height(sheet: Sheet, asked: Asked) -> list[Step]:
    heights = dict(sheet.settings.get("heights", {}))
    for row in range(whole(asked, "first", 0, MOST_ROWS - 1), whole(asked, "last", 0, MOST_ROWS - 1) + 1):
        heights[str(row)] = whole(asked, "height", 12, 600)
    return edits.set_setting(sheet, heights=heights)


SETTINGS |= {"print": _print, "gridlines": _gridlines, "height": _height}


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
    "column look": _column_look,
    "comment": _comment,
    "hiding": _hiding,
    "block": _block,
    "blocks": _blocks,
    "chart": _chart,
    "check": _check,
    "add missing": _add_missing,
    "bring": _bring,
    "restore": _restore,
    "picture": _picture,
    "drawing": _drawing,
}


def action_for(asked: Asked) -> tuple[str, Action]:
    """The words and the action for what a page asks; raises NotFound for what can't be done."""
    do = text(asked, "do")
    if do not in ACTIONS:
        raise NotFound(f"'{do[:40]}' can't be done with a worksheet.", hint="Load the page again.", subject="edit")
    return ACTIONS[do](asked)
