"""Worksheets as text: YAML that says sheets, cells, looks, names and parameters, every scalar as text."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import yaml

from rulka.core.errors import RulkaError
from rulka.core.sheet.addresses import Box, cell_text, column_of, letters, read_box, read_cell
from rulka.core.sheet.blocks import KINDS as BLOCKS
from rulka.core.sheet.blocks import PIECES
from rulka.core.sheet.edits import checked
from rulka.core.sheet.hiding import AXES as HIDING_AXES
from rulka.core.sheet.hiding import KINDS as HIDING_KINDS
from rulka.core.sheet.parameters import KINDS
from rulka.core.sheet.workbook import LOOK_KEYS, Cell, Sheet, Workbook
from rulka.core.values import whole

MOST_BYTES = 20_000_000
FLAGS = ("bold", "italic", "wrap")
KNOWN = ("worksheet", "title", "names", "parameters", "sheets")
SHEET_KNOWN = (
    "sheet", "cells", "looks", "column looks", "widths", "heights", "frozen", "hidden rows", "hidden columns", "hiding",
    "spans", "choices", "comments", "blocks", "check", "gridlines", "print",
)  # fmt: skip
PRINT_KNOWN = ("paper", "way", "fit", "lines", "head", "foot", "cells")
BLOCK_KNOWN = (
    "cells",
    "kind",
    "name",
    "piece",
    "choices",
    "revision",
    "lines",
    "columns",
    "keys",
    "column keys",
    "own",
    "about",
)


class _Texts(yaml.SafeLoader):
    """Reads every scalar as text: `0100` stays a code, `no` a word."""


_Texts.yaml_implicit_resolvers = {}


def read_worksheet(data: bytes | str, where: str) -> tuple[str, str, Workbook]:
    """Name, title and workbook of a text; raises RulkaError in words."""
    if len(data) > MOST_BYTES:
        raise RulkaError(f"The file is larger than {MOST_BYTES:,} bytes.", hint="Take some of it.", subject=where)
    try:
        body = yaml.load(data, _Texts)
    except yaml.YAMLError as error:
        raise RulkaError(f"It is no YAML: {str(error).splitlines()[0]}.", hint="Mend it.", subject=where) from None
    if not isinstance(body, Mapping) or "worksheet" not in body or not isinstance(body.get("sheets"), list):
        raise RulkaError("It says no worksheet with its sheets.", hint="Begin with 'worksheet: name'.", subject=where)
    unknown = [str(key) for key in body if key not in KNOWN]
    if unknown:
        raise RulkaError(f"'{unknown[0]}' is nothing a worksheet says.", hint=f"Use {', '.join(KNOWN)}.", subject=where)
    workbook = Workbook(names={str(name): str(text) for name, text in (body.get("names") or {}).items()})
    for number, raw in enumerate(body["sheets"], 1):
        workbook.sheets.append(_sheet(workbook, raw, number, where))
    workbook.parameters = [_parameter(workbook, raw, where) for raw in body.get("parameters") or []]
    return str(body["worksheet"]), str(body.get("title") or body["worksheet"]), workbook


def read_texts(data: bytes, where: str) -> list[dict[str, Any]]:
    """The mappings of a YAML file's documents, every scalar as text; raises RulkaError in words."""
    if len(data) > MOST_BYTES:
        raise RulkaError(f"The file is larger than {MOST_BYTES:,} bytes.", hint="Take some of it.", subject=where)
    try:
        found = [body for body in yaml.load_all(data, _Texts) if body is not None]
    except (yaml.YAMLError, UnicodeDecodeError) as error:
        raise RulkaError(f"It is no YAML: {str(error).splitlines()[0]}.", hint="Mend it.", subject=where) from None
    if not found or not all(isinstance(body, dict) for body in found):
        raise RulkaError("It says nothing.", hint="Begin with 'table: name'.", subject=where)
    return found


def _sheet(workbook: Workbook, raw: Any, number: int, where: str) -> Sheet:
    if not isinstance(raw, Mapping) or not raw.get("sheet"):
        raise RulkaError(f"Sheet {number} has no name.", hint="Begin it with 'sheet: name'.", subject=where)
    sheet = Sheet(number, str(raw["sheet"])[:31])
    subject = f"{where}, sheet {sheet.name}"
    unknown = [str(key) for key in raw if key not in SHEET_KNOWN]
    if unknown:
        raise RulkaError(
            f"'{unknown[0]}' is nothing a sheet says.", hint=f"Use {', '.join(SHEET_KNOWN)}.", subject=subject
        )
    for place, text in (raw.get("cells") or {}).items():
        cell = read_cell(str(place))
        if cell is None:
            raise RulkaError(f"'{place}' is no cell.", hint="Write B7.", subject=subject)
        sheet.cells[cell] = Cell(checked("" if text is None else str(text)))
    for place, look in (raw.get("looks") or {}).items():
        box = _box(str(place), subject)
        number_of = _look(look, subject)
        for cell in box.cells():
            former = sheet.cell(*cell)
            merged = {**workbook.look(former.look), **number_of}
            sheet.cells[cell] = Cell(former.input, workbook.look_number(merged))
    _settings(sheet, raw, subject)
    _further(sheet, raw, subject)
    return sheet


