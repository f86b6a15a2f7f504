"""Whether a sheet covers the accounts: what its formulas miss of a selection, what they ask for twice, with amounts.

Formulas that read alike (same measure, time, scenario, node, narrowing, entries, currency, ledger) are held against the
accounts together; other columns ask for the same accounts rightly.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from decimal import Decimal

import numpy as np

from rulka.core.books.book import View
from rulka.core.books.chart import BoolArray
from rulka.core.errors import RulkaError
from rulka.core.sheet.addresses import Key
from rulka.core.sheet.amounts import Amount, Amounts, visible_accounts
from rulka.core.sheet.calculating import Calculation
from rulka.core.sheet.ledger_functions import LedgerSource
from rulka.core.sheet.tracing import question_text
from rulka.core.sheet.values import SheetError, Value

RESULT, BALANCE = ("revenue", "expense"), ("asset", "liability", "equity")
NAMED = {"result": RESULT, "balance": BALANCE}
"""Selections by a word: accounts of these types."""


@dataclass(frozen=True)
class Odd:
    """An account that is missing, or asked for by several cells: its amount by the group's question."""

    code: str
    name: str
    amount: Value
    cells: tuple[Key, ...] = ()

    @property
    def is_nothing(self) -> bool:
        return isinstance(self.amount, Decimal) and self.amount == 0


@dataclass(frozen=True)
class FormulaGroup:
    """Formulas of a sheet that read alike: their question without accounts, and who asks for which account."""

    question: Amount
    askers: dict[int, list[Key]]
    first: Key
    asked: Amount
    """The first question as its formula asks it."""
    codes: tuple[str, ...] = ()
    """The codes of all accounts, by their places."""

    @property
    def title(self) -> str:
        """The question in words, its accounts left out."""
        return question_text(self.question).replace(" of ,", ",", 1)


@dataclass(frozen=True)
class Coverage:
    """What the formulas of a group cover of a selection. `words` say what was selected."""

    group: FormulaGroup
    words: str
    wanted: int
    missing: tuple[Odd, ...]
    twice: tuple[Odd, ...]
    problem: str = ""

    @property
    def covered(self) -> int:
        return self.wanted - len(self.missing)

    @property
    def is_whole(self) -> bool:
        """Whether it was judged, and every account is covered just once."""
        return bool(self.wanted) and not self.missing and not self.twice and not self.problem


def groups_of(calculation: Calculation, sheet: int, source: LedgerSource) -> list[FormulaGroup]:
    """The groups of a sheet's formulas that ask for amounts, the one that covers most first."""
    found: dict[Amount, FormulaGroup] = {}
    amounts = source.amounts
    for key in sorted(key for key in calculation.questions if key[0] == sheet):
        for question in source.amount_questions(calculation.questions[key]):
            alike = _alike(question, amounts)
            group = found.get(alike)
            if group is None:
                seen = _view_of(amounts, question.ledger)
                codes = tuple(item.code for item in seen.frame.accounts.items) if seen else ()
                group = found[alike] = FormulaGroup(alike, {}, key, question, codes)
            view = _view_of(amounts, question.ledger)
            meant = None if view is None else amounts.accounts(question, view)
            if meant is None or isinstance(meant, SheetError):
                continue
            for place in (meant.one,) if meant.one >= 0 else meant.places.tolist():
                group.askers.setdefault(place, []).append(key)
    return sorted((group for group in found.values() if group.askers), key=lambda one: (-len(one.askers), one.first))


def _alike(question: Amount, amounts: Amounts) -> Amount:
    """A question without accounts and sign, defaults written out: formulas that say and that leave out the same are
    alike."""
    around = amounts.around
    own = not question.ledger or question.ledger == around.ledger
    return question._replace(
        accounts="",
        sign="",
        period=question.period or around.period.code,
        scenario=question.scenario or "actual",
        node=question.node or (around.node if own else ""),
        entries=question.entries or "posted",
        currency=question.currency or "own",
        ledger="" if own else question.ledger,
    )


def _view_of(amounts: Amounts, ledger: str) -> View | None:
    try:
        return amounts.around.view_of(ledger)
    except RulkaError:
        return None  # the formula itself shows what is wrong


def postable(view: View) -> BoolArray:
    """Visible accounts that are posted to: those without accounts below them, and heads with postings of their own."""
    accounts = view.frame.accounts
    found = np.fromiter((len(accounts.below[item.code]) == 1 for item in accounts.items), bool, len(accounts))
    found[np.unique(view.keys.account)] = True
    return found & view.visible_accounts()


def coverage_of(group: FormulaGroup, selection: str, amounts: Amounts) -> Coverage:
    """Hold a group against a selection: a word of NAMED, a selection, or nothing for accounts of the kinds it asks
    for."""
    view = amounts.around.view_of(group.question.ledger)
    items = view.frame.accounts.items
    words, wanted, problem = _wanted(group, selection, view)
    asked = np.zeros(len(items), dtype=bool)
    asked[list(group.askers)] = True
    missing = tuple(_odd(group, int(place), amounts, view) for place in np.flatnonzero(wanted & ~asked))
    several = sorted(place for place, keys in group.askers.items() if len(keys) > 1)
    twice = tuple(_odd(group, place, amounts, view) for place in several)
    return Coverage(group, words, int(wanted.sum()), _by_size(missing), _by_size(twice), problem)


def _by_size(odd: Iterable[Odd]) -> tuple[Odd, ...]:
    """Those with the largest amounts first, those without any last, in the order of the chart."""
    return tuple(sorted(odd, key=lambda one: -abs(one.amount) if isinstance(one.amount, Decimal) else Decimal(-1)))


def _odd(group: FormulaGroup, place: int, amounts: Amounts, view: View) -> Odd:
    item = view.frame.accounts.items[place]
    answer = amounts.answer(group.question._replace(accounts=item.code))
    return Odd(item.code, item.name, answer, tuple(group.askers.get(place, ())))


def _wanted(group: FormulaGroup, selection: str, view: View) -> tuple[str, BoolArray, str]:
    accounts, able = view.frame.accounts, postable(view)
    word = selection.strip().casefold()
    if not word:
        types = {accounts.items[place].type for place in group.askers}
        money = types - {"statistical"}
        word = next((name for name, kinds in NAMED.items() if money and money <= set(kinds)), "")
        if not word:
            kinds = types & {*RESULT, *BALANCE}
            mask = able & ~accounts.of_type("statistical") if kinds else able & accounts.of_type("statistical")
            return "accounts" if kinds else "statistical accounts", mask, ""
    if word in NAMED:
        mask = np.zeros(len(accounts), dtype=bool)
        for kind in NAMED[word]:
            mask |= accounts.of_type(kind)
        return f"{word} accounts", able & mask, ""
    found = visible_accounts(view, selection.strip())
    if isinstance(found, SheetError):
        return selection, np.zeros(len(accounts), dtype=bool), found.note.removeprefix("Argument accounts: ")
    return f"accounts of {selection.strip()}", able & found, ""
