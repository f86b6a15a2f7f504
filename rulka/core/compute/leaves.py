"""Account lines to leaves: each row of figures is a set of posting keys, an expanding line many of them, nested."""

from __future__ import annotations

from collections.abc import Hashable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Literal

import numpy as np

from rulka.core.books.book import View
from rulka.core.books.calendar import Period, Window
from rulka.core.books.chart import BoolArray, CodeList, IntArray
from rulka.core.books.few import Few
from rulka.core.books.narrowing import Clause, KeyMask, codes_of
from rulka.core.definitions.headings import fill_heading, time_values
from rulka.core.definitions.keys import slug
from rulka.core.definitions.spines import DETAIL, EXPANSIONS, LineDef, Override, SpineDef
from rulka.core.definitions.windows import Stretch, stretches_of
from rulka.core.errors import RulkaError, one_of

LeafKind = Literal["line", "period", "account", "subtotal", "member", "detail", "others", "sealed"]
SEALED = "Sealed detail"
MOST_LEAVES = 20_000
MOST_LINES = 4_000
"""Lines whose leaves a view keeps."""

FLIPPED_BY_CONVENTION = {
    "both positive": ("liability", "equity", "revenue"),
    "effect on the result": ("liability", "equity", "revenue", "expense"),
}


@dataclass(frozen=True, eq=False)
class Leaf:
    """A row of figures: `mask` `(keys,)` are the posting keys it sums, `quantities` those of its statistical accounts.

    `accounts` are those it may hold, `of_line` those of its whole line. `detail` says that journal lines expand it
    further; `inner` are the rows below it, which it holds already.
    """

    key: str
    label: str
    kind: LeafKind
    line: LineDef
    mask: BoolArray
    quantities: BoolArray
    accounts: BoolArray
    is_quantity: bool
    names_accounts: bool
    of_line: BoolArray
    clauses: tuple[Clause, ...] = ()
    account: str = ""
    member: str = ""
    detail: str = ""
    group: Hashable = 0
    """Leaves of one group read the same of every column: same override, clauses on journal lines and part, accounts
    named or not."""
    inner: tuple[Leaf, ...] = ()

    @cached_property
    def held(self) -> IntArray:
        """The posting keys it sums, by their places."""
        return np.flatnonzero(self.mask)

    @cached_property
    def held_quantities(self) -> IntArray:
        """Those of its statistical accounts."""
        return np.flatnonzero(self.quantities)

    @cached_property
    def places(self) -> IntArray:
        """The accounts it may hold, by their places."""
        return np.flatnonzero(self.accounts)

    @cached_property
    def places_of_line(self) -> IntArray:
        """The accounts of its whole line, by their places."""
        return np.flatnonzero(self.of_line)

    def walk(self) -> Iterator[Leaf]:
        yield self
        for leaf in self.inner:
            yield from leaf.walk()


@dataclass(frozen=True, eq=False)
class Leaves:
    """The leaves of a spine by the key of their line, and what the selections warn of and leave out by rule, by line
    key."""

    by_line: Mapping[str, tuple[Leaf, ...]]
    warnings_of: Mapping[str, tuple[str, ...]]
    notes_of: Mapping[str, tuple[str, ...]]

    def walk(self) -> Iterator[Leaf]:
        for leaves in self.by_line.values():
            for leaf in leaves:
                yield from leaf.walk()

    @cached_property
    def by_key(self) -> Mapping[str, Leaf]:
        """Every leaf by the key of its row."""
        return {leaf.key: leaf for leaf in self.walk()}


def leaves_of(spine: SpineDef, view: View, period: Period, *, has_quantities: bool = False) -> Leaves:
    """The leaves of every account line; kept with the view, since they follow from spine, ledger and fence alone, of
    lines with a row for each period from the reporting period too."""
    seen_from = period if any(line.has_periods for line in spine.walk()) else None
    return view.kept(
        ("leaves", spine, has_quantities, seen_from), lambda: _Leaves(spine, view, period, has_quantities).all()
    )


