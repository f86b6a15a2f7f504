"""What rows can be asked for: sets of rows with typed fields."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime
from decimal import Decimal
from typing import Final, Literal

from rulka.core.errors import NotFound, one_of

FieldKind = Literal["code", "text", "date", "moment", "period", "amount", "number", "flag"]
KINDS: Final[tuple[FieldKind, ...]] = ("code", "text", "date", "moment", "period", "amount", "number", "flag")
NUMERIC: Final = ("amount", "number")

Scalar = None | str | int | Decimal | bool | date | datetime
"""What a cell of a row holds: text and codes as str, days and moments, exact numbers, yes or no."""


@dataclass(frozen=True)
class Field:
    """One thing that a row can say. `of` names the codes it takes (account, entity, a dimension ...), `digits` the
    decimals that its whole numbers are scaled by."""

    name: str
    title: str
    group: str
    kind: FieldKind
    of: str = ""
    digits: int = 0
    note: str = ""
    adds: bool = False
    """Whether a column of such numbers can be added up; amounts always can, within one currency."""

    @property
    def is_numeric(self) -> bool:
        return self.kind in NUMERIC


@dataclass(frozen=True)
class RowKind:
    """A set of rows: its fields, which of them tell a row from every other one, and which bound how many there are
    (none where there never are many)."""

    name: str
    title: str
    fields: tuple[Field, ...]
    identity: tuple[str, ...]
    bounds: tuple[str, ...] = ()
    note: str = ""

    def field(self, name: str) -> Field:
        """A field by its name, or its title; NotFound otherwise."""
        wanted = " ".join(name.split()).casefold()
        for one in self.fields:
            if one.name == wanted:
                return one
        for one in self.fields:
            if one.title.casefold() == wanted:
                return one
        raise NotFound(
            f"{self.title} have no '{name[:60]}'.", hint=one_of(wanted, [one.name for one in self.fields]),
            subject="column",
        )  # fmt: skip

    @property
    def groups(self) -> Mapping[str, list[Field]]:
        """The fields under the headings they stand under, in order."""
        found: dict[str, list[Field]] = {}
        for one in self.fields:
            found.setdefault(one.group, []).append(one)
        return found

    def with_fields(self, more: Sequence[Field]) -> RowKind:
        """The same set with further fields."""
        return replace(self, fields=(*self.fields, *more))
