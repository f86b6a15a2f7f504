"""A workbook calculated: what depends on what, in which order, what spills where, and one batch of questions a pass."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Hashable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date
from decimal import localcontext
from typing import Protocol

from rulka.core.sheet.addresses import MOST_COLUMNS, MOST_ROWS, Box, Key, cell_text
from rulka.core.sheet.environment import Environment
from rulka.core.sheet.evaluating import Shape, box_of, compiled, result_of, shape_from
from rulka.core.sheet.inputs import Input, read_input
from rulka.core.sheet.parsing import parse, shape_of
from rulka.core.sheet.tokens import FormulaFault, quoted_sheet, tokens_of
from rulka.core.sheet.values import (
    ASKED,
    CIRC,
    EXACT,
    NUM,
    PENDING,
    REF,
    SPILL,
    Array,
    Fault,
    Scalar,
    SheetError,
    Value,
)

MOST_READ = 20_000_000
"""Cells that one calculation may read before it is stopped."""

MOST_ROUNDS = 12
"""How often what spills or waits may be followed up in one calculation."""

SMALL = 64
"""Areas up to this size are noted cell by cell, larger ones as a whole."""


class AnswerSource(Protocol):
    """Who answers what formulas ask of the ledger, all questions of a pass at once."""

    def answers(self, questions: Sequence[Hashable]) -> Mapping[Hashable, Value]: ...


class NoSource:
    """A workbook without a ledger."""

    def answers(self, questions: Sequence[Hashable]) -> Mapping[Hashable, Value]:
        none = SheetError("#N/A", "There is no ledger here.")
        return dict.fromkeys(questions, none)


@dataclass
class SheetCells:
    """One sheet as calculated: its number, its name and what was typed into its cells."""

    number: int
    name: str
    cells: dict[tuple[int, int], str] = field(default_factory=dict)


@dataclass(frozen=True)
class CalculationReport:
    """What a calculation did: how many formulas, questions, and rounds."""

    formulas: int = 0
    questions: int = 0
    rounds: int = 0


@dataclass(frozen=True, slots=True)
class _Formula:
    """A formula in its cell: which single cells and which areas it reads, by the number of their sheet."""

    shape: Shape
    cells: tuple[Key, ...]
    areas: tuple[tuple[int, Box], ...]


class _Needs(Exception):
    """A formula reads a cell that isn't calculated yet."""

    def __init__(self, key: Key) -> None:
        self.key = key


