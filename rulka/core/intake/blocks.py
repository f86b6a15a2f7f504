"""Blocks of entry rows, column by column, to checked entries: what `EntryChecker` does, over arrays.

Every rule is judged over arrays, and says where it doubts. An entry without doubt is accepted; the rows of a doubtful
one go through `EntryChecker`, which tells each error or finds the entry sound. Both ways give the same entries and the
same digests.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass, field
from hashlib import blake2b
from itertools import pairwise
from typing import NamedTuple

import numpy as np

from rulka.core.books.calendar import period_number
from rulka.core.books.chart import BoolArray, IntArray
from rulka.core.errors import RulkaError
from rulka.core.intake.columns import GivenColumn, Join, Part, grouped, join, laid_after
from rulka.core.intake.entries import (
    LINE_TEXTS,
    NO_MEMBER,
    RECORD,
    UNIT,
    BookSoFar,
    EntryChecker,
    EntryRow,
    GivenEntry,
    code_problem,
    group_rows,
    parse_moment,
)
from rulka.core.money import LIMIT, QUANTITY_DIGITS, parse_minor

PLAIN = re.compile(r"[0-9]{1,12}(?:\.[0-9]{1,4})?", re.ASCII)
MOST_DIGITS = 4
"""Decimals up to which amounts are scaled over arrays: twelve digits before the point stay below 2^62."""
ALIKE = [
    re.compile(rf"{one}(?:\n{one})*", re.ASCII)
    for one in ("[0-9]{1,12}", *(rf"[0-9]{{1,12}}\.[0-9]{{{digits}}}" for digits in range(1, MOST_DIGITS + 1)))
]
"""Amounts with the same number of decimals, line by line."""
SCALES = 10 ** np.arange(MOST_DIGITS + 1, dtype=np.int64)
HEAD = ("date", "period", "status", "kind")
FIELDS = EntryRow._fields[1:-1]
AT = {name: place for place, name in enumerate(FIELDS)}


class EntryBlock(NamedTuple):
    """Rows of entries.csv: their numbers, `columns` in the order of EntryRow without row and members, `members` by
    dimension.

    The rows of an entry stand together, whole in one block.
    """

    rows: IntArray
    columns: tuple[GivenColumn, ...]
    members: tuple[GivenColumn, ...]

    @classmethod
    def of(cls, rows: Sequence[EntryRow]) -> EntryBlock:
        """The block of these rows, in their order."""
        *columns, members = zip(*(row[1:] for row in rows), strict=True)
        return cls(
            np.array([row.row for row in rows], dtype=np.int64),
            tuple(map(GivenColumn.of, columns)),
            tuple(map(GivenColumn.of, zip(*members, strict=True))),
        )

    def column(self, name: str) -> GivenColumn:
        """A column by its name."""
        return self.columns[AT[name]]

    def entry_rows(self, rows: IntArray) -> Iterator[EntryRow]:
        """Some rows as they stand."""
        columns = [column.take(rows).texts() for column in (*self.columns, *self.members)]
        for number, *values in zip(self.rows[rows].tolist(), *columns, strict=True):
            yield EntryRow._make((number, *values[: len(FIELDS)], tuple(values[len(FIELDS) :])))


class BlockHead(NamedTuple):
    """What entries of one day, period, status and kind share; `text` is what their digests begin with."""

    date: str
    period: int  # as `period_number`
    period_code: str
    status: int
    effect: int
    kind: str
    text: str


class BlockPlace(NamedTuple):
    """Where a line is posted: a posting key by codes, with the decimals its amounts may have."""

    entity: str
    account: str
    partner: str
    members: tuple[str, ...]
    digits: int
    money: bool


@dataclass(frozen=True)
class BlockLines:
    """Checked lines; `place` and amounts (lines,), `texts` in the order of LINE_TEXTS. Optional amounts are None where
    no line of the block has one."""

    line: GivenColumn
    place: IntArray
    debit: IntArray
    credit: IntArray
    historical: list[int | None] | None
    transaction: list[int | None] | None
    texts: tuple[GivenColumn, ...]

    def take(self, rows: IntArray | BoolArray) -> BlockLines:
        """Some of the lines, in another order."""
        return BlockLines(
            self.line.take(rows),
            self.place[rows],
            self.debit[rows],
            self.credit[rows],
            _taken(self.historical, rows),
            _taken(self.transaction, rows),
            tuple(column.take(rows) for column in self.texts),
        )

    def after(self, other: BlockLines) -> BlockLines:
        """These lines after others."""
        return BlockLines(
            laid_after(other.line, self.line),
            np.concatenate([other.place, self.place]),
            np.concatenate([other.debit, self.debit]),
            np.concatenate([other.credit, self.credit]),
            _laid_after(other.historical, self.historical, len(other.place), len(self.place)),
            _laid_after(other.transaction, self.transaction, len(other.place), len(self.place)),
            tuple(laid_after(one, two) for one, two in zip(other.texts, self.texts, strict=True)),
        )


@dataclass(frozen=True)
class Checked:
    """Checked entries in the file's order, and their lines behind each other in order of their codes.

    `head` and the lines' `place` count the checker's `heads` and `places`; `moment` is UTC ISO text or empty; `row` is
    that of an entry's first line, `count` how many it has: all (entries,).
    """

    entity: GivenColumn
    number: GivenColumn
    head: IntArray
    moment: GivenColumn
    digest: list[bytes]
    row: IntArray
    count: IntArray
    lines: BlockLines

    def __len__(self) -> int:
        return len(self.row)

    @property
    def first(self) -> IntArray:
        """Where each entry's lines begin."""
        first: IntArray = np.cumsum(self.count) - self.count
        return first

    def lines_of(self, entries: IntArray) -> IntArray:
        """The lines of some entries, by their places."""
        count = self.count[entries]
        within = np.arange(count.sum()) - np.repeat(np.cumsum(count) - count, count)
        lines: IntArray = np.repeat(self.first[entries], count) + within
        return lines

    def take(self, entries: IntArray) -> Checked:
        """Some of the entries, in another order, with their lines."""
        return Checked(
            self.entity.take(entries),
            self.number.take(entries),
            self.head[entries],
            self.moment.take(entries),
            [self.digest[at] for at in entries.tolist()],
            self.row[entries],
            self.count[entries],
            self.lines.take(self.lines_of(entries)),
        )

    def after(self, other: Checked) -> Checked:
        """These entries after others."""
        return Checked(
            laid_after(other.entity, self.entity),
            laid_after(other.number, self.number),
            np.concatenate([other.head, self.head]),
            laid_after(other.moment, self.moment),
            other.digest + self.digest,
            np.concatenate([other.row, self.row]),
            np.concatenate([other.count, self.count]),
            self.lines.after(other.lines),
        )