def _box(text: str, subject: str) -> Box:
    box = read_box(text)
    if box is None or box.size > 200_000:
        raise RulkaError(f"'{text}' is no cells of a sheet.", hint="Write B2 or B2:D9.", subject=subject)
    return box


def _look(raw: Any, subject: str) -> dict[str, Any]:
    if not isinstance(raw, Mapping) or any(key not in LOOK_KEYS for key in raw):
        raise RulkaError("A look can't be read.", hint=f"Use {', '.join(LOOK_KEYS)}.", subject=subject)
    found: dict[str, Any] = {}
    for key, value in raw.items():
        found[key] = (
            str(value).lower() in ("yes", "true") if key in FLAGS else int(value) if key == "indent" else str(value)
        )
    return found


def _settings(sheet: Sheet, raw: Mapping[str, Any], subject: str) -> None:
    if widths := raw.get("widths"):
        sheet.settings["widths"] = {str(column_of(str(name))): int(size) for name, size in widths.items()}
    if frozen := raw.get("frozen"):
        cell = read_cell(str(frozen))
        if cell is None:
            raise RulkaError(f"'{frozen}' is no cell.", hint="Name the first cell that moves.", subject=subject)
        sheet.settings["frozen"] = list(cell)
    if hidden := raw.get("hidden rows"):
        sheet.settings["hidden rows"] = [int(number) - 1 for number in hidden]
    if hidden := raw.get("hidden columns"):
        sheet.settings["hidden columns"] = [column_of(str(name)) for name in hidden]
    if spans := raw.get("spans"):
        sheet.settings["spans"] = [{"box": _numbers(_box(str(span), subject))} for span in spans]
    if choices := raw.get("choices"):
        sheet.settings["choices"] = [
            {"box": _numbers(_box(str(place), subject)), "from": str(given)} for place, given in choices.items()
        ]


def _further(sheet: Sheet, raw: Mapping[str, Any], subject: str) -> None:
    """Settings of the second kind: looks of columns, heights, comments, what hides, blocks, print."""
    if looks := _part(raw, "column looks", dict, subject):
        sheet.settings["column looks"] = {str(column_of(str(at))): _look(look, subject) for at, look in looks.items()}
    if sizes := _part(raw, "heights", dict, subject):
        heights = {str(_whole(row, subject) - 1): _whole(size, subject) for row, size in sizes.items()}
        sheet.settings["heights"] = heights
    if comments := _part(raw, "comments", dict, subject):
        found = {}
        for place, said in comments.items():
            box = _box(str(place), subject)
            said = said if isinstance(said, Mapping) else {"text": said}
            found[f"{box.top},{box.left}"] = {name: str(said.get(name) or "") for name in ("text", "who", "at")}
        sheet.settings["comments"] = found
    if hiding := _part(raw, "hiding", list, subject):
        sheet.settings["hiding"] = [_rule(rule, subject) for rule in hiding]
    if blocks := _part(raw, "blocks", list, subject):
        sheet.settings["blocks"] = [_block(block, number, subject) for number, block in enumerate(blocks, 1)]
    if raw.get("check"):
        sheet.settings["check"] = str(raw["check"])
    if raw.get("gridlines") == "off":
        sheet.settings["gridlines"] = "off"
    if setup := _part(raw, "print", dict, subject):
        unknown = [str(key) for key in setup if key not in PRINT_KNOWN]
        if unknown:
            hint = f"Use {', '.join(PRINT_KNOWN)}."
            raise RulkaError(f"'{unknown[0]}' is nothing of print.", hint=hint, subject=subject)
        sheet.settings["print"] = {
            key: setup.get(key) == "yes" if key in ("fit", "lines") else str(setup.get(key) or DEFAULTS.get(key, ""))
            for key in PRINT_KNOWN
        }


def _part(raw: Mapping[str, Any], name: str, kind: type, subject: str) -> Any:
    """A part of a sheet of the shape it has to have; nothing where it isn't said."""
    found = raw.get(name)
    if found and not isinstance(found, kind):
        shape = "a list" if kind is list else "names with values"
        raise RulkaError(f"'{name}' can't be read.", hint=f"Write {shape} below it.", subject=subject)
    return found


