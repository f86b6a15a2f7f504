"""Questions for amounts, all of a pass in one batch: each reads a measure of some accounts over a time for a node.

Questions that read the same (scenario, time, measure, node, narrowing) share one vector of sums by account; each then
takes its accounts of it. Fence and seals are the view's; what would tell apart more than a seal allows is an error.
"""

from __future__ import annotations

from collections.abc import Hashable, Iterable, Sequence
from dataclasses import dataclass
from decimal import Decimal
from functools import cached_property
from typing import NamedTuple

import numpy as np

from rulka.core.books.balances import Balances, MovementSource
from rulka.core.books.book import View
from rulka.core.books.calendar import Window
from rulka.core.books.chart import BoolArray, CodeList, IntArray
from rulka.core.books.frame import ACTIVITY, OPENING, STATUS_CHOICES
from rulka.core.books.journal import NO_JOURNAL
from rulka.core.books.narrowing import Clause, Narrowing, codes_of, matches_text, read_narrowing
from rulka.core.books.selection import evaluate, parse_selection
from rulka.core.compute.amounts import read_vector
from rulka.core.compute.columns import ColumnReading
from rulka.core.compute.leaves import default_sign
from rulka.core.compute.nodes import Node, find_node, nodes_of, own_calendar_of
from rulka.core.compute.readings import GROSS, finer_than_seal
from rulka.core.definitions.spines import CONVENTIONS
from rulka.core.errors import NotFound, RulkaError, one_of
from rulka.core.money import QUANTITY_DIGITS
from rulka.core.sheet.periods import SheetTime, is_own
from rulka.core.sheet.surroundings import Surroundings
from rulka.core.sheet.values import DIVIDED, NA, VALUE, SheetError, Value

MEASURES = ("activity", "opening", "closing", "debits", "credits", "count")
SIGNS = ("as booked", *CONVENTIONS)
CURRENCIES = ("own", "group")
SEALED = SheetError(
    NA.code, "Sealed: it would tell apart what shows together only. Ask for whole periods, posted, by entity."
)


NO_LINES = SheetError(NA.code, "It needs journal lines, which are read at the newest revision only.")


class Amount(NamedTuple):
    """One question, as the formula's arguments say it; empty where it leaves one out."""

    measure: str
    accounts: str
    period: str = ""
    scenario: str = ""
    node: str = ""
    narrow: str = ""
    entries: str = ""
    currency: str = ""
    sign: str = ""
    ledger: str = ""


@dataclass(frozen=True, eq=False)
class Read:
    """What questions that read alike share: sums by account `(accounts,)`, debit positive, to be divided; the node they
    are of; `sealed` the accounts that may not be told apart like this."""

    view: View
    node: Node
    time: SheetTime
    reading: ColumnReading
    narrow: Narrowing
    by_account: IntArray
    divisor: int
    sealed: BoolArray
    translated: bool

    @cached_property
    def has_sealed(self) -> bool:
        return bool(self.sealed.any())

    @cached_property
    def is_mixed(self) -> bool:
        """Whether amounts of money are in several currencies."""
        return self.node.is_mixed and not self.translated

    @cached_property
    def digits(self) -> int:
        return self.node.digits


@dataclass(frozen=True, eq=False)
class AskedAmount:
    """The accounts that a question means: their places, of money only where there are any; `one` where it is just one,
    else -1; `mask` all of them."""

    places: IntArray
    mask: BoolArray
    is_quantity: bool
    one: int


def meant_by(mask: BoolArray, view: View) -> AskedAmount:
    """What a mask of accounts means: statistical ones only where there are no others."""
    statistical = view.frame.accounts.of_type("statistical")
    is_quantity = not (mask & ~statistical).any()
    places = np.flatnonzero(mask if is_quantity else mask & ~statistical)
    return AskedAmount(places, mask, is_quantity, int(places[0]) if len(places) == 1 else -1)


def argument(name: str, error: RulkaError) -> SheetError:
    """An error value that says which argument is wrong and what is expected."""
    if error.code == NO_JOURNAL:
        return NO_LINES
    words = f"{error.message} {error.hint}".strip()
    code = NA.code if isinstance(error, NotFound) else VALUE.code
    return SheetError(code, f"Argument {name}: {words}" if name else words)


