"""What is uploaded as a template, held against the output that it was made of: refused with all that is wrong, or said
what is linked and what grows with the rows. Runs in a process of its own."""

from __future__ import annotations

import re
from collections.abc import Container, Iterator, Mapping, Sequence
from contextlib import ExitStack
from dataclasses import asdict, dataclass, field, replace
from pathlib import Path
from typing import Any, Final

from rulka.core.errors import RulkaError, RulkaErrors
from rulka.core.proof.origin import codes_in
from rulka.formats.intake.apart import answer, ask
from rulka.formats.intake.read_back import PROPERTY
from rulka.formats.intake.table_file import foreign
from rulka.formats.intake.workbook_file import check_marks
from rulka.formats.refill import formulas
from rulka.formats.refill.looks import CellLooks, Learnt
from rulka.formats.refill.package import (
    MAIN,
    MOST_PACKED,
    MOST_UNPACKED,
    SheetPart,
    WorkbookPackage,
    local,
    relations_name,
)
from rulka.formats.refill.references import InsertedRows, RowMap, moved, touched
from rulka.formats.refill.sheets import (
    PackedCell,
    Zone,
    area_of,
    labels_of,
    letters_of,
    number_of,
    rows_of,
    used_zone,
    width_of,
    zone_of,
)

SECONDS: Final = 60
MOST_TOLD: Final = 30
MOST_RANGES: Final = 2_000
CALLS_OUT = re.compile(
    r"\b(WEBSERVICE|RTD|CALL|REGISTER(?:\.ID)?|IMAGE|SQL\.REQUEST|CUBE[A-Z]+|STOCKHISTORY|DDE)\s*\(", re.IGNORECASE
)
"""Functions that ask or tell something outside: what a later reader sees would leave with them."""
BUILT_LINK = re.compile(r"\bHYPERLINK\s*\(\s*(?!\"[^\"]*\"\s*[,)])", re.IGNORECASE)
"""A link whose address is put together, which could carry figures."""
LOOK = re.compile(r'&"[^"]*"|&[0-9]+|&K[0-9A-F]{6}|\s')
"""What says how a foot looks, not what it says."""
ESCAPED = re.compile(r"_x([0-9A-Fa-f]{4})_")
FORBIDDEN: Final = {
    "xl/vbaProject.bin": ("It holds macros.", "Save it as .xlsx, without them."),
    "xl/macrosheets/": ("It holds macros on sheets of their own.", "Take these sheets out."),
    "xl/externalLinks/": ("It reads other workbooks.", "Break the links: put values in their place."),
    "xl/connections.xml": ("It reads from outside by a connection.", "Take the connection out."),
    "xl/queryTables/": ("It reads from outside by a query.", "Take the query out."),
    "xl/model/": ("It holds a data model.", "Let its pivots read the rows."),
    "xl/embeddings/": ("It holds files of other programs.", "Put a picture in their place."),
    "xl/activeX/": ("It holds controls that run programs.", "Take them out."),
    "xl/webextensions/": ("It holds an add-in.", "Take it out."),
    "xl/revisions/": ("It keeps a log of its changes, with what stood there.", "Stop sharing it by a log."),
    "customUI": ("It changes the menus of its program.", "Take that out."),
}


BY_KIND: Final = {
    "vbaProject": "xl/vbaProject.bin", "xlMacrosheet": "xl/macrosheets/", "externalLink": "xl/externalLinks/",
    "connections": "xl/connections.xml", "queryTable": "xl/queryTables/", "powerPivotData": "xl/model/",
    "oleObject": "xl/embeddings/", "package": "xl/embeddings/", "control": "xl/activeX/",
    "revisionHeaders": "xl/revisions/",
}  # fmt: skip
"""The same by the kind of the relation that leads there: a part may bear any name."""


@dataclass(frozen=True)
class Own:
    """A sheet that is refilled: in the upload and in the output that it was made of."""

    upload: SheetPart
    original: SheetPart
    zone: Zone | None


@dataclass(frozen=True)
class Linking:
    """How an output is linked: `theirs` are sheets that its reader may do with as they like; where `only` names some,
    all others are. With `by_place` a cell is told by its place, as in worksheets; otherwise lines without a filter
    over them are told by what stands first in them. `width` is how many columns rows have; `before` is what was told of
    the template that the output was filled into, where it was."""

    theirs: tuple[str, ...] = ()
    only: tuple[str, ...] = ()
    by_place: bool = False
    width: int = 0
    before: Mapping[str, Any] = field(default_factory=dict)