def _rule(rule: Any, subject: str) -> dict[str, Any]:
    known = isinstance(rule, Mapping) and rule.get("kind") in HIDING_KINDS
    if not known or rule.get("axis", "rows") not in HIDING_AXES:
        raise RulkaError("What hides can't be read.", hint="Say kind, axis and cells.", subject=subject)
    box = _box(str(rule.get("cells", "")), subject)
    return {"kind": str(rule["kind"]), "axis": str(rule.get("axis", "rows")), "box": _numbers(box)}


DEFAULTS = {"paper": "A4", "way": "landscape"}


def _whole(value: Any, subject: str) -> int:
    return whole(str(value), subject, least=0, most=10_000)


def _block(raw: Any, number: int, subject: str) -> dict[str, Any]:
    known = isinstance(raw, Mapping) and raw.get("kind") in BLOCKS and raw.get("piece", "live") in PIECES
    if not known or not raw.get("name") or any(key not in BLOCK_KNOWN for key in raw):
        raise RulkaError("A block can't be read.", hint="Say kind, name, piece and cells.", subject=subject)
    found: dict[str, Any] = {
        "id": f"b{number}",
        "box": _numbers(_box(str(raw.get("cells", "")), subject)),
        "kind": str(raw["kind"]),
        "name": str(raw["name"]),
        "piece": str(raw.get("piece", "live")),
        "choices": {str(of): str(value) for of, value in (_part(raw, "choices", dict, subject) or {}).items()},
        "revision": _whole(raw.get("revision", "0"), subject),
        "lines": str(raw.get("lines", "")),
        "columns": str(raw.get("columns", "")),
    }
    if found["piece"] == "frozen":
        rows, columns = (_part(raw, name, dict, subject) or {} for name in ("keys", "column keys"))
        found["own"] = _remembered(raw, "own", 3, subject)
        found["about"] = [[key, _place(at, subject)] for key, at in _remembered(raw, "about", 2, subject)]
        found["keys"] = {str(_whole(row, subject) - 1): str(key) for row, key in rows.items()}
        found["column keys"] = {str(column_of(str(at))): str(key) for at, key in columns.items()}
    return found


def _remembered(raw: Mapping[str, Any], name: str, length: int, subject: str) -> list[list[str]]:
    """What a frozen block remembers of its cells: lists of so many texts."""
    found = _part(raw, name, list, subject) or []
    if any(not isinstance(one, list) or len(one) != length for one in found):
        raise RulkaError(f"'{name}' of a block can't be read.", hint=f"Write lists of {length}.", subject=subject)
    return [[str(part) for part in one] for one in found]


def _place(text: str, subject: str) -> int:
    sign, digits = (-1, text[1:]) if text.startswith("-") else (1, text)
    return sign * _whole(digits, subject)


def _numbers(box: Box) -> list[int]:
    return [box.top, box.left, box.bottom, box.right]


def _parameter(workbook: Workbook, raw: Any, where: str) -> dict[str, Any]:
    subject = f"{where}, parameters"
    if not isinstance(raw, Mapping) or raw.get("kind") not in KINDS or not raw.get("name"):
        raise RulkaError("A parameter has no name or kind.", hint=f"Kinds are {', '.join(KINDS)}.", subject=subject)
    sheet = workbook.sheet_named(str(raw["sheet"])) if raw.get("sheet") else workbook.sheets[0]
    cell = read_cell(str(raw.get("cell", "")))
    if cell is None:
        raise RulkaError(f"Parameter {raw['name']} names no cell.", hint="Write cell: B2.", subject=subject)
    choices = raw.get("choices") or {}
    listed = choices if isinstance(choices, str) else ""
    choices = {} if listed else choices
    pairs = (
        [[str(code), str(title or "")] for code, title in choices.items()]
        if isinstance(choices, Mapping)
        else [[str(code), ""] for code in choices]
    )
    return {
        "name": str(raw["name"]),
        "kind": str(raw["kind"]),
        "sheet": sheet.number,
        "cell": list(cell),
        "title": str(raw.get("title", "")),
        "hint": str(raw.get("hint", "")),
        "choices": pairs,
        "listed": listed,
        "follows": raw.get("follows") == "yes",
        "ask": raw.get("ask") == "yes",
        "until": str(raw.get("until", "")),
    }


# out ------------------------------------------------------------------------------------------------------------------


def write_worksheet(name: str, title: str, workbook: Workbook) -> str:
    """A worksheet as text that reads back the same."""
    body: dict[str, Any] = {"worksheet": name, "title": title}
    if workbook.names:
        body["names"] = dict(workbook.names)
    if workbook.parameters:
        body["parameters"] = [_written_parameter(workbook, one) for one in workbook.parameters]
    body["sheets"] = [_written_sheet(workbook, sheet) for sheet in workbook.sheets]
    return yaml.dump(body, sort_keys=False, allow_unicode=True, width=4_000)


