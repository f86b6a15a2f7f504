"""A narrowing: text such as `4*; department: 110, 120; entity: TF; crossing: not N*` to a mask over posting keys.

Clauses stand between semicolons and all of them hold together. A clause without a name means accounts. Names are
`account`, `entity`, `partner`, each dimension's key, and what only journal lines carry: `source`, `kind`
(of entry) and `counterparty`. `not` before a selection takes everything else.
"""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass, field, replace
from functools import cached_property, lru_cache

import numpy as np

from rulka.core.books.chart import BoolArray, CodeList, Item
from rulka.core.books.frame import Frame, Keys
from rulka.core.books.selection import KEYWORDS, NOTHING, Selection, SelectionError, evaluate, parse_selection
from rulka.core.errors import NotFound, one_of

LINE_FIELDS = ("source", "kind", "counterparty")
"""What only journal lines carry: narrowing by it reads lines, never balances."""

KEY_FIELDS = ("account", "entity", "partner")
CLAUSE_NAME = re.compile(r"\s*(?P<name>[^\s:,;\"]+)\s*:", re.UNICODE)
NEGATED = re.compile(r"\s*not\s+", re.IGNORECASE)


@dataclass(frozen=True)
class Clause:
    """One clause: `name` is account, entity, partner, a dimension or a field of journal lines."""

    name: str
    selection: Selection
    negated: bool = False

    def text(self) -> str:
        return ("not " if self.negated else "") + self.selection.text()


@dataclass(frozen=True)
class Narrowing:
    """Clauses that all hold; none means everything. `written` is the text they were read from."""

    clauses: tuple[Clause, ...] = ()
    written: str = ""

    def __bool__(self) -> bool:
        return bool(self.clauses)

    def __hash__(self) -> int:
        """Kept: masks and signs are asked for by it."""
        return self._hash

    @cached_property
    def _hash(self) -> int:
        return hash((self.clauses, self.written))

    def of(self, name: str) -> tuple[Clause, ...]:
        return tuple(clause for clause in self.clauses if clause.name == name)

    def only(self, name: str) -> Narrowing:
        """Its clauses of one name."""
        return _narrowing(self.of(name))

    def without(self, name: str) -> Narrowing:
        """Its clauses of all other names."""
        return _narrowing(tuple(clause for clause in self.clauses if clause.name != name))

    @property
    def is_nothing(self) -> bool:
        """Whether it means none on purpose."""
        return self.written == NOTHING

    @cached_property
    def by_key(self) -> tuple[Clause, ...]:
        return tuple(clause for clause in self.clauses if clause.name not in LINE_FIELDS)

    @cached_property
    def names(self) -> frozenset[str]:
        """What tells posting keys apart in it, besides accounts: entity, partner, dimensions."""
        return frozenset(clause.name for clause in self.by_key) - {"account"}

    @cached_property
    def by_line(self) -> tuple[Clause, ...]:
        """The clauses that only journal lines can answer."""
        return tuple(clause for clause in self.clauses if clause.name in LINE_FIELDS)

    @cached_property
    def only_accounts(self) -> bool:
        """Whether it selects accounts and nothing besides."""
        return all(clause.name == "account" for clause in self.clauses)

    def text(self) -> str:
        """The narrowing in its plainest writing."""
        return "; ".join(
            clause.text() if clause.name == "account" else f"{clause.name}: {clause.text()}" for clause in self.clauses
        )


EVERYTHING = Narrowing()


def _narrowing(clauses: tuple[Clause, ...]) -> Narrowing:
    found = Narrowing(clauses)
    return replace(found, written=found.text())


@lru_cache(maxsize=4096)
def parse_narrowing(text: str) -> Narrowing:
    """Read a narrowing; raises SelectionError that points at the character of the whole text."""
    clauses: list[Clause] = []
    for start, part in _parts(text):
        name, body_start = "account", start
        found = CLAUSE_NAME.match(part)
        if found and found["name"].lower() not in KEYWORDS:
            name, body_start = found["name"], start + found.end()
        body = text[body_start : start + len(part)]
        negation = NEGATED.match(body)
        if negation:
            body_start += negation.end()
            body = body[negation.end() :]
        try:
            clauses.append(Clause(name, parse_selection(body), negation is not None))
        except SelectionError as error:
            raise SelectionError(text, body_start + error.position, error.expected) from None
    return Narrowing(tuple(clauses), text)


