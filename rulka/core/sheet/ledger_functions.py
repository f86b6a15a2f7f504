"""The functions that ask the ledger. Arguments that are left out: the reporting period, scenario actual, the
worksheet's node, nothing narrowed, posted, own currency, as booked, the worksheet's ledger."""

from __future__ import annotations

from collections.abc import Hashable, Iterable, Iterator, Mapping, Sequence
from decimal import Decimal
from typing import Any, NamedTuple

from rulka.core.books.narrowing import CLAUSE_NAME
from rulka.core.books.selection import BARE, JOINTS
from rulka.core.compute.nodes import own_calendar_of
from rulka.core.errors import RulkaError, one_of
from rulka.core.sheet.addresses import MOST_ROWS
from rulka.core.sheet.amounts import Amount, Amounts, argument, node_of, visible_codes
from rulka.core.sheet.bounded import Bounded, BoundedHead, BoundedPieces, Choices, choices_in
from rulka.core.sheet.environment import Environment
from rulka.core.sheet.listing import ListedLines, ListedTable, lines_of, list_codes
from rulka.core.sheet.periods import is_own, period_text, written_window
from rulka.core.sheet.registry import Flag, Single, Text, Whole, sheet_function
from rulka.core.sheet.surroundings import Surroundings
from rulka.core.sheet.values import NA, VALUE, Array, Fault, Scalar, SheetError, Value, as_text, serial

NO_LEDGER = SheetError(NA.code, "There is no ledger here.")


def _around(environment: Environment) -> Surroundings:
    calculation: Any = environment.calculation
    if not isinstance(calculation.context, Surroundings):
        raise Fault(NO_LEDGER)
    return calculation.context


def _ask(environment: Environment, question: Hashable) -> Value:
    calculation: Any = environment.calculation
    return calculation.ask(question, (environment.sheet, environment.row, environment.column))


def code_text(value: Scalar) -> str:
    """A code or selection as text: numbers without decimals."""
    return as_text(value).strip()


def _time(value: Scalar) -> str:
    try:
        return period_text(value)
    except RulkaError as error:
        raise Fault(argument("period", error)) from None


def _amount(measure: str, words: str, example: str) -> None:
    def body(
        environment: Environment,
        accounts: Single,
        period: Single = None,
        scenario: Text = "",
        node: Single = None,
        narrow: Text = "",
        entries: Text = "",
        currency: Text = "",
        sign: Text = "",
        ledger: Text = "",
    ) -> Value:
        _around(environment)
        selection = code_text(accounts)
        if not selection:
            return ""
        question = Amount(
            measure, selection, _time(period), scenario.strip(), code_text(node), narrow.strip(), entries.strip(),
            currency.strip(), sign.strip(), ledger.strip(),
        )  # fmt: skip
        return _ask(environment, question)

    body.__doc__ = f"{words} `{example}`"
    sheet_function("ledger", f"RULKA.{measure.upper()}", needs=True)(body)


_amount("activity", "What was booked in a time, debits less credits.", '=RULKA.ACTIVITY("4*", "2027-P07")')
_amount("opening", "The balance before a time.", "=RULKA.OPENING(A5#, B2)")
_amount("closing", "The balance at the end of a time.", '=RULKA.CLOSING("1000", "2026-10-15")')
_amount("debits", "All debits in a time.", '=RULKA.DEBITS("61*", "ytd 2027-P07")')
_amount("credits", "All credits in a time.", '=RULKA.CREDITS("61*", "ytd 2027-P07")')
_amount("count", "How many lines were booked in a time.", '=RULKA.COUNT("61*", "2027-Q2")')


@sheet_function("ledger", "RULKA.NARROW")
def narrow(name: Text, value: Single, *further: Single) -> Value:
    """Puts a narrowing together from names and cells; an empty cell means all.

    `=RULKA.NARROW("department", B3, "crossing", C3)`
    """
    if len(further) % 2:
        raise Fault(VALUE, "Each name needs a value after it.")
    clauses = []
    pairs = [(name, value), *zip(further[::2], further[1::2], strict=True)]
    for own, chosen in pairs:
        text, called = code_text(chosen), code_text(own)
        if ";" in text or not called or CLAUSE_NAME.fullmatch(called + ":") is None:
            raise Fault(VALUE, "A name is one word, a value has no semicolon.")
        if text:
            clauses.append(f"{called}: {text}")
    return "; ".join(clauses)