class _Leaves:
    def __init__(self, spine: SpineDef, view: View, period: Period, has_quantities: bool) -> None:
        self.spine, self.view, self.period, self.has_quantities = spine, view, period, has_quantities
        self.known: Few[_OfLine] = view.kept(("leaves by line",), lambda: Few(MOST_LINES))
        self.warnings: dict[str, tuple[str, ...]] = {}
        self.notes: dict[str, tuple[str, ...]] = {}

    def all(self) -> Leaves:
        by_line: dict[str, tuple[Leaf, ...]] = {}
        count = 0
        for line in self.spine.walk():
            if line.kind != "line":
                continue
            try:
                by_line[line.key] = self._of(line)
            except RulkaError as error:
                error.subject = error.subject if error.subject.startswith("line") else f"line {line.label}"
                raise
            count += sum(1 for leaf in by_line[line.key] for _ in leaf.walk())
            if count > MOST_LEAVES:
                raise RulkaError(
                    f"More than {MOST_LEAVES} rows.",
                    hint="Narrow the line or expand it by less.",
                    subject=f"line {line.label}",
                )
        return Leaves(by_line, self.warnings, self.notes)

    def _of(self, line: LineDef) -> tuple[Leaf, ...]:
        """The leaves of a line; kept with the view too, since most lines of a spine that is edited are as they were."""
        seen_from = self.period if line.has_periods else None
        found = self.known.get((line, self.has_quantities, seen_from), lambda: self._read(line))
        self.warnings[line.key] = found.warnings
        if found.notes:
            self.notes[line.key] = found.notes
        return found.leaves

    def _read(self, line: LineDef) -> _OfLine:
        mask = self.view.mask(line.accounts)
        stretches: tuple[Stretch, ...] = ()
        lacks = ""
        if line.override.periods is not None:
            whole, each, lacks = stretches_of(self.view.frame.calendar, line.override.periods, self.period)
            stretches = (whole, *each)
        leaves = tuple(_Line(line, self.view, mask, stretches).leaves())
        statistical = self.view.frame.accounts.of_type("statistical")
        mixes = mask.names_accounts and bool((statistical & mask.accounts).any())
        leaves_out = mixes and not line.expand and not leaves[0].is_quantity and not self.has_quantities
        notes = ("statistical accounts are left out of a money line",) if leaves_out else ()
        return _OfLine(leaves, (*mask.warnings, lacks) if lacks else mask.warnings, notes)


@dataclass(frozen=True, eq=False)
class _OfLine:
    leaves: tuple[Leaf, ...]
    warnings: tuple[str, ...]
    notes: tuple[str, ...]


