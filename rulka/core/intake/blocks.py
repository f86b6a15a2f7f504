"""Blocks of entry rows, column by column, to checked entries: what `EntryChecker` does, for many rows at once.

A block is accepted only where every rule surely holds; any doubt sends its rows through `EntryChecker`, which tells
each error. Both ways give the same entries and the same digests.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, field
from hashlib import blake2b
from itertools import pairwise, repeat
from typing import Any, NamedTuple

import numpy as np

from rulka.core.errors import RulkaError
from rulka.core.intake.entries import (
    LINE_TEXTS,
    NO_MEMBER,
    RECORD,
    UNIT,
    Books,
    Entry,
    EntryChecker,
    EntryRow,
    code_problem,
    group_rows,
    parse_moment,
)
from rulka.core.money import LIMIT, QUANTITY_DIGITS, parse_minor

CENTS = re.compile(r"(?:(?:[0-9]{1,15}\.[0-9]{2})?\n)*", re.ASCII)
SAFE = 1 << 47
"""Amounts below this can be summed by the thousand in 64 bits."""


class EntryBlock(NamedTuple):
    """Rows of entries.csv by column: `columns` in the order of EntryRow without row and members, `members` by
    dimension.

    An entry whose rows stand together is whole in one block.
    """

    rows: Sequence[int]
    columns: tuple[Sequence[str], ...]
    members: tuple[Sequence[str], ...]


class EntryHead(NamedTuple):
    """A checked entry without its lines; `period` is a code, `moment` UTC ISO text or empty."""

    entity: str
    number: str
    date: str
    period: str
    status: int
    effect: int
    kind: str
    moment: str
    digest: bytes
    row: int
    lines: int


class PlacedLine(NamedTuple):
    """A checked line; `place` counts the distinct (entity, account, partner, members) in order of appearance."""

    line: str
    place: int
    debit: int
    credit: int
    historical_amount: int | None
    transaction_amount: int | None
    description: str
    source: str
    document: str
    counterparty: str
    counterparty_name: str
    user: str
    batch: str
    transaction_currency: str
    attributes: str


class Place(NamedTuple):
    """Where a line is posted: a posting key by codes, with the decimals its amounts may have."""

    entity: str
    account: str
    partner: str
    members: tuple[str, ...]
    digits: int
    money: bool


Columns = list[Sequence[Any]]
"""Checked lines column by column, in the order of PlacedLine."""

FIELDS = EntryRow._fields[1:-1]
AT = {name: place for place, name in enumerate(FIELDS)}
HEAD = tuple(AT[name] for name in ("date", "period", "status", "kind", "modified_at"))
TEXTS = tuple(AT[name] for name in LINE_TEXTS)


class Scattered(Exception):
    """Rows of one entry stand apart in the file: it has to be grouped whole."""


@dataclass
class BlockChecker:
    """Checks entries a block at a time; no block cuts an entry."""

    books: Books
    checker: EntryChecker = field(init=False)
    places: list[Place] = field(default_factory=list)
    sums: dict[tuple[str, str, int], list[int]] = field(
        default_factory=dict
    )  # entity, period, status -> debit, credit, lines (money only)
    absolute: int = 0
    _place: dict[tuple[str, ...], int] = field(default_factory=dict)
    _heads: dict[tuple[str, ...], tuple[str, int, int, str]] = field(default_factory=dict)
    _moments: dict[str, str] = field(default_factory=dict)
    _lines: set[str] = field(default_factory=set)
    _texts: list[str] = field(default_factory=list)
    _money: list[int] = field(default_factory=list)
    _digits: list[int] = field(default_factory=list)
    _all_cents: bool = True
    _seen: set[int] = field(default_factory=set)

    def __post_init__(self) -> None:
        self.checker = EntryChecker(self.books)

    @property
    def errors(self) -> list[RulkaError]:
        return self.checker.errors

    def check(self, blocks: Iterable[EntryBlock]) -> Iterator[tuple[list[EntryHead], Columns]]:
        """Heads, and lines in columns, entry by entry in the file's order. Raises Scattered when an entry comes back
        later."""
        for block in blocks:
            names = list(zip(block.columns[AT["entity"]], block.columns[AT["entry"]], strict=True))
            starts = [0, *(place for place, (before, after) in enumerate(pairwise(names), 1) if before != after)]
            marks = [hash(names[start]) for start in starts]
            if len(set(marks)) < len(marks) or not self._seen.isdisjoint(marks):
                raise Scattered
            self._seen.update(marks)
            quick = self._quickly(block, starts)
            yield quick if quick is not None else self._slowly(_rows(block))

    def check_scattered(self, blocks: Iterable[EntryBlock]) -> tuple[list[EntryHead], Columns]:
        """The same for a file whose entries stand apart; holds it whole."""
        return self._slowly(row for block in blocks for row in _rows(block))

    # row by row -----------------------------------------------------------------------------------------------------

    def _slowly(self, rows: Iterable[EntryRow]) -> tuple[list[EntryHead], Columns]:
        heads: list[EntryHead] = []
        lines: list[PlacedLine] = []
        for group in group_rows(rows).values():
            entry = self.checker.check(group)
            if entry is not None:
                heads.append(self._head(entry))
                lines += self._placed(entry)
        return heads, list(zip(*lines, strict=True)) if lines else [()] * len(PlacedLine._fields)

    def _head(self, entry: Entry) -> EntryHead:
        moment = entry.modified_at.isoformat() if entry.modified_at else ""
        return EntryHead(
            entry.entity,
            entry.number,
            entry.date.isoformat(),
            entry.period.code,
            entry.status,
            entry.effect,
            entry.kind,
            moment,
            entry.digest(),
            entry.row,
            len(entry.lines),
        )

    def _placed(self, entry: Entry) -> Iterator[PlacedLine]:
        debit = credit = 0
        for line in entry.lines:
            place = self._place_of(entry.entity, line.account, line.partner, *line.members)
            if self.places[place].money:
                debit, credit = debit + line.debit, credit + line.credit
            self.absolute += line.debit + line.credit
            yield PlacedLine(
                line.line, place, line.debit, line.credit, line.historical_amount, line.transaction_amount, *line.text
            )
        self._add(entry.entity, entry.period.code, entry.status, debit, credit, len(entry.lines))

    def _add(self, entity: str, period: str, status: int, debit: int, credit: int, lines: int) -> None:
        total = self.sums.setdefault((entity, period, status), [0, 0, 0])
        total[0] += debit
        total[1] += credit
        total[2] += lines

    def _place_of(self, *codes: str) -> int:
        """The place of (entity, account, partner, members); -1 when a code does not exist."""
        found = self._place.get(codes)
        if found is not None:
            return found
        entity, account, partner, *given = codes
        members = tuple(code or NO_MEMBER for code in given)
        books = self.books
        type_ = books.accounts.get(account)
        known = entity in books.digits and type_ is not None and (not partner or partner in books.digits)
        if not known or any(code not in allowed for code, allowed in zip(members, books.members.values(), strict=True)):
            return -1
        if members != tuple(given):
            found = self._place_of(entity, account, partner, *members)
        else:
            money = type_ != "statistical"
            found = len(self.places)
            digits = books.digits[entity] if money else QUANTITY_DIGITS
            self.places.append(Place(entity, account, partner, members, digits, money))
            self._texts.append(UNIT.join((account, partner, *members)))
            self._money.append(int(money))
            self._digits.append(digits)
            self._all_cents = self._all_cents and digits == 2
        self._place[codes] = found
        return found

    # column by column -----------------------------------------------------------------------------------------------

    def _quickly(self, block: EntryBlock, starts: list[int]) -> tuple[list[EntryHead], Columns] | None:
        columns, count = block.columns, len(block.rows)
        codes = zip(
            columns[AT["entity"]], columns[AT["account"]], columns[AT["partner_entity"]], *block.members, strict=True
        )
        known = self._place
        places = [found if (found := known.get(code)) is not None else self._place_of(*code) for code in codes]
        heads = list(zip(*(columns[at] for at in HEAD), strict=True))
        if min(places) < 0 or any(
            heads[start:end].count(heads[start]) != end - start
            for start, end in zip(starts, [*starts[1:], count], strict=True)
        ):
            return None
        debits, credits = self._amounts(columns[AT["debit"]], places), self._amounts(columns[AT["credit"]], places)
        historical = self._optional(columns[AT["historical_amount"]], [self.books.group_digits] * count)
        foreign = self._foreign(columns)
        if debits is None or credits is None or historical is None or foreign is None:
            return None
        line_codes = columns[AT["line"]]
        known_lines = self._lines
        if not known_lines.issuperset(line_codes):
            if any(code_problem(code) for code in set(line_codes)):
                return None
            known_lines.update(line_codes)
        debit, credit = np.array(debits, dtype=np.int64), np.array(credits, dtype=np.int64)
        if debit.max() >= SAFE or credit.max() >= SAFE or ((debit != 0) & (credit != 0)).any():
            return None
        money = np.fromiter(map(self._money.__getitem__, places), dtype=np.int64, count=count)
        sums_debit, sums_credit = np.add.reduceat(debit * money, starts), np.add.reduceat(credit * money, starts)
        if (sums_debit != sums_credit).any():
            return None
        head_values = self._entry_heads(heads, columns, starts)
        if head_values is None:
            return None
        texts = [columns[at] for at in TEXTS]
        lines: Columns = [line_codes, places, debits, credits, historical, foreign, *texts]
        moved: list[int] | None = None
        amounts = (map(str, debits), map(str, credits), _texts(historical), _texts(foreign))
        parts: list[Iterable[str]] = [line_codes, map(self._texts.__getitem__, places), *amounts, *texts]
        prints = list(map(UNIT.join, zip(*parts, strict=True)))
        ends = [*starts[1:], count]
        result: list[EntryHead] = []
        sums: list[tuple[str, str, int, int, int, int]] = []
        entities, numbers, rows = columns[AT["entity"]], columns[AT["entry"]], block.rows
        for at, (start, end, (head_text, values)) in enumerate(zip(starts, ends, head_values, strict=True)):
            if end - start > 1 and any(line_codes[place] >= line_codes[place + 1] for place in range(start, end - 1)):
                order = sorted(range(start, end), key=line_codes.__getitem__)
                if any(line_codes[before] == line_codes[after] for before, after in pairwise(order)):
                    return None
                if moved is None:
                    moved = list(range(count))
                moved[start:end] = order
                prints[start:end] = [prints[place] for place in order]
            print_ = blake2b((head_text + RECORD + RECORD.join(prints[start:end])).encode(), digest_size=16).digest()
            result.append(EntryHead._make((entities[start], numbers[start], *values, print_, rows[start], end - start)))
            sums.append((entities[start], values[1], values[2], int(sums_debit[at]), int(sums_credit[at]), end - start))
        for one in sums:  # only now is the whole block sure
            self._add(*one)
        self.absolute += sum(debits) + sum(credits)
        return result, lines if moved is None else [[column[place] for place in moved] for column in lines]

    def _entry_heads(
        self, heads: list[tuple[str, ...]], columns: tuple[Sequence[str], ...], starts: list[int]
    ) -> list[Any] | None:
        """For each entry its head as text and (date, period, status, effect, kind, moment)."""
        found = []
        numbers = columns[AT["entry"]]
        for start in starts:
            date, period, status, kind, modified = heads[start]
            place = (date, period, status, kind)
            known = self._heads.get(place)
            if known is None:
                known = self._resolved(place)
                if known is None:
                    return None
                self._heads[place] = known
            moment = self._moments.get(modified)
            if moment is None:
                try:
                    parsed = parse_moment(modified)
                except ValueError:
                    return None
                moment = parsed.isoformat() if parsed else ""
                if len(self._moments) > 50_000:
                    self._moments.clear()
                self._moments[modified] = moment
            number = numbers[start]
            if len(number) > 40 or not number or number != number.strip():
                return None
            code, status_number, effect, text = known
            found.append((text, (date, code, status_number, effect, kind or "normal", moment)))
        return found

    def _resolved(self, place: tuple[str, ...]) -> tuple[str, int, int, str] | None:
        """A head's period, status, effect and text, by the rules of EntryChecker; None where they don't hold."""
        date, period, status, kind = place
        row = EntryRow._make((0, "", "", "", date, *[""] * (len(EntryRow._fields) - 6), ()))
        row = row._replace(period=period, status=status, kind=kind)
        return self.checker.resolve_head(row)

    def _amounts(self, texts: Sequence[str], places: list[int]) -> list[int] | None:
        """Minor units; None when any is not plainly right."""
        if self._all_cents and CENTS.fullmatch("\n".join(texts) + "\n"):
            return [int(text.replace(".", "")) if text else 0 for text in texts]
        digits = self._digits
        try:
            values = [
                parse_minor(text, digits[place]) if text else 0 for text, place in zip(texts, places, strict=True)
            ]
        except ValueError:
            return None
        return values if min(values) >= 0 and max(values) < LIMIT else None

    def _optional(self, texts: Sequence[str], digits: list[int]) -> list[int | None] | None:
        if not any(texts):
            return [None] * len(texts)
        try:
            return [parse_minor(text, places) if text else None for text, places in zip(texts, digits, strict=True)]
        except ValueError:
            return None

    def _foreign(self, columns: tuple[Sequence[str], ...]) -> list[int | None] | None:
        amounts, currencies = columns[AT["transaction_amount"]], columns[AT["transaction_currency"]]
        if not any(amounts) and not any(currencies):
            return [None] * len(amounts)
        if any(bool(amount) != bool(currency) for amount, currency in zip(amounts, currencies, strict=True)):
            return None
        known = self.books.currencies
        if any(currency and currency not in known for currency in set(currencies)):
            return None
        return self._optional(amounts, [known.get(currency, 2) for currency in currencies])


def _texts(amounts: list[int | None]) -> Iterator[str]:
    if amounts.count(None) == len(amounts):
        return repeat("", len(amounts))
    return ("" if amount is None else str(amount) for amount in amounts)


def _rows(block: EntryBlock) -> Iterator[EntryRow]:
    for row, *values in zip(block.rows, *block.columns, *block.members, strict=True):
        yield EntryRow._make((row, *values[: len(FIELDS)], tuple(values[len(FIELDS) :])))
