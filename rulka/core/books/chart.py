"""The chart of accounts and other coded hierarchies: who stands below whom."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
import numpy.typing as npt

from rulka.core.errors import RulkaError

BoolArray = npt.NDArray[np.bool_]
IntArray = npt.NDArray[np.int64]

TYPES = ("asset", "liability", "equity", "revenue", "expense", "statistical")
CARRYING = ("asset", "liability", "equity", "statistical")
"""Types that carry their balance from the beginning of the ledger; the others start each year at zero."""


@dataclass(frozen=True)
class Item:
    """One coded thing that a selection can name: an account, an entity or a dimension member."""

    code: str
    name: str
    parent: str = ""
    type: str = ""
    category: str = ""
    active: bool = True
    unit: str = ""
    intercompany: bool = False
    rate: str = ""


@dataclass(frozen=True)
class CodeList:
    """Items in code order, with their hierarchy."""

    kind: str
    items: tuple[Item, ...]

    @cached_property
    def index(self) -> dict[str, int]:
        """Where each code stands."""
        return {item.code: place for place, item in enumerate(self.items)}

    @cached_property
    def below(self) -> dict[str, list[int]]:
        """For each code the places of itself and of all below it."""
        children: dict[str, list[str]] = {}
        for item in self.items:
            children.setdefault(item.parent, []).append(item.code)
        below: dict[str, list[int]] = {}
        for item in self.items:
            found, todo = [], [item.code]
            while todo:
                code = todo.pop()
                found.append(self.index[code])
                todo.extend(children.get(code, ()))
            below[item.code] = sorted(found)
        return below

    def __len__(self) -> int:
        return len(self.items)

    def __getitem__(self, code: str) -> Item:
        return self.items[self.index[code]]

    def of_type(self, *types: str) -> BoolArray:
        """Mask of the items with one of these types; kept, so not to be written to."""
        if types not in self._masks:
            mask = np.fromiter((item.type in types for item in self.items), dtype=bool, count=len(self.items))
            mask.setflags(write=False)
            self._masks[types] = mask
        return self._masks[types]

    @cached_property
    def _masks(self) -> dict[tuple[str, ...], BoolArray]:
        return {}


def code_list(kind: str, items: Iterable[Item]) -> CodeList:
    """Order items by code and check that parents exist and form no loop."""
    ordered = tuple(sorted(items, key=lambda item: item.code))
    loops = parent_errors(kind, ordered)
    if loops:
        raise loops[0]
    return CodeList(kind, ordered)


def parent_errors(kind: str, items: Sequence[Item]) -> list[RulkaError]:
    """Every parent that does not exist, and every loop, once."""
    parent = {item.code: item.parent for item in items}
    errors: list[RulkaError] = []
    in_loop: set[str] = set()
    for item in items:
        if item.parent and item.parent not in parent:
            errors.append(
                RulkaError(
                    f"Parent '{item.parent}' of {kind} {item.code} does not exist.",
                    hint="Add it or empty the parent.",
                    subject=f"{kind} {item.code}",
                    code="unknown-parent",
                )
            )
            continue
        path, code = [item.code], item.parent
        while code and code not in path and code not in in_loop:
            path.append(code)
            code = parent.get(code, "")
        if code and code in path:
            loop = [*path[path.index(code) :], code]
            in_loop.update(loop)
            errors.append(
                RulkaError(
                    f"Parents go in a circle: {' > '.join(loop)}.",
                    hint="Empty the parent of one of them.",
                    subject=f"{kind} {code}",
                    code="parent-loop",
                )
            )
    return errors