def check_apart(upload: Path, original: Path, linking: Linking, name: str) -> dict[str, Any]:
    """What `check` says, asked of a process of its own with bounds on time and memory."""
    too_much = RulkaError(
        "Reading the workbook takes more time or memory than it may.",
        hint="Clear the formats of empty rows, or take some sheets out.",
        subject=name,
        code="too-large",
    )
    asked = {"upload": str(upload), "original": str(original), "name": name, "linking": asdict(linking)}
    told = ask("rulka.formats.refill.checking", asked, seconds=SECONDS, too_much=too_much)
    if "problems" in told:
        raise RulkaErrors([RulkaError(**one) for one in told["problems"]], message=told["message"])
    found: dict[str, Any] = told
    return found


def _answered(asked: Mapping[str, Any]) -> dict[str, Any]:
    try:
        told = asked["linking"]
        linking = Linking(tuple(told["theirs"]), tuple(told["only"]), told["by_place"], told["width"], told["before"])
        return check(Path(asked["upload"]), Path(asked["original"]), linking, asked["name"])
    except RulkaErrors as error:
        problems = [{"message": one.message, "hint": one.hint, "subject": one.subject} for one in error.errors]
        return {"problems": problems, "message": error.message}


def codes_apart(upload: Path, name: str) -> list[str]:
    """The codes of origin that a strange workbook names, that of its properties first; read in a process of its own."""
    too_much = RulkaError("Reading the workbook takes more time or memory than it may.", subject=name)
    told = ask(
        "rulka.formats.refill.checking", {"codes": str(upload), "name": name}, seconds=SECONDS, too_much=too_much
    )
    return list(told["codes"])


def codes_of(package: WorkbookPackage) -> list[str]:
    """The codes of origin that a workbook names."""
    texts = []
    if "docProps/custom.xml" in package.names:
        texts = ["".join(one.itertext()) for one in package.tree("docProps/custom.xml") if one.get("name") == PROPERTY]
    texts += [text for text in package.strings if "R-" in text]
    strings = package.strings
    for sheet in package.sheets:
        if codes_in(texts):
            break
        for row in rows_of(package, sheet.part):
            texts += [text for cell in row.cells if "R-" in (text := cell.text(strings))]
    return codes_in(texts)


def check(upload: Path, original: Path, linking: Linking, name: str) -> dict[str, Any]:
    """What is linked in an uploaded workbook and what of it grows, as plain data; raises RulkaErrors with all that
    keeps it from being a template. `theirs` are sheets of the output that its reader may do with as they like; where
    `only` names some, all others are."""
    with ExitStack() as stack:
        stack.enter_context(foreign(name))
        found = stack.enter_context(WorkbookPackage(upload, name))
        former = stack.enter_context(WorkbookPackage(original, name))
        _check_size(found)
        check_marks(found.archive, name)
        found.check_parts()
        problems = [*_forbidden(found), *_outside(found)]
        own: list[Own] = []
        for sheet in former.sheets:
            if sheet.name in linking.theirs or (linking.only and sheet.name not in linking.only):
                continue
            there = found.sheet(sheet.name)
            if there is None:
                problems.append(
                    RulkaError(
                        f"There is no sheet '{sheet.name}' any more.",
                        hint="Name it as it was; sheets of your own may be called anything.",
                    )
                )
            else:
                own.append(Own(there, sheet, _zone(former, sheet.part, linking)))
        if problems:
            raise RulkaErrors(problems, message="This workbook can't be a template.")
        sheets = []
        for one in own:
            told, changed = _held_against(found, former, one, linking)
            sheets.append(told)
            problems += changed
        ranges, more = _ranges(found, own)
        problems += more
        if problems:
            raise RulkaErrors(problems, message="This workbook can't be a template.")
        return {"sheets": sheets, "ranges": ranges, "linked": _linked(found, own, sheets), "name": name}


# what can be no template ----------------------------------------------------------------------------------------------