class Calculation:
    """The values of a workbook; changed cells are calculated again with all that depends on them."""

    def __init__(
        self,
        sheets: Iterable[SheetCells],
        names: Mapping[str, str] | None = None,
        *,
        source: AnswerSource | None = None,
        context: object = None,
        today: date = date(2000, 1, 1),
    ) -> None:
        self.sheets = {sheet.number: sheet for sheet in sheets}
        self.source: AnswerSource = source or NoSource()
        self.context = context
        """What functions of the ledger find their surroundings in."""
        self.today = today
        self.values: dict[Key, Value] = {}
        self.formulas: dict[Key, _Formula] = {}
        self.spills: dict[Key, Array] = {}
        self.errors: set[Key] = set()
        """Cells that show an error."""
        self.changed: set[Key] = set()
        """Cells whose value was set since somebody last emptied this."""
        self.told = CalculationReport()
        self._owners: dict[Key, Key] = {}
        self._blocked: dict[Key, Box] = {}
        self._readers: dict[Key, set[Key]] = defaultdict(set)
        self._area_readers: dict[int, dict[Box, set[Key]]] = defaultdict(dict)
        self._volatile: set[Key] = set()
        self._dirty: set[Key] = set()
        self._dirty_in: dict[tuple[int, int], int] = defaultdict(int)
        self._waiting: set[Key] = set()
        self._asked: dict[Hashable, None] = {}
        self._answers: dict[Hashable, Value] = {}
        self.questions: dict[Key, dict[Hashable, None]] = {}
        """What each formula asked of the ledger when it was last calculated."""
        self.asked = 0
        """Counts how often `questions` changed."""
        self._arrays: dict[tuple[int, Box], tuple[tuple[int, ...], Array]] = {}
        self._stores: dict[tuple[int, int], int] = defaultdict(int)
        self._read = 0
        self._used: dict[int, int] = {}
        self._numbers: dict[str, int] = {}
        self._names: dict[str, Shape | SheetError] = {}
        self._again: set[Key] = set()
        self._record: dict[Hashable, None] | None = None
        self._tokens = False
        self.set_names(names or {})
        with localcontext(EXACT):
            for sheet in self.sheets.values():
                self._numbers[sheet.name.casefold()] = sheet.number
            for sheet in self.sheets.values():
                for (row, column), text in sheet.cells.items():
                    self._enter((sheet.number, row, column), text)
        self._settle(set(self.formulas))

    # what formulas read -----------------------------------------------------------------------------------------------

    def value_at(self, key: Key) -> Scalar:
        """What a cell holds; raises _Needs where it has still to be calculated."""
        if key in self._dirty:
            raise _Needs(key)
        value = self.values.get(key)
        if type(value) is Array:
            return value.rows[0][0]
        if value is None and self._owners and (owner := self._owners.get(key)) is not None and owner in self._dirty:
            raise _Needs(owner)
        return value

    def array_in(self, sheet: int, box: Box) -> Array:
        """What the cells of an area hold; of whole columns as far down as anything stands."""
        if box.rows == MOST_ROWS:
            box = Box(box.top, box.left, max(self.used_rows(sheet) - 1, 0), box.right)
        if box.columns == MOST_COLUMNS and box.rows > 1:
            box = Box(box.top, box.left, box.bottom, max(self._used_columns(sheet) - 1, 0))
        stores = tuple(self._stores[sheet, column] for column in range(box.left, box.right + 1))
        kept = self._arrays.get((sheet, box))
        if kept is not None and kept[0] == stores and not self._has_dirty(sheet, box):
            return kept[1]
        self._read += box.size
        if self._read > MOST_READ:
            raise Fault(NUM, f"Calculating the sheet would read more than {MOST_READ:,} cells.")
        read = self.value_at
        rows = [
            [read((sheet, row, column)) for column in range(box.left, box.right + 1)]
            for row in range(box.top, box.bottom + 1)
        ]
        if any(PENDING is value for row in rows for value in row):
            raise Fault(PENDING)
        array = Array(rows)
        if box.size >= SMALL:
            if len(self._arrays) > 500:
                self._arrays.clear()
            self._arrays[sheet, box] = (stores, array)
        return array

    def _has_dirty(self, sheet: int, box: Box) -> bool:
        return any(self._dirty_in.get((sheet, column)) for column in range(box.left, box.right + 1))

    def spilled_at(self, key: Key) -> Value:
        """All that a formula spilled from a cell, or its one value."""
        if key in self._dirty:
            raise _Needs(key)
        if key in self.spills:
            return self.spills[key]
        value = self.values.get(key)
        if isinstance(value, SheetError):
            return value
        if key not in self.formulas:
            return SheetError(REF.code, f"No formula spills from {cell_text(key[1], key[2])}.")
        return value

    def sheet_number(self, name: str) -> int | None:
        return self._numbers.get(name.casefold())

    def name_meaning(self, name: str) -> Shape | None:
        """What a name stands for, compiled; None for an unknown one."""
        found = self._names.get(name)
        if isinstance(found, SheetError):
            raise Fault(found)
        return found

    def used_rows(self, sheet: int) -> int:
        """How many rows of a sheet hold anything."""
        return self._used.get(sheet, 0)

    def _used_columns(self, sheet: int) -> int:
        return max((column + 1 for number, column in self._stores if number == sheet), default=0)

    def ask(self, question: Hashable, key: Key | None = None) -> Value:
        """What the ledger answers to the formula in a cell; PENDING the first time, then the answer."""
        if self._record is not None:
            self._record[question] = None
            if self._tokens:
                return SheetError(ASKED, "", (question,))
        elif key is not None:
            self.questions.setdefault(key, {})[question] = None
            self.asked += 1
        if question in self._answers:
            return self._answers[question]
        self._asked[question] = None
        return PENDING

    # how a cell came about --------------------------------------------------------------------------------------------

    def anchor_of(self, key: Key) -> Key:
        """The cell whose formula gives a cell's value: itself, or the one that spilled into it."""
        return self._owners.get(key, key)

    def shown_at(self, key: Key) -> Scalar:
        """What a cell shows."""
        value = self.values.get(key)
        return value.rows[0][0] if isinstance(value, Array) else value

    def asked_by(self, key: Key) -> list[Hashable]:
        """What was asked of the ledger for the value of a cell; of a spilled one only what is behind it, where that can
        be told."""
        anchor = self.anchor_of(key)
        asked = self._recorded(anchor, tokens=False)[1]
        if anchor in self.spills:
            value = self._recorded(anchor, tokens=True)[0]
            if isinstance(value, Array):
                cell = value.rows[key[1] - anchor[1]][key[2] - anchor[2]]
                if isinstance(cell, SheetError) and cell.questions:
                    return list(cell.questions)
        return asked

    def _recorded(self, key: Key, *, tokens: bool) -> tuple[Value, list[Hashable]]:
        if key not in self.formulas:
            return None, []
        self._record, self._tokens = {}, tokens
        try:
            with localcontext(EXACT):
                value = self._evaluated(key)
            return value, list(self._record)
        finally:
            self._record, self._tokens = None, False

    def tried(self, key: Key, text: str) -> Value:
        """What a formula would give in a cell, asked of the ledger where it has to; nothing of the workbook changes."""
        with localcontext(EXACT):
            tokens = tokens_of(text.removeprefix("="))
            shape = shape_from(shape_of(tokens, key[1], key[2]), tokens, key[1], key[2])
            self._record = {}
            try:
                for _ in range(MOST_ROUNDS):
                    self._read, self._asked = 0, {}
                    value = self._run(shape, key)
                    if not self._asked:
                        return value
                    self._answers.update(self.source.answers(list(self._asked)))
            finally:
                self._record = None
                self._asked = {}
            return SheetError(CIRC.code, "What it asks depends on its own result.")

    # changes ----------------------------------------------------------------------------------------------------------

    def set_names(self, names: Mapping[str, str]) -> None:
        """Named cells, ranges and values: by name the formula or constant each stands for."""
        self._names = {}
        for name, text in names.items():
            try:
                self._names[name.upper()] = compiled(parse(text.removeprefix("=")))
            except FormulaFault as fault:
                self._names[name.upper()] = fault.error

    def change(self, cells: Mapping[Key, str]) -> None:
        """Put new inputs into cells (empty text clears one) and calculate what depends on them."""
        with localcontext(EXACT):
            dirty: set[Key] = set()
            for key, text in cells.items():
                self._leave(key)
                sheet = self.sheets[key[0]]
                if text:
                    sheet.cells[key[1], key[2]] = text
                else:
                    sheet.cells.pop((key[1], key[2]), None)
                dirty |= self._unblocked(key)
                self._enter(key, text)
                if key in self.formulas:
                    dirty.add(key)
                else:
                    dirty |= self._readers_of(key)
                    self.changed.add(key)
            dirty |= self._volatile
        self._settle(dirty)

    def _put(self, key: Key, value: Value) -> None:
        self.values[key] = value
        if type(value) is SheetError:
            self.errors.add(key)
        elif self.errors:
            self.errors.discard(key)

    def _enter(self, key: Key, text: str) -> None:
        """Take in what was typed: a constant at once, a formula with all that it reads."""
        sheet, row, column = key
        if not text:
            return
        if row >= self._used.get(sheet, 0):
            self._used[sheet] = row + 1
        self._stores[sheet, column] += 1
        if text[0] != "=" or len(text) == 1:
            read: Input = read_input(text)
            self._put(key, read.value)
            return
        try:
            tokens = tokens_of(text[1:])
            shape = shape_from(shape_of(tokens, row, column), tokens, row, column)
        except FormulaFault as fault:
            self._put(key, fault.error)
            self.changed.add(key)
            # a formula that can't be read is shown as what is wrong with it, and calculated no more
            return
        formula = _Formula(shape, *self._reads(key, shape))
        self.formulas[key] = formula
        self._watch(key, formula)

    def _leave(self, key: Key) -> None:
        """Forget what a cell held."""
        formula = self.formulas.pop(key, None)
        if formula is not None:
            self._unwatch(key, formula)
            self._waiting.discard(key)
            self._blocked.pop(key, None)
            if self.questions.pop(key, None) is not None:
                self.asked += 1
            self._withdraw(key)
        if key in self.values:
            del self.values[key]
            self.errors.discard(key)
        self._stores[key[0], key[2]] += 1

    def _reads(self, key: Key, shape: Shape) -> tuple[tuple[Key, ...], tuple[tuple[int, Box], ...]]:
        """The single cells and the areas that a formula reads, by itself and through names."""
        sheet, row, column = key
        references = [*shape.references, *shape.spills]
        for name in shape.names:
            meaning = self._names.get(name)
            if isinstance(meaning, Shape):
                references += [*meaning.references, *meaning.spills]
        cells: list[Key] = []
        areas: list[tuple[int, Box]] = []
        for reference in references:
            number = self._numbers.get(reference.sheet) if reference.sheet else sheet
            if number is None:
                continue
            if reference.is_cell and reference.top is not None and reference.left is not None:
                at = reference.top if reference.fixed[0] else reference.top + row
                on = reference.left if reference.fixed[1] else reference.left + column
                cells.append((number, at, on))
            elif (box := box_of(reference, row, column)) is not None:
                areas.append((number, box))
        return tuple(cells), tuple(areas)

    def _watch(self, key: Key, formula: _Formula) -> None:
        """Note which cells a formula reads."""
        if formula.shape.is_volatile:
            self._volatile.add(key)
        for cell in formula.cells:
            self._readers[cell].add(key)
        for number, box in formula.areas:
            if box.size <= SMALL:
                for at, on in box.cells():
                    self._readers[number, at, on].add(key)
            else:
                self._area_readers[number].setdefault(box, set()).add(key)

    def _unwatch(self, key: Key, formula: _Formula) -> None:
        """Forget which cells a formula reads."""
        self._volatile.discard(key)
        for cell in formula.cells:
            self._readers[cell].discard(key)
        for number, box in formula.areas:
            if box.size <= SMALL:
                for at, on in box.cells():
                    self._readers[number, at, on].discard(key)
            elif box in self._area_readers[number]:
                readers = self._area_readers[number][box]
                readers.discard(key)
                if not readers:
                    del self._area_readers[number][box]

    def _readers_of(self, key: Key) -> set[Key]:
        """The formulas that read a cell."""
        found = set(self._readers.get(key, ()))
        for box, readers in self._area_readers.get(key[0], {}).items():
            if box.holds(key[1], key[2]):
                found |= readers
        return found

    # calculating ------------------------------------------------------------------------------------------------------

    def _settle(self, dirty: set[Key]) -> None:
        """Calculate formulas and all that depends on them, until nothing waits and nothing spills anew."""
        formulas = questions = rounds = 0
        self._read = 0
        self._asked.clear()
        todo = self._with_readers(dirty)
        while todo and rounds < MOST_ROUNDS:
            rounds += 1
            formulas += len(todo)
            self._again = set()
            self._pass(todo)
            again = self._with_readers(self._again)
            if self._asked:
                questions += len(self._asked)
                self._answers.update(self.source.answers(list(self._asked)))
                self._asked.clear()
                again |= self._waiting
            todo = again
        if todo or self._waiting:
            for key in {*todo, *self._waiting}:
                self._put(key, SheetError(CIRC.code, "What it asks or spills depends on its own result."))
                self.changed.add(key)
            self._waiting.clear()
        self.told = CalculationReport(formulas, questions, rounds)

    def _with_readers(self, dirty: set[Key]) -> set[Key]:
        """Some formulas and all that depend on them, over any number of steps."""
        found = {key for key in dirty if key in self.formulas}
        todo = list(found)
        while todo:
            key = todo.pop()
            readers = self._readers_of(key)
            if key in self.spills:
                readers |= self._readers_of_box(key[0], self._area_of(key, self.spills[key]))
            for reader in readers:
                if reader not in found and reader in self.formulas:
                    found.add(reader)
                    todo.append(reader)
        return found

    def _readers_of_box(self, sheet: int, box: Box) -> set[Key]:
        found: set[Key] = set()
        for row, column in box.cells():
            if (readers := self._readers.get((sheet, row, column))) is not None:
                found |= readers
        for other, readers in self._area_readers.get(sheet, {}).items():
            if other.meets(box):
                found |= readers
        return found

    def _pass(self, todo: set[Key]) -> None:
        self._dirty = set(todo)
        self._dirty_in.clear()
        for sheet, _, column in todo:
            self._dirty_in[sheet, column] += 1
        with localcontext(EXACT):
            for start in sorted(todo):
                if start in self._dirty:
                    self._walk(start)
        self._dirty.clear()
        self._dirty_in.clear()

    def _walk(self, start: Key) -> None:
        """Calculate a formula after all that it reads, without recursion; a way that comes back to itself is told."""
        path: dict[Key, Iterator[Key]] = {start: self._unmet(start)}
        while path:
            key = next(reversed(path))
            for other in path[key]:
                if other in path:
                    self._circle(list(path), other)
                    break
                if other in self._dirty:
                    path[other] = self._unmet(other)
                    break
            else:
                path.pop(key)
                if key not in self._dirty:
                    continue  # part of a circle
                try:
                    value = self._evaluated(key)
                except _Needs as needs:
                    if needs.key == key or needs.key in path:
                        self._circle([*path, key], needs.key)
                        continue
                    path[key] = self._unmet(key)
                    path[needs.key] = self._unmet(needs.key)
                    continue
                self._finish(key, value)

    def _evaluated(self, key: Key) -> Value:
        if self._record is None and self.questions.pop(key, None) is not None:
            self.asked += 1
        return self._run(self.formulas[key].shape, key)

    def _run(self, shape: Shape, key: Key) -> Value:
        try:
            return result_of(shape.run(Environment(self, *key)))
        except Fault as fault:
            return PENDING if fault.error.code == PENDING.code else fault.error
        except RecursionError:
            return SheetError(NUM.code, "The formula is nested too deep to be calculated.")

    def _finish(self, key: Key, value: Value) -> None:
        self._dirty.discard(key)
        self._dirty_in[key[0], key[2]] -= 1
        if value is PENDING:
            self._waiting.add(key)
        else:
            self._waiting.discard(key)
        self._store(key, value)

    def _circle(self, path: list[Key], back: Key) -> None:
        """Give every formula of a circle the error that names its way."""
        way = path[path.index(back) :] if back in path else [back]
        way = list(dict.fromkeys(way))
        named = " > ".join(self.address(key, way[0][0]) for key in [*way, way[0]][:12])
        if len(way) > 11:
            named += " > ..."
        for key in way:
            if key in self._dirty:
                self._finish(key, SheetError(CIRC.code, f"It refers to itself: {named}."))

    def address(self, key: Key, own: int) -> str:
        """A cell in words, with its sheet where it is another one."""
        name = "" if key[0] == own else f"{quoted_sheet(self.sheets[key[0]].name)}!"
        return name + cell_text(key[1], key[2])

    def _unmet(self, key: Key) -> Iterator[Key]:
        """What a formula reads that has still to be calculated."""
        formula = self.formulas[key]
        dirty = self._dirty
        for cell in formula.cells:
            if cell in dirty:
                yield cell
            elif self._owners and (owner := self._owners.get(cell)) is not None and owner in dirty:
                yield owner
        for number, box in formula.areas:
            for on in range(box.left, box.right + 1):
                if not self._dirty_in.get((number, on)):
                    continue
                last = min(box.bottom, self._used.get(number, 0) - 1)
                for at in range(box.top, last + 1):
                    if (number, at, on) in dirty:
                        yield (number, at, on)
            if self._owners:
                yield from self._unmet_spills(number, box)

    def _unmet_spills(self, sheet: int, box: Box) -> Iterator[Key]:
        """Formulas still to be calculated that spilled into an area before."""
        for anchor, array in self.spills.items():
            if anchor in self._dirty and anchor[0] == sheet and self._area_of(anchor, array).meets(box):
                yield anchor

    # values and what spills -------------------------------------------------------------------------------------------

    def _store(self, key: Key, value: Value) -> None:
        former = self.values.get(key)
        had = self.spills.get(key)
        if isinstance(value, Array):
            value = self._spill(key, value)
        elif had is not None:
            self._withdraw(key)
        if key in self._blocked and not (isinstance(value, SheetError) and value.code == SPILL.code):
            del self._blocked[key]
        same = type(former) is type(value) and former == value
        if not same or value is PENDING:
            self._put(key, value)
            self.changed.add(key)
        self._stores[key[0], key[2]] += 1

    def _area_of(self, key: Key, array: Array) -> Box:
        return Box(key[1], key[2], key[1] + array.height - 1, key[2] + array.width - 1)

    def _spill(self, key: Key, array: Array) -> Value:
        """Lay an array into the cells beside its formula; refused where one of them holds anything."""
        box = self._area_of(key, array)
        if box.bottom >= MOST_ROWS or box.right >= MOST_COLUMNS:
            self._withdraw(key)
            return SheetError(
                SPILL.code, f"It needs {box.rows:,} rows and {box.columns} columns; the sheet ends before."
            )
        if self._reads_own(key, box):
            self._withdraw(key)
            return SheetError(CIRC.code, f"It reads cells that it would fill: {box.text()}.")
        had = self.spills.get(key)
        if had is not None and had == array:
            return array
        blocker = self._blocker(key, box)
        if blocker is not None:
            self._withdraw(key)
            self._blocked[key] = box
            return SheetError(SPILL.code, f"{self.address(blocker, key[0])} is not empty; clear it.")
        if had is not None:
            self._withdraw(key)
        self.spills[key] = array
        sheet = key[0]
        for at, values in enumerate(array.rows):
            for on, value in enumerate(values):
                if at or on:
                    cell = (sheet, key[1] + at, key[2] + on)
                    self._owners[cell] = key
                    self._put(cell, value)
                    self.changed.add(cell)
        for on in range(box.left, box.right + 1):
            self._stores[sheet, on] += 1
        if box.bottom >= self._used.get(sheet, 0):
            self._used[sheet] = box.bottom + 1
        self._again |= self._read_again(key, box)
        return array

    def _reads_own(self, key: Key, box: Box) -> bool:
        """Whether a formula reads what it would spill into."""
        formula = self.formulas[key]
        return any(cell[0] == key[0] and box.holds(cell[1], cell[2]) for cell in formula.cells) or any(
            number == key[0] and box.meets(other) for number, other in formula.areas
        )

    def _read_again(self, key: Key, box: Box) -> set[Key]:
        """Formulas calculated before what they read was spilled."""
        readers = self._readers_of_box(key[0], box)
        return {reader for reader in readers if reader != key and reader not in self._dirty}

    def _blocker(self, key: Key, box: Box) -> Key | None:
        sheet = key[0]
        for row, column in box.cells():
            cell = (sheet, row, column)
            if cell == key:
                continue
            owner = self._owners.get(cell)
            if owner is not None and owner != key:
                return cell
            if owner is None and (cell in self.formulas or (row, column) in self.sheets[sheet].cells):
                return cell
        return None

    def _withdraw(self, key: Key) -> None:
        """Take back what a formula spilled; what was blocked by it may spill now."""
        array = self.spills.pop(key, None)
        if array is None:
            return
        box = self._area_of(key, array)
        for row, column in box.cells():
            cell = (key[0], row, column)
            if cell != key and self._owners.pop(cell, None) is not None:
                self.values.pop(cell, None)
                self.errors.discard(cell)
                self.changed.add(cell)
        for on in range(box.left, box.right + 1):
            self._stores[key[0], on] += 1
        self._again |= self._read_again(key, box)
        for blocked, wanted in self._blocked.items():
            if blocked[0] == key[0] and wanted.meets(box) and blocked != key:
                self._again.add(blocked)

    def _unblocked(self, key: Key) -> set[Key]:
        """Formulas whose spill has to be tried again once a cell changes: blocked by it, or spilled over it."""
        found = {anchor for anchor, box in self._blocked.items() if anchor[0] == key[0] and box.holds(key[1], key[2])}
        owner = self._owners.get(key)
        if owner is not None:
            self._again = set()
            self._withdraw(owner)
            found |= self._again | {owner}
        return found
