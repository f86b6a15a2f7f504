"""What formulas find around them when a worksheet is calculated for somebody: their view, other ledgers, statements'
figures, tables beside the ledger."""

from __future__ import annotations

from collections.abc import Hashable
from decimal import Decimal
from typing import Any

from django.utils import timezone

from rulka.core.books.book import View
from rulka.core.books.calendar import Period
from rulka.core.books.fence import NO_FENCE
from rulka.core.compute.computed import Computed
from rulka.core.compute.rows import Row
from rulka.core.compute.statement import run_statement
from rulka.core.definitions.keys import slug
from rulka.core.errors import NotFound, RulkaError, one_of
from rulka.core.sheet.amounts import argument
from rulka.core.sheet.blocks import columns_of, piece_of
from rulka.core.sheet.bounded import BoundedDef, bounded_from
from rulka.core.sheet.from_statement import heading_of
from rulka.core.sheet.ledger_functions import FigureFunction, StatementPiece
from rulka.core.sheet.listing import AMOUNT_LOOK, ListedTable, table_of
from rulka.core.sheet.surroundings import Surroundings
from rulka.core.sheet.values import DIVIDED, NA, Array, Scalar, SheetError, Value, number_in
from rulka.extracts.running.as_table import extract_names, extract_state, extract_table
from rulka.extracts.running.asked import ExtractReader
from rulka.formats.figures import unit_title
from rulka.ledger.models import Ledger
from rulka.ledger.reading.beside import find_table, inside, state_of
from rulka.ledger.reading.queries import find_ledger, view_of
from rulka.people.library.rights import accesses_of
from rulka.people.models import Person
from rulka.statements.library.opening import definitions_for
from rulka.statements.library.shelves import level_of
from rulka.statements.library.storing import stamp_of
from rulka.statements.running.runs import node_asked, read_by
from rulka.worksheets.library.tables import open_table


class OtherLedgers:
    """What a calculated worksheet reads beside its own view: other ledgers, statements, tables. It notes the state in
    which it found each, rights included, so that whoever keeps values can ask whether they still hold."""

    def __init__(self, ledger: Ledger, view: View, period: Period, node: str, person: Person | None) -> None:
        self.ledger, self.view, self.person = ledger, view, person
        self.figures = FigureCells(ledger, view, period, node, person)
        self.seen: dict[tuple[str, str], Hashable] = {}

    def other_ledger(self, code: str) -> View:
        """Another ledger as far as the reader may see it; raises NotFound otherwise."""
        self._note("ledger", code)
        return self._view_of(code)

    def _view_of(self, code: str) -> View:
        if self.person is None:
            return view_of(find_ledger(code), NO_FENCE)
        accesses = {access.ledger.code: access for access in accesses_of(self.person)}
        if code not in accesses:
            raise NotFound(f"Ledger '{code}' does not exist.", hint=one_of(code, accesses), subject="ledger")
        return view_of(accesses[code].ledger, accesses[code].own_fence())

    def figure(self, question: FigureFunction | StatementPiece) -> Value:
        self._note("statement", question.statement)
        return self.figures.answer(question) if isinstance(question, FigureFunction) else self.figures.piece(question)

    def computed(self, name: str) -> Computed:
        """A statement run as the reader sees it."""
        self._note("statement", name)
        return self.figures.computed(name)

    def statement_head(self, name: str) -> str:
        self._note("statement", name)
        return self.figures.head(name)

    def table(self, question: ListedTable) -> Value:
        self._note("table", question.name)
        reader = ExtractReader(
            self.ledger, self.view.fence, self.figures.period.code, self.figures.node, self.person, self.view.revision
        )
        return table_rows(self.ledger, self.view, question, reader)

    def bounded(self, name: str) -> BoundedDef:
        """A bounded table that the reader may place."""
        self._note("bounded", name)
        return bounded_from(open_table(self.ledger, name, person=self.person).body)

    def is_current(self) -> bool:
        """Whether all that was read is as it was, and may still be read."""
        return all(self._state(*name) == state for name, state in self.seen.items())

    def _note(self, kind: str, name: str) -> None:
        if (kind, name) not in self.seen:
            self.seen[kind, name] = self._state(kind, name)

    def _state(self, kind: str, name: str) -> Hashable:
        try:
            if kind == "ledger":
                view = self._view_of(name)
                return view.revision, view.fence
            if kind == "table":
                return state_of(self.ledger, name) or extract_state(self.ledger, name, self.person)
            if kind == "bounded":
                table = open_table(self.ledger, name, person=self.person)
                return table.pk, table.version
            definitions = definitions_for(self.ledger, name, self.person)
            level = level_of(self.person, definitions["statement"]) if self.person else 0
            return stamp_of(definitions), level
        except RulkaError as error:
            return str(error)


def surroundings(outside: OtherLedgers, period: Period, node: str) -> Surroundings:
    """What a worksheet is calculated in for a reader."""
    ledger, person = outside.ledger, outside.person
    shown = ledger.revisions.filter(number=outside.view.revision).first()
    age = (timezone.localdate() - timezone.localdate(shown.at)).days if shown else None
    return Surroundings(
        outside.view,
        period,
        node,
        ledger.code,
        (person.title or person.username) if person else "",
        outside.other_ledger,
        dict(ledger.counterparties.values_list("code", "name")),
        outside.figure,
        outside.table,
        {"age": Decimal(age) if age is not None else None},
        outside.bounded,
        outside.statement_head,
    )