class _Line:
    """Expands one line; `stretches` are the whole and each period of one with a row for each."""

    def __init__(self, line: LineDef, view: View, mask: KeyMask, stretches: Sequence[Stretch] = ()) -> None:
        self.line, self.view, self.narrowed, self.stretches = line, view, mask, stretches
        self.frame, self.keys = view.frame, view.keys
        self.statistical = self.frame.accounts.of_type("statistical")
        self.accounts = mask.accounts & view.visible_accounts()
        if line.intercompany:
            self.accounts = self.accounts & np.fromiter(
                (i.intercompany for i in self.frame.accounts.items), dtype=bool, count=len(self.accounts)
            )
        self._check()

    def _check(self) -> None:
        known = (*EXPANSIONS, *self.frame.dimensions)
        kinds = self.line.expand or self.line.below
        for place, kind in enumerate(kinds):
            if kind not in known:
                raise RulkaError(f"It can't be expanded by '{kind}'.", hint=one_of(kind, known), code="expand")
            if kind in DETAIL and place != len(kinds) - 1:
                raise RulkaError(f"Nothing expands {kind} further.", hint=f"Put {kind} last.", code="expand")

    def leaves(self) -> list[Leaf]:
        if self.stretches:
            return [self._by_period()]
        if not self.line.expand:
            inner = self._inside(self.line.key, self.line.below, self.narrowed.keys, self.accounts)
            return [self._leaf(self.line.key, self.line.label, "line", self.narrowed.keys, self.accounts, inner=inner)]
        return self._expanded(self.line.key, self.narrowed.keys, self.accounts, self.line.expand)

    def _by_period(self) -> Leaf:
        """The line over all of its window, with a leaf for each period inside of it."""
        key, whole, each = self.line.key, self.stretches[0], self.stretches[1:]
        inner = [
            self._reading(one, f"{key}:{one.periods[0].code.lower()}", self._label_of(one), "period")
            for one in (each if not self.line.is_closed else ())
        ]
        return replace(self._reading(whole, key, self._label_of(whole), "line"), inner=tuple(inner))

    def _label_of(self, stretch: Stretch) -> str:
        """The line's label with the tokens of a period, or that of its total with those of the whole."""
        line, calendar, periods = self.line, self.frame.calendar, stretch.periods
        is_whole = stretch is self.stretches[0]
        text = (line.total or line.label) if is_whole else line.label
        if not periods:
            return fill_heading(text, {})
        title = calendar.range_title(periods[0], periods[-1])
        values = time_values(calendar, Window(periods[0].index, periods[-1].index, title))
        return fill_heading(text if "{" in text or (is_whole and line.total) else f"{text}, {{window}}", values)

    def _reading(self, stretch: Stretch, key: str, label: str, kind: LeafKind) -> Leaf:
        """The line's leaf that reads a stretch of time."""
        line = replace(self.line, override=replace(self.line.override, stretch=stretch))
        leaf = self._leaf(key, label, kind, self.narrowed.keys, self.accounts)
        return replace(leaf, line=line, group=self._group_of(line.override))

    def _keys_of(self, mask: BoolArray, accounts: BoolArray, is_quantity: bool) -> tuple[BoolArray, BoolArray]:
        """Masks of a leaf's keys and of those among the asked ones that hold quantities, `(keys,)` each."""
        quantities = accounts & self.statistical
        of_key = self.keys.account
        if quantities.any():
            of_leaf = mask & (accounts if is_quantity else accounts & ~self.statistical)[of_key]
            return of_leaf, mask & quantities[of_key]
        whole = mask is self.narrowed.keys and accounts is self.accounts and not self.line.intercompany
        of_leaf = mask if whole else mask & accounts[of_key]  # what is narrowed holds no other accounts
        return of_leaf, self.view.kept(("no keys",), lambda: np.zeros(len(self.keys), dtype=bool))

    def _leaf(
        self,
        key: str,
        label: str,
        kind: LeafKind,
        mask: BoolArray,
        accounts: BoolArray,
        *,
        account: str = "",
        member: str = "",
        detail: str = "",
        inner: tuple[Leaf, ...] = (),
    ) -> Leaf:
        is_quantity = bool(accounts.any()) and not (accounts & ~self.statistical).any()
        of_leaf, of_quantities = self._keys_of(mask, accounts, is_quantity)
        return Leaf(
            key,
            label,
            kind,
            self.line,
            of_leaf,
            of_quantities,
            accounts,
            is_quantity,
            self.narrowed.names_accounts,
            self.accounts,
            self.narrowed.by_line,
            account,
            member,
            detail,
            self.group,
            inner,
        )

    @cached_property
    def group(self) -> Hashable:
        return self._group_of(self.line.override)

    def _group_of(self, override: Override) -> Hashable:
        """What stands for all that lines have to have alike to be read alike: one thing for each, over all spines."""
        alike = (override, self.narrowed.by_line, self.line.intercompany, self.narrowed.names_accounts)
        return self.view.kept(("alike", alike), object)

    def _expanded(self, prefix: str, mask: BoolArray, accounts: BoolArray, kinds: tuple[str, ...]) -> list[Leaf]:
        kind, rest = kinds[0], kinds[1:]
        if kind in DETAIL:
            return [self._leaf(prefix, self.line.label, "detail", mask, accounts, detail=kind)]
        if kind == "accounts":
            found = [self._account(prefix, int(place), mask, accounts, rest) for place in np.flatnonzero(accounts)]
        elif kind == "children":
            found = self._children(prefix, mask, accounts, rest)
        else:
            name = "entity" if kind == "entities" else kind
            sealed = accounts & self.view.coarse if self.view.seal and name not in self.view.seal.grain else None
            if sealed is not None and sealed.any():
                accounts = accounts & ~sealed
            of_key = (
                self.keys.entity if name == "entity" else self.keys.members[:, list(self.frame.dimensions).index(name)]
            )
            found = list(self._members(prefix, name, codes_of(name, self.frame), of_key, mask, accounts, rest))
            if sealed is not None and sealed.any():
                found.append(self._leaf(f"{prefix}:sealed", SEALED, "sealed", mask, sealed))
        if self.line.sort == "name":
            found.sort(key=lambda leaf: (leaf.kind == "sealed", leaf.label.split(" ", 1)[-1].casefold()))
        return found

    def _inside(self, key: str, rest: tuple[str, ...], mask: BoolArray, accounts: BoolArray) -> tuple[Leaf, ...]:
        return tuple(self._expanded(key, mask, accounts, rest)) if rest else ()

    def _account(
        self,
        prefix: str,
        place: int,
        mask: BoolArray,
        accounts: BoolArray,
        rest: tuple[str, ...],
        *,
        itself: bool = False,
    ) -> Leaf:
        """A row of one account; `itself` is what a head has beside the accounts below it."""
        item = self.frame.accounts.items[place]
        own = np.zeros(len(accounts), dtype=bool)
        own[place] = True
        mine = mask & (self.keys.account == place)
        key, label = f"{prefix}:{item.code}", f"{item.code} {item.name}"
        inner = self._inside(key, rest, mine, own)
        key, label = (f"{key}:itself", f"{label}, itself") if itself else (key, label)
        return self._leaf(key, label, "account", mine, own, account=item.code, inner=inner)

    def _children(self, prefix: str, mask: BoolArray, accounts: BoolArray, rest: tuple[str, ...]) -> list[Leaf]:
        """A tree of the selected accounts: heads with what stands below them; a head's own postings as a row of their
        own."""
        items, index = self.frame.accounts.items, self.frame.accounts.index
        chosen = set(np.flatnonzero(accounts).tolist())

        def build(place: int) -> Leaf:
            item = items[place]
            below = [at for at in self.frame.accounts.below[item.code] if at in chosen]
            children = [at for at in below if items[at].parent == item.code]
            if not children:
                return self._account(prefix, place, mask, accounts, rest)
            own = np.zeros(len(accounts), dtype=bool)
            own[below] = True
            inner = [build(at) for at in children]
            if (mask & (self.keys.account == place)).any():
                inner.insert(0, self._account(prefix, place, mask, accounts, rest, itself=True))
            return self._leaf(
                f"{prefix}:{item.code}",
                f"{item.code} {item.name}",
                "subtotal",
                mask & own[self.keys.account],
                own,
                inner=tuple(inner),
            )

        tops = [
            place for place in sorted(chosen) if not items[place].parent or index[items[place].parent] not in chosen
        ]
        return [build(place) for place in tops]

    def _members(
        self,
        prefix: str,
        name: str,
        codes: CodeList,
        of_key: np.ndarray,
        mask: BoolArray,
        accounts: BoolArray,
        rest: tuple[str, ...],
    ) -> Iterator[Leaf]:
        """A row for each member that anything visible was ever booked with."""
        present = set(np.unique(of_key[mask & accounts[self.keys.account]]).tolist())
        for place, item in enumerate(codes.items):
            if place in present:
                inside, key = mask & (of_key == place), f"{prefix}:{slug(name)}={item.code}"
                label = f"{item.code} {item.name}" if item.code != "-" else f"No {name}"
                inner = self._inside(key, rest, inside, accounts)
                yield self._leaf(key, label, "member", inside, accounts, member=item.code, inner=inner)