@sheet_function("ledger", "RULKA.BETWEEN")
def between(low: Single, high: Single) -> Value:
    """From one code or period to another, as an argument. `=RULKA.ACTIVITY(RULKA.BETWEEN(B1, B2))`"""
    first, last = _end(low), _end(high)
    if not first or not last:
        raise Fault(VALUE, "Both ends are needed.")
    return f"{first} to {last}"


def _end(value: Scalar) -> str:
    text = code_text(value)
    if BARE.fullmatch(text) and text.lower() not in JOINTS:
        return text
    return '"' + text.replace('"', '""') + '"' if text else ""


@sheet_function("ledger", "RULKA.PERIOD", needs=True)
def period_(environment: Environment, year: Single, number: Single = None, ledger: Text = "") -> Value:
    """The code of a period: by year and number, of a day, or of any writing. `=RULKA.PERIOD(2027, 7)`"""
    around = _around(environment)
    text = _time(year)
    if number is not None:
        text = f"{text}-P{code_text(number)}"
    try:
        view = around.view_of(ledger)
        time = around.time(view, text)
    except RulkaError as error:
        raise Fault(argument("period", error)) from None
    if time.window.by_day or time.window.first == time.window.last:
        return time.period.code
    return written_window(view.frame.calendar, time.window)


def _timed(environment: Environment, value: Scalar, node: Scalar, ledger: str) -> Any:
    around = _around(environment)
    place = "ledger"
    try:
        view = around.view_of(ledger)
        text = _time(value)
        place = "node"
        calendar = ""
        if is_own(text):
            own = node_of(view, code_text(node) or (around.node if view is around.view else ""), False)
            calendar = own_calendar_of(own, view.frame, translated=False)
        place = "period"
        time = around.time(view, text, calendar)
    except RulkaError as error:
        raise Fault(argument(place, error)) from None
    periods = (view.frame.calendars[calendar] if calendar else view.frame.calendar).periods
    return time, periods


@sheet_function("ledger", "RULKA.PERIODNAME", needs=True)
def period_name(environment: Environment, period: Single = None, node: Single = None, ledger: Text = "") -> Value:
    """What a time is called; with own, by the node's calendar. `=RULKA.PERIODNAME(B2)`"""
    time, _ = _timed(environment, period, node, ledger)
    return time.window.title


@sheet_function("ledger", "RULKA.FIRSTDAY", needs=True)
def first_day(environment: Environment, period: Single = None, node: Single = None, ledger: Text = "") -> Value:
    """The first day of a time. `=TEXT(RULKA.FIRSTDAY(B2), "d mmmm yyyy")`"""
    time, periods = _timed(environment, period, node, ledger)
    return serial(time.window.start or periods[time.window.first].start)


@sheet_function("ledger", "RULKA.LASTDAY", needs=True)
def last_day(environment: Environment, period: Single = None, node: Single = None, ledger: Text = "") -> Value:
    """The last day of a time. `="Year to date as of " & TEXT(RULKA.LASTDAY(B2), "d mmmm yyyy")`"""
    time, periods = _timed(environment, period, node, ledger)
    return serial(time.window.end or periods[time.window.last].end)


@sheet_function("ledger", "RULKA.NAME", needs=True)
def name_(environment: Environment, code: Single, of: Text = "account", ledger: Text = "") -> Value:
    """The name of an account, entity, counterparty or a dimension's member. `=RULKA.NAME(A5#)`"""
    around = _around(environment)
    text = code_text(code)
    if not text:
        return ""
    try:
        view = around.view_of(ledger)
    except RulkaError as error:
        raise Fault(argument("ledger", error)) from None
    kind = of.strip().casefold() or "account"
    if kind == "counterparty":
        question = CounterpartyFunction(text, ledger)
        return _ask(environment, question)
    known = {"account": view.frame.accounts, "entity": view.frame.entities, **view.frame.dimensions}
    if kind not in known:
        raise Fault(VALUE, f"Argument of: '{of[:40]}' has no names. {one_of(kind, [*known, 'counterparty'])}")
    codes = known[kind]
    if text not in codes.index or not (visible_codes(view, kind)[codes.index[text]] or codes[text].name):
        raise Fault(NA, f"'{text[:40]}' is no {kind} here.")
    return codes[text].name