def _parts(text: str) -> Iterable[tuple[int, str]]:
    """The text between semicolons that stand outside of quotes, with where each begins."""
    start, quoted = 0, False
    for place, character in enumerate(text):
        if character == '"':
            quoted = not quoted
        elif character == ";" and not quoted:
            yield start, text[start:place]
            start = place + 1
    yield start, text[start:]


@dataclass(frozen=True)
class KeyMask:
    """The posting keys that a narrowing takes of a book.

    It takes keys that the reader may not see, too. The view takes those away afterwards: `4*` gives all revenue
    accounts here, and in a view of department 110 what that department booked on them.
    """

    keys: BoolArray
    accounts: BoolArray
    names_accounts: bool
    by_line: tuple[Clause, ...] = ()
    warnings: tuple[str, ...] = field(default=(), compare=False)


def key_mask(narrowing: Narrowing, keys: Keys, frame: Frame) -> KeyMask:
    """The posting keys `(keys,)` and accounts `(accounts,)` that every clause lets through."""
    warnings: list[str] = []
    accounts = np.ones(len(frame.accounts), dtype=bool)
    chosen = np.ones(len(keys), dtype=bool)
    for clause in narrowing.by_key:
        matched = evaluate(clause.selection, codes_of(clause.name, frame))
        warnings.extend(matched.warnings)
        mask = ~matched.mask if clause.negated else matched.mask
        if clause.negated and not mask.any():
            warnings.append(f"'not {clause.selection.text()}' leaves no {codes_of(clause.name, frame).kind}")
        if clause.name == "account":
            accounts &= mask
            chosen &= mask[keys.account]
        elif clause.name == "entity":
            chosen &= mask[keys.entity]
        elif clause.name == "partner":
            chosen &= np.where(keys.partner >= 0, mask[np.maximum(keys.partner, 0)], clause.negated)
        else:
            chosen &= keys.with_member(list(frame.dimensions).index(clause.name), mask)
    catches_rest = any(
        clause.negated for clause in narrowing.by_key
    )  # what is in none of the others may well be nothing
    if (
        not warnings
        and not catches_rest
        and len(keys)
        and not chosen.any()
        and any(clause.name != "account" for clause in narrowing.by_key)
    ):
        warnings.append(f"'{narrowing.text()}' is nobody: nothing was ever booked there")
    return KeyMask(chosen, accounts, bool(narrowing.of("account")), narrowing.by_line, tuple(warnings))


def entities_of(narrowing: Narrowing, frame: Frame) -> BoolArray:
    """Mask of the entities that a narrowing's clauses on entities let through, whether anything is booked on them or
    not."""
    mask = np.ones(len(frame.entities), dtype=bool)
    for clause in narrowing.of("entity"):
        matched = evaluate(clause.selection, frame.entities).mask
        mask &= ~matched if clause.negated else matched
    return mask


def codes_of(name: str, frame: Frame) -> CodeList:
    """The codes that a clause of this name selects from; NotFound when the ledger has no such dimension."""
    if name == "account":
        return frame.accounts
    if name in ("entity", "partner"):
        return frame.entities
    if name not in frame.dimensions:
        known = [*KEY_FIELDS, *frame.dimensions, *LINE_FIELDS]
        raise NotFound(
            f"'{name}' is nothing that a selection can narrow.", hint=one_of(name, known), subject="selection"
        )
    return frame.dimensions[name]


def matches_text(clauses: Iterable[Clause], name: str, values: Iterable[str]) -> BoolArray:
    """Which of some plain texts (sources, kinds, counterparties) pass the clauses of that name."""
    codes = CodeList(
        name, tuple(Item(value, value, parent="\0") for value in values)
    )  # an empty text is nobody's parent
    mask = np.ones(len(codes), dtype=bool)
    for clause in clauses:
        if clause.name == name:
            matched = evaluate(clause.selection, codes, told=False).mask
            mask &= ~matched if clause.negated else matched
    return mask


@lru_cache(maxsize=100_000)
def passes(clauses: tuple[Clause, ...], name: str, value: str) -> bool:
    """Whether one plain text passes the clauses of that name."""
    return bool(matches_text(clauses, name, [value])[0])


def read_narrowing(text: str) -> Narrowing:
    """Like `parse_narrowing`, with an empty text for everything."""
    return parse_narrowing(text) if text.strip() else EVERYTHING