def _taken(amounts: list[int | None] | None, rows: IntArray | BoolArray) -> list[int | None] | None:
    if amounts is None:
        return None
    places = np.flatnonzero(rows) if rows.dtype == bool else rows
    return [amounts[at] for at in places.tolist()]


def _laid_after(
    first: list[int | None] | None, second: list[int | None] | None, rows: int, more: int
) -> list[int | None] | None:
    if first is None and second is None:
        return None
    return (first or [None] * rows) + (second or [None] * more)


class Scattered(Exception):
    """Rows of one entry stand apart: they have to be brought together first."""


@dataclass
class BlockChecker:
    """Checks entries a block at a time. `sums` are debit, credit and lines by entity, period and status, of money
    only; `absolute` all amounts together, quantities too."""

    books: BookSoFar
    join: Join = join
    checker: EntryChecker = field(init=False)
    heads: list[BlockHead] = field(default_factory=list)
    places: list[BlockPlace] = field(default_factory=list)
    sums: dict[tuple[str, str, int], list[int]] = field(default_factory=dict)
    absolute: int = 0
    _head: dict[tuple[str, ...], int] = field(default_factory=dict)
    _place: dict[tuple[str, ...], int] = field(default_factory=dict)
    _texts: list[str] = field(default_factory=list)
    _seen: IntArray = field(default_factory=lambda: np.zeros(0, dtype=np.int64))

    def __post_init__(self) -> None:
        self.checker = EntryChecker(self.books)

    @property
    def errors(self) -> list[RulkaError]:
        return self.checker.errors

    def check(self, blocks: Iterable[EntryBlock]) -> Iterator[Checked]:
        """The sound entries of each block. Raises Scattered when an entry comes back later."""
        for block in blocks:
            if not len(block.rows):
                continue
            starts = _starts(block)
            self._notice(block, starts)
            checked = self._checked(block, starts)
            self._add(checked)
            yield checked

    def _notice(self, block: EntryBlock, starts: IntArray) -> None:
        """Refuse entries that were there before, known by the hashes of their names."""
        entities, numbers = block.column("entity").take(starts), block.column("entry").take(starts)
        names = np.fromiter(
            map(hash, zip(entities.texts(), numbers.texts(), strict=True)), dtype=np.int64, count=len(starts)
        )
        names.sort()
        places = np.searchsorted(self._seen, names)
        known = self._seen[np.minimum(places, len(self._seen) - 1)] == names if len(self._seen) else np.zeros(1)
        if (names[1:] == names[:-1]).any() or known.any():
            raise Scattered
        self._seen = np.insert(self._seen, places, names)

    def _add(self, checked: Checked) -> None:
        """Count what was accepted."""
        lines, first = checked.lines, checked.first
        if not len(checked):
            return
        money = self._of_places(lines.place, lambda place: int(place.money))
        sides = [lines.debit, lines.credit]
        if max(side.max() for side in sides) >= LIMIT // (2 * len(money)):  # their sum might not fit
            sides = [side.astype(object) for side in sides]
        debit, credit = (np.add.reduceat(side * money, first) for side in sides)
        found, group = grouped(
            [(checked.entity.codes, len(checked.entity.values)), (checked.head, len(self.heads))], len(checked)
        )
        totals = np.zeros((len(found), 3), dtype=sides[0].dtype)
        np.add.at(totals, group, np.column_stack([debit, credit, checked.count]))
        for at, total in zip(found.tolist(), totals.tolist(), strict=True):
            head = self.heads[checked.head[at]]
            entity = checked.entity.values[checked.entity.codes[at]]
            known = self.sums.setdefault((entity, head.period_code, head.status), [0, 0, 0])
            known[:] = (former + more for former, more in zip(known, total, strict=True))
        self.absolute += sum(int(side.sum()) for side in sides)

    def _of_places(self, places: IntArray, tell: Callable[[BlockPlace], int]) -> IntArray:
        """A number of each line's place; a place of -1 says 0."""
        told = np.fromiter(map(tell, self.places), dtype=np.int64, count=len(self.places))
        numbers: IntArray = np.append(told, 0)[places]
        return numbers

    # over arrays ----------------------------------------------------------------------------------------------------

    def _checked(self, block: EntryBlock, starts: IntArray) -> Checked:
        rows = len(block.rows)
        counts = np.diff(np.append(starts, rows))
        owner = np.repeat(np.arange(len(starts)), counts)
        doubt = np.zeros(len(starts), dtype=bool)

        def doubted(rows: BoolArray) -> None:
            doubt[owner[rows]] = True

        for name in (*HEAD, "modified_at"):
            codes = block.column(name).codes
            doubted(codes != codes[starts][owner])
        numbers = block.column("entry").take(starts)
        doubt |= numbers.mark(bool(code_problem(code)) for code in numbers.values)
        head = self._heads_of(block, starts)
        moment, unclear = _moments(block.column("modified_at").take(starts))
        doubt |= (head < 0) | unclear
        place, texts = self._places_of(block)
        doubted(place < 0)
        lines = block.column("line")
        doubted(lines.mark(bool(code_problem(code)) for code in lines.values))
        digits = self._of_places(place, lambda one: one.digits)
        most = LIMIT // (2 * rows)
        debit, odd = _amounts(block.column("debit"), digits, most)
        credit, odder = _amounts(block.column("credit"), digits, most)
        doubted(odd | odder | ((debit != 0) & (credit != 0)))
        money = self._of_places(place, lambda one: int(one.money))
        doubt |= np.add.reduceat((debit - credit) * money, starts) != 0
        historical, odd = _optional(block.column("historical_amount"), self.books.group_digits)
        doubted(odd)
        transaction, odd = self._transaction(block)
        doubted(odd)
        rank = lines.numbers(np.argsort(np.argsort(np.array(lines.values, dtype=object))).tolist())
        order = np.arange(rows)
        if ((rank[1:] <= rank[:-1]) & (owner[1:] == owner[:-1])).any():
            order = np.lexsort((rank, owner))
            ordered = rank[order]
            twice = np.flatnonzero((ordered[1:] == ordered[:-1]) & (owner[1:] == owner[:-1]))
            doubt[owner[twice]] = True
        if doubt.any():
            sound = np.flatnonzero(~doubt)
            order = order[~doubt[owner]]  # an entry's rows stay where they are, only in order among themselves
        else:
            sound = np.arange(len(starts))
        plain = BlockLines(
            lines,
            place,
            debit,
            credit,
            _amounts_of(historical),
            _amounts_of(transaction),
            tuple(block.column(name) for name in LINE_TEXTS),
        )
        if len(order) < rows or (order[1:] < order[:-1]).any():
            plain = plain.take(order)
        prints = [
            text.take(order) if isinstance(text, GivenColumn) else text for text in (texts, historical, transaction)
        ]
        first = np.zeros(len(order), dtype=bool)
        count = counts[sound]
        first[np.cumsum(count) - count] = True
        checked = Checked(
            block.column("entity").take(starts[sound]),
            numbers.take(sound),
            head[sound],
            moment.take(sound),
            self._digests(plain, head[sound], count, prints),
            block.rows[starts[sound]],
            count,
            plain,
        )
        if len(sound) == len(starts):
            return checked
        explained = self._explained(block, doubt[owner])
        if not len(explained):
            return checked
        both = explained.after(checked)
        return both.take(np.argsort(both.row, kind="stable")) if _ascending(block.rows) else self._in_order(block, both)

    def _in_order(self, block: EntryBlock, checked: Checked) -> Checked:
        """Entries in the order of the block's rows, whose numbers say nothing of it."""
        place = {row: at for at, row in enumerate(block.rows.tolist())}
        return checked.take(np.argsort([place[row] for row in checked.row.tolist()], kind="stable"))

    def _heads_of(self, block: EntryBlock, starts: IntArray) -> IntArray:
        """Each entry's head; -1 where a rule of it is broken."""
        columns = [block.column(name).take(starts) for name in HEAD]
        found, group = grouped([(column.codes, len(column.values)) for column in columns], len(starts))
        texts = zip(*(column.take(found).texts() for column in columns), strict=True)
        return np.array([self._head_of(*head) for head in texts], dtype=np.int64)[group]

    def _head_of(self, date: str, period: str, status: str, kind: str) -> int:
        known = self._head.get((date, period, status, kind))
        if known is None:
            row = EntryRow._make((0, "", "", "", date, *[""] * (len(EntryRow._fields) - 6), ()))
            found = self.checker.resolve_head(row._replace(period=period, status=status, kind=kind))
            if found is None:
                return -1
            code, number, effect, text = found
            known = self._add_head(BlockHead(date, period_number(code), code, number, effect, kind or "normal", text))
            self._head[date, period, status, kind] = known
        return known

    def _add_head(self, head: BlockHead) -> int:
        """A head's number; the same for heads that say the same in other words."""
        known = self._head.setdefault((head.text,), len(self.heads))
        if known == len(self.heads):
            self.heads.append(head)
        return known

    def _places_of(self, block: EntryBlock) -> tuple[IntArray, GivenColumn]:
        """Each row's place, -1 where a code does not exist; and its account, partner and members as a digest holds
        them."""
        columns = [block.column("entity"), block.column("account"), block.column("partner_entity"), *block.members]
        found, group = grouped([(column.codes, len(column.values)) for column in columns], len(block.rows))
        codes = zip(*(column.take(found).texts() for column in columns), strict=True)
        places = [self._place_of(*code) for code in codes]
        texts = [self._texts[place] if place >= 0 else "" for place in places]
        return np.array(places, dtype=np.int64)[group], GivenColumn(group, texts)

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
            self.places.append(BlockPlace(entity, account, partner, members, digits, money))
            self._texts.append(UNIT.join((account, partner, *members)))
        self._place[codes] = found
        return found

    def _transaction(self, block: EntryBlock) -> tuple[GivenColumn | str, BoolArray]:
        """Amounts in transaction currency as text of minor units, empty where there is none; and where that doubts."""
        amounts, currencies = block.column("transaction_amount"), block.column("transaction_currency")
        rows = len(block.rows)
        if amounts.is_empty and currencies.is_empty:
            return "", np.zeros(rows, dtype=bool)
        known = self.books.currencies
        found, group = grouped([(column.codes, len(column.values)) for column in (amounts, currencies)], rows)
        texts, odd = [], []
        for amount, currency in zip(amounts.take(found).texts(), currencies.take(found).texts(), strict=True):
            text = _minor(amount, known[currency]) if amount and currency in known else ""
            texts.append(text)
            odd.append(not text and bool(amount or currency))
        return GivenColumn(group, texts), np.array(odd, dtype=bool)[group]

    def _digests(
        self, lines: BlockLines, head: IntArray, count: IntArray, prints: Sequence[GivenColumn | str]
    ) -> list[bytes]:
        """`Entry.digest` of each entry, from its head and its lines in order."""
        rows = len(lines.place)
        places, historical, transaction = prints
        before = np.full(rows, len(self.heads), dtype=np.int64)  # only an entry's first line begins with its head
        ends = np.cumsum(count)
        before[ends - count] = head
        parts: list[Part] = [GivenColumn(before, [*(one.text for one in self.heads), ""]), RECORD, lines.line]
        amounts: list[Part] = [places, lines.debit, lines.credit, historical, transaction]
        for part in (*amounts, *(text if not text.is_empty else "" for text in lines.texts)):
            parts += [UNIT, part]
        data, offsets = self.join(_merged(parts), rows)
        cuts = [0, *offsets[ends].tolist()]
        return [blake2b(data[start:end], digest_size=16).digest() for start, end in pairwise(cuts)]

    # entry by entry -------------------------------------------------------------------------------------------------

    def _explained(self, block: EntryBlock, doubtful: BoolArray) -> Checked:
        """The sound ones of doubtful entries; the checker tells of the others."""
        entries: list[GivenEntry] = []
        for group in group_rows(block.entry_rows(np.flatnonzero(doubtful))).values():
            entry = self.checker.check(group)
            if entry is not None:
                entries.append(entry)
        lines = [(entry, line) for entry in entries for line in entry.lines]
        texts = [GivenColumn.of(line.text[at] for _, line in lines) for at in range(len(LINE_TEXTS))]
        return Checked(
            GivenColumn.of(entry.entity for entry in entries),
            GivenColumn.of(entry.number for entry in entries),
            np.array([self._add_head(_head_from(entry)) for entry in entries], dtype=np.int64),
            GivenColumn.of(entry.modified_at.isoformat() if entry.modified_at else "" for entry in entries),
            [entry.digest() for entry in entries],
            np.array([entry.row for entry in entries], dtype=np.int64),
            np.array([len(entry.lines) for entry in entries], dtype=np.int64),
            BlockLines(
                GivenColumn.of(line.line for _, line in lines),
                np.array(
                    [self._place_of(entry.entity, line.account, line.partner, *line.members) for entry, line in lines],
                    dtype=np.int64,
                ),
                np.array([line.debit for _, line in lines], dtype=np.int64),
                np.array([line.credit for _, line in lines], dtype=np.int64),
                [line.historical_amount for _, line in lines],
                [line.transaction_amount for _, line in lines],
                tuple(texts),
            ),
        )


