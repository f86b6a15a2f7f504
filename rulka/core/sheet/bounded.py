"""Bounded tables: a piece of the ledger that its author bounds, for others to place and choose within.

Accounts, entities, scenarios, dimensions and time are laid on rows, on columns or on the page. Who reads one gets what
lies inside of it and inside of their own fence; a row, column or choice beyond its bounds is an error, whoever asks.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal
from functools import cached_property
from itertools import product
from typing import Any, NamedTuple

import numpy as np

from rulka.core.books.book import View
from rulka.core.books.chart import BoolArray, CodeList
from rulka.core.books.narrowing import codes_of, read_narrowing
from rulka.core.books.selection import SelectionPart
from rulka.core.compute.nodes import nodes_of
from rulka.core.errors import NotFound, RulkaError, one_of
from rulka.core.sheet.addresses import letters
from rulka.core.sheet.amounts import (
    CURRENCIES,
    MEASURES,
    SIGNS,
    Amount,
    Amounts,
    argument,
    meant_codes,
    narrowed_keys,
    node_of,
    visible_codes,
)
from rulka.core.sheet.calculating import Calculation, SheetCells
from rulka.core.sheet.inputs import typed
from rulka.core.sheet.listing import AMOUNT_LOOK
from rulka.core.sheet.periods import read_time
from rulka.core.sheet.surroundings import Surroundings
from rulka.core.sheet.values import NA, VALUE, ZERO, Array, Scalar, SheetError, Value

PLAIN = ("account", "entity", "scenario", "time")
LEVELS = ("posted", "one below", "everything below", "as named")
SHOWS = ("both", "code", "name")
JOIN = " > "
"""Between the codes of a row or column that lies on several axes."""

TOTAL = "total"
MOST_CELLS = 200_000
MOST_AXES = 3


@dataclass(frozen=True)
class Axis:
    """One of what lies on rows or columns: `take` says which (a selection, codes or times with commas), `level` how far
    down: only what is posted to, one level below, everything below, or just what is named."""

    of: str
    take: str = ""
    level: str = LEVELS[0]
    show: str = SHOWS[0]
    total: str = ""


@dataclass(frozen=True)
class PageChoice:
    """One of what lies on the page: what it is where nobody chooses, and what may be chosen."""

    of: str
    default: str = ""
    permitted: tuple[str, ...] = ()


@dataclass(frozen=True)
class BoundedDef:
    """A bounded table as it was made; empty fields leave it to the worksheet, as formulas do."""

    name: str
    title: str
    rows: tuple[Axis, ...]
    columns: tuple[Axis, ...]
    page: tuple[PageChoice, ...] = ()
    accounts: str = ""
    measure: str = MEASURES[0]
    sign: str = ""
    entries: str = ""
    currency: str = ""
    narrow: str = ""
    drops_empty: bool = False
    beside: tuple[tuple[str, str], ...] = ()

    @property
    def axes(self) -> tuple[Axis, ...]:
        return (*self.rows, *self.columns)


FIELDS = (
    "table", "title", "rows", "columns", "page", "accounts", "measure", "sign", "entries", "currency", "narrow",
    "empty rows", "beside",
)  # fmt: skip


def bounded_from(raw: Mapping[str, Any]) -> BoundedDef:
    """A bounded table from plain data, every value a text; raises RulkaError in words for what it can't be."""
    name = str(raw.get("table", ""))
    subject = f"table {name}" if name else "table"

    def refuse(message: str, hint: str) -> RulkaError:
        return RulkaError(message, hint=hint, subject=subject)

    for side in ("rows", "columns", "page", "beside"):
        parts = raw.get(side) or []
        if not isinstance(parts, (list, tuple)) or not all(isinstance(one, Mapping) for one in parts):
            raise refuse(f"'{side}' can't be read.", "Write a list of parts, each with names and values.")
    if not name:
        raise refuse("A bounded table has no name.", "Begin it with 'table: name'.")
    for key in raw:
        if key not in FIELDS:
            raise refuse(f"'{key}' is nothing a bounded table says.", f"It says {', '.join(FIELDS)}.")
    rows, columns = (tuple(_axis(one, subject) for one in raw.get(side) or ()) for side in ("rows", "columns"))
    page = tuple(_page(one, subject) for one in raw.get("page") or ())
    for what, known in (("measure", MEASURES), ("sign", SIGNS), ("currency", CURRENCIES)):
        if raw.get(what) and raw[what] not in known:
            raise refuse(f"'{raw[what]}' is no {what}.", one_of(str(raw[what]), known))
    if not rows or not columns:
        raise refuse("It has no rows or no columns.", "Lay something on each: accounts, entities, scenarios, time.")
    beside = tuple((str(one.get("title", "")), str(one.get("formula", ""))) for one in raw.get("beside") or ())
    measure, narrow, accounts = (str(raw.get(what) or "") for what in ("measure", "narrow", "accounts"))
    table = BoundedDef(
        name, str(raw.get("title") or name), rows, columns, page, accounts, measure or MEASURES[0],
        str(raw.get("sign") or ""), str(raw.get("entries") or ""), str(raw.get("currency") or ""), narrow,
        raw.get("empty rows") == "dropped", beside,
    )  # fmt: skip
    _check_laid(table, subject)
    return table