def _check_size(package: WorkbookPackage) -> None:
    size = sum(info.file_size for info in package.archive.infolist())
    if package.path.stat().st_size > MOST_PACKED or size > MOST_UNPACKED:
        raise RulkaError(
            f"The workbook is larger than {MOST_PACKED // 1_000_000} MB, or unpacks to more than "
            f"{MOST_UNPACKED // 1_000_000}.",
            hint="Make it of a smaller run; it grows with the rows.",
            subject=package.name,
            code="too-large",
        )


def _forbidden(package: WorkbookPackage) -> Iterator[RulkaError]:
    leads = {one.kind for part in ("", *package.names) for one in package.relations(part)}
    named = {BY_KIND[kind] for kind in leads if kind in BY_KIND}
    for start, (message, hint) in FORBIDDEN.items():
        if start in named or any(part.lower().startswith(start.lower()) for part in package.names):
            yield RulkaError(message, hint=hint)
    if "macroEnabled" in package.read("[Content_Types].xml").decode(errors="replace"):
        yield RulkaError("It is saved as a workbook with macros.", hint="Save it as .xlsx.")
    settings = package.workbook.find(f"{MAIN}workbookPr")
    if settings is not None and settings.get("date1904", "0") not in ("0", "false"):
        yield RulkaError(
            "Its days count from 1904, those of the rows from 1900.",
            hint="Begin from the output again in a workbook whose days count from 1900.",
        )


def _outside(package: WorkbookPackage) -> Iterator[RulkaError]:
    """Parts that are fetched from elsewhere when it is opened; links that one clicks are none."""
    for part in ("", *package.names):
        if relations_name(part) in package.names:
            for one in package.relations(part):
                if one.outside and one.kind != "hyperlink":
                    yield RulkaError(
                        f"It fetches a part from outside: {one.target[:80]}.",
                        hint="Put the thing itself in its place.",
                        subject=part,
                    )


# held against the output ----------------------------------------------------------------------------------------------


def _zone(package: WorkbookPackage, part: str, linking: Linking) -> Zone | None:
    """Where rows stand that are told by nothing but their order; of a worksheet all of it. Of an output that was filled
    in the filter may be a table's, and reach over columns that a person put beside the rows."""
    if linking.by_place:
        return used_zone(package, part)
    zone = zone_of(package, part)
    if zone is None and linking.before:
        areas = (area_of(str(package.tree(one).get("ref"))) for one in package.related(part, "table"))
        zone = next((Zone(InsertedRows(one[1], one[1] + 1, one[3]), one[0], one[2]) for one in areas if one), None)
    return replace(zone, right=zone.left + linking.width - 1) if zone is not None and linking.width else zone


def _held_against(
    found: WorkbookPackage, former: WorkbookPackage, own: Own, linking: Linking
) -> tuple[dict[str, Any], list[RulkaError]]:
    """What is told of a sheet that is refilled, and what on it isn't as it was."""
    name, zone, by_place = own.upload.name, own.zone, linking.by_place
    before = next((one for one in linking.before.get("sheets", ()) if one["name"] == own.original.name), None)
    problems = list(_marks(found, own))
    former_looks, learnt = CellLooks(former), Learnt()
    strings, former_strings = found.strings, former.strings
    rows = {row.number: row for row in rows_of(found, own.upload.part)}
    head: list[list[Any]] = []
    seen = 0
    calculated: dict[str, list[str]] = {}
    theirs: list[list[Any]] = []
    titles: list[list[str]] = []

    def tell(kind: str, at: str, was: str, now: str) -> None:
        nonlocal seen
        seen += 1
        if seen <= MOST_TOLD:
            problems.append(_changed(kind, f"{name}!{at}", was, now))

    for row in rows_of(former, own.original.part):
        there = rows.pop(row.number, None)
        now = {cell.column: cell for cell in there.cells} if there else {}
        in_head = zone is not None and row.number <= zone.rows.head
        for cell in row.cells:
            if zone is not None and not by_place and number_of(cell.column) > zone.right:
                continue  # what a person put beside the rows before
            at = f"{cell.column}{row.number}"
            other = now.pop(cell.column, None)
            was = _clean(cell.text(former_strings))
            is_now = _clean(other.text(strings)) if other else ""
            is_title = zone is not None and row.number == zone.rows.head
            if is_title:
                titles.append([cell.column, was])
            if was != is_now and not (cell.formula is not None and other and other.formula is not None and not is_now):
                tell("title" if is_title else "cell", at, was, is_now)
            elif other is not None and other.formula is not None and cell.formula is None:
                tell("formula", at, was, f"={other.formula}")
            if other is not None:
                learnt.see(cell.column, former_looks.key(cell.style), cell.style, other.style)
                if in_head:
                    head.append([row.number, cell.column, other.style])
        for cell in now.values():
            _added(cell, row.number, zone, strings, calculated, theirs, tell)
    for number, added in sorted(rows.items()):
        for cell in added.cells:
            if _clean(cell.text(strings)) or cell.formula is not None:
                _added(cell, number, zone, strings, calculated, theirs, tell)
    if seen > MOST_TOLD:
        problems.append(RulkaError(f"{seen - MOST_TOLD:,} more cells of it aren't as they were.", subject=name))
    problems += _uneven(name, zone, calculated)
    for column, found_formulas in calculated.items():
        problems += _calling_out(found_formulas[0], f"{name}, column {column}")
    told: dict[str, Any] = {
        "name": name,
        "output": own.original.name,
        "learnt": learnt.as_mapping(before["learnt"] if before else None),
        "head": head,
        "titles": titles,
        "rows": [zone.rows.head, zone.rows.first, zone.rows.last, zone.left, zone.right] if zone else None,
        "calculated": sorted(
            ([column, formulas[0]] for column, formulas in calculated.items()), key=lambda one: number_of(one[0])
        ),
        "extra": theirs,
        "height": "" if by_place else _height(found, own),
        "by_place": by_place,
        "width": width_of(former, own.original.part) if zone is None else 0,
        "feet": _feet(found, former, own),
    }
    return told, problems


