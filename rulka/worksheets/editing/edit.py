"""Changing a worksheet: one edit at a time, as steps that can be taken back; undo and redo for each person."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass
from typing import Any

from django.db import transaction
from django.utils import timezone

from rulka.core.errors import RulkaError
from rulka.core.sheet.addresses import cell_text
from rulka.core.sheet.blocks import LaidBlock
from rulka.core.sheet.parameters import Parameter, check_pairs, checked_value
from rulka.core.sheet.steps import apply, inverses
from rulka.core.sheet.workbook import Cell, Step, Workbook, copied
from rulka.people.library import record
from rulka.people.models import Person
from rulka.statements.library.shelves import EDIT
from rulka.worksheets.library.opening import required
from rulka.worksheets.library.storing import read_workbook, write_steps
from rulka.worksheets.models import ChosenValues, SheetStep, Worksheet
from rulka.worksheets.running.live import Live, WorksheetReader
from rulka.worksheets.running.options import listed_for

MOST_STEPS = 500
"""Steps that are kept of a worksheet; older ones can't be undone."""

STRUCTURE = ("remap", "sheets")
Action = Callable[[Workbook, Live], list[Step] | LaidBlock]
"""What is done to a workbook: the steps, and where there is something to say of them, that too."""


class WorksheetChangedSince(RulkaError):
    """Rows, columns or sheets moved since what somebody acts on was shown."""

    code = "changed-since"


@dataclass(frozen=True)
class EditedWorksheet:
    """What an edit did: whether anything changed, and what has to be told of it."""

    changed: bool
    told: tuple[str, ...] = ()


def change_worksheet(
    worksheet: Worksheet, what: str, action: Action, live: Live, *, person: Person, seen: int
) -> EditedWorksheet:
    """Do an edit on what is stored now and keep it. `seen` is the version that the person saw: where rows, columns or
    sheets moved since by somebody else, addresses mean other cells, and nothing is done; where somebody else changed
    the same cells since, this edit stands, and the person is told what it replaced."""
    done: list[Step] = []
    try:
        with transaction.atomic():
            stored = Worksheet.objects.select_for_update().get(pk=worksheet.pk)
            required(person, stored, EDIT)
            _check_seen(stored, person, seen)
            own = live.version == stored.version
            workbook = live.workbook if own else read_workbook(stored)
            given = action(workbook, live)
            given = given if isinstance(given, LaidBlock) else LaidBlock(given)
            steps = [step for step in given.steps if step["kind"] != "cells" or step["cells"]]
            told = [*given.told, *_replaced(stored, person, seen, steps)]
            for step in steps:
                apply(workbook, step)
                done += [step] if own else []
            if steps:
                _keep(stored, workbook, steps, what, person)
    except BaseException:
        for step in inverses(done):  # what is shown goes on as it is stored
            apply(live.workbook, step)
        raise
    if steps and own:
        live.version = stored.version
        live.calculate(steps)
    worksheet.refresh_from_db()
    return EditedWorksheet(bool(steps), tuple(told))


def _replaced(stored: Worksheet, person: Person, seen: int, steps: list[Step]) -> list[str]:
    """What others put into the cells of an edit since its person saw them, in words: nothing is lost silently."""
    mine = {
        (step["sheet"], row, column): after
        for step in steps
        if step["kind"] == "cells"
        for row, column, _, after in step["cells"]
    }
    found = []
    later = stored.steps.filter(version__gt=seen).exclude(person=person).select_related("person").order_by("version")
    for step in later if mine else ():
        same = [
            (row, column, after)
            for one in step.steps
            if one["kind"] == "cells"
            for row, column, before, after in one["cells"]
            if before[0] != after[0] and mine.get((one["sheet"], row, column), after)[0] != after[0]
        ]
        if same:
            row, column, after = same[0]
            more = f" and {len(same) - 1} more cells" if len(same) > 1 else ""
            found.append(
                f"{_who(step.person)} had put '{after[0][:60]}' into {cell_text(row, column)}{more} at "
                f"{timezone.localtime(step.at):%H:%M}; yours stands now, theirs is in the history."
            )
    return found[:5]


def _check_seen(stored: Worksheet, person: Person, seen: int) -> None:
    for step in stored.steps.filter(version__gt=seen).exclude(person=person):
        if any(one["kind"] in STRUCTURE for one in step.steps):
            raise WorksheetChangedSince(
                f"{_who(step.person)} moved rows, columns or sheets while you had it open: {step.what}.",
                hint="It is shown as it is now; do yours again.",
            )


def _who(person: Person | None) -> str:
    return (person.title or person.username) if person else "Somebody"


def _after(workbook: Workbook, steps: list[Step]) -> Workbook:
    """A workbook after some steps; the one given stays as it is."""
    after = copied(workbook)
    for step in steps:
        apply(after, step)
    return after


def _keep(
    stored: Worksheet,
    after: Workbook,
    steps: list[Step],
    what: str,
    person: Person | None,
    kind: str = SheetStep.Kind.EDIT,
    of: SheetStep | None = None,
) -> None:
    write_steps(stored, after, steps)
    stored.version += 1
    stored.save()
    if kind == SheetStep.Kind.EDIT:
        stored.steps.filter(person=person, undone=True, kind=SheetStep.Kind.EDIT).update(dropped=True)
    SheetStep.objects.create(
        worksheet=stored, version=stored.version, kind=kind, of=of, person=person, what=what[:200], steps=steps
    )
    SheetStep.objects.filter(worksheet=stored, version__lte=stored.version - MOST_STEPS).delete()
    told = what if kind == SheetStep.Kind.EDIT else f"{kind}: {what}"
    record.note(person, "changed", ledger=stored.ledger.code, thing=f"worksheet {stored.name}", detail=told,
                name="" if person else "command")  # fmt: skip


