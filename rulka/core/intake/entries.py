"""What makes master data, entries and budgets valid: rows of text in, typed rows or collected errors out.

The rules are LEDGER_FORMAT.md's. Every error names row and column and says what to do.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date, datetime, timezone
from functools import partial
from hashlib import blake2b
from operator import attrgetter
from typing import NamedTuple, TypeVar

from rulka.core.books.calendar import FiscalCalendar, Period
from rulka.core.books.frame import ACTIVITY, CLOSING, OPENING, PENDING, POSTED
from rulka.core.errors import RulkaError, one_of
from rulka.core.money import LIMIT, QUANTITY_DIGITS, minor_text, parse_minor

V = TypeVar("V")
CODE_LENGTH = 40
NO_MEMBER = "-"
STATUS_WORDS = {"": POSTED, "posted": POSTED, "pending": PENDING}
EFFECTS = {"": ACTIVITY, "normal": ACTIVITY, "adjusting": ACTIVITY, "opening": OPENING, "closing": CLOSING}
UNIT, RECORD = "\x1f", "\x1e"
"""Control characters, which no cell may hold, so that joined cells can't be mistaken for others."""
TOO_LARGE = "A ledger holds less than 2^62 minor units in all."
DATE = re.compile(r"[0-9]{4}-[0-9]{2}-[0-9]{2}", re.ASCII)


def row_error(message: str, row: int, column: str = "", hint: str = "") -> RulkaError:
    """An error in a row of a table; rows count as a spreadsheet does, the header is row 1."""
    return RulkaError(message, hint=hint, subject=f"row {row}" + (f", column {column}" if column else ""))


class EntryRow(NamedTuple):
    """One row of entries.csv as text; `members` in the ledger's order of dimensions."""

    row: int
    entity: str
    entry: str
    line: str
    date: str
    account: str
    debit: str
    credit: str
    description: str
    source: str
    document: str
    counterparty: str
    counterparty_name: str
    partner_entity: str
    user: str
    status: str
    kind: str
    period: str
    modified_at: str
    historical_amount: str
    batch: str
    transaction_currency: str
    transaction_amount: str
    attributes: str
    members: tuple[str, ...]


LINE_TEXTS = (
    "description",
    "source",
    "document",
    "counterparty",
    "counterparty_name",
    "user",
    "batch",
    "transaction_currency",
    "attributes",
)


class GivenLine(NamedTuple):
    """A valid line; amounts in minor units, neither negative, `text` what is carried without a check."""

    line: str
    account: str
    partner: str
    members: tuple[str, ...]
    debit: int
    credit: int
    historical_amount: int | None
    transaction_amount: int | None
    text: tuple[
        str, ...
    ]  # description, source, document, counterparty, counterparty_name, user, batch, transaction_currency, attributes

    def as_text(self) -> str:
        """Its content in one line, for the digest of its entry."""
        amounts = (str(self.debit), str(self.credit), _text(self.historical_amount), _text(self.transaction_amount))
        return UNIT.join((self.line, self.account, self.partner, *self.members, *amounts, *self.text))


def _text(amount: int | None) -> str:
    return "" if amount is None else str(amount)


def entry_digest(day: str, period: str, status: int, kind: str, lines: Iterable[str]) -> bytes:
    """A fingerprint of an entry's content but `modified_at`; lines as `GivenLine.as_text` in order of their codes."""
    head = UNIT.join((day, period, str(status), kind))
    return blake2b(RECORD.join((head, *lines)).encode(), digest_size=16).digest()


@dataclass(frozen=True)
class GivenEntry:
    """A valid journal entry with its lines in order of their line codes."""

    entity: str
    number: str
    date: date
    period: Period
    status: int
    kind: str
    modified_at: datetime | None
    lines: tuple[GivenLine, ...]
    row: int

    @property
    def effect(self) -> int:
        return EFFECTS[self.kind]

    def digest(self) -> bytes:
        """A fingerprint of all content but `modified_at`."""
        return entry_digest(
            self.date.isoformat(), self.period.code, self.status, self.kind, (line.as_text() for line in self.lines)
        )


class BudgetRow(NamedTuple):
    row: int
    scenario: str
    entity: str
    account: str
    period: str
    amount: str
    note: str
    members: tuple[str, ...]


@dataclass(frozen=True)
class Budget:
    """A valid budget row; `amount` in minor units, debit positive."""

    scenario: str
    entity: str
    account: str
    members: tuple[str, ...]
    period: Period
    amount: int
    note: str

    @property
    def identity(self) -> tuple[object, ...]:
        return (self.scenario, self.entity, self.account, self.members, self.period.code)