def _check_laid(table: BoundedDef, subject: str) -> None:
    """Raise RulkaError where what a table lays on its sides, its page and its narrowing doesn't go together."""

    def refuse(message: str, hint: str) -> RulkaError:
        return RulkaError(message, hint=hint, subject=subject)

    if max(len(table.rows), len(table.columns)) > MOST_AXES:
        raise refuse(f"More than {MOST_AXES} lie on one side.", "Lay some on the page.")
    laid = [axis.of for axis in (*table.rows, *table.columns)] + [one.of for one in table.page]
    twice = next((of for of in laid if laid.count(of) > 1), "")
    if twice:
        raise refuse(f"'{twice}' lies in it twice.", "Lay it on rows, on columns or on the page.")
    for axis in (*table.rows, *table.columns):
        if axis.total and (axis.of == "scenario" or (axis.of == "time" and table.measure in ("opening", "closing"))):
            raise refuse(f"A total over {axis.of} means nothing.", "Leave it out.")
    doubly = read_narrowing(table.narrow).names & set(laid)
    if doubly:
        raise refuse(f"It is narrowed by '{min(doubly)}', which lies in it too.", "Say it in one place.")
    if "account" not in laid and not table.accounts:
        raise refuse("It names no accounts.", "Lay accounts on a side, or say them by 'accounts'.")
    if "account" in laid and table.accounts:
        raise refuse("It says accounts, which lie in it too.", "Say them in one place.")


def _axis(raw: Mapping[str, Any], subject: str) -> Axis:
    axis = Axis(
        str(raw.get("of", "")),
        str(raw.get("take") or ""),
        str(raw.get("level") or LEVELS[0]),
        str(raw.get("show") or SHOWS[0]),
        str(raw.get("total") or ""),
    )
    for word, known in ((axis.level, LEVELS), (axis.show, SHOWS)):
        if word not in known:
            raise NotFound(f"'{word}' is none.", hint=one_of(word, known), subject=subject)
    if not axis.of:
        raise RulkaError("A side says nothing.", hint="Write of: account.", subject=subject)
    if axis.of in ("time", "scenario") and not axis.take:
        raise RulkaError(f"It doesn't say which {axis.of}.", hint="Name some, commas between.", subject=subject)
    return axis


