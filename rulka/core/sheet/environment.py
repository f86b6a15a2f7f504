"""Where a formula stands while it is calculated: its cell, its variables, and the areas that references mean."""

from __future__ import annotations

from typing import Any, Protocol

from rulka.core.sheet.addresses import Box, Key
from rulka.core.sheet.values import Array, Scalar, Value


class SheetArea(Protocol):
    """What a formula reads: the calculation it is part of."""

    def value_at(self, key: Key) -> Scalar: ...

    def array_in(self, sheet: int, box: Box) -> Array: ...

    def spilled_at(self, key: Key) -> Value: ...

    def sheet_number(self, name: str) -> int | None: ...

    def name_meaning(self, name: str) -> Any: ...

    def used_rows(self, sheet: int) -> int: ...


class Environment:
    """Where a formula stands while it is calculated, and its variables."""

    __slots__ = ("calculation", "column", "locals", "row", "sheet")

    def __init__(self, calculation: SheetArea, sheet: int, row: int, column: int) -> None:
        self.calculation, self.sheet, self.row, self.column = calculation, sheet, row, column
        self.locals: dict[str, Value] = {}


class Area:
    """The cells that a reference means, not read yet."""

    __slots__ = ("box", "calculation", "sheet")

    def __init__(self, calculation: SheetArea, sheet: int, box: Box) -> None:
        self.calculation, self.sheet, self.box = calculation, sheet, box

    def array(self) -> Array:
        """What they hold; whole columns as far as anything stands on the sheet."""
        return self.calculation.array_in(self.sheet, self.box)