@dataclass(frozen=True)
class BookSoFar:
    """The codes that entries may use: digits by entity, type by account, members by dimension in order."""

    calendar: FiscalCalendar
    digits: Mapping[str, int]
    accounts: Mapping[str, str]
    members: Mapping[str, frozenset[str]]
    scenarios: Mapping[str, str]
    group_digits: int
    currencies: Mapping[str, int] = field(default_factory=dict)


def code_problem(code: str) -> str:
    """What is wrong with a code, or nothing."""
    if not code:
        return "is empty"
    if len(code) > CODE_LENGTH:
        return f"has {len(code)} characters; at most {CODE_LENGTH} are allowed"
    if code != code.strip():
        return "starts or ends with a space"
    return ""


def parse_date(text: str) -> date:
    """Read `YYYY-MM-DD`; ValueError says what is wrong."""
    if not DATE.fullmatch(text):
        raise ValueError(f"'{text}' is not a date; write YYYY-MM-DD")
    try:
        return date.fromisoformat(text)
    except ValueError as error:
        raise ValueError(f"'{text}' is not a day of the calendar") from error


def parse_moment(text: str) -> datetime | None:
    """Read an ISO 8601 timestamp with offset, to UTC; empty is None."""
    if not text:
        return None
    try:
        moment = datetime.fromisoformat(text)
    except ValueError as error:
        raise ValueError(f"'{text}' is not an ISO 8601 timestamp") from error
    if moment.tzinfo is None:
        raise ValueError(f"'{text}' has no offset; add one such as +00:00")
    return moment.astimezone(timezone.utc)


_HEAD = attrgetter("date", "period", "status", "kind", "modified_at")