class Amounts:
    """Answers questions for amounts for one reader."""

    def __init__(self, around: Surroundings) -> None:
        self.around = around
        self._reads: dict[tuple[str, ...], Read | SheetError] = {}
        self._accounts: dict[tuple[str, str], AskedAmount | SheetError] = {}
        self._tables: dict[Hashable, Balances] = {}
        self._signs: dict[tuple[str, str, str], int] = {}

    def answers(self, questions: Sequence[Amount]) -> dict[Amount, Value]:
        """An amount or an error for each."""
        return {question: self.answer(question) for question in questions}

    def answer(self, question: Amount) -> Value:
        """One amount in major units, exact; an error value where it has none."""
        read = self.read(question)
        if isinstance(read, SheetError):
            return read
        meant = self.accounts(question, read.view)
        if isinstance(meant, SheetError):
            return meant
        return self._amount(question, read, meant)

    def _amount(self, question: Amount, read: Read, meant: AskedAmount) -> Value:
        if read.has_sealed and read.sealed[meant.places].any():
            return SEALED
        total = sum(read.by_account[meant.places].tolist()) if meant.one < 0 else int(read.by_account[meant.one])
        if question.measure == "count":
            return Decimal(total)
        if not meant.is_quantity and read.is_mixed:
            return SheetError(
                VALUE.code,
                f"{read.node.name} mixes currencies: {', '.join(read.node.currencies)}. Choose an entity, or ask for "
                "the group's currency.",
            )
        digits = QUANTITY_DIGITS if meant.is_quantity else read.digits
        if question.sign:
            if question.sign not in SIGNS:
                return SheetError(
                    VALUE.code, f"Argument sign: '{question.sign[:40]}' is none. {one_of(question.sign, SIGNS)}"
                )
            total *= self.sign(question, read, meant.mask)
        amount = Decimal(total).scaleb(-digits)
        return amount if read.divisor == 1 else DIVIDED.divide(amount, Decimal(read.divisor))

    def sign(self, question: Amount, read: Read, accounts: BoolArray) -> int:
        """What turns the booked amount into the one asked for."""
        if question.sign in ("", SIGNS[0]) or question.measure in (*GROSS, "count"):
            return 1
        name = (read.view.frame.name, question.accounts, question.sign)
        if name not in self._signs:
            items = read.view.frame.accounts.items
            types = {items[place].type for place in np.flatnonzero(accounts)}
            self._signs[name] = default_sign(types - {"statistical"} or types, question.sign)
        return self._signs[name]

    # accounts ---------------------------------------------------------------------------------------------------------

    def accounts(self, question: Amount, view: View) -> AskedAmount | SheetError:
        """The visible accounts that are meant: by one code, else by a selection."""
        name = (question.ledger, question.accounts)
        found = self._accounts.get(name)
        if found is None:
            mask = visible_accounts(view, question.accounts)
            found = self._accounts[name] = mask if isinstance(mask, SheetError) else meant_by(mask, view)
        return found

    # what is read -----------------------------------------------------------------------------------------------------

    def read(self, question: Amount) -> Read | SheetError:
        """What a question reads, all accounts together; kept, since others read the same."""
        alike = (question[0], *question[2:])
        found = self._reads.get(alike)
        if found is None:
            found = self._reads[alike] = self._read(question)
        return found

    def _read(self, question: Amount) -> Read | SheetError:
        place = "ledger"
        try:
            view = self.around.view_of(question.ledger)
            place = "scenario"
            scenario = _known(question.scenario or "actual", view.frame.scenarios, "scenario")
            place = "entries"
            entries = _known(question.entries or "posted", STATUS_CHOICES, "entries")
            place = "currency"
            translated = _known(question.currency or "own", CURRENCIES, "currency") == "group"
            place = "node"
            node = node_of(view, question.node or (self.around.node if view is self.around.view else ""), translated)
            place = "period"
            calendar = own_calendar_of(node, view.frame, translated=translated) if is_own(question.period) else ""
            time = self.around.time(view, question.period, calendar)
            place = "narrow"
            narrow = read_narrowing(question.narrow)
            keys = narrowed_keys(view, narrow)
            source = MovementSource(scenario, entries, lines=narrow.by_line, translated=translated, calendar=calendar)
            place = ""
            return self._sum(question, view, node, time, source, narrow, keys)
        except RulkaError as error:
            return argument(place, error)

    def _sum(
        self,
        question: Amount,
        view: View,
        node: Node,
        time: SheetTime,
        source: MovementSource,
        narrow: Narrowing,
        keys: BoolArray,
    ) -> Read:
        measure, translated = "activity" if question.measure == "count" else question.measure, source.translated
        reading = ColumnReading(source, time.window, measure)
        chosen = keys & node.keys
        sealed = np.zeros(len(view.frame.accounts), dtype=bool)
        if finer_than_seal(view, node.by | narrow.names, source, time.window) or question.measure == "count":
            sealed = view.coarse
        if question.measure == "count":
            counts = _counts(view, source, time.window, chosen)
            return Read(view, node, time, reading, narrow, counts, 1, sealed, translated)
        if not time.window.by_day:
            table = self._table(view, source, chosen, (question.ledger, node.code, narrow, source))
            return Read(view, node, time, reading, narrow, table.measure(measure, time.window), 1, sealed, translated)
        vector = read_vector(view, reading, "")
        assert vector is not None  # only a window outside of the calendar gives none
        amounts = view.by_account(vector.amounts, chosen)
        return Read(view, node, time, reading, narrow, amounts, vector.divisor, sealed, translated)

    def _table(self, view: View, source: MovementSource, chosen: BoolArray, name: Hashable) -> Balances:
        """Balances by account `(accounts, periods)` of some posting keys; kept, since questions for other times and
        measures read them too."""
        if name not in self._tables:
            self._tables[name] = by_account(view, view.balances_of(source), chosen)
        return self._tables[name]