def _feet(found: WorkbookPackage, former: WorkbookPackage, own: Own) -> list[str]:
    """The parts of a sheet's header and footer that say what they said, however a program writes their looks: they are
    those of the new output."""
    theirs = found.tree(own.upload.part).find(f"{MAIN}headerFooter")
    was = former.tree(own.original.part).find(f"{MAIN}headerFooter")
    if theirs is None or was is None:
        return []
    texts = {local(node): LOOK.sub("", node.text or "") for node in was}
    return [local(node) for node in theirs if texts.get(local(node)) == LOOK.sub("", node.text or "")]


def _clean(text: str) -> str:
    """A text as it is meant: signs that a program packs as numbers written out, line ends alike."""
    decoded = ESCAPED.sub(lambda match: chr(int(match[1], 16)), text) if "_x" in text else text
    return decoded.replace("\r\n", "\n").replace("\r", "\n")


def _changed(kind: str, at: str, was: str, now: str) -> RulkaError:
    if kind == "title":
        return RulkaError(
            f"The heading '{was[:60]}' is not in its place: it says '{now[:60]}'.",
            hint="Columns keep their headings and places; name them otherwise in the extract's layout.",
            subject=at,
        )
    if kind == "added":
        return RulkaError(f"'{now[:60]}' was added.", hint="Put it on a sheet of your own.", subject=at)
    return RulkaError(
        f"It said '{was[:60]}', now '{now[:60]}'.",
        hint="What is refilled is not changed: put it back, or on a sheet of your own.",
        subject=at,
    )


def _added(
    cell: PackedCell,
    number: int,
    zone: Zone | None,
    strings: Sequence[str],
    calculated: dict[str, list[str]],
    theirs: list[list[Any]],
    tell: Any,
) -> None:
    """A cell that the output hadn't: beside the rows a formula in each, with its heading; else it is refused."""
    text = _clean(cell.text(strings))
    if not text and cell.formula is None:
        return
    at = f"{cell.column}{number}"
    if zone is not None and zone.rows.head and number_of(cell.column) > zone.right and number <= zone.rows.last:
        if number <= zone.rows.head:
            theirs.append([number, cell.column])
            return
        if cell.formula is not None:
            calculated.setdefault(cell.column, []).append(cell.formula)
            return
    tell("added", at, "", text or f"={cell.formula}")


def _uneven(name: str, zone: Zone | None, calculated: Mapping[str, Sequence[str]]) -> Iterator[RulkaError]:
    if zone is None:
        return
    wanted = zone.rows.last - zone.rows.first + 1
    for column, found in calculated.items():
        if len(found) < wanted or not found[0]:
            yield RulkaError(
                f"Column {column} has a formula in {len(found)} of {wanted} rows.",
                hint="Fill it down from the first to the last row.",
                subject=name,
            )