def undoable(worksheet: Worksheet, person: Person) -> SheetStep | None:
    """The last edit of a person that isn't undone."""
    own = worksheet.steps.filter(person=person, kind=SheetStep.Kind.EDIT, undone=False)
    return own.order_by("-version").first()


def redoable(worksheet: Worksheet, person: Person) -> SheetStep | None:
    """The edit of a person that was undone last."""
    turned = worksheet.steps.filter(person=person, kind=SheetStep.Kind.UNDO, of__undone=True, of__dropped=False)
    last = turned.order_by("-version").select_related("of").first()
    return last.of if last else None


@transaction.atomic
def undo(worksheet: Worksheet, *, person: Person) -> str:
    """Take a person's last edit back; refused in words where somebody changed the same since."""
    stored = Worksheet.objects.select_for_update().get(pk=worksheet.pk)
    required(person, stored, EDIT)
    step = undoable(stored, person)
    if step is None:
        raise RulkaError("There is nothing to undo.", hint="Only your own edits are undone, the last 500.")
    _turn(stored, step, inverses(step.steps), person, SheetStep.Kind.UNDO)
    step.undone = True
    step.save(update_fields=["undone"])
    worksheet.refresh_from_db()
    return step.what


@transaction.atomic
def redo(worksheet: Worksheet, *, person: Person) -> str:
    """Do again what was undone last."""
    stored = Worksheet.objects.select_for_update().get(pk=worksheet.pk)
    required(person, stored, EDIT)
    step = redoable(stored, person)
    if step is None:
        raise RulkaError("There is nothing to do again.", hint="Only what you undid yourself.")
    _turn(stored, step, step.steps, person, SheetStep.Kind.REDO)
    step.undone = False
    step.save(update_fields=["undone"])
    worksheet.refresh_from_db()
    return step.what


def _turn(stored: Worksheet, step: SheetStep, steps: list[Step], person: Person, kind: str) -> None:
    workbook = read_workbook(stored)
    trial = _after(workbook, [])
    for one in steps:
        _check_untouched(stored, trial, one, step)
        apply(trial, one)
    _keep(stored, trial, steps, step.what, person, kind, step)


def _check_untouched(stored: Worksheet, workbook: Workbook, one: Step, step: SheetStep) -> None:
    """Refuse to turn a step where what it left isn't there any more."""
    later = stored.steps.filter(version__gt=step.version).exclude(person=step.person)
    changed = _changed_since(workbook, one, later)
    if changed:
        last = later.order_by("-version").first()
        who = f"{_who(last.person)} ({timezone.localtime(last.at):%H:%M}, {last.what})" if last else "Somebody"
        raise RulkaError(
            f"'{step.what}' can't be turned: {who} changed {changed} since.",
            hint="Change it by hand, or ask them.",
            code="changed-since",
        )


def _changed_since(workbook: Workbook, one: Step, later: Iterable[SheetStep]) -> str:
    """What of a step isn't as the step left it, in words; `later` are the steps of others since."""
    changed = ""
    sheet = next((sheet for sheet in workbook.sheets if sheet.number == one.get("sheet")), None)
    match one["kind"]:
        case "cells":
            for row, column, before, _ in one["cells"]:
                if sheet is None or sheet.cell(row, column) != Cell(*before):
                    changed = cell_text(row, column)
                    break
        case "remap":
            kind, axis, at, count, _ = one["remap"]
            others = (other for step in later for other in step.steps if other.get("sheet") == one["sheet"])
            if sheet is None or any(other["kind"] in STRUCTURE for other in others):
                changed = axis
            elif kind == "delete":
                place = 0 if axis == "rows" else 1
                if any(at <= cell[place] < at + count and not own.is_nothing for cell, own in sheet.cells.items()):
                    changed = f"the new {axis}"
        case "settings":
            changed = "" if sheet is not None and sheet.settings == one["before"] else "the sheet's settings"
        case "names":
            changed = "" if workbook.names == one["before"] else "a name"
        case "parameters":
            changed = "" if workbook.parameters == one["before"] else "a parameter"
        case "sheets":
            own = [[sheet.number, sheet.name] for sheet in workbook.sheets]
            changed = "" if own == one["before"] else "the sheets"
    return changed


def choose_values(
    worksheet: Worksheet, given: Mapping[str, str], live: Live, reader: WorksheetReader
) -> dict[str, str]:
    """Keep what a reader chose for parameters; refused where it isn't allowed. Returns all values chosen so far."""
    parameters: list[Parameter] = live.parameters
    known = {parameter.name: parameter for parameter in parameters}
    former = ChosenValues.objects.filter(worksheet=worksheet, person=reader.person).first()
    values: dict[str, Any] = {name: value for name, value in (former.values if former else {}).items() if name in known}
    for name, text in given.items():
        if name not in known:
            continue
        if not text.strip():
            values.pop(name, None)  # back to what the author put there
            continue
        values[name] = checked_value(known[name], text, reader.view, reader.period, listed_for(live, known[name]))
    check_pairs(parameters, {**live.values, **values}, reader.view, reader.period)
    if reader.person is not None:
        ChosenValues.objects.update_or_create(worksheet=worksheet, person=reader.person, defaults={"values": values})
    return values