def _page(raw: Mapping[str, Any], subject: str) -> PageChoice:
    permitted = raw.get("permitted") or ()
    if isinstance(permitted, str):
        permitted = [part.strip() for part in permitted.split(";") if part.strip()]
    if not raw.get("of"):
        raise RulkaError("The page says nothing of what.", hint="Write of: entity.", subject=subject)
    return PageChoice(str(raw["of"]), str(raw.get("default") or ""), tuple(str(one) for one in permitted))


# questions ------------------------------------------------------------------------------------------------------------

Choices = tuple[tuple[str, str], ...]


class Bounded(NamedTuple):
    """A question for a bounded table: one figure by the keys of its row and column, or all of it without them."""

    name: str
    row: str = ""
    column: str = ""
    choices: Choices = ()


class BoundedHead(NamedTuple):
    """A question for the words above a bounded table; `revision` is the one it was laid out at, 0 for always the
    newest."""

    name: str
    revision: int = 0
    choices: Choices = ()


@dataclass(frozen=True)
class BoundedMember:
    """What one place on an axis asks for: fields of a question, or the parts of a total."""

    code: str
    name: str
    depth: int = 0
    fields: tuple[tuple[str, str], ...] = ()
    narrow: str = ""
    parts: tuple[BoundedMember, ...] = ()

    def each(self) -> tuple[BoundedMember, ...]:
        return self.parts or (self,)


@dataclass(frozen=True)
class BoundedLine:
    """A row or column: one member of each axis."""

    members: tuple[BoundedMember, ...]

    @cached_property
    def key(self) -> str:
        return JOIN.join(member.code for member in self.members)

    @property
    def depth(self) -> int:
        return sum(member.depth for member in self.members)

    @property
    def is_total(self) -> bool:
        return any(member.parts for member in self.members)


def caption(member: BoundedMember, show: str) -> str:
    """A member as a heading shows it."""
    if show == "code" or not member.name or member.name == member.code:
        return member.code if not member.parts else member.name
    return member.name if show == "name" or member.parts else f"{member.code} {member.name}"