def _head_from(entry: GivenEntry) -> BlockHead:
    code = entry.period.code
    text = UNIT.join((entry.date.isoformat(), code, str(entry.status), entry.kind))
    return BlockHead(entry.date.isoformat(), period_number(code), code, entry.status, entry.effect, entry.kind, text)


def _starts(block: EntryBlock) -> IntArray:
    """The rows at which an entry begins."""
    entity, entry = block.column("entity").codes, block.column("entry").codes
    return np.flatnonzero(np.concatenate([[True], (entity[1:] != entity[:-1]) | (entry[1:] != entry[:-1])]))


def _ascending(rows: IntArray) -> bool:
    return bool((rows[1:] > rows[:-1]).all())


def _moments(column: GivenColumn) -> tuple[GivenColumn, BoolArray]:
    """Moments as UTC ISO text, and where one is none."""
    texts, odd = [], []
    for value in column.values:
        try:
            parsed = parse_moment(value)
        except ValueError:
            parsed = None
            odd.append(True)
        else:
            odd.append(False)
        texts.append(parsed.isoformat() if parsed else "")
    return GivenColumn(column.codes, texts), column.mark(odd)


def _amounts(column: GivenColumn, digits: IntArray, most: int) -> tuple[IntArray, BoolArray]:
    """Minor units by each row's decimals, and where a text is not plainly an amount below `most`."""
    numbers, decimals, plain = _parsed(column.values)
    missing = digits - decimals[column.codes]
    amounts = numbers[column.codes] * SCALES[np.clip(missing, 0, MOST_DIGITS)]
    return amounts, ~plain[column.codes] | (missing < 0) | (digits > MOST_DIGITS) | (amounts >= most)


