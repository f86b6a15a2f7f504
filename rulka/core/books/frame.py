"""What stands still under the figures of a ledger: codes, calendar, posting keys, and the sums that were read."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np

from rulka.core.books.calendar import FiscalCalendar
from rulka.core.books.chart import CARRYING, BoolArray, CodeList, IntArray
from rulka.core.books.rates import Rates

ACTIVITY, OPENING, CLOSING = 0, 1, 2
"""Effects of a movement: in its period, in its period's opening balance, or after its year's last period."""


POSTED, PENDING = 0, 1


STATUS_CHOICES = {"posted": (POSTED,), "with pending": (POSTED, PENDING), "pending only": (PENDING,)}


QUANTITIES = {
    "quantity": "activity",
    "opening quantity": "opening",
    "closing quantity": "closing",
    "average quantity": "average",
}
"""Measures of statistical accounts only, and what each is of them."""


MEASURES = ("activity", "opening", "closing", "debits", "credits", "average", *QUANTITIES)
"""What a column shows; `average` is the mean balance."""


@dataclass(frozen=True)
class Frame:
    """What stands still under the figures: codes, calendar and currencies of a ledger."""

    name: str
    group_currency: str
    calendar: FiscalCalendar
    entities: CodeList
    accounts: CodeList
    dimensions: Mapping[str, CodeList]
    retained_earnings: str
    scenarios: Mapping[str, str]
    currencies: tuple[str, ...]
    digits: IntArray
    first_entity: str
    group_digits: int = 2
    translation_reserve: str = ""
    rates: Rates = field(default_factory=Rates)
    calendars: Mapping[str, FiscalCalendar] = field(default_factory=dict)
    """Further calendars by name; `entity_calendars` says by entity which it keeps, empty for the group's."""
    entity_calendars: tuple[str, ...] = ()

    def carrying(self) -> BoolArray:
        """Mask of the accounts that carry their balance over a year end."""
        return self.accounts.of_type(*CARRYING)


@dataclass(frozen=True)
class Keys:
    """Posting keys as indices into the frame: `members` is (keys, dimensions), partner -1 is none, id 0 is made by the
    roll or gathered under a seal, over the members of dimensions where these are -1."""

    ids: IntArray
    entity: IntArray
    account: IntArray
    partner: IntArray
    members: IntArray

    def __len__(self) -> int:
        return len(self.ids)

    def with_member(self, dimension: int, members: BoolArray) -> BoolArray:
        """Mask of the keys that one of some members of a dimension (by its place) stands on; none of those that are
        gathered over its members (-1)."""
        of_key = self.members[:, dimension]
        found: BoolArray = (of_key >= 0) & members[np.maximum(of_key, 0)]
        return found

    def only(self, places: IntArray) -> Keys:
        """The keys at some places, in this order."""
        if len(places) == len(self):
            return self
        return Keys(*(getattr(self, name)[places] for name in ("ids", "entity", "account", "partner", "members")))


@dataclass(frozen=True)
class Movements:
    """Sums of journal or budget lines, one row each; amounts are minor units, both not negative."""

    key: IntArray
    period: IntArray
    status: IntArray
    effect: IntArray
    debit: IntArray
    credit: IntArray
    count: IntArray

    def only(self, chosen: BoolArray) -> Movements:
        """The chosen rows."""
        return Movements(*(getattr(self, name)[chosen] for name in MOVEMENT_FIELDS))

    def beside(self, others: Movements) -> Movements:
        """These rows and others."""
        return Movements(*(np.concatenate([getattr(self, name), getattr(others, name)]) for name in MOVEMENT_FIELDS))


MOVEMENT_FIELDS = ("key", "period", "status", "effect", "debit", "credit", "count")


_EMPTY = np.zeros(0, dtype=np.int64)


NO_MOVEMENTS = Movements(_EMPTY, _EMPTY, _EMPTY, _EMPTY, _EMPTY, _EMPTY, _EMPTY)