def _height(package: WorkbookPackage, own: Own) -> str:
    """How high a person made the rows, by the first one."""
    if own.zone is None:
        return ""
    for row in rows_of(package, own.upload.part):
        if row.number == own.zone.rows.first:
            return str(row.told.get("ht", "")) if row.told.get("customHeight") in ("1", "true") else ""
        if row.number > own.zone.rows.first:
            break
    return ""


def _marks(package: WorkbookPackage, own: Own) -> Iterator[RulkaError]:
    """What a sheet that is refilled may not bear: protection, chosen filters, merged rows, notes on rows."""
    tree, name, zone = package.tree(own.upload.part), own.upload.name, own.zone
    if tree.find(f"{MAIN}sheetProtection") is not None:
        yield RulkaError("The sheet is protected.", hint="Take its protection off.", subject=name)
    trees = [tree, *(package.tree(part) for part in package.related(own.upload.part, "table"))]
    if any(one.find(f"{MAIN}autoFilter/{MAIN}filterColumn") is not None for one in trees):
        yield RulkaError("Its filter leaves rows out.", hint="Let it show all rows, then upload it.", subject=name)
    first = zone.rows.first if zone else 1
    if zone is not None and zone.rows.head == 0:
        return  # told by their places: what is merged or noted stays where it was
    for merged in tree.iterfind(f"{MAIN}mergeCells/{MAIN}mergeCell"):
        area = area_of(str(merged.get("ref")))
        if zone is not None and area and area[3] >= first:
            yield RulkaError(f"Cells are merged among the rows: {merged.get('ref')}.", hint="Part them.", subject=name)
    if zone is not None:
        for part in package.related(own.upload.part, "comments"):
            for note in package.tree(part).iter(f"{MAIN}comment"):
                area = area_of(str(note.get("ref")))
                if area and area[1] >= first:
                    yield RulkaError(
                        "A note is pinned to a row.",
                        hint="Rows are others next time: take it off.",
                        subject=f"{name}!{note.get('ref')}",
                    )


# what grows -----------------------------------------------------------------------------------------------------------


def _ranges(package: WorkbookPackage, own: Sequence[Own]) -> tuple[list[dict[str, Any]], list[RulkaError]]:
    """All that leads into the sheets that are refilled, and whether it grows or follows; pivots on other rows are
    refused."""
    maps = {one.upload.name.casefold(): _sample(package, one) for one in own}
    own_parts = {one.upload.part: one for one in own}
    places = formulas.places_of(package)
    ranges: list[dict[str, Any]] = []
    problems: list[RulkaError] = []
    ranges += _fixed(package, own)
    pivots, more = _pivots(package, own, places)
    ranges += pivots
    problems += more
    for carrier in carriers(package, places, set(own_parts)):
        problems += _calling_out(carrier.text, carrier.where)
        for told in touched(carrier.text, maps, carrier.home):
            if carrier.kind == "conditional format" and carrier.home.casefold() in maps and told.what == "still":
                continue  # a format's own row, relative to each
            ranges.append(
                {
                    "id": carrier.id,
                    "kind": carrier.kind,
                    "where": carrier.where,
                    "was": carrier.text[:200],
                    "then": moved(carrier.text, maps, carrier.home)[:200] if told.what in ("grows", "follows") else "",
                    "what": told.what,
                    "fixed": told.what == "itself",
                    "on": told.what in ("grows", "follows"),
                }
            )
    if len(ranges) > MOST_RANGES:
        raise RulkaError(
            f"{len(ranges):,} formulas lead into the rows, one by one.",
            hint="Let them read whole ranges, at most 2,000 of them.",
            subject=package.name,
            code="too-much",
        )
    problems += _locked(package, set(own_parts), ranges)
    return _joined(ranges), problems


def _locked(package: WorkbookPackage, own: Container[str], ranges: Sequence[dict[str, Any]]) -> Iterator[RulkaError]:
    """Protected sheets whose formulas have to grow, but for the parts that are refilled."""
    for name in {one.name for one in package.sheets if one.part not in own and _is_protected(package, one.part)}:
        if any(one["where"].startswith(f"{name}!") and one["on"] for one in ranges):
            told, hint = "The sheet is protected, and its formulas have to grow.", "Take its protection off."
            yield RulkaError(told, hint=hint, subject=name)


