"""Worksheets as calculated for somebody: kept by who, behind which fence, revision, period, node and parameters."""

from __future__ import annotations

from collections import OrderedDict, deque
from collections.abc import Hashable, Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass, field
from datetime import date
from threading import Lock, RLock
from typing import Any

from django.utils import timezone

from rulka.core.books.book import View
from rulka.core.books.calendar import Period
from rulka.core.sheet.addresses import Key
from rulka.core.sheet.calculating import Calculation
from rulka.core.sheet.covering import Coverage, coverage_of, groups_of
from rulka.core.sheet.hiding import filtered_out, hidden_by
from rulka.core.sheet.ledger_functions import LedgerSource
from rulka.core.sheet.parameters import Parameter, input_of, parameter_from, typed_value, values_of
from rulka.core.sheet.showing import Shower
from rulka.core.sheet.steps import apply
from rulka.core.sheet.workbook import Sheet, Step, Workbook
from rulka.ledger.models import Ledger
from rulka.ledger.reading.queries import snapshot
from rulka.people.models import Person
from rulka.worksheets.library.storing import read_workbook
from rulka.worksheets.models import ChosenValues, Worksheet
from rulka.worksheets.running.sources import OtherLedgers, surroundings

MOST_LIVE = 16
MOST_LOGGED = 400
"""Versions of which is known what they changed on the screen."""

MOST_GROUPS = 12
"""Groups of formulas that a sheet is checked by."""

MOST_CELLS = 1_500_000
"""Cells of all kept worksheets together."""


@dataclass(frozen=True)
class WorksheetReader:
    """For whom, when and for which node a worksheet is calculated."""

    ledger: Ledger
    view: View
    period: Period
    node: str
    person: Person | None = None


@dataclass(eq=False)
class Live:
    """One worksheet, calculated for one reader. Used by one request at a time, see `opened`."""

    worksheet: Worksheet
    reader: WorksheetReader
    version: int
    workbook: Workbook
    calculation: Calculation
    source: LedgerSource
    outside: OtherLedgers
    values: dict[str, str]
    lock: RLock = field(default_factory=RLock)
    kept: dict[Hashable, Any] = field(default_factory=dict)
    """What follows from the values and was asked for: dropped with each calculation."""
    covered: dict[tuple[int, str], tuple[Calculation, int, list[Coverage]]] = field(default_factory=dict)
    """What sheets cover of the accounts, as long as their formulas ask the same."""
    log: deque[tuple[int, frozenset[Key] | None]] = field(default_factory=lambda: deque(maxlen=MOST_LOGGED))
    """By version the cells that showed something else since; None where all may."""
    since: int = 0
    """The version from which on that is known."""

    def shower(self) -> Shower:
        return Shower(self.workbook, self.calculation)

    @property
    def parameters(self) -> list[Parameter]:
        return [parameter_from(raw) for raw in self.workbook.parameters]

    @property
    def size(self) -> int:
        return sum(len(sheet.cells) for sheet in self.workbook.sheets) + len(self.calculation.values)

    def hidden(self, sheet: Sheet) -> tuple[set[int], set[int]]:
        """The rows and columns of a sheet that don't show: hidden by hand, by a filter, by its rules now."""
        if ("hidden", sheet.number) not in self.kept:
            rows, columns = hidden_by(sheet.settings.get("hiding", ()), sheet.number, self.calculation)
            rows |= set(sheet.settings.get("hidden rows", ()))
            columns |= set(sheet.settings.get("hidden columns", ()))
            if own := sheet.settings.get("filter"):
                rows |= filtered_out(own, sheet.number, self.calculation)
            self.kept["hidden", sheet.number] = rows, columns
        found: tuple[set[int], set[int]] = self.kept["hidden", sheet.number]
        return found

    def coverage(self, sheet: Sheet) -> list[Coverage]:
        """What the sheet covers of the accounts, by groups of formulas that read alike, the largest first."""
        name = (sheet.number, sheet.settings.get("check", ""))
        asked = (self.calculation, self.calculation.asked)
        kept = self.covered.get(name)
        if kept is None or kept[0] is not asked[0] or kept[1] != asked[1]:
            groups = groups_of(self.calculation, sheet.number, self.source)[:MOST_GROUPS]
            found = [coverage_of(group, name[1], self.source.amounts) for group in groups]
            kept = self.covered[name] = (*asked, found)
        return kept[2]

    def take(self, steps: list[Step], version: int) -> None:
        """Do steps that were stored as a version, and calculate."""
        for step in steps:
            apply(self.workbook, step)
        self.version = version
        self.calculate(steps)

    def changed_since(self, version: int) -> set[Key] | None:
        """The cells that show something else than at a version; None where that isn't known any more."""
        if version < self.since or (self.log and version < self.log[0][0] - 1):
            return None
        found: set[Key] = set()
        for later, keys in self.log:
            if later > version:
                if keys is None:
                    return None
                found |= keys
        return found

    def anew(self) -> None:
        """Nothing that was shown before is known to be shown still."""
        self.kept.clear()
        self.log.clear()
        self.since = self.version

    def calculate(self, steps: list[Step]) -> None:
        """Calculate after steps that the workbook has taken already: cells alone with what depends on them, all else
        anew."""
        self.kept.clear()
        if any(step["kind"] not in ("cells", "settings") for step in steps):
            self.calculation = calculated(self.workbook, self.source, self.values)
            self.log.append((self.version, None))
            return
        given = overridden(self.workbook, self.values)
        changed: dict[Key, str] = {}
        self.calculation.changed.clear()
        for step in steps:
            if step["kind"] == "cells":
                for row, column, before, after in step["cells"]:
                    key = (step["sheet"], row, column)
                    if before[0] != after[0]:
                        changed[key] = given.get(key, after[0])
                    self.calculation.changed.add(key)
        if changed:
            self.calculation.change(changed)
        self.log.append((self.version, frozenset(self.calculation.changed)))


