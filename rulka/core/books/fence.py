"""The bounds of what a person may see, as selections, and what they mean in a ledger."""

from __future__ import annotations

import json
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from hashlib import blake2b

import numpy as np

from rulka.core.books.chart import BoolArray, CodeList
from rulka.core.books.frame import Frame, Keys
from rulka.core.books.selection import NOTHING, parse_selection, select
from rulka.core.errors import RulkaError


@dataclass(frozen=True)
class Bounds:
    """Entities, accounts and members that lie inside, as selections in their plainest writing; empty means all."""

    entities: str = ""
    accounts: str = ""
    members: tuple[tuple[str, str], ...] = ()

    @classmethod
    def written(cls, entities: str = "", accounts: str = "", members: Mapping[str, str] | None = None) -> Bounds:
        """Bounds from what was written; raises SelectionError on what can't be read."""
        named = tuple(sorted((name, _plain(text)) for name, text in (members or {}).items() if text.strip()))
        return cls(_plain(entities), _plain(accounts), named)

    @property
    def are_open(self) -> bool:
        return not (self.entities or self.accounts or self.members)

    def of(self, name: str) -> str:
        """The selection of `entity`, `account` or a dimension's members; empty means all."""
        own = {"entity": self.entities, "account": self.accounts}
        return own[name] if name in own else dict(self.members).get(name, "")

    @property
    def names(self) -> tuple[str, ...]:
        """What they bound: entity, account, dimensions."""
        own = [name for name in ("entity", "account") if self.of(name)]
        return (*own, *(name for name, _ in self.members))

    def mask(self, keys: Keys, frame: Frame) -> BoolArray:
        """Mask of the posting keys inside."""
        inside = np.ones(len(keys), dtype=bool)
        if self.entities:
            inside &= select(self.entities, frame.entities).mask[keys.entity]
        if self.accounts:
            inside &= select(self.accounts, frame.accounts).mask[keys.account]
        for place, (dimension, codes) in enumerate(frame.dimensions.items()):
            if chosen := self.of(dimension):
                inside &= select(chosen, codes).mask[keys.members[:, place]]
        unknown = {name for name, _ in self.members} - set(frame.dimensions)
        if unknown:
            raise RulkaError(
                f"The fence names {', '.join(sorted(unknown))}, which is no dimension of this ledger.", code="fence"
            )
        return inside


LETS_NOTHING_THROUGH = Bounds(entities=NOTHING)

FIGURES_ONLY = "You see figures only, not what they are made of."
DEPTHS = ("figures", "accounts", "entries")
"""How deep somebody gets from a figure: no further, to accounts and members, or to journal lines too."""


@dataclass(frozen=True)
class Fence:
    """What a person may see: what lies inside of any of some bounds, without bounds all. `sealed` accounts show at a
    grain only.

    Made by `of` and `around`, so that fences that say the same are one: bounds in order, none where one of them holds
    all.
    """

    bounds: tuple[Bounds, ...] = ()
    sealed: str = ""
    grain: tuple[str, ...] | None = None
    """What may be told apart of sealed accounts besides entity and period: dimensions, `partner`; None for the ledger's
    first dimension."""
    depth: str = DEPTHS[-1]

    @classmethod
    def of(
        cls,
        entities: str = "",
        accounts: str = "",
        members: Mapping[str, str] | None = None,
        sealed: str = "",
        grain: Iterable[str] | None = None,
    ) -> Fence:
        """A fence with one bound, from what was written; raises SelectionError on what can't be read."""
        return cls.around([Bounds.written(entities, accounts, members)], sealed, grain)

    @classmethod
    def around(cls, bounds: Iterable[Bounds], sealed: str = "", grain: Iterable[str] | None = None) -> Fence:
        """A fence around what lies inside of any of some bounds; around all where one of them is open."""
        given = list(dict.fromkeys(bounds))
        several = [] if any(one.are_open for one in given) else given
        if several:  # what lets nothing through adds nothing
            several = [one for one in several if one != LETS_NOTHING_THROUGH] or [LETS_NOTHING_THROUGH]
        told = tuple(sorted(set(grain))) if sealed.strip() and grain is not None else None
        order = sorted(several, key=lambda one: (one.entities, one.accounts, one.members))
        return cls(tuple(order), _plain(sealed), told)

    def with_seal(self, sealed: str, grain: Iterable[str] | None) -> Fence:
        """The same bounds with another seal."""
        return replace(Fence.around(self.bounds or (Bounds(),), sealed, grain), depth=self.depth)

    def down_to(self, depth: str) -> Fence:
        """The same fence, no deeper than that."""
        return replace(self, depth=min(self.depth, depth, key=DEPTHS.index))

    @property
    def all_the_way_down(self) -> Fence:
        """The same fence, down to journal lines."""
        return replace(self, depth=DEPTHS[-1])

    @property
    def unbounded(self) -> Fence:
        """The same seal without bounds."""
        return Fence((), self.sealed, self.grain, self.depth)

    @property
    def shows_lines(self) -> bool:
        """Whether journal lines show at all."""
        return self.depth == DEPTHS[-1]

    @property
    def opens_figures(self) -> bool:
        """Whether somebody gets from a figure to what it is made of."""
        return self.depth != DEPTHS[0]

    @property
    def is_open(self) -> bool:
        return self.hides_nothing and not self.sealed and self.shows_lines

    @property
    def hides_nothing(self) -> bool:
        """Whether all entities, accounts and members are inside; detail may still be sealed."""
        return not self.bounds

    @property
    def digest(self) -> str:
        """What tells it from every other fence, for a record that is kept; the same in every process and release."""
        first, *others = self.bounds or (Bounds(),)
        bounds = [
            first.entities,
            first.accounts,
            first.members,
            self.sealed,
            *([self.grain] if self.grain is not None or others else []),
            *([[one.entities, one.accounts, one.members] for one in others]),
            *([] if self.shows_lines else [self.depth]),
        ]
        said = json.dumps(bounds, ensure_ascii=False)
        return blake2b(said.encode(), digest_size=16).hexdigest()

    @property
    def names(self) -> frozenset[str]:
        """What any of its bounds bounds: entity, account, dimensions."""
        return frozenset(name for one in self.bounds for name in one.names)

    def leaves_open(self, name: str) -> bool:
        """Whether all of `entity`, `account` or a dimension's members may lie inside."""
        return not self.bounds or any(not one.of(name) for one in self.bounds)

    def codes_inside(self, name: str, codes: CodeList) -> BoolArray:
        """Mask of the codes of `entity`, `account` or a dimension of which anything may lie inside."""
        if self.leaves_open(name):
            return np.ones(len(codes), dtype=bool)
        inside = np.zeros(len(codes), dtype=bool)
        for one in self.bounds:
            inside |= select(one.of(name), codes).mask
        return inside

    def mask(self, keys: Keys, frame: Frame) -> BoolArray:
        """Mask of the posting keys inside the fence."""
        if not self.bounds:
            return np.ones(len(keys), dtype=bool)
        inside = np.zeros(len(keys), dtype=bool)
        for one in self.bounds:
            inside |= one.mask(keys, frame)
        return inside


def _plain(text: str) -> str:
    return parse_selection(text).text() if text.strip() else ""


NO_FENCE = Fence()