def _calling_out(formula: str, where: str) -> Iterator[RulkaError]:
    """Formulas that would tell somebody else what stands in the workbook of whoever opens it."""
    plain = re.sub(r'"[^"]*"', '""', formula)
    if found := CALLS_OUT.search(plain):
        yield RulkaError(
            f"It asks something outside: {found[1].upper()}.", hint="Put what it gives in its place.", subject=where
        )
    elif BUILT_LINK.search(formula):
        yield RulkaError(
            "It puts a link's address together from cells.", hint="Write the address as a text.", subject=where
        )


def _joined(ranges: Sequence[dict[str, Any]]) -> list[dict[str, Any]]:
    """One entry for each formula: what grows before what stays."""
    order = ("grows", "follows", "gone", "still", "itself")
    found: dict[str, dict[str, Any]] = {}
    for one in ranges:
        known = found.get(one["id"])
        if known is None or order.index(one["what"]) < order.index(known["what"]):
            found[one["id"]] = one
    return list(found.values())


def _sample(package: WorkbookPackage, own: Own) -> RowMap:
    """Rows that are one more, so that whatever has to move shows."""
    if own.zone is not None:
        rows = own.zone.rows
        return RowMap(rows, InsertedRows(rows.head, rows.first, rows.last + 1), by_place=not rows.head)
    numbers = [number for number, _ in labels_of(package, own.upload.part)] or [1]
    first, last = numbers[0], numbers[-1]
    return RowMap(
        InsertedRows(first - 1, first, last),
        InsertedRows(first - 1, first, last + 1),
        {at: at + 1 for at in range(first, last + 1)},
    )


def _is_protected(package: WorkbookPackage, part: str) -> bool:
    return package.tree(part).find(f"{MAIN}sheetProtection") is not None


def carriers(package: WorkbookPackage, places: formulas.DrawingPlaces, own: set[str]) -> Iterator[formulas.Carrier]:
    """Every formula of a workbook that may lead into the sheets that are refilled."""
    for sheet in package.sheets:
        if formulas.has_any(package, sheet.part):
            yield from formulas.in_sheet(package.tree(sheet.part), sheet.part, sheet.name, cells=sheet.part not in own)
    for number, part in enumerate(places.charts, 1):
        yield from formulas.in_chart(package.tree(part), part, places.sheet_of[part], formulas.chart_title(number))
    for part in places.drawings:
        yield from formulas.in_drawing(package.tree(part), part, places.sheet_of[part])
    for part in places.tables:
        yield from formulas.in_table(package.tree(part), part, places.sheet_of[part])
    yield from formulas.in_names(package.workbook)


def _fixed(package: WorkbookPackage, own: Sequence[Own]) -> Iterator[dict[str, Any]]:
    """What of a refilled sheet itself always goes with its rows."""
    for one in own:
        if one.zone is None:
            continue
        tree, name = package.tree(one.upload.part), one.upload.name
        found = tree.find(f"{MAIN}autoFilter")
        if found is not None:
            yield _always(f"{one.upload.part}:filter", "filter", f"filter of {name}", str(found.get("ref")))
        for part in package.related(one.upload.part, "table"):
            table = package.tree(part)
            yield _always(part, "table", f"table {table.get('displayName')} on {name}", str(table.get("ref")))
        for at, marks in enumerate(tree.iter(f"{MAIN}conditionalFormatting", f"{MAIN}dataValidation")):
            kind = "choice list" if local(marks) == "dataValidation" else "conditional format"
            ref = str(marks.get("sqref") or "")
            areas = [area for part in ref.split() if (area := area_of(part))]
            if any(area[3] == one.zone.rows.last for area in areas):
                yield _always(f"{one.upload.part}:area{at}", kind, f"{kind} on {name}", ref)


def _always(key: str, kind: str, where: str, was: str) -> dict[str, Any]:
    return {"id": key, "kind": kind, "where": where, "was": was, "then": "", "what": "grows", "fixed": True, "on": True}