class BoundedPiece:
    """One bounded table for one reader, with what was chosen: its lines, and its figures as they are asked for."""

    def __init__(self, table: BoundedDef, choices: Choices, amounts: Amounts) -> None:
        self.table, self.amounts, self.around = table, amounts, amounts.around
        self.view = self.around.view
        known = [*PLAIN, *self.view.frame.dimensions]
        for of in [*(axis.of for axis in table.axes), *(page.of for page in table.page)]:
            if of not in known:
                raise NotFound(f"The ledger has no '{of}'.", hint=one_of(of, known), subject="table")
        self.chosen = self._chosen(choices)
        self.rows = [BoundedLine(members) for members in product(*(self._members(axis) for axis in table.rows))]
        self.columns = [BoundedLine(members) for members in product(*(self._members(axis) for axis in table.columns))]
        if len(self.rows) * len(self.columns) > MOST_CELLS:
            raise RulkaError(
                f"The table has {len(self.rows):,} rows and {len(self.columns):,} columns.",
                hint="Take fewer of them.",
                subject="table",
            )
        self.row_at = {line.key: line for line in self.rows}
        self.column_at = {line.key: line for line in self.columns}
        if len(self.row_at) < len(self.rows) or len(self.column_at) < len(self.columns):
            raise RulkaError("A row or column is in it twice.", hint="Take each only once.", subject="table")

    # what is permitted ------------------------------------------------------------------------------------------------

    def _chosen(self, choices: Choices) -> dict[str, str]:
        """What holds on the page: what was chosen, within what is permitted; raises for anything else."""
        pages = {page.of: page for page in self.table.page}
        found = {page.of: page.default for page in self.table.page}
        for of, value in choices:
            if of not in pages:
                raise NotFound(f"'{of[:40]}' can't be chosen here.", hint=one_of(of, pages), subject="choices")
            if value and value != pages[of].default:
                permitted = self.permitted(pages[of])
                if value not in permitted:
                    raise NotFound(f"'{value[:40]}' is not permitted.", hint=one_of(value, permitted), subject=of)
            found[of] = value or pages[of].default
        return found

    def permitted(self, page: PageChoice) -> list[str]:
        """What may be chosen on the page, the default first."""
        found = [page.default]
        for text in page.permitted:
            if page.of == "time":
                found += self._times(text)
            elif page.of == "scenario":
                found.append(text)
            else:
                codes = _codes(self.view, page.of)
                mask = meant_codes(codes, visible_codes(self.view, page.of), text)
                if not isinstance(mask, SheetError):  # outside of this reader's fence nothing is there to be chosen
                    found += [codes.items[place].code for place in np.flatnonzero(mask)]
        return list(dict.fromkeys(found))

    def _times(self, text: str) -> list[str]:
        """A time as it is written, or with `each of` before it each of its periods."""
        if not (each := re.fullmatch(r"each of\s+(.+)", text.strip(), re.IGNORECASE)):
            return [text.strip()]
        calendar = self.view.frame.calendar
        window = read_time(calendar, each[1], self.around.period).window
        return [period.code for period in calendar.periods[window.first : window.last + 1]]

    # members ----------------------------------------------------------------------------------------------------------

    def _members(self, axis: Axis) -> list[BoundedMember]:
        if axis.of == "time":
            texts = [text for part in axis.take.split(",") for text in self._times(part)]
            if axis.level != "as named":
                texts = [text for own in texts for text in self._pieces(own)]
            found = [BoundedMember(text, self._time_name(text), fields=(("period", text),)) for text in texts]
        elif axis.of == "scenario":
            codes = [part.strip() for part in axis.take.split(",") if part.strip()]
            found = [BoundedMember(code, code, fields=(("scenario", code),)) for code in codes]
        else:
            found = list(self._coded(axis))
        if axis.total:
            tops = tuple(member for member in found if member.depth == 0)
            found += [] if not tops else [BoundedMember(TOTAL, axis.total, parts=tops)]
        return found

    def _pieces(self, text: str) -> list[str]:
        """The periods of a time that spans several; others as they are."""
        window = read_time(self.view.frame.calendar, text, self.around.period).window
        if window.by_day or window.first == window.last or text.casefold().startswith(("ytd", "year to date", "last")):
            return [text]
        return [period.code for period in self.view.frame.calendar.periods[window.first : window.last + 1]]

    def _time_name(self, text: str) -> str:
        return read_time(self.view.frame.calendar, text, self.around.period).window.title

    def _coded(self, axis: Axis) -> Iterator[BoundedMember]:
        codes, visible = _codes(self.view, axis.of), visible_codes(self.view, axis.of)
        mask = visible.copy()
        if axis.take:
            meant = meant_codes(codes, visible, axis.take)
            if isinstance(meant, SheetError):
                raise NotFound(meant.note, subject=axis.of)
            mask = meant
        elif axis.of in self.view.frame.dimensions:
            mask[codes.index["-"]] = False
        parents = {item.parent for item in codes.items}
        if axis.level == "as named":
            wanted = [(int(place), 0, True) for place in np.flatnonzero(mask)]
        elif axis.level == "one below":
            named = {codes.items[place].code for place in np.flatnonzero(mask)} if axis.take else {""}
            wanted = [(at, 0, True) for at, item in enumerate(codes.items) if item.parent in named and visible[at]]
        elif axis.level == "everything below":
            wanted = list(_tree(codes, visible, mask, whole=not axis.take))
        else:
            posted = self._posted(axis.of)
            spread = np.zeros(len(codes), dtype=bool)
            for place in np.flatnonzero(mask):
                spread[codes.below[codes.items[place].code]] = True
            wanted = [(int(place), 0, False) for place in np.flatnonzero(spread & visible & posted)]
        for at, depth, with_below in wanted:
            item = codes.items[at]
            deep = with_below and item.code in parents
            yield self._member(axis.of, item.code, item.name, depth, deep)

    def _posted(self, of: str) -> BoolArray:
        """What is posted to, or might be: all without anything below it, and heads with postings of their own."""
        codes, keys = _codes(self.view, of), self.view.keys
        found = np.fromiter((len(codes.below[item.code]) == 1 for item in codes.items), bool, len(codes))
        used = (
            keys.account
            if of == "account"
            else keys.entity
            if of == "entity"
            else keys.members[:, list(self.view.frame.dimensions).index(of)]
        )
        found[used[used >= 0]] = True  # what a seal gathers stands on none of them
        return found

    def _member(self, of: str, code: str, name: str, depth: int, deep: bool) -> BoundedMember:
        selection = SelectionPart("under" if deep else "code", code).text()
        if of == "account":
            return BoundedMember(code, name, depth, fields=(("accounts", selection),))
        if of == "entity":
            own = {node.code for node in nodes_of(self.view)}
            alone = f"{code}.rest"
            return BoundedMember(code, name, depth, fields=(("node", alone if not deep and alone in own else code),))
        return BoundedMember(code, name, depth, narrow=f"{of}: {selection}")

    # figures ----------------------------------------------------------------------------------------------------------

    def questions(self, row: BoundedLine, column: BoundedLine) -> list[Amount]:
        """What the ledger is asked for one figure; several for a total."""
        found = []
        for members in product(*(member.each() for member in (*row.members, *column.members))):
            fields = {"accounts": self.table.accounts, "scenario": "", "node": "", "period": ""}
            narrow = [self.table.narrow] if self.table.narrow else []
            for of, value in self.chosen.items():
                if not value:
                    if of == "account":
                        fields["accounts"] = "*"
                elif of in self.view.frame.dimensions:
                    narrow.append(f"{of}: {value}")
                else:
                    name = {"account": "accounts", "entity": "node", "scenario": "scenario", "time": "period"}[of]
                    fields[name] = value
            for member in members:
                fields |= dict(member.fields)
                narrow += [member.narrow] if member.narrow else []
            found.append(
                Amount(
                    self.table.measure,
                    narrow="; ".join(narrow),
                    entries=self.table.entries,
                    currency=self.table.currency,
                    sign=self.table.sign,
                    **fields,
                )
            )
        return found

    def figure(self, row: BoundedLine, column: BoundedLine) -> Value:
        """One figure, a total as the sum of its parts; an error where a part is one, or currencies mix."""
        questions = self.questions(row, column)
        if len(questions) == 1:
            return self.amounts.answer(questions[0])
        if problem := self._overlap(row, column):
            return problem
        total, currencies = ZERO, set()
        for question in questions:
            answer = self.amounts.answer(question)
            if isinstance(answer, SheetError):
                return answer
            assert isinstance(answer, Decimal)  # an amount or an error
            total += answer
            read = self.amounts.read(question)
            if answer and not isinstance(read, SheetError) and self.table.measure != "count":
                currencies.add(read.node.currency if not read.translated else "")
        if len(currencies) > 1:
            return SheetError(VALUE.code, f"It would mix currencies: {', '.join(sorted(currencies))}.")
        return total

    def _overlap(self, row: BoundedLine, column: BoundedLine) -> SheetError | None:
        """A total is refused whose parts have something in common: it would count that twice."""
        for member, axis in zip((*row.members, *column.members), self.table.axes, strict=True):
            if not member.parts or axis.of in ("scenario",):
                continue
            name = (axis, member.code)
            if name not in self._overlaps:
                self._overlaps[name] = self._common(axis, member)
            if self._overlaps[name]:
                return SheetError(
                    VALUE.code,
                    f"A total would count {self._overlaps[name]} twice: it stands in several {axis.of} rows.",
                )
        return None

    @cached_property
    def _overlaps(self) -> dict[Any, str]:
        return {}

    def _common(self, axis: Axis, member: BoundedMember) -> str:
        """What several parts of a total hold; empty where nothing is."""
        if axis.of == "time":
            seen: set[int] = set()
            calendar = self.view.frame.calendar
            for part in member.parts:
                window = read_time(calendar, part.code, self.around.period).window
                own = set(range(window.first, window.last + 1))
                if seen & own:
                    return calendar.periods[min(seen & own)].code
                seen |= own
            return ""
        codes = _codes(self.view, axis.of)
        found = np.zeros(len(codes), dtype=np.int64)
        for part in member.parts:
            deep = axis.level != "posted"
            found[codes.below[part.code] if deep else [codes.index[part.code]]] += 1
        several = np.flatnonzero(found > 1)
        return codes.items[int(several[0])].code if len(several) else ""

    def is_empty(self, row: BoundedLine) -> bool:
        """Whether every figure of a row is exactly zero."""
        return all(self.figure(row, column) == 0 for column in self.columns)

    @cached_property
    def shown_rows(self) -> list[BoundedLine]:
        """The rows that show: all, or those with anything in them."""
        return [row for row in self.rows if not (self.table.drops_empty and self.is_empty(row))]

    # all of it -------------------------------------------------------------------------------------------------------

    @property
    def captions(self) -> list[tuple[int, str]]:
        """The columns before the figures: which axis of the rows, and whether its code or name."""
        return [
            (at, what)
            for at, axis in enumerate(self.table.rows)
            for what in (("code", "name") if axis.show == "both" else (axis.show,))
        ]

    def headings(self) -> list[str]:
        """What stands above each column."""
        figures = [self.heading(line) for line in self.columns]
        own = [(self.table.rows[at].of if what == "code" else what).capitalize() for at, what in self.captions]
        return [*own, *figures, *(title for title, _ in self.table.beside)]

    def heading(self, column: BoundedLine) -> str:
        """What stands above a column of figures."""
        shows = [axis.show for axis in self.table.columns]
        return " · ".join(_short(member, show) for member, show in zip(column.members, shows, strict=True))

    def captions_of(self, row: BoundedLine) -> list[str]:
        """What stands before the figures of a row."""
        found = []
        for at, what in self.captions:
            member = row.members[at]
            both = self.table.rows[at].show == "both"
            found.append(("" if both else member.name) if member.parts and what == "code" else getattr(member, what))
        return found

    def array(self) -> Value:
        """The whole table with its headings, as a formula spills it."""
        rows: list[list[Scalar]] = []
        for row in self.shown_rows:
            figures: list[Scalar] = [_single(self.figure(row, column)) for column in self.columns]
            rows.append([*self.captions_of(row), *figures])
        if not rows:
            return SheetError(NA.code, "Nothing in it is other than zero.")
        if self.table.beside:
            self._calculate(rows)
        looks = ("",) * len(self.captions) + (AMOUNT_LOOK,) * (len(rows[0]) - len(self.captions))
        heads: list[Scalar] = list(self.headings())
        return Array([heads, *rows], looks)

    def _calculate(self, rows: list[list[Scalar]]) -> None:
        """Put the formulas beside the table after its figures."""
        first = len(rows[0])
        sheet = SheetCells(1, "table")
        for at, values in enumerate(rows):
            sheet.cells.update({(at, on): typed(value) for on, value in enumerate(values) if value is not None})
            for on, (_, formula) in enumerate(self.table.beside):
                sheet.cells[at, first + on] = self.beside(formula, at, 0)
        calculation = Calculation([sheet], context=self.around)
        for at, values in enumerate(rows):
            values += [calculation.shown_at((1, at, first + on)) for on in range(len(self.table.beside))]

    def beside(self, formula: str, row: int, left: int, places: Mapping[str, int] | None = None) -> str:
        """A formula beside the table for one row: `{key}` names a column of it."""
        from_key = places or {line.key: left + len(self.captions) + at for at, line in enumerate(self.columns)}

        def reference(found: re.Match[str]) -> str:
            name = found[1].strip()
            place = from_key.get(name)
            return f"{letters(place)}{row + 1}" if place is not None else "#REF!"

        text = re.sub(r"\{([^{}]*)\}", reference, formula)
        return text if text.startswith("=") else "=" + text

    def head(self) -> str:
        """Node, period, scenario, what is read, and currency."""
        laid = {axis.of for axis in self.table.axes}
        said: list[str] = []
        node = node_of(self.view, self.chosen.get("entity") or self.around.node, self.table.currency == "group")
        said.append("by entity" if "entity" in laid else node.name)
        for of, value in self.chosen.items():
            if of in self.view.frame.dimensions:
                codes = _codes(self.view, of)
                said.append(f"{of} {value} {codes[value].name}" if value in codes.index else value or f"every {of}")
            elif of == "account" and value:
                said.append(f"accounts {value}")
        period = self.chosen.get("time", "")
        said.append("by time" if "time" in laid else self._time_name(period))
        said.append("by scenario" if "scenario" in laid else self.chosen.get("scenario") or "actual")
        said.append(self.table.measure)
        group = self.view.frame.group_currency
        said.append(group if self.table.currency == "group" else node.currency or ", ".join(node.currencies))
        return " · ".join(part for part in said if part)