@sheet_function("ledger", "RULKA.LIST", needs=True)
def list_(
    environment: Environment,
    of: Text,
    selection: Single = None,
    columns: Text = "code",
    header: Flag = False,
    ledger: Text = "",
) -> Value:
    """Accounts, entities, periods, scenarios or a dimension's members, one a row; columns code, name, level, parent,
    type, category.

    `=RULKA.LIST("accounts", "4*", "code, name")`
    """
    try:
        view = _around(environment).view_of(ledger)
    except RulkaError as error:
        raise Fault(argument("ledger", error)) from None
    found = list_codes(view, of.strip(), code_text(selection), columns, header)
    room = MOST_ROWS - environment.row
    if isinstance(found, Array) and found.height > room:
        rest = found.height - room + 1
        last: list[Scalar] = [f"and {rest:,} more", *[""] * (found.width - 1)]
        return Array([*found.rows[: room - 1], last], found.looks)
    return found


@sheet_function("ledger", "RULKA.LINES", needs=True)
def lines_(
    environment: Environment,
    accounts: Text,
    period: Single = None,
    columns: Text = "",
    where: Text = "",
    sort: Text = "",
    limit: Whole = 0,
    header: Flag = True,
    node: Single = None,
    narrow: Text = "",
    entries: Text = "",
    ledger: Text = "",
) -> Value:
    """The journal lines of a selection.

    `=RULKA.LINES("6110", B2, "date, description, amount", "amount > 1000", "amount down", 50)`
    """
    _around(environment)
    if not accounts.strip():
        raise Fault(VALUE, "Argument accounts: say which accounts.")
    question = ListedLines(
        accounts.strip(), _time(period), columns, where, sort, limit, header, code_text(node), narrow.strip(),
        entries.strip(), ledger.strip(), MOST_ROWS - environment.row,
    )  # fmt: skip
    return _ask(environment, question)


class FigureFunction(NamedTuple):
    """A question for a cell of a statement."""

    statement: str
    line: str
    column: str
    period: str = ""
    node: str = ""
    ledger: str = ""


@sheet_function("ledger", "RULKA.FIGURE", needs=True)
def figure(
    environment: Environment,
    statement: Text,
    line: Text,
    column: Text,
    period: Single = None,
    node: Single = None,
) -> Value:
    """A figure of a statement by the names of its line and column.

    `=RULKA.FIGURE("income-statement", "Fuel", "actual")`
    """
    _around(environment)
    return _ask(
        environment, FigureFunction(statement.strip(), line.strip(), column.strip(), _time(period), code_text(node))
    )


class StatementPiece(NamedTuple):
    """A question for a piece of a statement: lines from one to another, columns with commas between."""

    statement: str
    lines: str = ""
    columns: str = ""
    period: str = ""
    node: str = ""
    ledger: str = ""


@sheet_function("ledger", "RULKA.STATEMENT", needs=True)
def statement_(
    environment: Environment,
    statement: Text,
    lines: Text = "",
    columns: Text = "",
    period: Single = None,
    node: Single = None,
) -> Value:
    """A statement or a piece of it: lines from one to another, chosen columns, with headings.

    `=RULKA.STATEMENT("income-statement", "Fare income to Fuel", "actual, budget")`
    """
    _around(environment)
    question = StatementPiece(statement.strip(), lines.strip(), columns.strip(), _time(period), code_text(node))
    return _ask(environment, question)


@sheet_function("ledger", "RULKA.BOUNDED", needs=True)
def bounded(
    environment: Environment, table: Text, row: Single = None, column: Single = None, *choices: Single
) -> Value:
    """A figure of a bounded table by its row and column, or all of it without them; then what is chosen on its page, by
    pairs of names and values.

    `=RULKA.BOUNDED("fares-by-crossing", "4010", "actual", "entity", B2)`
    """
    _around(environment)
    return _ask(environment, Bounded(table.strip(), code_text(row), code_text(column), _pairs(choices)))