class EntryChecker:
    """Checks entries one by one against the books; errors collect in `errors`."""

    def __init__(self, books: BookSoFar) -> None:
        self.books = books
        self.errors: list[RulkaError] = []
        self._periods: dict[tuple[str, str], Period | None] = {}
        self._known: dict[tuple[str, str, str, tuple[str, ...]], tuple[tuple[str, ...], int]] = {}

    def check(self, rows: Sequence[EntryRow]) -> GivenEntry | None:
        """One entry from all its rows, or None with its errors collected."""
        before = len(self.errors)
        first = rows[0]
        self._shared(rows)
        self._code(first.entry, first.row, "entry")
        if first.entity not in self.books.digits:
            self._unknown("Entity", first.entity, first.row, "entity", self.books.digits)
        day, period = self._when(first)
        moment = self._value(parse_moment, first.modified_at, first.row, "modified_at")
        lines = [self._line(row) for row in rows]
        self._unique(rows)
        if len(self.errors) == before:
            self._balanced(first, lines)
        if len(self.errors) > before or day is None or period is None:
            return None
        kind = first.kind or "normal"
        ordered = tuple(sorted((line for line in lines if line is not None), key=lambda line: line.line))
        return GivenEntry(
            first.entity, first.entry, day, period, STATUS_WORDS[first.status], kind, moment, ordered, first.row
        )

    def _add(self, message: str, row: int, column: str = "", hint: str = "") -> None:
        self.errors.append(row_error(message, row, column, hint))

    def _unknown(self, what: str, code: str, row: int, column: str, known: Iterable[str]) -> None:
        self._add(f"{what} '{code}' does not exist.", row, column, one_of(code, known))

    def _code(self, code: str, row: int, column: str) -> None:
        if problem := code_problem(code):
            self._add(f"The code '{code[:60]}' {problem}.", row, column, "Shorten or fill it in and load again.")

    def _value(self, parse: Callable[[str], V], text: str, row: int, column: str) -> V | None:
        try:
            return parse(text)
        except ValueError as error:
            self._add(f"{error}.", row, column)
            return None

    def _shared(self, rows: Sequence[EntryRow]) -> None:
        first = rows[0]
        head = _HEAD(first)
        for row in rows[1:]:
            if _HEAD(row) == head:
                continue
            for column in ("date", "period", "status", "kind", "modified_at"):
                if getattr(row, column) != getattr(first, column):
                    self._add(
                        f"Entry {first.entry} has {column} '{getattr(row, column)}' here and "
                        f"'{getattr(first, column)}' in row {first.row}.",
                        row.row,
                        column,
                        "All lines of an entry share it.",
                    )
        if first.status not in STATUS_WORDS:
            self._add(f"'{first.status}' is not a status.", first.row, "status", "Write posted or pending.")
        if first.kind not in EFFECTS:
            self._add(
                f"'{first.kind}' is not a kind.", first.row, "kind", "Write normal, opening, adjusting or closing."
            )

    def _when(self, row: EntryRow) -> tuple[date | None, Period | None]:
        day = self._value(parse_date, row.date, row.row, "date")
        if day is None:
            return None, None
        cached = (row.date, row.period)
        if cached not in self._periods:
            self._periods[cached] = self._period(day, row)
        elif self._periods[cached] is None:
            self._period(day, row)
        return day, self._periods[cached]

    def resolve_head(self, row: EntryRow) -> tuple[str, int, int, str] | None:
        """Period, status, effect and text for the digest of an entry's head; None (and no error told) where a rule is
        broken."""
        kept = len(self.errors)
        _, period = self._when(row)
        del self.errors[kept:]
        if period is None or row.status not in STATUS_WORDS or row.kind not in EFFECTS:
            return None
        status = STATUS_WORDS[row.status]
        return (
            period.code,
            status,
            EFFECTS[row.kind],
            UNIT.join((row.date, period.code, str(status), row.kind or "normal")),
        )

    def _period(self, day: date, row: EntryRow) -> Period | None:
        calendar = self.books.calendar
        ordinary = calendar.on(day)
        if ordinary is None:
            first, last = calendar.periods[0].start, calendar.periods[-1].end
            self._add(f"{day} lies outside the calendar.", row.row, "date", f"It runs from {first} to {last}.")
            return None
        if not row.period:
            return ordinary
        named = calendar.by_code.get(row.period)
        if named is None:
            self._unknown("Period", row.period, row.row, "period", calendar.by_code)
        elif named.adjusting and named.year != ordinary.year:
            self._add(
                f"{day} lies in FY{ordinary.year}, the period {named.code} in FY{named.year}.",
                row.row,
                "period",
                "Let both lie in the same fiscal year.",
            )
        elif not named.adjusting and named.code != ordinary.code:
            self._add(
                f"{day} falls into {ordinary.code}, not {named.code}.",
                row.row,
                "period",
                "Correct one of them, or empty the period.",
            )
        else:
            return named
        return None

    def _line(self, row: EntryRow) -> GivenLine | None:
        before = len(self.errors)
        if code_problem(row.line):
            self._code(row.line, row.row, "line")
        place = (row.entity, row.account, row.partner_entity, row.members)
        known = self._known.get(place)
        if known is None:
            known = self._place(row)
            if len(self.errors) == before:
                self._known[place] = known
        members, digits = known
        debit = self._amount(row.debit, digits, row.row, "debit") if row.debit else 0
        credit = self._amount(row.credit, digits, row.row, "credit") if row.credit else 0
        if debit and credit:
            self._add("Debit and credit are both filled.", row.row, "credit", "Keep one of them, or write two lines.")
        historical = None
        if row.historical_amount:
            historical = self._signed(row.historical_amount, self.books.group_digits, row.row, "historical_amount")
        foreign = self._foreign(row) if row.transaction_amount or row.transaction_currency else None
        if len(self.errors) > before:
            return None
        text = tuple(getattr(row, name) for name in LINE_TEXTS)
        return GivenLine(row.line, row.account, row.partner_entity, members, debit, credit, historical, foreign, text)

    def _foreign(self, row: EntryRow) -> int | None:
        digits = self.books.currencies.get(row.transaction_currency)
        if digits is None:
            self._add(
                f"'{row.transaction_currency}' is not a currency of ISO 4217.",
                row.row,
                "transaction_currency",
                "Write its three letters.",
            )
            return None
        return self._signed(row.transaction_amount, digits, row.row, "transaction_amount")

    def _place(self, row: EntryRow) -> tuple[tuple[str, ...], int]:
        """Members with none written out, and the decimals allowed; unknown codes collect as errors."""
        type_ = self.books.accounts.get(row.account)
        if type_ is None:
            self._unknown("Account", row.account, row.row, "account", self.books.accounts)
        members = []
        for (dimension, codes), code in zip(self.books.members.items(), row.members, strict=True):
            member = code or NO_MEMBER
            if member not in codes:
                self._unknown("Member", member, row.row, dimension, codes)
            members.append(member)
        if row.partner_entity and row.partner_entity not in self.books.digits:
            self._unknown("Entity", row.partner_entity, row.row, "partner_entity", self.books.digits)
        return tuple(members), QUANTITY_DIGITS if type_ == "statistical" else self.books.digits.get(row.entity, 2)

    def _signed(self, text: str, digits: int, row: int, column: str) -> int | None:
        value = self._value(partial(parse_minor, digits=digits), text, row, column)
        if value is not None and abs(value) >= LIMIT:
            self._add(f"'{text}' is too large.", row, column, TOO_LARGE)
        return value

    def _amount(self, text: str, digits: int, row: int, column: str) -> int:
        try:
            value = parse_minor(text, digits)
        except ValueError as error:
            self._add(f"{error}.", row, column)
            return 0
        if value < 0:
            self._add(f"'{text}' is negative.", row, column, "Write it positive on the other side.")
        elif value >= LIMIT:
            self._add(f"'{text}' is too large.", row, column, TOO_LARGE)
        return value

    def _unique(self, rows: Sequence[EntryRow]) -> None:
        if len({row.line for row in rows}) == len(rows):
            return
        seen: dict[str, int] = {}
        for row in rows:
            if row.line in seen:
                self._add(
                    f"Line {row.line} of entry {row.entry} stands in row {seen[row.line]} already.",
                    row.row,
                    "line",
                    "Number the lines of an entry apart.",
                )
            seen.setdefault(row.line, row.row)

    def _balanced(self, first: EntryRow, lines: Sequence[GivenLine | None]) -> None:
        money = [line for line in lines if line is not None and self.books.accounts[line.account] != "statistical"]
        debit, credit = sum(line.debit for line in money), sum(line.credit for line in money)
        if debit != credit:
            digits = self.books.digits[first.entity]
            self._add(
                f"Entry {first.entry} of {first.entity} does not balance: debit {minor_text(debit, digits)}, "
                f"credit {minor_text(credit, digits)}, {minor_text(abs(debit - credit), digits)} apart.",
                first.row,
                hint="Correct its lines and load again.",
            )