def aged(text: str, revision: int, view: View) -> str:
    """The words above a block, and whether it was laid out before the revision that it shows."""
    if revision and revision < view.revision:
        return f"{text} · laid out at revision {revision}, the ledger is at {view.revision}: refresh"
    return f"{text} · as of revision {view.revision}"


def _short(member: BoundedMember, show: str) -> str:
    return member.name if member.parts or show == "name" or (show == "both" and member.name) else member.code


def _single(value: Value) -> Scalar:
    return value.rows[0][0] if isinstance(value, Array) else value


def _codes(view: View, of: str) -> CodeList:
    return view.frame.accounts if of == "account" else codes_of(of, view.frame)


def _tree(codes: CodeList, visible: BoolArray, mask: BoolArray, *, whole: bool) -> Iterator[tuple[int, int, bool]]:
    """(place, depth, with what is below) of what is meant and all below it, heads before what they hold."""
    spread = visible.copy() if whole else np.zeros(len(codes), dtype=bool)
    if not whole:
        for place in np.flatnonzero(mask):
            spread[codes.below[codes.items[place].code]] = True
    spread &= visible
    children: dict[str, list[int]] = {}
    for at, item in enumerate(codes.items):
        children.setdefault(item.parent, []).append(at)
    tops = [
        at
        for at, item in enumerate(codes.items)
        if spread[at] and not (item.parent in codes.index and spread[codes.index[item.parent]])
    ]
    todo = [(at, 0) for at in reversed(tops)]
    while todo:
        at, depth = todo.pop()
        yield at, depth, True
        below = [own for own in children.get(codes.items[at].code, ()) if spread[own]]
        todo += [(own, depth + 1) for own in reversed(below)]