class FigureCells:
    """Answers questions for cells of statements; each statement is run once."""

    def __init__(self, ledger: Ledger, view: View, period: Period, node: str, person: Person | None) -> None:
        self.ledger, self.view, self.period, self.node, self.person = ledger, view, period, node, person
        self._runs: dict[tuple[str, str, str], Computed | SheetError] = {}

    def computed(self, statement: str, period: str = "", node: str = "") -> Computed:
        """A statement run as the reader sees it; raises RulkaError in words."""
        computed = self._run(FigureFunction(statement, "", "", period, node))
        if isinstance(computed, SheetError):
            raise NotFound(computed.note, subject="statement")
        return computed

    def head(self, name: str) -> str:
        """Whose figures a statement shows: node, period, columns, currency."""
        computed = self.computed(name)
        scenarios = [column.asked.scenario for column in computed.columns if column.has_figures]
        said = [computed.node.name, computed.period.title, ", ".join(dict.fromkeys(scenarios)), unit_title(computed)]
        return " · ".join(part for part in said if part)

    def piece(self, question: StatementPiece) -> Value:
        """Lines and columns of a statement with their headings, exact figures in presented sign."""
        computed = self._run(question)
        if isinstance(computed, SheetError):
            return computed
        reading = "lines"
        try:
            rows = piece_of(computed, question.lines)
            reading = "columns"
            keys = columns_of(computed, question.columns)
        except RulkaError as error:
            return argument(reading, error)
        places = [computed.place(key) for key in keys]
        heads: list[Scalar] = ["", *(heading_of(computed.columns[place]) for place in places)]
        table: list[list[Scalar]] = [heads]
        for row in rows:
            if row.kind not in ("spacer", "page break"):
                table.append([row.label, *(_shown(row, place) for place in places)])
        return Array(table, ("", *(AMOUNT_LOOK for _ in places)))

    def answer(self, question: FigureFunction) -> Value:
        """The exact figure of a statement's cell, in presented sign; `label` gives what stands before it."""
        computed = self._run(question)
        if isinstance(computed, SheetError):
            return computed
        row = next((row for row in computed.rows if question.line in (row.key, row.label)), None) or next(
            (row for row in computed.rows if slug(row.label) == slug(question.line)), None
        )
        if not question.line:
            own = next((column for column in computed.columns if column.key == question.column), None)
            return heading_of(own) if own else SheetError(NA.code, f"There is no column '{question.column[:40]}'.")
        if row is not None and question.column == "label":
            return row.label
        if row is None or not row.has_figures:
            known = [row.label for row in computed.rows if row.has_figures]
            return SheetError(
                NA.code, f"Argument line: '{question.line[:40]}' isn't there. {one_of(question.line, known)}"
            )
        place = next(
            (
                at
                for at, column in enumerate(computed.columns)
                if column.kind != "text" and question.column in (column.key, column.heading)
            ),
            None,
        )
        if place is None:
            known = [column.key for column in computed.columns if column.kind != "text"]
            return SheetError(
                NA.code, f"Argument column: '{question.column[:40]}' isn't there. {one_of(question.column, known)}"
            )
        value = _shown(row, place)
        if value is None:
            return SheetError(NA.code, f"{row.label}: it has no meaning there.")
        return value

    def _run(self, question: FigureFunction | StatementPiece) -> Computed | SheetError:
        """A statement as the reader may see it, of the same state of the ledger as all else on the worksheet."""
        period = question.period or self.period.code
        name = (question.statement, period, question.node)
        if name not in self._runs:
            place = "statement"
            try:
                definitions = definitions_for(self.ledger, question.statement, self.person)
                node = question.node or node_asked(definitions["statement"], node=self.node, of="")
                place = "period or node"
                at = self.view.frame.calendar.period(period)
                self._runs[name] = run_statement(read_by(definitions, self.person), self.view, at, node)
            except RulkaError as error:
                self._runs[name] = argument(place, error)
        return self._runs[name]


def _shown(row: Row, place: int) -> Scalar:
    """What a statement's row has in a column, exact; an error where it is sealed or means nothing, nothing where the
    row shows none."""
    value = row.values[place] if row.has_figures and place not in row.blank else None
    if value is not None:
        return DIVIDED.divide(Decimal(value.numerator), Decimal(value.denominator))
    if not row.has_figures or place in row.blank:
        return None
    word = "it is sealed" if place in row.sealed_at else "it has no meaning there"
    return SheetError(NA.code, f"{row.label}: {word}.")


def table_rows(ledger: Ledger, view: View, question: ListedTable, reader: ExtractReader) -> Value:
    """Rows of a table beside the ledger, as far as they lie inside of the reader's fence; or of an extract."""
    try:
        if state_of(ledger, question.name) is None and question.name in extract_names(ledger, reader.person):
            return table_of(*extract_table(ledger, question.name, reader), question)
        table = find_table(ledger, question.name)
        rows = inside(view, table)
    except RulkaError as error:
        return argument("name", error)
    heads = [str(name) for name in table.columns]
    return table_of(heads, [[cell_value(text) for text in row] for row in rows], question)


def cell_value(stored: Any) -> Scalar:
    """A stored value: plain numbers as numbers, codes with zeros in front as text, nothing as empty."""
    text = str(stored)
    if not text:
        return None
    if len(text) > 1 and text[0] == "0" and text[1] != ".":
        return text
    number = number_in(text)
    return number if number is not None and "-" not in text[1:] else text
