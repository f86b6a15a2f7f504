"""The bounds of what a person may see, as selections, and what they mean in a ledger."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np

from rulka.core.books.chart import BoolArray
from rulka.core.books.frame import Frame, Keys
from rulka.core.books.selection import select
from rulka.core.errors import RulkaError


@dataclass(frozen=True)
class Fence:
    """The bounds of what a person may see, as selections; empty means all. `sealed` accounts show totals only."""

    entities: str = ""
    accounts: str = ""
    members: Mapping[str, str] = field(default_factory=dict)
    sealed: str = ""

    @property
    def is_open(self) -> bool:
        return self.hides_nothing and not self.sealed

    @property
    def hides_nothing(self) -> bool:
        """Whether all entities, accounts and members are inside; detail may still be sealed."""
        return not (self.entities or self.accounts or any(self.members.values()))

    def mask(self, keys: Keys, frame: Frame) -> BoolArray:
        """Mask of the posting keys inside the fence."""
        inside = np.ones(len(keys), dtype=bool)
        if self.entities:
            inside &= select(self.entities, frame.entities).mask[keys.entity]
        if self.accounts:
            inside &= select(self.accounts, frame.accounts).mask[keys.account]
        for place, (dimension, codes) in enumerate(frame.dimensions.items()):
            if self.members.get(dimension):
                inside &= select(self.members[dimension], codes).mask[keys.members[:, place]]
        unknown = set(self.members) - set(frame.dimensions)
        if unknown:
            raise RulkaError(
                f"The fence names {', '.join(sorted(unknown))}, which is no dimension of this ledger.", code="fence"
            )
        return inside


NO_FENCE = Fence()