def overridden(workbook: Workbook, values: Mapping[str, str]) -> dict[Key, str]:
    """What stands in the cells of parameters for this reader."""
    found = {}
    for raw in workbook.parameters:
        parameter = parameter_from(raw)
        if values.get(parameter.name):
            found[(parameter.sheet, *parameter.cell)] = input_of(parameter, values[parameter.name])
    return found


def calculated(workbook: Workbook, source: LedgerSource, values: Mapping[str, str]) -> Calculation:
    """All of a workbook calculated, with a reader's values in the cells of parameters."""
    sheets = {sheet.number: sheet for sheet in workbook.inputs()}
    for (number, row, column), text in overridden(workbook, values).items():
        if number in sheets:
            sheets[number].cells[row, column] = text
    return Calculation(sheets.values(), workbook.names, source=source, context=source.around, today=_today())


def calculated_for(workbook: Workbook, reader: WorksheetReader) -> Calculation:
    """A workbook that isn't stored, calculated for a reader."""
    outside = OtherLedgers(reader.ledger, reader.view, reader.period, reader.node, reader.person)
    source = LedgerSource(surroundings(outside, reader.period, reader.node))
    return calculated(workbook, source, own_values(workbook, {}, reader))


def _today() -> date:
    return timezone.localdate()


def own_values(workbook: Workbook, chosen: Mapping[str, str], reader: WorksheetReader) -> dict[str, str]:
    """The values of the parameters for a reader."""
    parameters = [parameter_from(raw) for raw in workbook.parameters]
    typed = {}
    for parameter in parameters:
        sheet = next((sheet for sheet in workbook.sheets if sheet.number == parameter.sheet), None)
        if sheet is not None:
            typed[parameter.name] = typed_value(sheet.cell(*parameter.cell).input)
    return values_of(parameters, typed, chosen, reader.period)


_KEPT: OrderedDict[Hashable, Live] = OrderedDict()
_GUARD = Lock()


def chosen_of(worksheet: Worksheet, person: Person | None) -> dict[str, str]:
    """What somebody last chose for the parameters."""
    found = ChosenValues.objects.filter(worksheet=worksheet, person=person).first() if person else None
    return dict(found.values) if found else {}


@contextmanager
def opened(worksheet: Worksheet, reader: WorksheetReader, chosen: Mapping[str, str] | None = None) -> Iterator[Live]:
    """A worksheet calculated for a reader, at its stored version; nobody else works on it meanwhile."""
    own = chosen_of(worksheet, reader.person) if chosen is None else dict(chosen)
    name = (
        worksheet.pk,
        reader.person.pk if reader.person else None,
        reader.view.fence,
        reader.view.revision,
        reader.period.code,
        reader.node,
        tuple(sorted(own.items())),
        _today(),
    )
    with _GUARD:
        live = _KEPT.get(name)
        if live is not None:
            _KEPT.move_to_end(name)
    if live is None:
        live = _made(worksheet, reader, own)
        with _GUARD:
            live = _KEPT.setdefault(name, live)
            _bound()
    with live.lock:
        _follow(live, worksheet, own)
        yield live


def _bound() -> None:
    """Forget what was used longest ago, beyond so many worksheets or cells."""
    while len(_KEPT) > MOST_LIVE or (len(_KEPT) > 1 and sum(live.size for live in _KEPT.values()) > MOST_CELLS):
        _KEPT.popitem(last=False)


def _made(worksheet: Worksheet, reader: WorksheetReader, chosen: Mapping[str, str]) -> Live:
    with snapshot():  # cells and the version that they are of
        worksheet.refresh_from_db()
        workbook, version = read_workbook(worksheet), worksheet.version
    outside = OtherLedgers(reader.ledger, reader.view, reader.period, reader.node, reader.person)
    source = LedgerSource(surroundings(outside, reader.period, reader.node))
    values = own_values(workbook, chosen, reader)
    made = Live(worksheet, reader, version, workbook, calculated(workbook, source, values), source, outside, values)
    made.anew()
    return made


def _follow(live: Live, worksheet: Worksheet, chosen: Mapping[str, str]) -> None:
    """Bring a kept worksheet to what is stored now: steps that are new, parameters, what was read beside the ledger."""
    with snapshot():
        worksheet.refresh_from_db()
        missed = list(worksheet.steps.filter(version__gt=live.version).order_by("version"))
    is_near = live.version + len(missed) == worksheet.version  # all steps since are kept, and none was lost
    if not is_near or not live.outside.is_current():
        fresh = _made(worksheet, live.reader, chosen)
        for name in ("version", "workbook", "calculation", "source", "outside", "values"):
            setattr(live, name, getattr(fresh, name))
        live.anew()
        return
    if missed:
        live.workbook.looks = [dict(look) for look in worksheet.looks]
        for step in missed:
            live.take(step.steps, step.version)
    values = own_values(live.workbook, chosen, live.reader)
    if values != live.values:
        live.values = values
        live.calculation = calculated(live.workbook, live.source, values)
        live.anew()


def forget(worksheet: Worksheet) -> None:
    """Drop everything kept of a worksheet."""
    with _GUARD:
        for name in [name for name in _KEPT if isinstance(name, tuple) and name[0] == worksheet.pk]:
            del _KEPT[name]