def types_of(accounts: BoolArray, view: View) -> set[str]:
    """The account types in a mask of accounts."""
    return _types_at(np.flatnonzero(accounts), view)


def _types_at(places: IntArray, view: View) -> set[str]:
    items = view.frame.accounts.items
    return {items[place].type for place in places.tolist()}


def _types_in(leaf: Leaf, own: IntArray, column_accounts: BoolArray | None, view: View) -> set[str]:
    """The types of a leaf's own accounts (by their places), or of the column's where only it names accounts."""
    if column_accounts is None or leaf.names_accounts:
        return _types_at(own, view)
    return types_of(column_accounts, view)


def default_sign(types: set[str], convention: str) -> int:
    """The sign that a convention has for some account types: 1 as booked, -1 turned.

    Types that a convention turns and others that it doesn't, such as assets beside liabilities, show as booked.
    """
    flipped = set(FLIPPED_BY_CONVENTION[convention])
    if types <= flipped and types:
        return -1
    return -1 if types & flipped and not types & {"asset", "statistical"} else 1


def sign_of(leaf: Leaf, column_accounts: BoolArray | None, convention: str, view: View) -> int:
    """The sign with which a leaf shows in a column: 1 as booked, -1 turned.

    A sign that its line says goes first. Else the types of its accounts say it: revenue is booked as a credit, below
    zero, and shows turned, above it. Where the line names no accounts and the column does, those of the column say it.
    """
    if leaf.line.sign:
        return -1 if leaf.line.sign == "flipped" else 1
    types = _types_in(leaf, leaf.places_of_line, column_accounts, view)
    return default_sign(types - {"statistical"} or types, convention)


def direction_of_leaf(leaf: Leaf, column_accounts: BoolArray | None, sign: int, view: View) -> int:
    """Whether more of the presented figure is better (1), worse (-1) or neither: judged on booked amounts by account
    type."""
    if leaf.line.favourable:
        return {"higher": 1, "lower": -1}.get(leaf.line.favourable, 0)
    types = _types_in(leaf, leaf.places, column_accounts, view)
    return -sign if types and types <= {"revenue", "expense"} else 0