def _written_sheet(workbook: Workbook, sheet: Sheet) -> dict[str, Any]:
    cells = sorted(sheet.cells.items())
    text: dict[str, Any] = {"sheet": sheet.name}
    text["cells"] = {cell_text(*place): cell.input for place, cell in cells if cell.input}
    looks = {cell_text(*place): _written_look(workbook.look(cell.look)) for place, cell in cells if cell.look}
    if looks:
        text["looks"] = _gathered(looks)
    settings = sheet.settings
    if settings.get("widths"):
        text["widths"] = {letters(int(column)): str(size) for column, size in settings["widths"].items()}
    if settings.get("frozen"):
        text["frozen"] = cell_text(*settings["frozen"])
    if settings.get("hidden rows"):
        text["hidden rows"] = [str(row + 1) for row in settings["hidden rows"]]
    if settings.get("hidden columns"):
        text["hidden columns"] = [letters(column) for column in settings["hidden columns"]]
    if settings.get("spans"):
        text["spans"] = [Box(*area["box"]).text() for area in settings["spans"]]
    if settings.get("choices"):
        text["choices"] = {Box(*area["box"]).text(): area["from"] for area in settings["choices"]}
    return text | _written_further(settings)


def _written_further(settings: Mapping[str, Any]) -> dict[str, Any]:
    found: dict[str, Any] = {}
    if settings.get("column looks"):
        looks = sorted(settings["column looks"].items(), key=lambda pair: int(pair[0]))
        found["column looks"] = {letters(int(column)): _written_look(look) for column, look in looks}
    if settings.get("heights"):
        found["heights"] = {str(int(row) + 1): str(size) for row, size in settings["heights"].items()}
    if settings.get("hiding"):
        rules = settings["hiding"]
        found["hiding"] = [{"kind": r["kind"], "axis": r["axis"], "cells": Box(*r["box"]).text()} for r in rules]
    if settings.get("comments"):
        places = {tuple(int(part) for part in at.split(",")): said for at, said in settings["comments"].items()}
        found["comments"] = {cell_text(*place): dict(said) for place, said in sorted(places.items())}
    if settings.get("blocks"):
        found["blocks"] = [_written_block(block) for block in settings["blocks"]]
    for name in ("check", "gridlines"):
        if settings.get(name):
            found[name] = settings[name]
    if settings.get("print"):
        setup = settings["print"]
        found["print"] = {k: ("yes" if v is True else str(v)) for k, v in setup.items() if v not in (False, "")}
    return found


def _written_block(block: Mapping[str, Any]) -> dict[str, Any]:
    found: dict[str, Any] = {"cells": Box(*block["box"]).text()}
    for key in ("kind", "name", "piece"):
        found[key] = block[key]
    found |= {key: block[key] for key in ("choices", "lines", "columns") if block.get(key)}
    found["revision"] = str(block["revision"])
    if block["piece"] == "frozen":
        found["keys"] = {str(int(row) + 1): key for row, key in block.get("keys", {}).items()}
        found["column keys"] = {letters(int(column)): key for column, key in block.get("column keys", {}).items()}
        found |= {"own": [list(one) for one in block["own"]]} if block.get("own") else {}
        found |= {"about": [[key, str(at)] for key, at in block["about"]]} if block.get("about") else {}
    return found


def _written_look(look: Mapping[str, Any]) -> dict[str, str]:
    return {key: "yes" if value is True else str(value) for key, value in look.items()}


def _gathered(looks: dict[str, dict[str, str]]) -> dict[str, dict[str, str]]:
    """Looks of cells beside each other in a row, as one."""
    found: dict[str, dict[str, str]] = {}
    run: list[str] = []
    for place, look in [*looks.items(), ("", {})]:
        if run and looks.get(run[-1]) == look and _follows(run[-1], place):
            run.append(place)
            continue
        if run:
            found[run[0] if len(run) == 1 else f"{run[0]}:{run[-1]}"] = looks[run[0]]
        run = [place]
    return found


def _follows(former: str, place: str) -> bool:
    one, other = read_cell(former), read_cell(place)
    return one is not None and other is not None and other == (one[0], one[1] + 1)


def _written_parameter(workbook: Workbook, raw: Mapping[str, Any]) -> dict[str, Any]:
    found: dict[str, Any] = {"name": raw["name"], "kind": raw["kind"], "sheet": workbook.sheet(raw["sheet"]).name}
    found["cell"] = cell_text(*raw["cell"])
    for key in ("title", "hint", "until"):
        if raw.get(key):
            found[key] = raw[key]
    if raw.get("listed"):
        found["choices"] = raw["listed"]
    elif raw.get("choices"):
        found["choices"] = dict(raw["choices"])
    for key in ("follows", "ask"):
        if raw.get(key):
            found[key] = "yes"
    return found