def by_account(view: View, balances: Balances, chosen: BoolArray) -> Balances:
    """Balances by posting key added up by account, over the keys chosen."""
    size = len(view.frame.accounts)
    places = np.flatnonzero(chosen)
    places = places[np.argsort(view.keys.account[places], kind="stable")]
    accounts, starts = np.unique(view.keys.account[places], return_index=True)

    def summed(table: IntArray) -> IntArray:
        found = np.zeros((size, table.shape[1]), dtype=np.int64)
        if len(starts):
            found[accounts] = np.add.reduceat(table[places], starts, axis=0)
        return found

    none = np.zeros((size, 0), dtype=np.int64)
    return Balances(
        summed(balances.opening),
        summed(balances.closing),
        summed(balances.debits),
        summed(balances.credits),
        summed(balances.counts),
        none,
        none,
        none,
        balances.missing,
    )


def _known(word: str, known: Iterable[str], what: str) -> str:
    codes = list(known)
    found = next((code for code in codes if code == word), None) or next(
        (code for code in codes if code.casefold() == word.casefold()), None
    )
    if found is None:
        raise NotFound(f"'{word[:40]}' is no {what}.", hint=one_of(word, codes), subject=what)
    return str(found)


def node_of(view: View, code: str, translated: bool) -> Node:
    """A node by its code, mixed ones too: what may be read of them is asked account by account."""
    if translated or not code:
        return find_node(view, code, translated=translated)
    found = next((node for node in nodes_of(view) if node.code == code), None)
    return find_node(view, code) if found is None else found  # the former says which there are


def meant_codes(codes: CodeList, visible: BoolArray, text: str) -> BoolArray | SheetError:
    """Mask of the visible codes that a text means: one code, else a selection; an error where it means none."""
    if text in codes.index:
        mask = np.zeros(len(codes), dtype=bool)
        mask[codes.index[text]] = True
    else:
        try:
            mask = evaluate(parse_selection(text), codes, told=False).mask
        except RulkaError as error:
            return argument("", error)
    mask = mask & visible
    if not mask.any():
        near = one_of(text, [item.code for item, seen in zip(codes.items, visible, strict=True) if seen])
        hint = f" {near}" if near.startswith("Did you mean") else ""
        return SheetError(NA.code, f"'{text[:60]}' means no {codes.kind} here.{hint}")
    return mask


def visible_accounts(view: View, text: str) -> BoolArray | SheetError:
    """Mask of the visible accounts that a text means."""
    found = meant_codes(view.frame.accounts, view.visible_accounts(), text)
    if isinstance(found, SheetError):
        return SheetError(found.code, f"Argument accounts: {found.note}")
    return found


def visible_codes(view: View, name: str) -> BoolArray:
    """Mask of the codes of entities, partners, accounts or a dimension's members inside of the fence."""
    if name == "account":
        return view.visible_accounts()
    if name == "entity":
        return view.visible_entities()
    codes = codes_of(name, view.frame)
    return np.ones(len(codes), dtype=bool) if name == "partner" else view.fence.codes_inside(name, codes)


def narrowed_keys(view: View, narrow: Narrowing) -> BoolArray:
    """Mask of the posting keys that a narrowing lets through; raises NotFound where a clause means nothing here."""
    for clause in narrow.by_key:
        _check_clause(view, clause)
    return view.mask(narrow).keys


def _check_clause(view: View, clause: Clause) -> None:
    codes = codes_of(clause.name, view.frame)
    matched = evaluate(clause.selection, codes, told=False).mask & visible_codes(view, clause.name)
    if not matched.any() and not clause.negated:
        raise NotFound(f"'{clause.selection.text()}' means no {clause.name} here.", hint="", subject="narrow")


def _counts(view: View, source: MovementSource, window: Window, chosen: BoolArray) -> IntArray:
    """How many lines stand behind the activity of each account."""
    if source.calendar:
        raise RulkaError("Lines aren't counted by another calendar.", hint="Leave out own.")
    if not window.by_day:
        balances = view.balances_of(source)
        counts = balances.counts[:, window.last + 1] - balances.counts[:, window.first]
        return view.by_account(counts, chosen)
    if source.scenario != "actual":
        raise RulkaError(f"'{source.scenario}' is held by period, not by day.", hint="Ask for whole periods.")
    fields = tuple(sorted({"day", *(clause.name for clause in source.lines)}))
    grouped = view.grouped(fields, window.first, window.last)
    moved = grouped.movements
    days = np.array([str(window.start) <= day <= str(window.end) for day in grouped.labels["day"]], dtype=bool)
    kept = days[grouped.codes["day"]] & np.isin(moved.status, STATUS_CHOICES[source.status])
    kept &= np.isin(moved.effect, (ACTIVITY, OPENING))
    for clause in source.lines:
        kept &= _passes(clause, grouped.labels[clause.name])[grouped.codes[clause.name]]
    found = np.zeros(len(view.frame.accounts), dtype=np.int64)
    kept &= chosen[moved.key]
    np.add.at(found, view.keys.account[moved.key[kept]], moved.count[kept])
    return found


def _passes(clause: Clause, labels: Sequence[str]) -> BoolArray:
    return matches_text((clause,), clause.name, labels)
