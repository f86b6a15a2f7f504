"""The bounds of what a person may see, as selections, and what they mean in a ledger."""

from __future__ import annotations

import json
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from hashlib import blake2b

import numpy as np

from rulka.core.books.chart import BoolArray
from rulka.core.books.frame import Frame, Keys
from rulka.core.books.selection import parse_selection, select
from rulka.core.errors import RulkaError


@dataclass(frozen=True)
class Fence:
    """The bounds of what a person may see, as selections; empty means all. `sealed` accounts show at a grain
    only.

    Made by `of`, so that fences that say the same are one: each selection in its plainest writing, dimensions in order.
    """

    entities: str = ""
    accounts: str = ""
    members: tuple[tuple[str, str], ...] = ()
    sealed: str = ""
    grain: tuple[str, ...] | None = None
    """What may be told apart of sealed accounts besides entity and period: dimensions, `partner`; None for the ledger's
    first dimension."""

    @classmethod
    def of(
        cls,
        entities: str = "",
        accounts: str = "",
        members: Mapping[str, str] | None = None,
        sealed: str = "",
        grain: Iterable[str] | None = None,
    ) -> Fence:
        """A fence from what was written; raises SelectionError on what can't be read."""
        named = tuple(sorted((name, _plain(text)) for name, text in (members or {}).items() if text.strip()))
        told = tuple(sorted(set(grain))) if sealed.strip() and grain is not None else None
        return cls(_plain(entities), _plain(accounts), named, _plain(sealed), told)

    @property
    def is_open(self) -> bool:
        return self.hides_nothing and not self.sealed

    @property
    def hides_nothing(self) -> bool:
        """Whether all entities, accounts and members are inside; detail may still be sealed."""
        return not (self.entities or self.accounts or self.members)

    @property
    def digest(self) -> str:
        """What tells it from every other fence, for a record that is kept; the same in every process and release."""
        bounds = [
            self.entities,
            self.accounts,
            self.members,
            self.sealed,
            *([self.grain] if self.grain is not None else []),
        ]
        said = json.dumps(bounds, ensure_ascii=False)
        return blake2b(said.encode(), digest_size=16).hexdigest()

    def of_dimension(self, name: str) -> str:
        """The selection of a dimension's members; empty means all."""
        return dict(self.members).get(name, "")

    def mask(self, keys: Keys, frame: Frame) -> BoolArray:
        """Mask of the posting keys inside the fence."""
        inside = np.ones(len(keys), dtype=bool)
        if self.entities:
            inside &= select(self.entities, frame.entities).mask[keys.entity]
        if self.accounts:
            inside &= select(self.accounts, frame.accounts).mask[keys.account]
        for place, (dimension, codes) in enumerate(frame.dimensions.items()):
            if chosen := self.of_dimension(dimension):
                inside &= select(chosen, codes).mask[keys.members[:, place]]
        unknown = {name for name, _ in self.members} - set(frame.dimensions)
        if unknown:
            raise RulkaError(
                f"The fence names {', '.join(sorted(unknown))}, which is no dimension of this ledger.", code="fence"
            )
        return inside


def _plain(text: str) -> str:
    return parse_selection(text).text() if text.strip() else ""


NO_FENCE = Fence()