def group_rows(rows: Iterable[EntryRow]) -> dict[tuple[str, str], list[EntryRow]]:
    """Rows by entry, wherever in the file they stand, in the order entries first appear."""
    grouped: dict[tuple[str, str], list[EntryRow]] = {}
    for row in rows:
        grouped.setdefault((row.entity, row.entry), []).append(row)
    return grouped


def check_budgets(rows: Iterable[BudgetRow], books: BookSoFar) -> tuple[list[Budget], list[RulkaError]]:
    """Valid budget rows, and every error of the others."""
    errors: list[RulkaError] = []
    found: list[Budget] = []
    seen: dict[tuple[object, ...], int] = {}
    for row in rows:
        budget = _budget(row, books, errors)
        if budget is None:
            continue
        if budget.identity in seen:
            errors.append(
                row_error(
                    f"The same scenario, entity, account, members and period stand in row {seen[budget.identity]}.",
                    row.row,
                    hint="Add the two up.",
                )
            )
        seen.setdefault(budget.identity, row.row)
        found.append(budget)
    return found, errors


def _budget(row: BudgetRow, books: BookSoFar, errors: list[RulkaError]) -> Budget | None:
    before = len(errors)

    def known(what: str, code: str, column: str, codes: Iterable[str]) -> None:
        if code not in codes:
            errors.append(row_error(f"{what} '{code}' does not exist.", row.row, column, one_of(code, codes)))

    known("Scenario", row.scenario, "scenario", books.scenarios)
    if row.scenario == "actual":
        errors.append(
            row_error("'actual' holds journal entries only.", row.row, "scenario", "Name a budget or forecast.")
        )
    known("Entity", row.entity, "entity", books.digits)
    known("Account", row.account, "account", books.accounts)
    known("Period", row.period, "period", books.calendar.by_code)
    members = tuple(code or NO_MEMBER for code in row.members)
    for (dimension, codes), member in zip(books.members.items(), members, strict=True):
        known("Member", member, dimension, codes)
    if len(errors) > before:
        return None
    digits = QUANTITY_DIGITS if books.accounts[row.account] == "statistical" else books.digits[row.entity]
    try:
        amount = parse_minor(row.amount, digits)
    except ValueError as error:
        errors.append(row_error(f"{error}.", row.row, "amount"))
        return None
    if abs(amount) >= LIMIT:
        errors.append(row_error(f"'{row.amount}' is too large.", row.row, "amount", TOO_LARGE))
        return None
    return Budget(row.scenario, row.entity, row.account, members, books.calendar.by_code[row.period], amount, row.note)


def check_total(absolute_total: int) -> None:
    """Refuse a ledger whose absolute amounts no longer add up safely in 64 bits."""
    if absolute_total >= LIMIT:
        raise RulkaError(
            "All absolute amounts of this ledger together reach 2^62 minor units.",
            hint="Split the ledger, or look for an amount with too many digits.",
            subject="entries.csv",
            code="too-large",
        )