def _parsed(values: Sequence[str]) -> tuple[IntArray, IntArray, BoolArray]:
    """For each text its digits as a number, its decimals, and whether it is plainly an amount; nothing is zero."""
    decimals = next((_decimals(value) for value in values if value), 0)
    if decimals <= MOST_DIGITS:  # most columns hold one number of decimals throughout
        zero = f"0.{'0' * decimals}" if decimals else "0"
        text = "\n".join([value or zero for value in values])
        if ALIKE[decimals].fullmatch(text):
            numbers = np.fromstring(text.replace(".", ""), dtype=np.int64, sep="\n")
            return numbers, np.full(len(values), decimals), np.ones(len(values), dtype=bool)
    plain = np.array([not value or PLAIN.fullmatch(value) is not None for value in values], dtype=bool)
    told = [value if value and fine else "0" for value, fine in zip(values, plain.tolist(), strict=True)]
    numbers = np.array([int(value.replace(".", "")) for value in told], dtype=np.int64)
    return numbers, np.array([_decimals(value) for value in told], dtype=np.int64), plain


def _decimals(value: str) -> int:
    return len(value) - value.index(".") - 1 if "." in value else 0


def _minor(text: str, digits: int) -> str:
    """Minor units as text; nothing where the text is no amount that a ledger holds."""
    try:
        amount = parse_minor(text, digits)
    except ValueError:
        return ""
    return str(amount) if abs(amount) < LIMIT else ""


def _optional(column: GivenColumn, digits: int) -> tuple[GivenColumn | str, BoolArray]:
    """Amounts as text of minor units, empty where there is none; and where one can't be read."""
    if column.is_empty:
        return "", np.zeros(len(column.codes), dtype=bool)
    texts = [_minor(value, digits) if value else "" for value in column.values]
    odd = column.mark(bool(value) and not text for value, text in zip(column.values, texts, strict=True))
    return GivenColumn(column.codes, texts), odd


def _amounts_of(column: GivenColumn | str) -> list[int | None] | None:
    if isinstance(column, str):
        return None
    amounts: list[int | None] = column.pick([int(text) if text else None for text in column.values]).tolist()
    return amounts


def _merged(parts: Sequence[Part]) -> list[Part]:
    """Parts with the same texts beside each other as one."""
    merged: list[Part] = []
    for part in parts:
        if isinstance(part, str) and merged and isinstance(merged[-1], str):
            merged[-1] += part
        else:
            merged.append(part)
    return merged