class BoundedPieces:
    """Answers questions for bounded tables for one reader; each table is laid out once by what was chosen."""

    def __init__(self, around: Surroundings, amounts: Amounts) -> None:
        self.around, self.amounts = around, amounts
        self._kept: dict[tuple[str, Choices], BoundedPiece | SheetError] = {}

    def piece(self, name: str, choices: Choices) -> BoundedPiece | SheetError:
        """The table with what was chosen; an error that says what it doesn't permit."""
        if (name, choices) not in self._kept:
            place = "name"
            try:
                if self.around.bounded is None:
                    raise NotFound(f"There is no bounded table '{name[:40]}'.")
                table = self.around.bounded(name)
                place = "choices"
                self._kept[name, choices] = BoundedPiece(table, choices, self.amounts)
            except RulkaError as error:
                self._kept[name, choices] = argument(place, error)
        return self._kept[name, choices]

    def answer(self, question: Bounded) -> Value:
        """A figure, a caption, or the whole table."""
        piece = self.piece(question.name, question.choices)
        if isinstance(piece, SheetError):
            return piece
        if not question.row and not question.column:
            return piece.array()
        row, column = piece.row_at.get(question.row), piece.column_at.get(question.column)
        if not question.row and column is not None:
            return piece.heading(column)
        if row is None:
            return SheetError(NA.code, f"'{question.row[:60]}' is no row of {piece.table.title}.")
        if column is not None:
            return piece.figure(row, column)
        named = re.fullmatch(r"(code|name)(?: ([1-3]))?", question.column)
        if named is not None and int(named[2] or 1) <= len(row.members):
            member = row.members[int(named[2] or 1) - 1]
            return member.code if named[1] == "code" else member.name
        return SheetError(
            NA.code,
            f"'{question.column[:60]}' is no column of {piece.table.title}. {one_of(question.column, piece.column_at)}",
        )

    def head(self, question: BoundedHead) -> Value:
        """The words above a table or a statement."""
        piece = self.piece(question.name, question.choices)
        try:
            if isinstance(piece, SheetError):
                if self.around.statement_head is None or question.choices:
                    return piece
                return aged(self.around.statement_head(question.name), question.revision, self.around.view)
            return aged(piece.head(), question.revision, piece.view)
        except RulkaError as error:
            return argument("table", error)

    def covered(self, question: Bounded) -> list[Amount]:
        """What a question asks of the ledger but for totals, which count nothing that isn't counted already."""
        piece = self.piece(question.name, question.choices)
        if isinstance(piece, SheetError) or (not question.row and not question.column):
            return self.questions(question)
        row, column = piece.row_at.get(question.row), piece.column_at.get(question.column)
        is_total = row is None or column is None or row.is_total or column.is_total
        return [] if is_total else self.questions(question)

    def questions(self, question: Bounded, place: tuple[int, int] | None = None) -> list[Amount]:
        """What the ledger is asked for a figure of a table; `place` is its row and column where the whole was asked
        for, from its headings on. None of them asks for all."""
        piece = self.piece(question.name, question.choices)
        if isinstance(piece, SheetError):
            return []
        if question.row or question.column:
            row, column = piece.row_at.get(question.row), piece.column_at.get(question.column)
            return piece.questions(row, column) if row and column else []
        if place is None:
            lines = [(row, column) for row in piece.shown_rows for column in piece.columns if not row.is_total]
            return [asked for row, column in lines if not column.is_total for asked in piece.questions(row, column)]
        at, on = place[0] - 1, place[1] - len(piece.captions)
        if not (0 <= at < len(piece.shown_rows) and 0 <= on < len(piece.columns)):
            return []
        return piece.questions(piece.shown_rows[at], piece.columns[on])


def check_bounded(table: BoundedDef, view: View, around: Surroundings) -> BoundedPiece:
    """Lay a table out once, so that what it can't be is told to its author; raises RulkaError."""
    if table.narrow:
        narrowed_keys(view, read_narrowing(table.narrow))
    piece = BoundedPiece(table, (), Amounts(around))
    for page in table.page:
        piece.permitted(page)
    for _, formula in table.beside:
        names = re.findall(r"\{([^{}]*)\}", formula)
        for name in names:
            if name.strip() not in piece.column_at:
                raise NotFound(
                    f"'{name}' is no column of the table.", hint=one_of(name, piece.column_at), subject="beside"
                )
    return piece


def choices_in(pairs: Sequence[str]) -> Choices:
    """Choices as a formula gives them: names and values by turns."""
    return tuple((of.strip(), value.strip()) for of, value in zip(pairs[::2], pairs[1::2], strict=True) if of.strip())