def _pivots(
    package: WorkbookPackage, own: Sequence[Own], places: formulas.DrawingPlaces
) -> tuple[list[dict[str, Any]], list[RulkaError]]:
    by_name = {one.upload.name.casefold(): one for one in own}
    tables = {
        str(package.tree(part).get("displayName")).casefold()
        for one in own
        for part in package.related(one.upload.part, "table")
    }
    names = {str(one.node.get("name")).casefold(): one.text for one in formulas.in_names(package.workbook)}
    called: dict[str, list[str]] = {}
    ranges, problems = [], []
    for part in places.pivots:
        sheet = places.sheet_of[part]
        name = f"{package.tree(part).get('name') or ''} on {sheet}"
        for cache in package.related(part, "pivotCacheDefinition"):
            called.setdefault(cache, []).append(name)
            source = package.tree(cache).find(f"{MAIN}cacheSource")
            read = source.find(f"{MAIN}worksheetSource") if source is not None else None
            problem = _source_problem(read, by_name, tables, names, sheet, package)
            if problem:
                hint = "Let it read the rows with their headings."
                problems.append(
                    RulkaError(f"The pivot reads {problem}, not the rows.", subject=f"pivot {name}", hint=hint)
                )
            elif len(called[cache]) == 1:
                assert read is not None  # what has no source is a problem
                was = read.get("name") or f"{read.get('sheet')}!{read.get('ref')}"
                ranges.append(_always(cache, "pivot", "", str(was)))
    for one in ranges:
        several = called[one["id"]]
        one["where"] = f"pivot{'' if len(several) == 1 else 's'} {', '.join(several)}"
    return ranges, problems


def _source_problem(
    read: Any,
    by_name: Mapping[str, Own],
    tables: set[str],
    names: Mapping[str, str],
    sheet: str,
    package: WorkbookPackage,
) -> str:
    """What a pivot reads in place of the rows; empty where it reads them."""
    if read is None:
        return "a source outside"
    if any(name.endswith("}id") for name in read.attrib):
        return "another workbook"
    named = str(read.get("name") or "")
    if named:
        if named.casefold() in tables:
            return ""
        maps = {name: _sample(package, one) for name, one in by_name.items() if one.zone}
        told = touched(names.get(named.casefold(), ""), maps)
        return "" if told and all(one.what in ("grows", "itself") for one in told) else f"the name '{named}'"
    own = by_name.get(str(read.get("sheet") or sheet).casefold())
    area = area_of(str(read.get("ref") or ""))
    if own is None or own.zone is None or area is None:
        return f"{read.get('sheet') or 'its own sheet'}!{read.get('ref') or ''}"
    zone = own.zone
    if not zone.rows.head:
        return ""  # told by their places: it reads what it reads
    if area[1] != zone.rows.head or area[3] < zone.rows.last or area[0] < zone.left:
        return f"{read.get('sheet')}!{read.get('ref')} rather than {letters_of(zone.left)}{zone.rows.head}:" + (
            f"{letters_of(zone.right)}{zone.rows.last}"
        )
    return ""


# what is linked -------------------------------------------------------------------------------------------------------


def _linked(package: WorkbookPackage, own: Sequence[Own], sheets: Sequence[Mapping[str, Any]]) -> list[str]:
    """What a template is linked by and what it holds, in words."""
    told = []
    for sheet in sheets:
        if sheet["titles"]:
            columns = [title for _, title in sheet["titles"]]
            told.append(f"sheet {sheet['name']}, {len(columns)} columns by their headings: {', '.join(columns)}")
            if sheet["calculated"]:
                count = len(sheet["calculated"])
                told.append(f"{count} column{'' if count == 1 else 's'} with formulas beside the rows")
        else:
            told.append(f"sheet {sheet['name']}, by its cells")
    others = [one.name for one in package.sheets if one.part not in {each.upload.part for each in own}]
    if others:
        told.append(f"sheets of your own: {', '.join(others)}")
    kinds = {
        "pivot": "xl/pivotTables/pivotTable",
        "interactive filter": "xl/slicers/",
        "table": "xl/tables/",
        "chart": "xl/charts/chart",
        "picture": "xl/media/",
    }
    for word, start in kinds.items():
        count = sum(part.startswith(start) and not part.endswith(".rels") for part in package.names)
        if count:
            told.append(f"{count} {word}{'' if count == 1 else 's'}")
    return told


def _asked(asked: Mapping[str, Any]) -> dict[str, Any]:
    if "codes" in asked:
        with foreign(asked["name"]), WorkbookPackage(Path(asked["codes"]), asked["name"]) as package:
            _check_size(package)
            return {"codes": codes_of(package)}
    return _answered(asked)


if __name__ == "__main__":
    answer(_asked, seconds=SECONDS // 2)