@sheet_function("ledger", "RULKA.HEAD", needs=True)
def head(environment: Environment, table: Text, revision: Whole = 0, *choices: Single) -> Value:
    """Whose figures a bounded table or a statement shows: node, period, scenario, what is read, currency, revision.

    `=RULKA.HEAD("fares-by-crossing")`
    """
    _around(environment)
    return _ask(environment, BoundedHead(table.strip(), revision, _pairs(choices)))


def _pairs(choices: Sequence[Scalar]) -> Choices:
    if len(choices) % 2:
        raise Fault(VALUE, "Each choice needs a value after its name.")
    return choices_in([code_text(one) for one in choices])


@sheet_function("ledger", "RULKA.TABLE", needs=True)
def table(
    environment: Environment,
    name: Text,
    columns: Text = "",
    where: Text = "",
    sort: Text = "",
    limit: Whole = 0,
    header: Flag = True,
) -> Value:
    """Rows of a table that was loaded beside the ledger. `=RULKA.TABLE("berths", "quay, metres", "metres > 80")`"""
    _around(environment)
    return _ask(
        environment, ListedTable(name.strip(), columns, where, sort, limit, header, MOST_ROWS - environment.row)
    )


class CounterpartyFunction(NamedTuple):
    """A question for the name of a counterparty."""

    code: str
    ledger: str = ""


ABOUT = ("ledger", "revision", "age", "currency", "person", "period", "node")


@sheet_function("ledger", "RULKA.ABOUT", needs=True)
def about(environment: Environment, what: Text = "ledger", ledger: Text = "") -> Value:
    """The ledger's name, revision, age in days, currency; the person, the reporting period, the node.

    `=RULKA.ABOUT("revision")`
    """
    around = _around(environment)
    asked = what.strip().casefold()
    if asked not in ABOUT:
        raise Fault(VALUE, f"Argument what: '{what[:40]}' isn't known. {one_of(asked, ABOUT)}")
    try:
        view = around.view_of(ledger)
    except RulkaError as error:
        raise Fault(argument("ledger", error)) from None
    if asked == "age":
        age = around.about.get("age") if view is around.view else None
        return age if age is not None else NA
    return {
        "ledger": view.frame.name,
        "revision": Decimal(view.revision),
        "currency": view.frame.group_currency,
        "person": around.person,
        "period": around.period.code,
        "node": around.node,
    }[asked]


class LedgerSource:
    """Answers all that formulas ask in one pass, for one reader."""

    def __init__(self, around: Surroundings) -> None:
        self.around = around
        self.amounts = Amounts(around)
        self.pieces = BoundedPieces(around, self.amounts)

    def answers(self, questions: Sequence[Hashable]) -> Mapping[Hashable, Value]:
        found: dict[Hashable, Value] = {}
        for question in questions:
            if isinstance(question, Amount):
                found[question] = self.amounts.answer(question)
            elif isinstance(question, ListedLines):
                found[question] = lines_of(self.around, question)
            elif isinstance(question, Bounded):
                found[question] = self.pieces.answer(question)
            elif isinstance(question, BoundedHead):
                found[question] = self.pieces.head(question)
            elif isinstance(question, CounterpartyFunction):
                found[question] = self._counterparty(question)
            elif isinstance(question, (FigureFunction, StatementPiece)):
                found[question] = self.around.figures(question) if self.around.figures else NO_LEDGER
            elif isinstance(question, ListedTable):
                found[question] = self.around.tables(question) if self.around.tables else NO_LEDGER
        return found

    def amount_questions(self, questions: Iterable[Hashable]) -> Iterator[Amount]:
        """Those of some questions that ask for amounts, and what bounded tables among them ask for but for totals."""
        for question in questions:
            if isinstance(question, Amount):
                yield question
            elif isinstance(question, Bounded):
                yield from self.pieces.covered(question)

    def _counterparty(self, question: CounterpartyFunction) -> Value:
        try:
            view = self.around.view_of(question.ledger)
            grouped = view.grouped(("counterparty",))
        except RulkaError as error:
            return argument("code", error)
        if question.code not in grouped.labels["counterparty"]:
            return SheetError(NA.code, f"'{question.code[:40]}' is no counterparty here.")
        return grouped.names.get(question.code, "")
